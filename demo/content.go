package demo

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
)

// pick chooses an option for a page, always the same one.
func pick(seed string, slot int, options []string) string {
	return options[hash(seed, slot)%uint32(len(options))]
}

// compose writes one sentence of each row, with the marks filled in.
func compose(seed string, rows [][]string, fixed map[string]string) []string {
	out := make([]string, len(rows))
	for i, row := range rows {
		out[i] = fill(seed, i, pick(seed, i, row), fixed)
	}
	return out
}

// fill replaces the marks of a sentence: those that are fixed for the page, then words of
// the page's choice, a number or a year.
func fill(seed string, row int, sentence string, fixed map[string]string) string {
	for {
		i := strings.IndexByte(sentence, '{')
		if i < 0 {
			return capital(sentence)
		}
		j := i + strings.IndexByte(sentence[i:], '}')
		mark := sentence[i+1 : j]
		sentence = sentence[:i] + word(seed, row, mark, fixed) + sentence[j+1:]
	}
}

func word(seed string, row int, mark string, fixed map[string]string) string {
	if w, ok := fixed[mark]; ok {
		return w
	}
	salt := 100*row + len(mark)
	for _, table := range []map[string][]string{fillings, eventFillings} {
		if options, ok := table[mark]; ok {
			return pick(seed+mark, salt, options)
		}
	}
	n := int(hash(seed+mark, salt))
	switch mark {
	case "year":
		return fmt.Sprint(1871 + n%130)
	case "year2":
		return fmt.Sprint(1880 + n%120)
	case "yearNow":
		return fmt.Sprint(2015 + n%10)
	case "height":
		return fmt.Sprint(15 + 5*(n%90))
	case "frost":
		return fmt.Sprint(5 + n%20)
	case "number":
		return fmt.Sprint(30 + n%400)
	case "number2":
		return fmt.Sprint(2 + n%27)
	case "places":
		return fmt.Sprint(8 + n%30)
	case "day":
		return []string{"Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday"}[n%6]
	}
	panic("no word for " + mark)
}

func capital(s string) string {
	r := []rune(s)
	r[0] = unicode.ToUpper(r[0])
	return string(r)
}

func slug(s string) string {
	s = strings.ToLower(s)
	var b strings.Builder
	for _, r := range s {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case r == 'ä':
			b.WriteString("ae")
		case r == ' ' || r == '-':
			b.WriteByte('-')
		}
	}
	return b.String()
}

func paragraph(sentences ...string) string { return strings.Join(sentences, " ") }

// build makes the pages as they ought to be.
func (s *Site) build() {
	s.plants()
	s.events()
	s.shop()
	s.notes("research", "Research", "Field notes on %s",
		"What our gardeners and students found out about %s, with the method, the figures and what follows for gardens.")
	s.notes("journal", "Journal", "A year with %s",
		"From the garden's journal: how %s kept us busy, what went wrong and who helped to put it right in the end.")
	s.visit()
	s.translations()
	s.members()
	s.single()
}

// lists makes the pages of a list, 20 lines each.
func (s *Site) lists(base, title, about string, intro []string, refs []Ref) {
	const each = 20
	pages := (len(refs) + each - 1) / each
	for n := 1; n <= pages; n++ {
		p := &Page{
			Path: base, Layout: "list", Title: title + " – Fernhollow", H1: title,
			Description: about, List: refs[(n-1)*each : min(n*each, len(refs))],
		}
		if n > 1 {
			p.Path = fmt.Sprintf("%spage/%d/", base, n)
			p.Title = fmt.Sprintf("%s, page %d – Fernhollow", title, n)
			p.H1 = fmt.Sprintf("%s, page %d", title, n)
			p.Description = fmt.Sprintf("Page %d of %d: %s", n, pages, about)
		} else {
			p.Sections = []Section{{Text: intro}}
		}
		for to := 1; to <= pages && pages > 1; to++ {
			if to != n {
				p.Pager = append(p.Pager, Ref{pagePath(base, to), fmt.Sprintf("Page %d", to)})
			}
		}
		s.add(p)
	}
}

