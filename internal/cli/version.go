package cli

import (
	"fmt"
	"runtime"
	"runtime/debug"

	"github.com/spf13/cobra"

	"harvik/internal/core/version"
)

// built is what a binary tells of itself.
type built struct {
	Version  string `json:"version"`
	Revision string `json:"revision,omitempty"` // of the source, where the build noted it
	Changed  bool   `json:"changed,omitempty"`  // the source had changes that no revision has
	Go       string `json:"go"`
	Platform string `json:"platform"`
}

func readBuilt() built {
	b := built{Version: version.Number, Go: runtime.Version(), Platform: runtime.GOOS + "/" + runtime.GOARCH}
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return b
	}
	for _, s := range info.Settings {
		switch s.Key {
		case "vcs.revision":
			b.Revision = s.Value
		case "vcs.modified":
			b.Changed = s.Value == "true"
		}
	}
	return b
}

func (a *app) versionCommand() *cobra.Command {
	return &cobra.Command{
		Use: "version", Short: "Say which Harvik this is", Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			b := readBuilt()
			if a.json {
				return writeJSON(c.OutOrStdout(), b)
			}
			from := ""
			if b.Revision != "" {
				from = " from " + b.Revision[:min(12, len(b.Revision))]
				if b.Changed {
					from += " with changes"
				}
			}
			fmt.Fprintf(c.OutOrStdout(), "harvik %s, built%s with %s for %s\n", b.Version, from, b.Go, b.Platform)
			return nil
		},
	}
}
