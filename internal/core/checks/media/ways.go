package media

import (
	"maps"
	"slices"

	"harvik/internal/core/check"
	"harvik/internal/core/css"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

// A way is how a page comes to load something, and whether the page shows it.
type way struct {
	survey.Loading
	line    int        // of the carrier, 0 where that is not known
	applies css.Answer // whether the rule that names it is for the page; Yes for all but images
}

// eachWay calls f for each page with status 200 that loads something wanted with the way that shows it most surely, in
// order of page. Only ways by stylesheets are held, which are few.
func eachWay(p *check.SitePass, wanted func(int32) bool, f func(way)) error {
	p.PageByPage()
	styled, err := styledWays(p, wanted)
	if err != nil {
		return err
	}
	told := int32(-1) // the last page whose ways by stylesheets were
	p.Loadings(wanted, func(l survey.Loading) {
		switch {
		case p.Page(l.Page).Status != 200:
		case l.Carrier < 0:
			f(way{Loading: l, applies: css.Yes})
		case told != l.Page:
			told = l.Page
			for _, w := range styled[l.Page] {
				f(w)
			}
		}
	})
	return nil
}

// styledWays are the surest ways by stylesheets to each target, by page.
func styledWays(p *check.SitePass, wanted func(int32) bool) (map[int32][]way, error) {
	ways := map[int32][]way{}
	var pages []int32
	sheets := map[int32]bool{}
	p.Loadings(wanted, func(l survey.Loading) {
		if l.Carrier < 0 || p.Page(l.Page).Status != 200 {
			return
		}
		if ways[l.Page] == nil {
			pages = append(pages, l.Page)
		}
		ways[l.Page] = append(ways[l.Page], way{Loading: l, applies: css.Yes})
		sheets[l.Carrier] = true
		for _, above := range l.Chain {
			sheets[above] = true
		}
	})
	named, err := namings(p, sheets)
	if err != nil {
		return nil, err
	}
	if err := apply(p, ways, pages, named); err != nil {
		return nil, err
	}
	for id := range ways {
		ways[id] = surest(ways[id])
	}
	return ways, nil
}

// A naming is a stylesheet and what it names.
type naming struct{ sheet, target int32 }

func namings(p *check.SitePass, sheets map[int32]bool) (map[naming]page.Use, error) {
	named := map[naming]page.Use{}
	err := p.Source.EachFacts(slices.Sorted(maps.Keys(sheets)), func(id int32, facts *page.Facts) {
		for _, u := range facts.Uses {
			if t, ok := p.Find(u.Address); ok {
				named[naming{id, t}] = u
			}
		}
	})
	return named, err
}

// apply holds the rules that name images against the pages that load their stylesheets.
func apply(p *check.SitePass, ways map[int32][]way, pages []int32, named map[naming]page.Use) error {
	var asked []int32
	for _, id := range pages {
		for i := range ways[id] {
			w := &ways[id][i]
			w.line = named[naming{w.Carrier, w.Target}].Line
			if p.IsPicture(w.Target) {
				asked = append(asked, id)
			}
		}
	}
	asked = slices.Compact(asked)
	return p.Source.EachSkeleton(asked, func(id int32, s page.Skeleton) {
		outline := new(css.Outline) // nothing is known of it
		if o, err := css.Unpack(s.Outline); err == nil {
			outline = o
		}
		for i := range ways[id] {
			if w := &ways[id][i]; p.IsPicture(w.Target) {
				w.applies = answer(w, outline, named)
			}
		}
	})
}

// answer is sure only where everything on the way is: the rule, the stylesheets that import its own, and the page's
// link to the first.
func answer(w *way, outline *css.Outline, named map[naming]page.Use) css.Answer {
	use := named[naming{w.Carrier, w.Target}]
	a := outline.Applies(use.Rules, use.Under)
	for i, sheet := range w.Chain {
		next := w.Carrier
		if i+1 < len(w.Chain) {
			next = w.Chain[i+1]
		}
		if named[naming{sheet, next}].Under != "" {
			a = min(a, css.Perhaps)
		}
	}
	if w.Sometimes {
		a = min(a, css.Perhaps)
	}
	return a
}

// surest are the best ways to each target, in the order of the first way to it.
func surest(ways []way) (out []way) {
	at := map[int32]int{}
	for _, w := range ways {
		i, met := at[w.Target]
		switch {
		case !met:
			at[w.Target] = len(out)
			out = append(out, w)
		case w.applies > out[i].applies:
			out[i] = w
		}
	}
	return out
}
