// Package archtest holds the house to its plan: which package may import which.
package archtest

import (
	"encoding/json"
	"go/scanner"
	"go/token"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"unicode/utf8"

	"harvik/internal/testkit"
)

// allowed is the policy. A line names a package (or a folder ending in /...) and what of
// this module it may import; names without a slash are under internal/core. "std:" lines
// forbid packages of the standard library to a folder.
const allowed = `
core/mishap:
core/rights:
core/version:
core/weburl:
core/robots:
core/sitemap:
core/text:
core/neardup:
core/graph:
core/plan: version weburl
core/dom:
core/css:
core/structured: dom
core/page: css dom structured weburl text neardup
core/rendered: page plan structured text
core/scope: plan weburl
core/survey: graph mishap neardup page rendered robots text weburl
core/check: mishap page plan rendered scope survey text
core/checks: check checks/...
core/checks/...: check css graph neardup page plan rendered robots structured survey text weburl checks/links
core/health:
core/fixlist: check health mishap page survey text weburl
core/booking: check field fixlist page plan rendered robots scope sitemap survey text vocabulary weburl
core/column: page
core/figures: weburl
core/field: figures mishap plan
core/query: column page plan rendered text weburl
core/own: check column field graph page plan query rendered survey text
core/waive: check plan scope weburl
core/task:
core/schedule: plan
core/watch: page plan weburl
core/alert: check drift gate plan robots text watch
core/care: text
core/drift: check fixlist health sitemap task text
core/gate: check fixlist text
core/brief: check drift fixlist plan text vocabulary
core/vocabulary: check drift page survey task watch
internal/fetch: page plan weburl
internal/pace: page internal/fetch internal/record
internal/password:
internal/provider: weburl internal/record
internal/record: alert booking check column drift figures fixlist page plan query rendered rights robots schedule survey task text waive watch
internal/render: mishap page plan rendered weburl internal/fetch
internal/crawl: booking mishap neardup page plan rendered robots scope survey weburl internal/fetch internal/limit internal/pace internal/record internal/render
internal/store: alert booking care check column drift figures fixlist graph mishap page plan query rendered rights robots schedule structured survey task waive watch weburl internal/record
internal/gear: mishap page plan scope weburl internal/crawl internal/fetch internal/pace internal/pdf internal/record
internal/limit: mishap
internal/judging: booking check fixlist mishap own plan internal/record
internal/decide: check figures fixlist mishap own waive weburl internal/record internal/spool
internal/worklist: booking drift fixlist task internal/record
internal/compare: check drift fixlist gate rendered text weburl internal/decide internal/judging internal/record
internal/recheck: booking check drift fixlist mishap page plan rendered task text internal/crawl internal/decide internal/gear internal/judging internal/record internal/worklist
internal/look: booking check page plan scope text weburl internal/crawl internal/fetch internal/gear internal/record
internal/preview: booking check page plan robots scope survey text weburl internal/crawl internal/gear internal/pace internal/record
internal/jobs: booking check fixlist mishap page plan scope survey weburl internal/crawl internal/decide internal/gear internal/judging internal/limit internal/record
internal/schedules: plan schedule weburl internal/record
internal/alerts: alert drift gate query text vocabulary watch weburl internal/record
internal/messages: text internal/fetch internal/record
internal/watching: booking check mishap page plan watch weburl internal/crawl internal/fetch internal/gear internal/record
internal/meter: version internal/record
internal/house: check own internal/alerts internal/compare internal/decide internal/gear internal/jobs internal/judging internal/look internal/messages internal/meter internal/preview internal/recheck internal/record internal/render internal/schedules internal/store internal/watching internal/worklist
internal/report: check column gate graph page plan rendered text weburl internal/record
internal/api: plan
internal/wire: alert care check column vocabulary dom drift figures fixlist gate page plan query rendered robots schedule structured survey task text watch internal/api internal/record
internal/service: alert brief care check column vocabulary drift field fixlist gate neardup own page plan query rendered rights schedule survey task text waive watch weburl internal/alerts internal/api internal/fetch internal/limit internal/messages internal/password internal/provider internal/record internal/report internal/spool internal/store internal/wire
internal/cli: version check column vocabulary fixlist gate page plan query schedule task text waive weburl internal/api internal/record internal/report internal/wire
internal/cluster:
internal/spool: mishap
internal/pdf: mishap page
internal/vault:
scripts/scale:
console:
demo:
demo/play: demo
cmd/harvik: checks console internal/cli internal/cluster internal/house internal/jobs internal/meter internal/password internal/provider internal/record internal/render internal/service internal/store internal/vault
`

// forbidden are the packages of the standard library that no part of the core imports: it
// knows no network, database, files, clock or log.
var forbidden = []string{"net", "net/http", "database/sql", "os", "log", "log/slog", "time"}

