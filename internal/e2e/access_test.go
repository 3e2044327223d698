package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"harvik/demo"
	"harvik/internal/testkit"
)

// TestAccessible holds every page of the console to what axe-core knows of WCAG; in the dark colours are all that is
// otherwise.
func TestAccessible(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile(filepath.Join(testkit.Root(t), "console/node_modules/axe-core/axe.min.js"))
	if err != nil {
		t.Fatal(err)
	}
	garden := demo.NewSeasons(demo.Spring)
	h := startBeside(t, garden)
	b := openBrowser(t)
	b.visit(h.url + "/sign-in")
	b.see("harvik link")
	b.holdsToRules(string(axe), "sign-in, light")
	b.visit(h.signInLink(t))
	b.see("No site yet")
	b.holdsToRules(string(axe), "no sites, light")
	h.addGarden(t)
	h.crawl(t)
	garden.Turn()
	h.crawl(t)
	crawl := "/sites/fernhollow/latest"
	pages := []struct{ path, shows string }{
		{
			"/",
			"fernhollow",
		}, {"/ask?question=words+%3C+100", "Ask all sites"}, {"/look", "Look"}, {"/queue", "Everything that hangs on crawls is done."}, {"/checks?search=title", "title-missing"},
		{"/sites/fernhollow", "Health, by the rules"}, {"/sites/fernhollow/plan", "Plan of"},
		{"/sites/fernhollow/checks?search=title&open=title-long", "What it would change"},
		{"/sites/fernhollow/waivers", "aive"}, {"/sites/fernhollow/figures", "igures"},
		{crawl, "What stands in the way"}, {crawl + "/fixes", "Link to a page of the site"},
		{
			crawl + "/tables?question=words+%3C+100",
			"Add a condition",
		}, {crawl + "/tables?of=links&by=region", "navigation"},
		{crawl + "/page?address=/shop/", "Headings in order"}, {crawl + "/map", "sorer"},
		{crawl + "/drift", "How health got there"}, {crawl + "/left", "address"}, {crawl + "/doors", "Answer"},
		{"/inbox", "Inbox"}, {"/week", "week"}, {"/ways", "mail"}, {"/sites/fernhollow/watch", "Watched"},
		{crawl + "/export", "Hand over"}, {"/sites/nobody", "there is no site"},
	}
	for _, p := range pages {
		b.visit(h.url + p.path)
		b.see(p.shows)
		b.wait("no place that still loads", `!document.querySelector('[aria-label=Loading]')`)
		b.holdsToRules(string(axe), p.path+", light")
		b.click("button", "Dark")
		b.holdsToRules(string(axe), p.path+", dark")
		b.keepsToPolicy(p.path)
		b.click("button", "Light")
	}
}

// keepsToPolicy demands that a page tried nothing that its policy forbids.
func (b *browser) keepsToPolicy(name string) {
	b.t.Helper()
	said, err := chromedp.Run(b.ctx, chromedp.Evaluate[string]("(window.violations || []).join('; ')"))
	if err != nil || said != "" {
		b.t.Errorf("%s is kept by its policy from %s (%v)", name, said, err)
	}
}

// later are the rows of a long list after the first two dozen, which are built as those are.
const later = ":is(li, tr, details, [role=row], [role=listitem]):nth-of-type(n+25)"

// holdsToRules runs axe-core over what the page shows.
func (b *browser) holdsToRules(axe, name string) {
	b.t.Helper()
	if _, err := chromedp.Run(b.ctx, chromedp.Evaluate[any]("window.axe ||\n"+axe+";null")); err != nil {
		b.t.Fatalf("axe-core cannot be loaded: %.200s", err)
	}
	b.eval(
		`window.judged = undefined, axe.run({include: [document], exclude: ["` + later + `"]}, {resultTypes: ['violations'], runOnly: document.documentElement.classList.contains('dark') ? {type: 'rule', values: ['color-contrast']} : ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']}).then(r => {
		window.judged = r.violations.map(v => v.id + ' (' + v.help + '): ' + v.nodes.slice(0, 4).map(n => n.target.join(' ') + ' ' + n.html.slice(0, 160) + ' ' + (n.any[0] ? n.any[0].message : '')).join('\n      ')).join('\n    ')
	}, e => { window.judged = 'axe failed: ' + e })`,
	)
	b.wait("the judgement of "+name, `window.judged !== undefined`)
	said, err := chromedp.Run(b.ctx, chromedp.Evaluate[string]("window.judged"))
	if err != nil {
		b.t.Fatal(err)
	}
	if said = strings.TrimSpace(said); said != "" {
		b.t.Errorf("%s:\n    %s", name, said)
	}
}
