// Package weight holds the checks of speed and size.
package weight

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

const (
	group  = "weight"
	source = "search engines' public guidance on page speed"
)

// Suite is the group's checks.
var Suite = []*check.Check{
	{
		ID: "response-slow", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Days,
		Title: "server takes long to begin its answer", Line: "Slow first byte",
		What:   "The time from the request to the first byte of the answer is over the threshold, and not over that of response-very-slow. Where half of all pages are that slow, it is said once for the site.",
		Why:    "Nothing can be shown before the first byte; everything else comes on top.",
		How:    "Keep finished pages in a cache, look for slow queries, and serve visitors from near to them.",
		Source: source, Limits: []string{"first-byte"}, Site: slow,
	},
	{
		ID: "response-very-slow", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Days,
		Title: "server takes very long to begin its answer", Line: "Very slow first byte",
		What:   "The time from the request to the first byte of the answer is over the threshold.",
		Why:    "Most visitors are gone by then, and search engines slow down for the whole site.",
		How:    "Keep finished pages in a cache, and look for slow queries and outside services that the server waits for.",
		Source: source, Limits: []string{"first-byte-very"}, Site: verySlow,
	},
	{
		ID: "html-heavy", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Hours,
		Title: "HTML is heavy", Line: "Heavy HTML",
		What:   "The HTML, unpacked, has more bytes than the threshold, and not more than that of html-very-heavy.",
		Why:    "It takes long to load and to lay out.",
		How:    "Take out what is not needed at once: repeated menus, data inside scripts, inline images and styles.",
		Source: source, Limits: []string{"html-bytes"}, Page: htmlHeavy,
	},
	{
		ID: "html-very-heavy", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Hours,
		Title: "HTML is very heavy", Line: "Very heavy HTML",
		What:   "The HTML, unpacked, has more bytes than the threshold.",
		Why:    "It takes very long to load, and search engines may read only its beginning.",
		How:    "Divide the page, and move data, images and styles out of it.",
		Source: source, Limits: []string{"html-very-bytes"}, Page: htmlVeryHeavy,
	},
	{
		ID: "page-heavy", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "page is heavy with all it loads", Line: "Page is heavy with all it loads",
		What:   "The page and its images, stylesheets, scripts, fonts and media have more bytes together than the threshold.",
		Why:    "On a telephone that takes long, and for some it costs money.",
		How:    "Begin with the heaviest, which the evidence names.",
		Source: source, Limits: []string{"page-bytes"}, Site: pageHeavy,
	},
	{
		ID: "page-many-requests", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Days,
		Title: "page loads very many files", Line: "Page loads very many files",
		What:   "The page loads more files than the threshold.",
		Why:    "Each has to be asked for, and the page is complete only with the last.",
		How:    "Leave out what is not used, join small files, and load images when they come into sight.",
		Source: source, Limits: []string{"page-requests"}, Site: manyRequests,
	},
	{
		ID: "text-uncompressed", OneChange: true, Group: group, Severity: check.Warning, Scope: check.WholeSite,
		Gather: check.ByValue, Effort: check.Minutes,
		Title: "text is sent uncompressed", Line: "Text is sent uncompressed",
		What:   "HTML, a stylesheet, script, SVG or JSON file is sent without content coding although the crawl accepts it.",
		Why:    "Compressed, text is a fourth to a fifth of the size.",
		How:    "Switch gzip or Brotli on in the server for all text types.",
		Source: "RFC 9110, 8.4 (content coding)", Limits: []string{"compress-bytes"}, Site: uncompressed,
	},
	{
		ID: "cache-missing", OneChange: true, Group: group, Severity: check.Notice, Scope: check.WholeSite,
		Gather: check.ByValue, Effort: check.Minutes,
		Title: "file cannot be cached", Line: "Files that pages load cannot be cached",
		What:   "An image, stylesheet, script or font has no Cache-Control, Expires, ETag or Last-Modified header that would let browsers keep it.",
		Why:    "Visitors load the same file again on every page.",
		How:    "Send Cache-Control with a long max-age for files whose address changes when they do, and a validator for others.",
		Source: "RFC 9111 (HTTP caching)", Site: uncached,
	},
	{
		ID: "cache-short", OneChange: true, Group: group, Severity: check.Notice, Scope: check.WholeSite,
		Gather: check.ByValue, Effort: check.Minutes,
		Title:  "versioned file is kept for less than a day",
		Line:   "Files with a version in their address are kept for less than a day",
		What:   "A stylesheet, script, image or font has a version or a hash in its address, and its Cache-Control or Expires header lets browsers keep it for less than a day.",
		Why:    "Such a file never changes under its address, and visitors ask for it again all the same.",
		How:    "Send Cache-Control: max-age=31536000, immutable for them.",
		Source: "RFC 9111, 5.2.2.1 (max-age); RFC 8246 (immutable)", Site: keptShortly,
	},
	{
		ID: "script-blocking", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Hours,
		Title: "scripts hold up the page", Line: "Scripts in the head hold up the page",
		What:   "A script in the head is neither async nor deferred, so nothing is shown before it has been fetched and run.",
		Why:    "On a telephone each such script is a part of a second of empty screen.",
		How:    "Add defer, or async where the order makes no difference; or move the script to the end of the body.",
		Source: "HTML standard, 4.12.1 (the script element); search engines' public guidance on page speed",
		Page:   blocking,
	},
	minified("script-unminified", "script is not minified", page.AsScript),
	minified("style-unminified", "stylesheet is not minified", page.AsStyle),
	{
		ID: "script-inline-heavy", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Hours,
		Title: "much script inside the page", Line: "Much script inside the page",
		What:   "Scripts inside the HTML have more bytes than the threshold, or make up more than half of it.",
		Why:    "They are loaded anew with every page and can be cached with none.",
		How:    "Move them into a file.",
		Source: source, Limits: []string{"inline-script-bytes"}, Page: inlineScript,
	},
	{
		ID: "style-inline-heavy", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Hours,
		Title: "much style inside the page", Line: "Many styles inside the page",
		What:   "Style elements and attributes have more bytes than the threshold, or there are more style attributes than the threshold allows.",
		Why:    "They are loaded anew with every page, and are hard to change in one place.",
		How:    "Move them into a stylesheet; only what the first view needs may stay.",
		Source: source, Limits: []string{"inline-style-bytes", "style-attributes"}, Page: inlineStyle,
	},
	{
		ID: "dom-large", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Hours,
		Title: "document has very many elements", Line: "Very many elements",
		What:   "The document has more elements, is deeper, or has an element with more children than the thresholds allow.",
		Why:    "Every change of the page makes the browser look at all of them; telephones become slow.",
		How:    "Leave wrappers out, divide long lists, and load what is below when it is asked for.",
		Source: source, Limits: []string{"dom-elements", "dom-depth", "dom-children"}, Page: domLarge,
	},
}

