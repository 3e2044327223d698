package store_test

import (
	"errors"
	"slices"
	"testing"
	"time"

	"harvik/internal/core/alert"
	"harvik/internal/core/plan"
	"harvik/internal/record"
	"harvik/internal/store"
)

// gate is a site with two ways to tell somebody.
func gateSite(t *testing.T, s *store.Store) (site record.Site, ash, rowan record.Way) {
	t.Helper()
	if err := s.AddSite(t.Context(), "fernhollow", "http://fernhollow.invalid/", plan.Plan{}); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	for _, w := range []record.Way{{Name: "ash", Kind: record.ByMail, Address: "ash@fernhollow.example", Sealed: []byte("x")},
		{Name: "rowan", Kind: record.ByFeed, Print: []byte("print")}} {
		if err := s.PutWay(t.Context(), w); err != nil {
			t.Fatal(err)
		}
	}
	ways, err := s.Ways(t.Context())
	if err != nil || len(ways) != 2 {
		t.Fatalf("%d ways (%v)", len(ways), err)
	}
	return site, ways[0], ways[1]
}

// TestTell: what is told is told once to whom it is for, once more when it is over, and not at all where it is expected
// or waved off.
func TestTell(t *testing.T) {
	s, _ := opened(t)
	site, ash, rowan := gateSite(t, s)
	at := time.Now().Truncate(time.Microsecond)
	down := record.Alert{
		Rule:    "outage",
		What:    "outage",
		Subject: "home",
		Lasts:   true,
		Began:   at,
		State:   record.AlertNew,
		Told:    alert.Told{Says: "home is down", Urgent: true, Count: 3},
	}
	fell := record.Alert{
		Rule:    "health-fell",
		What:    "health-fell",
		Subject: "crawl 2",
		Began:   at,
		State:   record.AlertNew,
		Told:    alert.Told{Says: "Health fell"},
	}
	silent := record.Alert{
		Rule:    "pages-closed",
		What:    "pages-closed",
		Subject: "crawl 2",
		Began:   at,
		State:   record.AlertSilent,
		Reason:  "a relaunch",
	}
	to := map[string][]int64{"outage": {ash.ID, rowan.ID}, "health-fell": {ash.ID}, "pages-closed": {ash.ID}}
	for range 3 {
		news := record.News{Alerts: []record.Alert{down, fell, silent}, To: to}
		if err := s.Tell(t.Context(), site.ID, news); err != nil {
			t.Fatal(err)
		}
	}
	waits := func(w record.Way) []record.Telling {
		t.Helper()
		out, err := s.Tellings(t.Context(), w.ID)
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	if n, m := waits(ash), waits(rowan); len(n) != 2 || len(m) != 1 ||
		!slices.ContainsFunc(n, func(t record.Telling) bool { return t.Urgent }) {
		t.Fatalf("%+v and %+v wait", n, m)
	}
	open, err := s.OpenAlerts(t.Context(), site.ID)
	if err != nil || len(open) != 1 || open["outage"][0].Subject != "home" || open["outage"][0].Count != 3 ||
		!open["outage"][0].Began.Equal(at) {
		t.Errorf("%+v (%v)", open, err)
	}
	// Two processes decide at once: one message comes of it.
	some := waits(ash)
	made := 0
	for range 2 {
		if err := s.Decide(t.Context(), ash.ID, some, func(began, over []record.Alert) (record.MessageBody, error) {
			made++
			if len(began) != 2 || len(over) != 0 || began[0].Site != "fernhollow" {
				t.Errorf("%+v, %+v", began, over)
			}
			return record.MessageBody{Subject: "two things"}, nil
		}); err != nil {
			t.Fatal(err)
		}
	}
	messages, err := s.Messages(t.Context(), ash.ID, 9)
	if made != 1 || err != nil || len(messages) != 1 || messages[0].Body.Subject != "two things" ||
		messages[0].Key == "" ||
		len(waits(ash)) != 0 {
		t.Fatalf("%d were made: %+v (%v)", made, messages, err)
	}
	over := record.News{
		Over: []record.AlertOver{{Rule: "outage", Subject: "home", Says: "home is up again", At: at.Add(time.Hour)}},
	}
	for range 2 {
		if err := s.Tell(t.Context(), site.ID, over); err != nil {
			t.Fatal(err)
		}
	}
	if n := waits(ash); len(n) != 1 || !n[0].Over {
		t.Errorf("%+v wait", n)
	}
	// It may begin again, and is then told again.
	if err := s.Tell(t.Context(), site.ID, record.News{Alerts: []record.Alert{down}, To: to}); err != nil {
		t.Fatal(err)
	}
	if n := waits(ash); len(n) != 2 {
		t.Errorf("%+v wait", n)
	}
	all, err := s.Alerts(t.Context(), nil, record.AlertAll, 0, 9, time.Now())
	if err != nil || len(all) != 4 {
		t.Fatalf("%d alerts (%v)", len(all), err)
	}
	// One that is waved off is neither told nor, later, told to be over.
	waved := record.AlertWaved
	if err := s.ChangeAlert(t.Context(), all[0].ID, record.AlertChange{State: &waved, Reason: "known"}); err != nil {
		t.Fatal(err)
	}
	if err := s.Tell(t.Context(), site.ID, over); err != nil {
		t.Fatal(err)
	}
	if n := waits(ash); len(n) != 1 {
		t.Errorf("%+v wait", n)
	}
	if err := s.ChangeAlert(t.Context(), 987, record.AlertChange{State: &waved}); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("an alert that is not there: %v", err)
	}
}

