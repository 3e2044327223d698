package column

// A Row is a fetched address in a list; All says what its properties are called.
type Row struct {
	ID          int32
	Address     string
	RoleNumber  int
	Role        string
	Status      int // 0 where there was no answer
	Outcome     string
	Type        string
	Encoding    string // of the characters, as it was read
	Bytes       int
	FirstByte   int // milliseconds
	HTML        bool
	Indexable   bool
	Why         string // why search engines may not show it
	Kind        string
	Words       int // of the main text, without what is the layout's own
	Title       string
	Description string
	H1          string
	Headings    *int
	Language    string
	Hreflang    string // the languages that it names addresses for
	Canonical   string // as written where it is no address
	Robots      string // what its robots elements and headers say
	Refresh     string
	Redirect    string
	Images      *int
	LinksOut    *int
	LinksIn     int
	Clicks      *int // from home; nil if no links lead there
	FoundNumber int
	FoundBy     string // how: link, redirect, canonical, start, sitemap, list, use
	InSitemap   bool
	Layout      *int
	Authority   float64
	Importance  float64
	Health      *float64 // nil where not assessed
	Errors      int
	Warnings    int
	Notices     int
	Terms       []string // strongest of the main text

	More    map[string]any // what has no place of its own, by the key of its column
	Figures map[string]any // the consultant's own, by name: numbers or words
}
