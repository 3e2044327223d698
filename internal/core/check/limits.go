package check

import "slices"

// Limits are the thresholds of all checks. A plan changes them by name.
type Limits struct {
	TitleCharacters       int
	TitlePixels           int
	TitleLeast            int
	DescriptionCharacters int
	DescriptionPixels     int
	DescriptionLeast      int
	H1Characters          int
	HeadingNoneWords      int
	ThinWords             int
	DuplicateWords        int
	NearWords             int
	NearPercent           int
	DepthClicks           int
	LongWords             int
	RatioPercent          int
	LinksMost             int
	LinksIn               int
	AltCharacters         int
	ImageBytes            int
	ImageVeryBytes        int
	EagerBytes            int
	OneSizeBytes          int
	FirstByte             int
	FirstByteVery         int
	HTMLBytes             int
	HTMLVeryBytes         int
	PageBytes             int
	PageRequests          int
	CompressBytes         int
	MinifyBytes           int
	MinifyPercent         int
	InlineScriptBytes     int
	InlineStyleBytes      int
	StyleAttributes       int
	DOMElements           int
	DOMDepth              int
	DOMChildren           int
	URLCharacters         int
	URLParameters         int
	CertificateDays       int
	LumpAddresses         int

	chosen map[string]int
}

// Chosen tells whether somebody has set a threshold, so that it holds as it stands, whatever is usual on the site.
func (l *Limits) Chosen(name string) bool {
	_, ok := l.chosen[name]
	return ok
}

// A Limit is a threshold's name, unit, default and meaning.
type Limit struct {
	Name    string
	Unit    string
	Default int
	Doc     string
	field   func(*Limits) *int
}

