package e2e

import (
	"net"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"harvik/internal/api"
	"harvik/internal/testkit"
)

// TestPeople is in two browsers: the owner goes by a name, invites somebody, who chooses a password on a machine of
// their own; both work at one list and see what the other does; a session is ended, and all of it stands in the trail.
func TestPeople(t *testing.T) {
	t.Parallel()
	h := moors(t)
	if err := h.store.Rename(t.Context(), 1, "owner"); err != nil {
		t.Fatal(err)
	}
	b := openBrowser(t)
	b.visit(h.signInLink(t))
	b.click("link", "Your name?")
	b.replace("Your name", "rowan")
	b.click("button", "Go by this name")
	b.see("rowan, owner")
	b.click("link", "People")
	b.see("Let somebody in")
	b.replace("Name", "ash")
	b.choose("Role", "consultant")
	b.replace("Sites and groups, with spaces between", "heath")
	b.click("button", "Make a link")
	b.see("By this link ash chooses a password")
	link := b.part(`[aria-label="The link"]`)

	other := openBrowser(t)
	other.visit(link)
	other.see("Welcome, ash.")
	other.replace("Password", "short")
	other.click("button", "Sign in")
	other.see("at least 15 characters, this one has 5")
	other.replace("Password", "the moss on ash's wall")
	other.click("button", "Sign in")
	other.see("heath")
	if other.has(foreignSite) {
		t.Error("ash sees a site that is not given")
	}
	other.visit(h.url + "/sites/" + foreignSite)
	other.see("there is no site")
	other.visit(h.url + "/people")
	other.see("Who works here")

	// One assigns, the other sees it without asking.
	list, err := h.ListFixes(t.Context(), "heath", api.Latest, &api.ListFixesParams{Limit: 9})
	if err != nil || len(list.Fixes) < 2 {
		t.Fatalf("%d fixes (%v)", len(list.Fixes), err)
	}
	fix := list.Fixes[1]
	at := "/sites/heath/latest/fixes?fix=" + fix.ID
	other.visit(h.url + at)
	other.see(fix.Line)
	b.visit(h.url + at)
	b.see(fix.Line)
	b.click("button", "Take")
	b.see("1 fix taken")
	other.wait("what rowan did", `[...document.querySelectorAll('details summary')].some(s => s.textContent.includes('event'))`)
	other.see("Take")
	other.click("button", "Claim")
	other.see("1 fix claimed")
	b.wait("what ash did", `document.body.textContent.includes('2 events')`)

	// One speaks to the other, and gives them the fix.
	b.fill("Note", "@Ash: is this theirs?\r")
	b.see("3 events")
	other.visit(h.url + "/inbox")
	other.see("For you, from others")
	other.see("“@Ash: is this theirs?”")
	other.see("Inbox 2") // with an alert
	other.click("link", fix.Line)
	other.see("3 events")
	other.wait("that it was read", `[...document.querySelectorAll('a')].some(a => a.textContent === 'Inbox 1')`)
	b.replace("For", "ash")
	b.fill("For", "\r")
	b.see("4 events")
	other.visit(h.url + "/inbox")
	other.see("gave you")
	other.click("button", "All read")
	other.wait("that all is read", `!document.body.textContent.includes('gave you')`)

	// One waives it; the other ends the session in which that was done.
	other.visit(h.url + at)
	other.click("button", "Waive…")
	other.replace("Why this is fine as it is", "heather is heather")
	other.wait("the button", `[...document.querySelectorAll('[role=dialog] button')].some(b => b.textContent === 'Waive' && !b.disabled && (b.click(), true))`)
	other.see("Undo")
	b.visit(h.url + "/people")
	b.see("By what others are let in")
	b.click("button", "of ash")
	b.wait("that the session is gone", `![...document.querySelectorAll('[aria-label]')].some(e => /^End browser .* of ash$/.test(e.ariaLabel))`)
	other.visit(h.url + "/")
	other.see("Sign in")
	b.visit(h.url + "/trail?who=ash")
	b.see("heather is heather")
	if list, err := h.ListPeople(t.Context()); err != nil || slices.ContainsFunc(list.People, func(p api.Person) bool {
		return p.Seen.IsZero()
	}) {
		t.Errorf("somebody was never here: %+v (%v)", list.People, err)
	}
	other.replace("Name", "ash")
	other.replace("Password", "the moss on ash's wall")
	other.click("button", "Sign in")
	other.see("heath")

	// Who has forgotten it, or is to be let in no more.
	b.visit(h.url + "/trail?who=ash")
	b.see("Take, claim, assign or open fixes again")
	b.see("chose a password by an invitation")
	b.visit(h.url + "/people")
	b.click("button", "Change: ash")
	b.choose("Role", "reader")
	b.click("button", "Keep")
	b.wait("the role", `[...document.querySelectorAll('td')].some(c => c.textContent === 'reader')`)
	other.visit(h.url + "/")
	other.see("Sign in")
	other.replace("Name", "ash")
	other.replace("Password", "the moss on ash's walls")
	other.click("button", "Sign in")
	other.see("do not belong together")
	other.replace("Password", "the moss on ash's wall")
	other.click("button", "Sign in")
	other.see("heath")
	other.visit(h.url + at)
	other.see(fix.Line)
	if other.has("Claim") {
		t.Error("a reader can claim")
	}
	b.visit(h.url + "/people")
	b.click("button", "End…: ash")
	b.click("button", "Let in no more: ash")
	b.wait("that ash is gone", `![...document.querySelectorAll('td')].some(c => c.textContent === 'ash')`)
	other.visit(h.url + "/")
	other.see("Sign in")
	b.visit(h.url + "/trail")
	b.see("Let somebody in no more")
	b.see("Change who somebody is")
}

