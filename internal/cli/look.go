package cli

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"regexp"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"
	"golang.org/x/net/html/charset"

	"harvik/internal/api"
	"harvik/internal/core/check"
	numbers "harvik/internal/core/text"
)

// mostHTML is how much of a file is looked at.
const mostHTML = 8 << 20

func (a *app) lookCommand() *cobra.Command {
	var as string
	var all, renders bool
	c := &cobra.Command{
		Use: "look ADDRESS|FILE|-", Short: "Look at one page at once: what fails, what passes, how it would show in results", Args: args("ADDRESS"),
		Long: `Fetches one page, or reads it from a file or standard input, and judges it at once, without a
site or a crawl. What only the whole site can tell is not judged.`,
		Example: "  harvik look https://fernhollow.example/plants/\n  harvik look draft.html --as https://fernhollow.example/plants/",
		RunE: func(c *cobra.Command, in []string) error {
			l, err := a.lookAt(c, in[0], as, "", renders)
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, l)
			}
			printLook(w, l, all)
			printRenderings(w, l.Renderings)
			return nil
		},
	}
	c.Flags().StringVar(&as, "as", "", "address that a file is to be taken for")
	c.Flags().BoolVar(&all, "all", false, "show links, files and what passed as well")
	c.Flags().BoolVar(&renders, "render", false,
		"make the page in a browser, too: what scripts change, how soon it stands, how it fits a phone")
	return c
}

func (a *app) tryCommand() *cobra.Command {
	var as string
	c := &cobra.Command{
		Use: "try ID ADDRESS|FILE|-", Short: "Run one check against one page and explain the verdict step by step",
		Args: args("ID", "ADDRESS"),
		RunE: func(c *cobra.Command, in []string) error {
			l, err := a.lookAt(c, in[1], as, in[0], false)
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			switch {
			case a.json:
				return writeJSON(w, l.Verdicts)
			case len(l.Verdicts) == 0:
				return fmt.Errorf("there is no page to judge: %s", l.Detail)
			}
			v := l.Verdicts[0]
			fmt.Fprintf(w, "%s %s: %s\n%s\n\n", sign(w, v.Severity), bold(w, v.Check), v.Title, l.Facts.Address)
			for i, s := range v.Steps {
				wrap(w, "  ", strconv.Itoa(i+1)+". "+s)
			}
			fmt.Fprintf(w, "\n%s\n", bold(w, verdictWords[v.State]))
			return nil
		},
	}
	c.Flags().StringVar(&as, "as", "", "address that a file is to be taken for")
	return c
}

var verdictWords = map[string]string{check.Failed: "It fails.", check.Passed: "It passes.",
	check.NotJudged: "It is not judged."}

// lookAt tells an address from a file, and reads the file.
func (a *app) lookAt(c *cobra.Command, what, as, check string, renders bool) (api.Look, error) {
	cl, err := a.client()
	if err != nil {
		return api.Look{}, err
	}
	in := api.LookRequest{Address: what, Check: check, Render: renders}
	if !strings.HasPrefix(what, "http://") && !strings.HasPrefix(what, "https://") {
		html, err := readHTML(c, what)
		if err != nil {
			return api.Look{}, err
		}
		if in.Address, in.HTML = as, html; renders {
			return api.Look{}, errors.New("--render needs an address: a file has nowhere to load from")
		}
	}
	return cl.Look(c.Context(), in)
}

// hostLike is what looks like an address without its scheme.
var hostLike = regexp.MustCompile(`^[A-Za-z0-9-]+(\.[A-Za-z0-9-]+)*\.[A-Za-z]{2,}(:\d+)?(/.*)?$`)

func readHTML(c *cobra.Command, name string) (string, error) {
	in := c.InOrStdin()
	if name != "-" {
		f, err := os.Open(name)
		if errors.Is(err, os.ErrNotExist) && hostLike.MatchString(name) && !strings.HasSuffix(name, ".html") &&
			!strings.HasSuffix(name, ".htm") {
			return "", fmt.Errorf("there is no file %s; if it is an address, write https://%s", name, name)
		}
		if err != nil {
			return "", fmt.Errorf("%q is neither an address with http:// or https:// nor a file that can be read: %w",
				name, err)
		}
		defer f.Close()
		in = f
	}
	data, err := io.ReadAll(io.LimitReader(in, mostHTML+1))
	switch {
	case err != nil:
		return "", err
	case len(data) > mostHTML:
		return "", fmt.Errorf("%s is larger than 8 MiB", name)
	case len(data) == 0:
		return "", fmt.Errorf("%s is empty", name)
	}
	if !utf8.Valid(data) { // JSON carries nothing else
		encoding, _, _ := charset.DetermineEncoding(data, "")
		if data, err = encoding.NewDecoder().Bytes(data); err != nil {
			return "", fmt.Errorf("reading %s: %w", name, err)
		}
	}
	return string(data), nil
}

