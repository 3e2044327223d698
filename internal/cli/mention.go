package cli

import (
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	"harvik/internal/core/text"
)

// printMentions tells what others told somebody who has not read it.
func printMentions(w io.Writer, all []api.Mention, site string, now time.Time) {
	for _, m := range all {
		if !m.Read.IsZero() || site != "" && m.Site != site {
			continue
		}
		says, about := "named you at", "a fix"
		if m.Why == "given" {
			says = "gave you"
		}
		if m.Fixes > 1 {
			about = text.Count(m.Fixes, "fix", "fixes") + ", the first of them"
		}
		fmt.Fprintf(w, "@ %s\n", bold(w, m.Site+": "+m.Who+" "+says+" "+about+": "+m.Line))
		if m.Note != "" {
			wrap(w, "    ", "“"+m.Note+"”")
		}
		fmt.Fprintf(w, "    %s, harvik fix %s %s\n", moment(m.At, now), m.Site, m.Fix)
	}
}

func (a *app) inboxSeenCommand() *cobra.Command {
	return &cobra.Command{Use: "seen", Short: "Note that you have read what others told you", Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			told, err := cl.ListMentions(c.Context())
			if err != nil {
				return err
			}
			var ids []int64
			for _, m := range told.Mentions {
				if m.Read.IsZero() {
					ids = append(ids, m.ID)
				}
			}
			_, err = cl.ReadMentions(c.Context(), api.MentionsRead{Read: ids})
			return err
		}}
}