// judged are the pages whose first byte was waited for.
func judged(p *check.SitePass) (out []*survey.Page) {
	for i := range p.Pages {
		if g := &p.Pages[i]; g.HTML && g.Status == 200 {
			out = append(out, g)
		}
	}
	return out
}

// wholeSite is how many pages a site has to have before its slowness is said once.
const wholeSite = 4

func slow(p *check.SitePass) error {
	pages := judged(p)
	over := func(g *survey.Page) bool {
		return g.FirstByte > p.Limits.FirstByte && g.FirstByte <= p.Limits.FirstByteVery
	}
	n := 0
	var times []int
	for _, g := range pages {
		times = append(times, g.FirstByte)
		if g.FirstByte > p.Limits.FirstByte {
			n++
		}
	}
	if 2*n >= len(pages) && len(pages) >= wholeSite {
		slices.Sort(times)
		median := times[len(times)/2]
		if median <= p.Limits.FirstByteVery {
			p.Report(-1, check.Place{Note: fmt.Sprintf("%d of %d pages, median %s", n, len(pages), seconds(median)),
				Value: fmt.Sprint(median)})
		}
		return nil
	}
	for _, g := range pages {
		if over(g) {
			p.Report(g.ID, check.Place{Note: seconds(g.FirstByte) + " to the first byte",
				Value: fmt.Sprint(g.FirstByte)})
		}
	}
	return nil
}

func seconds(ms int) string { return fmt.Sprintf("%.1f s", float64(ms)/1000) }

func verySlow(p *check.SitePass) error {
	for _, g := range judged(p) {
		if g.FirstByte > p.Limits.FirstByteVery {
			p.Report(g.ID, check.Place{Note: seconds(g.FirstByte) + " to the first byte",
				Value: fmt.Sprint(g.FirstByte)})
		}
	}
	return nil
}

func htmlHeavy(p *check.PagePass) {
	if n := p.Facts.Bytes; n > p.Limits.HTMLBytes && n <= p.Limits.HTMLVeryBytes {
		p.Reportf(page.Pos{}, fmt.Sprint(n), "%s bytes of HTML", text.Thousands(n))
	}
}

