package cli

import (
	"cmp"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"net/url"
	"os"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"harvik/internal/core/weburl"
)

func (a *app) startCommand() *cobra.Command {
	o := ServeOptions{}
	var database, file, keep string
	var allow []string
	var idle bool
	c := &cobra.Command{
		Use:   "start",
		Short: "Run the service, and its database unless another is named",
		Long: `Runs the service until Ctrl-C or SIGTERM, then ends it in good order: running crawls are
put away, and go on when it starts again.

The database is a PostgreSQL server of Harvik's own, on loopback, with its data in the data
folder; Debian's package postgresql has to be installed. HARVIK_DATABASE, --database-file or
--database name an existing server instead, as a URL or in libpq's keywords. Command lines can
be read by everybody on the machine, so a database with a password is named by HARVIK_DATABASE
or in a file.

Crawls reach public addresses only. What a site itself serves on this machine or in a private
network is allowed to that site: harvik site allow SITE 127.0.0.0/8`,
		Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			if len(allow) > 0 {
				return usage(c, fmt.Errorf("ranges are allowed to one site each: harvik site allow SITE %s", allow[0]))
			}
			var err error
			if o.Database, err = databaseNamed(database, file); err != nil {
				return usage(c, err)
			}
			if o.KeepFree, err = bytesOf(keep); err != nil {
				return usage(c, fmt.Errorf("--keep-free: %w", err))
			}
			if _, _, err := net.SplitHostPort(o.Listen); err != nil {
				return usage(c, fmt.Errorf("--listen %s: write an address and a port, such as 127.0.0.1:8420",
					o.Listen))
			}
			for _, name := range o.Names {
				if _, err := nameOf(name); err != nil {
					return usage(c, err)
				}
			}
			if err := o.reached(); err != nil {
				return usage(c, err)
			}
			if err := cmp.Or(within("connections", o.Connections, 4), o.Hands.check()); err != nil {
				return usage(c, err)
			}
			if idle {
				o.Hands = Hands{}
			}
			o.Data = a.dataFolder()
			return a.service.Serve(c.Context(), o)
		},
	}
	f := c.Flags()
	f.StringVar(&o.Listen, "listen", "127.0.0.1:8420", "address and port to serve on")
	f.StringVar(&database, "database", "",
		"an existing PostgreSQL server (HARVIK_DATABASE); without a password, which everybody on the machine could read here")
	f.StringVar(&file, "database-file", "",
		"a file whose first line names an existing PostgreSQL server, its password included")
	f.StringVar(&o.KeyFile, "key-file", "", "a file with the key of secrets (or HARVIK_KEY holds it), instead of that of the data folder")
	f.IntVar(&o.Connections, "connections", 24, "connections to the database at most")
	o.Hands.flags(f, 8)
	f.BoolVar(&idle, "no-work", false, "leave all that waits in the queue to workers and other services")
	f.StringSliceVar(&o.Names, "name", nil,
		"a host name that the service goes by, such as harvik.example, or https://harvik.example behind a proxy that speaks TLS; can be repeated")
	f.StringVar(&o.Cert, "tls-cert", "", "file of a certificate, with those above it, by which the service speaks TLS; read anew when it changes")
	f.StringVar(&o.CertKey, "tls-key", "", "file of its key")
	f.BoolVar(&o.ACME.Wanted, "acme", false,
		"get certificates for each --name from an authority (ACME), which asks on port 443 whether it is this service; you agree to its terms")
	f.StringVar(&o.ACME.Directory, "acme-directory", "", "another authority, by the address of its directory")
	f.StringVar(&o.ACME.Root, "acme-root", "", "file of the certificate by which that authority's own address is known")
	f.StringVar(&o.ACME.Mail, "acme-mail", "", "to whom the authority writes")
	f.StringSliceVar(&o.Proxies, "proxy", nil,
		"range of addresses of a proxy in front, such as 10.0.0.2/32, that is believed about where requests come from; can be repeated")
	f.StringVar(&keep, "keep-free", "1GB",
		"free space of the disk below which crawls are put away, until there is more")
	f.StringVar(&o.Metrics, "metrics", "", "address and port to serve /metrics, /healthz and /readyz on, such as 127.0.0.1:9420; for whoever can reach it")
	f.BoolVar(&o.JSON, "log-json", false, "log as JSON")
	f.BoolVarP(&o.Verbose, "verbose", "v", false, "log every request")
	f.StringSliceVar(&allow, "allow", nil, "")
	_ = f.MarkHidden("allow") // of earlier versions: it says what to do instead
	return c
}

// reached refuses ways of being reached by which others could read what passes, or say who they are at will.
func (o *ServeOptions) reached() error {
	if (o.Cert == "") != (o.CertKey == "") {
		return errors.New("--tls-cert and --tls-key belong together")
	}
	if err := o.ACME.check(o.Cert, HostsOf(o.Names)); err != nil {
		return err
	}
	for _, p := range o.Proxies {
		if _, err := netip.ParsePrefix(p); err == nil {
			continue
		}
		if _, err := netip.ParseAddr(p); err != nil {
			return fmt.Errorf("--proxy %s: write an address or a range, such as 10.0.0.2 or 10.0.0.0/24", p)
		}
	}
	host, _, err := net.SplitHostPort(o.Listen)
	if err == nil && !weburl.IsHere(host) && o.Cert == "" && !o.ACME.Wanted && len(o.Proxies) == 0 {
		return fmt.Errorf(
			"--listen %s can be reached from elsewhere, where everybody in between would read passwords: give --tls-cert and --tls-key, or --acme, or name the --proxy in front that speaks TLS",
			o.Listen)
	}
	return nil
}

