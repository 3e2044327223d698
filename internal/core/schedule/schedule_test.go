package schedule

import (
	"errors"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/plan"
)

func at(t *testing.T, text string) time.Time {
	t.Helper()
	out, err := time.Parse(time.RFC3339, text)
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// TestNext goes through what clocks and calendars do. What is expected was worked out by hand from the rules of the
// zones: in 2026 Berlin changes on 29 March and 25 October, New York on 8 March and 1 November.
func TestNext(t *testing.T) {
	for _, c := range []struct {
		name, when, zone, after string
		want                    []string
	}{
		{"a day", "daily 03:00", "", "2026-01-01T03:00:00Z", []string{"2026-01-02T03:00:00Z"}},
		{"just before", "daily 03:00", "", "2026-01-01T02:59:59Z", []string{"2026-01-01T03:00:00Z"}},
		{"a zone", "daily 03:00", "Europe/Berlin", "2026-01-01T00:00:00Z", []string{"2026-01-01T02:00:00Z"}},
		{"summer time comes", "daily 03:30", "Europe/Berlin", "2026-03-28T00:00:00Z",
			[]string{"2026-03-28T02:30:00Z", "2026-03-29T01:30:00Z", "2026-03-30T01:30:00Z"}},
		{"in the hour left out", "daily 02:30", "Europe/Berlin", "2026-03-28T00:00:00Z",
			[]string{"2026-03-28T01:30:00Z", "2026-03-29T01:30:00Z", "2026-03-30T00:30:00Z"}},
		{"in the hour that comes twice", "daily 02:30", "Europe/Berlin", "2026-10-24T00:00:00Z",
			[]string{"2026-10-24T00:30:00Z", "2026-10-25T00:30:00Z", "2026-10-26T01:30:00Z"}},
		{"west, in the hour left out", "daily 02:30", "America/New_York", "2026-03-07T12:00:00Z",
			[]string{"2026-03-08T07:30:00Z", "2026-03-09T06:30:00Z"}},
		{"west, in the hour that comes twice", "daily 01:30", "America/New_York", "2026-10-31T12:00:00Z",
			[]string{"2026-11-01T05:30:00Z", "2026-11-02T06:30:00Z"}},
		{"every hour, through the change", "0 * * * *", "Europe/Berlin", "2026-03-29T00:00:00Z",
			[]string{"2026-03-29T01:00:00Z", "2026-03-29T02:00:00Z"}},
		{"weekdays", "weekdays 06:00", "", "2026-11-27T06:00:00Z", // a Friday
			[]string{"2026-11-30T06:00:00Z", "2026-12-01T06:00:00Z"}},
		{"days of the week", "thu,mon 06:00", "", "2026-11-26T06:00:00Z",
			[]string{"2026-11-30T06:00:00Z", "2026-12-03T06:00:00Z"}},
		{"long names", "Sunday 6:05", "", "2026-11-26T06:00:00Z", []string{"2026-11-29T06:05:00Z"}},
		{"the 31st", "monthly 31 01:00", "", "2026-01-31T01:00:00Z",
			[]string{"2026-02-28T01:00:00Z", "2026-03-31T01:00:00Z", "2026-04-30T01:00:00Z"}},
		{"the 29th in a leap year", "monthly 29 01:00", "", "2028-02-01T00:00:00Z",
			[]string{"2028-02-29T01:00:00Z", "2028-03-29T01:00:00Z"}},
		{"the last day", "monthly last 23:59", "", "2027-02-01T00:00:00Z",
			[]string{"2027-02-28T23:59:00Z", "2027-03-31T23:59:00Z"}},
		{"the first of the month, east of it", "monthly 1 00:30", "Asia/Tokyo", "2026-11-30T00:00:00Z",
			[]string{"2026-11-30T15:30:00Z"}},
		{"cron", "30 4 1,15 * *", "", "2026-11-01T04:30:00Z", []string{"2026-11-15T04:30:00Z", "2026-12-01T04:30:00Z"}},
		{"29 February by cron", "0 0 29 2 *", "", "2026-01-01T00:00:00Z", []string{"2028-02-29T00:00:00Z"}},
		{"a zone off by half an hour", "daily 03:00", "Asia/Kolkata", "2026-01-01T00:00:00Z", []string{"2026-01-01T21:30:00Z"}},
		{"a day that a zone left out", "daily 03:00", "Pacific/Apia", "2011-12-29T12:00:00Z", // it has no 30 December 2011
			[]string{"2011-12-29T13:00:00Z", "2011-12-30T13:00:00Z"}},
	} {
		s := Schedule{Name: "x", When: c.when, Zone: c.zone}
		table, err := s.Read("fernhollow")
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		next := at(t, c.after)
		for i, want := range c.want {
			if next = table.Next(next); !next.Equal(at(t, want)) {
				t.Errorf("%s, %d: %s, not %s", c.name, i+1, next.UTC().Format(time.RFC3339), want)
				break
			}
		}
	}
}

// TestYear: whatever the zone, a daily schedule comes once for each of its days, in order.
func TestYear(t *testing.T) {
	for _, zone := range []string{"", "Europe/Berlin", "America/New_York", "Australia/Lord_Howe", "America/St_Johns",
		"Africa/Cairo", "Asia/Tokyo"} {
		for _, when := range []string{"daily 00:00", "daily 01:59", "daily 02:00", "daily 02:30", "daily 23:59"} {
			s := Schedule{Name: "x", When: when, Zone: zone, Jitter: 45}
			table, err := s.Read("fernhollow")
			if err != nil {
				t.Fatal(err)
			}
			from := time.Date(2026, 1, 1, 0, 0, 0, 0, table.Zone()).Add(-time.Second)
			all := table.Between(from, from.AddDate(1, 0, 0).Add(46*time.Minute), 1000)
			if len(all) < 365 || len(all) > 366 {
				t.Errorf("%s in %q comes %d times a year", when, zone, len(all))
			}
			for i := range all[1:] {
				if gap := all[i+1].Sub(all[i]); gap < 22*time.Hour || gap > 26*time.Hour {
					t.Errorf("%s in %q: %s after %s", when, zone, all[i+1], all[i])
				}
			}
		}
	}
}

func TestJitter(t *testing.T) {
	s := Schedule{Name: "nightly", When: "daily 03:00", Jitter: 60}
	starts := map[int]int{}
	for _, site := range []string{"fernhollow", "glasshouse", "arboretum", "nursery"} {
		table, err := s.Read(site)
		if err != nil {
			t.Fatal(err)
		}
		again, _ := s.Read(site)
		next, twin := at(t, "2026-01-01T00:00:00Z"), at(t, "2026-01-01T00:00:00Z")
		for range 100 {
			next, twin = table.Next(next), again.Next(twin)
			if !next.Equal(twin) {
				t.Fatalf("%s and %s are of the same schedule", next, twin)
			}
			if next.Hour() != 3 && (next.Hour() != 4 || next.Minute() > 0 || next.Second() > 0) {
				t.Errorf("%s is not within the hour", next)
			}
			starts[next.Minute()/10]++
		}
	}
	for tenth := range 6 {
		if starts[tenth] < 30 {
			t.Errorf("of 400 starts %d fell into minutes %d0 to %d9", starts[tenth], tenth, tenth)
		}
	}
}

func TestHours(t *testing.T) {
	night := Schedule{Name: "x", When: "0 */6 * * *", Zone: "Europe/Berlin", Hours: "22:00–06:00"}
	table, err := night.Read("fernhollow")
	if err != nil {
		t.Fatal(err)
	}
	// 00:00 is within them; 06:00, 12:00 and 18:00 wait until 22:00.
	next := at(t, "2026-07-01T00:00:00+02:00")
	for _, want := range []string{"2026-07-01T22:00:00+02:00", "2026-07-02T00:00:00+02:00", "2026-07-02T22:00:00+02:00"} {
		if next = table.Next(next); !next.Equal(at(t, want)) {
			t.Errorf("%s, not %s", next, want)
		}
	}
	h := table.Hours()
	for text, open := range map[string]bool{
		"2026-07-01T22:00:00+02:00": true, "2026-07-01T21:59:59+02:00": false, "2026-07-01T05:59:59+02:00": true,
		"2026-07-01T06:00:00+02:00": false, "2026-12-01T22:30:00+01:00": true,
	} {
		if h.Open(at(t, text)) != open {
			t.Errorf("open at %s: %v", text, !open)
		}
	}
	if opens := h.Opens(at(t, "2026-03-28T06:00:00+01:00")); !opens.Equal(at(t, "2026-03-28T22:00:00+01:00")) {
		t.Errorf("opens %s", opens)
	}
	if !(Hours{}).Open(next) || (Hours{}).String() != "" || h.String() != "22:00-06:00" {
		t.Errorf("%q and %q", Hours{}, h)
	}
}

func TestMissed(t *testing.T) {
	s := Schedule{Name: "x", When: "daily 03:00"}
	table, _ := s.Read("fernhollow")
	if n := table.Missed(at(t, "2026-01-01T03:00:00Z"), at(t, "2026-01-04T12:00:00Z")); n != 3 {
		t.Errorf("missed %d, beside the one that is begun", n)
	}
	if n := table.Missed(at(t, "2026-01-01T03:00:00Z"), at(t, "2026-01-01T03:00:30Z")); n != 0 {
		t.Errorf("missed %d", n)
	}
}

func TestFaults(t *testing.T) {
	for _, c := range []struct {
		s           Schedule
		field, says string
	}{
		{Schedule{}, "when", "no time that is understood"},
		{Schedule{When: "daily"}, "when", `"daily 03:00"`},
		{Schedule{When: "daily 24:00"}, "when", "understood"},
		{Schedule{When: "mon,mon 03:00"}, "when", "understood"},
		{Schedule{When: "someday 03:00"}, "when", "understood"},
		{Schedule{When: "monthly 32 03:00"}, "when", "no day of a month"},
		{Schedule{When: "0 0 30 2 *"}, "when", "never come"},
		{Schedule{When: "61 * * * *"}, "when", "no line of cron"},
		{Schedule{When: "@daily"}, "when", "understood"},
		{Schedule{When: "*/5 * * * *"}, "when", "15 minutes apart"},
		{Schedule{When: "daily 03:00", Zone: "Middle/Earth"}, "zone", "no time zone"},
		{Schedule{When: "daily 03:00", Zone: "Local"}, "zone", "no time zone"},
		{Schedule{When: "daily 03:00", Zone: "../../etc/passwd"}, "zone", "no time zone"},
		{Schedule{When: "daily 03:00", Hours: "evenings"}, "hours", "22:00-06:00"},
		{Schedule{When: "daily 03:00", Hours: "3:00-3:00"}, "hours", "22:00-06:00"},
		{Schedule{When: "daily 12:00", Hours: "22:00-06:00"}, "when", "outside of its hours"},
		{Schedule{When: "daily 03:00", Jitter: -1}, "jitter", "0 to 720"},
		{Schedule{When: "0 * * * *", Jitter: 60}, "jitter", "less than the 1 h"},
		{Schedule{When: "daily 03:00", Overlap: "fight"}, "overlap", "skip, queue, replace"},
	} {
		_, err := c.s.Read("fernhollow")
		var faults plan.Faults
		if !errors.As(err, &faults) || faults[0].Field != c.field || !strings.Contains(faults[0].Reason, c.says) {
			t.Errorf("%+v: %v", c.s, err)
		}
	}
}

func TestWords(t *testing.T) {
	for when, want := range map[string]string{
		"daily 3:00":         "every day at 03:00 (Europe/Berlin)",
		"weekdays 03:00":     "Monday to Friday at 03:00 (Europe/Berlin)",
		"fri,mon,wed 06:30":  "every Monday, Wednesday and Friday at 06:30 (Europe/Berlin)",
		"monthly 15 06:30":   "on day 15 of the month at 06:30 (Europe/Berlin)",
		"monthly last 06:30": "on the last day of the month at 06:30 (Europe/Berlin)",
		"5 4 * * 1":          "by cron, 5 4 * * 1 (Europe/Berlin)",
	} {
		s := Schedule{When: when, Zone: "Europe/Berlin"}
		if table, err := s.Read("fernhollow"); err != nil || table.String() != want {
			t.Errorf("%s: %s (%v)", when, table, err)
		}
	}
}
