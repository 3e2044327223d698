// Package cli is Harvik's command line: one file a command, all of them speaking to the
// service through its client.
package cli

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/task"
	"harvik/internal/report"
)

// Exit codes of the program.
const (
	ExitOK    = 0
	ExitFail  = 1 // it could not be done; the reason is on standard error
	ExitUsage = 2 // the command line makes no sense
	ExitNo    = 3 // it was done, and the answer is no: a gate is shut, a repair is not there yet
)

// ServeOptions are those of the start command.
type ServeOptions struct {
	Data        string   // folder
	Listen      string   // address:port
	Database    string   // an existing server instead of Harvik's own
	Connections int      // to the database, at most
	Names       []string // that the service goes by besides addresses and localhost
	Cert        string   // file of a certificate by which TLS is spoken; "" for none
	CertKey     string   // file of its key
	ACME        ACME     // by which certificates are got instead
	Proxies     []string // ranges of proxies that are believed about where a request comes from
	KeyFile     string   // of its secrets; "" for that of the data folder
	Hands       Hands    // what waits beyond that waits in the queue
	KeepFree    int64    // bytes of the disk that crawls leave
	Metrics     string   // address:port to serve figures on; "" for none
	JSON        bool     // log as JSON
	Verbose     bool
}

// WorkOptions are what a worker is started with.
type WorkOptions struct {
	Data        string // folder of a service on this machine, for what is not named otherwise
	Database    string // the service's
	KeyFile     string // of its secrets
	Hands       Hands
	Connections int    // to the database, at most
	Metrics     string // address:port to serve figures on; "" for none
	JSON        bool   // log as JSON
	Verbose     bool
}

// Hands are how much a process does at once of each kind of work that waits in the queue.
type Hands struct{ Crawls, Judgings, Rechecks, Watches, Messages int }

// app is what all commands share.
type app struct {
	data, server string
	json, csv    bool
	service      Service
}

// Service is what commands do without speaking to a service: they run it, or stand beside it.
type Service struct {
	Serve func(context.Context, ServeOptions) error
	Work  func(context.Context, WorkOptions) error
	// Link makes a one-time sign-in link for the service of a data folder.
	Link func(ctx context.Context, data string) (string, error)
	// TurnKey makes a new key the one by which secrets are sealed, once all who work have it.
	TurnKey func(ctx context.Context, data, database, file string) (Turned, error)
	// Migrate brings the tables of a database up to date, and tells the number of its last step before and now.
	Migrate func(ctx context.Context, database string) (before, now int64, err error)
}

// Turned is what came of turning to a new key.
type Turned struct {
	File    string   // that holds the keys
	Secrets int      // that were sealed anew
	Lacking []string // where processes work that lack the key; nothing was sealed then
}

