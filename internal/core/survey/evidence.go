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
	Doors       []Probe // http and https, with and without www
	Missing     []Probe // a made-up address in each of the larger folders
	Favicon     *Probe  // /favicon.ico
	Certificate *Certificate
	Browser     *Probe  // the home page asked for as a browser does, where the plan's agent is refused
	Open        []Probe // files that nobody should see, and that were given
	Root        *Probe  // the host's root, where the site is a folder below it
	Numeric     *Probe  // the bare IP address of the home page's host
}

// A Probe is one address that was asked, redirects followed.
type Probe struct {
	Address string
	Status  int      // of the last answer; 0 for none
	Detail  string   // why there is none
	Hops    []string // addresses redirected to, in order
	Type    string
	Title   string
	Words   int
	Text    uint64 // of the main text, see page.Document
	Sketch  page.Hashes
}

// Certificate is what the home page's host shows.
type Certificate struct {
	Names    []string
	Issuer   string
	From     string // RFC 3339
	Until    string // likewise
	Days     int    // left when the crawl saw it
	Version  string // of TLS
	Cipher   string
	Protocol string // of HTTP
	Weak     string // what is weak about it
	Old      string // the oldest version of TLS that is accepted, where it is below 1.2
}

// A Trap is a pattern of addresses that never ends.
type Trap struct {
	Pattern string
	Example string
	Kind    string
	Fetched int
	Left    int // known addresses of it that were not fetched
}
