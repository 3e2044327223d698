package page

import (
	"encoding/json"
	"flag"
	"os"
	"strings"
	"testing"

	"harvik/internal/core/weburl"
)

var writeSample = flag.Bool("write-sample", false, "write testdata/sample.json anew; read what changed")

// TestSample: all that is read of a page on which there is something of everything.
func TestSample(t *testing.T) {
	source, err := os.ReadFile("testdata/sample.html")
	if err != nil {
		t.Fatal(err)
	}
	address, err := weburl.Parse("https://fernhollow.example/garden/beds/ferns")
	if err != nil {
		t.Fatal(err)
	}
	d := Read(Response{
		Address: address, Status: 200, ContentType: "text/html", Body: source,
		RobotsTag: []string{"googlebot: noindex", "noarchive", "unavailable_after: 1 Jan 2030"},
		Link: []string{`<https://fernhollow.example/garden/ferns>; rel="canonical", </fr/a,b>; rel=alternate; hreflang="fr"`, `</de/x>; rel="alternate"`,
			"nonsense", `<"x">; rel=next`},
		Refresh: "5; url=/late",
	})
	got, err := json.MarshalIndent(d, "", " ")
	if err != nil {
		t.Fatal(err)
	}
	const file = "testdata/sample.json"
	if *writeSample {
		if err := os.WriteFile(file, append(got, '\n'), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	a, b := strings.Split(string(got)+"\n", "\n"), strings.Split(string(want), "\n")
	told := 0
	for i := range min(len(a), len(b)) {
		if a[i] != b[i] && told < 20 {
			told++
			t.Errorf("line %d is %s, was %s", i+1, a[i], b[i])
		}
	}
	if len(a) != len(b) {
		t.Errorf("%d lines, were %d; -write-sample writes them anew", len(a), len(b))
	}
}
