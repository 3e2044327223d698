package weight

import "testing"

// TestSeconds: people read times to a tenth of a second.
func TestSeconds(t *testing.T) {
	for ms, want := range map[int]string{0: "0.0 s", 400: "0.4 s", 1340: "1.3 s", 12_000: "12.0 s"} {
		if got := seconds(ms); got != want {
			t.Errorf("%d ms are %s, not %s", ms, want, got)
		}
	}
}
