package demo

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"
)

// A planter plants each of the catalogue's technical defects on pages that have no other.
type planter struct {
	s       *Site
	free    []string // pages without a defect so far
	corners int      // pages made when there were no more
	hosts   []string // pages near home, in turn, for links to further ones
	defects []defect
}

// technical are the defects that templates, servers and years bring.
func (s *Site) technical(others []defect) []defect {
	used := map[string]bool{}
	for _, d := range others {
		if len(d.on) < 40 { // not of a whole template
			for _, path := range d.on {
				used[path] = true
			}
		}
	}
	p := &planter{s: s}
	for _, layout := range []string{"event", "plant", "product"} {
		for _, path := range s.Of(layout) {
			if !used[path] {
				p.free = append(p.free, path)
			}
		}
	}
	for _, list := range []string{"/events/", "/plants/", "/shop/"} {
		for _, r := range s.Page(list).List {
			p.hosts = append(p.hosts, r.Path)
		}
	}
	p.addresses()
	p.reach()
	p.indexing()
	p.texts()
	p.patterns()
	p.suffixes()
	p.links()
	p.languages()
	p.files()
	p.safety()
	p.markup()
	p.data()
	p.seasons()
	return p.defects
}

// two plants a defect, with what follows from it, on two pages that are sound so far.
func (p *planter) two(checks, why string, plant func(*Page)) []string {
	on := p.take(2)
	p.at(checks, why, on, plant)
	return on
}

// take gives pages that are sound so far; when the templates have no more, corners of the garden.
func (p *planter) take(n int) []string {
	for len(p.free) < n {
		ways, places := []string{"upper", "lower", "hidden", "quiet", "windy", "sunny"},
			[]string{"bank", "arbour", "steps", "niche", "wicket", "landing", "hollow", "ledge"}
		name := ways[p.corners%len(ways)] + " " + places[p.corners/len(ways)]
		p.corners++
		p.free = append(p.free, p.extra("/visit/"+strings.ReplaceAll(name, " ", "-")+"/", name, 3).Path)
	}
	on := slices.Clone(p.free[:n])
	p.free = p.free[n:]
	return on
}

// at plants a defect on certain pages.
func (p *planter) at(checks, why string, on []string, plant func(*Page)) {
	for i, check := range strings.Fields(checks) {
		d := defect{check: check, why: why, on: on}
		if i == 0 {
			d.plant = plant
		}
		p.defects = append(p.defects, d)
	}
}

// extra adds a page that is sound but for its address, and links to it from two others.
func (p *planter) extra(path, name string, linked int) *Page {
	return p.extraLike(path, path, name, linked)
}

// extraLike is extra with the text of another address.
func (p *planter) extraLike(seed, path, name string, linked int) *Page {
	t := compose(seed, visitSentences, map[string]string{"Title": "The " + name, "title": "the " + name})
	n := compose(seed+" notes", noteSentences[:8], map[string]string{"topic": "the " + name})
	page := p.s.add(&Page{
		Path: path, Layout: "corner", Title: capital(name) + " – a corner of Fernhollow",
		H1: "The " + name + " and its story",
		Description: "Where to find the " + name +
			" at Fernhollow, what happened there and whom to ask for the key to its gate.",
		Sections: []Section{
			{2, "The " + name + " today", []string{paragraph(t[0], t[1], t[2]), paragraph(t[7], t[14])}},
			{2, "A short way to the " + name, []string{paragraph(t[5], t[3], t[12]), paragraph(n[:4]...)}},
			{2, "Why the " + name + " is there", []string{paragraph(t[4], t[13], t[8]), paragraph(n[4:]...)}},
		},
	})
	for range linked {
		link(path, "the "+name)(p.s.Page(p.hosts[0]))
		p.hosts = append(p.hosts[1:], p.hosts[0])
	}
	return page
}

