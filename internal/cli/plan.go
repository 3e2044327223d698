package cli

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"

	"harvik/internal/api"
	"harvik/internal/core/plan"
)

func (a *app) planCommand() *cobra.Command {
	show := &cobra.Command{
		Use: "show SITE", Short: "Show how a site is crawled", Args: args("SITE"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			p, err := cl.ShowPlan(c.Context(), in[0])
			if err != nil {
				return err
			}
			return a.writePlan(c.OutOrStdout(), p)
		},
	}
	return group("plan", "Show, set and try out how a site is crawled", show, a.planSetCommand(),
		a.planTryCommand(), a.planPreviewCommand(), a.planProfilesCommand(), a.planSchemaCommand())
}

func (a *app) planProfilesCommand() *cobra.Command {
	return &cobra.Command{
		Use: "profiles [NAME]", Short: "List the profiles that a plan can start from, or show one",
		Args: args("[NAME]"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ListProfiles(c.Context())
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if len(in) == 1 {
				for _, p := range list.Profiles {
					if p.Name == in[0] {
						fmt.Fprint(w, p.Text)
						return nil
					}
				}
				return fmt.Errorf("there is no profile %q", in[0])
			}
			if a.json {
				return writeJSON(w, list)
			}
			t := newTable(w, []string{"profile", "for"})
			for _, p := range list.Profiles {
				t.AppendRow([]any{p.Name, p.Say})
			}
			t.Render()
			fmt.Fprintf(w, "\nStart from one: harvik site add NAME ADDRESS --profile %s\n", list.Profiles[0].Name)
			return nil
		},
	}
}

func (a *app) planSchemaCommand() *cobra.Command {
	return &cobra.Command{
		Use: "schema", Short: "Write the JSON Schema of plans, for editors", Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			schema, err := cl.PlanSchema(c.Context())
			if err != nil {
				return err
			}
			return writeJSON(c.OutOrStdout(), schema)
		},
	}
}

// planType is the media type in which plans are sent; JSON is YAML, too.
const planType = "application/yaml"

func (a *app) writePlan(w io.Writer, p plan.Plan) error {
	if a.json {
		return writeJSON(w, p)
	}
	e := yaml.NewEncoder(w)
	e.SetIndent(2)
	return e.Encode(plan.Shown(p))
}

func (a *app) planSetCommand() *cobra.Command {
	var file, list, column string
	var hosts, limits map[string]string
	c := &cobra.Command{
		Use: "set SITE [SETTING=VALUE…]", Short: "Change how a site is crawled",
		Args: func(c *cobra.Command, in []string) error { return args("SITE")(c, in[:min(len(in), 1)]) },
		Long: `Changes the settings that are named, by flags for the common ones and as SETTING=VALUE for
all, and leaves the others; or replaces the whole plan by a file in YAML or JSON (-f FILE,
or -f - for standard input). A value is YAML: scope.exclude='[/cart*, "re:[?&]sort="]'.
"harvik plan schema" describes every setting.`,
		Example: `  harvik plan set fernhollow --pages 500 --depth 6 --parallel 4 --pause 200ms
  harvik plan set fernhollow selection=spread scope.exclude='[/cart*]' outbound=true
  harvik plan set fernhollow --addresses important.csv --column URL
  harvik plan set fernhollow -f plan.yaml`,
	}
	f := c.Flags()
	f.StringVar(&list, "addresses", "",
		"file with addresses to fetch (- for standard input): one a line, or CSV with --column")
	f.StringVar(&column, "column", "", "heading of the CSV column that holds the addresses")
	f.StringVarP(&file, "file", "f", "", "plan in YAML or JSON; replaces the whole plan")
	numbers := map[string]*int{"pages": new(int), "depth": new(int), "parallel": new(int), "retries": new(int),
		"page-bytes": new(int)}
	f.IntVar(numbers["pages"], "pages", 0, fmt.Sprintf("addresses fetched at most (default %d)", plan.DefaultPages))
	f.IntVar(numbers["depth"], "depth", 0,
		fmt.Sprintf("clicks from the home page at most (default %d)", plan.DefaultDepth))
	f.IntVar(numbers["parallel"], "parallel", 0, fmt.Sprintf("requests at once (default %d)", plan.DefaultParallel))
	f.IntVar(numbers["retries"], "retries", 0,
		fmt.Sprintf("tries after the first, −1 for none (default %d)", plan.DefaultRetries))
	f.IntVar(numbers["page-bytes"], "page-bytes", 0, "bytes of a page at most, unpacked (default 5 MiB)")
	texts := map[string]*string{"pause": new(string), "time": new(string), "timeout": new(string), "agent": new(string),
		"robots-as": new(string), "language": new(string)}
	f.StringVar(texts["pause"], "pause", "", "time between the starts of two requests, such as 200ms")
	f.StringVar(texts["time"], "time", "", "time of the whole crawl at most, such as 2h; 0 for no limit")
	f.StringVar(texts["timeout"], "timeout", "", "time of one request at most (default 20s)")
	f.StringVar(texts["agent"], "agent", "", "User-Agent to send")
	f.StringVar(texts["robots-as"], "robots-as", "", "product token whose robots.txt rules hold (default harvik)")
	f.StringVar(texts["language"], "language", "", "Accept-Language to send")
	f.StringToStringVar(&hosts, "host", nil,
		"connect to another address for a host name: fernhollow.example=127.0.0.1:8080")
	f.StringToStringVar(&limits, "limit", nil,
		"threshold of a check: title-characters=65; harvik check show names them")
	keys := map[string]string{"page-bytes": "pageBytes", "robots-as": "robotsAs"}
	c.RunE = func(c *cobra.Command, in []string) error {
		cl, err := a.client()
		if err != nil {
			return err
		}
		changes := map[string]any{}
		for name, n := range numbers {
			if f.Changed(name) {
				changes[keyOf(keys, name)] = *n
			}
		}
		for name, s := range texts {
			if f.Changed(name) {
				changes[keyOf(keys, name)] = *s
			}
		}
		if err := assign(changes, in[1:]); err != nil {
			return usage(c, err)
		}
		if list != "" {
			addresses, err := readAddresses(c.InOrStdin(), list, column)
			if err != nil {
				return err
			}
			if err := put(changes, "sources.addresses", addresses); err != nil {
				return usage(c, err)
			}
		}
		if hosts != nil {
			changes["hosts"] = hosts
		}
		if limits != nil {
			changes["limits"] = asNumbers(limits)
		}
		var p plan.Plan
		switch {
		case file != "" && len(changes) > 0:
			return usage(c, errors.New("a plan file replaces the whole plan, so no other setting goes with it"))
		case file != "":
			text, err := readFile(c.InOrStdin(), file)
			if err != nil {
				return err
			}
			p, err = cl.SetPlan(c.Context(), in[0], planType, bytes.NewReader(text))
			if err != nil {
				return fmt.Errorf("%s: %w", file, err)
			}
		case len(changes) == 0:
			return usage(c, errors.New("nothing to set"))
		default:
			text, err := json.Marshal(changes)
			if err != nil {
				return err
			}
			if p, err = cl.ChangePlan(c.Context(), in[0], planType, bytes.NewReader(text)); err != nil {
				return withoutPlaces(err)
			}
		}
		return a.writePlan(c.OutOrStdout(), p)
	}
	return c
}

