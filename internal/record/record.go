// Package record holds the plain data that the store keeps and the API answers with.
package record

import (
	"encoding/json"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5/pgtype"

	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
)

// A Site is a client's web site under care.
type Site struct {
	ID      int64     `db:"id" json:"-"`
	Name    string    `db:"name" json:"name"`
	Home    string    `db:"home" json:"home"`
	Plan    PlanValue `db:"plan" json:"plan"`
	Created time.Time `db:"created" json:"created"`
	Crawls  int       `db:"crawls" json:"crawls"`
	Latest  *int      `db:"latest" json:"latest,omitempty"` // number of the newest finished crawl
	Health  *float64  `db:"health" json:"health,omitempty"` // of that crawl

	Weighed    string `db:"weighed" json:"-"`                       // by which waivers and figure that crawl's report was made
	Importance string `db:"importance" json:"importance,omitempty"` // the figure that weighs pages beside their authority
	Allowed    Ranges `db:"allowed" json:"allowed,omitempty"`       // ranges that are not public and that its hosts may be in
}

// Ranges are address ranges in CIDR notation.
type Ranges []string

// Scan reads a jsonb column.
func (r *Ranges) Scan(src any) error { return scanJSON(src, r) }

// PlanValue is a plan in a jsonb column.
type PlanValue plan.Plan

// Scan reads the column.
func (p *PlanValue) Scan(src any) error { return scanJSON(src, p) }

// MarshalJSON writes the plan with its defaults filled in.
func (p PlanValue) MarshalJSON() ([]byte, error) { return json.Marshal(plan.Plan(p).WithDefaults()) }

func scanJSON(src, into any) error {
	switch v := src.(type) {
	case nil:
		return nil
	case []byte:
		return json.Unmarshal(v, into)
	case string:
		return json.Unmarshal([]byte(v), into)
	}
	return fmt.Errorf("jsonb column holds %T", src)
}

// A Crawl is one run over a site.
type Crawl struct {
	ID        int64      `db:"id" json:"-"`
	SiteID    int64      `db:"site_id" json:"-"`
	Site      string     `db:"site" json:"site"`
	Home      string     `db:"home" json:"home"`
	Number    int        `db:"number" json:"number"`
	State     string     `db:"state" json:"state"` // running, paused, finished, failed
	Ending    string     `db:"ending" json:"ending,omitempty"`
	Detail    string     `db:"detail" json:"detail,omitempty"`
	Plan      PlanValue  `db:"plan" json:"plan"`
	Started   time.Time  `db:"started" json:"started"`
	Finished  *time.Time `db:"finished" json:"finished,omitempty"`
	Catalogue int        `db:"catalogue" json:"catalogue"`
	Progress  Progress   `db:"progress" json:"progress"`
	Report    *Summary   `db:"report" json:"report,omitempty"`
	Probes    *Probes    `db:"probes" json:"probes,omitempty"`
	Traps     TrapList   `db:"traps" json:"traps,omitempty"`
	Weighed   string     `db:"weighed" json:"-"` // by which waivers and figure its report was made
	Wish      string     `db:"wish" json:"-"`    // what it is to do while it runs: WishStop, WishPause or ""
}

// What a running crawl is asked to do.
const (
	WishStop  = "stop"
	WishPause = "pause"
)

// Summary is a crawl's report without its fix list.
type Summary struct {
	*fixlist.Report
	Fixes int `json:"fixes"`
}

// Scan reads the column.
func (r *Summary) Scan(src any) error { return scanJSON(src, r) }

// Probes are what a site's front doors and odd addresses answer.
type Probes struct{ survey.Probes }

// Scan reads the column.
func (p *Probes) Scan(src any) error { return scanJSON(src, p) }

