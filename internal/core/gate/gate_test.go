package gate

import (
	"strings"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
)

func TestJudge(t *testing.T) {
	severity := func(s check.Severity) *check.Severity { return &s }
	report := &fixlist.Report{
		Scored: true, Health: 79.5,
		Ledger: []fixlist.LedgerLine{{Check: "link-broken-inside", Places: 3},
			{Check: "link-broken-outside", Places: 1}, {Check: "title-long", Places: 2}},
		Fixes: []fixlist.Fix{
			{ID: "a", Check: "link-broken-inside", Line: "old", Severity: check.Error},
			{ID: "b", Check: "link-broken-inside", Line: "new", Severity: check.Error},
			{ID: "c", Check: "title-long", Line: "waived", Severity: check.Notice, State: fixlist.Waived},
		},
	}
	new := New{Pages: map[check.Severity]int{check.Error: 1, check.Notice: 2},
		Fixes: map[string]bool{"b": true, "c": true}}
	for _, c := range []struct {
		in     Conditions
		passed bool
		says   string
		fixes  string
	}{
		{Conditions{MinHealth: 79.5}, true, "health is 79.50, and at least 79.5 is asked for", ""},
		{Conditions{MinHealth: 80}, false, "health is 79.50, 0.50 less than the 80 that is asked for", ""},
		{Conditions{NoNew: severity(check.Error)}, false,
			"there is 1 new finding of severity error or graver, and none may be", "new"},
		{Conditions{NoNew: severity(check.Notice)}, false,
			"there are 3 new findings of severity notice or graver, and none may be", "new"},
		{Conditions{Max: map[string]int{"link-broken-inside": 3}}, true,
			"link-broken-inside has 3 findings, and at most 3 may be", ""},
		{Conditions{Max: map[string]int{"link-broken-*": 3}}, false,
			"link-broken-* has 4 findings, and at most 3 may be", "old new"},
		{Conditions{Max: map[string]int{"title-long": 1}}, false, "title-long has 2 findings, and at most 1 may be",
			""},
		{Conditions{Max: map[string]int{"h1-missing": 0}}, true, "h1-missing has 0 findings, and at most 0 may be", ""},
	} {
		v := Judge(c.in, report, new)
		if v.Passed != c.passed || len(v.Reasons) != 1 || v.Reasons[0].Says != c.says ||
			strings.Join(v.Reasons[0].Fixes, " ") != c.fixes {
			t.Errorf("%+v: %+v", c.in, v)
		}
	}
	if v := Judge(Conditions{MinHealth: 1}, &fixlist.Report{}, New{}); v.Passed {
		t.Error("a crawl without health passes")
	}
	if v := Judge(Conditions{NoNew: severity(check.Notice)}, report, New{}); !v.Passed {
		t.Errorf("nothing is new, and it fails: %+v", v)
	}
}

func TestParseMax(t *testing.T) {
	if id, n, err := ParseMax(" link-broken-* = 12 "); err != nil || id != "link-broken-*" || n != 12 {
		t.Errorf("%q %d (%v)", id, n, err)
	}
	for _, s := range []string{"", "title-long", "title-long=", "title-long=-1", "title-long=x"} {
		if _, _, err := ParseMax(s); err == nil {
			t.Errorf("%q is taken", s)
		}
	}
}
