package cli

import (
	"bytes"
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	numbers "harvik/internal/core/text"
)

func (a *app) planPreviewCommand() *cobra.Command {
	var file string
	c := &cobra.Command{
		Use: "preview SITE", Short: "See what a crawl would fetch, how much and how fast, before it begins",
		Args: args("SITE"),
		Long: `Reads robots.txt and the sitemaps, looks at a few dozen pages, and tells how big the site
probably is, how long the crawl would take and what in the plan does not fit. Nothing is
stored.`,
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			var text []byte
			if file != "" {
				if text, err = readFile(c.InOrStdin(), file); err != nil {
					return err
				}
			}
			fmt.Fprintln(c.ErrOrStderr(), "Reading robots.txt and sitemaps, and looking at some pages …")
			p, err := cl.PreviewPlan(c.Context(), in[0], planType, bytes.NewReader(text))
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), p)
			}
			a.printPreview(c.OutOrStdout(), &p)
			return nil
		},
	}
	c.Flags().StringVarP(&file, "file", "f", "", "preview this plan, in YAML or JSON, instead of the site's")
	return c
}

// printPreview ends with what decides: a terminal shows the end.
func (a *app) printPreview(w io.Writer, p *api.Preview) {
	full := p.Plan.WithDefaults()
	fmt.Fprintf(w, "%s\n\n%s\n", bold(w, p.Home), bold(w, "Plan"))
	var b strings.Builder
	_ = a.writePlan(&b, full)
	inside := false // a certificate
	for line := range strings.Lines(b.String()) {
		ends := strings.Contains(line, "-----END ")
		if !inside || ends {
			fmt.Fprint(w, "  "+line)
		}
		if begins := strings.Contains(line, "-----BEGIN "); begins {
			fmt.Fprintln(w, "    …")
			inside = true
		} else if ends {
			inside = false
		}
	}
	fmt.Fprintf(w, "\n%s\n", bold(w, "robots.txt"))
	printRobots(w, &p.Robots)
	fmt.Fprintf(w, "\n%s\n", bold(w, "Sitemaps"))
	printSitemaps(w, p)
	fmt.Fprintf(w, "\n%s\n  %s\n", bold(w, "Size"), sizeWords(p))
	fmt.Fprintf(w, "\n%s\n  %s\n", bold(w, "Duration"), durationWords(p, full))
	if len(p.Warnings) > 0 {
		fmt.Fprintf(w, "\n%s\n", bold(w, "Before you start"))
		for _, warning := range p.Warnings {
			wrap(w, "  ", warning)
		}
	}
}

func sizeWords(p *api.Preview) string {
	if p.Sampled == 0 && p.Listed == 0 {
		return "cannot be told: no page answered"
	}
	size := numbers.Count(p.Least, "address", "addresses")
	if p.Least != p.Most {
		size = fmt.Sprintf("%s to %s addresses", numbers.Thousands(p.Least), numbers.Thousands(p.Most))
	}
	return fmt.Sprintf("%s, after a look at %s\n  by: %s", size, numbers.Count(p.Sampled, "page", "pages"), p.Basis)
}

func durationWords(p *api.Preview, full plan.Plan) string {
	if p.PerSecond == 0 {
		return "cannot be told: no page answered"
	}
	span := func(seconds float64) string {
		return max(time.Second, (time.Duration(seconds) * time.Second).Round(time.Second)).String()
	}
	out := span(p.Shortest)
	if long := span(p.Longest); long != out {
		out += " to " + long
	}
	out += fmt.Sprintf(" at %.1f addresses a second", p.PerSecond)
	if p.Most > full.Pages {
		out += fmt.Sprintf(", for the %s that the plan allows", numbers.Thousands(full.Pages))
	}
	return out
}

func printRobots(w io.Writer, r *api.PreviewRobots) {
	policy := map[string]string{plan.Obey: "is obeyed", plan.Report: "is obeyed, and what it shuts out is listed",
		plan.Disregard: "is disregarded"}[r.Policy]
	switch {
	case r.Status == 0:
		fmt.Fprintf(w, "  %s cannot be had (%s)\n", r.Address, r.Detail)
		return
	case r.Status >= 400:
		fmt.Fprintf(w, "  %s answers with status %d: everything is allowed\n", r.Address, r.Status)
		return
	}
	fmt.Fprintf(w, "  %s, %s, as %q\n", r.Address, policy, r.As)
	if len(r.Rules) == 0 {
		fmt.Fprintln(w, "  no rule holds for this agent")
	}
	for i, rule := range r.Rules {
		if i == 20 {
			fmt.Fprintf(w, "  … %d more\n", len(r.Rules)-i)
			break
		}
		fmt.Fprintf(w, "  line %-4d %s\n", rule.Line, rule.Text)
	}
	if len(r.Notes) > 0 {
		fmt.Fprintf(w, "  %s cannot be read, the first is line %d: %s\n", numbers.Count(len(r.Notes), "line", "lines"),
			r.Notes[0].Line, r.Notes[0].Text)
	}
}

func printSitemaps(w io.Writer, p *api.Preview) {
	for _, s := range p.Sitemaps {
		switch {
		case s.Status != 200:
			what := s.Detail
			if s.Status > 0 {
				what = fmt.Sprintf("status %d", s.Status)
			}
			fmt.Fprintf(w, "  %s: %s\n", s.Address, what)
			continue
		case s.Form == "index":
			fmt.Fprintf(w, "  %s: names %s", s.Address, numbers.Count(s.Sitemaps, "sitemap", "sitemaps"))
		default:
			fmt.Fprintf(w, "  %s: lists %s", s.Address, numbers.Count(s.Pages, "address", "addresses"))
		}
		if s.Detail != "" {
			fmt.Fprintf(w, "; %s", s.Detail)
		}
		fmt.Fprintln(w)
	}
	if len(p.Sitemaps) == 0 {
		fmt.Fprintln(w, "  the plan reads none")
	}
}