func (p *planter) addresses() {
	for _, c := range []struct{ check, path, name string }{
		{"url-uppercase", "/visit/Old-Gate/", "old gate"}, {"url-uppercase", "/visit/Ice-House/", "ice house"},
		{"url-underscore", "/visit/bee_wall/", "bee wall"}, {"url-underscore", "/visit/potting_shed/", "potting shed"},
		{"url-non-ascii", "/visit/caf%C3%A9-terrace/", "café terrace"},
		{"url-non-ascii", "/visit/all%C3%A9e/", "lime alley"},
		{"url-double-slash", "/visit//sundial/", "sundial"}, {"url-double-slash", "/visit//dovecote/", "dovecote"},
		{"url-space", "/visit/fern%20house/", "fern house"}, {"url-space", "/visit/apple%20store/", "apple store"},
		{"url-parameters", "/visit/find?part=lawn&row=2&bed=7&seat=1", "croquet lawn"},
		{"url-parameters", "/visit/find?part=wood&row=4&bed=1&seat=3", "hazel wood"},
		{"url-session", "/visit/hut;jsessionid=5F2A77C0D1E94B6A8C3D", "bird hut"},
		{"url-session", "/visit/pump;jsessionid=9B1C43E7A2D05F6E8A7B", "pump room"},
		{"url-placeholder", "/visit/untitled-2/", "sunken lane"},
		{"url-placeholder", "/visit/page-3-copy/", "hermitage"},
		{"url-long", "/visit/" + strings.Repeat("behind-the-old-orchard-wall-", 8) + "mulberry/", "mulberry seat"},
		{"url-long", "/visit/" + strings.Repeat("past-the-second-gate-on-the-left-", 7) + "grotto/", "grotto"},
	} {
		p.extra(c.path, c.name, 3)
		p.at(c.check, "named without thinking of those who read it", []string{c.path}, nil)
	}
}

func (p *planter) reach() {
	s := p.s
	for _, c := range []struct{ path, name string }{{"/visit/summer-bridge/", "summer bridge"},
		{"/visit/chain-ferry/", "chain ferry"}} {
		page := p.extra(c.path, c.name, 3)
		page.Title = "Page not found – " + c.name
		p.at("reach-soft-missing", "taken down by writing so into the page", []string{c.path}, nil)
	}
	p.two("reach-truncated", "a proxy ends the answer early", func(p *Page) { p.Cut = true })
	p.two("reach-uneven", "one of the two servers is overloaded", func(p *Page) { p.Stumbles = true })
	for _, path := range []string{"/events/ghost-walk/", "/shop/sold-out/"} {
		s.Listed = append(s.Listed, path)
		p.at("reach-client-error sitemap-lists-error", "deleted, and still in the sitemap", []string{path}, nil)
	}
	for _, path := range []string{"/news/", "/plants/acer"} {
		s.Listed = append(s.Listed, path)
		p.at("sitemap-lists-redirect", "moved, and still in the sitemap under its old address", []string{path}, nil)
	}
	for _, path := range []string{"/preview/spring/", "/preview/autumn/"} {
		s.Listed = append(s.Listed, path)
		p.at("sitemap-lists-blocked", "drafts got into the sitemap", []string{path}, nil)
	}
	p.at("sitemap-lists-noindex", "still hidden, yet in the sitemap",
		append(plants("salvia-sclarea", "salvia-nemorosa"), "/gallery/"), nil)
	for _, c := range []struct{ path, name string }{{"/visit/lost-well/", "lost well"}, {"/visit/quarry/", "quarry"}} {
		p.extra(c.path, c.name, 0)
		p.at("page-orphan", "its menu entry was taken out", []string{c.path}, nil)
	}
	p.extra("/research/archive/", "paper archive", 0)
	link("/research/archive/", "the archive")(s.Page("/research/"))
	link("/research/archive/", "the paper archive")(s.Page("/journal/"))
	link("/research/archive/", "papers of the garden")(s.Page("/visit/"))
	for i, to := 1, "/research/archive/"; i <= 4; i++ {
		path := fmt.Sprintf("/research/archive/box-%c/", 'a'+i-1)
		p.extra(path, fmt.Sprintf("archive box %c", 'a'+i-1), 0)
		link(path, "the next box")(s.Page(to))
		if i > 1 {
			link("/research/archive/box-a/", "the first box")(s.Page(path))
		}
		if i < 4 {
			link(path, "this box again")(s.Page(path))
		}
		if i >= 2 {
			p.at("link-few-in", "a box within a box", []string{path}, nil)
		}
		if i >= 3 {
			p.at("page-deep", "a box within a box within a box", []string{path}, nil)
		}
		to = path
	}
	p.two("robots-blocks-resource", "the print styles lie in the closed folder",
		head(`<link rel="stylesheet" href="/preview/print.css" media="print">`))
	p.two("sitemap-omits", "written after the sitemap was", func(p *Page) { p.NoSitemap = true })
	p.at("crawl-trap", "the calendar never ends", []string{"/events/"}, nil)
	p.at("crawl-trap", "filters can be combined without end", []string{"/shop/"}, nil)
	p.at("sitemap-invalid", "two of the index's four sitemaps are gone or broken", []string{"/"}, nil)
}