// TestClientSees: a client sees how their site stands and its fix list, and nothing of how the work is done.
func TestClientSees(t *testing.T) {
	t.Parallel()
	h := moors(t)
	client := h.joins(t, api.NewPerson{Name: "fern", Role: "client", Sites: []string{"heath"}, Lists: true})
	made, err := h.InvitePerson(t.Context(), personNamed(t, h, "fern"))
	if err != nil {
		t.Fatal(err)
	}
	b := openBrowser(t)
	b.visit(made.Link)
	b.see("fern, choose a new password")
	b.replace("Password", "bracken under the birches")
	b.click("button", "Sign in")
	b.see("heath")
	b.click("link", "heath")
	b.see("fixes")
	for _, word := range []string{noteMark, planMark, ownerName, "Take", "Tables"} {
		if b.has(word) {
			t.Errorf("a client sees %q", word)
		}
	}
	if got := client.tries(t, "GET", "/api/v1/sites/heath", "session"); got.status != http.StatusUnauthorized {
		t.Errorf("after a new password an old session is let in: %d", got.status)
	}
}

// personNamed is the number of somebody.
func personNamed(t *testing.T, h *harvik, name string) int64 {
	t.Helper()
	list, err := h.ListPeople(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range list.People {
		if p.Name == name {
			return p.ID
		}
	}
	t.Fatalf("nobody is called %s", name)
	return 0
}

// TestPeopleByCommands is the same by the command line, and from another machine.
func TestPeopleByCommands(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	pages := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, _ = w.Write([]byte("<title>Heather</title><a href=/a>a</a>"))
	})
	s.ok("site add heath http://" + testkit.Serve(t, pages) + "/ --allow 127.0.0.0/8")
	s.ok("site add moor http://" + testkit.Serve(t, pages) + "/ --allow 127.0.0.0/8")
	s.ok("site groups heath open")
	s.ok("people name rowan")
	s.fails("people add ash", 2, "role")
	s.fails("people add ash --role gardener", 1, `no role "gardener"`)
	s.fails("people add ash --role reader --site marsh", 1, "there is no site marsh")
	s.ok("people add ash --role consultant --group open --mail ash@fernhollow.example", "/welcome#")
	s.fails("people add Ash --role reader", 1, "exists already")
	box := testkit.Mailbox(t)
	host, port, _ := net.SplitHostPort(box.Address)
	s.ok("way mail --host " + host + " --port " + port + " --from harvik@fernhollow.example --secure plain")
	s.ok("people link ash", "It was sent to ash@fernhollow.example")
	link := strings.TrimSpace(s.ok("people link ash"))
	if mails, bodies := box.Mails(); len(mails) != 2 || !strings.Contains(strings.ReplaceAll(bodies[1], "=\r\n", ""), "/welcome#") {
		t.Errorf("%d mails came: %q", len(mails), bodies)
	}
	s.ok("people list", "rowan", "all sites", "ash", "group open", "invited until")
	s.fails("people end rowan", 1, "the last owner")
	s.fails("people set rowan --role reader", 1, "the last owner")
	welcome := api.New(strings.SplitN(link, "/welcome", 2)[0], "")
	if _, err := welcome.Welcome(t.Context(), api.Welcome{Link: link, Password: "the moss on ash's wall"}); err != nil {
		t.Fatal(err)
	}
	if _, err := welcome.Welcome(t.Context(), api.Welcome{Link: link, Password: "the moss on ash's wall"}); err == nil {
		t.Error("an invitation works twice")
	}
	other := *s
	other.data = ""
	other.env = append(os.Environ(), "XDG_CONFIG_HOME="+t.TempDir(), "XDG_DATA_HOME="+t.TempDir(), "HARVIK_DATA=", "HARVIK_TOKEN=")
	other.in = "wrong and long enough\n"
	address := strings.SplitN(link, "/welcome", 2)[0]
	other.fails("sign-in http://harvik.fernhollow.example ash", 2, "everybody between here and there reads the password")
	other.fails("sign-in "+address+" ash", 1, "do not belong together")
	other.in = "the moss on ash's wall\n"
	other.ok("sign-in " + address + " ash")
	other.ok("site list", "heath")
	if out := other.ok("site list"); strings.Contains(out, "moor") {
		t.Errorf("ash sees another's site:\n%s", out)
	}
	other.fails("site show moor", 1, "there is no site")
	other.fails("people add birch --role reader", 1, "a consultant may not do this: it is for owners")
	other.ok("plan set heath pages=7")
	other.ok("token add nightly --role reader --days 30")
	s.ok("trail --site heath", "ash", "Change settings of a site's plan")
	if out := s.ok("trail --who ash --csv"); !strings.Contains(out, `""pages"":7`) {
		t.Errorf("the trail does not say what changed:\n%s", out)
	}
	s.ok("token list", "nightly", "ash", "reader")
	s.ok("people set ash --role reader", "ash is reader at group open")
	other.fails("plan set heath pages=8", 1, "a reader may not do this")
	other.ok("sign-in out")
	other.fails("site list", 1, "no service is known")
	s.ok("people end ash")
	s.fails("people link ash", 1, "nobody goes by the name ash")
}

