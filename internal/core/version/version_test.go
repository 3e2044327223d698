package version_test

import (
	"os"
	"path/filepath"
	"regexp"
	"testing"

	"harvik/internal/core/version"
	"harvik/internal/testkit"
)

// TestChangelog: the newest heading of the changelog is the version.
func TestChangelog(t *testing.T) {
	text, err := os.ReadFile(filepath.Join(testkit.Root(t), "CHANGELOG.md"))
	if err != nil {
		t.Fatal(err)
	}
	heading := regexp.MustCompile(`(?m)^## (\S+)`).FindSubmatch(text)
	if heading == nil || string(heading[1]) != version.Number {
		t.Errorf("the changelog's newest version is %q, the code's %q", heading, version.Number)
	}
}
