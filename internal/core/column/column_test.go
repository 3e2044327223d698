package column

import (
	"strings"
	"testing"

	"harvik/internal/core/page"
	"harvik/internal/core/structured"
)

// TestColumns: a column has one name, whose key is the same words, and no two can be taken for each other.
func TestColumns(t *testing.T) {
	seen := map[string]bool{}
	zero := new(Row)
	for _, c := range All {
		if !SameName(c.Key, c.Name) || c.Name != strings.ToLower(c.Name) {
			t.Errorf("%q is called %q", c.Key, c.Name)
		}
		if key := folded(c.Key); seen[key] {
			t.Errorf("two columns are called %q", c.Key)
		} else {
			seen[key] = true
		}
		if got := Named(strings.ToUpper(c.Name)); len(got) != 1 || got[0].Key != c.Key {
			t.Errorf("%q finds %d columns", c.Name, len(got))
		}
		if v := c.Of(zero); v != nil && c.Kind != Whole && c.Kind != YesNo && c.Key != "address" && c.Key != "role" &&
			c.Key != "outcome" && c.Key != "foundBy" {
			t.Errorf("%q of an address without an answer is %v", c.Key, v)
		}
	}
	if len(Named("colour")) != 0 {
		t.Error("an unknown name finds a column")
	}
}

// TestCells: what is not known is no cell, what is zero is one.
func TestCells(t *testing.T) {
	none, clicks, health := 0, 2, 54.27751374
	p := &Row{HTML: true, Status: 200, Headings: &none, Clicks: &clicks, Health: &health, Authority: 0.044016}
	for name, want := range map[string]any{
		"status": 200, "headings": 0, "clicks": 2, "health": 54.28, "authority": 0.044, "layout": nil, "images": nil,
		"canonical": nil, "title": "", "indexable": false, "bytes": nil,
	} {
		if got := Named(name)[0].Of(p); got != want {
			t.Errorf("%s is %v, want %v", name, got, want)
		}
	}
	p.HTML = false
	for _, name := range []string{"title", "words", "indexable"} {
		if got := Named(name)[0].Of(p); got != nil {
			t.Errorf("%s of a picture is %v", name, got)
		}
	}
}

// TestMore: what is read from facts is found again under the column's name, and is unknown where it was not kept.
func TestMore(t *testing.T) {
	facts := &page.Facts{Protocol: "HTTP/2", Transferred: 900,
		Header: []page.Field{{Name: "Last-Modified", Value: "Mon, 02 Nov 2026"}}, Document: &page.Document{
			Images: []page.Image{{HasAlt: true}, {}, {}}, Scripts: []page.Script{{}},
			Data: []structured.Item{{Types: []string{"Event", "Place"}}, {Types: []string{"Event"}}},
		}}
	kept := &Row{More: map[string]any{}}
	for key, v := range More(facts) {
		if n, ok := v.(int); ok {
			v = float64(n) // as it comes back
		}
		kept.More[key] = v
	}
	for name, want := range map[string]any{
		"protocol": "HTTP/2", "transferred": 900, "alts missing": 2, "scripts": 1, "data types": "Event, Place",
		"modified": "Mon, 02 Nov 2026",
	} {
		c := Named(name)[0]
		if got := c.Of(kept); got != want {
			t.Errorf("%s is %v, want %v", name, got, want)
		}
		if got := c.Of(new(Row)); got != nil {
			t.Errorf("%s of a page of an earlier crawl is %v", name, got)
		}
	}
	for _, c := range All {
		if (c.Facts == nil) == (c.Stored.In == OfMore) || (c.Facts == nil) == (c.cell == nil) || c.Say == "" {
			t.Errorf("%s: either it has a place and a cell, or it is read from facts; and it says what it tells", c.Key)
		}
	}
}
