package worklist

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"harvik/internal/core/task"
	"harvik/internal/record"
)

// TestNote says what a crawl makes of a fix: which state it comes to, in which words, and when there is nothing to say.
func TestNote(t *testing.T) {
	began := time.Now()
	rec := record.Crawl{Number: 5, Started: began}
	for _, c := range []struct {
		state   task.State
		version int
		seen    int
		sight   task.Sight
		more    string
		want    string // "" for nothing
	}{
		{task.Open, 1, 4, task.There, "", ""},
		{task.Claimed, 1, 4, task.There, "", "taken: claimed, but still there"},
		{task.Confirmed, 1, 4, task.There, "", "returned: there again"},
		{task.Taken, 1, 4, task.Gone, "", "confirmed: gone"},
		{task.Open, 0, 4, task.Gone, "", "confirmed: gone"},
		{task.Confirmed, 1, 4, task.Gone, "", ""},
		{task.Taken, 1, 4, task.Unseen, "2 of 3 pages were not looked at: /a", "taken: not seen: 2 of 3 pages were not looked at: /a"},
		{task.Open, 0, 4, task.Unseen, "2 of 3 pages were not looked at: /a", ""},
		{task.Confirmed, 1, 4, task.Unseen, "more", "confirmed: more"},
		{task.Taken, 1, 5, task.Unseen, "more", ""}, // a recheck after the crawl began has said so
		{task.Taken, 1, 6, task.Unseen, "more", ""},
		{task.Claimed, 1, 5, task.There, "", "taken: claimed, but still there"},
		{task.Taken, 1, 5, task.Gone, "", "confirmed: gone"},
	} {
		now := record.Task{Fix: "title", State: c.state, Version: c.version, Seen: c.seen, Changed: began.Add(-time.Hour)}
		after, says, err := Note(rec, now, c.sight, c.more).Make(now)
		got := ""
		if err == nil {
			got = fmt.Sprintf("%s: %s", after.State, says)
		} else if !errors.Is(err, record.ErrNothing) {
			t.Fatal(err)
		}
		if got != c.want {
			t.Errorf("%+v: %q", c, got)
		}
	}
}

// TestDue sets a day, another, and none.
func TestDue(t *testing.T) {
	k := func(due *record.Day) *kept {
		return &kept{latest: record.Crawl{ID: 7, Number: 3}, lines: open("title"),
			tasks: map[string]record.Task{"title": {Fix: "title", State: task.Taken, Version: 4, Due: due}}}
	}
	day := func(s string) *record.Day {
		d, err := record.ParseDay(s)
		if err != nil {
			t.Fatal(err)
		}
		return &d
	}
	for _, c := range []struct {
		now  *record.Day
		wish string
		want string // "" where it is refused, as nothing changes
	}{
		{nil, "2027-03-31", "2027-03-31"}, {day("2027-03-30"), "2027-03-31", "2027-03-31"}, {day("2027-03-31"), "2027-03-31", ""},
		{day("2027-03-31"), "", "none"}, {nil, "", ""},
	} {
		out, err := New(
			k(c.now),
		).Move(t.Context(), record.Site{}, record.Wish{Due: &c.wish, Fixes: []record.FixAt{{Fix: "title"}}})
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		if len(out.Moved) == 1 {
			if got = "none"; out.Moved[0].Due != nil {
				got = out.Moved[0].Due.String()
			}
		}
		if got != c.want {
			t.Errorf("due %v, wished for %q: %q, want %q (%+v)", c.now, c.wish, got, c.want, out.Refused)
		}
	}
}