// TestInbox: an alert that is put out of sight comes back when it is time.
func TestInbox(t *testing.T) {
	s, _ := opened(t)
	site, _, _ := gateSite(t, s)
	at := time.Now()
	for _, rule := range []string{"a", "b", "c"} {
		if err := s.Tell(t.Context(), site.ID, record.News{Alerts: []record.Alert{{Rule: rule, Subject: "crawl 2", Began: at,
			State: record.AlertNew}}}); err != nil {
			t.Fatal(err)
		}
	}
	list := func(state string, now time.Time) (out string) {
		t.Helper()
		all, err := s.Alerts(t.Context(), []string{"fernhollow"}, state, 0, 9, now)
		if err != nil {
			t.Fatal(err)
		}
		for _, a := range all {
			out += a.Rule
		}
		return out
	}
	all, err := s.Alerts(t.Context(), nil, record.AlertStirs, 0, 9, at)
	if err != nil || len(all) != 3 {
		t.Fatalf("%d alerts (%v)", len(all), err)
	}
	tomorrow, read, who := at.AddDate(0, 0, 1), record.AlertRead, "ash"
	if err := s.ChangeAlert(t.Context(), all[0].ID, record.AlertChange{Until: &tomorrow}); err != nil {
		t.Fatal(err)
	}
	if err := s.ChangeAlert(t.Context(), all[1].ID, record.AlertChange{State: &read}); err != nil {
		t.Fatal(err)
	}
	if got := list(record.AlertStirs, at); got != "a" {
		t.Errorf("open today: %s", got)
	}
	if got := list(record.AlertStirs, tomorrow.Add(time.Minute)); got != "ca" {
		t.Errorf("open tomorrow: %s", got)
	}
	if err := s.ChangeAlert(t.Context(), all[1].ID, record.AlertChange{Assignee: &who}); err != nil {
		t.Fatal(err)
	}
	if got := list(record.AlertStirs, at); got != "ba" {
		t.Errorf("with one that somebody has: %s", got)
	}
	past := at.Add(-time.Hour)
	if err := s.ChangeAlert(t.Context(), all[0].ID, record.AlertChange{Until: &past}); err != nil {
		t.Fatal(err)
	}
	if got := list(record.AlertStirs, at); got != "cba" {
		t.Errorf("brought back: %s", got)
	}
	counts, err := s.AlertCounts(t.Context(), at)
	if err != nil || counts["fernhollow"] != 2 {
		t.Errorf("%v (%v)", counts, err)
	}
}

// TestWays: a secret stays where none is given, comes out nowhere, and goes with its way.
func TestWays(t *testing.T) {
	s, db := opened(t)
	_, ash, rowan := gateSite(t, s)
	if string(ash.Sealed) != "x" || string(rowan.Print) != "print" {
		t.Fatalf("%+v, %+v", ash, rowan)
	}
	if err := s.PutWay(t.Context(), record.Way{Name: "ash", Kind: record.ByMail, Address: "ash@fernhollow.example", Quiet: "22:00-07:00"}); err != nil {
		t.Fatal(err)
	}
	ways, err := s.Ways(t.Context())
	if err != nil || string(ways[0].Sealed) != "x" || ways[0].Quiet != "22:00-07:00" || ways[0].ID != ash.ID {
		t.Errorf("%+v (%v)", ways, err)
	}
	if w, err := s.WayOf(t.Context(), []byte("print")); err != nil || w.Name != "rowan" {
		t.Errorf("%+v (%v)", w, err)
	}
	if _, err := s.WayOf(t.Context(), []byte("another")); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("%v", err)
	}
	id, err := s.Post(t.Context(), ash.ID, record.MessageBody{Test: true})
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Sent(t.Context(), id, 1, "it answered 503"); err != nil {
		t.Fatal(err)
	}
	if ways, err = s.Ways(t.Context()); err != nil || ways[0].Failed != 1 || ways[0].Error != "it answered 503" ||
		ways[0].Last != nil {
		t.Errorf("%+v (%v)", ways[0], err)
	}
	if err := s.Sent(t.Context(), id, 2, ""); err != nil {
		t.Fatal(err)
	}
	if one, err := s.Message(t.Context(), id); err != nil || one.Sent == nil || one.Tries != 2 || !one.Body.Test {
		t.Errorf("%+v (%v)", one, err)
	}
	// Keys are turned for all secrets, those of sending, too.
	if err := s.Set(t.Context(), record.MailSetting, record.MailServer{Host: "mail", Sealed: []byte("y")}); err != nil {
		t.Fatal(err)
	}
	if err := s.Set(t.Context(), record.ProviderSetting, record.Provider{Issuer: "id", Sealed: []byte("z")}); err != nil {
		t.Fatal(err)
	}
	var purposes []string
	n, err := s.Reseal(t.Context(), "print", func(purpose string, sealed []byte) ([]byte, error) {
		purposes = append(purposes, purpose+"="+string(sealed))
		return append(sealed, '2'), nil
	})
	if err != nil || n != 3 ||
		!slices.Equal(purposes, []string{record.MailPurpose + "=y", record.ProviderPurpose + "=z", record.WayPurpose("ash") + "=x"}) {
		t.Errorf("%d resealed: %q (%v)", n, purposes, err)
	}
	var server record.MailServer
	if err := s.Setting(t.Context(), record.MailSetting, &server); err != nil || string(server.Sealed) != "y2" {
		t.Errorf("%+v (%v)", server, err)
	}
	var provider record.Provider
	if err := s.Setting(t.Context(), record.ProviderSetting, &provider); err != nil || string(provider.Sealed) != "z2" {
		t.Errorf("%+v (%v)", provider, err)
	}
	if err := s.RemoveWay(t.Context(), "ash"); err != nil {
		t.Fatal(err)
	}
	left := -1
	if err := db.QueryRowContext(t.Context(), "select count(*) from message").Scan(&left); err != nil || left != 0 {
		t.Errorf("%d messages are left (%v)", left, err)
	}
}

