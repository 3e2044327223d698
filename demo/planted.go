package demo

import (
	"fmt"
	"regexp"
	"strings"
)

// A defect is planted on pages: why it is there, as it would have come about, and how.
type defect struct {
	check string
	in    Edition // one edition only; "" for both
	why   string
	on    []string // paths; the check has to fire on each
	plant func(*Page)
}

// plant puts the edition's defects in and notes what a crawl has to find.
func (s *Site) plant() {
	defects := s.defects()
	for _, d := range append(defects, s.technical(defects)...) {
		if d.in != "" && d.in != s.Edition {
			continue
		}
		s.Causes = append(s.Causes, Cause{d.check, d.why, d.on})
		for _, path := range d.on {
			if d.plant != nil {
				d.plant(s.Page(path))
			}
			s.Planted = append(s.Planted, Finding{d.check, path, d.why})
		}
	}
	s.toHidden()
	for _, p := range s.Pages {
		if own := p.Canonical == "" || p.Canonical == p.Path; p.NoIndex && own {
			s.Planted = append(s.Planted, Finding{"index-noindex", p.Path, "kept out of search, be it meant or not"})
		}
	}
}

var asides = regexp.MustCompile(`(?s)<aside.*?</aside>`)

// toHidden notes the links to pages that name another as canonical: the garden's lists and neighbours
// do not know of it.
func (s *Site) toHidden() {
	html := make([]string, len(s.Pages))
	for i, p := range s.Pages {
		html[i] = s.render(p)
	}
	isShown := func(p *Page) bool { return !p.NoIndex && (p.Canonical == "" || p.Canonical == p.Path) }
	for _, p := range s.Pages {
		if p.NoIndex && (p.NoSitemap || p.Canonical != "" || !s.advertised(p.Path)) {
			for i, from := range s.Pages {
				_, content, _ := strings.Cut(html[i], "<main")
				content, _, _ = strings.Cut(content, "</main>")
				content = asides.ReplaceAllString(content, "")
				if from != p && isShown(from) && strings.Contains(content, fmt.Sprintf("href=%q", p.Path)) {
					s.Planted = append(s.Planted, Finding{"link-to-noindex", from.Path,
						"the list has all that there is"})
				}
			}
		}
		to := s.byPath[p.Canonical]
		if to == nil || to == p || p.NoIndex || to.NoIndex || to.Canonical != "" && to.Canonical != to.Path ||
			p.NoCanonical {
			continue
		}
		for i, from := range s.Pages {
			if from != to && from != p && strings.Contains(html[i], fmt.Sprintf("href=%q", p.Path)) {
				s.Planted = append(s.Planted, Finding{"link-to-hidden", from.Path, "nobody told the list"})
			}
		}
	}
}

func plants(names ...string) []string   { return under("/plants/", names) }
func events(names ...string) []string   { return under("/events/", names) }
func products(names ...string) []string { return under("/shop/", names) }
func research(names ...string) []string { return under("/research/", names) }
func journal(names ...string) []string  { return under("/journal/", names) }
func gardens(names ...string) []string  { return under("/visit/gardens/", names) }

func under(folder string, names []string) []string {
	out := make([]string, len(names))
	for i, n := range names {
		out[i] = folder + n + "/"
	}
	return out
}

func (s *Site) all() []string {
	var out []string
	for _, p := range s.Pages {
		out = append(out, p.Path)
	}
	return out
}

func head(raw string) func(*Page) { return func(p *Page) { p.RawHead = append(p.RawHead, raw) } }
func main(raw string) func(*Page) { return func(p *Page) { p.RawMain = append(p.RawMain, raw) } }

func title(t string) func(*Page) { return func(p *Page) { p.Title = t } }
func about(t string) func(*Page) { return func(p *Page) { p.Description = t } }
func link(path, words string) func(*Page) {
	return main(fmt.Sprintf(`<p>See also <a href="%s">%s</a>.</p>`, path, words))
}

