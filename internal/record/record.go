// Package record holds the plain data that the store keeps and the API answers with.
package record

import (
	"time"

	"harvik/internal/core/check"
	"harvik/internal/core/column"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/rights"
	"harvik/internal/core/survey"
)

// A Site is a client's web site under care.
type Site struct {
	ID      int64
	Name    string
	Home    string
	Plan    plan.Plan
	Created time.Time
	Crawls  int
	Latest  *int     // number of the newest finished crawl
	Health  *float64 // of that crawl

	Weighed    string // by which waivers and figure that crawl's report was made
	Keep       Retention
	Importance string   // the figure that weighs pages beside their authority
	Allowed    []string // ranges that are not public and that its hosts may be in
	Groups     []string // by name
}

// A Crawl is one run over a site.
type Crawl struct {
	ID        int64
	SiteID    int64
	Site      string
	Home      string
	Number    int
	State     string // running, paused, finished, failed
	Ending    string
	Detail    string
	Plan      plan.Plan
	Started   time.Time
	Finished  *time.Time
	Catalogue int
	Progress  Progress
	Report    *Summary
	Probes    *survey.Probes
	Traps     []survey.Trap
	Weighed   string // by which waivers and figure its report was made
	Marked    bool   // it stays when older ones go
	Wish      string // what it is to do while it runs: WishStop, WishPause, WaitsForHours or ""
	Owner     string // who runs it, "" where it waits for a worker, or does not run
	Epoch     int    // how often its owner changed: what is written of it is written by this
	Live      *Progress
	Schedule  string // that began it; "" for a person
	Hours     Hours  // when alone it runs
}

// Orders are what a running crawl is to do.
type Orders struct {
	Wish string    // WishStop, WishPause, WaitsForHours or ""
	Pace plan.Plan // that it is to run at: of the plan its pace alone
}

// A CrawlJob is that a crawl waits for a worker, since an epoch.
type CrawlJob struct {
	Crawl int64
	Epoch int
}

// What a running crawl is asked to do.
const (
	WishStop  = "stop"
	WishPause = "pause"
)

// WaitsForHours is what a crawl is asked to do, and then waits for: until its hours come.
const WaitsForHours = "hours"

// Summary is a crawl's report without its fix list.
type Summary struct {
	*fixlist.Report
	Fixes int
}

// A PageList is a part of the pages. Next is empty at the end.
type PageList struct {
	Pages []column.Row
	Total int
	Next  string
}

// PageFinding is a check failing on one page, with its evidence.
type PageFinding struct {
	Page     int32
	Address  string
	Check    string
	Severity *check.Severity // as it was judged; nil for one that an earlier Harvik kept
	Count    int
	Places   []check.Place
	Health   float64
	Title    string
	Outline  []page.Heading
}

// Gravity is the severity of the finding: as it was judged, or else that of its check, where the catalogue still has
// it.
func (f *PageFinding) Gravity(c *check.Check) check.Severity {
	switch {
	case f.Severity != nil:
		return *f.Severity
	case c != nil:
		return c.Severity
	}
	return check.Notice
}

// Shown cuts the evidence to what is shown of one page; Count says how many places there are.
func (f *PageFinding) Shown() { f.Places = f.Places[:min(len(f.Places), check.MaxPlaces)] }

// AddressRow is a known address.
type AddressRow struct {
	ID        int32
	Address   string
	State     string
	Depth     int
	FoundOn   string
	InSitemap bool
	RuleLine  int
	RuleText  string
	Role      string
	Found     string // how: link, redirect, canonical, start, sitemap, list, use

	RoleNumber  int
	FoundNumber int
}

// AddressList is a part of a crawl's addresses. Next is 0 at the end.
type AddressList struct {
	Addresses []AddressRow
	Total     int
	Next      int32
}

// LoadRow is one thing that a page loads.
type LoadRow struct {
	Address string
	Role    string
	By      string // the element or attribute that names it
	Status  int
	Outcome string // or its state, if it was not fetched
	Type    string
	Bytes   int
}

// A PageDetail is everything known about one address.
type PageDetail struct {
	AddressRow
	Row      *column.Row // nil if not fetched
	Loads    []LoadRow
	Facts    *page.Facts
	Findings []PageFinding
	Links    []LinkRow
	MainText string
}

// A LinkRow is one link of a page, or into it.
type LinkRow struct {
	From     string
	To       string
	Words    string
	Place    string
	Region   string
	NoFollow bool
	Line     int
	Href     string // where it is no address
	Status   *int   // of the target, where it was fetched
}

// A FixQuery chooses and cuts a fix list.
type FixQuery struct {
	Severity *check.Severity
	Group    string
	Check    string
	Search   string
	State    string // a working state, or "all"; without waived ones if empty
	Assignee string
	Section  string // fixes with a page in this folder
	Order    string // "severity" (or ""), "gain", "quick" or "pages"
	After    int    // where the list goes on: what the last part gave as Next
	Limit    int
}

// FixOrders are the orders that a FixQuery can ask for.
var FixOrders = []string{"severity", "gain", "quick", "pages"}

// A FixList is a part of a fix list. Next is 0 at the end.
type FixList struct {
	Fixes    []FixLine
	Total    int
	Findings int // places that the lines stand for
	Waived   int // lines left out because they are waived
	Next     int
}

// A Tally counts addresses by one property.
type Tally struct {
	Name  string
	Count int
}

// Tallies are the counts of a crawl's overview.
type Tallies struct {
	States   []Tally // of all known addresses
	Statuses []Tally // of the fetched ones
	Depths   []Tally // clicks from home, of the fetched ones
	Kinds    []Tally // of the HTML pages
	Roles    []Tally // of what pages load, and of outbound links: "image sound", "stylesheet 404"
}

// LinksInto are the links that lead to an address.
type LinksInto struct {
	Links []LinkRow
	Pages int   // distinct linking pages
	Next  int32 // where the list goes on; 0 at its end
}

// Secret is what may be told of a secret.
type Secret struct {
	Name    string
	Host    string // the one host that it is sent to
	Changed time.Time
	Used    *time.Time // the last time
	UsedBy  string
	UsedFor string
}

// A SecretUse is one time that a secret was opened.
type SecretUse struct {
	At   time.Time
	Who  string
	What string // "crawl 3", "a preview"
}

// A Credential lets somebody in. Its secret is kept nowhere.
type Credential struct {
	ID      int64
	Kind    string // token, session, link, invite
	Label   string
	Created time.Time
	Used    *time.Time // the last time, to the minute
	Expires *time.Time
	Own     bool // the one that asks

	Place      string      // from where a browser signed in
	Agent      string      // what it called itself
	PersonName string      // whose it is
	Limited    rights.Role // a token's; "" for all that the person may
	Bound      bool        // to some sites
}

// LayoutRow is a set of pages built from one template.
type LayoutRow struct {
	Layout  int    // its number in this crawl
	Name    string // the same in all crawls; "" in those that were made before there were names
	Pages   int
	Example string  // the first of its pages by address
	Health  float64 // mean of its pages; −1 if none was assessed
	Errors  int     // checks of that severity failing on them
}
