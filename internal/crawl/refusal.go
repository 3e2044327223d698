package crawl

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"harvik/internal/core/page"
)

// refusal notices when a site stops letting the crawl see it: the same refusal, challenge or
// log-in page for one address after the other. Such results are held back; if a page that
// answered before is refused now as well, the crawl pauses without having taken them for pages.
type refusal struct {
	held   []done
	sort   string        // what those held have in common
	least  int           // how many make a suspicion
	lastOK string        // address of a page that answered
	away   time.Duration // the longest pause that one of those held asks for, if it is long
}

// suspicion is how many like answers in a row look like a refusal; doubled whenever it turns
// out to be none.
const suspicion = 12

// sortOf tells what an answer looks like, "" for nothing suspicious.
func sortOf(f *page.Facts) string {
	d := f.Document
	switch {
	case f.Status == http.StatusForbidden || f.Status == http.StatusTooManyRequests ||
		f.Status == http.StatusUnauthorized || f.Status == http.StatusServiceUnavailable:
		return fmt.Sprintf("status %d", f.Status)
	case f.Redirect != "" && f.Status != http.StatusMovedPermanently && looksLikeDoor(f.Redirect):
		to, _, _ := strings.Cut(f.Redirect, "?")
		return "a redirect to " + to
	case d != nil && isChallenge(d):
		return fmt.Sprintf("the page %q", d.Title())
	case d != nil && d.Kind == page.Login:
		return fmt.Sprintf("the log-in page %q", d.Title())
	}
	return ""
}

// doors are words of addresses that ask for a log-in or a proof of being human.
var doors = []string{"login", "log-in", "signin", "sign-in", "auth", "sso", "challenge", "captcha", "verify", "blocked",
	"denied"}

func looksLikeDoor(address string) bool {
	_, rest, _ := strings.Cut(address, "://")
	rest, _, _ = strings.Cut(strings.ToLower(rest), "?")
	return slices.ContainsFunc(doors, func(w string) bool { return strings.Contains(rest, w) })
}

// challenges are what pages say that let nobody but browsers pass.
var challenges = []string{
	"are you a robot", "are you human", "not a robot", "verify you are human", "verifying you are human",
	"verify that you are human",
	"checking your browser", "checking if the site connection is secure", "enable javascript and cookies",
	"unusual traffic",
	"access denied", "request blocked", "you have been blocked", "security check", "captcha", "pardon our interruption",
}

// maxChallengeWords is the length from which a page is a page, whatever it says.
const maxChallengeWords = 150

func isChallenge(d *page.Document) bool {
	if d.Words > maxChallengeWords {
		return false
	}
	text := strings.ToLower(d.Title() + " " + d.H1() + " " + d.MainText)
	return slices.ContainsFunc(challenges, func(w string) bool { return strings.Contains(text, w) })
}

// watch takes a result, in order, and gives those that can be booked now. Suspect tells that
// the crawl has to find out whether it is refused; those held stay held.
func (r *refusal) watch(d done) (bookable []done, suspect bool) {
	if r.lastOK == "" && d.sort != "" || d.sort != r.sort {
		bookable = r.release()
	}
	r.sort = d.sort
	if d.sort == "" || r.lastOK == "" {
		if d.sort == "" && d.Facts.IsPage() {
			r.lastOK = d.url
		}
		return append(bookable, d), false
	}
	r.held = append(r.held, d)
	r.away = max(r.away, d.away)
	return bookable, len(r.held) >= max(suspicion, r.least) || r.away > 0 && r.least == 0
}

// release gives up the suspicion for what is held.
func (r *refusal) release() []done {
	out := r.held
	r.held, r.sort, r.away = nil, "", 0
	return out
}

// cleared notes that those held were honest answers.
func (r *refusal) cleared() []done {
	r.least = 2 * max(suspicion, r.least)
	return r.release()
}

// words says what happened.
func (r *refusal) words() string {
	if r.away > 0 {
		return fmt.Sprintf("The site asks not to be asked again for %s (Retry-After): %s gave %s, and so does %s, which answered before. "+
			"Nothing of this was recorded. Resume when that time is over.", r.away.Round(time.Second), r.held[len(r.held)-1].url, r.sort, r.lastOK)
	}
	return fmt.Sprintf("The site no longer lets the crawl in: the last %d addresses all gave %s, and so does %s, which answered before. "+
		"None of them was recorded. Go slower, ask the site's owner to let this agent in, or set up a gate; then resume.",
		len(r.held), r.sort, r.lastOK)
}
