package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"mime"
	"net"
	"net/http"
	"os/exec"
	"regexp"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"harvik/demo"
	"harvik/internal/api"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/testkit"
)

// minute has the service do at once what it does each minute.
func (s *shell) minute(what ...string) {
	s.t.Helper()
	where, _ := s.database()
	db, err := store.Open(s.t.Context(), where)
	if err != nil {
		s.t.Fatal(err)
	}
	defer db.Close()
	for _, w := range what {
		if err := db.Leave(s.t.Context(), record.Todo{What: w, Cause: time.Now().String()}); err != nil {
			s.t.Fatal(err)
		}
	}
}

// TestStoryTold is by the command line: somebody has a site crawled by itself, says what is to be told and to whom, the
// site changes, mail comes, its link opens, and it is dealt with.
func TestStoryTold(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	garden := demo.NewSeasons(demo.Spring)
	p := testkit.Garden(t, garden)
	box := testkit.Mailbox(t)
	s.ok("site add fernhollow " + demo.Home + " --allow 127.0.0.0/8")
	s.ok("plan set fernhollow steady=true --timeout 3s --retries 1 --parallel 8 probes=false outbound=false --host fernhollow.example=" +
		p.Hosts[demo.Host] + " ca=" + strings.ReplaceAll(strconv.Quote(p.CA), " ", "\\x20"))
	host, port, _ := net.SplitHostPort(box.Address)
	s.ok("way mail --host "+host+" --port "+port+" --from harvik@fernhollow.example --secure plain", "(plain)")
	s.ok("way set ash --mail ash@fernhollow.example", "ash@fernhollow.example")
	s.ok("way test ash", "The test was sent.")
	s.fails("schedule set fernhollow sometimes", 1, "no time that is understood")
	s.ok("schedule set fernhollow daily 03:00 --zone Europe/Berlin", "every day at 03:00 (Europe/Berlin): next t")
	s.ok("schedule list", "fernhollow", "usual", "not yet")
	s.ok("schedule week --days 2", "usual")
	s.ok("watch set fernhollow / --every 1 --must Fernhollow", "watched as home, every minute")
	s.fails("alert set fernhollow helth-fell", 1, `did you mean "health-fell"?`)
	s.fails("alert set fernhollow gate-shut --max title", 2, "--max")
	s.ok("alert set fernhollow gate-shut --max title-*=9000 --min-health 1", "title-*=9000", "health 1")
	s.ok("site groups fernhollow gardens north", "in gardens, north")
	s.ok("sites --group north", "fernhollow")
	s.fails("sites --group south", 1, "no site is in the group south")
	s.fails("watch keep 10 4", 1, "more days")
	s.ok("watch keep 10 200", "10 days", "200 days")
	s.ok("alert set fernhollow pages-vanished --least 1 --section /visit/", "1 page", "/visit/")

	// It is three o'clock.
	_, conn := s.database()
	due := func() {
		t.Helper()
		if _, err := conn.Exec(t.Context(), "update schedule set due = now() - interval '1 second'"); err != nil {
			t.Fatal(err)
		}
		s.minute(record.ToBegin, record.ToWatch)
	}
	due()
	s.await("fernhollow", "finished")
	s.ok("schedule list", ", crawl 1")
	s.ok("watch list", "home", "up", "100 %")
	s.ok("alert try fernhollow pages-vanished", "It would have told nothing in 1 crawl.")
	garden.Turn()
	due()
	s.until("the second crawl is there", func() bool { out, _, _ := s.run("schedule", "list"); return strings.Contains(out, ", crawl 2") })
	s.until("it has finished", func() bool { return s.crawlOf("fernhollow", 2).State == "finished" })
	if by := s.crawlOf("fernhollow", 2).Schedule; by != "usual" {
		t.Errorf("crawl 2 was begun by %q", by)
	}
	s.until("it is told", func() bool { out, _, _ := s.run("inbox"); return strings.Contains(out, "pages are no more in /visit/") })
	s.minute(record.ToTell)
	s.until("mail comes", func() bool { mails, _ := box.Mails(); return len(mails) == 2 })
	s.minute(record.ToTell)
	mails, bodies := box.Mails()
	subject, _ := new(mime.WordDecoder).DecodeHeader(mails[1].Header.Get("Subject"))
	if !strings.Contains(subject, "fernhollow: 2 pages can no longer be found in search, and 2 more") {
		t.Errorf("the mail is about %q", subject)
	}
	body := strings.ReplaceAll(bodies[1], "=\r\n", "")
	if !strings.Contains(body, "/visit/willow-hut/") || !strings.Contains(body, "First: ") {
		t.Errorf("the mail says:\n%s", body)
	}
	link := regexp.MustCompile(`http://127\.0\.0\.1:\d+/sites/fernhollow/2/drift`).FindString(body)
	resp, err := http.Get(link)
	if err != nil || resp.StatusCode != http.StatusOK {
		t.Errorf("%q does not open: %v", link, err)
	}
	var inbox api.AlertList
	if err := json.Unmarshal([]byte(s.ok("inbox --json")), &inbox); err != nil || len(inbox.Alerts) != 3 {
		t.Fatalf("%d alerts (%v)", len(inbox.Alerts), err)
	}
	for _, one := range inbox.Alerts {
		id := api.Numbered(int(one.ID))
		switch {
		case len(one.Fixes) > 0:
			s.ok("inbox take "+id+" --assignee rowan", "taken.")
		case strings.Contains(one.Says, "no more"):
			s.fails("inbox wave-off "+id, 1, "say why it is waved off")
			s.ok("inbox wave-off "+id+" --reason meant", "waved off", "meant")
		default:
			s.ok("inbox assign "+id+" --to rowan", "with rowan")
		}
	}
	s.ok("work fernhollow", "rowan")
	s.ok("inbox --state open", "with rowan")
	s.ok("way messages ash", "2 pages can no longer be found in search, and 2 more")
	if mails, _ = box.Mails(); len(mails) != 2 {
		t.Errorf("%d mails came", len(mails))
	}
	garden.Turn()
	due()
	s.until("the third crawl is told", func() bool {
		out, _, _ := s.run("inbox")
		return strings.Contains(out, "ealth fell by") && strings.Contains(out, "since crawl 2")
	})
	s.ok("sites", "fernhollow", "100 %", "rowan")
	s.ok("schedule hold")
	s.ok("schedule list", "All schedules are held")
	s.ok("schedule release")
	s.ok("schedule remove fernhollow usual")
}

