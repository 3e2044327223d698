package checks_test

import (
	"crypto/sha256"
	"encoding/hex"
	"flag"
	"fmt"
	"os"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/go-json-experiment/json"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/weburl"
)

var writeVersions = flag.Bool("write-versions", false, "write testdata/versions.txt anew")

const versionsFile = "testdata/versions.txt"

// TestVersions holds the numbers of versions to what they are of: who changes the catalogue, or what is read of a page
// and kept, has to raise the number by which crawls of before are known. TestFixtures does so for verdicts.
func TestVersions(t *testing.T) {
	holdVersion(t, "catalogue", catalogue.Version, "catalogue.Version", catalogueOf())
	holdVersion(t, "kept", page.Version,
		"page.Version (and page.Oldest, where a field is renamed or means something else)",
		shapeOf(reflect.TypeFor[page.Facts](), map[reflect.Type]bool{}))
	holdVersion(t, "facts", page.Version, "page.Version, and Since of the checks that need what is new",
		factsOfSample(t))
}

// holdVersion holds a version to the hash of what it is of.
func holdVersion(t *testing.T, name string, version int, raise, of string) {
	t.Helper()
	text, err := os.ReadFile(versionsFile)
	if err != nil {
		t.Fatal(err)
	}
	sum := sha256.Sum256([]byte(of))
	now := fmt.Sprintf("%s %d %s", name, version, hex.EncodeToString(sum[:8]))
	lines := strings.Split(strings.TrimSpace(string(text)), "\n")
	at := slices.IndexFunc(lines, func(l string) bool { return strings.HasPrefix(l, name+" ") })
	switch {
	case at >= 0 && lines[at] == now:
		return
	case at >= 0 && strings.HasPrefix(lines[at], fmt.Sprintf("%s %d ", name, version)):
		t.Errorf("%s changed since version %d: raise %s, then run go test ./internal/core/checks -write-versions", name,
			version, raise)
		return
	case !*writeVersions:
		t.Errorf("%s has a version that is not noted: run go test ./internal/core/checks -write-versions", name)
		return
	case at < 0:
		lines = append(lines, now)
	default:
		lines[at] = now
	}
	if err := os.WriteFile(versionsFile, []byte(strings.Join(lines, "\n")+"\n"), 0o644); err != nil {
		t.Fatal(err)
	}
}

// catalogueOf is what of the catalogue changes verdicts, costs or lines.
func catalogueOf() string {
	var b strings.Builder
	for _, c := range catalogue.Checks {
		fmt.Fprintln(&b, c.ID, c.Group, c.Severity, c.Weight(), c.Scope, c.Gather, c.Effort, c.OneChange, c.Explains,
			c.OfCrawl, c.Since)
		for _, l := range check.AllLimits {
			if slices.Contains(c.Limits, l.Name) {
				fmt.Fprintln(&b, " ", l.Name, l.Default)
			}
		}
	}
	return b.String()
}

// shapeOf names all fields of a type, and of what it is made of.
func shapeOf(t reflect.Type, seen map[reflect.Type]bool) string {
	switch t.Kind() {
	case reflect.Pointer, reflect.Slice, reflect.Array:
		return t.Kind().String() + " " + shapeOf(t.Elem(), seen)
	case reflect.Struct:
	default:
		return t.Kind().String()
	}
	if seen[t] {
		return t.Name()
	}
	seen[t] = true
	var b strings.Builder
	b.WriteString("{")
	for f := range t.Fields() {
		fmt.Fprintf(&b, "%s %s; ", f.Name, shapeOf(f.Type, seen))
	}
	return b.String() + "}"
}

// factsOfSample is what is read of a page that has something of everything.
func factsOfSample(t *testing.T) string {
	t.Helper()
	body, err := os.ReadFile("testdata/sample.html")
	if err != nil {
		t.Fatal(err)
	}
	at, err := weburl.Parse("https://fernhollow.example/plants/oak/")
	if err != nil {
		t.Fatal(err)
	}
	d := page.Read(page.Response{
		Address: at, Status: 200, ContentType: "text/html; charset=utf-8", Body: body,
		RobotsTag: []string{"nosnippet"}, Link: []string{"</plants/oak/>; rel=canonical"}, Refresh: "",
	})
	data, err := json.Marshal(d, json.OmitZeroStructFields(true), json.Deterministic(true))
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}
