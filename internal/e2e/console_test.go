package e2e

import (
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"testing"

	"harvik/demo"
	"harvik/internal/api"
)

// TestConsole is a consultant's first half hour: sign in, start a crawl, watch it, filter the
// fix list, open a fix, open a page.
func TestConsole(t *testing.T) {
	t.Parallel()
	h := start(t, demo.Spring)
	b := openBrowser(t)

	b.visit(h.url + "/")
	b.see("harvik link") // nobody gets in without a credential
	b.picture("sign-in")
	b.visit(h.signInLink(t))
	b.see("No site yet")
	b.picture("empty")

	b.fill("Name", "Fern Hollow")
	b.fill("Home address", "fernhollow")
	b.click("button", "Add site")
	b.see("a name has 1 to 63 small letters")
	b.see("the home address starts with http")

	h.addGarden(t)
	b.visit(h.url + "/sites/fernhollow")
	b.see("No crawl yet")
	b.click("button", "Start a crawl")
	b.see("Crawl 1 is running")
	b.see("findings so far")
	b.wait("a crawl that has fetched 100 addresses",
		`+[...document.querySelectorAll('main p')].find(p => p.nextSibling?.textContent === 'fetched')?.textContent.replace(/\D/g, '') > 100`)
	b.picture("crawl-live")

	b.see("What stands in the way")
	b.see("canonical names another address")
	b.see("Health 8")
	b.picture("overview")
	b.click("link", "Fix list")
	b.see("Footer link to /old-shop/ is dead")
	b.picture("fix-list")
	b.click("button", "warnings")
	b.wait("a list without errors", `!document.body.textContent.includes('Footer link to /old-shop/ is dead')`)
	b.see("shuts out addresses that pages link to")
	b.click("button", "notices")
	b.see("Meta keywords element")
	b.choose("Group of checks", "headings")
	b.wait("a list of headings only", `!document.body.innerText.includes('Meta keywords')`)
	if a := b.address(); !strings.Contains(a, "severity=notice") || !strings.Contains(a, "group=headings") {
		t.Errorf("the filters do not stand in the address: %s", a)
	}
	b.click("button", "A heading stands twice on the page, in the layout of 80 pages")
	b.see("How to fix it")
	b.see("h1 = h2")
	b.see("80 pages")
	if !b.has("More than one main heading") {
		t.Error("the open fix hides the list")
	}
	b.wait("rows that stand apart", `(tops => tops.length > 5 && tops.every((r, i) => !i || r.top >= tops[i - 1].bottom - 1))(
		[...document.querySelectorAll('[role=row][data-index]')].map(r => r.getBoundingClientRect()).sort((a, b) => a.top - b.top))`)
	b.picture("fix-open")

	b.click("link", "/shop/cedar-lawn-bird-table/")
	b.see("Headings in order")
	b.see("Linked from 3 pages")
	b.see("several pages share a description")
	b.picture("page")

	b.click("link", "Tables")
	b.see("633 pages")
	b.click("button", "links in")
	b.wait("the most linked first", `document.querySelector('[aria-sort=descending]')`)
	// Addresses of the list of pages that there once was lead to the same as a question.
	b.visit(h.url + "/sites/fernhollow/latest/pages?status=5xx")
	b.see("3 pages")
	b.see("/events/box-office/")
	b.visit(h.url + "/sites/fernhollow/latest/pages?columns=address,why,canonical,robots,foundBy,linksIn&indexable=no")
	b.see("94 pages")
	b.see("canonical names another address")
	b.visit(h.url + "/sites/fernhollow/latest/pages?indexable=no&reachable=no")
	b.see("None of the pages")
	b.visit(h.url + "/sites/fernhollow/latest/pages?search=LILIUM&sort=-words&section=/plants/&kind=html&check=title-duplicate")
	b.wait("a question of all of it", `location.search.includes('fails') && location.search.includes('order=-words')`)
	b.see("None of the pages")

	b.visit(h.url + "/checks")
	b.see("title-missing")

	b.visit(h.url + "/sites/fernhollow/latest?check=copy-near-duplicate")
	b.click("button", "3 pages have nearly the same text")
	b.click("link", "side by side")
	b.see("% alike")
	b.see("The share of five-word runs")
	b.picture("compare")

	b.visit(h.url + "/sites/fernhollow/latest/fixes")
	b.choose("Order", "pages")
	b.wait("the order in the address bar", `location.search.includes('order=pages')`)
	b.wait("the line of most pages first",
		`document.querySelector("[aria-rowindex=\"2\"]").textContent.includes("old-shop")`)

	b.visit(h.url + "/sites/nobody")
	b.see(`there is no site "nobody"; there are fernhollow`)

	b.click("button", "Sign out")
	b.see("harvik link")
	b.visit(h.url + "/sites/fernhollow")
	b.see("harvik link")
}

