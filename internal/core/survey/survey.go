// Package survey is the read-only view of a whole crawl that site checks judge: every
// known address, a brief of every fetched one, and the link graph between them. It is built
// as results come in and takes well under a kilobyte a page; link words and texts are
// read again from their Source where a check needs them.
package survey

import (
	"slices"
	"strings"
	"sync"

	"harvik/internal/core/graph"
	"harvik/internal/core/neardup"
	"harvik/internal/core/page"
	"harvik/internal/core/rendered"
	"harvik/internal/core/text"
)

// A Page is the brief of a fetched address.
type Page struct {
	ID        int32
	Status    int
	Outcome   page.Outcome
	Type      string
	Redirect  int32 // number of the target; −1 for none
	Canonical int32 // likewise
	Indexable bool
	NoIndex   string // "meta", "header" or ""
	HTML      bool   // an HTML document was read
	Title     page.Text
	About     page.Text // meta description
	H1        page.Heading
	Kind      page.Kind
	Words     int
	Tries     int
	Bytes     int
	FirstByte int    // milliseconds
	Coding    string // content coding
	Lang      string // as declared
	TextLang  string // of the main text, where that is sure
	Flags     Flag
	TextHash  uint64
	Sketch    []uint32
	Blocks    []uint32 // nil once what recurs is known
	Trimmed   bool     // Words and what follows from the text leave out what is the layout's own
	Frame     []uint32 // nil once layouts are known
	Layout    int32    // −1 for none; set by Finish
	Asks      []int32  // where its forms ask that only ask: places in the survey's Asked
}

// Flag marks what a page has, so that checks need to read only the facts of pages that concern them.
type Flag uint16

const (
	HasAlternates Flag = 1 << iota
	HasData
	HasCards
	HasRefresh
	HasAnchors
	Cacheable      // it may be kept by caches for some time, or asked for again cheaply
	Opaque         // a picture without transparency
	ShortLived     // it may be kept for a while, and for less than a day
	HasSubheadings // headings below the first level
	MostlyCode     // at least half of its text stands in code
	HasCode        // some of it does
	MostlyLinks    // links make up most of its text
	HasCanonicals  // it names a canonical address, or more
	HasJumps       // links to places on pages
)

// A Source reads what a survey does not hold. It is safe for use from several goroutines.
type Source interface {
	// EachFacts calls f with the facts of each of the pages, in any order; links and main texts are
	// left out.
	EachFacts(pages []int32, f func(page int32, facts *page.Facts)) error
	// EachSkeleton calls f with the skeleton of each of the pages that are documents, in any order. It takes a part of
	// the time that all facts take.
	EachSkeleton(pages []int32, f func(page int32, s page.Skeleton)) error
	// EachLinks calls f with the links of each of the pages, in any order, and with the numbers of what they lead to,
	// −1 for what has none; nil where those are not known.
	EachLinks(pages []int32, f func(page int32, links []page.Link, to []int32)) error
	// EachText calls f with the main text of each of the pages, in any order.
	EachText(pages []int32, f func(page int32, main string)) error
	// EachRendering calls f with what a browser made of pages, by device, in the order of their numbers; of all that
	// were rendered where none are named.
	EachRendering(pages []int32, f func(page int32, on []rendered.Page)) error
}

// A Layout is a template that pages are built from. Its name holds from crawl to crawl, as long as
// the crawls are told what there was.
type Layout struct {
	Name   string
	Leader []uint32 // the frame that its pages' are like
}

// Survey is built with Add, then Finish; after that it is read only, from any goroutine.
type Survey struct {
	Addresses []Address
	Pages     []Page  // sorted by address after Finish
	Loaded    []Page  // what pages load, and outbound links that were checked; likewise
	Start     int32   // number of the start address
	Partial   bool    // addresses were left unfetched
	Facts     int     // the version of the oldest facts
	In        []int32 // distinct pages linking in, by address number
	Depth     []int32 // clicks from the start, by address number; −1 if not reachable
	Authority []float64
	Next      []int32             // redirect target by address number, −1 for none
	Layouts   []Layout            // by number
	Known     map[string][]uint32 // leaders of the layouts of earlier crawls, by name; set before Finish
	Weights   map[int32]float64   // of a spread crawl: how many pages each fetched one stands for, by address number
	Size      int                 // likewise: how many pages the site probably has; 0 if that is not estimated
	Graph     graph.Graph         // links
	Uses      graph.Graph         // what pages and stylesheets load
	Source    Source              // nil: there are no texts to read
	Asked     []string            // addresses that forms ask which only ask
	Terms     map[int32][]string  // strongest terms of indexable pages, by address number
	Rendered  map[int32]bool      // pages that a browser made something of; set once renderings are judged
	Evidence

	common    map[int32]map[uint32]bool // blocks that are a layout's own
	byAddress []int32                   // address number → index in Pages, −1 for none
	byLoaded  []int32                   // likewise in Loaded
	asked     map[string]int32          // address → place in Asked
	pictures  map[int32]bool
	refreshes map[int32]int32 // page → the page that it sends visitors on to

	names func() map[string]int32 // of Find
	hosts func() map[string]bool  // of Inside
	alone func() bool             // of CutOff
	used  func() []int32          // of Loadings
}

