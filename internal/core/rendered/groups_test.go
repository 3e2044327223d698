package rendered_test

import (
	"fmt"
	"testing"

	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
)

// TestMedian: of each measure the median counts, with what it comes from.
func TestMedian(t *testing.T) {
	load := func(first, largest, shift, blocked float64) rendered.Speed {
		return rendered.Speed{
			FirstByte:  first,
			FirstPaint: first + 10,
			LargestAt:  largest,
			Largest:    fmt.Sprint("e", largest),
			Shift:      shift,
			Shifts:     []rendered.Shift{{Element: fmt.Sprint("s", shift)}},
			Blocked:    blocked,
			Tasks:      []rendered.Task{{By: fmt.Sprint("t", blocked)}},
			Throttled:  true,
			Requests:   int(largest),
		}
	}
	loads := []rendered.Speed{load(30, 900, 0.3, 10), load(10, 700, 0.1, 90), load(20, 800, 0.2, 50)}
	got := rendered.Median(loads)
	if got.Runs != 3 || got.FirstByte != 20 || got.FirstPaint != 30 || got.LargestAt != 800 || got.Largest != "e800" ||
		got.Shift != 0.2 || got.Shifts[0].Element != "s0.2" || got.Blocked != 50 || got.Tasks[0].By != "t50" ||
		!got.Throttled || got.Requests != 800 {
		t.Errorf("the median of three is %+v", got)
	}
	if got := rendered.Median(loads[:2]); got.LargestAt != 700 || got.Blocked != 10 || got.Runs != 2 {
		t.Errorf("the lower median of two is %+v", got)
	}
	if got := rendered.Median(loads[:1]); got.LargestAt != 900 || got.Runs != 1 {
		t.Errorf("one load gives %+v", got)
	}
}

// TestHide: what a desktop shows and a phone does not is told, and nothing else is.
func TestHide(t *testing.T) {
	const moss, fern = "Moss grows on the north wall", "Ferns  grow by\nthe old pond"
	for _, c := range []struct {
		name           string
		phone, desktop []string
		words          int
	}{
		{"alike", []string{moss, fern}, []string{moss, fern}, 0},
		{"missing on the phone", []string{moss}, []string{moss, fern}, 6},
		{"only on the phone", []string{moss, fern}, []string{moss}, 0},
		{"in other blocks", []string{moss + " " + fern}, []string{moss, fern}, 0},
		{"divided otherwise", []string{"Moss grows on", "the north wall"}, []string{moss}, 0},
		{"white space", []string{"Ferns grow by the old pond"}, []string{fern}, 0},
		{"less than a sentence", nil, []string{"Open till six"}, 0},
		{"all", nil, []string{moss, fern}, 12},
	} {
		var p rendered.Page
		if p.Hide(c.phone, c.desktop); p.Hidden != c.words || (len(p.Hides) > 0) != (c.words > 0) {
			t.Errorf("%s: %d words are hidden, %q; want %d", c.name, p.Hidden, p.Hides, c.words)
		}
	}
	var p rendered.Page
	for i := range 50 {
		p.Hide(nil, append(make([]string, 0), fmt.Sprintf("Number %d of very many texts that are missed", i)))
	}
	if p.Hidden != 9 || len(p.Hides) != 1 {
		t.Errorf("told again, %d words are hidden", p.Hidden)
	}
}

// TestGroups: pages are put together by name and device, and of each measure it is told how it is spread.
func TestGroups(t *testing.T) {
	var g rendered.Gathering
	for i, largest := range []float64{5000, 1000, 2000, 3000} {
		p := rendered.Page{
			Device:  plan.Phone,
			Outcome: rendered.Rendered,
			Links:   i,
			Speed: rendered.Speed{LargestAt: largest,
				Largest: "img", Shift: 0.1, Blocked: 700, Tasks: []rendered.Task{{By: "a.js"}}, Transferred: 1000 * i,
				Throttled: true},
		}
		if i > 1 {
			p.Differs = []rendered.Difference{{What: "links"}, {What: "title"}}
		}
		g.Add("beds", int32(i), &p)
	}
	g.Add("beds", 7, &rendered.Page{Device: plan.Desktop, Outcome: rendered.Stuck})
	g.Add(
		"beds",
		8,
		&rendered.Page{Device: plan.Desktop, Outcome: rendered.Rendered, Speed: rendered.Speed{LargestAt: -1}},
	)
	for i := range 9 {
		g.Add("walls", int32(10+i), &rendered.Page{Device: plan.Desktop, Outcome: rendered.Rendered})
	}
	all := g.Groups()
	if len(all) != 3 || all[0].Name != "walls" || all[1].Device != plan.Phone || all[2].Device != plan.Desktop {
		t.Fatalf("the groups are %+v", all)
	}
	b := all[1]
	want := rendered.Spread{
		Known:        4,
		Median:       2000,
		Upper:        3000,
		Grade:        rendered.Fair,
		Good:         2,
		Fair:         1,
		Poor:         1,
		Worst:        0,
		Element:      "img",
		ElementPages: 2,
	}
	if b.Largest != want {
		t.Errorf("the largest paint is spread as %+v, want %+v", b.Largest, want)
	}
	if b.Shift.Grade != rendered.Good || b.Shift.Good != 4 || b.Blocked.Grade != rendered.Poor ||
		b.Blocked.Element != "a.js" ||
		b.Blocked.ElementPages != 4 {
		t.Errorf("%+v, %+v", b.Shift, b.Blocked)
	}
	if b.Pages != 4 || b.Transferred != 1000 || b.Links != 2 || !b.Throttled ||
		fmt.Sprint(b.Differs) != "[{title title 2} {links links 2}]" {
		t.Errorf("the group is %+v", b)
	}
	if d := all[2]; d.Failed != 1 || d.Pages != 1 || d.Largest.Known != 0 || d.Largest.Worst != -1 || d.Example != 8 {
		t.Errorf("on a desktop it is %+v", d)
	}
}

// TestGrades: values at a bound are still of the better grade, and what loads of one page differ by is no change.
func TestGrades(t *testing.T) {
	for v, want := range map[float64]rendered.Grade{0: rendered.Good, 2500: rendered.Good, 2501: rendered.Fair,
		4000: rendered.Fair, 4001: rendered.Poor} {
		if got := rendered.LargestBounds.Grade(v); got != want {
			t.Errorf("%v ms are %s, want %s", v, got, want)
		}
	}
	for _, c := range []struct {
		was, now float64
		want     bool
	}{{100, 240, false}, {100, 260, true}, {4000, 4390, false}, {4000, 4460, true}, {4460, 4000, true}} {
		if got := rendered.LargestBounds.Changed(c.was, c.now); got != c.want {
			t.Errorf("from %v to %v it is %t that it changed", c.was, c.now, got)
		}
	}
}