// TestLookPage judges a page that is pasted.
func TestLookPage(t *testing.T) {
	t.Parallel()
	h := start(t, demo.Spring)
	b := openBrowser(t)
	b.visit(h.signInLink(t))
	b.see("No site yet")
	b.visit(h.url + "/look")
	b.see("Look at one page")
	b.click("button", "Its HTML")
	b.fill("Address that the HTML is to be taken for", demo.Home+"journal/leaf-fall/")
	b.replace("HTML of the page", gardenPage(t, "/journal/leaf-fall/"))
	b.click("button", "Look")
	b.see("1 check fails")
	b.see("title is likely to be cut")
	b.see("On a telephone")
	b.see("are not judged")
	b.picture("look")
	b.click("button", "Dark")
	b.size(390, 844)
	b.see("1 check fails")
	b.picture("look-phone")
}

// gardenPage is the HTML of one of Fernhollow's pages.
func gardenPage(t *testing.T, path string) string {
	t.Helper()
	w := httptest.NewRecorder()
	r := httptest.NewRequestWithContext(t.Context(), http.MethodGet, demo.Home+path[1:], nil)
	demo.New(demo.Spring).ServeHTTP(w, r)
	if w.Code != http.StatusOK {
		t.Fatalf("%s answers %d", path, w.Code)
	}
	return w.Body.String()
}