// ACME is how a service gets certificates itself.
type ACME struct {
	Wanted    bool
	Directory string // of the authority; "" for the usual one
	Root      string // a file with what its own address is certified by; "" for what the machine trusts
	Mail      string // to whom it writes; "" for nobody
}

// check refuses what gets no certificate.
func (a *ACME) check(cert string, hosts []string) error {
	switch {
	case !a.Wanted && (a.Directory != "" || a.Root != "" || a.Mail != ""):
		return errors.New("--acme-directory, --acme-root and --acme-mail belong to --acme")
	case !a.Wanted:
		return nil
	case cert != "":
		return errors.New("give either --acme or --tls-cert")
	case len(hosts) == 0:
		return errors.New("--acme needs to know for which name: --name https://harvik.example")
	}
	for _, host := range hosts {
		if _, err := netip.ParseAddr(host); err == nil || !strings.Contains(host, ".") {
			return fmt.Errorf("--acme: no authority certifies %s; give a --name such as https://harvik.example", host)
		}
	}
	if u, err := url.Parse(a.Directory); a.Directory != "" && (err != nil || u.Host == "") {
		return fmt.Errorf("--acme-directory %s: write an address such as https://ca.fernhollow.example/directory", a.Directory)
	}
	return nil
}

// HostsOf are the hosts of names that a service goes by.
func HostsOf(names []string) []string {
	var out []string
	for _, name := range names {
		if u, err := nameOf(name); err == nil {
			out = append(out, strings.ToLower(u.Hostname()))
		}
	}
	return out
}

// flags are those by which a process is told how much it does at once.
func (h *Hands) flags(f *pflag.FlagSet, crawls int) {
	f.IntVar(&h.Crawls, "crawls", crawls, "crawls that are run here at once; others wait in the queue")
	f.IntVar(&h.Judgings, "judgings", 2, "pieces of the work that hangs on ended crawls that are done here at once")
	f.IntVar(&h.Rechecks, "rechecks", 8, "rechecks that are done here at once")
	f.IntVar(&h.Watches, "watches", 2, "rounds of schedules and watches that are done here at once")
	f.IntVar(&h.Messages, "messages", 4, "messages that are sent from here at once")
}

func (h *Hands) check() error {
	return cmp.Or(within("crawls", h.Crawls, 0), within("judgings", h.Judgings, 0), within("rechecks", h.Rechecks, 0),
		within("watches", h.Watches, 0), within("messages", h.Messages, 0))
}

// within refuses a number that is not within its bounds.
func within(flag string, n, least int) error {
	if n < least || n > 1000 {
		return fmt.Errorf("--%s is a number from %d to 1000, not %d", flag, least, n)
	}
	return nil
}

// databaseNamed is the existing database that flags or environment name, "" for Harvik's own.
func databaseNamed(flag, file string) (string, error) {
	switch {
	case flag != "" && file != "":
		return "", errors.New("give --database or --database-file, not both")
	case flag != "":
		config, err := pgconn.ParseConfig(flag)
		if err == nil && config.Password != "" && os.Getenv("PGPASSWORD") != config.Password {
			return "", errors.New("--database holds a password, which everybody on this machine can read in the list of processes; put it in HARVIK_DATABASE, or in a file that --database-file names")
		}
		return flag, nil
	case file != "":
		data, err := os.ReadFile(file)
		if err != nil {
			return "", fmt.Errorf("--database-file: %w", err)
		}
		line, _, _ := strings.Cut(string(data), "\n")
		if line = strings.TrimSpace(line); line == "" {
			return "", fmt.Errorf("--database-file: the first line of %s is empty", file)
		}
		return line, nil
	}
	return os.Getenv("HARVIK_DATABASE"), nil
}

// units of sizes, as they are written.
var units = map[string]int64{"": 1, "b": 1, "kb": 1e3, "mb": 1e6, "gb": 1e9, "tb": 1e12, "kib": 1 << 10, "mib": 1 << 20,
	"gib": 1 << 30, "tib": 1 << 40}

// bytesOf reads a size such as 500MB, 1.5GB or 2GiB.
func bytesOf(s string) (int64, error) {
	text := strings.ToLower(strings.TrimSpace(s))
	i := strings.IndexFunc(text, func(r rune) bool { return r != '.' && (r < '0' || r > '9') })
	if i < 0 {
		i = len(text)
	}
	n, err := strconv.ParseFloat(text[:i], 64)
	unit, known := units[strings.TrimSpace(text[i:])]
	if err != nil || !known || n < 0 || n*float64(unit) > 1e18 {
		return 0, fmt.Errorf("%q is no size; write one such as 500MB or 2GB", s)
	}
	return int64(n * float64(unit)), nil
}

// nameOf reads a name that a service goes by: a host name, or an origin.
func nameOf(name string) (*url.URL, error) {
	text := name
	if !strings.Contains(text, "://") {
		text = "http://" + text
	}
	u, err := url.Parse(strings.TrimSuffix(text, "/"))
	if err != nil || u.Hostname() == "" || u.Path != "" || u.RawQuery != "" || u.User != nil || u.Scheme != "http" &&
		u.Scheme != "https" {
		return nil, fmt.Errorf("--name %s: write a host name such as harvik.example, or an origin such as https://harvik.example", name)
	}
	return u, nil
}

func (a *app) linkCommand() *cobra.Command {
	return &cobra.Command{
		Use: "link", Short: "Print a link that signs a browser in to the console, once, within a day", Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			link, err := a.service.Link(c.Context(), a.dataFolder())
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), map[string]string{"link": link})
			}
			fmt.Fprintln(c.OutOrStdout(), link)
			return nil
		},
	}
}
