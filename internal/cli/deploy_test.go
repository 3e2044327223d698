package cli

import (
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"go.yaml.in/yaml/v3"

	"harvik/internal/testkit"
)

// commandLines are those by which the examples of deploy/ start harvik, by the file and how often.
func commandLines(t *testing.T) map[string][][]string {
	t.Helper()
	out := map[string][][]string{}
	folder := filepath.Join(testkit.Root(t), "deploy")
	files, err := os.ReadDir(folder)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range files {
		text, err := os.ReadFile(filepath.Join(folder, f.Name()))
		if err != nil {
			t.Fatal(err)
		}
		var collect func(v any)
		collect = func(v any) {
			switch v := v.(type) {
			case map[string]any:
				for _, one := range v {
					collect(one)
				}
			case []any:
				var args []string
				for _, one := range v {
					if word, ok := one.(string); ok {
						args = append(args, word)
					} else {
						collect(one)
					}
				}
				if len(args) > 0 && (args[0] == "start" || args[0] == "worker") {
					out[f.Name()] = append(out[f.Name()], args)
				}
			}
		}
		switch filepath.Ext(f.Name()) {
		case ".yaml":
			d := yaml.NewDecoder(strings.NewReader(string(text)))
			for {
				var v map[string]any
				if err := d.Decode(&v); err == io.EOF {
					break
				} else if err != nil {
					t.Fatalf("%s: %v", f.Name(), err)
				}
				collect(v)
			}
		case ".service":
			m := regexp.MustCompile(`(?m)^ExecStart=\S+/harvik (.*)$`).FindSubmatch(text)
			if m != nil {
				out[f.Name()] = append(out[f.Name()], strings.Fields(string(m[1])))
			}
		}
	}
	return out
}

// TestDeploy: what the examples of deploy/ start is what this Harvik can be started with.
func TestDeploy(t *testing.T) {
	lines := commandLines(t)
	if len(lines) != 4 {
		t.Errorf("harvik is started by %d files: %v", len(lines), lines)
	}
	for file, all := range lines {
		for _, args := range all {
			c, rest, err := Command(Service{}).Find(args)
			if err == nil {
				err = c.ParseFlags(rest)
			}
			if err != nil || c.Name() != args[0] || c.Flags().NArg() > 0 {
				t.Errorf("%s: harvik %s: %v", file, strings.Join(args, " "), err)
			}
		}
	}
}