// TestPlanEditor changes a plan on both sides, has the service find fault with it, looks at the
// site before the start, keeps a secret, and pauses and resumes the crawl.
func TestPlanEditor(t *testing.T) {
	t.Parallel()
	h := start(t, demo.Spring)
	h.addGarden(t)
	b := openBrowser(t)
	b.visit(h.signInLink(t))
	b.see("fernhollow")
	b.visit(h.url + "/sites/fernhollow")
	b.click("link", "Look over and change the plan")
	b.see("Where addresses come from")
	b.holds("Plan as text", "parallel: 8")

	b.replace("Plan as text", "pages: 300\nscope:\n  excluded: [/shop/*]\n")
	b.see("Line 3, column 3")
	b.see(`did you mean "scope.exclude"?`)
	b.picture("plan-fault")
	b.replace("Plan as text", "pages: 300\ntimeout: 2s\nretries: -1\nscope:\n  exclude: [/shop/*]\nhosts:\n  fernhollow.example: "+h.garden+"\nca: "+strconv.Quote(h.plan.CA)+"\n")
	b.holds("Leave out", "/shop/*")
	b.replace("Addresses at most", "250")
	b.holds("Plan as text", "pages: 250")
	b.holds("Plan as text", "/shop/*")
	b.choose("robots.txt is", "disregard")
	b.see("needs a permission")
	b.choose("robots.txt is", "obey")
	b.replace("Pause between two", "250ms") // long enough that the crawl still runs when its pace is changed
	b.holds("Plan as text", "pause: 250ms")
	b.click("button", "Preview")
	b.see("After a look at 40 pages")
	b.see("Disallow: /shop/basket/")
	b.picture("plan")
	b.click("button", "Save the plan")
	b.see("Saved.")
	if p, err := h.ShowPlan(t.Context(), "fernhollow"); err != nil || p.Pages != 250 || len(p.Scope.Exclude) != 1 {
		t.Errorf("the plan is %+v (%v)", p, err)
	}

	b.replace("Name", "members")
	b.replace("Secret", "correct-horse-battery")
	b.click("button", "Keep")
	b.see("for fernhollow.example")
	if b.has("correct-horse-battery") {
		t.Error("the secret is shown")
	}
	b.click("button", "Delete members")
	b.wait("no secret", `!document.body.innerText.includes('for fernhollow.example')`)

	b.click("link", "fernhollow")
	b.click("button", "Start a crawl")
	b.see("By section")
	b.see("requests at once, 0.25 s between two")
	b.click("button", "Pause")
	b.see("Crawl 1 is paused")
	b.picture("crawl-paused")
	b.click("button", "Resume")
	b.see("Crawl 1 is running")
	b.click("link", "Queue")
	b.see("fernhollow, crawl 1")
	b.picture("queue")
	b.click("link", "fernhollow, crawl 1")
	b.see("Crawl 1 is running")
	b.click("button", "Change the pace")
	b.replace("Pause, such as 200ms", "0s")
	b.click("button", "Apply")
	b.see("Fix list")
	b.click("link", "Left out")
	b.see("not wanted by the plan")
	b.click("button", "not wanted by the plan")
	b.see("exclude /shop/*")
	b.picture("left-out")
	b.click("link", "Front doors")
	b.see("Made-up addresses")
	b.see("/plants/not-here-")
	b.picture("doors")
	b.size(390, 844)
	b.visit(h.url + "/sites/fernhollow/plan")
	b.see("Where addresses come from")
	b.wait("no sideways scrolling", `document.documentElement.scrollWidth <= 390`)
	b.picture("plan-phone")
	b.visit(h.url + "/queue")
	b.see("opens them")
	b.wait("no sideways scrolling of the queue", `document.documentElement.scrollWidth <= 390`)
}

// TestLooks takes the pictures of states that the story does not pass through.
func TestLooks(t *testing.T) {
	t.Parallel()
	h := start(t, demo.Spring)
	h.addGarden(t)
	if _, err := h.StartCrawl(t.Context(), "fernhollow", api.NewCrawl{Pages: 120}); err != nil {
		t.Fatal(err)
	}
	if _, err := h.Watch(t.Context(), "fernhollow", api.Numbered(1), func(api.Progress) {}); err != nil {
		t.Fatal(err)
	}
	b := openBrowser(t)
	b.visit(h.signInLink(t))
	b.see("fernhollow")
	b.visit(h.url + "/sites/fernhollow/latest/fixes")
	b.see("of about")
	b.click("button", "Dark")
	b.wait("dark mode", `document.documentElement.classList.contains('dark')`)
	b.click("button", "Footer link to /old-shop/")
	b.see("How to fix it")
	b.picture("fix-dark")
	b.size(390, 844)
	b.picture("fix-phone")
	b.click("button", "Close")
	b.picture("list-phone")
	b.wait("no sideways scrolling", `document.documentElement.scrollWidth <= 390`)

	b.size(1280, 800)
	b.visit(h.url + "/sites/fernhollow")
	b.choose("Crawls that stay", "12")
	b.see("Older ones go when a crawl ends")
	b.click("button", "Mark crawl 1")
	b.wait("a marked crawl", `document.querySelector('[aria-label="Mark crawl 1"]')?.getAttribute('aria-pressed') === 'true'`)
	if cr, err := h.ShowCrawl(t.Context(), "fernhollow", api.Numbered(1)); err != nil || !cr.Marked {
		t.Errorf("crawl 1 is marked: %v (%v)", cr.Marked, err)
	}
	b.picture("site")
	b.click("button", "Delete crawl 1")
	b.see("Delete it with all that it found?")
	b.picture("site-delete")
	b.click("button", "Delete")
	b.see("No crawl yet")
}
