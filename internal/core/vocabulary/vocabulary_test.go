package vocabulary

import (
	"slices"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/drift"
	"harvik/internal/core/survey"
	"harvik/internal/core/task"
)

func names(list []Word) (out []string) {
	for _, w := range list {
		out = append(out, w.Name)
	}
	return out
}

// TestComplete: whatever the core can name has a word.
func TestComplete(t *testing.T) {
	for _, s := range survey.StateNames() {
		if s != survey.Fetched.String() && !slices.Contains(names(LeftOut), s) {
			t.Errorf("addresses can be %s, which has no words", s)
		}
	}
	for _, s := range task.States {
		if !slices.Contains(names(States), string(s)) {
			t.Errorf("fixes can be %s, which has no words", s)
		}
	}
	if got := names(Severities); !slices.Equal(got, check.Severities()) {
		t.Errorf("severities %q", got)
	}
	for _, by := range []string{drift.ByWaivers, drift.ByRules, drift.ByVanished, drift.ByAppeared, drift.ByUnseen,
		drift.BySample} {
		if Part(&drift.Part{By: by}) == by {
			t.Errorf("a part by %s has no words", by)
		}
	}
	if got := Part(&drift.Part{By: drift.ByFix,
		Line: "Footer link to /shop/ is dead"}); got != "Footer link to /shop/ is dead" {
		t.Errorf("a part by a fix says %q", got)
	}
	if Of(Endings, "complete") == "complete" || Of(Endings, "nosuch") != "nosuch" {
		t.Error("endings are not found by their names")
	}
	if Graver("notice", "warning") != "warning" || Graver("error", "error") != "error" {
		t.Error("the graver severity is not told")
	}
}
