// Package fixlist gathers findings into causes and ranks them: what to change first.
package fixlist

import (
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
)

// A Collector takes findings in and keeps only what causes and health need: a few dozen
// bytes for each check and page. Not safe for concurrent use.
type Collector struct {
	checks   []*check.Check
	index    map[*check.Check]int32
	entries  []entry
	causes   []cause // by target or value
	byKey    map[causeKey]int32
	spots    []string // places on a page, words of links and carriers, interned
	bySpot   map[string]int32
	findings int
}

// entry is a check failing on a page, at places of one cause.
type entry struct {
	check   int32
	page    int32 // address number, −1 for the site
	places  int32
	cause   int32 // index in causes; −1 where only the place is known
	spot    int32 // index in spots
	words   int32 // of a link; likewise
	carrier int32 // the file that names what is wrong; likewise, −1 where the page itself does
	region  page.Region
}

type causeKey struct {
	check int32
	key   string
}

// cause is what a target or value cause is about.
type cause struct {
	key           string
	target, value string
	away          bool     // a target that does not answer with a page or file
	repairs       []repair // of such a target
}

// NewCollector works with a catalogue.
func NewCollector(checks []*check.Check) *Collector {
	c := &Collector{
		checks: checks, index: map[*check.Check]int32{},
		byKey: map[causeKey]int32{}, bySpot: map[string]int32{},
	}
	for i, ch := range checks {
		c.index[ch] = int32(i)
	}
	return c
}

// Findings is the number of places collected.
func (c *Collector) Findings() int { return c.findings }

// Add takes one finding in. Each page and check comes at most once.
func (c *Collector) Add(f check.Finding) {
	at := c.index[f.Check]
	type same struct{ cause, spot, words int32 }
	known := map[same]int{}
	for _, p := range f.Places {
		e := entry{
			check: at, page: f.Page, places: 1, cause: c.causeOf(at, f.Check, p),
			spot: c.intern(spotOf(p.At)), words: c.intern(p.Words), carrier: -1, region: p.Region,
		}
		if p.Carrier != "" {
			e.carrier = c.intern(p.Carrier)
		}
		c.findings++
		k := same{e.cause, e.spot, e.words}
		if e.cause >= 0 { // the place of the first stays
			k = same{cause: e.cause}
		}
		if i, ok := known[k]; ok {
			c.entries[i].places++
			continue
		}
		known[k] = len(c.entries)
		c.entries = append(c.entries, e)
	}
	if f.More > 0 && len(known) > 0 {
		c.entries[len(c.entries)-1].places += int32(f.More)
		c.findings += f.More
	}
}

func (c *Collector) causeOf(at int32, ch *check.Check, p check.Place) int32 {
	key := p.Group
	switch {
	case ch.Gather == check.ByPlace || ch.Gather == check.Alone:
		return -1
	case key == "" && ch.Gather == check.ByTarget:
		key = p.Target
	case key == "":
		key = p.Value
	}
	k := causeKey{at, key}
	i, ok := c.byKey[k]
	if !ok {
		i = int32(len(c.causes))
		c.byKey[k] = i
		c.causes = append(c.causes, cause{key: key, target: p.Target, value: p.Value})
	}
	// Findings arrive in any order: let the smallest stand for all.
	have := &c.causes[i]
	if p.Target < have.target {
		have.target = p.Target
	}
	if p.Value < have.value {
		have.value = p.Value
	}
	return i
}

// spotOf is a place on a page without its numbers: "main > p 3" and "main > p 7" are the same place of
// a layout.
func spotOf(at string) string {
	var b strings.Builder
	for part := range strings.SplitSeq(at, " > ") {
		if b.Len() > 0 {
			b.WriteString(" > ")
		}
		name, _, _ := strings.Cut(part, " ")
		b.WriteString(name)
	}
	return b.String()
}

func (c *Collector) intern(s string) int32 {
	i, ok := c.bySpot[s]
	if !ok {
		i = int32(len(c.spots))
		c.bySpot[s] = i
		c.spots = append(c.spots, s)
	}
	return i
}