// defects is the table of all that is wrong with Fernhollow.
func (s *Site) defects() []defect {
	s.errors()
	lists := [][]defect{
		s.snippetDefects(), s.headingDefects(), s.copyDefects(), s.linkDefects(), s.otherDefects(),
	}
	var out []defect
	for _, l := range lists {
		out = append(out, l...)
	}
	return out
}

// errors sets up addresses that are no pages.
func (s *Site) errors() {
	for from, to := range map[string]string{
		"/research": "/research/", "/tickets": "/visit/tickets", "/visit/tickets": "/visit/visitor-desk/",
		"/map": "/visit/map", "/visit/map": "/visit/map-room", "/visit/map-room": "/visit/map-room/",
		"/shop/gift-card": "/shop/voucher", "/shop/voucher": "/shop/gift-card", "/shop/circle": "/shop/circle",
		"/plants/acer": "/plants/acer-griseum/", "/news/": "/journal/",
	} {
		s.Redirects[from] = to
	}
	s.Errors["/events/box-office/"] = 500
	s.Errors["/members/renew/"] = 503
	s.Errors["/shop/stock/"] = 502
	s.Hanging["/research/live-weather/"] = true
	s.Hanging["/visit/webcam/"] = true
	s.Hanging["/plants/finder/"] = true
}

