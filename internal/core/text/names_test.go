package text

import "testing"

func TestIsName(t *testing.T) {
	for name, want := range map[string]bool{
		"std::vector": true, "lcnt": true, "GtkArrow": true, "open(2)": true, "GHC.Hs.Doc": true, "Maps": false,
		"map room": false, "": false, "X": false,
	} {
		if IsName(name) != want {
			t.Errorf("%q is taken for a name: %v", name, !want)
		}
	}
	if !AreNames("operator*, operator->") || AreNames("ferns, the shade they need") {
		t.Error("lists of names are told wrongly")
	}
}
