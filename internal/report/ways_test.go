package report

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"harvik/internal/record"
)

// TestWays: links to a page are summed up by their words and part of the page, those from texts first; what is beyond
// the bounds is one row that counts it.
func TestWays(t *testing.T) {
	s := newWays()
	add := func(to int32, times int, words, region string) {
		for i := range times {
			s.add(to, &record.LinkRow{To: fmt.Sprint("/", to), From: fmt.Sprintf("/from-%03d", times-i), Words: words,
				Region: region, Place: "main > p"})
		}
	}
	add(1, 30, "Home", "navigation")
	add(1, 2, "the garden", "content")
	add(1, 5, "Fernhollow", "content")
	for i := range waysKept + 10 {
		add(2, 1+i%3, fmt.Sprintf("way %03d", i), "content")
	}
	for i := range waysShown + 1 {
		add(3, 2, fmt.Sprintf("way %03d", i), "footer")
	}
	rows := map[string][]string{}
	var order []string
	links := map[string]int{}
	if err := s.each(func(cells []any) error {
		to := fmt.Sprint(cells[0])
		if len(rows[to]) == 0 {
			order = append(order, to)
		}
		n, _ := cells[4].(int)
		links[to] += n
		rows[to] = append(rows[to], strings.TrimSpace(fmt.Sprintln(cells[1], cells[4], cells[5])))
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	if want := []string{"/1", "/2", "/3"}; !slices.Equal(order, want) {
		t.Errorf("pages in the order %v", order)
	}
	if want := []string{"Fernhollow 5 /from-001", "the garden 2 /from-001",
		"Home 30 /from-001"}; !slices.Equal(rows["/1"], want) {
		t.Errorf("the ways to /1 are %q", rows["/1"])
	}
	if got := rows["/2"]; len(got) != waysShown+1 || got[0] != "way 002 3 /from-001" ||
		!strings.HasPrefix(got[waysShown], "… in other ways ") {
		t.Errorf("the ways to /2 are %q", got)
	}
	if got := rows["/3"]; len(got) != waysShown+1 || got[waysShown] != "… in 1 other way 2 <nil>" {
		t.Errorf("the ways to /3 are %q", got)
	}
	if links["/1"] != 37 || links["/2"] != 420 || links["/3"] != 42 {
		t.Errorf("links counted: %v", links)
	}
}