func printLook(w io.Writer, l api.Look, all bool) {
	f := l.Facts
	if f == nil {
		fmt.Fprintf(w, "%s\n", l.Detail)
		return
	}
	fmt.Fprintln(w, bold(w, f.Address))
	for _, h := range l.Hops {
		fmt.Fprintln(w, "  redirected to", h)
	}
	answer := fmt.Sprintf("status %d %s, %s", f.Status, http.StatusText(f.Status), f.Type)
	if f.Status == 0 {
		answer = "no answer: " + f.Detail
	}
	fmt.Fprintln(w, "  "+answer)
	if f.Document == nil {
		fmt.Fprintln(w, "  There is no HTML page here to judge.")
		return
	}
	index := "search engines may show it"
	if !l.Indexable {
		index = "search engines may not show it: " + l.Why
	}
	fmt.Fprintf(w, "  %s; %s words of main text; taken for a %s\n\n", index, numbers.Thousands(f.Document.Words),
		f.Document.Kind)
	for _, e := range []struct {
		where string
		entry api.Entry
	}{{"on a desktop", l.Desktop}, {"on a telephone", l.Phone}} {
		fmt.Fprintf(w, "%s\n", bold(w, "In a list of results, "+e.where))
		fmt.Fprintf(w, "  %s\n", e.entry.Address)
		wrap(w, "  ", orNone(e.entry.Title, "(no title)"))
		wrap(w, "  ", orNone(e.entry.About, "(no description)"))
		fmt.Fprintln(w)
	}
	fmt.Fprintln(w, bold(w, "Headings"))
	for _, h := range f.Document.Headings {
		fmt.Fprintf(w, "  %s%s  %s\n", strings.Repeat("  ", h.Level-1), bold(w, "h"+strconv.Itoa(h.Level)),
			end(orNone(h.Text, "(empty)"), columns(w)-20))
	}
	fmt.Fprintln(w)
	counts := map[string]int{}
	for _, v := range l.Verdicts {
		counts[v.State]++
	}
	fmt.Fprintf(w, "%s\n", bold(w, fmt.Sprintf("%d checks fail, %d pass, %d are not judged", counts[check.Failed],
		counts[check.Passed], counts[check.NotJudged])))
	for _, v := range l.Verdicts {
		switch {
		case v.State == check.Failed:
			fmt.Fprintf(w, "  %s %s: %s\n", sign(w, v.Severity), v.Check, v.Title)
			for _, p := range v.Places[:min(len(v.Places), 5)] {
				where := ""
				if p.Line > 0 {
					where = fmt.Sprintf("line %d: ", p.Line)
				}
				wrap(w, "      ", where+p.Note)
			}
			if more := len(v.Places) - 5; more > 0 {
				fmt.Fprintf(w, "      and %d more\n", more)
			}
		case all:
			fmt.Fprintf(w, "  · %s: %s\n", v.Check, strings.ReplaceAll(v.State, "-", " "))
		}
	}
	fmt.Fprintf(w, "\n%d links, %d files are loaded\n", len(l.Links), len(l.Loads))
	if all {
		for _, x := range l.Links {
			fmt.Fprintf(w, "  %s  %s\n", middle(x.To, 70), end(x.Words, 40))
		}
		for _, x := range l.Loads {
			fmt.Fprintf(w, "  %s %s\n", x.Role, middle(x.Address, 90))
		}
	}
}

func orNone(s, none string) string {
	if s == "" {
		return none
	}
	return s
}

func (a *app) judgeCommand() *cobra.Command {
	read := false
	c := &cobra.Command{
		Use: "judge SITE[@N]", Short: "Judge a stored crawl anew, by today's checks and the site's thresholds",
		Args: args("SITE"),
		Long: `Judges a finished crawl anew, by the checks of today and the thresholds and rules of the site's
plan as they are now. Nothing is fetched. With --read the pages are read anew first, from the source
that the crawl keeps: by the facts of today, where an earlier Harvik read them, and with the fields
and snippets that the plan has now.`,
		RunE: func(c *cobra.Command, in []string) error { return a.judge(c, in[0], read) },
	}
	c.Flags().BoolVar(&read, "read", false, "read the pages anew first, from the source that was kept")
	return c
}

func (a *app) judge(c *cobra.Command, name string, read bool) error {
	cl, before, err := a.crawlAndClient(c, name)
	if err != nil {
		return err
	}
	after, err := cl.JudgeCrawl(c.Context(), before.Site, api.Numbered(before.Number),
		&api.JudgeCrawlParams{Read: read})
	if err != nil {
		return err
	}
	w := c.OutOrStdout()
	if a.json {
		return writeJSON(w, after)
	}
	fmt.Fprintf(w, "%s, crawl %d, judged anew: health %s (before: %s)\n", bold(w, after.Site), after.Number,
		healthText(after), healthText(before))
	return nil
}