// Add notes a fetched address with its facts. Number resolves an address to its number,
// which it has by now; links are numbered in document order, −1 where there is no address.
func (s *Survey) Add(id int32, f *page.Facts, redirect, canonical int32, links []int32) {
	s.age(f)
	p := Page{
		ID: id, Status: f.Status, Outcome: f.Outcome, Type: f.Type, Tries: f.Tries, Bytes: f.Bytes,
		FirstByte: f.Timing.FirstByte,
		Coding:    f.Coding, Redirect: redirect, Canonical: canonical, Layout: -1,
	}
	if d := f.Document; d != nil {
		p.Lang, p.TextLang, p.Blocks = d.Lang, d.TextLang, d.Blocks
		p.Flags = flags(d)
		p.HTML = true
		p.Indexable, _ = f.Indexable()
		p.NoIndex = d.Robots.NoIndex
		if len(d.Titles) > 0 {
			p.Title = d.Titles[0]
		}
		for _, t := range d.Descriptions {
			if t.Text != "" {
				p.About = t
				break
			}
		}
		for _, h := range d.Headings {
			if h.Level == 1 && h.Text != "" {
				p.H1 = h
				break
			}
		}
		p.Kind, p.Words, p.TextHash = d.Kind, d.Words, d.TextHash
		p.Sketch, p.Frame = d.Sketch, d.Frame
		p.Asks = s.asks(d.Forms)
		s.link(id, d.Links, links)
	}
	s.Pages = append(s.Pages, p)
}

// asks are where forms ask that only ask.
func (s *Survey) asks(forms []page.Form) (out []int32) {
	for i := range forms {
		if forms[i].Post {
			continue
		}
		n, ok := s.asked[forms[i].Action]
		if !ok {
			if s.asked == nil {
				s.asked = map[string]int32{}
			}
			n = int32(len(s.Asked))
			s.asked[forms[i].Action] = n
			s.Asked = append(s.Asked, forms[i].Action)
		}
		out = append(out, n)
	}
	return out
}

// age notes of which version facts are.
func (s *Survey) age(f *page.Facts) {
	if s.Facts == 0 || f.Version < s.Facts {
		s.Facts = f.Version
	}
}

func flags(d *page.Document) (f Flag) {
	for flag, has := range map[Flag]bool{
		HasAlternates: len(d.Alternates) > 0, HasData: len(d.Data) > 0, HasCards: len(d.Cards) > 0,
		HasRefresh: d.RefreshTo != "", HasAnchors: len(d.IDs) > 0,
		HasSubheadings: slices.ContainsFunc(d.Headings,
			func(h page.Heading) bool { return h.Level > 1 && h.Text != "" }), MostlyLinks: mostlyLinks(d),
		MostlyCode: d.IsMostlyCode(), HasCode: d.CodeShare > 0,
		HasCanonicals: len(d.Canonicals) > 0,
		HasJumps: slices.ContainsFunc(d.Links,
			func(l page.Link) bool { return l.Fragment != "" && l.Address != "" }),
	} {
		if has {
			f |= flag
		}
	}
	return f
}

// mostlyLinks tells pages whose text is two fifths and more the words of links, as of contents and indexes.
func mostlyLinks(d *page.Document) bool {
	words := 0
	for i := range d.Links {
		if l := &d.Links[i]; l.Region == page.Content {
			text.EachWord(l.Words, func(string) { words++ })
		}
	}
	return 5*words >= 2*d.Words
}

// aDay has so many seconds.
const aDay = 24 * 60 * 60

// AddLoaded notes a fetched address that is no page.
func (s *Survey) AddLoaded(id int32, f *page.Facts, redirect int32) {
	s.age(f)
	p := Page{
		ID: id, Status: f.Status, Outcome: f.Outcome, Type: f.Type, Tries: f.Tries, Bytes: f.Bytes,
		FirstByte: f.Timing.FirstByte,
		Coding:    f.Coding, Redirect: redirect, Canonical: -1, Layout: -1,
	}
	if f.Opaque {
		p.Flags |= Opaque
	}
	if f.IsCacheable() {
		p.Flags |= Cacheable
	}
	if seconds, told := f.CacheSeconds(); told && seconds < aDay {
		p.Flags |= ShortLived
	}
	s.Loaded = append(s.Loaded, p)
}

