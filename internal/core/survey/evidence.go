package survey

import (
	"harvik/internal/core/page"
	"harvik/internal/core/robots"
)

// Evidence is what a crawl learns of a site besides its pages.
type Evidence struct {
	Robots   []RobotsFile
	Sitemaps []SitemapFile
	Probes   *Probes // nil if nothing was asked
	Traps    []Trap
	Versions map[string][]Version // by address, those in other languages that the sitemaps list
}

// Version is an address in a language.
type Version struct{ Lang, Address string }

// RobotsFile is the robots.txt of one origin.
type RobotsFile struct {
	Address string
	Status  int    // 0 if there was no answer
	Detail  string // why not
	Outcome page.Outcome
	HTML    bool // a page came instead
	File    *robots.File
}

// SitemapFile is one sitemap.
type SitemapFile struct {
	Address  string
	Status   int
	Detail   string // what stands in the way of reading it
	Form     string // "urlset", "index", "text", "rss", "atom"; "" if it is none
	Pages    int
	Sitemaps int
	Named    bool          // in robots.txt or the plan
	Faults   []robots.Line // each with its line
}

// Probes are what a site's front doors and odd addresses answer.
type Probes struct {
	Doors       []Probe      `json:"doors"`             // http and https, with and without www
	Missing     []Probe      `json:"missing,omitempty"` // a made-up address in each of the larger folders
	Favicon     *Probe       `json:"favicon,omitempty"` // /favicon.ico
	Certificate *Certificate `json:"certificate,omitempty"`
	Browser     *Probe       `json:"browser,omitempty"` // the home page asked for as a browser does, where the plan's agent is refused
	Open        []Probe      `json:"open,omitempty"`    // files that nobody should see, and that were given
	Root        *Probe       `json:"root,omitempty"`    // the host's root, where the site is a folder below it
	Numeric     *Probe       `json:"numeric,omitempty"` // the bare IP address of the home page's host
}

// A Probe is one address that was asked, redirects followed.
type Probe struct {
	Address string      `json:"address"`
	Status  int         `json:"status"`           // of the last answer; 0 for none
	Detail  string      `json:"detail,omitempty"` // why there is none
	Hops    []string    `json:"hops,omitempty"`   // addresses redirected to, in order
	Type    string      `json:"type,omitempty"`
	Title   string      `json:"title,omitempty"`
	Words   int         `json:"words,omitempty"`
	Text    uint64      `json:"text,omitempty,string"` // of the main text, see page.Document
	Sketch  page.Hashes `json:"sketch,omitempty"`
}

// Certificate is what the home page's host shows.
type Certificate struct {
	Names    []string `json:"names"`
	Issuer   string   `json:"issuer"`
	From     string   `json:"from"`    // RFC 3339
	Until    string   `json:"until"`   // likewise
	Days     int      `json:"days"`    // left when the crawl saw it
	Version  string   `json:"version"` // of TLS
	Cipher   string   `json:"cipher"`
	Protocol string   `json:"protocol"`       // of HTTP
	Weak     string   `json:"weak,omitempty"` // what is weak about it
	Old      string   `json:"old,omitempty"`  // the oldest version of TLS that is accepted, where it is below 1.2
}

// A Trap is a pattern of addresses that never ends.
type Trap struct {
	Pattern string `json:"pattern"`
	Example string `json:"example"`
	Kind    string `json:"kind"`
	Fetched int    `json:"fetched"`
	Left    int    `json:"left"` // known addresses of it that were not fetched
}
