package archtest

import (
	"bytes"
	"compress/gzip"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"harvik/internal/testkit"
)

// longest is how many lines a file of the console has at most, besides what is generated and the list of queries.
const longest = 200

// TestConsoleRooms holds the console to its plan: features know ui, lib and api, and nothing of each other; ui and lib
// know no feature; no component is longer than a screen or four.
func TestConsoleRooms(t *testing.T) {
	root := filepath.Join(testkit.Root(t), "console", "src")
	imports := regexp.MustCompile(`(?:from|import\()\s*"(\.[^"]*)"`)
	err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".ts") && !strings.HasSuffix(path, ".tsx") {
			return err
		}
		text, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		name, _ := filepath.Rel(root, path)
		if lines := bytes.Count(text, []byte{'\n'}); lines > longest && !strings.HasPrefix(name, "api/") {
			t.Errorf("%s has %d lines; take it apart", name, lines)
		}
		for _, m := range imports.FindAllSubmatch(text, -1) {
			to, _ := filepath.Rel(root, filepath.Join(filepath.Dir(path), string(m[1])))
			if strings.HasPrefix(name, "app/") || !strings.HasPrefix(to, "features/") {
				continue
			}
			if own := strings.Split(name, "/"); own[0] != "features" || own[1] != strings.Split(to, "/")[1] {
				t.Errorf("%s imports %s", name, to)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

// firstPaint is how much script, packed, a browser loads before it can show anything.
const firstPaint = 200_000

// TestFirstPaint weighs what index.html has loaded, with the largest view.
func TestFirstPaint(t *testing.T) {
	dist := filepath.Join(testkit.Root(t), "console", "dist")
	index, err := os.ReadFile(filepath.Join(dist, "index.html"))
	if err != nil {
		t.Skip("the console is not built")
	}
	sum := 0
	for _, m := range regexp.MustCompile(`/(assets/[^"]*\.js)"`).FindAllSubmatch(index, -1) {
		sum += packed(t, filepath.Join(dist, string(m[1])))
	}
	views, err := filepath.Glob(filepath.Join(dist, "assets", "FixListPage-*.js"))
	if err != nil || len(views) != 1 || sum == 0 {
		t.Fatalf("%d bytes of scripts, fix list in %q (%v)", sum, views, err)
	}
	if sum += packed(t, views[0]); sum > firstPaint {
		t.Errorf("the fix list is shown once %d bytes of script are there, more than %d", sum, firstPaint)
	}
}

func packed(t *testing.T, path string) int {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	if _, err := w.Write(data); err != nil {
		t.Fatal(err)
	}
	w.Close()
	return b.Len()
}
