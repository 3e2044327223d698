package cli

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
	"harvik/internal/report"
)

func (a *app) exportCommand() *cobra.Command {
	var as, out string
	var sheets, columns, severities, sections []string
	c := &cobra.Command{
		Use: "export SITE[@N]", Short: "Write a crawl's results to hand over: a workbook, CSV, JSON Lines, Parquet or SARIF",
		Args: args("SITE"),
		Long: `Writes a crawl's results to a file, or to standard output with --out -.

` + formsInWords() + `
The workbook holds a sheet each for overview and ledger, fix list, pages, broken links, redirects with every
hop, duplicates by group, images, resources, links in, sitemaps and what they list; CSV and JSON Lines hold the
fix list and Parquet the pages unless other sheets are named.

Sheets: ` + strings.Join(report.SheetNames, ", ") + `.`,
		Example: `  harvik export fernhollow --as xlsx
  harvik export fernhollow --as csv --sheets pages --columns address,title,words --section /plants/ --out -
  harvik export fernhollow@3 --as jsonl --sheets findings --severity error`,
		RunE: func(c *cobra.Command, in []string) error {
			if as == "" {
				return usage(c, fmt.Errorf("which form? --as %s", anyOf(report.FormNames())))
			}
			cl, cr, err := a.crawlAndClient(c, in[0])
			if err != nil {
				return err
			}
			q := api.ExportCrawlParams{
				As: as, Sheets: strings.Join(sheets, ","), Columns: strings.Join(columns, ","),
				Severity: strings.Join(severities, ","), Section: strings.Join(sections, ","),
			}
			if out == "" {
				out = report.FileName(cr.Site, cr.Number, cr.Started, as)
			}
			if out == "-" {
				return exportTo(c, cl, cr, &q, raw(c.OutOrStdout()))
			}
			return writeWhole(out, func(w io.Writer) error {
				return exportTo(c, cl, cr, &q, w)
			}, c.ErrOrStderr())
		},
	}
	c.Flags().StringVar(&as, "as", "", anyOf(report.FormNames()))
	c.Flags().StringVarP(&out, "out", "o", "",
		"the file, or - for standard output; by default named after site and crawl")
	c.Flags().StringSliceVar(&sheets, "sheets", nil, "only these sheets, with commas between")
	c.Flags().StringSliceVar(&columns, "columns", nil, "only these columns of one sheet, by their headings")
	c.Flags().StringSliceVar(&severities, "severity", nil, "only these severities: error, warning, notice")
	c.Flags().StringSliceVar(&sections, "section", nil, "only what is below these folders, such as /plants/")
	return c
}

// anyOf lists names: a, b or c.
func anyOf(names []string) string {
	last := len(names) - 1
	return strings.Join(names[:last], ", ") + " or " + names[last]
}

// formsInWords has a line for each form.
func formsInWords() string {
	var out strings.Builder
	for _, f := range report.Forms {
		fmt.Fprintf(&out, "  %-7s %s\n", f.Name, f.Says)
	}
	return out.String()
}

// exportTo writes a file of a crawl's results as the service streams it.
func exportTo(c *cobra.Command, cl *api.Client, cr api.Crawl, q *api.ExportCrawlParams, w io.Writer) error {
	resp, err := cl.ExportCrawl(c.Context(), cr.Site, api.Numbered(cr.Number), q)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	_, err = io.Copy(w, resp.Body)
	return err
}

// writeWhole writes a file that is there whole or not at all.
func writeWhole(name string, write func(io.Writer) error, talk io.Writer) (err error) {
	f, err := os.CreateTemp(filepath.Dir(name), ".harvik-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	if err = write(f); err == nil {
		err = f.Chmod(0o644)
	}
	info, _ := f.Stat()
	if closed := f.Close(); err == nil {
		err = closed
	}
	if err == nil {
		err = os.Rename(f.Name(), name)
	}
	if err != nil {
		return err
	}
	fmt.Fprintf(talk, "%s written, %s.\n", name, size(info.Size()))
	return nil
}

func size(n int64) string {
	switch {
	case n >= 1<<20:
		return fmt.Sprintf("%.1f MB", float64(n)/(1<<20))
	case n >= 1<<10:
		return fmt.Sprintf("%.1f kB", float64(n)/(1<<10))
	}
	return numbers.Count(int(n), "byte", "bytes")
}