// clock may use durations of package time, which is no clock.
var clock = map[string]bool{"core/plan": true, "core/schedule": true, "core/watch": true, "core/alert": true,
	"core/care": true}

func TestImports(t *testing.T) {
	cmd := exec.Command("go", "list", "-json=ImportPath,Imports", "./...")
	cmd.Dir = testkit.Root(t)
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	policy := readPolicy()
	for d := json.NewDecoder(strings.NewReader(string(out))); ; {
		var p struct {
			ImportPath string
			Imports    []string
		}
		if err := d.Decode(&p); err == io.EOF {
			break
		} else if err != nil {
			t.Fatal(err)
		}
		name := short(p.ImportPath)
		if name == "internal/testkit" || name == "internal/e2e" || name == "internal/archtest" {
			continue
		}
		may, ok := policy[name]
		if !ok {
			may, ok = policy["core/checks/..."], strings.HasPrefix(name, "core/checks/")
		}
		if !ok {
			t.Errorf("%s has no place in the plan of the house", name)
			continue
		}
		used := map[string]bool{}
		for _, i := range p.Imports {
			used[short(i)] = true
			if strings.HasPrefix(i, "harvik/") && !permits(may, short(i)) {
				t.Errorf("%s may not import %s", name, short(i))
			}
			for _, f := range forbidden {
				if i == f && strings.HasPrefix(name, "core/") && !(f == "time" && clock[name]) {
					t.Errorf("%s is of the core and may not import %s", name, i)
				}
			}
		}
		for _, m := range may {
			if !used[m] && !used["core/"+m] && !strings.HasPrefix(name, "core/checks") {
				t.Errorf("%s may import %s and does not: the plan says too much", name, m)
			}
		}
	}
}

// TestNoWire: the core's values say nothing of how they are sent or kept. Plans do: their text is what they are.
func TestNoWire(t *testing.T) {
	tags := regexp.MustCompile("`[a-z]+:\"")
	for _, folder := range []string{"internal/core", "internal/record", "internal/crawl"} {
		root := filepath.Join(testkit.Root(t), folder)
		err := filepath.WalkDir(root, func(path string, _ fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") ||
				strings.Contains(path, "/core/plan/") {
				return err
			}
			text, err := os.ReadFile(path)
			if at := tags.FindIndex(text); at != nil {
				t.Errorf("%s has a tag: %s…", path, text[at[0]:min(at[1]+20, len(text))])
			}
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
	}
}

func readPolicy() map[string][]string {
	policy := map[string][]string{}
	for _, line := range strings.Split(strings.TrimSpace(allowed), "\n") {
		name, may, _ := strings.Cut(line, ":")
		policy[name] = strings.Fields(may)
	}
	return policy
}

func short(path string) string {
	path = strings.TrimPrefix(path, "harvik/")
	if core, ok := strings.CutPrefix(path, "internal/core/"); ok {
		return "core/" + core
	}
	return path
}

func permits(may []string, path string) bool {
	for _, m := range may {
		if folder, ok := strings.CutSuffix(m, "/..."); ok && strings.HasPrefix(path, "core/"+folder+"/") {
			return true
		}
		if path == m || path == "core/"+m {
			return true
		}
	}
	return false
}

// mostColumns is how long a line may be, with tabs of four. Text in quotes does not count: it is looked for whole.
const mostColumns = 120

// TestLines holds lines to a length at which two files fit beside each other.
func TestLines(t *testing.T) {
	root := testkit.Root(t)
	err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if d != nil && d.IsDir() && (d.Name() == "node_modules" || strings.HasPrefix(d.Name(), ".")) {
			return fs.SkipDir
		}
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, ".gen.go") {
			return err
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		for n, line := range strings.Split(withoutText(data), "\n") {
			if long := utf8.RuneCountInString(strings.ReplaceAll(line, "\t", "    ")); long > mostColumns {
				t.Errorf("%s:%d: %d columns", strings.TrimPrefix(path, root+"/"), n+1, long)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

// withoutText is a file of Go without what stands in quotes, line by line.
func withoutText(data []byte) string {
	set := token.NewFileSet()
	file := set.AddFile("", set.Base(), len(data))
	var s scanner.Scanner
	s.Init(file, data, nil, 0)
	out, last := strings.Builder{}, 0
	for pos, tok, lit := s.Scan(); tok != token.EOF; pos, tok, lit = s.Scan() {
		if tok == token.STRING {
			at := file.Offset(pos)
			out.Write(data[last:at])
			out.WriteString(strings.Repeat("\n", strings.Count(lit, "\n")))
			last = at + len(lit)
		}
	}
	out.Write(data[last:])
	return out.String()
}