func pagePath(base string, n int) string {
	if n == 1 {
		return base
	}
	return fmt.Sprintf("%spage/%d/", base, n)
}

func (s *Site) plants() {
	var refs []Ref
	for _, g := range genera {
		for _, k := range g.kinds {
			part := strings.Split(k, "|")
			latin := g.name + " " + part[0]
			common, colour := part[1], part[2]
			seed := latin
			t := compose(seed, plantSentences, map[string]string{
				"Latin": latin, "common": common, "colour": colour, "origin": g.origin, "habit": g.habit,
			})
			notes := compose(seed+" notes", noteSentences[:7],
				map[string]string{"topic": "how " + common + " takes to " +
					pick(seed, 77, []string{"shade", "wind", "late frost", "hard water", "drought", "clipping"})})
			path := "/plants/" + slug(latin) + "/"
			title := latin + ", " + common + " – Fernhollow"
			if len(title) > 58 {
				title = latin + " – Fernhollow plants"
			}
			s.add(&Page{
				Path: path, Layout: "plant", Title: title,
				Description: fmt.Sprintf("%s, the %s: where it grows at Fernhollow, when its %s show is at its best and how we keep it.", latin, common, colour),
				H1:          latin + ", the " + common, Crumb: &Ref{"/plants/", "All plants"},
				Pictures: []Picture{{Name: slug(latin), Alt: latin + " in " + colour}},
				Sections: []Section{
					{2, "Where to find it", []string{paragraph(t[0], t[2], t[9]), paragraph(t[11], t[10])}},
					{2, "How we grow it", []string{paragraph(t[1], t[3], t[4]), paragraph(t[5], t[8])}},
					{2, "Its neighbours and its history", []string{paragraph(g.note, t[6], t[7])}},
					{2, "From the notebook", []string{paragraph(notes[:4]...), paragraph(notes[4:]...)}},
				},
			})
			refs = append(refs, Ref{path, latin + ", " + common})
		}
	}
	slices.SortFunc(refs, func(a, b Ref) int { return strings.Compare(a.Words, b.Words) })
	s.lists("/plants/", "Plants from A to Z",
		"Every plant that Fernhollow grows and labels, with its common name, in the order of the alphabet.",
		[]string{"Fernhollow grows plants from cool and damp places all over the world."}, refs)
}

func (s *Site) events() {
	var refs []Ref
	for i, topic := range eventTopics {
		for j := range 3 {
			form := eventForms[(i+2*j)%len(eventForms)]
			name := form + ": " + topic
			title := capital(strings.ToLower(form[:1])+form[1:]) + " on " + topic
			seed := name
			t := compose(seed, eventSentences,
				map[string]string{"Title": capital(title), "title": "the " + strings.ToLower(title), "topic": topic})
			notes := compose(seed+" notes", noteSentences[:6], map[string]string{"topic": topic})
			path := "/events/" + slug(name) + "/"
			s.add(&Page{
				Path: path, Layout: "event", Title: name + " – Fernhollow", H1: name,
				Crumb:       &Ref{"/events/", "What’s on"},
				Description: fmt.Sprintf("%s about %s at Fernhollow Botanic Garden: what happens, where to meet, what to bring and how to book.", form, topic),
				Sections: []Section{
					{2, "What to expect", []string{paragraph(t[0], t[2], t[6]), paragraph(t[11], t[10])}},
					{2, "Time and place", []string{paragraph(t[1], t[8], t[7])}},
					{2, "What it costs", []string{paragraph(t[3], t[5], t[4], t[9])}},
					{2, "Background", []string{paragraph(notes...)}},
				},
			})
			refs = append(refs, Ref{path, name})
		}
	}
	s.lists("/events/", "What’s on at the garden",
		"Walks, workshops and talks at Fernhollow through the year, most of them free of charge for members.",
		[]string{"Something is on at Fernhollow every week of the year."}, refs)
}

