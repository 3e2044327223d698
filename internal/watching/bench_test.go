package watching

import (
	"crypto/tls"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"testing"
	"time"

	"harvik/demo"
	"harvik/internal/core/plan"
	"harvik/internal/core/watch"
	"harvik/internal/gear"
	"harvik/internal/testkit"
)

// standsIn is set where this program is to be the site that is watched, so that what that takes is not counted.
const standsIn = "HARVIK_STANDS_IN"

// standIn serves Fernhollow by HTTPS until it is ended.
func standIn() {
	site := demo.New(demo.Spring)
	certificate, authority, err := demo.Certificate(30, demo.Host)
	if err != nil {
		panic(err)
	}
	l, err := tls.Listen(
		"tcp",
		"127.0.0.1:0",
		&tls.Config{Certificates: []tls.Certificate{certificate}, MinVersion: tls.VersionTLS12},
	)
	if err != nil {
		panic(err)
	}
	fmt.Printf("%s\n%s\n.\n", l.Addr(), authority)
	_ = http.Serve(l, site) // until it is ended
}

// BenchmarkThousand looks at a thousand addresses once, by HTTPS, each by a connection of its own: what that takes of a
// processor, the database aside, is a minute's work.
func BenchmarkThousand(b *testing.B) {
	child := exec.CommandContext(b.Context(), os.Args[0])
	child.Env = append(os.Environ(), standsIn+"=1")
	out, err := child.StdoutPipe()
	if err != nil {
		b.Fatal(err)
	}
	if err := child.Start(); err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = child.Process.Kill(); _ = child.Wait() })
	var said strings.Builder
	for buf := make([]byte, 4096); !strings.HasSuffix(said.String(), "\n.\n"); {
		n, err := out.Read(buf)
		if err != nil {
			b.Fatal(err)
		}
		said.Write(buf[:n])
	}
	address, authority, _ := strings.Cut(strings.TrimSuffix(said.String(), "\n.\n"), "\n")
	s := testkit.Store(b)
	p := plan.Plan{Retries: -1, Hosts: map[string]string{demo.Host: address}, CA: authority}
	for n := range 100 { // of ten addresses each
		name := fmt.Sprintf("site%d", n)
		if err := s.AddSite(b.Context(), name, demo.Home, p); err != nil {
			b.Fatal(err)
		}
		site, err := s.Site(b.Context(), name)
		if err != nil {
			b.Fatal(err)
		}
		if err := s.Allow(b.Context(), site.ID, "127.0.0.0/8", "nobody"); err != nil {
			b.Fatal(err)
		}
	}
	now := time.Now()
	w := New(s, gear.New(s, nothing{}, testkit.Quiet), func() time.Time { return now }, testkit.Quiet)
	defer w.Close()
	sites, err := s.Sites(b.Context())
	if err != nil {
		b.Fatal(err)
	}
	for _, site := range sites {
		paths := []string{"/", "/visit/", "/shop/", "/plants/", "/events/", "/de/", "/cy/", "/about/", "/gallery/", "/news/"}
		for n, path := range paths {
			one := watch.Watch{Name: fmt.Sprintf("w%d", n), Address: path, Every: 1}
			if err := w.SetWatch(b.Context(), site, one); err != nil {
				b.Fatal(err)
			}
		}
	}
	took := func() time.Duration {
		var u syscall.Rusage
		if err := syscall.Getrusage(syscall.RUSAGE_SELF, &u); err != nil {
			b.Fatal(err)
		}
		return time.Duration(u.Utime.Nano() + u.Stime.Nano())
	}
	before, rounds := took(), 0
	for b.Loop() {
		now = now.Add(time.Minute)
		if err := w.Round(b.Context()); err != nil {
			b.Fatal(err)
		}
		rounds++
	}
	b.ReportMetric(float64((took()-before)/time.Millisecond)/float64(rounds), "cpu-ms/round")
	b.ReportMetric(float64((took()-before).Seconds())/float64(rounds)/60, "cores")
}
