package query

import "harvik/internal/core/rendered"

// OfRendering is what a browser made of a page says of itself, by the name of the fact; nil where that is not known.
func OfRendering(fact string, p *rendered.Page) any { return renderingFacts[fact](p) }

// renderingFacts are what renderings say themselves.
var renderingFacts = map[string]func(*rendered.Page) any{
	"device":       func(p *rendered.Page) any { return p.Device },
	"outcome":      func(p *rendered.Page) any { return string(p.Outcome) },
	"done":         func(p *rendered.Page) any { return p.Done },
	"took":         func(p *rendered.Page) any { return p.Took },
	"firstByte":    measured(func(p *rendered.Page) float64 { return p.Speed.FirstByte }),
	"firstPaint":   measured(func(p *rendered.Page) float64 { return p.Speed.FirstPaint }),
	"largestPaint": measured(func(p *rendered.Page) float64 { return p.Speed.LargestAt }),
	"largest":      func(p *rendered.Page) any { return p.Speed.Largest },
	"shift":        measured(func(p *rendered.Page) float64 { return p.Speed.Shift }),
	"blocked":      measured(func(p *rendered.Page) float64 { return p.Speed.Blocked }),
	"throttled":    func(p *rendered.Page) any { return p.Speed.Throttled },
	"requests":     func(p *rendered.Page) any { return p.Speed.Requests },
	"transferred":  func(p *rendered.Page) any { return p.Speed.Transferred },
	"kept":         counted(func(p *rendered.Page) int { return p.Speed.Kept }),
	"unused":       counted((*rendered.Page).Spare),
	"tap": func(p *rendered.Page) any {
		slowest := 0.0
		for i := range p.Taps {
			slowest = max(slowest, p.Taps[i].Took)
		}
		if slowest == 0 {
			return nil
		}
		return slowest
	},
	"hiddenWords":   counted(func(p *rendered.Page) int { return p.Hidden }),
	"words":         counted(func(p *rendered.Page) int { return p.Words }),
	"sourceWords":   counted(func(p *rendered.Page) int { return p.Source }),
	"scriptedLinks": func(p *rendered.Page) any { return p.Links },
	"errors":        func(p *rendered.Page) any { return len(p.Console) },
	"missing":       func(p *rendered.Page) any { return len(p.Missing) },
	"content":       counted(func(p *rendered.Page) int { return p.Fit.Content }),
	"smallTargets":  func(p *rendered.Page) any { return len(p.Fit.Small) + p.Fit.SmallMore },
	"covers":        func(p *rendered.Page) any { return p.Covers },
	"differs":       func(p *rendered.Page) any { return p.Changed() },
	"hosts": func(p *rendered.Page) any {
		out := []string{}
		for _, h := range p.Hosts {
			out = append(out, h.Name)
		}
		return out
	},
}

// measured is a measure of what there is to read, nil where the browser does not tell it.
func measured(of func(*rendered.Page) float64) func(*rendered.Page) any {
	return func(p *rendered.Page) any {
		if v := of(p); p.Found() && v >= 0 {
			return v
		}
		return nil
	}
}

// counted is a number of what there is to read.
func counted(of func(*rendered.Page) int) func(*rendered.Page) any {
	return func(p *rendered.Page) any {
		if p.Found() {
			return of(p)
		}
		return nil
	}
}