func htmlVeryHeavy(p *check.PagePass) {
	if n := p.Facts.Bytes; n > p.Limits.HTMLVeryBytes {
		p.Reportf(page.Pos{}, fmt.Sprint(n), "%s bytes of HTML", text.Thousands(n))
	}
}

// loads adds up what each page loads: files, bytes, and the heaviest.
type loads struct {
	files, bytes, heaviest int
	most                   int32
}

func loaded(p *check.SitePass) map[int32]*loads {
	out := map[int32]*loads{}
	p.Users(func(t int32) bool {
		g := p.Got(t)
		return g != nil && g.Status == 200 && !p.Addresses[t].Role.OnlyAlive() && p.Addresses[t].Role != page.AsPage
	}, func(load survey.Loading) {
		t := load.Target
		l := out[load.Page]
		if l == nil {
			l = &loads{most: -1}
			out[load.Page] = l
		}
		n := p.Got(t).Bytes
		l.files++
		l.bytes += n
		if l.most < 0 || n > l.heaviest || n == l.heaviest && p.URL(t) < p.URL(l.most) {
			l.heaviest, l.most = n, t
		}
	})
	return out
}

func pageHeavy(p *check.SitePass) error {
	for id, l := range loaded(p) {
		g := p.Page(id)
		total := l.bytes + g.Bytes
		if g.Status != 200 || total <= p.Limits.PageBytes {
			continue
		}
		heaviest, size, name := l.most, l.heaviest, p.URL(l.most)
		if g.Bytes > size {
			heaviest, size, name = id, g.Bytes, "the HTML itself"
		}
		p.Report(id, check.Place{
			Note: fmt.Sprintf("%.1f MB with %d files; the heaviest, %s, has %s bytes", float64(total)/1e6, l.files,
				name, text.Thousands(size)),
			Target: p.URL(heaviest), Value: fmt.Sprint(total),
		})
	}
	return nil
}

func manyRequests(p *check.SitePass) error {
	for id, l := range loaded(p) {
		if g := p.Page(id); g.Status == 200 && l.files > p.Limits.PageRequests {
			p.Report(id, check.Place{Note: fmt.Sprintf("%d files, more than %d", l.files, p.Limits.PageRequests),
				Value: fmt.Sprint(l.files)})
		}
	}
	return nil
}

// uncompressed reports pages for their HTML, and for each text file that they load.
func uncompressed(p *check.SitePass) error {
	for _, g := range judged(p) {
		if g.Coding == "" && g.Bytes > p.Limits.CompressBytes && g.Outcome == page.Answered {
			note := fmt.Sprintf("%s bytes of HTML without content coding", text.Thousands(g.Bytes))
			p.Report(g.ID, check.Place{Note: note, Value: "text/html", Group: survey.Host(p.URL(g.ID))})
		}
	}
	p.Users(func(t int32) bool {
		g := p.Got(t)
		return g != nil && g.Status == 200 && g.Coding == "" && g.Bytes > p.Limits.CompressBytes && isText(g.Type) &&
			p.Inside(p.URL(t))
	}, func(l survey.Loading) {
		g := p.Got(l.Target)
		if p.Page(l.Page).Status == 200 {
			p.Report(l.Page, check.Place{
				Note:  fmt.Sprintf("%s: %s bytes without content coding", p.URL(l.Target), text.Thousands(g.Bytes)),
				Value: g.Type, Target: p.URL(l.Target), Group: survey.Host(p.URL(l.Target)),
			})
		}
	})
	return nil
}

func isText(mediaType string) bool {
	switch mediaType {
	case "text/css", "image/svg+xml", "application/json", "application/manifest+json", "application/xml":
		return true
	}
	return strings.Contains(mediaType, "javascript")
}

func uncached(p *check.SitePass) error {
	return kept(p, func(g *survey.Page) bool { return g.Flags&survey.Cacheable == 0 },
		"has no header that lets browsers keep it")
}

// kept reports files of the site that are kept in a wrong way, at each page that loads them; how a server
// has its files kept is one setting.
func kept(p *check.SitePass, wrongly func(*survey.Page) bool, how string) error {
	p.Users(func(t int32) bool {
		g := p.Got(t)
		if g == nil || g.Status != 200 || !p.Inside(p.URL(t)) {
			return false
		}
		switch p.Addresses[t].Role {
		case page.AsImage, page.AsStyle, page.AsScript, page.AsFont:
			return wrongly(g)
		}
		return false
	}, func(l survey.Loading) {
		if p.Page(l.Page).Status == 200 {
			p.Report(l.Page, check.Place{Note: p.URL(l.Target) + " " + how, Target: p.URL(l.Target),
				Group: survey.Host(p.URL(l.Target))})
		}
	})
	return nil
}