func (s *Site) shop() {
	var refs []Ref
	for _, kind := range shopKinds {
		for _, name := range shopNames {
			title := name + " " + strings.ToLower(kind)
			seed := title
			t := compose(seed, shopSentences, map[string]string{"Title": "The " + title, "title": "the " + title})
			notes := compose(seed+" notes", noteSentences[:8],
				map[string]string{"topic": "the " + strings.ToLower(kind) + " of the " + name})
			path := "/shop/" + slug(title) + "/"
			s.add(&Page{
				Path: path, Layout: "product", Title: capital(title) + " – Fernhollow shop", H1: capital(title),
				Crumb:       &Ref{"/shop/", "The garden shop"},
				Description: fmt.Sprintf("The %s from Fernhollow's own workshop: what it is made of, how to use it and what your purchase pays for.", title),
				Pictures:    []Picture{{Name: slug(title), Alt: capital(title) + " on a wooden table"}},
				Sections: []Section{
					{2, "About it", []string{paragraph(t[0], t[1], t[3]), paragraph(t[8], t[9])}},
					{2, "Using it", []string{paragraph(t[2], t[5], t[7])}},
					{2, "Delivery", []string{paragraph(t[6], t[4], t[10])}},
					{2, "How it came about", []string{paragraph(notes[:4]...), paragraph(notes[4:]...)}},
				},
			})
			refs = append(refs, Ref{path, capital(title)})
		}
	}
	s.lists("/shop/", "The garden shop",
		"Seed, bulbs, cards and things for the garden, made or chosen at Fernhollow; each sale looks after a bed.",
		[]string{"Everything here was made on the estate or tried by our gardeners."}, refs)
}

func (s *Site) notes(folder, name, form, about string) {
	var refs []Ref
	for i, topic := range noteTopics {
		title := fmt.Sprintf(form, topic)
		seed := folder + topic
		t := compose(seed, noteSentences, map[string]string{"topic": topic})
		g := genera[(i*5+len(folder))%len(genera)]
		part := strings.Split(g.kinds[i%4], "|")
		plant := compose(seed+" plant", plantSentences[:10], map[string]string{
			"Latin": g.name + " " + part[0], "common": part[1], "colour": part[2], "origin": g.origin, "habit": g.habit,
		})
		path := "/" + folder + "/" + slug(topic) + "/"
		s.add(&Page{
			Path: path, Layout: "note", Title: title + " – Fernhollow", H1: title,
			Crumb:       &Ref{"/" + folder + "/", name},
			Description: fmt.Sprintf(about, topic),
			Sections: []Section{
				{2, "What we asked", []string{paragraph(t[0], t[1], t[10])}},
				{2, "What we saw", []string{paragraph(t[2], t[3], t[7]), paragraph(t[4], t[11])}},
				{2, "One plant among many", []string{paragraph(plant[:5]...), paragraph(plant[5:]...)}},
				{2, "What it means", []string{paragraph(t[9], t[6]), paragraph(t[8], t[5])}},
			},
		})
		refs = append(refs, Ref{path, title})
	}
	s.lists("/"+folder+"/", name+" at Fernhollow",
		fmt.Sprintf("%s of the garden, note by note: plots counted, letters answered, mistakes admitted and lessons learnt.", name),
		[]string{"Notes by the people who work here."}, refs)
}

