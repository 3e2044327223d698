package rendered

import (
	"cmp"
	"slices"
	"strings"
)

// Median is the speed of a page that was loaded several times: of each measure the median, with the elements of the
// load that it is from. It needs one load at least; of an even number of loads the lower median counts.
func Median(loads []Speed) Speed {
	of := func(measure func(*Speed) float64) *Speed {
		order := make([]*Speed, len(loads))
		for i := range loads {
			order[i] = &loads[i]
		}
		slices.SortStableFunc(order, func(a, b *Speed) int { return cmp.Compare(measure(a), measure(b)) })
		return order[(len(order)-1)/2]
	}
	largest := of(func(s *Speed) float64 { return s.LargestAt })
	out := *largest
	out.Runs = len(loads)
	out.FirstByte = of(func(s *Speed) float64 { return s.FirstByte }).FirstByte
	out.FirstPaint = of(func(s *Speed) float64 { return s.FirstPaint }).FirstPaint
	out.Loaded = of(func(s *Speed) float64 { return s.Loaded }).Loaded
	shift := of(func(s *Speed) float64 { return s.Shift })
	out.Shift, out.Shifts = shift.Shift, shift.Shifts
	blocked := of(func(s *Speed) float64 { return s.Blocked })
	out.Blocked, out.Tasks = blocked.Blocked, blocked.Tasks
	return out
}

// Hide puts into a page what its device, a phone, does not show of the texts that a desktop shows. What neither shows
// without doing something, as folded parts are, is in neither list; texts of fewer words than a sentence has are let
// be.
func (p *Page) Hide(phone, desktop []string) {
	p.Hides, p.Hidden = nil, 0
	shown := plain(strings.Join(phone, " "))
	for _, t := range desktop {
		words := len(strings.Fields(t))
		if words < leastSentence || strings.Contains(shown, plain(t)) {
			continue
		}
		p.Hidden += words
		if len(p.Hides) < MostKept {
			p.Hides = append(p.Hides, Short(plain(t)))
		}
	}
}

// leastSentence is how many words a text has that is missed.
const leastSentence = 5
