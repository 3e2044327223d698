package render

import (
	"cmp"
	"context"
	"slices"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/cdp/jsonv2"
	"github.com/chromedp/cdproto/css"
	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/cdproto/profiler"

	"harvik/internal/core/rendered"
	"harvik/internal/core/weburl"
)

// mostSheets bounds the stylesheets of a page that are watched.
const mostSheets = 500

// A sheet is a stylesheet that the page loads.
type sheet struct {
	address string
	length  float64 // characters
}

// tracks are the steps by which the browser begins to watch what of its scripts and styles a page uses.
func (p *seeing) tracks(ctx context.Context) []func() error {
	no := false
	return []func() error{
		func() error { return do(ctx, p.tab.session, dom.Enable, dom.EnableParams{}) },
		func() error { return do(ctx, p.tab.session, css.Enable, cdp.Empty{}) },
		func() error { return do(ctx, p.tab.session, css.StartRuleUsageTracking, cdp.Empty{}) },
		func() error { return do(ctx, p.tab.session, profiler.Enable, cdp.Empty{}) },
		func() error {
			return do(ctx, p.tab.session, profiler.StartPreciseCoverage, profiler.StartPreciseCoverageParams{
				CallCount: &no, Detailed: &no})
		},
	}
}

// sheet takes up a stylesheet that has come.
func (p *seeing) sheet(params jsonv2.Value) {
	var e css.EventStyleSheetAdded
	if jsonv2.Unmarshal(params, &e) != nil || e.Header == nil || e.Header.IsInline || e.Header.SourceURL == "" {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if len(p.sheets) < mostSheets {
		p.sheets[e.Header.StyleSheetID] = sheet{e.Header.SourceURL, e.Header.Length}
	}
}

// unused tells which scripts and stylesheets were loaded for more than the page uses. Where the browser does not tell,
// nothing is told.
func (p *seeing) unused(ctx context.Context) {
	share := map[string]float64{} // of a file that is not used, by address
	kinds := map[string]string{}
	note := func(address, kind string, used, length float64) {
		u, err := weburl.Parse(address)
		if err != nil || length <= 0 {
			return
		}
		one := max(0, 1-used/length)
		if old, ok := share[u.Key()]; !ok || one < old {
			share[u.Key()], kinds[u.Key()] = one, kind
		}
	}
	if got, err := cdp.Call(ctx, p.tab.session, profiler.TakePreciseCoverage, cdp.Empty{}); err == nil {
		for _, s := range got.Result {
			used, length := covered(s.Functions)
			note(s.URL, rendered.Script, used, length)
		}
	}
	if got, err := cdp.Call(ctx, p.tab.session, css.StopRuleUsageTracking, cdp.Empty{}); err == nil {
		used := map[cdp.StyleSheetID]float64{}
		for _, r := range got.RuleUsage {
			if r.Used {
				used[r.StyleSheetID] += r.EndOffset - r.StartOffset
			}
		}
		p.mu.Lock()
		for id, s := range p.sheets {
			note(s.address, rendered.Style, used[id], s.length)
		}
		p.mu.Unlock()
	}
	p.visit.mu.Lock()
	defer p.visit.mu.Unlock()
	for address, part := range share {
		bytes := p.visit.bytes[address]
		if spare := int(float64(bytes) * part); spare >= rendered.LeastSpare && part >= rendered.LeastPart {
			p.out.Unused = append(p.out.Unused,
				rendered.Unused{Address: address, Kind: kinds[address], Bytes: bytes, Spare: spare})
		}
	}
	p.out.Unused = most(p.out.Unused, func(u *rendered.Unused) (float64, string) { return float64(u.Spare), u.Address })
}

// covered is how much of a script has run, and how long it is, in characters. Functions lie within each other, and of
// each character the innermost decides; the first is the whole script.
func covered(functions []*profiler.FunctionCoverage) (used, length float64) {
	var all []*profiler.CoverageRange
	for _, f := range functions {
		all = append(all, f.Ranges...)
	}
	slices.SortStableFunc(all, func(a, b *profiler.CoverageRange) int {
		return cmp.Or(cmp.Compare(a.StartOffset, b.StartOffset), cmp.Compare(b.EndOffset, a.EndOffset))
	})
	var within []*profiler.CoverageRange // the innermost last
	at := int64(0)
	upTo := func(to int64) {
		if n := len(within); n > 0 && within[n-1].Count > 0 && to > at {
			used += float64(to - at)
		}
		at = max(at, to)
	}
	leave := func(before int64) {
		for n := len(within); n > 0 && within[n-1].EndOffset <= before; n = len(within) {
			upTo(within[n-1].EndOffset)
			within = within[:n-1]
		}
	}
	for _, r := range all {
		leave(r.StartOffset)
		upTo(r.StartOffset)
		within = append(within, r)
		length = max(length, float64(r.EndOffset))
	}
	leave(1 << 62)
	return used, length
}
