package cli

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
)

func (a *app) checkAddCommand() *cobra.Command {
	file, try, judge := "", false, false
	c := &cobra.Command{
		Use: "add SITE[@N] -f FILE", Short: "Add checks made from questions", Args: args("SITE"),
		Long: `Adds the checks of a file, in YAML or JSON, to a site: each is a question, with what it means where it
holds. They count, rank, waive and export like Harvik's own, from the next crawl on, or at once with
--judge. A file can be shared between sites and kept in version control; "harvik check schema"
describes it. A check whose ID the site has already is replaced.

  checks:
  - id: own-bed-unlabelled
    group: copy
    severity: warning
    question: section == "/plants/" && words < 120
    title: plant page that says too little
    why: Visitors look for when and where it flowers, and leave.
    how: Write when it flowers, where it stands, and how it is grown.
    fires: [{section: /plants/, words: 40}]
    passes: [{section: /plants/, words: 400}, {section: /shop/, words: 40}]

Every check has examples that fire and examples that pass, each some facts with their values: a check
that says otherwise of them is refused.`,
		Example: "  harvik check add fernhollow -f checks.yaml --try\n  harvik check add fernhollow -f checks.yaml --judge",
		RunE: func(c *cobra.Command, in []string) error {
			if file == "" {
				return usage(c, errors.New("-f FILE is missing: the file that the checks stand in"))
			}
			if try && judge {
				return usage(c, errors.New("--try keeps nothing, so there is nothing to judge by"))
			}
			text, err := readFile(c.InOrStdin(), file)
			if err != nil {
				return err
			}
			if try {
				return a.tryRules(c, in[0], true, text, file)
			}
			return a.addChecks(c, in[0], text, file, judge)
		},
	}
	c.Flags().StringVarP(&file, "file", "f", "", "the checks, in YAML or JSON; - for standard input")
	c.Flags().BoolVar(&try, "try", false, "only say what the newest crawl would come to; keep nothing")
	c.Flags().BoolVar(&judge, "judge", false, "judge the newest crawl anew by them")
	return c
}

func (a *app) addChecks(c *cobra.Command, name string, text []byte, file string, judge bool) error {
	site, _, err := crawlName(name)
	if err != nil {
		return err
	}
	cl, err := a.client()
	if err != nil {
		return err
	}
	added, err := cl.AddChecks(c.Context(), site, planType, bytes.NewReader(text))
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	if a.json {
		return writeJSON(c.OutOrStdout(), added)
	}
	w := c.ErrOrStderr()
	for _, ch := range added.Checks {
		fmt.Fprintf(w, "%s has the check %s: %s\n", site, ch.ID, ch.Title)
	}
	if judge {
		return a.judge(c, name, false)
	}
	fmt.Fprintf(w, "The next crawl is judged by it; those there are by `harvik judge %s`.\n", site)
	return nil
}

func (a *app) checkRemoveCommand() *cobra.Command {
	return &cobra.Command{
		Use: "remove SITE ID", Short: "Take a check made from a question out", Args: args("SITE", "ID"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if err := cl.RemoveCheck(c.Context(), in[0], in[1]); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "The next crawl does without %s; those there are, by `harvik judge %s`.\n", in[1], in[0])
			return nil
		},
	}
}

func (a *app) checkSchemaCommand() *cobra.Command {
	return &cobra.Command{
		Use: "schema", Short: "Write the JSON Schema of files of checks, for editors", Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			schema, err := cl.OwnSchema(c.Context())
			if err != nil {
				return err
			}
			return writeJSON(c.OutOrStdout(), schema)
		},
	}
}

func (a *app) planTryCommand() *cobra.Command {
	return &cobra.Command{
		Use: "try SITE[@N] SETTING=VALUE…", Short: "Say what a crawl would come to by other thresholds and rules",
		Args: atLeastArgs("SITE", "SETTING=VALUE"),
		Long: `Judges a finished crawl by the site's plan with some settings changed, and says what would change:
health, and each check that would fail otherwise. Nothing is fetched and nothing kept; only settings
that judging goes by make a difference: limits, checks, kinds, own, scope.staging.`,
		Example: "  harvik plan try fernhollow limits.thin-words=80\n" +
			"  harvik plan try fernhollow 'checks=[{check: title-long, severity: notice, because: the shop cuts them}]'",
		RunE: func(c *cobra.Command, in []string) error {
			changes := map[string]any{}
			if err := assign(changes, in[1:]); err != nil {
				return usage(c, err)
			}
			text, err := json.Marshal(changes)
			if err != nil {
				return err
			}
			return a.tryRules(c, in[0], false, text, "")
		},
	}
}

// tryRules says what a crawl would come to by other rules.
func (a *app) tryRules(c *cobra.Command, name string, add bool, text []byte, file string) error {
	cl, cr, err := a.crawlAndClient(c, name)
	if err != nil {
		return err
	}
	t, err := cl.TryRules(c.Context(), cr.Site, api.Numbered(cr.Number), &api.TryRulesParams{Add: add}, planType,
		bytes.NewReader(text))
	switch {
	case err != nil && file != "":
		return fmt.Errorf("%s: %w", file, err)
	case err != nil:
		return withoutPlaces(err)
	case a.json:
		return writeJSON(c.OutOrStdout(), t)
	}
	printTrial(c.OutOrStdout(), cr, &t)
	return nil
}

func printTrial(w io.Writer, cr api.Crawl, t *api.Trial) {
	if len(t.Checks) == 0 {
		fmt.Fprintf(w, "Nothing would change: crawl %d of %s fails the same checks at the same places.\n", cr.Number, cr.Site)
		return
	}
	move := t.Now.Health - t.Was.Health
	fmt.Fprintf(w, "%s, crawl %d: health %s instead of %s (%s), %s instead of %s\n\n", bold(w, cr.Site), cr.Number,
		bold(w, points(t.Now.Health)), points(t.Was.Health), numbers.Signed(move),
		numbers.Count(t.Now.Fixes, "fix", "fixes"), numbers.Thousands(t.Was.Fixes))
	var rows [][]string
	for _, ch := range t.Checks {
		rows = append(rows, []string{ch.Check, fromTo(ch.Was.Pages, ch.Now.Pages), fromTo(ch.Was.Places, ch.Now.Places),
			numbers.Signed(ch.Was.Points - ch.Now.Points), ch.Title})
	}
	printWide(w, []string{"check", "pages", "places", "health", "fires when"}, rows, nil, 2, 3, 4)
}

func fromTo(was, now int) string {
	if was == now {
		return numbers.Thousands(now)
	}
	return numbers.Thousands(was) + " → " + numbers.Thousands(now)
}