func (s *Site) snippetDefects() []defect {
	return []defect{
		{check: "title-missing", in: Spring, why: "the importer lost the title",
			on: plants("acer-griseum", "acer-davidii"), plant: func(p *Page) { p.NoTitle = true }},
		{check: "title-missing", why: "the editor left the field empty", on: plants("iris-sibirica", "quercus-suber"),
			plant: title("")},
		{check: "title-missing", in: Summer, why: "a new template without a title", on: gardens("meadow"),
			plant: func(p *Page) { p.NoTitle = true }},
		{check: "title-duplicate", why: "three walks copied from one another",
			on:    events("morning-walk-snowdrops", "family-trail-snowdrops", "open-studio-snowdrops"),
			plant: title("Guided walk among snowdrops – Fernhollow")},
		{check: "title-duplicate", in: Spring, why: "one plant entered under two names, once in capitals",
			on: plants("camellia-sasanqua", "camellia-reticulata"), plant: func(p *Page) {
				p.Title = "Winter camellia – Fernhollow"
				if strings.Contains(p.Path, "reticulata") {
					p.Title = "Winter  CAMELLIA – Fernhollow"
				}
			}},
		{check: "title-several", why: "an extension writes a title of its own",
			on:    research("soil-warmth", "seed-ants", "oak-mildew"),
			plant: head("<title>Research | Garden extension</title>")},
		{check: "title-outside-head", why: "a pasted page brought its title along into the text",
			on: gardens("rock-bank", "stumpery", "orchard"), plant: func(p *Page) {
				p.NoTitle = true
				p.RawMain = append(p.RawMain, "<title>"+esc(p.Title)+"</title>")
			}},
		{check: "title-long", why: "the whole first sentence as a title", on: journal("leaf-fall", "willow-growth"),
			plant: func(p *Page) {
				p.Title = "What we learnt about " + strings.TrimPrefix(strings.TrimSuffix(p.Title, " – Fernhollow"),
					"A year with ") + " in a year of rain, wind and late frost – Fernhollow"
			}},
		{check: "title-long", why: "few characters, but wide ones", on: journal("pond-depth"),
			plant: title("WWW: MAMMOTH MOMENTS AMONG WOMEN OF MAMMOTH WOODS")},
		{check: "title-short", why: "a single word", on: []string{"/visit/map-room/", "/visit/boat-house/"},
			plant: func(p *Page) {
				if p.Title = "Boats"; strings.Contains(p.Path, "map") {
					p.Title = "Fernhollowmapkeepers"
				}
			}},
		{check: "title-short", why: "two short words", on: []string{"/visit/car-park/"}, plant: title("Car park")},
		{check: "title-placeholder", why: "nobody replaced the template's words", on: journal("slug-counts"),
			plant: title("Untitled")},
		{check: "title-placeholder", why: "the home page's title was copied", on: gardens("bog-garden"),
			plant: title("Home")},
		{check: "title-placeholder", why: "the file's name became the title", on: plants("hosta-undulata"),
			plant: title("plant-page-final.html")},
		{check: "title-is-h1", why: "the field was filled from the heading",
			on: append(journal("pollen-in-march", "meadow-hay", "orchid-fungi"),
				gardens("walled-garden")...), plant: func(p *Page) {
				p.H1 = "All about " + strings.TrimPrefix(strings.TrimPrefix(p.H1, "A year with "), "The ") + " in one page"
				p.Title = p.H1
			}},
		{check: "description-missing", why: "never written",
			on:    plants("lilium-henryi", "lilium-regale", "lilium-martagon", "salvia-patens"),
			plant: func(p *Page) { p.NoDescription = true }},
		{check: "description-missing", in: Spring, why: "emptied by accident", on: gardens("cedar-lawn", "lake-walk"),
			plant: about("")},
		{check: "description-duplicate", why: "the shop's standard words on all bird tables", on: birdTables(),
			plant: about("Order from the Fernhollow shop: each purchase helps to look after the garden and its people.")},
		{check: "description-duplicate", why: "copied from the event of the year before",
			on:    events("workshop-pruning-apples", "morning-walk-pruning-apples"),
			plant: about("Learn to prune apple trees with the orchard team of Fernhollow, with tools, tea and plenty of time to ask.")},
		{check: "description-several", why: "template and extension both write one",
			on:    research("birch-sap", "hedge-cutting", "wild-garlic"),
			plant: head(`<meta name="description" content="Research at Fernhollow, brought to you by the garden extension for busy editors.">`)},
		{check: "description-long", why: "the first paragraph as a description",
			on: plants("magnolia-stellata", "magnolia-campbellii", "magnolia-sieboldii"), plant: func(p *Page) {
				p.Description += " It was planted by the founders, moved twice, lost its top in a storm and flowers all the better for it."
			}},
		{check: "description-short", why: "three words are not enough",
			on: events("evening-talk-moths-by-night", "morning-walk-moths-by-night",
				"family-trail-moths-by-night"), plant: func(p *Page) {
				p.Description = "Moths: " + strings.ToLower(strings.SplitN(p.H1, ":", 2)[0]) + " with lamps."
			}},
		{check: "description-is-title", why: "filled from the title",
			on:    journal("bracken-control", "grass-snakes-and-compost", "deadwood-beetles"),
			plant: func(p *Page) { p.Description = p.Title }},
		{check: "description-short", why: "a title is too short for a description",
			on: journal("bracken-control", "grass-snakes-and-compost", "deadwood-beetles")},
		{check: "keywords-meta", why: "the research template still writes keywords", on: s.in("/research/"),
			plant: head(`<meta name="keywords" content="research, botany, fernhollow">`)},
	}
}

// birdTables are the shop's bird tables, and in summer only half of them still share a
// description.
func birdTables() []string {
	var out []string
	for _, n := range shopNames {
		out = append(out, "/shop/"+slug(n)+"-bird-table/")
	}
	return out
}

// in lists the notes in a folder, its list page left out.
func (s *Site) in(folder string) []string {
	var out []string
	for _, p := range s.Of("note") {
		if strings.HasPrefix(p, folder) {
			out = append(out, p)
		}
	}
	return out
}