func (s *Site) visit() {
	var refs []Ref
	place := func(path, title, about, seed string) {
		t := compose(seed, visitSentences, map[string]string{"Title": "The " + title, "title": "the " + title})
		s.add(&Page{
			Path: path, Layout: "visit", Title: title + ": plan your visit – Fernhollow", H1: "The " + title,
			Crumb:       &Ref{"/visit/", "Visit"},
			Description: about, Pictures: []Picture{{Name: slug(title), Alt: "View of the " + title}},
			Sections: []Section{
				{2, "What you will see", []string{paragraph(t[0], t[1], t[2]), paragraph(t[7], t[14])}},
				{2, "Getting around", []string{paragraph(t[5], t[3], t[12]), paragraph(t[17], t[16])}},
				{2, "With children", []string{paragraph(t[6], t[10], t[11])}},
				{2, "Good to know", []string{paragraph(t[4], t[13], t[8]), paragraph(t[9], t[15])}},
			},
		})
		refs = append(refs, Ref{path, title})
	}
	for _, a := range areas {
		place("/visit/gardens/"+slug(a)+"/", a,
			fmt.Sprintf("What to see in the %s at Fernhollow in each season, how to get there from the gate and where to sit down.", a), a)
	}
	for _, f := range []string{"Tea room", "Glasshouse", "Boat house", "Library", "Play meadow", "Visitor desk",
		"Car park", "Map room"} {
		place("/visit/"+slug(f)+"/", f,
			fmt.Sprintf("The %s at Fernhollow: when it is open, what it offers to visitors with and without children, and how to find it.", strings.ToLower(f)), f)
	}
	s.lists("/visit/", "Plan your visit",
		"Opening hours, ways to get here and all the parts of Fernhollow Botanic Garden that are open to visitors.",
		[]string{"The gate opens at ten, every day but Christmas."}, refs)
}

func (s *Site) translations() {
	var de, cy []Ref
	for _, a := range areasDE {
		t := compose(a, germanSentences, map[string]string{"area": a})
		path := "/de/gaerten/" + slug(a) + "/"
		s.add(&Page{
			Path: path, Lang: "de", Layout: "visit", Title: a + " im Botanischen Garten Fernhollow", H1: "Der " + a,
			Crumb: &Ref{"/de/gaerten/", "Alle Gärten"},
			Description: "Was es im " + a +
				" von Fernhollow zu jeder Jahreszeit zu sehen gibt, wie man hinkommt und was Kinder dort entdecken.",
			Sections: []Section{
				{2, "Durch das Jahr", []string{paragraph(t[0], t[1], t[2], t[7]), paragraph(t[14], t[9])}},
				{2, "Wege und Ruheplätze", []string{paragraph(t[3], t[5], t[12], t[17])}},
				{2, "Für Kinder und Neugierige", []string{paragraph(t[6], t[4], t[10], t[11])}},
				{2, "Gut zu wissen", []string{paragraph(t[13], t[8], t[16], t[15])}},
			},
		})
		de = append(de, Ref{path, a})
	}
	for _, a := range areasCY {
		t := compose(a, welshSentences, map[string]string{"area": a})
		path := "/cy/gerddi/" + slug(a) + "/"
		s.add(&Page{
			Path: path, Lang: "cy", Layout: "visit", Title: a + " yng Ngerddi Fernhollow", H1: "Yr " + a,
			Crumb: &Ref{"/cy/gerddi/", "Pob gardd"},
			Description: "Beth i'w weld yn yr " + a +
				" yn Fernhollow ym mhob tymor, sut i gyrraedd yno a beth all plant ei ddarganfod.",
			Sections: []Section{
				{2, "Drwy'r flwyddyn", []string{paragraph(t[0], t[1], t[2], t[7]), paragraph(t[14], t[9])}},
				{2, "Llwybrau a meinciau", []string{paragraph(t[3], t[5], t[12], t[17])}},
				{2, "I blant a phobl chwilfrydig", []string{paragraph(t[6], t[4], t[10], t[11])}},
				{2, "Da gwybod", []string{paragraph(t[13], t[8], t[16], t[15])}},
			},
		})
		cy = append(cy, Ref{path, a})
	}
	add := func(path, lang, title, h1, about string, list []Ref) {
		s.add(&Page{Path: path, Lang: lang, Layout: "list", Title: title, H1: h1, Description: about, List: list})
	}
	add("/de/", "de", "Botanischer Garten Fernhollow auf Deutsch", "Willkommen in Fernhollow",
		"Der Botanische Garten Fernhollow auf Deutsch: Gärten, Wege und Führungen für einen Besuch zu jeder Jahreszeit.",
		append([]Ref{{"/de/gaerten/", "Alle Gärten von Fernhollow"}}, de...))
	add("/de/gaerten/", "de", "Alle Gärten von Fernhollow im Überblick", "Alle Gärten",
		"Alle acht Gärten von Fernhollow im Überblick, vom Mauergarten bis zum Heilkräuterbeet, mit dem Weg dorthin.", de)
	add("/cy/", "cy", "Gerddi Botaneg Fernhollow yn Gymraeg", "Croeso i Fernhollow",
		"Gerddi Botaneg Fernhollow yn Gymraeg: gerddi, llwybrau a theithiau ar gyfer ymweliad ym mhob tymor o'r flwyddyn.",
		append([]Ref{{"/cy/gerddi/", "Pob gardd yn Fernhollow"}, {"/plants/", "Y planhigion (Saesneg)"}}, cy...))
	add("/cy/gerddi/", "cy", "Pob gardd yn Fernhollow ar un dudalen", "Pob gardd",
		"Chwe gardd Fernhollow ar un dudalen, o'r Ardd Furiog i'r Ardd Gors, gyda'r ffordd i gyrraedd pob un ohonynt.",
		append([]Ref{{"/cy/", "Yn ôl i'r dudalen gartref"}, {"/visit/", "Ymweld (Saesneg)"}}, cy...))
}

