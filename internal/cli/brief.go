package cli

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"

	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"

	"harvik/internal/api"
)

func (a *app) reportCommand() *cobra.Command {
	var from int
	var file, out, as, paper string
	var said api.ReportChoices
	c := &cobra.Command{
		Use: "report SITE[@N]", Short: "Write what a client reads of a crawl: one HTML file that needs nothing else, or a PDF",
		Args: args("SITE"),
		Long: `Writes what a client reads: how the site stands and what that means, what to do first, what has got
better and worse since the crawl before. What is waived is left out.

A file says more (-f report.yaml):

  title: How the garden's site stands
  client: Fernhollow Botanic Garden
  by: Ash Meadow
  words: |                      # of the cover, as Markdown
    Thank you for the talk of **Tuesday**.
  parts: [summary, fixes, progress, health, crawl, words]
  fixes: 5                      # that are told in full
  comments:                     # as Markdown, under a part or a fix
    summary: The shop's relaunch is behind most of it.
  leaveOut:
    severities: [notice]
    checks: [sharing-*]`,
		Example: "  harvik report fernhollow --client \"Fernhollow Botanic Garden\"\n  harvik report fernhollow@3 --against 1 -f report.yaml --as pdf -o march.pdf",
		RunE: func(c *cobra.Command, in []string) error {
			choices := said
			if file != "" {
				text, err := readFile(c.InOrStdin(), file)
				if err == nil {
					err = choicesIn(text, &choices)
				}
				if err != nil {
					return fmt.Errorf("%s: %w", file, err)
				}
				if said.Client != "" {
					choices.Client = said.Client
				}
			}
			cl, cr, err := a.crawlAndClient(c, in[0])
			if err != nil {
				return err
			}
			params := &api.MakeReportParams{As: as, Paper: paper}
			if from != 0 {
				params.From = &from
			}
			resp, err := cl.MakeReport(c.Context(), cr.Site, api.Numbered(cr.Number), params, choices)
			if err != nil {
				return err
			}
			defer resp.Body.Close()
			write := func(w io.Writer) error {
				_, err := io.Copy(w, resp.Body)
				return err
			}
			if out == "-" {
				return write(raw(c.OutOrStdout()))
			}
			if out == "" {
				out = fmt.Sprintf("%s-%d-report.%s", cr.Site, cr.Number, as)
			}
			return writeWhole(out, write, c.ErrOrStderr())
		},
	}
	f := c.Flags()
	f.IntVar(&from, "against", 0, "the crawl that it is compared with; the finished one before by default")
	f.StringVar(&as, "as", "html", "html or pdf")
	f.StringVar(&paper, "paper", "a4", "of a PDF: a4 or letter")
	f.StringVarP(&file, "file", "f", "", "a file that says more, in YAML or JSON; - for standard input")
	f.StringVar(&said.Client, "client", "", "for whom it is")
	f.StringVarP(&out, "out", "o", "", "the file, or - for standard output; by default named after site and crawl")
	return c
}

// choicesIn reads what a file says of a report.
func choicesIn(text []byte, into *api.ReportChoices) error {
	var any any
	if err := yaml.Unmarshal(text, &any); err != nil {
		return err
	}
	data, err := json.Marshal(any)
	if err != nil {
		return err
	}
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	return d.Decode(into)
}
