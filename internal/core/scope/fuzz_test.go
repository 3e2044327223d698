package scope

import (
	"testing"

	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
)

// FuzzPattern holds that any text can be taken for a pattern: one that is refused matches nothing, unless it
// only looks wrong, and none panics, here or in a scope.
func FuzzPattern(f *testing.F) {
	f.Add("re:/plants/(a|b", "plants/a")
	f.Add("/plants/*", "plants/a?b")
	f.Add("re:(a+)+$", "aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa!")
	f.Add("*://*", "x")
	start, err := weburl.Parse("https://fernhollow.example/")
	if err != nil {
		f.Fatal(err)
	}
	f.Fuzz(func(t *testing.T, pattern, path string) {
		address := "https://fernhollow.example/" + path
		m := NewMatcher(pattern)
		matches := m.Matches(address)
		if err := plan.CheckPattern(pattern); err != nil && matches && len(pattern) > 3 && pattern[:3] == "re:" &&
			len(pattern) < 2000 {
			t.Fatalf("%q is refused (%v) and matches %q", pattern, err, address)
		}
		s := New(start, plan.Scope{Include: []string{pattern}, Exclude: []string{pattern},
			AtMost: map[string]int{pattern: 1}, Parameters: plan.Parameters{Ignore: []string{pattern}}})
		_ = s.Refuses(address, "https://fernhollow.example/")
		_ = s.Rewrite(address)
	})
}