// AllLimits is every threshold there is.
var AllLimits = []Limit{
	{"title-characters", "characters", 100, "A longer title is too long however narrow its letters are.",
		func(l *Limits) *int { return &l.TitleCharacters }},
	{"title-pixels", "pixels", 580, "A wider title, set at 20 px in the common sans-serif, is likely to be cut.",
		func(l *Limits) *int { return &l.TitlePixels }},
	{"title-least", "characters", 15, "A shorter title says too little.",
		func(l *Limits) *int { return &l.TitleLeast }},
	{"description-characters", "characters", 160, "A longer description is likely to be cut.",
		func(l *Limits) *int { return &l.DescriptionCharacters }},
	{"description-pixels", "pixels", 990,
		"A wider description, set at 14 px in the common sans-serif, is likely to be cut.",
		func(l *Limits) *int { return &l.DescriptionPixels }},
	{"description-least", "characters", 70, "A shorter description wastes its room.",
		func(l *Limits) *int { return &l.DescriptionLeast }},
	{"h1-characters", "characters", 70, "A longer first-level heading is a sentence, not a heading.",
		func(l *Limits) *int { return &l.H1Characters }},
	{"heading-none-words", "words", 300, "A longer text needs headings below the first level.",
		func(l *Limits) *int { return &l.HeadingNoneWords }},
	{"thin-words", "words", 200, "A page with less main text is thin.", func(l *Limits) *int { return &l.ThinWords }},
	{"duplicate-words", "words", 20, "Shorter texts are not compared.",
		func(l *Limits) *int { return &l.DuplicateWords }},
	{"near-words", "words", 50, "Shorter texts are not compared for likeness.",
		func(l *Limits) *int { return &l.NearWords }},
	{"near-percent", "percent", 90,
		"Texts at least this alike are near-duplicates (Jaccard index of five-word shingles).",
		func(l *Limits) *int { return &l.NearPercent }},
	{"depth-clicks", "clicks", 0, "A page further from home is visited seldom; 0 goes by the site's size: 3 up to 500 pages, 4 up to 5,000, else 5.", func(l *Limits) *int { return &l.DepthClicks }},
	{"long-words", "words", 10000, "A longer text is better divided.", func(l *Limits) *int { return &l.LongWords }},
	{"ratio-percent", "percent", 10, "A smaller part of the HTML that is text is mostly markup.",
		func(l *Limits) *int { return &l.RatioPercent }},
	{"links-most", "links", 500, "More links on one page help nobody.", func(l *Limits) *int { return &l.LinksMost }},
	{"links-in", "pages", 0, "Fewer pages linking in are few; 0 goes by the site's size: 2 up to 500 pages, 3 up to 5,000, else 5.", func(l *Limits) *int { return &l.LinksIn }},
	{"alt-characters", "characters", 160, "A longer alternative text is a description.",
		func(l *Limits) *int { return &l.AltCharacters }},
	{"image-bytes", "bytes", 100000, "A heavier image slows a page down.",
		func(l *Limits) *int { return &l.ImageBytes }},
	{"image-very-bytes", "bytes", 500000, "A heavier image slows a page down much.",
		func(l *Limits) *int { return &l.ImageVeryBytes }},
	{"eager-bytes", "bytes", 500000, "More bytes of pictures further down, loaded at once, hold up what is seen first.",
		func(l *Limits) *int { return &l.EagerBytes }},
	{"one-size-bytes", "bytes", 60000, "A heavier photograph is worth being offered in several sizes.",
		func(l *Limits) *int { return &l.OneSizeBytes }},
	{"first-byte", "milliseconds", 800, "A page whose first byte takes longer is slow.",
		func(l *Limits) *int { return &l.FirstByte }},
	{"first-byte-very", "milliseconds", 3000, "A page whose first byte takes longer is very slow.",
		func(l *Limits) *int { return &l.FirstByteVery }},
	{"html-bytes", "bytes", 150000, "A longer HTML document, unpacked, is heavy.",
		func(l *Limits) *int { return &l.HTMLBytes }},
	{"html-very-bytes", "bytes", 1000000, "A longer HTML document, unpacked, is very heavy.",
		func(l *Limits) *int { return &l.HTMLVeryBytes }},
	{"page-bytes", "bytes", 3000000, "A page that is heavier with all it loads takes long on a phone.",
		func(l *Limits) *int { return &l.PageBytes }},
	{"page-requests", "resources", 100, "A page that loads more is slow to put together.",
		func(l *Limits) *int { return &l.PageRequests }},
	{"compress-bytes", "bytes", 1400, "Shorter texts fit into one packet anyway.",
		func(l *Limits) *int { return &l.CompressBytes }},
	{"minify-bytes", "bytes", 10000, "In a smaller file minifying saves little.",
		func(l *Limits) *int { return &l.MinifyBytes }},
	{"minify-percent", "percent", 15, "Where less would go, minifying saves little.",
		func(l *Limits) *int { return &l.MinifyPercent }},
	{"inline-script-bytes", "bytes", 50000, "More inline script holds up every page anew.",
		func(l *Limits) *int { return &l.InlineScriptBytes }},
	{"inline-style-bytes", "bytes", 20000, "More inline styles hold up every page anew.",
		func(l *Limits) *int { return &l.InlineStyleBytes }},
	{"style-attributes", "attributes", 50, "More style attributes are a stylesheet in the wrong place.",
		func(l *Limits) *int { return &l.StyleAttributes }},
	{"dom-elements", "elements", 1500, "A larger document is slow to lay out.",
		func(l *Limits) *int { return &l.DOMElements }},
	{"dom-depth", "elements", 32, "A deeper document is slow to lay out.", func(l *Limits) *int { return &l.DOMDepth }},
	{"dom-children", "elements", 60, "An element with more children is slow to lay out.",
		func(l *Limits) *int { return &l.DOMChildren }},
	{"url-characters", "characters", 200, "A longer address is cut, mistyped and not shared.",
		func(l *Limits) *int { return &l.URLCharacters }},
	{"url-parameters", "parameters", 3, "An address with more stands for too many pages.",
		func(l *Limits) *int { return &l.URLParameters }},
	{"certificate-days", "days", 21, "A certificate that ends sooner has to be renewed now.",
		func(l *Limits) *int { return &l.CertificateDays }},
	{"lump-addresses", "addresses", 5, "As many addresses that all redirect to the home page were not mapped.",
		func(l *Limits) *int { return &l.LumpAddresses }},
}

// KnownLimit tells whether there is a threshold of this name.
func KnownLimit(name string) bool {
	return slices.ContainsFunc(AllLimits, func(l Limit) bool { return l.Name == name })
}

// NewLimits fills in the defaults, then the changes.
func NewLimits(changes map[string]int) *Limits {
	out := &Limits{chosen: changes}
	for _, l := range AllLimits {
		n, changed := changes[l.Name]
		if !changed {
			n = l.Default
		}
		*l.field(out) = n
	}
	return out
}

// Of is the threshold's value among all.
func (l *Limit) Of(limits *Limits) int { return *l.field(limits) }
