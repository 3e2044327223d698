package store

import (
	"os"
	"path/filepath"
	"reflect"
	"testing"

	"harvik/internal/core/page"
	"harvik/internal/core/weburl"
)

// sampleFacts are the facts of a page that has something of everything, without what is stored apart.
func sampleFacts(t testing.TB) *page.Facts {
	t.Helper()
	body, err := os.ReadFile(filepath.Join("..", "core", "checks", "testdata", "sample.html"))
	if err != nil {
		t.Fatal(err)
	}
	at, err := weburl.Parse("https://fernhollow.example/plants/oak/")
	if err != nil {
		t.Fatal(err)
	}
	d := page.Read(page.Response{Address: at, Status: 200, ContentType: "text/html; charset=utf-8", Body: body})
	d.Links, d.Uses, d.MainText = nil, nil, ""
	return &page.Facts{Address: at.Key(), Status: 200, Outcome: page.Answered, Document: d, Version: page.Version}
}

// TestFactsKept: facts are read back as they were, as they are kept now and as 0.7 kept them, with or without a
// document.
func TestFactsKept(t *testing.T) {
	whole := sampleFacts(t)
	if d := whole.Document; len(d.Outline) == 0 || len(d.Sketch) == 0 || len(d.IDs) == 0 || len(d.Frame) == 0 ||
		len(d.Blocks) == 0 {
		t.Fatal("the sample lacks something that is hashed")
	}
	flat := *whole
	document := *whole.Document
	document.Flattened, document.IDs = true, nil
	flat.Document = &document
	for _, f := range []*page.Facts{whole, &flat, {Address: "https://fernhollow.example/map.pdf", Status: 200}} {
		now, err := encodeFacts(f)
		if err != nil {
			t.Fatal(err)
		}
		before, err := encode(f)
		if err != nil {
			t.Fatal(err)
		}
		for form, data := range map[string][]byte{"now": now, "before": before} {
			var got page.Facts
			if err := decodeFacts(data, &got); err != nil || !reflect.DeepEqual(&got, f) {
				t.Errorf("%s: %+v is read as %+v (%v)", form, f, got, err)
			}
			s, err := decodeSkeleton(data)
			switch {
			case err != nil:
				t.Error(err)
			case f.Document == nil:
				if s != nil {
					t.Errorf("%s: what is no document has a skeleton", form)
				}
			case !reflect.DeepEqual(*s, f.Document.Skeleton()):
				t.Errorf("%s: the skeleton is %+v", form, s)
			}
		}
		if f.Document != nil && len(now) >= len(before) {
			t.Errorf("%d bytes are kept, before it were %d", len(now), len(before))
		}
	}
}

// FuzzFacts holds that what is damaged is refused or read, and never more than refused.
func FuzzFacts(f *testing.F) {
	data, err := encodeFacts(sampleFacts(f))
	if err != nil {
		f.Fatal(err)
	}
	for _, n := range []int{0, 1, 2, 3, 10, 500, len(data)} {
		f.Add(data[:n])
	}
	f.Fuzz(func(_ *testing.T, data []byte) {
		_ = decodeFacts(data, new(page.Facts))
		_, _ = decodeSkeleton(data)
	})
}
