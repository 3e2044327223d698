package query

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

// TestParts: what a form can show of a question it shows, and what it writes is understood as what it showed.
func TestParts(t *testing.T) {
	pages := TableOf("pages")
	for text, want := range map[string]string{
		"":                            "[] true",
		`words > 3`:                   "[{words more 3}] true",
		`words >= 3 && status != 404`: "[{words at-least 3} {status is-not 404}] true",
		`3 < words`:                   "[{words more 3}] true",
		`(indexable && !inSitemap) && known(clicks)`:   "[{indexable yes } {inSitemap no } {clicks known }] true",
		`!known(clicks) && title.contains("a \"b\"")`:  `[{clicks not-known } {title contains a "b"}] true`,
		`!title.contains("x") && path.startsWith("/")`: "[{title contains-not x} {path starts /}] true",
		`health < 50.5`: "[{health less 50.5}] true",
		`words > 3 && (status == 404 || status == 410)`: "[{words more 3}] false",
		`title == h1`:                   "[] false",
		`size(title) > 3 && words <= 2`: "[{words at-most 2}] false",
		`kind in ["home"]`:              "[] false",
		`!(words > 3)`:                  "[] false",
	} {
		q, err := pages.Compile(text)
		if err != nil {
			t.Fatal(err)
		}
		parts, whole := q.Parts()
		if got := fmt.Sprint(parts, whole); got != want {
			t.Errorf("%s: %s, want %s", text, got, want)
		}
		for _, p := range parts {
			at := slices.IndexFunc(Comparisons, func(c Comparison) bool { return c.Name == p.Is })
			value := p.Value
			if pages.Facts[pages.Fact(p.Fact)].Kind == Words {
				value = fmt.Sprintf("%q", value)
			}
			again := strings.NewReplacer("F", p.Fact, "V", value).Replace(Comparisons[at].Write)
			if q, err = pages.Compile(again); err != nil {
				t.Errorf("%+v is written %s: %v", p, again, err)
				continue
			}
			if back, all := q.Parts(); !all || len(back) != 1 || back[0] != p {
				t.Errorf("%+v comes back as %+v", p, back)
			}
		}
	}
	for _, c := range Comparisons {
		for i := range pages.Facts {
			f := &pages.Facts[i]
			value := map[Kind]string{Words: `"x"`, Whole: "3", Decimal: "3.0"}[f.Kind]
			if slices.Contains(c.Kinds, f.Kind) {
				if _, err := pages.Compile(strings.NewReplacer("F", f.Name, "V", value).Replace(c.Write)); err != nil {
					t.Errorf("%s of %s: %v", c.Name, f.Name, err)
				}
			}
		}
	}
}