// assign puts SETTING=VALUE words into a tree of changes. A value is YAML.
func assign(changes map[string]any, words []string) error {
	for i, word := range words {
		name, text, ok := strings.Cut(word, "=")
		if !ok && i+1 < len(words) && !strings.Contains(words[i+1], "=") {
			return fmt.Errorf("%q is not SETTING=VALUE; write %s=%s", word, word, words[i+1])
		}
		if !ok {
			return fmt.Errorf("%q is not SETTING=VALUE, such as pages=5000", word)
		}
		var value any
		if err := yaml.Unmarshal([]byte(text), &value); err != nil {
			value = text // such as a pattern that begins with a star
		}
		if err := put(changes, name, value); err != nil {
			return err
		}
	}
	return nil
}

// put sets a value by its path: "scope.exclude".
func put(changes map[string]any, path string, value any) error {
	names := strings.Split(path, ".")
	for _, name := range names[:len(names)-1] {
		inner, ok := changes[name].(map[string]any)
		if !ok {
			if _, taken := changes[name]; taken {
				return fmt.Errorf("%s is set twice", name)
			}
			inner = map[string]any{}
			changes[name] = inner
		}
		changes = inner
	}
	changes[names[len(names)-1]] = value
	return nil
}

// readAddresses reads a list of addresses: one a line, or a column of a CSV file.
func readAddresses(stdin io.Reader, file, column string) ([]string, error) {
	data, err := readFile(stdin, file)
	if err != nil {
		return nil, err
	}
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	out := []string{}
	if column == "" {
		for line := range strings.Lines(string(data)) {
			if line = strings.TrimSpace(line); line != "" && !strings.HasPrefix(line, "#") {
				out = append(out, line)
			}
		}
		return out, nil
	}
	r := csv.NewReader(bytes.NewReader(data))
	r.FieldsPerRecord = -1
	rows, err := r.ReadAll()
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	if len(rows) == 0 {
		return nil, fmt.Errorf("%s is empty", file)
	}
	at := slices.IndexFunc(rows[0], func(h string) bool { return strings.EqualFold(strings.TrimSpace(h), column) })
	if at < 0 {
		return nil, fmt.Errorf("%s has no column %q; it has %s", file, column, strings.Join(rows[0], ", "))
	}
	for _, row := range rows[1:] {
		if at < len(row) && strings.TrimSpace(row[at]) != "" {
			out = append(out, strings.TrimSpace(row[at]))
		}
	}
	return out, nil
}

// withoutPlaces leaves out where faults stand in a text that the user has not written.
func withoutPlaces(err error) error {
	var refused *api.Error
	if !errors.As(err, &refused) || len(refused.Faults) == 0 {
		return err
	}
	faults := plan.Faults{}
	for _, f := range refused.Faults {
		faults = append(faults, plan.Fault{Field: f.Field, Reason: f.Reason})
	}
	return faults
}

func keyOf(keys map[string]string, flag string) string {
	if k, ok := keys[flag]; ok {
		return k
	}
	return flag
}

// asNumbers leaves what is no number to the service, which says what is wrong.
func asNumbers(in map[string]string) map[string]json.RawMessage {
	out := map[string]json.RawMessage{}
	for k, v := range in {
		if !json.Valid([]byte(v)) {
			quoted, _ := json.Marshal(v)
			v = string(quoted)
		}
		out[k] = json.RawMessage(v)
	}
	return out
}

func readFile(stdin io.Reader, name string) ([]byte, error) {
	if name == "-" {
		return io.ReadAll(stdin)
	}
	return os.ReadFile(name)
}