// TestNotLost: a service that is killed between deciding and sending, or while it sends, loses no message, and sends
// none under another key.
func TestNotLost(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	hook, address := testkit.Hook(t)
	s.ok("way set board --webhook " + address + " --allow 127.0.0.0/8")
	keys := func() map[string]int {
		out := map[string]int{}
		for _, p := range hook.Posts() {
			out[p.Header.Get("Idempotency-Key")]++
		}
		return out
	}
	// While it sends.
	release := hook.Hold()
	post := func() {
		t.Helper()
		c := exec.Command(s.binary, "--data", s.data, "way", "test", "board")
		if err := c.Start(); err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = c.Wait() }) // it ends by itself, or with the service
	}
	post()
	s.until("the first is being sent", func() bool { return len(keys()) == 1 })
	s.stop(syscall.SIGKILL)
	release()
	s.startWith(new(bytes.Buffer))
	s.until("it is sent again", func() bool { return len(hook.Posts()) >= 2 })
	// Decided, and not begun to be sent: the queue is stopped in between.
	s.stop(syscall.SIGTERM)
	s.startWith(new(bytes.Buffer), "--messages", "0")
	post()
	_, conn := s.database()
	s.until("the second waits", func() bool {
		n := 0
		_ = conn.QueryRow(context.Background(), "select count(*) from message where sent is null").Scan(&n)
		return n == 1
	})
	s.stop(syscall.SIGKILL)
	s.startWith(new(bytes.Buffer))
	s.until("the second is sent", func() bool { return len(keys()) == 2 })
	s.until("both are known to be sent", func() bool {
		out, _, _ := s.run("way", "messages", "board")
		return strings.Count(out, "today ") == 4
	})
	time.Sleep(300 * time.Millisecond)
	if got := keys(); len(got) != 2 {
		t.Errorf("two messages came under %v", got)
	}
	for key, n := range keys() {
		if n > 2 {
			t.Errorf("%s came %d times", key, n)
		}
	}
}

// TestFeed: a feed is read by its token alone, and tells what was told.
func TestFeed(t *testing.T) {
	t.Parallel()
	h := crawled(t)
	way, err := h.SetWay(t.Context(), "reader", api.NewWay{Kind: "feed"})
	if err != nil || !strings.HasPrefix(way.Feed, "/feeds/") {
		t.Fatalf("%+v (%v)", way, err)
	}
	if again, err := h.SetWay(t.Context(), "reader", api.NewWay{Kind: "feed", Sites: []string{"fernhollow"}}); err != nil || again.Feed != "" {
		t.Errorf("its token comes out again: %+v (%v)", again, err)
	}
	told(t, h)
	h.execute(t, "insert into telling (alert_id, way_id, over) select a.id, w.id, false from alert a, way w")
	read := func(path string) (int, string) {
		t.Helper()
		resp, err := http.Get(h.url + path)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		body, err := io.ReadAll(resp.Body)
		if err != nil {
			t.Fatal(err)
		}
		return resp.StatusCode, string(body)
	}
	if status, body := read(way.Feed); status != 200 || !strings.Contains(body, "fernhollow: Footer link is dead") ||
		!strings.Contains(body, "/sites/fernhollow/2/fixes") {
		t.Errorf("%d: %s", status, body)
	}
	if status, _ := read(way.Feed + "x"); status != 404 {
		t.Errorf("another token: %d", status)
	}
}
