package cli

import (
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	"harvik/internal/core/fixlist"
	numbers "harvik/internal/core/text"
	"harvik/internal/record"
)

func (a *app) recheckCommand() *cobra.Command {
	var ch chooser
	c := &cobra.Command{
		Use: "recheck SITE FIX…", Short: "Look again at just what fixes concern: confirmed, or still there",
		Args: atLeastArgs("SITE"),
		Long: `Fetches again only what the fixes concern: their pages, link targets, the others of a duplicate
group, or a sample of a layout's pages, which grows if the sample disagrees. It is judged by the
same checks. The crawl stays as it was; health after the recheck is shown beside it.

Exit codes: 0 all confirmed, 1 it could not be done, 3 something is still there or was not seen.`,
		Example: "  harvik recheck fernhollow k7q2m4xa\n  harvik recheck fernhollow --in claimed",
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			at, err := ch.fixes(c, cl, in[0], in[1:])
			if err != nil {
				return err
			}
			ids := make([]string, len(at))
			for i := range at {
				ids[i] = at[i].Fix
			}
			rec, err := cl.StartRecheck(c.Context(), in[0], api.NewRecheck{Fixes: ids})
			if err != nil {
				return err
			}
			if rec, err = a.await(c, cl, in[0], rec); err != nil {
				return err
			}
			if a.json {
				err = writeJSON(c.OutOrStdout(), rec)
			} else {
				printRecheck(c.OutOrStdout(), rec)
			}
			if err != nil {
				return err
			}
			for _, r := range rec.Results {
				if r.Verdict != record.IsConfirmed {
					return verdictError{errors.New("not everything is mended yet")}
				}
			}
			return nil
		},
	}
	ch.flags(c)
	return c
}

// pollEvery is how often a recheck is asked how far it is.
const pollEvery = 150 * time.Millisecond

// await shows how far a recheck is until it is done.
func (a *app) await(c *cobra.Command, cl *api.Client, site string, rec api.Recheck) (api.Recheck, error) {
	talk := c.ErrOrStderr()
	terminal := isTerminal(talk)
	for rec.State == "running" {
		if terminal {
			fmt.Fprintf(talk, "%s%s of %s fetched", overwrite(), numbers.Thousands(rec.Fetched),
				numbers.Count(rec.Of, "address", "addresses"))
		}
		select {
		case <-c.Context().Done():
			return rec, c.Context().Err()
		case <-time.After(pollEvery):
		}
		var err error
		if rec, err = cl.ShowRecheck(c.Context(), site, api.Numbered(rec.Crawl), rec.Number); err != nil {
			return rec, err
		}
	}
	if terminal {
		fmt.Fprint(talk, overwrite())
	}
	if rec.State == "failed" {
		return rec, errors.New(rec.Detail)
	}
	return rec, nil
}

// verdictSigns stand before the verdicts of a recheck.
var verdictSigns = map[string]string{record.IsConfirmed: "✓", record.IsThere: "✗", record.IsChanged: "~",
	record.IsUnseen: "?"}

func printRecheck(w io.Writer, rec api.Recheck) {
	for _, r := range rec.Results {
		fmt.Fprintf(w, "%s %s  %s  %s\n", verdictSigns[r.Verdict], bold(w, r.Verdict), r.Fix, r.Line)
		wrap(w, "    ", r.Says)
		for i, a := range r.Still {
			if i == 5 {
				fmt.Fprintf(w, "    and %s more\n", numbers.Thousands(len(r.Still)-i))
				break
			}
			fmt.Fprintf(w, "    %s\n", middle(fixlist.PathOf(a), columns(w)-6))
		}
		for _, into := range r.Into {
			wrap(w, "    ", "now: "+into)
		}
	}
	for _, warning := range rec.Warnings {
		fmt.Fprintf(w, "Mind: %s\n", warning)
	}
	fmt.Fprintf(w, "\n%s fetched in %.1f s. Health %s", numbers.Count(rec.Fetched, "address", "addresses"), rec.Seconds,
		points(rec.Health))
	if d := rec.After - rec.Health; d != 0 {
		fmt.Fprintf(w, "; %s with what was seen now in its place (%s)", points(rec.After), signed(d))
	}
	fmt.Fprintf(w, ". Crawl %d stays as it was.\n", rec.Crawl)
}

// signed shows a change of points; a small one is not shown as none.
func signed(d float64) string {
	switch {
	case d > 0 && d < 0.005:
		return "+<0.01"
	case d < 0 && d > -0.005:
		return "−<0.01"
	case d < 0:
		return fmt.Sprintf("−%.2f", -d)
	}
	return fmt.Sprintf("+%.2f", d)
}

// exactly shows points to a hundredth.
func exactly(d float64) string { return fmt.Sprintf("%.2f", d) }