// Refresh notes that a page sends its visitors on to another by itself.
func (s *Survey) Refresh(id, to int32) {
	if s.refreshes == nil {
		s.refreshes = map[int32]int32{}
	}
	s.refreshes[id] = to
}

// onward is where each address leads without a click: by a redirect, or by a refresh.
func (s *Survey) onward() []int32 {
	if len(s.refreshes) == 0 {
		return s.Next
	}
	out := slices.Clone(s.Next)
	for id, to := range s.refreshes {
		if out[id] < 0 {
			out[id] = to
		}
	}
	return out
}

// Use notes what a page or stylesheet loads, by number.
func (s *Survey) Use(id int32, uses []page.Use, loads []int32) {
	if len(loads) == 0 {
		return
	}
	marks := make([]graph.Mark, len(loads))
	for i, u := range uses {
		switch {
		case !u.Shown():
			marks[i] = graph.Unshown
		case u.By == page.ByMedia:
			marks[i] = graph.Sometimes
		case u.Role == page.AsImage:
			if s.pictures == nil {
				s.pictures = map[int32]bool{}
			}
			s.pictures[loads[i]] = true
		}
	}
	s.Uses.Add(id, loads, marks)
}

func (s *Survey) link(id int32, links []page.Link, numbers []int32) {
	to := make([]int32, 0, len(numbers))
	marks := make([]graph.Mark, 0, len(numbers))
	for i, n := range numbers {
		if n < 0 {
			continue
		}
		var m graph.Mark
		if links[i].NoFollow {
			m |= graph.NoFollow
		}
		if r := links[i].Region; r == page.Navigation || r == page.Banner || r == page.Footer {
			m |= graph.Navigation
		}
		to, marks = append(to, n), append(marks, m)
	}
	s.Graph.Add(id, to, marks)
}

// Finish works out what needs the whole: order, links in, depth, authority, layouts, what is
// left of the texts without the layouts' own words, and the texts' terms. It fails only where the
// source does.
func (s *Survey) Finish() error {
	for _, list := range [][]Page{s.Pages, s.Loaded} {
		slices.SortFunc(list, func(a, b Page) int {
			return strings.Compare(s.Addresses[a.ID].URL, s.Addresses[b.ID].URL)
		})
	}
	n := len(s.Addresses)
	s.names, s.hosts, s.alone = sync.OnceValue(s.allNames), sync.OnceValue(s.allHosts), sync.OnceValue(s.isCutOff)
	s.used = sync.OnceValue(s.allUsed)
	s.byAddress, s.byLoaded = slices.Repeat([]int32{-1}, n), slices.Repeat([]int32{-1}, n)
	s.Next = slices.Repeat([]int32{-1}, n)
	for i := range s.Loaded {
		s.byLoaded[s.Loaded[i].ID] = int32(i)
	}
	member := make([]bool, n)
	frames := make([][]uint32, len(s.Pages))
	for i := range s.Pages {
		p := &s.Pages[i]
		s.byAddress[p.ID] = int32(i)
		s.Next[p.ID] = p.Redirect
		member[p.ID] = p.HTML && p.Status == 200
		frames[i], p.Frame = p.Frame, nil
	}
	of, leaders := neardup.Layouts(frames)
	for i, layout := range of {
		s.Pages[i].Layout = layout
	}
	s.Layouts = make([]Layout, len(leaders))
	for i, name := range neardup.NameLayouts(leaders, s.Known) {
		s.Layouts[i] = Layout{name, leaders[i]}
	}
	for i := range s.Addresses {
		s.Partial = s.Partial || s.Addresses[i].Left()
	}
	if n == 0 {
		return nil
	}
	s.In = s.Graph.In(n)
	s.Depth = s.Graph.Depths(n, s.Start, s.onward())
	s.Authority = s.Graph.Authority(member, s.Next)
	if s.Source != nil {
		if err := s.trim(); err != nil {
			return err
		}
	}
	return nil
}

// Rank is where a page stands among all in order of address, −1 for what is none.
func (s *Survey) Rank(id int32) int32 {
	if id < 0 || int(id) >= len(s.byAddress) {
		return -1
	}
	return s.byAddress[id]
}

// Page is the brief of an address, nil if it was not fetched.
func (s *Survey) Page(id int32) *Page {
	if i := s.Rank(id); i >= 0 {
		return &s.Pages[i]
	}
	return nil
}

// Home is the number of the home page: where the start address leads.
func (s *Survey) Home() int32 {
	if len(s.Next) == 0 {
		return s.Start
	}
	if c := graph.Follow(s.Start, s.Next); c.End >= 0 {
		return c.End
	}
	return s.Start
}