func (s *Site) members() {
	var refs []Ref
	for _, m := range []string{"Joining the Friends", "Gifts and legacies", "Volunteer days", "The members' library",
		"Seed exchange", "Annual meeting"} {
		t := compose(m, visitSentences, map[string]string{"Title": m, "title": strings.ToLower(m[:1]) + m[1:]})
		path := "/members/" + slug(m) + "/"
		s.add(&Page{
			Path: path, Layout: "member", Title: m + " – Friends of Fernhollow", H1: m,
			Crumb:       &Ref{"/members/", "Members"},
			Description: m + ": what it means for Friends of Fernhollow, how to take part and whom to ask, with the dates of this year.",
			Sections: []Section{
				{2, "How it works", []string{paragraph(t[0], t[4], t[13]), paragraph(t[15], t[9])}},
				{2, "When and where", []string{paragraph(t[3], t[12], t[8]), paragraph(t[17], t[10])}},
				{2, "Why it matters", []string{paragraph(t[14], t[1], t[2]), paragraph(t[7], t[6], t[16]),
					paragraph(t[5], t[11])}},
			},
		})
		refs = append(refs, Ref{path, m})
	}
	refs = append(refs, Ref{"/visit/tea-room/", "Tea room"}, Ref{"/visit/library/", "Library"},
		Ref{"/events/", "Events for Friends"}, Ref{"/contact/", "Write to us"})
	s.lists("/members/", "Friends of Fernhollow",
		"Become a Friend of Fernhollow: free entry, the seed exchange and a say at the annual meeting in the map room.",
		[]string{"More than two thousand people belong to the Friends."}, refs)
}