func (s *Site) headingDefects() []defect {
	box := func(p *Page) { p.RawBefore = append(p.RawBefore, "<h2>Friends of the garden</h2>") }
	return []defect{
		{check: "h1-missing", why: "a styled paragraph instead of a heading",
			on: plants("geum-rivale", "geum-coccineum"), plant: func(p *Page) {
				p.NoH1 = true
				p.RawBefore = append(p.RawBefore, `<p class="big">`+p.H1+`</p>`)
			}},
		{check: "h1-missing", why: "the heading was emptied", on: plants("geum-montanum"),
			plant: func(p *Page) { p.H1 = "<br>" }},
		{check: "h1-several", why: "a slogan was made a heading",
			on: gardens("winter-garden", "ferny-dell", "physic-beds"), plant: main("<h1>See it before you leave</h1>")},
		{check: "h1-duplicate", why: "one text for several walks",
			on:    events("morning-walk-seed-saving", "family-trail-seed-saving", "open-studio-seed-saving"),
			plant: func(p *Page) { p.H1 = "Save your own seed" }},
		{check: "h1-duplicate", in: Spring, why: "two notes of one title",
			on:    []string{"/research/moss-on-the-north-wall/", "/journal/moss-on-the-north-wall/"},
			plant: func(p *Page) { p.H1 = "Moss on the north wall of the ice house" }},
		{check: "h1-long", why: "a sentence as a heading",
			on: events("evening-talk-composting", "morning-walk-composting",
				"family-trail-composting"), plant: func(p *Page) {
				p.H1 += ", and why the heap behind the potting shed has been steaming since November"
			}},
		{check: "heading-repeated", in: Spring, why: "the shop's template writes the product's name twice",
			on: s.Of("product")},
		{check: "heading-repeated", why: "a section was pasted twice", on: gardens("long-border"),
			plant: main("<h2>Getting around</h2><p>As above.</p>")},
		{check: "heading-repeated", why: "a section repeats the main heading, a level down",
			on: journal("night-moths-and-lamps", "bulbs-under-mown-grass"), plant: func(p *Page) {
				p.RawMain = append(p.RawMain, "<h2>"+p.H1+"</h2><p>Thanks to all.</p>")
			}},
		{check: "heading-empty", why: "left over from the editor", on: plants("primula-vulgaris", "primula-japonica"),
			plant: main("<h3> </h3>")},
		{check: "heading-empty", why: "a picture without words as a heading", on: plants("primula-florindae"),
			plant: main(`<h3><img src="/pictures/line.png" alt=""></h3>`)},
		{check: "heading-empty", why: "the empty main heading", on: plants("geum-montanum")},
		{check: "heading-skipped", why: "chosen for its size",
			on:    events("workshop-grafting", "evening-talk-grafting", "workshop-willow-weaving"),
			plant: main("<h4>Small print</h4><p>No refunds in fog.</p>")},
		{check: "heading-first", why: "the members' template opens with a box", on: s.Of("member"), plant: box},
		{check: "heading-none", why: "written in one go",
			on: research("night-moths-and-lamps", "the-age-of-yews", "bulbs-under-mown-grass"), plant: func(p *Page) {
				for i := range p.Sections {
					p.Sections[i].Heading = ""
				}
				p.Sections[0].Text = append(p.Sections[0].Text, lengthen(p.Path))
			}},
	}
}

// lengthen gives a page enough text to need headings.
func lengthen(seed string) string {
	return paragraph(compose(seed+" more", noteSentences, map[string]string{"topic": "all of this"})...)
}