// A PageRow is a fetched address in a list; Columns says what its properties are called.
type PageRow struct {
	ID          int32    `db:"id" json:"-"`
	Address     string   `db:"url" json:"address"`
	RoleNumber  int      `db:"role_number" json:"-"`
	Role        string   `db:"-" json:"role"`
	Status      int      `db:"status" json:"status"` // 0 where there was no answer
	Outcome     string   `db:"outcome" json:"outcome"`
	Type        string   `db:"type" json:"type"`
	Encoding    string   `db:"encoding" json:"encoding,omitempty"` // of the characters, as it was read
	Bytes       int      `db:"bytes" json:"bytes"`
	FirstByte   int      `db:"first_byte" json:"firstByte"` // milliseconds
	HTML        bool     `db:"html" json:"html"`
	Indexable   bool     `db:"indexable" json:"indexable"`
	Why         string   `db:"why" json:"why,omitempty"` // why search engines may not show it
	Kind        string   `db:"kind" json:"kind"`
	Words       int      `db:"words" json:"words"` // of the main text, without what is the layout's own
	Title       string   `db:"title" json:"title"`
	Description string   `db:"description" json:"description"`
	H1          string   `db:"h1" json:"h1"`
	Headings    *int     `db:"headings" json:"headings,omitempty"`
	Language    string   `db:"lang" json:"language"`
	Hreflang    string   `db:"hreflang" json:"hreflang,omitempty"`   // the languages that it names addresses for
	Canonical   string   `db:"canonical" json:"canonical,omitempty"` // as written where it is no address
	Robots      string   `db:"robots" json:"robots,omitempty"`       // what its robots elements and headers say
	Refresh     string   `db:"refresh" json:"refresh,omitempty"`
	Redirect    string   `db:"redirect" json:"redirect,omitempty"`
	Images      *int     `db:"images" json:"images,omitempty"`
	LinksOut    *int     `db:"links_out" json:"linksOut,omitempty"`
	LinksIn     int      `db:"links_in" json:"linksIn"`
	Clicks      *int     `db:"clicks" json:"clicks,omitempty"` // from home; nil if no links lead there
	FoundNumber int      `db:"found_number" json:"-"`
	FoundBy     string   `db:"-" json:"foundBy"` // how: link, redirect, canonical, start, sitemap, list, use
	InSitemap   bool     `db:"in_sitemap" json:"inSitemap"`
	Layout      *int     `db:"layout" json:"layout,omitempty"`
	Authority   float64  `db:"authority" json:"authority"`
	Importance  float64  `db:"importance" json:"importance"`
	Health      *float64 `db:"health" json:"health,omitempty"` // nil where not assessed
	Errors      int      `db:"errors" json:"errors"`
	Warnings    int      `db:"warnings" json:"warnings"`
	Notices     int      `db:"notices" json:"notices"`
	Terms       TextList `db:"terms" json:"terms,omitempty"` // strongest of the main text

	Figures map[string]any `db:"-" json:"figures,omitempty"` // the consultant's own, by name: numbers or words
}

// Name puts names for what the store keeps as numbers.
func (p *PageRow) Name() {
	p.Role, p.FoundBy = page.Role(p.RoleNumber).String(), survey.Found(p.FoundNumber).String()
}

// A PageQuery chooses, sorts and cuts a list of pages.
type PageQuery struct {
	Search  string // part of the address or title, case ignored
	Status  string // "200", or a class: "4xx"
	Kind    string // "html", "other", or a kind of page
	Check   string // pages on which this check fails
	Fix     string // pages of this fix
	Role    string // pages if empty; "resources" for all others, or one of page.RoleNames
	Section string // a folder with all below it, such as "/plants/"; "/" for pages at the top
	// Indexable and Reachable narrow pages to those that search engines may show, and that links from home lead
	// to: "yes", "no", or "" for both. Why narrows them to those kept out for a reason with these words.
	Indexable, Reachable, Why string

	Having string // condition with an own figure: "visits>=100"
	Site   int64  // whose figures are meant
	Sort   string // column, "-" before it for falling; by default the order found
	After  string // cursor of the last list
	Limit  int
}