func (p *planter) indexing() {
	canonical := func(to string) func(*Page) { return func(p *Page) { p.Canonical = to } }
	own := func(form func(path string) string) func(*Page) {
		return func(p *Page) {
			p.NoCanonical = true
			head(fmt.Sprintf(`<link rel="canonical" href="%s">`, form(p.Path)))(p)
		}
	}
	p.two("index-nofollow-page index-conflict", "the extension and the template disagree",
		head(`<meta name="robots" content="index, follow"><meta name="robots" content="nofollow">`))
	p.two("index-noindex-canonical", "hidden, and said to be another page",
		func(p *Page) { p.NoIndex, p.NoSitemap, p.Canonical = true, true, "/events/" })
	p.two("canonical-outside-head", "pasted into the text", func(p *Page) {
		p.NoCanonical = true
		main(fmt.Sprintf(`<link rel="canonical" href="%s">`, Home+p.Path[1:]))(p)
	})
	p.two("canonical-relative", "written without the host", own(func(path string) string { return path }))
	p.two("canonical-fragment", "copied from the address bar",
		own(func(path string) string { return Home + path[1:] + "#top" }))
	for _, path := range p.two("canonical-insecure sitemap-lists-canonicalised", "left over from the time before https",
		own(func(path string) string { return "http://" + Host + path })) {
		// each to an address of its own
		p.at("canonical-redirects", "left over from the time before https", []string{path}, nil)
	}
	p.two("canonical-elsewhere", "the text was first printed by the neighbours", func(p *Page) {
		p.NoCanonical, p.NoSitemap = true, true
		head(`<link rel="canonical" href="https://mossbank.example/letters/">`)(p)
	})
	for _, c := range []struct{ path, name string }{{"/visit/letters", "letters of the gardeners"},
		{"/visit/records", "weather records"}} {
		p.extra(c.path+"/", c.name, 3)
		linkers := append(slices.Clone(p.hosts[:2]), c.path+"/")
		page := p.extra(c.path+"/page/2/", "older "+c.name, 2)
		page.Canonical, page.NoSitemap = c.path+"/", true
		p.at("canonical-list", "the extension names the first page on all", []string{c.path + "/page/2/"}, nil)
		p.at("link-to-hidden", "the extension names the first page on all", linkers[:2], nil)
	}
	p.two("canonical-broken", "names a page that was deleted", canonical("/events/garlic-day/"))
	p.two("canonical-redirects", "names an old address", canonical("/news/"))
	p.two("canonical-noindex", "names a hidden page", canonical("/gallery/"))
	p.two("canonical-blocked", "names the draft", canonical("/preview/spring/"))
	first := p.two("canonical-unlinked", "names a page that no link leads to", canonical("/visit/lost-well/"))
	p.two("canonical-chain", "names a page that names another", canonical(first[0]))
	for _, c := range []struct{ path, variant, name string }{{"/visit/picnic/", "/visit/picnic", "picnic lawn"},
		{"/visit/meeting-point/", "/visit/Meeting-Point/", "meeting point"}} {
		page := p.extra(c.path, c.name, 3)
		page.NoCanonical = true
		twin := *page
		twin.Path, twin.CardAddress = c.variant, Home+c.variant[1:]
		p.s.add(&twin)
		for _, host := range p.hosts[:3] {
			link(c.variant, "the "+c.name+" again")(p.s.Page(host))
		}
		checks := "canonical-missing variant-paths-open title-duplicate description-duplicate h1-duplicate copy-duplicate"
		p.at(checks, "the server takes both forms of the address", []string{c.path, c.variant}, nil)
		if c.variant != strings.ToLower(c.variant) {
			p.at("url-uppercase", "the server takes both forms of the address", []string{c.variant}, nil)
		}
	}
}