func (s *Site) copyDefects() []defect {
	thin := func(p *Page) { p.Sections = []Section{{2, "Soon more", p.Sections[0].Text[:1]}} }
	return []defect{
		{check: "copy-thin", why: "announced and never written", on: plants("trillium-sessile", "trillium-luteum"),
			plant: thin},
		{check: "copy-thin", why: "a stub of the new editor", on: research("graft-unions", "rain-in-barrels"),
			plant: thin},
		{check: "copy-duplicate", why: "entered twice under two addresses",
			on: plants("crocus-sativus", "crocus-speciosus"), plant: func(p *Page) {
				first := s.Page("/plants/crocus-sativus/")
				p.Sections, p.H1, p.Crumb = first.Sections, "Saffron crocus of the Walled Garden", first.Crumb
			}},
		{check: "h1-duplicate", why: "entered twice under two addresses",
			on: plants("crocus-sativus", "crocus-speciosus")},
		{check: "copy-duplicate", why: "the card's text was kept for three more",
			on: products("meadow-garden-card", "orchard-garden-card", "rock-bank-garden-card"), plant: func(p *Page) {
				first := s.Page("/shop/meadow-garden-card/")
				p.Sections, p.H1 = first.Sections, "Garden card of the season"
			}},
		{check: "h1-duplicate", why: "the card's text was kept for three more",
			on: products("meadow-garden-card", "orchard-garden-card", "rock-bank-garden-card")},
		{check: "copy-near-duplicate", why: "one text with a word exchanged",
			on: plants("narcissus-pseudonarcissus", "narcissus-poeticus",
				"narcissus-cyclamineus"), plant: func(p *Page) {
				first := s.Page("/plants/narcissus-pseudonarcissus/")
				if p == first {
					return
				}
				p.Sections = append([]Section(nil), first.Sections...)
				last := &p.Sections[len(p.Sections)-1]
				last.Text = append(append([]string(nil), last.Text...),
					"Look for it below the "+p.Path[len("/plants/narcissus-"):len(p.Path)-1]+" label.")
			}},
	}
}

func (s *Site) linkDefects() []defect {
	return []defect{
		{check: "link-broken-inside", in: Spring, why: "the footer's template links to a shop that closed",
			on: s.all()},
		{check: "link-broken-inside", why: "a typing error in an address", on: plants("betula-nigra"),
			plant: link("/plants/betula-pendla/", "silver birch")},
		{check: "link-broken-inside", why: "the event is over and gone", on: journal("wild-garlic", "rain-in-barrels"),
			plant: link("/events/garlic-day/", "the garlic day")},
		{check: "link-broken-inside", why: "the ticket system answers with an error",
			on:    events("evening-talk-botanical-drawing", "workshop-botanical-drawing"),
			plant: link("/events/box-office/", "box office")},
		{check: "link-broken-inside", why: "the renewal form answers with an error",
			on: []string{"/members/gifts-and-legacies/"}, plant: link("/members/renew/", "renew")},
		{check: "link-broken-inside", why: "the stock list answers with an error", on: products("lake-walk-bulb-box"),
			plant: link("/shop/stock/", "what is in stock")},
		{check: "link-broken-inside", why: "the weather page never answers", on: research("the-first-frost"),
			plant: link("/research/live-weather/", "weather now")},
		{check: "link-broken-inside", why: "the camera never answers", on: gardens("cedar-lawn"),
			plant: link("/visit/webcam/", "live picture")},
		{check: "link-broken-inside", why: "the plant finder never answers", on: plants("osmunda-regalis"),
			plant: link("/plants/finder/", "plant finder")},
		{check: "link-redirects", why: "the research template's way back lacks a slash", on: s.in("/research/"),
			plant: func(p *Page) { p.Crumb = &Ref{"/research", "Research"} }},
		{check: "link-redirects", why: "the members' club sends visitors to its sign-in page",
			on: []string{"/members/"}},
		{check: "link-redirects", why: "an old address", on: append(plants("acer-palmatum"), journal("pond-depth")...),
			plant: link("/plants/acer", "paperbark maple")},
		{check: "link-redirects", why: "the old news address", on: gardens("meadow"),
			plant: link("/news/", "news of the meadow")},
		{check: "link-redirects", why: "the first step of a chain",
			on:    append(events("open-studio-bulbs-in-pots"), gardens("orchard", "long-border")...),
			plant: link("/tickets", "tickets")},
		{check: "redirect-chain", why: "tickets moved twice",
			on: append(events("open-studio-bulbs-in-pots"), gardens("orchard", "long-border")...)},
		{check: "link-redirects", why: "the first step of a longer chain", on: []string{"/visit/library/"},
			plant: link("/map", "the map")},
		{check: "redirect-chain", why: "the map moved three times", on: []string{"/visit/library/"}},
		{check: "redirect-loop", why: "two shop addresses send visitors to each other",
			on: products("orchard-tea-towel", "meadow-tea-towel"), plant: link("/shop/gift-card", "gift card")},
		{check: "redirect-loop", why: "an address redirects to itself", on: products("lake-walk-tea-towel"),
			plant: link("/shop/circle", "the circle of friends")},
		{check: "link-empty", why: "an icon without a name", on: plants("quercus-ilex", "quercus-petraea"),
			plant: main(`<p><a href="/visit/"><span class="icon"></span></a></p>`)},
		{check: "link-empty", why: "a picture without words as the only content", on: journal("soil-warmth"),
			plant: main(`<p><a href="/journal/"><img src="/pictures/back.png" alt=""></a></p>`)},
		{check: "link-empty", in: Summer, why: "the new icon row", on: gardens("walled-garden", "ferny-dell"),
			plant: main(`<p><a href="/visit/"><span class="icon"></span></a></p>`)},
		{check: "reach-server-error", why: "the ticket system is away", on: []string{"/events/box-office/"}},
		{check: "reach-server-error", why: "the membership system is away", on: []string{"/members/renew/"}},
		{check: "reach-server-error", why: "the stock list is away", on: []string{"/shop/stock/"}},
		{check: "reach-timeout", why: "waits for a weather station that is gone",
			on: []string{"/research/live-weather/"}},
		{check: "reach-timeout", why: "waits for a camera that is gone", on: []string{"/visit/webcam/"}},
		{check: "reach-timeout", why: "a search over everything", on: []string{"/plants/finder/"}},
		{check: "robots-blocks-linked", why: "the shop's template links to the basket, which robots.txt shuts out",
			on: s.Of("product")},
		{check: "robots-blocks-linked", why: "a link into the closed area",
			on:    []string{"/members/seed-exchange/", "/members/annual-meeting/"},
			plant: link("/members/area/", "Members only")},
	}
}