// Command is the whole command line.
func Command(service Service) *cobra.Command {
	a := &app{service: service}
	root := &cobra.Command{
		Use:   "harvik",
		Short: "Crawl a site, find what is wrong, and work the fix list",
		Long: `Harvik crawls a client's site, finds what is wrong with it, scores its health and
ranks the repairs into a fix list.

Start the service with "harvik start", then add a site and crawl it:

  harvik site add fernhollow https://fernhollow.example/
  harvik crawl fernhollow
  harvik fixes fernhollow

A crawl is named SITE@NUMBER; SITE alone means its newest finished crawl.
Exit codes: 0 done, 1 it could not be done, 2 the command line makes no sense, 3 the answer is no
(a gate is shut, a recheck still finds something).`,
		SilenceUsage: true, SilenceErrors: true,
	}
	root.SetOut(newScreen(os.Stdout))
	root.SetErr(newScreen(os.Stderr))
	f := root.PersistentFlags()
	f.StringVar(&a.data, "data", os.Getenv("HARVIK_DATA"),
		"data folder of the service (HARVIK_DATA); by default "+defaultData())
	f.StringVar(&a.server, "server", os.Getenv("HARVIK_SERVER"),
		"address of the service (HARVIK_SERVER); found in the data folder by default")
	f.BoolVar(&a.json, "json", false, "write JSON")
	root.SetFlagErrorFunc(flagError)
	add := func(title string, commands ...*cobra.Command) {
		root.AddGroup(&cobra.Group{ID: title, Title: title + ":"})
		for _, c := range commands {
			c.GroupID = title
		}
		root.AddCommand(commands...)
	}
	add(
		"Service, sites, plans",
		a.startCommand(),
		a.workerCommand(),
		a.queueCommand(),
		a.keyCommand(),
		a.migrateCommand(),
		a.linkCommand(),
		a.signInCommand(),
		a.peopleCommand(),
		a.trailCommand(),
		a.tokenCommand(),
		a.sitesCommand(),
		a.siteCommand(),
		a.scheduleCommand(),
		a.watchCommand(),
		a.alertCommand(),
		a.inboxCommand(),
		a.wayCommand(),
		a.planCommand(),
		a.secretCommand(),
		a.versionCommand(),
	)
	add("Crawl and look", a.crawlCommand(), a.healthCommand(), a.fixesCommand(), a.fixCommand(), a.mapCommand(),
		a.askCommand(), a.viewCommand(), a.pagesCommand(), a.pageCommand(),
		a.resourcesCommand(), a.doorsCommand(), a.layoutsCommand(), a.compareCommand(), a.lookCommand(),
		a.checkCommand(), a.fieldCommand(), a.judgeCommand())
	add("Work the list",
		a.moveCommand("take", task.Taken, "Say that somebody is on fixes",
			"Marks fixes as taken: somebody is on them, you unless --for says who."),
		a.moveCommand("claim", task.Claimed, "Say that fixes are mended; a recheck or the next crawl tells",
			"Marks fixes as claimed: said to be mended. `harvik recheck` looks whether they are."),
		a.moveCommand("open", task.Open, "Put fixes back to open",
			"Puts fixes that were taken or claimed back to open."),
		a.tasksCommand(), a.undoCommand(), a.waiveCommand(), a.unwaiveCommand(), a.waiversCommand(), a.recheckCommand())
	add(
		"Compare and hand over",
		a.driftCommand(),
		a.speedCommand(),
		a.trendCommand(),
		a.gateCommand(),
		a.exportCommand(), a.reportCommand(),
		a.metricsCommand(),
	)
	return root
}

// flagError words what is wrong with an option: what a value should be, and which option was meant.
func flagError(c *cobra.Command, err error) error {
	text := err.Error()
	if m := badValue.FindStringSubmatch(text); m != nil {
		wanted := map[string]string{"Int": "a whole number", "Float": "a number", "Bool": "true or false"}[m[3]]
		if wanted != "" {
			return usage(c, fmt.Errorf("%s: %q is not %s", m[2], m[1], wanted))
		}
	}
	if name, ok := strings.CutPrefix(text, "unknown flag: --"); ok {
		var names []string
		c.Flags().VisitAll(func(f *pflag.Flag) {
			if !f.Hidden {
				names = append(names, f.Name)
			}
		})
		if near := plan.Nearest(name, names); near != "" {
			return usage(c, fmt.Errorf("there is no option --%s, did you mean --%s?", name, near))
		}
		for _, setting := range plan.Fields {
			if c.CommandPath() == "harvik plan set" && setting[strings.LastIndexByte(setting, '.')+1:] == name {
				return usage(c, fmt.Errorf("there is no option --%s; the setting is written %s=VALUE", name, setting))
			}
		}
		return usage(c, fmt.Errorf("there is no option --%s", name))
	}
	return usage(c, err)
}

var badValue = regexp.MustCompile(
	`^invalid argument "(.*)" for "(?:-., )?(--[a-z-]+)" flag: strconv\.Parse(Int|Float|Bool)`,
)

// usageError is a command line that makes no sense.
type usageError struct{ error }

func usage(c *cobra.Command, err error) error {
	return usageError{fmt.Errorf("%w; see `%s --help`", err, c.CommandPath())}
}

// Run executes a command line and returns the exit code.
func Run(ctx context.Context, root *cobra.Command) int {
	err := root.ExecuteContext(ctx)
	if err == nil {
		return ExitOK
	}
	fmt.Fprintln(root.ErrOrStderr(), "harvik:", err)
	var no verdictError
	if errors.As(err, &no) {
		return ExitNo
	}
	var u usageError
	if errors.As(err, &u) || strings.HasPrefix(err.Error(), "unknown command") {
		return ExitUsage
	}
	return ExitFail
}

// args checks the number of arguments, naming them in the refusal.
func args(names ...string) cobra.PositionalArgs {
	return func(c *cobra.Command, given []string) error {
		least := 0
		for _, n := range names {
			if !strings.HasPrefix(n, "[") {
				least++
			}
		}
		switch {
		case len(given) < least:
			return usage(c, fmt.Errorf("%s is missing", names[len(given)]))
		case len(given) > len(names):
			return usage(c, fmt.Errorf("%q is one word too many", given[len(names)]))
		}
		return nil
	}
}