// TestOnlyWhatTheyMay is in a browser: nothing that a reader or a client is shown to press asks for what they may not.
func TestOnlyWhatTheyMay(t *testing.T) {
	t.Parallel()
	h := moors(t)
	_, err := h.SetWay(t.Context(), "ash", api.NewWay{Kind: "mail", Address: "ash@fernhollow.example"})
	if err == nil {
		_, err = h.ImportFigures(t.Context(), "heath", nil, "text/csv", strings.NewReader("page,visits\n/,3\n"))
	}
	if err != nil {
		t.Fatal(err)
	}
	const crawl = "/sites/heath/latest"
	for role, pages := range map[string][]string{
		"reader": {"/", "/inbox", "/week", "/ask?question=words+%3C+900", "/queue", "/me", "/sites/heath",
			"/sites/heath/plan", "/sites/heath/watch", "/sites/heath/waivers", "/sites/heath/figures",
			"/sites/heath/checks?open=title-duplicate", crawl, crawl + "/fixes", crawl + "/tables?question=words+%3C+900",
			crawl + "/drift", crawl + "/export", crawl + "/report",
			crawl + "/page?address=/"},
		"client": {"/", crawl + "/fixes", "/me", "/sites/heath"},
	} {
		t.Run(role, func(t *testing.T) {
			t.Parallel()
			h.joins(t, api.NewPerson{Name: "a " + role, Role: role, Sites: []string{"heath"}, Lists: true})
			made, err := h.InvitePerson(t.Context(), personNamed(t, h, "a "+role))
			if err != nil {
				t.Fatal(err)
			}
			b := openBrowser(t)
			b.visit(made.Link)
			b.see("choose a new password")
			b.replace("Password", "bracken under the birches")
			b.click("button", "Sign in")
			b.see("heath")
			pressed := 0
			for _, page := range pages {
				b.visit(h.url + page)
				b.wait("what stands at "+page, `document.querySelector('h1, h2') && !document.querySelector('[aria-label=Loading]')`)
				b.eval(pressAll + ".then(all => { window.pressed = all })")
				b.wait("that all is pressed at "+page, "window.pressed")
				said, err := chromedp.Run(b.ctx, chromedp.Evaluate[string]("window.pressed"))
				if err != nil {
					t.Fatal(err)
				}
				n, refused, _ := strings.Cut(said, ";")
				if k, err := strconv.Atoi(n); err == nil {
					pressed += k
				}
				if refused != "" {
					t.Errorf("%s is refused at %s: %s", role, page, refused)
				}
			}
			if pressed < 2*len(pages) {
				t.Errorf("only %d buttons were pressed", pressed)
			}
		})
	}
}

// pressAll presses all that can be pressed on a page, and tells how much that was, and which requests were refused.
const pressAll = `(async () => {
	let n = 0;
	const seen = new Set(), rest = ms => new Promise(done => setTimeout(done, ms));
	for (let more = true; more && n < 60;) {
		more = false;
		for (const b of document.querySelectorAll('button')) {
			const name = b.ariaLabel || b.textContent;
			if (b.disabled || seen.has(name) || /^(Sign out|Dark|Light)$/.test(name.trim())) continue;
			seen.add(name);
			b.click();
			n++;
			more = true;
			await rest(20);
			break;
		}
	}
	await rest(250);
	const refused = performance.getEntriesByType('resource').filter(e => e.responseStatus === 403);
	return n + ';' + refused.map(e => e.name.replace(location.origin, '')).join(' ');
})()`
