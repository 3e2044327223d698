package record

import (
	"strings"
	"testing"
)

// TestColumns: a column has one name, whose key is the same words, and no two can be taken for each other.
func TestColumns(t *testing.T) {
	seen := map[string]bool{}
	zero := new(PageRow)
	for _, c := range Columns {
		if !SameName(c.Key, c.Name) || c.Name != strings.ToLower(c.Name) {
			t.Errorf("%q is called %q", c.Key, c.Name)
		}
		if key := folded(c.Key); seen[key] {
			t.Errorf("two columns are called %q", c.Key)
		} else {
			seen[key] = true
		}
		if got := ColumnsOf(strings.ToUpper(c.Name)); len(got) != 1 || got[0].Key != c.Key {
			t.Errorf("%q finds %d columns", c.Name, len(got))
		}
		if v := c.Of(zero); v != nil && c.Kind != Whole && c.Kind != YesNo && c.Key != "address" && c.Key != "role" && c.Key != "outcome" && c.Key != "foundBy" {
			t.Errorf("%q of an address without an answer is %v", c.Key, v)
		}
	}
	if len(ColumnsOf("colour")) != 0 {
		t.Error("an unknown name finds a column")
	}
}

// TestCells: what is not known is no cell, what is zero is one.
func TestCells(t *testing.T) {
	none, clicks, health := 0, 2, 54.27751374
	p := &PageRow{HTML: true, Status: 200, Headings: &none, Clicks: &clicks, Health: &health, Authority: 0.044016}
	for name, want := range map[string]any{
		"status": 200, "headings": 0, "clicks": 2, "health": 54.28, "authority": 0.044, "layout": nil, "images": nil, "canonical": nil, "title": "", "indexable": false, "bytes": nil,
	} {
		if got := ColumnsOf(name)[0].Of(p); got != want {
			t.Errorf("%s is %v, want %v", name, got, want)
		}
	}
	p.HTML = false
	for _, name := range []string{"title", "words", "indexable"} {
		if got := ColumnsOf(name)[0].Of(p); got != nil {
			t.Errorf("%s of a picture is %v", name, got)
		}
	}
}
