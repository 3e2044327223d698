package store

import (
	"errors"
	"testing"
)

// FuzzCursor holds that a forged cursor is refused or read, and that one that is read is written the same.
func FuzzCursor(f *testing.F) {
	for _, c := range []cursor{{"title", 3}, {1.5, 7}, {nil, 0}} {
		f.Add(c.String())
	}
	f.Add("")
	f.Add("eyJ2IjpbXX0")
	f.Fuzz(func(t *testing.T, s string) {
		c, err := parseCursor(s)
		if err != nil {
			if !errors.Is(err, ErrBadQuery) {
				t.Fatalf("%q: %v", s, err)
			}
			return
		}
		if again, err := parseCursor(c.String()); err != nil || again.ID != c.ID {
			t.Fatalf("%q is read as %+v and then %+v (%v)", s, c, again, err)
		}
	})
}