// single makes the pages that stand alone, among them look-alikes: pages that are rightly
// short, or odd in a way that is no defect.
func (s *Site) single() {
	home := compose("home", visitSentences,
		map[string]string{"Title": "Fernhollow Botanic Garden", "title": "Fernhollow"})
	s.add(&Page{
		Path: "/", Layout: "plain", Title: "Fernhollow Botanic Garden: ferns, woods and a lake",
		H1:          `<img src="/pictures/word.png" alt="Fernhollow Botanic Garden">`,
		Description: "Fernhollow is a botanic garden of ferns, old trees and a lake, with walks, a shop and research open to everybody.",
		Sections: []Section{
			{2, "Come in", []string{paragraph(home[0], home[1], home[7]), paragraph(home[5], home[13])}},
			{2, "Look around", []string{paragraph(home[2], home[3], home[6]), paragraph(home[14], home[9])}},
			{2, "Stay a while", []string{paragraph(home[8], home[10], home[12]),
				paragraph(home[15], home[16], home[17])}},
		},
		List: []Ref{{"/visit/gardens/walled-garden/", "The Walled Garden"}, {"/events/page/2/", "Later events"},
			{"/research/soil-warmth/", "How warm is the soil?"}},
	})
	s.add(&Page{ // short, and rightly so
		Path: "/contact/", Layout: "plain", Title: "Contact Fernhollow Botanic Garden", H1: "Contact",
		Description: "How to reach Fernhollow Botanic Garden by letter, by telephone or at the visitor desk beside the main gate.",
		Sections:    []Section{{Text: []string{`Write to <a href="mailto:desk@fernhollow.example">the visitor desk</a> or ring us between ten and four.`}}},
	})
	s.add(&Page{
		Path: "/privacy/", Layout: "plain", Title: "Privacy notice of Fernhollow", H1: "Privacy notice",
		Description: "What Fernhollow keeps about visitors and members, for how long, and how to have it deleted or put right.",
		Sections:    []Section{{Text: []string{"We keep what you write to us until it is answered, and membership data for as long as you are a Friend."}}},
	})
	s.add(&Page{
		Path: "/gallery/", Layout: "plain", Title: "Gallery: the garden in pictures – Fernhollow",
		H1:          "The garden in pictures",
		Description: "Twelve months of Fernhollow in pictures, from snowdrops by the ice house to frost on the cedar lawn.",
		Pictures: []Picture{
			{Name: "jan", Alt: "Snow on the cedar lawn"}, {Name: "feb", Alt: "Snowdrops"},
			{Name: "mar", Alt: "Wild daffodils"}, {Name: "apr", Alt: ""},
			{Name: "may", Alt: "Ferns unrolling"}, {Name: "jun", Alt: "Orchids in the meadow"},
			{Name: "jul", Alt: "The lake"}, {Name: "aug", Alt: "Hay"},
		},
	})
	s.add(&Page{
		Path: "/search/", Layout: "plain", Title: "Search the garden's pages – Fernhollow", H1: "Search",
		Description: "Search all pages of Fernhollow Botanic Garden: plants, events, notes and the shop, in English, German and Welsh.",
		RawMain:     []string{`<form role="search"><label>Words <input type="search" name="q"></label> <button>Look</button></form>`},
	})
	access := compose("access", visitSentences,
		map[string]string{"Title": "The way for everybody", "title": "the way for everybody"})
	s.add(&Page{ // an SVG has a title of its own, and icons can have names
		Path: "/accessibility/", Layout: "plain", Title: "Access for everybody – Fernhollow",
		H1:          "Access for everybody",
		Description: "Paths, rest places, toilets and help at Fernhollow for visitors who use a wheelchair, a stick, a pram or a guide dog.",
		Sections: []Section{
			{2, "Paths", []string{paragraph(access[5], access[3], access[17], access[12]),
				paragraph(access[0], access[1])}},
			{2, "Help", []string{paragraph(access[4], access[11], access[10]),
				paragraph(access[13], access[16], access[8])}},
			{2, "Quiet hours", []string{paragraph(access[6], access[14], access[15], access[2]),
				paragraph(access[9], access[7])}},
		},
		RawMain: []string{
			`<p><a href="/visit/map-room/"><svg viewBox="0 0 8 8"><title>Map of level paths</title><path d="M0 0h8v8z"/></svg></a>`,
			`<a href="/contact/" aria-label="Ask the visitor desk"></a> <a href="/visit/tea-room/"><img src="/pictures/cup.png" alt="Tea room"></a></p>`,
		},
	})
}