// Got is the brief of a fetched address, page or not; nil if it was not fetched.
func (s *Survey) Got(id int32) *Page {
	if g := s.Page(id); g != nil {
		return g
	}
	if id >= 0 && int(id) < len(s.byLoaded) && s.byLoaded[id] >= 0 {
		return &s.Loaded[s.byLoaded[id]]
	}
	return nil
}

// Find is the number of an address.
func (s *Survey) Find(address string) (int32, bool) {
	id, ok := s.names()[address]
	return id, ok
}

// URL is the address of a number.
func (s *Survey) URL(id int32) string { return s.Addresses[id].URL }

// IsPicture tells whether some page shows an address as an image, whatever it turned out to be.
func (s *Survey) IsPicture(id int32) bool { return s.pictures[id] }

func (s *Survey) allNames() map[string]int32 {
	names := make(map[string]int32, len(s.Addresses))
	for i := range s.Addresses {
		names[s.Addresses[i].URL] = int32(i)
	}
	return names
}

func (s *Survey) allHosts() map[string]bool {
	hosts := map[string]bool{}
	for i := range s.Pages {
		hosts[Host(s.URL(s.Pages[i].ID))] = true
	}
	return hosts
}

// CutOff tells that no other site can be reached from where the crawl ran: hosts of others were asked
// for, and the name of none resolved. Then nothing can be said of what lies outside.
func (s *Survey) CutOff() bool { return s.alone() }

func (s *Survey) isCutOff() bool {
	unresolved := false
	for i := range s.Loaded {
		g := &s.Loaded[i]
		if s.Inside(s.URL(g.ID)) {
			continue
		}
		switch g.Outcome {
		case page.NoDNS:
			unresolved = true
		case page.RobotsBlocks, page.Forbidden, page.NotRead:
		default:
			return false
		}
	}
	return unresolved
}

// Inside tells whether an address is of one of the site's hosts, as far as the crawl has met them.
func (s *Survey) Inside(address string) bool {
	return s.hosts()[Host(address)]
}

// Host is the host of an address as weburl writes it, with its port where one is named.
func Host(address string) string {
	_, rest, _ := strings.Cut(address, "://")
	if end := strings.IndexAny(rest, "/?#"); end >= 0 {
		rest = rest[:end]
	}
	return rest
}

// Failed tells whether an address was tried and gave neither a page nor a redirect: a 4xx
// or 5xx answer, or none at all.
func (p *Page) Failed() bool {
	if p.Status == 0 {
		return p.Outcome != page.RobotsBlocks && p.Outcome != page.Forbidden && p.Outcome != page.NotRead
	}
	return p.Status >= 400
}

// Assessed tells whether the page counts for health: an HTML page with status 200, or an
// address that should be a page but answered with a server error or not at all.
func (s *Survey) Assessed(p *Page) bool {
	if p.HTML && p.Status == 200 {
		return true
	}
	return (p.Status >= 500 || p.Failed() && p.Status == 0) && !isResource(s.URL(p.ID))
}

// isResource tells by the ending of its path that an address is a picture, a document or
// another thing that is no page.
func isResource(address string) bool {
	path, _, _ := strings.Cut(address, "?")
	path = path[strings.LastIndexByte(path, '/')+1:]
	i := strings.LastIndexByte(path, '.')
	return i >= 0 && endings[strings.ToLower(path[i+1:])]
}

var endings = func() map[string]bool {
	m := map[string]bool{}
	for e := range strings.FieldsSeq(`avif bmp gif ico jpeg jpg png svg tif tiff webp css js mjs json map wasm
		woff woff2 ttf otf eot mp3 mp4 m4a m4v ogg oga ogv wav webm mov avi mkv flac
		pdf doc docx xls xlsx ppt pptx odt ods odp rtf epub zip gz tgz bz2 xz 7z rar tar deb rpm dmg exe msi iso
		xml rss atom txt csv tsv ics vcf gpx kml`) {
		m[e] = true
	}
	return m
}()

// IsReference tells a site that explains code: three tenths of its pages and more show some.
func (s *Survey) IsReference() bool {
	n := 0
	for i := range s.Pages {
		if s.Pages[i].Flags&HasCode != 0 {
			n++
		}
	}
	return 10*n >= 3*s.Documents() && n > 0
}

// Closed tells a page that cannot be found in search: it may not be shown, and no page of the
// site is named to be shown in its place.
func (s *Survey) Closed(p *Page) bool {
	return p.HTML && p.Status == 200 && !p.Indexable &&
		(p.Canonical < 0 || p.Canonical == p.ID || !s.Inside(s.URL(p.Canonical)))
}

// Documents is how many HTML pages there are.
func (s *Survey) Documents() (n int) {
	for i := range s.Pages {
		if s.Pages[i].HTML {
			n++
		}
	}
	return n
}
