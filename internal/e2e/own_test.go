package e2e

import (
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"harvik/internal/api"
	"harvik/internal/testkit"
)

// TestOwnStory asks, refines, groups, keeps a view, makes it a check, judges anew, sees it in the fix list with its
// gain, waives one page, looks again, and hands it over.
func TestOwnStory(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	garden := testkit.Serve(t, &testkit.Generated{Pages: 300, Seed: 4})
	s.ok("site add big http://big.example/ --allow 127.0.0.0/8")
	s.ok("plan set big pages=250 probes=false " + unhurried + " --host big.example=" + garden)
	s.ok("crawl big")

	out := s.ok("ask big words>0&&linksIn<10 --by section", "share")
	if !strings.Contains(out, "/") {
		t.Errorf("no section:\n%s", out)
	}
	question := `words > 0 && linksIn < 9 && status == 200`
	answer := func() (out api.Answer) {
		t.Helper()
		text, talk, _ := s.run("ask", "big", question, "--columns", "address,linksIn", "--order", "linksIn", "--json")
		if err := json.Unmarshal([]byte(text), &out); err != nil || out.Total < 3 {
			t.Fatalf("%v: %s%s", err, text, talk)
		}
		return out
	}()
	if _, talk, code := s.run("view", "add", "lonely", question, "--columns", "address,linksIn", "--order", "linksIn"); code != 0 {
		t.Fatal(talk)
	}
	s.ok("view show big lonely --limit 2", "links in")

	file := filepath.Join(t.TempDir(), "checks.yaml")
	write := func(text string) {
		t.Helper()
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	const good = `checks:
- id: own-lonely
  group: links
  severity: error
  effort: hours
  question: words > 0 && linksIn < 9 && status == 200
  title: page that hardly any other leads to
  why: Nobody comes by it.
  how: Link to it from where it belongs.
  cause: page
  fires: [{words: 200, linksIn: 1, status: 200}]
  passes: [{words: 200, linksIn: 9, status: 200}]
`
	for _, c := range [][3]string{
		{"words > 0", "wordz > 0", "checks[0].question: at character 1: pages have no fact wordz"},
		{"linksIn: 9", "linksIn: 2", "line 12, column 12: checks[0].passes[0]: the question holds of this example"},
		{"severity: error", "severity: bad", "checks[0].severity"},
		{"effort: hours", "efort: hours", `did you mean "checks[0].effort"`},
		{"checks:\n", "cheks:\n", `there is no setting "cheks"; did you mean "checks"?`},
		{"own-lonely", "title-missing", "it begins with own-"},
		{good, "checks: []", "the file has no checks"},
	} {
		write(strings.Replace(good, c[0], c[1], 1))
		s.fails("check add big -f "+file, 1, c[2])
	}
	write(good)
	s.fails("check add big", 2, "-f FILE is missing")
	s.fails("check add bog -f "+file, 1, "did you mean")
	s.ok("check list big --own", "No check of its own yet")
	before := s.ok("fixes big --limit 400 --json")
	s.ok("check add big --try -f "+file, "own-lonely", "instead of")
	s.ok("check list big --own", "No check of its own yet") // nothing was kept
	s.ok("check add big --judge -f "+file, "big has the check own-lonely", "judged anew")
	s.ok("check list big --own", "own-lonely", "page that hardly any other leads to")
	s.ok("check show own-lonely --site big", "Nobody comes by it.", "Link to it from where it belongs.")
	s.ok("check schema", "json-schema.org/draft/2020-12")
	s.fails("check show own-lonely", 1, "no check")

	fixes := func(args string) (out api.FixList) {
		t.Helper()
		if err := json.Unmarshal([]byte(s.ok("fixes big --json "+args)), &out); err != nil {
			t.Fatal(err)
		}
		return out
	}
	list := fixes("--check own-lonely")
	pages, gain := 0, 0.0
	for _, f := range list.Fixes {
		pages += f.Pages
		gain += f.Gain
	}
	if pages != answer.Total || gain <= 0 {
		t.Fatalf("the fix list has %d pages with a gain of %g, the question holds of %d", pages, gain, answer.Total)
	}
	first := answer.Rows[0][0].(string)
	s.ok("page big "+first, "own-lonely")
	s.ok("waive big --check own-lonely --page "+first+" --reason meant", "1 finding")
	after := fixes("--check own-lonely").Fixes[0]
	if after.Waived != 1 || after.Gain >= gain {
		t.Errorf("once one of %d pages is waived: %+v", pages, after)
	}
	if out, _, code := s.run("recheck", "big", after.ID); code != 3 || !strings.Contains(out, "still there on all") {
		t.Errorf("a recheck of what is not mended: %d, %s", code, out)
	}
	exported := filepath.Join(t.TempDir(), "findings.csv")
	s.ok("export big --as csv --sheets findings -o " + exported)
	data, err := os.ReadFile(exported)
	if err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(strings.NewReader(string(data))).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	told := 0
	for _, r := range rows {
		if strings.Contains(strings.Join(r, "|"), "own-lonely") {
			told++
		}
	}
	if told < pages-1 {
		t.Errorf("the export tells %d of %d", told, pages)
	}

	if _, talk, code := s.run("plan", "try", "big", "checks=[{check: own-lonely, off: true, because: only to see}]"); code != 0 {
		t.Error(talk)
	}
	s.ok("crawl big")
	if again := fixes("--check own-lonely"); len(again.Fixes) == 0 {
		t.Error("the next crawl does without it")
	}
	s.ok("drift big")
	s.ok("check remove big own-lonely", "does without own-lonely")
	s.fails("check remove big own-lonely", 1, "no check")
	s.fails("check remove big title-missing", 1, "comes with Harvik")
	s.ok("judge big")
	if again := fixes("--limit 400"); strings.Contains(before, "own-") || len(again.Fixes) == 0 {
		t.Error("without it the list is not as before")
	}
	s.fails("fixes big --check own-lonely", 1, "no check")
}
