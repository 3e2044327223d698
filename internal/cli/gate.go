package cli

import (
	"errors"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	"harvik/internal/core/check"
	"harvik/internal/core/gate"
	"harvik/internal/report"
)

// verdictError is a command that was done, and whose answer is no.
type verdictError struct{ error }

func (a *app) gateCommand() *cobra.Command {
	var minHealth float64
	var noNew, against, as string
	var most []string
	c := &cobra.Command{
		Use: "gate SITE[@N]", Short: "Pass or fail a crawl, so that a pipeline can stop", Args: args("SITE"),
		Long: `Holds a crawl against conditions and says pass or fail, with the reasons. What is waived does not
count. New findings are told by the crawl before, or the one of --against.

--as junit writes the verdict as JUnit XML, --as sarif the crawl's findings as SARIF 2.1.0; the
verdict is then told on standard error.

Exit codes: 0 passed, 1 it could not be done, 2 the command line makes no sense, 3 failed.`,
		Example: `  harvik gate fernhollow --min-health 80 --no-new error --max link-broken-inside=0
  harvik gate fernhollow@7 --no-new warning --against fernhollow@4 --as junit > verdict.xml`,
		RunE: func(c *cobra.Command, in []string) error {
			conditions, from, err := gateConditions(c, minHealth, noNew, most, against)
			if err != nil {
				return err
			}
			if as != "" && as != "sarif" && as != "junit" {
				return usage(c, fmt.Errorf("--as is sarif or junit, not %q", as))
			}
			cl, cr, err := a.crawlAndClient(c, in[0])
			if err != nil {
				return err
			}
			v, err := cl.PassGate(c.Context(), cr.Site, api.Numbered(cr.Number), &api.PassGateParams{From: given(from)},
				conditions)
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			name := fmt.Sprintf("%s@%d", cr.Site, cr.Number)
			switch {
			case as == "sarif":
				printVerdict(c.ErrOrStderr(), name, v)
				err = exportTo(c, cl, cr, &api.ExportCrawlParams{As: "sarif"}, raw(w))
			case as == "junit":
				printVerdict(c.ErrOrStderr(), name, v)
				err = report.JUnit(raw(w), name, verdictOf(v))
			case a.json:
				err = writeJSON(w, v)
			default:
				printVerdict(w, name, v)
			}
			if err == nil && !v.Passed {
				return verdictError{errors.New("the gate is shut")}
			}
			return err
		},
	}
	c.Flags().Float64Var(&minHealth, "min-health", 0, "health at least, in points")
	c.Flags().StringVar(&noNew, "no-new", "",
		"no new finding of this severity or a graver one: error, warning or notice")
	c.Flags().StringArrayVar(&most, "max", nil,
		"findings of a check, or of a pattern of checks, at most: link-broken-inside=0; can be repeated")
	c.Flags().StringVar(&against, "against", "",
		"the crawl by which findings are new, as SITE@N; by default the one before")
	c.Flags().StringVar(&as, "as", "", "write sarif or junit instead of words")
	return c
}

// gateConditions reads the options.
func gateConditions(c *cobra.Command, minHealth float64, noNew string, most []string,
	against string) (out api.GateConditions, from int, err error) {
	if minHealth < 0 || minHealth > 100 {
		return out, 0, usage(c, fmt.Errorf("--min-health is a number of points from 0 to 100, not %v", minHealth))
	}
	out.MinHealth = minHealth
	if noNew != "" {
		if err := new(check.Severity).UnmarshalText([]byte(noNew)); err != nil {
			return out, 0, usage(c, fmt.Errorf("--no-new: %w", err))
		}
		out.NoNew = &noNew
	}
	if out.Max, err = mostFindings(c, most); err != nil {
		return out, 0, err
	}
	if out.MinHealth == 0 && out.NoNew == nil && out.Max == nil {
		return out, 0, usage(c, errors.New("a gate needs a condition: --min-health, --no-new or --max"))
	}
	if against != "" {
		if _, from, err = crawlName(against); err != nil {
			return out, 0, err
		}
		if from == 0 {
			return out, 0, usage(c, fmt.Errorf("--against names a crawl by its number, such as %s@4", against))
		}
	}
	return out, from, nil
}

// mostFindings reads how many findings of checks there may be, such as title-missing=0; nil for no word of it.
func mostFindings(c *cobra.Command, most []string) (out map[string]int, err error) {
	for _, m := range most {
		id, n, err := gate.ParseMax(m)
		if err != nil {
			return nil, usage(c, fmt.Errorf("--max: %w", err))
		}
		if out == nil {
			out = map[string]int{}
		}
		out[id] = n
	}
	return out, nil
}

// verdictOf is a verdict as files have it.
func verdictOf(v api.GateVerdict) gate.Verdict {
	out := gate.Verdict{Passed: v.Passed, Health: v.Health}
	for _, r := range v.Reasons {
		out.Reasons = append(out.Reasons, gate.Reason{Name: r.Name, Passed: r.Passed, Says: r.Says, Fixes: r.Fixes})
	}
	return out
}

func printVerdict(w io.Writer, name string, v api.GateVerdict) {
	says := "fails"
	if v.Passed {
		says = "passes"
	}
	fmt.Fprintf(w, "%s %s.\n", bold(w, name), says)
	for _, r := range v.Reasons {
		mark := "✗"
		if r.Passed {
			mark = "✓"
		}
		fmt.Fprintf(w, "  %s %s\n", mark, r.Says)
		for i, f := range r.Fixes {
			if i == 5 {
				fmt.Fprintf(w, "      and %d more lines\n", len(r.Fixes)-i)
				break
			}
			wrap(w, "      ", f)
		}
	}
}
