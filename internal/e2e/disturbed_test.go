package e2e

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"harvik/internal/testkit"
)

// disturbance is how much of it there is.
type disturbance struct {
	workers int
	sites   []int // their pages
	kills   int
	apart   time.Duration // at most
	pause   string        // between two requests of a crawl
	stopped time.Duration // how long a worker stands still that is stopped in its tracks
}

// disturbances are that of every day, and that of `make fleet`.
func disturbances() disturbance {
	if os.Getenv("HARVIK_FLEET") == "" {
		return disturbance{workers: 3, sites: []int{5, 20, 60, 150, 300, 500}, kills: 10,
			pause: "60ms", apart: 2800 * time.Millisecond, stopped: 12 * time.Second}
	}
	d := disturbance{workers: 4, kills: 50, pause: "25ms", apart: 8 * time.Second, stopped: 30 * time.Second}
	for i := range 20 {
		d.sites = append(d.sites, []int{10, 30, 100, 300, 1000, 2000, 5000, 20000}[min(i*2/5, 6+i/19)])
	}
	return d
}

// once serves a site, and tells which addresses were asked for by two at the same time.
type once struct {
	testkit.Generated
	mu      sync.Mutex
	now     map[string][]*underWay
	twice   []string
	pause   time.Duration
	answers int
}

// underWay is a request that is being answered, and whether another came for the same meanwhile.
type underWay struct{ again bool }

// goneWithin is how long it takes at most to hear that who asked has been killed, or for one who stood still to learn
// that another asks in its place and to leave off, on a machine that is busy.
const goneWithin = 10 * time.Second

// ServeHTTP implements http.Handler.
func (o *once) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	one := &underWay{}
	o.mu.Lock()
	o.answers++
	if r.Method == http.MethodGet {
		for _, other := range o.now[r.URL.Path] {
			other.again = true
		}
		o.now[r.URL.Path] = append(o.now[r.URL.Path], one)
	}
	pause := o.pause
	o.mu.Unlock()
	time.Sleep(pause)
	o.Generated.ServeHTTP(w, r)
	o.mu.Lock()
	o.now[r.URL.Path] = slices.DeleteFunc(o.now[r.URL.Path], func(a *underWay) bool { return a == one })
	again := one.again
	o.mu.Unlock()
	if !again {
		return
	}
	select {
	case <-r.Context().Done(): // the other came in its place
	case <-time.After(goneWithin):
		o.mu.Lock()
		o.twice = append(o.twice, r.URL.Path)
		o.mu.Unlock()
	}
}

func (o *once) slow(pause time.Duration) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.pause, o.answers = pause, 0
}

// TestDisturbed crawls sites by workers that are killed, or stopped in their tracks for a while, as are the service and
// the database: each crawl ends with the same pages, links, findings, fixes and health as in one process that nobody
// disturbed; nothing is asked for by two at once; and nothing that hangs on the crawls is left undone.
func TestDisturbed(t *testing.T) {
	t.Parallel()
	d := disturbances()
	s := newShell(t)
	s.start()
	sites := make([]*once, len(d.sites))
	want := make([]string, len(d.sites))
	asked := 0
	for i, pages := range d.sites {
		sites[i] = &once{Generated: testkit.Generated{Pages: pages, Seed: uint64(i) + 1}, now: map[string][]*underWay{}}
		address := testkit.Serve(t, sites[i])
		for _, name := range []string{"whole", "cut"} {
			s.ok(fmt.Sprintf("site add %s%d http://big%d.example/ --allow 127.0.0.0/8", name, i, i))
			s.ok(fmt.Sprintf("plan set %s%d pages=%d probes=false pause=0s %s --host big%d.example=%s", name, i,
				pages+50, unhurried, i, address))
		}
		s.ok(fmt.Sprintf("crawl whole%d", i))
		want[i] = s.results(fmt.Sprint("whole", i))
		asked += sites[i].answers
		sites[i].slow(4 * time.Millisecond)
	}
	s.stop(syscall.SIGTERM)
	s.startWith(new(bytes.Buffer), "--no-work")
	fleet := make([]*hand, d.workers)
	for i := range fleet {
		fleet[i] = s.hire("--crawls", fmt.Sprint(1+len(sites)/d.workers))
	}
	for i := range sites {
		s.ok(fmt.Sprintf("plan set cut%d --pause %s --parallel 3", i, d.pause))
		s.ok(fmt.Sprintf("crawl cut%d --detach", i))
	}
	r := rand.New(rand.NewPCG(6, 28))
	for range d.kills {
		time.Sleep(300*time.Millisecond + time.Duration(r.Int64N(int64(d.apart))))
		one := r.IntN(len(fleet))
		switch r.IntN(5) {
		case 0, 1:
			_ = fleet[one].cmd.Process.Kill()
		case 2: // the network between it and the database is cut, as it were
			stopped := fleet[one].cmd.Process
			_ = stopped.Signal(syscall.SIGSTOP)
			time.AfterFunc(d.stopped, func() { _ = stopped.Signal(syscall.SIGCONT) })
			fleet[one] = s.hire("--crawls", "2")
			continue
		case 3:
			s.stop(syscall.SIGKILL)
			s.startWith(new(bytes.Buffer), "--no-work") // takes the database over that the killed service left running
		case 4:
			s.killDatabase()
			s.whenUp("site list")
		}
		for i, h := range fleet { // what was killed, or met no database when it began
			if h.ended() {
				fleet[i] = s.hire("--crawls", "2")
			}
		}
	}
	again := 0
	for i := range sites {
		s.whenUp("site list")
		s.run("crawl", "pace", fmt.Sprint("cut", i), "--pause", "0s", "--parallel", "16") // unless it has ended
	}
	for i, site := range sites {
		site.slow(0)
		s.await(fmt.Sprint("cut", i), "finished")
		if got := s.results(fmt.Sprint("cut", i)); got != want[i] {
			t.Errorf("%d pages: the disturbed crawl differs: %s", d.sites[i], firstDifference(got, want[i]))
		}
		if len(site.twice) > 0 {
			t.Errorf("%d pages: %d addresses were asked for by two at once, such as %s", d.sites[i], len(site.twice), site.twice[0])
		}
		again += site.answers
	}
	s.until("what hangs on the crawls is done", func() bool { return strings.Contains(s.ok("queue"), "0 other jobs") })
	t.Logf("%d requests undisturbed; %d since the last kill of %d", asked, again, d.kills)
}

// ended tells that a worker is no more.
func (h *hand) ended() bool {
	select {
	case <-h.gone:
		return true
	default:
		return false
	}
}