func (p *planter) texts() {
	p.two("title-language", "the title was translated, the page never", func(p *Page) {
		p.Title = fmt.Sprintf("Der Weg und die Zeit für %d Farne", len(p.Path))
	})
	p.at("snippet-off-topic", "the title is one sentence about nothing", journal("leaf-fall"), nil)
	p.two("snippet-off-topic", "standard words for title and description", func(p *Page) {
		p.Title, p.Description = "Welcome to this page, "+p.Path[len(p.Path)-4:len(p.Path)-1],
			"You are welcome to this page of ours; do come in, have a look round, and then come again: "+p.Path[len(p.Path)-4:len(p.Path)-1]+"."
	})
	p.two("copy-ratio", "the page carries all the shop's data",
		main(`<script type="application/json">{"all": "`+strings.Repeat("0123456789 ", 6000)+`"}</script>`))
	p.two("copy-placeholder", "the letter's fields were never filled in",
		main(`<p>Dear [first name], this {{season}} we have something for you.</p>`))
	p.at("copy-language lang-folder", "copied from the English template",
		under("/de/gaerten/", []string{slug(areasDE[0]), slug(areasDE[1])}), func(p *Page) { p.Lang = "en-GB" })
	p.two("copy-long dom-large snippet-off-topic", "the whole chronicle on one page", func(p *Page) {
		for i := range 130 {
			p.Sections[1].Text = append(p.Sections[1].Text, lengthen(fmt.Sprint(p.Path, i)))
		}
	})
	p.two("copy-email", "an address typed into the text", main(`<p>Write to walks@fernhollow.example for a place.</p>`))
	p.two("copy-encoding", "saved in one encoding, served in another",
		main(`<p>The cafÃ© is open, and itâ€™s warm.</p>`))
}

// suffixes are what two extensions put behind titles that were long enough.
func (p *planter) suffixes() {
	for _, suffix := range []string{"The official pages of Fernhollow Botanic Garden",
		"Fernhollow, the garden of ferns, old trees and lakes"} {
		p.at("title-suffix-long title-long", "an extension adds the garden's motto", p.take(5), func(page *Page) {
			name, _, _ := strings.Cut(page.Title, " – ")
			page.Title = name + " | " + suffix
		})
	}
}

// patterns gives pages of two lists descriptions in which only names change.
func (p *planter) patterns() {
	for _, sentence := range []string{"Everything that anybody ought to know about %s, from the gardeners of Fernhollow.", "You will find the story of %s here, with pictures and the names of those who helped."} {
		on := p.take(5)
		p.at("description-pattern", "the template writes one sentence for all", on, func(page *Page) {
			name, _, _ := strings.Cut(page.Title, " – ")
			page.Description = fmt.Sprintf(sentence, name)
		})
	}
}

func (p *planter) links() {
	s := p.s
	p.at("link-broken-outside", "the seed library has closed", []string{"/research/"}, nil)
	p.two("link-broken-outside", "the seed library has closed",
		main(`<p>Seed comes from <a href="http://`+Neighbours+`/closed/">the seed library</a>.</p>`))
	p.two("link-broken-fragment", "the section was renamed",
		main(`<p>See <a href="/visit/#ferries">the ferries</a>.</p>`))
	p.two("link-malformed link-broken-outside", "typed by hand",
		main(`<p>See <a href="http:/visit/">the way here</a>.</p>`))
	p.two("link-unescaped link-redirects", "typed by hand",
		main(`<p>See <a href="/contact/?from=old gate">the way here</a>.</p>`))
	p.two("link-same-words", "each written for itself",
		main(`<p>Ask at <a href="/visit/">the desk by the gate</a>, or at <a href="/events/">the desk by the gate</a>.</p>`))
	p.two("link-tracking link-redirects", "copied from the newsletter",
		main(`<p>See <a href="/contact/?utm_source=letter">what is open today</a>.</p>`))
	s.Files["/visit/tram"] = File{Type: "text/plain", Status: 302}
	p.two("redirect-nowhere", "the tram's page was to redirect, and nobody said where to",
		link("/visit/tram", "the garden's tram"))
	s.Redirects["/visit/friends"] = "https://" + Neighbours + "/gardens/"
	p.two("redirect-outside link-redirects", "the friends' page was given to the neighbours",
		link("/visit/friends", "our friends"))
	p.two("link-to-private", "written on the developer's machine",
		main(`<p>See <a href="http://localhost:3000/visit/">the draft</a>.</p>`))
	p.two("link-insecure link-redirects", "left over from the time before https",
		main(`<p>See <a href="http://`+Host+`/visit/">the way here</a>.</p>`))
	p.two("link-nofollow-inside", "the editor sets it on every link",
		main(`<p>See <a rel="nofollow" href="/visit/">the way here</a>.</p>`))
	p.two("link-nofollow-outside", "the editor sets it on every link",
		main(`<p>See <a rel="nofollow" href="http://`+Neighbours+`/gardens/">our friends</a>.</p>`))
	p.two("link-vague", "written for the mouse", main(`<p>To find the way, <a href="/visit/">click here</a>.</p>`))
	p.two("link-many", "every tag of the year",
		main(strings.Repeat(`<p>`+strings.Repeat(`To see what is on, look at all our <a href="/events/">walks</a> `,
			50)+`</p>`, 10)))
	p.two("link-script-only", "a button dressed as a link",
		main(`<p><a href="javascript:print()">Print this page</a></p>`))
	for _, c := range []struct{ path, name string }{{"/visit/kiosk/", "kiosk"}, {"/visit/turnstile/", "turnstile"}} {
		page := p.extra(c.path, c.name, 3)
		page.Markup = func(html string) string {
			from, to := strings.Index(html, "<header>"), strings.Index(html, "<h1>")
			foot := strings.Index(html, "</main>")
			return html[:from] + "<main>" + html[to:foot] + "</main></body></html>"
		}
		p.at("link-dead-end", "made for a screen in the hall", []string{c.path}, nil)
	}
	for _, c := range []struct{ path, name string }{{"/visit/bench/", "founders' bench"},
		{"/visit/milestone/", "milestone"}} {
		p.extra(c.path, c.name, 1)
		p.at("link-few-in", "only one page remembers it", []string{c.path}, nil)
	}
	s.Redirects["/visit/ferry"] = "/visit/ferry-gone/"
	p.two("redirect-broken", "the ferry's page moved and was then deleted", link("/visit/ferry", "the ferry"))
	s.Moved["/visit/today"] = "/visit/"
	p.two("redirect-temporary link-redirects", "meant to last a day", link("/visit/today", "what is open today"))
	p.at("redirect-temporary", "the members' club sends visitors to its sign-in page", []string{"/members/"}, nil)
	p.two("redirect-refresh", "moved by an editor who has no access to the server",
		head(`<meta http-equiv="refresh" content="20; url=/events/">`))
	s.Redirects["/book"] = "http://" + Host + "/events/"
	p.two("redirect-insecure redirect-chain link-redirects", "the redirect is older than https",
		link("/book", "booking"))
}