// TestLetters: a letter is left to the queue once, and a week has what happened in it, and nothing else.
func TestLetters(t *testing.T) {
	s, db := opened(t)
	site, ash, _ := gateSite(t, s)
	due, next := time.Now().Add(-time.Minute), time.Now().AddDate(0, 0, 7)
	ash.Letter, ash.Next = "mon 07:00", &due
	if err := s.PutWay(t.Context(), ash); err != nil {
		t.Fatal(err)
	}
	ways, err := s.Ways(t.Context())
	if err != nil || ways[0].Next == nil {
		t.Fatalf("%+v (%v)", ways, err)
	}
	for range 2 {
		body := record.MessageBody{Subject: "the week", Letter: &record.Letter{}}
		if err := s.PostLetter(t.Context(), ways[0], &next, body); err != nil {
			t.Fatal(err)
		}
	}
	messages, err := s.Messages(t.Context(), ash.ID, 9)
	if err != nil || len(messages) != 1 || messages[0].Body.Letter == nil {
		t.Errorf("%+v (%v)", messages, err)
	}
	if ways, err = s.Ways(t.Context()); err != nil || ways[0].Next.Unix() != next.Unix() {
		t.Errorf("next %v (%v)", ways[0].Next, err)
	}
	now := time.Now()
	ago := func(days int) time.Time { return now.AddDate(0, 0, -days) }
	for n, health := range []float64{88.2, 81.9} {
		rec, err := s.StartCrawl(t.Context(), site, plan.Plan{}.WithDefaults(), 1)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := db.ExecContext(t.Context(), "update crawl set state = 'finished', health = $2, finished = $3 where id = $1", rec.ID,
			health, ago(9-7*n)); err != nil {
			t.Fatal(err)
		}
		if err := s.KeepStep(t.Context(), rec.ID, record.Step{Before: n, Cause: "Footer link is dead"}); err != nil {
			t.Fatal(err)
		}
	}
	for line, days := range map[string]int{"Title is missing": 3, "an old one": 30} {
		if _, err := db.ExecContext(t.Context(), `insert into task (site_id, fix, check_id, line, state, seen, changed)
			values ($1, $2, 'a', $2, 'confirmed', 2, $3)`, site.ID, line, ago(days)); err != nil {
			t.Fatal(err)
		}
	}
	news := record.News{Alerts: []record.Alert{{Rule: "a", Subject: "1", Began: ago(2), State: record.AlertNew,
		Told: alert.Told{Says: "health fell"}}, {Rule: "b", Subject: "1", Began: ago(2), State: record.AlertSilent}}}
	if err := s.Tell(t.Context(), site.ID, news); err != nil {
		t.Fatal(err)
	}
	week, err := s.Week(t.Context(), site, ago(7), now)
	if err != nil || *week.Health != 81.9 || *week.Before != 88.2 || week.Crawls != 1 || week.Cause != "Footer link is dead" ||
		week.Latest != 2 || !slices.Equal(week.Confirmed, []string{"Title is missing"}) || len(week.Returned) != 0 ||
		!slices.Equal(week.Alerts, []string{"health fell"}) ||
		len(week.Down) != 0 {
		t.Errorf("%+v (%v)", week, err)
	}
	if early, err := s.Week(t.Context(), site, ago(60), ago(50)); err != nil || early.Health != nil ||
		early.Crawls != 0 {
		t.Errorf("%+v (%v)", early, err)
	}
}
