package alert

import (
	"slices"
	"strings"
	"time"
)

// A Told is something that is worth telling, as a rule has it.
type Told struct {
	Subject string   // what is told once, or lasts: "crawl 12", the name of a watch
	Says    string   // in a sentence
	Lines   []string // what it is about, at most mostLines
	More    int      // lines that are left out
	Count   int      // pages, points, days: what the threshold is of
	First   string   // the first thing to do
	Link    string   // the place of the console that shows exactly that, from the site's on
	Fixes   []string // lines of the fix list that it is about
	Since   time.Time
	Urgent  bool
}

// mostLines is how many lines a message has of one thing: it is to be one screen.
const mostLines = 8

func (t *Told) line(text string) {
	if len(t.Lines) == mostLines {
		t.More++
		return
	}
	t.Lines = append(t.Lines, text)
}

// An Open is something that was told, and lasts.
type Open struct {
	Subject string
	Count   int
	Fixes   []string
	Began   time.Time
}

// An Over is something that lasted, and is over.
type Over struct {
	Subject string
	Says    string
}

// A Verdict is what a rule makes of how things are: what is to be told that was not, and what is over.
type Verdict struct {
	Told []Told
	Over []Over
}

// lasting sorts what is so now from what was told before.
func lasting(now []Told, open []Open, over func(Open) string) (v Verdict) {
	is := map[string]bool{}
	was := map[string]bool{}
	for _, o := range open {
		was[o.Subject] = true
	}
	for _, t := range now {
		is[t.Subject] = true
		if !was[t.Subject] {
			v.Told = append(v.Told, t)
		}
	}
	for _, o := range open {
		if !is[o.Subject] {
			v.Over = append(v.Over, Over{o.Subject, over(o)})
		}
	}
	return v
}

// leaders are the kinds with which a fall of health that the same crawl brought is told, what most often explains it
// first.
var leaders = []string{Closed, Shut, NewFindings, FixReturned, Vanished, Moved, Retitled}

// Leads tells in which place a fall of health is told with what is told of a kind, the lowest first: before all where
// that names what took most of it. It is not told with what gives -1.
func (t *Told) Leads(kind string, fall *Told) int {
	at := slices.Index(leaders, kind)
	if at < 0 {
		return -1
	}
	if len(fall.Lines) > 0 {
		if _, cause, _ := strings.Cut(fall.Lines[0], ": "); slices.Contains(t.Lines, cause) || t.Says == cause {
			return at
		}
	}
	return at + len(leaders)
}

// Join takes a fall of health that the same crawl brought into what is told: one event, one message, in which nothing
// is said twice.
func (t *Told) Join(fall Told) {
	t.Says += "; " + strings.Replace(fall.Says, "Health", "health", 1)
	t.More += fall.More
	for _, line := range fall.Lines {
		if _, cause, _ := strings.Cut(line, ": "); !slices.Contains(t.Lines, cause) {
			t.line(line)
		}
	}
}
