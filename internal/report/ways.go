package report

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"harvik/internal/core/page"
	"harvik/internal/core/text"
	"harvik/internal/record"
)

// Bounds of how links into pages are summed up.
const (
	waysShown = 20        // of a page
	waysKept  = 200       // likewise, while links are counted
	waysInAll = 1_000_000 // of all pages
)

// A way is how pages link to a page: in the same words, in the same part of the page, followed or not.
type way struct {
	wayKey
	links int
	from  string // the first page that links so, by address
	place string // on it
}

type wayKey struct {
	to       int32
	words    string
	region   string
	noFollow bool
}

// linked is a page that links lead to.
type linked struct {
	address string
	ways    []*way
	more    int // links in ways beyond what is kept
}

// ways sums up links.
type ways struct {
	known map[wayKey]*way
	pages map[int32]*linked
	texts map[string]string // each once
}

func newWays() *ways { return &ways{map[wayKey]*way{}, map[int32]*linked{}, map[string]string{}} }

// add counts a link.
func (s *ways) add(to int32, l *record.LinkRow) {
	p := s.pages[to]
	if p == nil {
		p = &linked{address: l.To}
		s.pages[to] = p
	}
	key := wayKey{to, l.Words, l.Region, l.NoFollow}
	w := s.known[key]
	switch {
	case w == nil && (len(p.ways) >= waysKept || len(s.known) >= waysInAll):
		p.more++
		return
	case w == nil:
		key.words, key.region = s.once(l.Words), s.once(l.Region)
		w = &way{wayKey: key, from: l.From, place: s.once(l.Place)}
		s.known[key] = w
		p.ways = append(p.ways, w)
	case l.From < w.from:
		w.from, w.place = l.From, s.once(l.Place)
	}
	w.links++
}

func (s *ways) once(t string) string {
	kept, ok := s.texts[t]
	if !ok {
		kept = strings.Clone(t)
		s.texts[kept] = kept
	}
	return kept
}

// each calls f with the rows of each page, in the order in which the crawl met them: the ways from texts before those
// from navigation, the commonest first. What is not shown is the last row.
func (s *ways) each(f func([]any) error) error {
	for _, to := range slices.Sorted(maps.Keys(s.pages)) {
		p := s.pages[to]
		slices.SortFunc(p.ways, func(a, b *way) int {
			return cmp.Or(cmp.Compare(inText(b), inText(a)), cmp.Compare(b.links, a.links),
				strings.Compare(a.words, b.words), strings.Compare(a.region, b.region), strings.Compare(a.from, b.from))
		})
		more, others := p.more, 0
		for i, w := range p.ways {
			if i >= waysShown {
				more += w.links
				others++
				continue
			}
			if err := f([]any{p.address, w.words, w.region, w.noFollow, w.links, w.from, w.place}); err != nil {
				return err
			}
		}
		if more == 0 {
			continue
		}
		rest := "… in other ways"
		if p.more == 0 {
			rest = "… in " + text.Count(others, "other way", "other ways")
		}
		if err := f([]any{p.address, rest, nil, nil, more, nil, nil}); err != nil {
			return err
		}
	}
	return nil
}

func inText(w *way) int {
	if w.region == page.Content.String() {
		return 1
	}
	return 0
}