// A PageList is a part of the pages. Next is empty at the end.
type PageList struct {
	Pages []PageRow `json:"pages"`
	Total int       `json:"total"`
	Next  string    `json:"next,omitempty"`
}

// PageFinding is a check failing on one page, with its evidence.
type PageFinding struct {
	Page    int32          `db:"page_id" json:"-"`
	Address string         `db:"url" json:"address,omitempty"`
	Check   string         `db:"check_id" json:"check"`
	Count   int            `db:"count" json:"count"`
	Places  PlaceList      `db:"places" json:"places"`
	Health  float64        `db:"health" json:"health"`
	Title   string         `db:"title" json:"title,omitempty"`
	Outline []page.Heading `db:"-" json:"outline,omitempty"`
}

// Shown cuts the evidence to what is shown of one page; Count says how many places there are.
func (f *PageFinding) Shown() { f.Places = f.Places[:min(len(f.Places), check.MaxPlaces)] }

// PlaceList is the evidence in a column of JSON.
type PlaceList []check.Place

// Scan reads the column.
func (p *PlaceList) Scan(src any) error { return scanJSON(src, p) }

// AddressRow is a known address.
type AddressRow struct {
	ID        int32  `db:"id" json:"-"`
	Address   string `db:"url" json:"address"`
	State     string `db:"state" json:"state"`
	Depth     int    `db:"depth" json:"depth"`
	FoundOn   string `db:"found_on" json:"foundOn,omitempty"`
	InSitemap bool   `db:"in_sitemap" json:"inSitemap"`
	RuleLine  int    `db:"rule_line" json:"ruleLine,omitempty"`
	RuleText  string `db:"rule_text" json:"rule,omitempty"`
	Role      string `db:"-" json:"role"`
	Found     string `db:"-" json:"found"` // how: link, redirect, canonical, start, sitemap, list, use

	RoleNumber  int `db:"role_number" json:"-"`
	FoundNumber int `db:"found_number" json:"-"`
}

// Name puts names for what the store keeps as numbers.
func (a *AddressRow) Name() {
	a.Role, a.Found = page.Role(a.RoleNumber).String(), survey.Found(a.FoundNumber).String()
}

// AddressList is a part of a crawl's addresses. Next is 0 at the end.
type AddressList struct {
	Addresses []AddressRow `json:"addresses"`
	Total     int          `json:"total"`
	Next      int32        `json:"next"`
}

// LoadRow is one thing that a page loads.
type LoadRow struct {
	Address string `db:"url" json:"address"`
	Role    string `db:"-" json:"role"`
	By      string `db:"-" json:"by"` // the element or attribute that names it
	Status  int    `db:"status" json:"status"`
	Outcome string `db:"outcome" json:"outcome"` // or its state, if it was not fetched
	Type    string `db:"type" json:"type"`
	Bytes   int    `db:"bytes" json:"bytes"`
}

// A PageDetail is everything known about one address.
type PageDetail struct {
	AddressRow
	Row      *PageRow      `json:"page,omitempty"` // nil if not fetched
	Loads    []LoadRow     `json:"loads,omitempty"`
	Facts    *page.Facts   `json:"facts,omitempty"`
	Findings []PageFinding `json:"findings"`
	Links    []LinkRow     `json:"links"`
	MainText string        `json:"mainText,omitempty"`
}

// A LinkRow is one link of a page, or into it.
type LinkRow struct {
	From     string `json:"from,omitempty"`
	To       string `json:"to,omitempty"`
	Words    string `json:"words"`
	Place    string `json:"place"`
	Region   string `json:"region"`
	NoFollow bool   `json:"nofollow,omitempty"`
	Line     int    `json:"line,omitempty"`
	Href     string `json:"href,omitempty"`   // where it is no address
	Status   *int   `json:"status,omitempty"` // of the target, where it was fetched
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
	Fixes    []FixLine `json:"fixes"`
	Total    int       `json:"total"`
	Findings int       `json:"findings"` // places that the lines stand for
	Waived   int       `json:"waived"`   // lines left out because they are waived
	Next     int       `json:"next,omitempty"`
}