func (s *Site) otherDefects() []defect {
	return []defect{
		{check: "canonical-several", why: "the extension adds one of its own",
			on:    research("leaf-fall", "lichen-on-roof-slates", "bumblebee-queens"),
			plant: head(`<link rel="canonical" href="` + Home + `research/">`)},
		{check: "index-noindex-linked", why: "still hidden from the time of writing, yet in the sitemap",
			on: plants("salvia-sclarea", "salvia-nemorosa"), plant: func(p *Page) { p.NoIndex = true }},
		{check: "index-noindex-linked", why: "hidden while being rebuilt, yet in every footer",
			on: []string{"/gallery/"}, plant: func(p *Page) { p.NoIndex = true }},
		{check: "image-alt-missing", why: "uploaded in a hurry",
			on:    plants("paeonia-lactiflora", "paeonia-tenuifolia", "cornus-mas", "cornus-alba"),
			plant: func(p *Page) { p.Pictures[0].NoAlt = true }},
		{check: "image-alt-missing", in: Summer, why: "the new sponsor's mark", on: gardens("stumpery"),
			plant: main(`<p><img src="/pictures/sponsor.png" width="96" height="64"></p>`)},
		{check: "lang-missing", why: "an old static page",
			on:    events("open-studio-natural-dyes", "workshop-natural-dyes", "family-trail-natural-dyes"),
			plant: func(p *Page) { p.NoLang = true }},
		{check: "viewport-missing", why: "the members' template is older than telephones with screens",
			on: s.Of("member"), plant: func(p *Page) { p.NoViewport = true }},
	}
}
