package e2e

import (
	"bytes"
	"io"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"harvik/internal/testkit"
)

// wire hands bytes on between a worker and its database, until it is cut: then nothing arrives any more on either side,
// and nobody is told.
type wire struct {
	mu  sync.Mutex
	cut bool
}

// wait waits while it is cut.
func (w *wire) wait() {
	for {
		w.mu.Lock()
		cut := w.cut
		w.mu.Unlock()
		if !cut {
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
}

func (w *wire) set(cut bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.cut = cut
}

// run listens, and hands on to an address.
func (w *wire) run(t *testing.T, to string) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { w.set(false); l.Close() })
	carry := func(from, to net.Conn) {
		defer to.Close()
		buf := make([]byte, 64<<10)
		for {
			n, err := from.Read(buf)
			w.wait()
			if n > 0 {
				if _, err := to.Write(buf[:n]); err != nil {
					return
				}
			}
			if err != nil && err != io.EOF || n == 0 {
				return
			}
		}
	}
	go func() {
		for {
			one, err := l.Accept()
			if err != nil {
				return
			}
			w.wait()
			other, err := net.Dial("tcp", to)
			if err != nil {
				one.Close()
				continue
			}
			go carry(one, other)
			go carry(other, one)
		}
	}()
	return l.Addr().String()
}

// TestCutOff: a worker that the network cuts off from the database, but not from the site, asks the site nothing more
// before another takes its crawl up; when it hears of the database again it gives up, and nothing was asked for by two.
func TestCutOff(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	s := newShell(t)
	s.env = append(os.Environ(), "HARVIK_DATABASE="+database)
	s.startWith(new(bytes.Buffer), "--no-work")
	site := &once{Generated: testkit.Generated{Pages: 600, Seed: 4}, now: map[string][]*underWay{},
		pause: 5 * time.Millisecond}
	s.ok("site add beds http://beds.example/ --allow 127.0.0.0/8")
	s.ok("plan set beds probes=false sources.sitemaps=false parallel=2 pause=40ms --host beds.example=" + testkit.Serve(t, site))
	where, err := url.Parse(database)
	if err != nil {
		t.Fatal(err)
	}
	network := new(wire)
	where.Host = network.run(t, where.Host)
	file := filepath.Join(t.TempDir(), "database.url")
	if err := os.WriteFile(file, []byte(where.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	first := s.hireWith(os.Environ(), "--database-file", file)
	s.ok("crawl beds --detach")
	asked := func() int {
		site.mu.Lock()
		defer site.mu.Unlock()
		return site.answers
	}
	s.until("it crawls", func() bool { return asked() > 20 })
	network.set(true)
	time.Sleep(9500 * time.Millisecond) // so long is nobody else at it
	before := asked()
	time.Sleep(1500 * time.Millisecond)
	if now := asked(); now != before {
		t.Errorf("cut off it still asks: %d, then %d", before, now)
	}
	second := s.hire()
	s.until("another goes on", func() bool { return strings.Contains(second.log.String(), "crawl started") })
	network.set(false)
	s.ok("crawl pace beds --pause 0s --parallel 8")
	s.await("beds", "finished")
	s.until("the first has given up", func() bool {
		log := first.log.String()
		return strings.Contains(log, "asked nothing more") &&
			(strings.Contains(log, "another worker has taken it up") || strings.Contains(log, "queues up again"))
	})
	if c := s.crawlOf("beds", 1); c.Progress.Pages != 600 || len(site.twice) > 0 {
		t.Errorf("it ended with %d pages; asked for by two were %v", c.Progress.Pages, site.twice)
	}
}