func (p *planter) languages() {
	set := func(entries ...string) func(*Page) {
		return func(p *Page) {
			for i := 0; i < len(entries); i += 2 {
				to := strings.ReplaceAll(entries[i+1], "SELF", Home+p.Path[1:])
				to = strings.ReplaceAll(to, "PATH", p.Path)
				head(fmt.Sprintf(`<link rel="alternate" hreflang="%s" href="%s">`, entries[i], to))(p)
			}
		}
	}
	other := "http://" + Neighbours + "/de/"
	p.two("lang-invalid", "an underscore instead of a hyphen", func(p *Page) { p.Lang = "en_GB" })
	p.two("hreflang-invalid", "the United Kingdom is GB", set("en-GB", "SELF", "en-UK", "SELF", "x-default", "SELF"))
	p.two("hreflang-no-self", "only the others are named", set("de", other, "x-default", other))
	p.two("hreflang-clash", "two addresses for one language", set("en-GB", "SELF", "en-GB", other, "x-default", "SELF"))
	p.two("hreflang-no-default", "nobody thought of the rest of the world", set("en-GB", "SELF", "de", other))
	p.two("hreflang-relative", "written without the host", set("en-GB", "PATH", "x-default", "SELF"))
	p.two("hreflang-no-return", "the German pages do not know of it",
		set("en-GB", "SELF", "x-default", "SELF", "de", Home+"de/gaerten/"))
	p.two("hreflang-broken", "the translation was deleted",
		set("en-GB", "SELF", "x-default", "SELF", "de", Home+"de/fuehrungen/"))
	p.two("hreflang-redirects", "the translation moved", set("en-GB", "SELF", "x-default", "SELF", "cy", Home+"news/"))
	p.two("hreflang-noindex", "the translation is hidden",
		set("en-GB", "SELF", "x-default", "SELF", "cy", Home+"gallery/"))
	p.two("hreflang-canonicalised", "the translation says it is another page",
		set("en-GB", "SELF", "x-default", "SELF", "cy", Home+"shop/?colour=green"))
	p.two("hreflang-mixed", "the server adds a list of its own", func(p *Page) {
		set("en-GB", "SELF", "x-default", "SELF")(p)
		p.Header = map[string]string{"Link": `<` + other + `>; rel="alternate"; hreflang="de"`}
	})
	p.two("hreflang-text", "announced as German, never translated", set("de", "SELF", "x-default", "SELF"))
}

