package waive

import (
	"fmt"
	"strings"
	"testing"
)

func TestCovers(t *testing.T) {
	const (
		home  = "https://fernhollow.example/"
		plant = "https://fernhollow.example/plants/acer/"
		card  = "https://fernhollow.example/shop/card/?size=2"
	)
	set := func(w Waiver) *Set { w.ID = 7; return NewSet([]Waiver{w}) }
	for _, c := range []struct {
		w                           Waiver
		check, address, layout, fix string
		want                        bool
	}{
		{Waiver{Scope: Page, On: "https://FERNHOLLOW.example/plants/acer/"}, "copy-thin", plant, "k", "f", true},
		{Waiver{Scope: Page, On: plant}, "copy-thin", plant + "x", "k", "f", false},
		{Waiver{Scope: Page, On: plant, Check: "title-long"}, "copy-thin", plant, "k", "f", false},
		{Waiver{Scope: Page, On: plant, Check: "copy-*"}, "copy-thin", plant, "k", "f", true},
		{Waiver{Scope: Pattern, On: "/shop/*"}, "copy-thin", card, "k", "f", true},
		{Waiver{Scope: Pattern, On: "/shop/*"}, "copy-thin", plant, "k", "f", false},
		{Waiver{Scope: Pattern, On: "/shop/*"}, "copy-thin", "", "k", "f", false},
		{Waiver{Scope: Section, On: "/plants/"}, "copy-thin", plant, "k", "f", true},
		{Waiver{Scope: Section, On: "/plants/"}, "copy-thin", home, "k", "f", false},
		{Waiver{Scope: Section, On: "/"}, "robots-missing", "", "", "f", false},
		{Waiver{Scope: Layout, On: "k"}, "copy-thin", plant, "k", "f", true},
		{Waiver{Scope: Layout, On: "k"}, "copy-thin", plant, "m", "f", false},
		{Waiver{Scope: Fix, On: "f"}, "copy-thin", plant, "k", "f", true},
		{Waiver{Scope: Fix, On: "f"}, "copy-thin", plant, "k", "g", false},
		{Waiver{Scope: Check, Check: "copy-thin"}, "copy-thin", "", "", "f", true},
		{Waiver{Scope: Check, Check: "copy-thin"}, "copy-duplicate", "", "", "f", false},
	} {
		if got := set(c.w).Covers(c.check, c.address, c.layout, c.fix); got != c.want {
			t.Errorf("%+v covers %s on %q, layout %s, fix %s: %v, want %v", c.w, c.check, c.address, c.layout, c.fix,
				got, c.want)
		}
	}
}

func TestValidate(t *testing.T) {
	known := func(id string) bool { return strings.HasPrefix(id, "copy") }
	for _, c := range []struct {
		w    Waiver
		says string
	}{
		{Waiver{Scope: Page, On: "/visit/"}, "by its address"},
		{Waiver{Scope: Page, On: "mailto:ash@fernhollow.example"}, "by its address"},
		{Waiver{Scope: Page, On: "https://fernhollow.example/visit/"}, "<nil>"},
		{Waiver{Scope: Section, On: "plants"}, "begins and ends with a slash"},
		{Waiver{Scope: Section, On: "/plants"}, "begins and ends with a slash"},
		{Waiver{Scope: Section, On: "/plants/"}, "<nil>"},
		{Waiver{Scope: Pattern, On: "re:("}, "the pattern"},
		{Waiver{Scope: Layout}, "a waiver of a layout says of which one"},
		{Waiver{Scope: Fix}, "a waiver of a fix says of which one"},
		{Waiver{Scope: Fix, On: "k7q2m4xa"}, "<nil>"},
		{Waiver{Scope: Pattern}, "of which one"},
		{Waiver{Scope: Check}, "names it"},
		{Waiver{Scope: Check, Check: "copy-thin", On: "/x/"}, "leave"},
		{Waiver{Scope: "group"}, "scope is page"},
		{Waiver{Scope: Check, Check: "title"}, "no check"},
		{Waiver{Scope: Check, Check: "copy-*"}, "<nil>"},
	} {
		if got := fmt.Sprint(c.w.Validate(known)); !strings.Contains(got, c.says) {
			t.Errorf("%+v is judged %q, want something with %q", c.w, got, c.says)
		}
	}
}
