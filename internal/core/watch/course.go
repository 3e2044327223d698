package watch

import (
	"maps"
	"math"
	"slices"
	"time"
)

// A Course is how looks went over some time.
type Course struct {
	At      time.Time // its beginning
	Looks   int       // without planned ones
	Down    int       // of these
	Planned int       // in maintenance: they count for nothing else
	Times   Times     // of those that were answered
}

// Growth is how much longer the times of a step are than those of the one before it.
const Growth = 1.12

// Times count how often a time was taken, by steps that grow: percentiles are told to within six hundredths.
type Times map[int]int

// StepOf is the step of a time in milliseconds.
func StepOf(ms int) int { return int(math.Log(float64(max(ms, 1))) / math.Log(Growth)) }

// Add counts a time in milliseconds.
func (t Times) Add(ms int) { t[StepOf(ms)]++ }

// Percentile is the time in milliseconds within which so many hundredths of all were; 0 where there are none.
func (t Times) Percentile(p float64) int {
	all := 0
	for _, n := range t {
		all += n
	}
	if all == 0 {
		return 0
	}
	left := int(math.Ceil(p / 100 * float64(all)))
	for _, step := range slices.Sorted(maps.Keys(t)) {
		if left -= t[step]; left <= 0 {
			return int(math.Round(math.Pow(Growth, float64(step)+0.5)))
		}
	}
	return 0
}

// Join adds another course to this one.
func (c *Course) Join(o *Course) {
	c.Looks += o.Looks
	c.Down += o.Down
	c.Planned += o.Planned
	if c.Times == nil {
		c.Times = Times{}
	}
	for step, n := range o.Times {
		c.Times[step] += n
	}
}

// Available is the share of looks at which it was to be had, in hundredths; ok is false without looks.
func (c *Course) Available() (share float64, ok bool) {
	if c.Looks == 0 {
		return 0, false
	}
	return 100 * float64(c.Looks-c.Down) / float64(c.Looks), true
}

// Binned puts courses into so many bins of equal length between two times; those without looks are there, too.
func Binned(courses []Course, from, until time.Time, bins int) []Course {
	out := make([]Course, bins)
	width := until.Sub(from) / time.Duration(bins)
	for i := range out {
		out[i].At = from.Add(time.Duration(i) * width)
	}
	for i := range courses {
		n := int(courses[i].At.Sub(from) / width)
		if courses[i].At.Before(from) || n >= bins {
			continue
		}
		out[n].Join(&courses[i])
	}
	return out
}
