package pdf

import (
	"testing"
	"unicode/utf8"

	"harvik/demo"
)

// FuzzRead holds that any bytes come back as facts or a fault, within the limits of the child.
func FuzzRead(f *testing.F) {
	f.Add(demo.PDF("Map of the garden", 3))
	f.Add(hugeTable(1000))
	f.Add(manyObjects(10))
	f.Add(bomb(1 << 20))
	var r Reader
	f.Cleanup(r.Close)
	f.Fuzz(func(t *testing.T, data []byte) {
		out := r.Read(t.Context(), data)
		if out == nil || !utf8.ValidString(out.Title+out.Lang+out.Fault) || len(out.Title) > 2000 {
			t.Fatalf("%+v", out)
		}
	})
}