func (p *planter) files() {
	s := p.s
	image := func(src string) func(*Page) {
		return main(fmt.Sprintf(`<p><img src="%s" alt="A leaf" width="96" height="64"></p>`, src))
	}
	add := func(path, kind, body string) { s.Files[path] = File{Type: kind, Body: body} }
	photo := func(kilobytes int) string { return "\xff\xd8\xff\xe0" + strings.Repeat("leaf ", kilobytes*200) }
	add("/images/wide.jpg", "image/jpeg", photo(150))
	add("/images/poster.jpg", "image/jpeg", photo(600))
	add("/images/mural.jpg", "image/jpeg", photo(3300))
	add("/images/scan.bmp", "image/bmp", "BM"+photo(4))
	add("/films/fern.swf", "application/x-shockwave-flash", "FWS")
	s.Files["/images/fresh.jpg"] = File{Type: "image/jpeg", Body: photo(2),
		Header: map[string]string{"Cache-Control": "-"}}
	add("/scripts/walks.js", "text/javascript; charset=utf-8",
		strings.Repeat("// where the walk begins, and what to bring along\nfunction meet(at) {\n        return at;\n}\n", 250))
	add("/styles/walks.css", "text/css; charset=utf-8",
		strings.Repeat("/* the walks have a colour of their own */\n.walk     {\n        color :  green;\n}\n", 250))
	add("/images/icon.png", "image/png", "x")
	p.two("image-broken", "uploaded to the old server", image("/images/gone.jpg"))
	add("/styles/beds.css", "text/css; charset=utf-8", "@import \"beds-more.css\";\n"+
		"@media (max-width: 40em) { main { background: url(/images/bed-gone.png) } }\n.old { background: url(/images/never.png) !ie }\n"+
		"main .trellis, .trellis + p { background: url(/images/no-element-of-any-page.png) }\n")
	add("/styles/beds-more.css", "text/css; charset=utf-8",
		"@font-face { font-family: Fern; src: url(/fonts/fern-gone.woff2) }\n")
	p.two("style-image-missing font-missing", "the styles of the beds were moved without their pictures and fonts",
		head(`<link rel="stylesheet" href="/styles/beds.css">`))
	add("/styles/frames.css", "text/css; charset=utf-8",
		".greenhouse h1::before,\n.cold-frame > p { background: url(/images/glass-gone.png) }\n")
	p.two("image-broken", "the styles of the cold frames were moved without their picture", func(page *Page) {
		head(`<link rel="stylesheet" href="/styles/frames.css">`)(page)
		main(`<div class="cold-frame"><p>Under glass until the last frost.</p></div>`)(page)
	})
	p.two("resource-broken", "the script's folder was renamed", main(`<script src="/scripts/gone.js"></script>`))
	p.at("image-alt-empty-link", "a picture without words as the only content", journal("soil-warmth"), nil)
	p.two("image-alt-empty-link link-empty", "a leaf that leads home",
		main(`<p><a href="/visit/"><img src="/pictures/leaf.png" alt="" width="96" height="64"></a></p>`))
	p.two("image-alt-long", "the caption went into the wrong field",
		main(`<p><img src="/pictures/leaf.png" alt="A leaf of the fern that gave the garden its name, photographed in the rain by the head gardener in the autumn before the great storm, with the old ice house and its door behind it" width="96" height="64"></p>`))
	p.two("image-alt-filename", "the camera's name for it",
		main(`<p><img src="/pictures/leaf.png" alt="IMG_20260412.jpg" width="96" height="64"></p>`))
	p.at("image-no-size", "pasted without measures",
		[]string{"/", "/accessibility/", "/journal/soil-warmth/", "/plants/primula-florindae/"}, nil)
	p.two("image-heavy image-one-size", "straight from the camera, once", image("/images/wide.jpg"))
	p.two("image-very-heavy image-one-size image-lazy-missing", "straight from the camera", image("/images/poster.jpg"))
	p.two("image-old-format", "scanned years ago", image("/images/scan.bmp"))
	add("/images/border.jpg", "image/jpeg", photo(75))
	p.two("image-one-size", "the editor's largest size", image("/images/border.jpg"))
	p.two("image-lazy-early", "a rule for all pictures, the first among them", func(p *Page) {
		p.Markup = func(html string) string {
			return strings.Replace(html, "</h1>",
				`</h1><p><img src="/pictures/leaf.png" alt="A leaf" width="480" height="320" loading="lazy"></p>`, 1)
		}
	})
	var album strings.Builder
	for i := range 12 {
		path := fmt.Sprintf("/images/album-%d.jpg", i)
		add(path, "image/jpeg", photo(50))
		fmt.Fprintf(&album, `<img src="%s" alt="Page %d of the album" width="96" height="64">`, path, i+1)
	}
	p.two("image-lazy-missing", "an album below the programme",
		main("<p>"+strings.Repeat("The album shows what grew here. ", 30)+"</p><p>"+album.String()+"</p>"))
	p.two("form-dead", "the search was renamed",
		main(`<form action="/find-plants/"><label>Find <input name="q"></label></form>`))
	p.two("plugin-content", "a film of the time of plug-ins",
		main(`<object type="application/x-shockwave-flash" data="/films/fern.swf"></object>`))
	p.two("response-slow", "a slow query", func(p *Page) { p.Slow = SlowPage })
	p.two("response-very-slow", "a very slow query", func(p *Page) { p.Slow = VerySlowPage })
	p.two("html-heavy copy-ratio", "the editor keeps its drafts in the page",
		main("<!-- "+strings.Repeat("draft ", 30_000)+"-->"))
	p.two("html-very-heavy copy-ratio", "the editor keeps all its drafts in the page",
		main("<!-- "+strings.Repeat("draft ", 180_000)+"-->"))
	p.two("page-heavy image-very-heavy image-one-size image-lazy-missing", "a mural for a background",
		image("/images/mural.jpg"))
	var many strings.Builder
	for i := range 105 {
		fmt.Fprintf(&many, `<img src="/pictures/tile-%d.png" alt="Tile %d" width="96" height="64">`, i, i)
		if i%20 == 19 {
			many.WriteString("</p><p>")
		}
	}
	p.two("page-many-requests", "a hundred tiles", main("<p>"+many.String()+"</p>"))
	p.two("text-uncompressed", "an exception in the server's configuration", func(p *Page) { p.NoGzip = true })
	s.Files["/styles/labels.3f2a9b1c.css"] = File{Type: "text/css; charset=utf-8", Body: ".label { color: green }\n",
		Header: map[string]string{"Cache-Control": "max-age=600"}}
	p.two("cache-short", "versioned, and kept like everything else",
		head(`<link rel="stylesheet" href="/styles/labels.3f2a9b1c.css">`))
	p.two("cache-missing", "served by a script", image("/images/fresh.jpg"))
	p.two("script-unminified", "straight from the editor", main(`<script src="/scripts/walks.js"></script>`))
	p.two("style-unminified", "straight from the editor", head(`<link rel="stylesheet" href="/styles/walks.css">`))
	p.two("script-inline-heavy copy-ratio", "a library pasted into the page",
		main("<script>var a='"+strings.Repeat("abcdefghi ", 5200)+"';</script>"))
	p.two("style-inline-heavy", "coloured by hand",
		main("<p>"+strings.Repeat(`<b style="color:green">·</b> `, 52)+"</p>"))
	p.two("dom-large", "a bed of seventy labels", main("<div>"+strings.Repeat("<div>·</div>", 70)+"</div>"))
}

