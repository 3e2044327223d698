package schedule

import (
	"fmt"
	"strings"
	"time"
)

// Hours are a part of each day, by the clock of a zone. The zero value is all of it.
type Hours struct {
	from, to int // minutes after midnight; from > to goes over midnight; equal for the whole day
	zone     *time.Location
}

// ReadHours reads "22:00-06:00", or "" for the whole day.
func ReadHours(text string, zone *time.Location) (Hours, error) {
	if text = strings.TrimSpace(text); text == "" {
		return Hours{}, nil
	}
	from, to, ok := strings.Cut(strings.ReplaceAll(text, "–", "-"), "-")
	h1, m1, ok1 := clockOf(strings.TrimSpace(from))
	h2, m2, ok2 := clockOf(strings.TrimSpace(to))
	if !ok || !ok1 || !ok2 || h1 == h2 && m1 == m2 {
		return Hours{}, fmt.Errorf("%q are no hours of the day; write them such as 22:00-06:00", text)
	}
	return Hours{from: h1*60 + m1, to: h2*60 + m2, zone: zone}, nil
}

// String writes them as they are read.
func (h Hours) String() string {
	if h.All() {
		return ""
	}
	return fmt.Sprintf("%02d:%02d-%02d:%02d", h.from/60, h.from%60, h.to/60, h.to%60)
}

// All tells whether they are the whole day.
func (h Hours) All() bool { return h.from == h.to }

// Open tells whether a time is within them.
func (h Hours) Open(at time.Time) bool {
	if h.All() {
		return true
	}
	local := at.In(h.zone)
	m := local.Hour()*60 + local.Minute()
	if h.from < h.to {
		return m >= h.from && m < h.to
	}
	return m >= h.from || m < h.to
}

// Opens is when they next begin: the time itself where it is within them.
func (h Hours) Opens(at time.Time) time.Time {
	if h.Open(at) {
		return at
	}
	local := at.In(h.zone)
	for day := range 3 {
		wall := time.Date(local.Year(), local.Month(), local.Day()+day, h.from/60, h.from%60, 0, 0, time.UTC)
		if begins := instant(wall, h.zone); begins.After(at) {
			return begins
		}
	}
	return at
}