// atLeastArgs is args for commands that take any number of the last one.
func atLeastArgs(names ...string) cobra.PositionalArgs {
	return func(c *cobra.Command, given []string) error {
		if len(given) < len(names) {
			return usage(c, fmt.Errorf("%s is missing", names[len(given)]))
		}
		return nil
	}
}

// group makes a command that only holds others, and answers a wrong word with a suggestion.
func group(use, short string, commands ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{Use: use, Short: short}
	c.AddCommand(commands...)
	c.RunE = func(c *cobra.Command, given []string) error {
		if len(given) == 0 {
			return c.Help()
		}
		var names []string
		for _, sub := range commands {
			names = append(names, sub.Name())
		}
		return usage(c, fmt.Errorf("%s has no command %q%s", c.CommandPath(), given[0], plan.Meant(given[0], names)))
	}
	return c
}

func defaultData() string {
	if os.Geteuid() == 0 {
		return "/var/lib/harvik"
	}
	if base := os.Getenv("XDG_DATA_HOME"); base != "" {
		return filepath.Join(base, "harvik")
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "harvik-data"
	}
	return filepath.Join(home, ".local", "share", "harvik")
}

func (a *app) dataFolder() string {
	if a.data != "" {
		return a.data
	}
	return defaultData()
}

// Files of the data folder.
const (
	TokenFile   = "owner.token"
	ServiceFile = "service.address"
)

// client finds the service and its credential: the one that this user is signed in to, or that of a data folder. The
// token of a data folder is for the service of that folder, and goes to no other.
func (a *app) client() (*api.Client, error) {
	if now := signedInto(); now.Token != "" && a.data == "" &&
		(a.server == "" || strings.TrimSuffix(a.server, "/") == now.Server) &&
		os.Getenv("HARVIK_TOKEN") == "" {
		return api.New(now.Server, now.Token), nil
	}
	data, err := os.ReadFile(filepath.Join(a.dataFolder(), ServiceFile))
	own, server := strings.TrimSpace(string(data)), a.server
	switch {
	case server == "" && err != nil:
		return nil, fmt.Errorf("no service is known in %s; start one with `harvik start`, or name its --data folder",
			a.dataFolder())
	case server == "":
		server = own
	case !strings.HasPrefix(server, "http://") && !strings.HasPrefix(server, "https://"):
		return nil, usageError{fmt.Errorf("--server %s: write the address of a service, such as http://127.0.0.1:8420",
			server)}
	}
	token := os.Getenv("HARVIK_TOKEN")
	if token == "" && strings.TrimSuffix(server, "/") != own {
		return nil, fmt.Errorf(
			"the token in %s is not for the service at %s; set HARVIK_TOKEN to one of its own: `harvik token add NAME` there makes one",
			a.dataFolder(),
			server,
		)
	}
	if token == "" {
		data, err := os.ReadFile(filepath.Join(a.dataFolder(), TokenFile))
		if err != nil {
			return nil, fmt.Errorf(
				"the service's token cannot be read: %w; set HARVIK_TOKEN, or run as the user who started the service",
				err,
			)
		}
		token = strings.TrimSpace(string(data))
	}
	return api.New(server, token), nil
}

// crawlName takes SITE[@N] apart; 0 is the newest finished crawl.
func crawlName(s string) (site string, number int, err error) {
	site, n, ok := strings.Cut(s, "@")
	if !ok {
		return site, 0, nil
	}
	wide, err := strconv.ParseInt(n, 10, 32)
	if number = int(wide); err != nil || number < 1 {
		return "", 0, usageError{fmt.Errorf("%q names no crawl; write SITE or SITE@NUMBER, such as fernhollow@3", s)}
	}
	return site, number, nil
}

// given is a number that may be left out; 0 is.
func given(n int) *int {
	if n == 0 {
		return nil
	}
	return &n
}

func writeJSON(w io.Writer, v any) error {
	e := json.NewEncoder(raw(w))
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	return e.Encode(v)
}

// writeCSV writes a table by RFC 4180. A cell that a spreadsheet would take for a formula
// gets an apostrophe before it.
func writeCSV(w io.Writer, rows [][]string) error {
	out := csv.NewWriter(raw(w))
	out.UseCRLF = true
	for _, r := range rows {
		safe := make([]string, len(r))
		for i, cell := range r {
			safe[i] = report.Safe(cell)
		}
		if err := out.Write(safe); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}