// SlowPage and VerySlowPage are how long the garden's slow pages keep visitors waiting.
const (
	SlowPage     = 2300 * time.Millisecond
	VerySlowPage = 3200 * time.Millisecond
)

func (p *planter) safety() {
	for _, c := range []struct{ path, name string }{{"/visit/wifi/", "wireless network"},
		{"/visit/lockers/", "lockers"}} {
		page := p.extra(c.path, c.name, 3)
		page.Plain = true
		plain := "http://" + Host + c.path
		p.at("https-missing link-redirects", "the redirect was forgotten here", []string{plain}, nil)
		p.two("link-insecure", "left over from the time before https",
			main(`<p>See <a href="`+plain+`">this corner</a>.</p>`))
	}
	p.two("mixed-active script-no-integrity", "a neighbour's script over http",
		main(`<script src="http://`+Neighbours+`/shared.js"></script>`))
	p.two("mixed-passive", "a neighbour's picture over http",
		main(`<p><img src="http://`+Neighbours+`/shared.png" alt="A leaf" width="96" height="64"></p>`))
	p.two("form-insecure field-label", "the old newsletter form",
		main(`<form action="http://`+Host+`/letter/" method="post"><input name="mail"></form>`))
	p.two("script-no-integrity resource-broken", "a neighbour's script, from a host whose certificate nobody knows",
		main(`<script src="https://`+Neighbours+`/shared.js"></script>`))
	for _, c := range []struct{ path, name string }{{"/visit/plans/", "plans"}, {"/visit/scans/", "scans"}} {
		page := p.extra(c.path, c.name, 3)
		page.Title = "Index of " + c.path
		p.at("folder-listing", "the index page is missing", []string{c.path}, nil)
	}
}