// A Tally counts addresses by one property.
type Tally struct {
	Name  string `db:"name" json:"name"`
	Count int    `db:"count" json:"count"`
}

// Tallies are the counts of a crawl's overview.
type Tallies struct {
	States   []Tally `json:"states"`   // of all known addresses
	Statuses []Tally `json:"statuses"` // of the fetched ones
	Depths   []Tally `json:"depths"`   // clicks from home, of the fetched ones
	Kinds    []Tally `json:"kinds"`    // of the HTML pages
	Roles    []Tally `json:"roles"`    // of what pages load, and of outbound links: "image sound", "stylesheet 404"
}

// Scan reads a jsonb column.
func (p *Progress) Scan(src any) error { return scanJSON(src, p) }

// A Check is one of the catalogue, described.
type Check struct {
	ID       string         `json:"id"`
	Group    string         `json:"group"`
	Severity check.Severity `json:"severity"`
	Factor   float64        `json:"factor"`
	Scope    string         `json:"scope"`
	Effort   string         `json:"effort"`
	Title    string         `json:"title"`
	What     string         `json:"what"`
	Why      string         `json:"why"`
	How      string         `json:"how"`
	Source   string         `json:"source"`
	Limits   []check.Limit  `json:"limits"`
}

// LinksInto are the links that lead to an address.
type LinksInto struct {
	Links []LinkRow `json:"links"`
	Pages int       `json:"pages"` // distinct linking pages
	Next  int32     `json:"next"`  // where the list goes on; 0 at its end
}

// TextList is a column of texts.
type TextList []string

// Scan reads the column in PostgreSQL's form of an array: {a,"b c"}.
func (l *TextList) Scan(src any) error {
	var words []string
	if err := pgtype.NewMap().SQLScanner(&words).Scan(src); err != nil {
		return err
	}
	*l = words
	return nil
}

// TrapList are traps in a jsonb column.
type TrapList []survey.Trap

// Scan reads the column.
func (t *TrapList) Scan(src any) error { return scanJSON(src, t) }

// Secret is what may be told of a secret.
type Secret struct {
	Name    string     `db:"name" json:"name"`
	Host    string     `db:"host" json:"host"` // the one host that it is sent to
	Changed time.Time  `db:"changed" json:"changed"`
	Used    *time.Time `db:"used" json:"used,omitempty"` // the last time
	UsedBy  string     `db:"used_by" json:"usedBy,omitempty"`
	UsedFor string     `db:"used_for" json:"usedFor,omitempty"`
}

// A SecretUse is one time that a secret was opened.
type SecretUse struct {
	At   time.Time `db:"at" json:"at"`
	Who  string    `db:"who" json:"who"`
	What string    `db:"what" json:"what"` // "crawl 3", "a preview"
}

// A Credential lets somebody in. Its secret is kept nowhere.
type Credential struct {
	ID      int64      `db:"id" json:"id"`
	Kind    string     `db:"kind" json:"kind"` // token, session, link
	Label   string     `db:"label" json:"label"`
	Created time.Time  `db:"created" json:"created"`
	Used    *time.Time `db:"used" json:"used,omitempty"` // the last time, to the minute
	Expires *time.Time `db:"expires" json:"expires,omitempty"`
	Own     bool       `db:"-" json:"own,omitempty"` // the one that asks
}

// LayoutRow is a set of pages built from one template.
type LayoutRow struct {
	Layout  int     `db:"layout" json:"layout"` // its number in this crawl
	Name    string  `db:"-" json:"name"`        // the same in all crawls; "" in those that were made before there were names
	Pages   int     `db:"pages" json:"pages"`
	Example string  `db:"example" json:"example"` // the first of its pages by address
	Health  float64 `db:"health" json:"health"`   // mean of its pages; −1 if none was assessed
	Errors  int     `db:"errors" json:"errors"`   // checks of that severity failing on them
}
