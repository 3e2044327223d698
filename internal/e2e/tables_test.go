package e2e

import (
	"strings"
	"testing"

	"harvik/demo"
)

// TestTables asks in a browser: by the form, in the line, with what is wrong underlined; groups and follows a group to
// its rows, keeps a view, makes a check, sees it in the fix list with its gain, and takes the rows along.
func TestTables(t *testing.T) {
	t.Parallel()
	h := start(t, demo.Spring)
	h.addGarden(t)
	h.crawl(t)
	b := openBrowser(t)
	b.visit(h.signInLink(t))
	b.see("fernhollow")
	b.visit(h.url + "/sites/fernhollow/latest")
	b.see("Sections")
	b.picture("overview")
	b.click("link", "/plants/")
	b.see("177 pages")
	if a := b.address(); !strings.Contains(a, "/tables?") || !strings.Contains(a, "section") {
		t.Errorf("a bar of the overview leads to %s", a)
	}
	b.see("section")
	b.click("button", "Add a condition")
	b.wait("a condition to fill in", `document.querySelectorAll('[aria-label=Comparison]').length === 3`)
	b.eval(
		`(all => { const e = all[all.length - 1]; Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(e, 'words'); e.dispatchEvent(new Event('change', {bubbles: true})) })([...document.querySelectorAll('[aria-label=Fact]')])`,
	)
	b.eval(
		`(all => { const e = all[all.length - 1]; Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(e, 'less'); e.dispatchEvent(new Event('change', {bubbles: true})) })([...document.querySelectorAll('[aria-label=Comparison]')])`,
	)
	b.eval(`(all => all[all.length - 1].focus())([...document.querySelectorAll('[aria-label=Value]')])`)
	b.keys("120\r")
	b.see("11 pages")
	b.wait(
		"the question in the address",
		`new URLSearchParams(location.search).get('question') === 'status == 200 && section == "/plants/" && words < 120'`,
	)
	b.picture("tables")

	b.eval(`document.querySelector('.cm-content').focus()`)
	b.keys(" && tilte")
	b.wait("the mistake underlined", `document.querySelector('.cm-lintRange-error')`)
	b.visit(h.url + "/sites/fernhollow/latest/tables?question=tilte")
	b.see("pages have no fact tilte")
	b.picture("tables-wrong")

	b.visit(h.url + "/sites/fernhollow/latest/tables?question=status+%3D%3D+200")
	b.see("584 pages")
	b.choose("Group by", "section")
	b.see("177")
	b.choose("Measure", "words")
	b.see("median")
	b.picture("tables-groups")
	b.click("link", "/research/")
	b.see("36 pages")
	b.click("button", "words")
	b.wait("the longest first", `location.search.includes('order=-words')`)
	b.click("button", "Keep as a view…")
	b.fill("Name", "research")
	b.click("button", "Keep it")
	b.wait(
		"the view among the others",
		`[...document.querySelectorAll('[aria-label=View] option')].some(o => o.value === 'research')`,
	)
	b.choose("View", "broken-links")
	b.see("442 links")
	b.see("Seed shop")
	b.picture("tables-links")
	b.choose("View", "research")
	b.see("36 pages")

	b.visit(h.url + "/sites/fernhollow/latest/tables?question=" + `section+%3D%3D+"%2Fresearch%2F"+%26%26+words+<+280`)
	b.click("button", "Make it a check…")
	b.fill("Name", "research-short")
	b.fill("What is wrong, as lists say it", "research page that says too little")
	b.fill("Why it matters", "Readers look for methods.")
	b.fill("How to put it right", "Write down how it was done.")
	b.click("button", "Try it")
	b.see("instead of")
	b.picture("make-check")
	b.click("button", "Add it and judge anew")
	b.see("fernhollow has the check own-research-short")
	b.click("link", "See its fixes")
	b.click("button", "Research page that says too little")
	b.see("Readers look for methods.")
	b.picture("own-fix")
	b.visit(h.url + "/sites/fernhollow/latest/tables?question=%22title-duplicate%22+in+fails")
	b.see("pages")
	b.wait("rows to choose", `document.querySelector("[role=row] input[type=checkbox]")`)
	b.eval(`document.querySelector("[role=row] input[type=checkbox]").click()`)
	b.see("1 page chosen")
	b.click("button", "Recheck what fails on it")
	b.see("The crawl stays as it was.")
	b.picture("tables-rechecked")
	b.click("button", "Waive what fails on it…")
	b.fill("Why this is fine as it is", "the festival is over")
	b.click("button", "Waive")
	b.see("1 page is left as it is.")
	b.picture("tables-waived")
	b.visit(h.url + "/sites/fernhollow/latest/tables?of=images&order=-target.bytes")
	b.see("mural.jpg")
	if file := b.fetch("Save as CSV"); !strings.HasPrefix(string(file), "page: address,") ||
		strings.Count(string(file), "\n") < 100 {
		t.Errorf("the file begins with %.80q", file)
	}
	b.visit(h.url + "/sites/fernhollow/latest/tables?of=links")
	b.see("13\u202f200 links")
	b.eval(`document.querySelector('[role=table]').scrollTo(0, 1e6)`)
	b.visit(h.url + "/sites/fernhollow/latest/tables?question=words+%3E+100000")
	b.see("The question holds of none of them.")
	b.size(390, 844)
	b.visit(h.url + "/sites/fernhollow/latest/tables?question=words+%3C+100")
	b.see("pages")
	b.wait("tables that fit a telephone", `document.documentElement.scrollWidth <= 390`)
	b.picture("tables-phone")
	b.visit(h.url + "/sites/fernhollow/latest")
	b.see("Answers of pages")
	b.wait("an overview that fits a telephone", `document.documentElement.scrollWidth <= 390`)
	b.picture("overview-phone")
}

// TestSiteChecks looks for a check of a site, tries another threshold, keeps it, and asks all sites at once.
func TestSiteChecks(t *testing.T) {
	t.Parallel()
	h := start(t, demo.Spring)
	h.addGarden(t)
	b := openBrowser(t)
	b.visit(h.signInLink(t))
	b.see("fernhollow")
	b.visit(h.url + "/sites/fernhollow/checks")
	b.see("not crawled yet")
	h.crawl(t)
	b.visit(h.url + "/sites/fernhollow")
	b.click("link", "Checks")
	b.visit(h.url + "/sites/fernhollow/checks")
	b.fill("Search", "title long")
	b.see("title-long")
	b.wait("no other checks", `!document.body.innerText.includes('link-broken-inside')`)
	b.click("button", "title-long")
	b.see("passes on")
	b.replace("title-characters, characters", "20")
	b.fill("Why", "the shop's theme cuts them")
	b.click("button", "What it would change")
	b.see("instead of")
	b.picture("site-checks")
	b.click("button", "Keep it and judge anew")
	b.see("Kept.")
	b.see("judged otherwise here")
	p, err := h.ShowPlan(t.Context(), "fernhollow")
	if err != nil || len(p.Checks) != 1 || p.Checks[0].Limits["title-characters"] != 20 ||
		p.Checks[0].Because != "the shop's theme cuts them" {
		t.Errorf("the plan has %+v (%v)", p.Checks, err)
	}
	b.choose("Which", "failing")
	b.wait("only what fails", `location.search.includes('show=failing')`)
	b.see("fails on")
	b.visit(h.url + "/sites/fernhollow/checks?show=own")
	b.see("No check like that")
	b.visit(h.url + "/ask")
	b.choose("View", "orphans")
	b.see("fernhollow")
	b.click("link", "2")
	b.see("/visit/lost-well/")
}
