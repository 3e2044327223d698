package e2e

import (
	"fmt"
	"net"
	"net/http"
	"strconv"
	"strings"
	"testing"
	"time"

	"harvik/demo"
	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// minute has the service do at once what it does each minute.
func (h *harvik) minute(t *testing.T, what ...string) {
	t.Helper()
	for _, w := range what {
		if err := h.store.Leave(t.Context(), record.Todo{What: w, Cause: time.Now().String()}); err != nil {
			t.Fatal(err)
		}
	}
}

// TestWatching is in the browser: somebody sets a schedule, an address to watch, a rule and a way; the site changes,
// mail comes, its link opens what it tells of, and it is dealt with.
func TestWatching(t *testing.T) {
	t.Parallel()
	garden := demo.NewSeasons(demo.Summer)
	h := startBeside(t, garden)
	h.plan.Probes = plan.No()
	h.addGarden(t)
	box := testkit.Mailbox(t)
	host, port, _ := net.SplitHostPort(box.Address)
	n, _ := strconv.Atoi(port)
	if _, err := h.SetMail(t.Context(), api.NewMailServer{Host: host, Port: n, From: "harvik@fernhollow.example", Secure: "plain"}); err != nil {
		t.Fatal(err)
	}
	if err := h.store.Set(t.Context(), record.ConsoleSetting, h.url); err != nil {
		t.Fatal(err)
	}
	h.crawl(t)
	b := openBrowser(t)
	b.visit(h.signInLink(t))
	b.see("no schedule")
	b.click("link", "no schedule")
	b.see("Watching fernhollow")

	b.replace("Hours in which alone it runs", "evening")
	b.click("button", "Set the schedule")
	b.see("are no hours of the day")
	b.replace("Hours in which alone it runs", "")
	b.choose("How often", "daily")
	b.click("button", "Set the schedule")
	b.see("every day at 03:00")
	b.replace("Text that has to stand there", "Fernhollow")
	b.click("button", "Watch it")
	b.see("not looked at yet")
	h.minute(t, record.ToWatch, record.ToFront)
	b.wait("the address to be up", `[...document.querySelectorAll('td')].some(e => e.textContent === 'up')`)
	b.choose("What is told", "pages-vanished")
	b.replace("From which number on", "1")
	b.click("button", "Try it on what has been")
	b.see("It would have told nothing in 1 crawl")
	b.replace("Name of the rule", "gone")
	b.click("button", "Set the rule")
	b.see("(gone)")
	b.visit(h.url + "/ways")
	b.replace("Name of the way", "ash")
	b.replace("Address", "nobody")
	b.click("button", "Set the way")
	b.see("is no address of a mailbox")
	b.replace("Address", "ash@fernhollow.example")
	b.click("button", "Set the way")
	b.see("all sites")
	b.click("button", "Test")
	await(t, "the test to come", func() bool { mails, _ := box.Mails(); return len(mails) == 1 })

	garden.Turn() // to spring, when more is wrong
	h.crawl(t)
	await(t, "what the crawl told", func() bool {
		list, err := h.ListAlerts(t.Context(), &api.ListAlertsParams{Limit: 10})
		return err == nil && len(list.Alerts) >= 2
	})
	h.minute(t, record.ToTell)
	await(t, "the mail", func() bool { mails, _ := box.Mails(); return len(mails) == 2 })
	_, bodies := box.Mails()
	body := strings.ReplaceAll(bodies[1], "=\r\n", "")
	at := strings.Index(body, h.url+"/sites/fernhollow/")
	if at < 0 {
		t.Fatalf("no link stands in the mail:\n%s", body)
	}
	link, _, _ := strings.Cut(body[at:], "\r\n")
	b.visit(strings.TrimSpace(strings.ReplaceAll(link, "=3D", "=")))
	b.see("crawl 2")

	b.visit(h.url + "/")
	b.see("health fell by")
	b.picture("sites")
	b.visit(h.url + "/sites/fernhollow")
	b.see("in the inbox")
	b.picture("site-glance")
	b.visit(h.url + "/sites/fernhollow/watch?watch=home")
	b.see("available in")
	b.see("robots.txt")
	b.picture("watch")
	b.visit(h.url + "/week")
	b.see("a minute to fernhollow.example")
	b.click("button", "Hold all schedules")
	b.see("All schedules are held")
	b.click("button", "Let schedules begin")
	b.picture("week")
	ash := h.joins(t, api.NewPerson{Name: "ash", Role: "consultant", Everywhere: true, Mail: "ash@fernhollow.example"})
	list, err := h.ListFixes(t.Context(), "fernhollow", api.Latest, &api.ListFixesParams{Limit: 2})
	if err != nil || len(list.Fixes) < 2 {
		t.Fatalf("%+v (%v)", list, err)
	}
	note := "@rowan the garden says that their shop system writes this. Who looks after it?"
	if _, err := api.New(h.url, ash.token).MoveFixes(t.Context(), "fernhollow", api.Wish{
		Fixes: []api.FixAt{{Fix: list.Fixes[1].ID}}, Note: &note}); err != nil {
		t.Fatal(err)
	}
	b.visit(h.url + "/inbox")
	b.see("health fell by")
	b.see("Who looks after it?")
	b.picture("inbox")
	b.click("button", "All read")
	b.click("button", "Take its fixes")
	b.see("with rowan")
	b.click("button", "Wave off…: 2 pages are no more")
	b.click("button", "Wave off")
	b.see("say why it is waved off")
	b.replace("Why it does not matter", "it is spring")
	b.click("button", "Wave off")
	b.wait("an inbox without it", `!document.body.innerText.includes('2 pages are no more')`)
	b.choose("Which alerts", "waved off")
	b.see("it is spring")
	tasks, err := h.ListTasks(t.Context(), "fernhollow", nil)
	if err != nil || len(tasks.Tasks) == 0 || tasks.Tasks[0].Assignee != "rowan" {
		t.Errorf("%+v (%v)", tasks, err)
	}
	fern := api.NewPerson{Name: "Fern Bracken", Role: "client", Sites: []string{"fernhollow"}, Lists: true}
	if _, err := h.AddPerson(t.Context(), fern); err != nil {
		t.Fatal(err)
	}
	b.visit(h.url + "/people")
	b.see("client, with fix lists")
	b.picture("people")
	b.size(390, 844)
	b.visit(h.url + "/people")
	b.see("client, with fix lists")
	b.wait("people that are not wider than the window", `document.documentElement.scrollWidth <= innerWidth`)
	b.visit(h.url + "/inbox?state=all")
	b.see("health fell by")
	b.wait("a page that is not wider than the window", `document.documentElement.scrollWidth <= innerWidth`)
	b.visit(h.url + "/")
	b.wait("a list that is not wider than the window", `document.documentElement.scrollWidth <= innerWidth`)
}

// await waits for something to be so.
func await(t *testing.T, what string, is func() bool) {
	t.Helper()
	for deadline := time.Now().Add(40 * time.Second); !is(); time.Sleep(50 * time.Millisecond) {
		if time.Now().After(deadline) {
			t.Fatalf("in vain for %s", what)
		}
	}
}

// TestManySites: the first page of somebody with 300 sites finds and leaves out.
func TestManySites(t *testing.T) {
	t.Parallel()
	h := startOn(t, testkit.Tables(t))
	for n := range 300 {
		if err := h.store.AddSite(t.Context(), fmt.Sprintf("bed-%03d", n), "http://beds.invalid/", plan.Plan{}); err != nil {
			t.Fatal(err)
		}
	}
	b := openBrowser(t)
	b.visit(h.signInLink(t))
	b.see("bed-299")
	b.replace("Find sites", "bed-17")
	b.wait("ten sites", `document.querySelectorAll('tbody tr').length === 10`)
	if !strings.Contains(b.address(), "find=bed-17") {
		t.Errorf("what is looked for does not stand in the address: %s", b.address())
	}
	b.replace("Find sites", "nosuch")
	b.see("None of 300 sites is so")
	if _, err := h.SetGroups(t.Context(), "bed-007", api.Groups{Groups: []string{"South side"}}); err == nil {
		t.Error("a group of any name is taken")
	}
	for _, name := range []string{"bed-007", "bed-120"} {
		if _, err := h.SetGroups(t.Context(), name, api.Groups{Groups: []string{"south", "old", "south"}}); err != nil {
			t.Fatal(err)
		}
	}
	b.visit(h.url + "/")
	b.choose("Group", "south")
	b.wait("the sites of a group", `document.querySelectorAll('tbody tr').length === 2`)
	b.visit(h.url + "/sites/bed-007")
	b.click("button", "change groups")
	b.replace("Groups, with spaces between", "old, north")
	b.click("button", "Keep")
	b.see("In north, old")
	if resp, err := http.Get(h.url + "/api/v1/care"); err != nil || resp.StatusCode != http.StatusUnauthorized {
		t.Errorf("without a credential: %v", err)
	}
}
