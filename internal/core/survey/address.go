package survey

import (
	"regexp"
	"slices"

	"harvik/internal/core/page"
	"harvik/internal/core/robots"
)

// State is what became of a known address.
type State uint8

const (
	Waiting   State = iota // inside and wanted, not fetched when the crawl ended
	Fetched                // tried, whatever came of it
	Blocked                // shut out by robots.txt
	TooDeep                // beyond the plan's depth
	Outside                // not of this site
	NotWeb                 // another scheme: mailto, tel, data …
	TooLong                // longer than any server takes; not fetched
	Unlinked               // inside and only listed in a sitemap; not fetched
	LeftOut                // the plan's scope or sources do not want it
	OverLimit              // its part of the site has had what the plan allows it
	Trapped                // of a pattern of addresses that never ends
)

var stateNames = [...]string{
	"waiting", "fetched", "blocked", "too-deep", "outside", "not-web", "too-long", "unlinked", "left-out", "over-limit",
	"trapped",
}

func (s State) String() string { return stateNames[s] }

// StateNames are all states, in order of their numbers.
func StateNames() []string { return stateNames[:] }

// StateOf is the state of a name, Waiting for an unknown one.
func StateOf(name string) State { return State(max(0, slices.Index(stateNames[:], name))) }

// Left tells whether an address is that of a page of the site, as far as known, that was left
// unfetched.
func (a *Address) Left() bool {
	switch a.State {
	case Waiting, TooDeep, Unlinked, OverLimit:
		return a.Role == page.AsPage
	}
	return false
}

// Found is how an address became known.
type Found uint8

const (
	ByLink Found = iota
	ByRedirect
	ByCanonical
	ByStart
	BySitemap
	ByList
	ByUse     // something that a page loads
	ByMention // another language, a refresh, structured data
)

var foundNames = [...]string{"link", "redirect", "canonical", "start", "sitemap", "list", "use", "mention"}

func (f Found) String() string { return foundNames[f] }

// FoundNames are all ways in which addresses are found, in order of their numbers.
func FoundNames() []string { return foundNames[:] }

// An Address is one that the crawl came to know. Its number is its index.
type Address struct {
	URL       string
	FoundOn   int32 // the page that named it first; −1 for the start and the sitemaps
	Depth     int32 // clicks when it was found
	State     State
	Role      page.Role
	Found     Found
	InSitemap bool
	Rule      robots.Line // why State is Blocked, LeftOut, OverLimit or Trapped; the number is of a line of robots.txt
}

// laterPage is how addresses number the pages of a list.
var laterPage = regexp.MustCompile(`(?i)(?:/page/(\d+)/?|[?&](?:page|paged|p|pg)=(\d+))$`)

// FirstOf is the address of a list's first page, told by that of a later one; ok is false for any other address.
func FirstOf(address string) (first string, ok bool) {
	at := laterPage.FindStringSubmatchIndex(address)
	if at == nil {
		return "", false
	}
	for _, group := range [][2]int{{at[2], at[3]}, {at[4], at[5]}} {
		if group[0] >= 0 && address[group[0]:group[1]] == "1" {
			return "", false
		}
	}
	return address[:at[0]], true
}

// Ending says why a crawl ended.
type Ending string

// Endings of crawls.
const (
	Complete  Ending = "complete"   // nothing was left to fetch
	PageLimit Ending = "page-limit" // the plan's number of addresses was reached
	TimeLimit Ending = "time-limit"
	Stopped   Ending = "stopped"
	Shut      Ending = "shut-out" // robots.txt forbids the start, or could not be had
)
