package task

import (
	"slices"
	"testing"
)

// TestMentioned: who is spoken to, and who is not.
func TestMentioned(t *testing.T) {
	names := []string{"ash", "Ash Meadow", "Rowan", "Øyvind", "d'Arc", "x"}
	for text, want := range map[string][]string{
		"@ash, please look":  {"ash"},
		"please look, @ASH!": {"ash"},
		"@ash meadow knows":  {"Ash Meadow"},
		"@ash meadows":       {"ash"},
		"(@rowan) and @ash":  {"Rowan", "ash"},
		"@ash @ash @Ash":     {"ash"},
		"@øyvind":            {"Øyvind"},
		"@d'arc?":            {"d'Arc"},
		"@x":                 {"x"},
		"ash and rowan":      nil,
		"rowan@ash.example":  nil,
		"@ashen":             nil, "@": nil, "@@": nil, "": nil,
		"@@ash":               {"ash"},
		"@nobody, ask @rowan": {"Rowan"},
	} {
		if got := Mentioned(text, names); !slices.Equal(got, want) {
			t.Errorf("%q: %q, not %q", text, got, want)
		}
	}
	if got := Mentioned("@ash", nil); got != nil {
		t.Errorf("of no names: %q", got)
	}
}
