package schedule

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/robfig/cron/v3"
)

// onDays comes at a time of some days.
type onDays struct {
	hour, minute int
	on           func(day time.Time) bool
}

// mostDays is how far it looks ahead: February has its 29th at least once in eight years.
const mostDays = 9 * 366

// Next implements stepper.
func (d onDays) Next(wall time.Time) time.Time {
	y, m, day := wall.Date()
	for i := range mostDays {
		at := time.Date(y, m, day+i, d.hour, d.minute, 0, 0, time.UTC)
		if at.After(wall) && d.on(at) {
			return at
		}
	}
	return time.Time{}
}

// days of the week, as they are written and said.
var days = []struct {
	short, long string
	day         time.Weekday
}{
	{"mon", "Monday", time.Monday}, {"tue", "Tuesday", time.Tuesday}, {"wed", "Wednesday", time.Wednesday},
	{"thu", "Thursday", time.Thursday}, {"fri", "Friday", time.Friday}, {"sat", "Saturday", time.Saturday},
	{"sun", "Sunday", time.Sunday},
}

// readWhen reads one of the Forms, and says it in words.
func readWhen(text string) (stepper, string, error) {
	fields := strings.Fields(strings.ToLower(text))
	last := func() string {
		if len(fields) == 0 {
			return ""
		}
		return fields[len(fields)-1]
	}()
	hour, minute, timed := clockOf(last)
	word := ""
	if len(fields) > 0 {
		word = fields[0]
	}
	at := fmt.Sprintf("%02d:%02d", hour, minute)
	switch {
	case timed && len(fields) == 2 && word == "daily":
		return onDays{hour, minute, func(time.Time) bool { return true }}, "every day at " + at, nil
	case timed && len(fields) == 2 && word == "weekdays":
		return onDays{hour, minute, func(d time.Time) bool {
			return d.Weekday() != time.Saturday && d.Weekday() != time.Sunday
		}}, "Monday to Friday at " + at, nil
	case timed && len(fields) == 2:
		if on, words := weekly(word); on != nil {
			return onDays{hour, minute, func(d time.Time) bool { return slices.Contains(on, d.Weekday()) }},
				"every " + words + " at " + at, nil
		}
	case timed && len(fields) == 3 && word == "monthly":
		if on, words, ok := monthly(fields[1]); ok {
			return onDays{hour, minute, on}, words + " of the month at " + at, nil
		}
		return nil, "", fmt.Errorf("%q is no day of a month: write 1 to 31, or last", fields[1])
	case len(fields) == 5 && !timed:
		step, err := cron.NewParser(cron.Minute | cron.Hour | cron.Dom | cron.Month | cron.Dow).
			Parse(strings.Join(fields, " "))
		if err != nil {
			return nil, "", fmt.Errorf("%q is no line of cron: %w", text, err)
		}
		return step, "by cron, " + strings.Join(fields, " "), nil
	}
	var forms []string
	for _, f := range Forms {
		forms = append(forms, strconv.Quote(f[0]))
	}
	return nil, "", fmt.Errorf("%q says no time that is understood; write one such as %s or %s", text,
		strings.Join(forms[:len(forms)-1], ", "), forms[len(forms)-1])
}

// clockOf reads 03:00.
func clockOf(text string) (hour, minute int, ok bool) {
	h, m, ok := strings.Cut(text, ":")
	hour, bad := strconv.Atoi(h)
	minute, worse := strconv.Atoi(m)
	ok = ok && bad == nil && worse == nil && len(m) == 2 && len(h) <= 2 && hour >= 0 && hour < 24 && minute >= 0 &&
		minute < 60
	if !ok {
		return 0, 0, false
	}
	return hour, minute, true
}

// weekly reads mon,thu; nil for what it is not.
func weekly(text string) (on []time.Weekday, words string) {
	var said []string
	for _, d := range days {
		for word := range strings.SplitSeq(text, ",") {
			if (word == d.short || word == strings.ToLower(d.long)) && !slices.Contains(on, d.day) {
				on, said = append(on, d.day), append(said, d.long)
			}
		}
	}
	if len(on) != strings.Count(text, ",")+1 {
		return nil, ""
	}
	if n := len(said); n > 1 {
		return on, strings.Join(said[:n-1], ", ") + " and " + said[n-1]
	}
	return on, said[0]
}

// monthly reads a day of the month.
func monthly(text string) (on func(time.Time) bool, words string, ok bool) {
	isLast := func(d time.Time) bool { return d.AddDate(0, 0, 1).Day() == 1 }
	if text == "last" {
		return isLast, "on the last day", true
	}
	n, err := strconv.Atoi(strings.TrimSuffix(text, "."))
	if err != nil || n < 1 || n > 31 {
		return nil, "", false
	}
	return func(d time.Time) bool { return d.Day() == n || d.Day() < n && isLast(d) }, "on day " + strconv.Itoa(n), true
}
