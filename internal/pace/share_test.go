package pace

import (
	"math"
	"testing"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/fetch"
	"harvik/internal/record"
)

// told is a host whose workers know of each other.
func told(t *testing.T, tempo Tempo, share record.HostShare) (*Paces, *Governor, time.Time) {
	t.Helper()
	p := new(Paces)
	fresh := p.Share()
	g := p.Of("fernhollow.example")
	g.Join("crawl", tempo)
	select {
	case <-fresh:
	default:
		t.Error("nobody is to be told of a host that is new")
	}
	now := time.Unix(1_000_000, 0)
	if _, ok := g.Try(now); ok {
		t.Fatal("a host is asked before others know of it")
	}
	joined, left := p.Uses()
	if len(joined) != 1 || joined[0].Host != "fernhollow.example" || joined[0].Gap != tempo.Gap ||
		joined[0].Parallel != tempo.Parallel || len(left) > 0 {
		t.Fatalf("to be told are %+v and %v", joined, left)
	}
	share.Host = "fernhollow.example"
	var shares []record.HostShare
	if share.Others > 0 {
		shares = append(shares, share)
	}
	p.Shared(joined, left, shares, now)
	if joined, left = p.Uses(); len(joined)+len(left) > 0 {
		t.Errorf("told again: %+v and %v", joined, left)
	}
	return p, g, now
}

// begun is how many requests begin within some time, each answered after another.
func begun(g *Governor, from time.Time, within, each time.Duration) (n int) {
	var ends []time.Time
	for now := from; now.Before(from.Add(within)); now = now.Add(5 * time.Millisecond) {
		for len(ends) > 0 && !ends[0].After(now) {
			ends = ends[1:]
			g.mu.Lock()
			g.running--
			g.mu.Unlock()
		}
		if _, ok := g.Try(now); ok {
			n++
			ends = append(ends, now.Add(each))
		}
	}
	return n
}

// TestShare: a worker that is alone asks as fast as its crawls have it; with others it takes its part of the gentlest
// tempo, begins once they had time to learn of it, and takes turns where they are too many.
func TestShare(t *testing.T) {
	const long = 20 * time.Second
	gap := Tempo{Parallel: 4, Gap: 100 * time.Millisecond}
	for _, c := range []struct {
		name  string
		tempo Tempo
		share record.HostShare
		each  time.Duration // an answer takes
		want  float64       // a second
	}{
		{"alone", gap, record.HostShare{}, time.Millisecond, 10},
		{"one other", gap, record.HostShare{Others: 1, Gap: 50 * time.Millisecond, Parallel: 4}, time.Millisecond, 5},
		{"one other, gentler", gap, record.HostShare{Others: 1, Gap: 200 * time.Millisecond, Parallel: 4}, time.Millisecond, 2.5},
		{"three others", gap, record.HostShare{Others: 3, Parallel: 8}, time.Millisecond, 2.5},
		{"by requests at once", Tempo{Parallel: 4}, record.HostShare{Others: 1, Parallel: 8}, 100 * time.Millisecond, 20},
		{"by those of another", Tempo{Parallel: 8}, record.HostShare{Others: 1, Parallel: 2}, 100 * time.Millisecond, 10},
		{"by turns", Tempo{Parallel: 1}, record.HostShare{Others: 1, Parallel: 1}, 100 * time.Millisecond, 4.25},
	} {
		_, g, now := told(t, c.tempo, c.share)
		if c.share.Others > 0 && begun(g, now, settling-10*time.Millisecond, c.each) > 0 {
			t.Errorf("%s: it begins before the others know", c.name)
		}
		got := float64(begun(g, now.Add(settling), long, c.each)) / long.Seconds()
		if math.Abs(got-c.want) > 0.12*c.want {
			t.Errorf("%s: %.2f requests a second, want %.2f", c.name, got, c.want)
		}
	}
}

// TestAskedOfAll: what a host asks of one worker, to be left alone for a while, is told to the others, who keep to it;
// they do not tell it on.
func TestAskedOfAll(t *testing.T) {
	tempo := Tempo{Parallel: 4, Gap: 100 * time.Millisecond}
	one, g, now := told(t, tempo, record.HostShare{Others: 1, Parallel: 4})
	now = now.Add(time.Minute)
	if _, ok := g.Try(now); !ok {
		t.Fatal("it is not asked")
	}
	g.Done(now, &fetch.Answer{Outcome: page.Answered, Status: 503, RetryAfter: 40 * time.Second})
	joined, _ := one.Uses()
	if len(joined) != 1 || !joined[0].Asked.Equal(now.Add(40*time.Second)) {
		t.Fatalf("to be told is %+v", joined)
	}
	one.Shared(joined, nil, nil, now)
	if again, _ := one.Uses(); len(again) > 0 {
		t.Errorf("it is told again: %+v", again)
	}
	two, h, then := told(t, tempo, record.HostShare{Others: 1, Parallel: 4})
	then = then.Add(time.Minute)
	share := record.HostShare{Host: "fernhollow.example", Others: 1, Parallel: 4, Wait: 40 * time.Second}
	two.Shared(nil, nil, []record.HostShare{share}, then)
	if n := begun(h, then, 39*time.Second, time.Millisecond); n > 0 {
		t.Errorf("the other asks it %d times meanwhile", n)
	}
	if n := begun(h, then.Add(40*time.Second), 10*time.Second, time.Millisecond); n < 20 {
		t.Errorf("afterwards it asks it %d times", n)
	}
	if told, _ := two.Uses(); len(told) > 0 {
		t.Errorf("the other tells it on: %+v", told)
	}
}

// TestTurns: of two workers that take turns one may begin at any time, and never both; each has its turn.
func TestTurns(t *testing.T) {
	_, a, now := told(t, Tempo{Parallel: 1}, record.HostShare{Others: 1, Before: 0, Parallel: 3})
	_, b, _ := told(t, Tempo{Parallel: 3}, record.HostShare{Others: 1, Before: 1, Parallel: 1})
	had := [2]int{}
	for at := now; at.Before(now.Add(20 * time.Second)); at = at.Add(50 * time.Millisecond) {
		first, second := a.isTurn(at), b.isTurn(at)
		if first && second {
			t.Fatalf("both may begin at %v", at)
		}
		if first {
			had[0]++
		}
		if second {
			had[1]++
		}
	}
	if had[0] < 150 || had[1] < 150 {
		t.Errorf("they had %v turns of 400", had)
	}
}

// TestUses: what is asked otherwise is told again, and what is asked no more is told.
func TestUses(t *testing.T) {
	p, g, now := told(t, Tempo{Parallel: 4}, record.HostShare{Others: 1, Parallel: 4})
	g.Join("crawl", Tempo{Parallel: 2, Gap: time.Second})
	joined, left := p.Uses()
	if len(joined) != 1 || joined[0].Parallel != 2 || joined[0].Gap != time.Second || len(left) > 0 {
		t.Errorf("to be told are %+v and %v", joined, left)
	}
	p.Shared(joined, left, nil, now)
	if s := g.State(now); s.Parallel != 2 || s.Gap != 1 {
		t.Errorf("once the others are gone, the pace is %+v", s)
	}
	p.Leave("crawl")
	if joined, left = p.Uses(); len(joined) > 0 || len(left) != 1 {
		t.Errorf("when nobody asks any more, to be told are %+v and %v", joined, left)
	}
}