func (p *planter) markup() {
	replace := func(old, with string) func(*Page) {
		return func(p *Page) {
			p.Markup = func(html string) string { return strings.Replace(html, old, with, 1) }
		}
	}
	p.two("doctype-missing", "the first line was lost", replace("<!doctype html>\n", ""))
	p.two("viewport-width", "drawn for one telephone", replace("width=device-width, initial-scale=1", "width=640"))
	p.two("viewport-several", "an extension adds its own", head(`<meta name="viewport" content="width=device-width">`))
	p.two("frame-title", "pasted from the map's instructions",
		main(`<iframe src="/visit/" width="300" height="200"></iframe>`))
	p.two("link-nested", "a link pasted into a link",
		main(`<p><a href="/visit/">The way here, <a href="/events/">and what is on</a></p>`))
	p.two("script-blocking", "pasted where the instructions said", head(`<script src="/scripts/path.js"></script>`))
	p.s.Files["/scripts/path.js"] = File{Type: "text/javascript; charset=utf-8", Body: "document.title"}
	p.two("mark-unfilled", "the build forgot a step", head(`<meta property="og:site_name" content="__GARDEN__">`))
	p.two("cookie-open", "set by the old shop",
		func(p *Page) { p.Header = map[string]string{"Set-Cookie": "basket_session=1; Path=/"} })
	p.two("charset-missing", "neither server nor template says it", func(p *Page) {
		p.Header = map[string]string{"Content-Type": "text/html"}
		replace(`<meta charset="utf-8">`, "")(p)
	})
	p.two("charset-clash", "the template is older than the server",
		replace(`<meta charset="utf-8">`, `<meta charset="iso-8859-1">`))
	p.two("viewport-locked", "somebody disliked zooming",
		replace("initial-scale=1", "initial-scale=1, user-scalable=no"))
	p.two("head-broken", "a cookie bar pasted into the head",
		head(`<div id="cookies"></div><meta name="robots" content="max-snippet:80">`))
	p.two("element-obsolete", "pasted from a page of the nineties", main(`<marquee>Welcome</marquee>`))
	p.two("frames element-obsolete", "the old menu frame", main(`<frame src="/visit/">`))
	p.two("tables-nested", "laid out with tables",
		main(`<table><tr><td><table><tr><td><table><tr><td>Gate</td></tr></table></td></tr></table></td></tr></table>`))
	p.two("id-duplicate", "one block pasted twice", main(`<p id="map">Map</p><p id="map">Map</p>`))
	p.two("parse-errors", "edited by hand", main(`<p>Open daily</p></p>`))
	p.two("base-several", "an extension adds another", head(`<base href="/"><base href="/visit/">`))
}

func (p *planter) data() {
	ld := func(json string) func(*Page) {
		return head(`<script type="application/ld+json">` + json + `</script>`)
	}
	p.two("data-unparsable", "a comma too many",
		ld(`{"@context": "https://schema.org", "@type": "Thing",, "name": "Fern"}`))
	p.two("data-unknown", "written from memory",
		ld(`{"@context": "https://schema.org", "@type": "Place", "name": "Fernhollow", "adress": "Hollow Lane"}`))
	p.two("data-incomplete", "half a ticket",
		ld(`{"@context": "https://schema.org", "@type": "Event", "name": "A walk", "location": "Fernhollow"}`))
	p.two("data-value", "a date as one says it",
		ld(`{"@context": "https://schema.org", "@type": "Event", "name": "A walk", "startDate": "next Sunday", "location": "Fernhollow"}`))
	p.two("data-broken-link", "the page it names was deleted",
		ld(`{"@context": "https://schema.org", "@type": "WebPage", "name": "A walk", "url": "`+Home+`events/garlic-day/"}`))
	p.two("card-missing", "left out of the template", func(p *Page) { p.NoCard = true })
	p.two("card-image-broken", "the picture was deleted", func(p *Page) { p.CardImage = "/images/no-card.png" })
	p.two("tag-missing", "a template that was forgotten", func(p *Page) { p.NoConsent = true })
	p.two("card-address", "copied from another page", func(p *Page) { p.CardAddress = Home + "events/" })
}

// keyOf is how a request's path and query are looked up.
func keyOf(u *url.URL) string {
	path := u.EscapedPath()
	if u.RawQuery != "" {
		path += "?" + u.RawQuery
	}
	return path
}