// versioned tells an address that changes when its file does.
var versioned = regexp.MustCompile(`[.-][0-9a-f]{8,40}\.(?:\w+\.)?\w+$|[?&](?:v|ver|version|rev|h|hash)=[\w.-]+`)

func keptShortly(p *check.SitePass) error {
	return kept(p, func(g *survey.Page) bool {
		return g.Flags&survey.ShortLived != 0 && versioned.MatchString(p.URL(g.ID))
	}, "may be kept for less than a day")
}

func blocking(p *check.PagePass) {
	for _, s := range p.Doc.Scripts {
		if s.Blocking {
			p.Report(check.Place{Note: check.Short(s.Address) + " is neither async nor deferred", Target: s.Address})
		}
	}
}

// minified makes a check of files that minifying would make smaller.
func minified(id, title string, role page.Role) *check.Check {
	return &check.Check{
		ID: id, Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  title, Line: "{target} is not minified",
		What:   "A file of the site is larger than the threshold, and comments and white space make up much of it.",
		Why:    "Visitors load what only its authors need.",
		How:    "Let the build minify it; the source stays readable.",
		Source: source, Limits: []string{"minify-bytes", "minify-percent"},
		Site: func(p *check.SitePass) error {
			var ids []int32
			for i := range p.Loaded {
				if g := &p.Loaded[i]; p.Addresses[g.ID].Role == role && g.Status == 200 &&
					g.Bytes > p.Limits.MinifyBytes && p.Inside(p.URL(g.ID)) {
					ids = append(ids, g.ID)
				}
			}
			spare := map[int32]int{}
			err := p.Source.EachFacts(ids, func(id int32, f *page.Facts) {
				if f.Spare*100 >= p.Limits.MinifyPercent*f.Bytes {
					spare[id] = f.Spare
				}
			})
			p.Users(func(t int32) bool { return spare[t] > 0 }, func(l survey.Loading) {
				if t := l.Target; p.Page(l.Page).Status == 200 {
					n := p.Got(t).Bytes
					p.Report(l.Page, check.Place{
						Note: fmt.Sprintf("%s: about %s of %s bytes would go (%d %%)", p.URL(t),
							text.Thousands(spare[t]), text.Thousands(n), 100*spare[t]/n), Target: p.URL(t),
					})
				}
			})
			return err
		},
	}
}

func inlineScript(p *check.PagePass) {
	n, all := p.Doc.Shape.Scripts, p.Facts.Bytes
	switch {
	case n > p.Limits.InlineScriptBytes:
		p.Reportf(page.Pos{}, fmt.Sprint(n), "%s bytes of script inside the page", text.Thousands(n))
	case 2*n > all && n > 1000:
		p.Reportf(page.Pos{}, fmt.Sprint(n), "%s of %s bytes are script inside the page", text.Thousands(n),
			text.Thousands(all))
	}
}

func inlineStyle(p *check.PagePass) {
	s := &p.Doc.Shape
	switch {
	case s.Styles > p.Limits.InlineStyleBytes:
		p.Reportf(page.Pos{}, fmt.Sprint(s.Styles), "%s bytes of styles inside the page", text.Thousands(s.Styles))
	case s.StyleAttrs > p.Limits.StyleAttributes:
		p.Reportf(page.Pos{}, fmt.Sprint(s.StyleAttrs), "%d style attributes", s.StyleAttrs)
	}
}

// isList tells elements that rightly have many children: lists, tables, the head, listings of code.
func isList(parent string) bool {
	name, class, _ := strings.Cut(parent, ".")
	switch name {
	case "head", "table", "tbody", "thead", "tr", "ul", "ol", "dl", "select", "datalist", "pre", "code", "svg", "g",
		"menu":
		return true
	}
	return class == "fragment" || class == "highlight" || class == "programlisting"
}

func domLarge(p *check.PagePass) {
	s := &p.Doc.Shape
	var why []string
	if s.Elements > p.Limits.DOMElements {
		why = append(why, text.Thousands(s.Elements)+" elements")
	}
	if s.Depth > p.Limits.DOMDepth {
		why = append(why, fmt.Sprintf("%d deep", s.Depth))
	}
	if s.Children > p.Limits.DOMChildren && !isList(s.Parent) {
		why = append(why, fmt.Sprintf("%s children of %s", text.Thousands(s.Children), s.Parent))
	}
	if len(why) > 0 {
		p.Reportf(page.Pos{}, "", "%s", strings.Join(why, ", "))
	}
}
