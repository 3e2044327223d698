package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"

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
			p, err := cl.Plan(c.Context(), in[0])
			if err != nil {
				return err
			}
			return a.writePlan(c.OutOrStdout(), p)
		},
	}
	return group("plan", "Show and set how a site is crawled", show, a.planSetCommand())
}

func (a *app) writePlan(w io.Writer, p plan.Plan) error {
	if a.json {
		return writeJSON(w, p)
	}
	e := yaml.NewEncoder(w)
	e.SetIndent(2)
	return e.Encode(p)
}

func (a *app) planSetCommand() *cobra.Command {
	var file string
	var hosts, limits map[string]string
	c := &cobra.Command{
		Use: "set SITE", Short: "Change how a site is crawled", Args: args("SITE"),
		Long: `Changes the settings that flags name and leaves the others; or replaces the whole plan by
a file in YAML or JSON (-f FILE, or -f - for standard input).`,
		Example: "  harvik plan set fernhollow --pages 500 --depth 6 --parallel 4 --pause 200ms\n  harvik plan set fernhollow -f plan.yaml",
	}
	f := c.Flags()
	f.StringVarP(&file, "file", "f", "", "plan in YAML or JSON; replaces the whole plan")
	numbers := map[string]*int{"pages": new(int), "depth": new(int), "parallel": new(int), "retries": new(int), "page-bytes": new(int)}
	f.IntVar(numbers["pages"], "pages", 0, fmt.Sprintf("addresses fetched at most (default %d)", plan.DefaultPages))
	f.IntVar(numbers["depth"], "depth", 0, fmt.Sprintf("clicks from the home page at most (default %d)", plan.DefaultDepth))
	f.IntVar(numbers["parallel"], "parallel", 0, fmt.Sprintf("requests at once (default %d)", plan.DefaultParallel))
	f.IntVar(numbers["retries"], "retries", 0, fmt.Sprintf("tries after the first, −1 for none (default %d)", plan.DefaultRetries))
	f.IntVar(numbers["page-bytes"], "page-bytes", 0, "bytes of a page at most, unpacked (default 5 MiB)")
	texts := map[string]*string{"pause": new(string), "time": new(string), "timeout": new(string), "agent": new(string), "robots-as": new(string), "language": new(string)}
	f.StringVar(texts["pause"], "pause", "", "time between the starts of two requests, such as 200ms")
	f.StringVar(texts["time"], "time", "", "time of the whole crawl at most, such as 2h; 0 for no limit")
	f.StringVar(texts["timeout"], "timeout", "", "time of one request at most (default 20s)")
	f.StringVar(texts["agent"], "agent", "", "User-Agent to send")
	f.StringVar(texts["robots-as"], "robots-as", "", "product token whose robots.txt rules hold (default harvik)")
	f.StringVar(texts["language"], "language", "", "Accept-Language to send")
	f.StringToStringVar(&hosts, "host", nil, "connect to another address for a host name: fernhollow.example=127.0.0.1:8080")
	f.StringToStringVar(&limits, "limit", nil, "threshold of a check: title-characters=65; `harvik check show` names them")
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
			p, err = cl.SetPlan(c.Context(), in[0], text)
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
			if p, err = cl.ChangePlan(c.Context(), in[0], text); err != nil {
				return err
			}
		}
		return a.writePlan(c.OutOrStdout(), p)
	}
	return c
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
