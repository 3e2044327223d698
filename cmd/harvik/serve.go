package main

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"golang.org/x/term"

	"harvik/console"
	"harvik/internal/cli"
	"harvik/internal/cluster"
	"harvik/internal/core/checks"
	"harvik/internal/house"
	"harvik/internal/jobs"
	"harvik/internal/meter"
	"harvik/internal/password"
	"harvik/internal/provider"
	"harvik/internal/record"
	"harvik/internal/render"
	"harvik/internal/service"
	"harvik/internal/store"
	"harvik/internal/vault"
)

// databaseFile tells `harvik link` where the service's database is.
const databaseFile = "database.url"

// serve runs the service until Ctrl-C or SIGTERM.
func serve(ctx context.Context, o cli.ServeOptions) error {
	ctx, stop := signal.NotifyContext(ctx, os.Interrupt)
	defer stop()
	defer watchOver()()
	log := logger(o.Verbose, o.JSON)
	stopTracing, err := meter.Trace(ctx)
	if err != nil {
		return fmt.Errorf("sending traces: %w", err)
	}
	defer flush(stopTracing)
	if err := os.MkdirAll(o.Data, 0o755); err != nil {
		return fmt.Errorf("making the data folder: %w", err)
	}
	unlock, err := lock(o.Data)
	if err != nil {
		return err
	}
	defer unlock()
	crash, err := watchCrash(o.Data)
	if err != nil {
		return err
	}
	if crash != "" {
		log.Error("the service crashed when it last ran", "report", crash)
	}
	// The port is taken first: nothing is started for a service that cannot be reached.
	entries, err := open(o)
	if err != nil {
		return err
	}
	defer entries.close()
	database := o.Database
	if database == "" {
		db, err := cluster.Start(ctx, o.Data)
		if err != nil {
			return err
		}
		defer func() {
			if err := db.Stop(); err != nil {
				log.Error("database not stopped", "reason", err.Error())
			}
		}()
		database = db.URL
		watching, end := context.WithCancel(context.Background())
		var watch sync.WaitGroup
		watch.Go(func() {
			db.Watch(watching, func(err error) {
				if err != nil {
					log.Error("database not started again", "reason", err.Error())
					return
				}
				log.Warn("database had ended and was started again")
			})
		})
		defer watch.Wait()
		defer end()
	}
	v, err := keys(o.KeyFile, o.Data)
	if err != nil {
		return err
	}
	s, err := store.OpenWith(ctx, database, o.Connections)
	if err != nil {
		return err
	}
	defer s.Close()
	if err := seal(ctx, s, v); err != nil {
		return err
	}
	if err := s.DropExpired(ctx); err != nil {
		return err
	}
	address := entries.address()
	seat, err := seatOf(o.Data)
	if err != nil {
		return err
	}
	if err := leaveWord(ctx, s, o.Data, seat, address, database); err != nil {
		return err
	}
	defer os.Remove(filepath.Join(o.Data, cli.ServiceFile))
	p := parts{log, entries, s, v, seat, o}
	return p.listen(ctx, address, crash != "")
}

// hashesAtOnce is how many passwords are hashed at once: each takes 64 MiB.
const hashesAtOnce = 2

// keyVariable names the keys of secrets, for where files are hard to bring.
const keyVariable = "HARVIK_KEY"

// keys are those by which secrets are sealed: of a file that is named, of the environment, or of a data folder.
func keys(file, data string) (*vault.Vault, error) {
	if file != "" {
		return vault.Read(file)
	}
	if text := os.Getenv(keyVariable); text != "" {
		return vault.Parse(text, keyVariable)
	}
	return vault.Open(data)
}

// seal notes by which key this service seals secrets. Another is refused while somebody works with the one that is
// noted.
func seal(ctx context.Context, s *store.Store, v *vault.Vault) error {
	noted, err := s.Seal(ctx)
	if err != nil {
		return err
	}
	mine := v.Prints()
	if slices.Contains(mine, noted) {
		return nil // the one that seals, or one that is being turned to
	}
	workers, err := s.Workers(ctx)
	if err != nil {
		return err
	}
	for _, w := range workers {
		if slices.Contains(w.Keys, noted) {
			return fmt.Errorf(
				"secrets in this database are sealed by another key, with which %s works: name that by --key-file or %s",
				w.Place,
				keyVariable,
			)
		}
	}
	return s.SetSeal(ctx, mine[0])
}

// consoleAt is where links in messages lead: to the first origin by which the service goes, or else to its address.
func consoleAt(address string, names []string) string {
	for _, name := range names {
		if strings.Contains(name, "://") {
			return strings.TrimSuffix(name, "/")
		}
	}
	return address
}

// parts are what a service is made of.
type parts struct {
	log     *slog.Logger
	doors   doors
	store   *store.Store
	vault   *vault.Vault
	seat    string // names the data folder
	options cli.ServeOptions
}

// listen serves until ctx ends, then ends crawls and requests in good order.
func (p *parts) listen(ctx context.Context, address string, crashed bool) error {
	s, log := p.store, p.log
	catalogue := checks.New()
	m := meter.New(s)
	end, err := watched(ctx, m, p.options.Metrics, log)
	if err != nil {
		return err
	}
	defer end()
	rooms := house.New(s, catalogue, p.vault, p.disk(), p.browser(), p.seat, m, log)
	if err := rooms.Recover(ctx, record.Hands(p.options.Hands), crashed); err != nil {
		return err
	}
	if err := s.Set(ctx, record.ConsoleSetting, consoleAt(address, p.options.Names)); err != nil {
		return err
	}
	handler := service.New(s, rooms, service.Config{
		Checks: catalogue,
		Sealer: p.vault, Console: console.Files(), Log: log, Closing: ctx.Done(), Names: p.options.Names,
		Passwords: password.New(hashesAtOnce), Providers: provider.New(p.vault), Proxies: p.options.Proxies,
	}).Handler()
	server := &http.Server{
		Handler:           handler,
		ReadHeaderTimeout: 10 * time.Second,
		IdleTimeout:       2 * time.Minute,
		WriteTimeout:      time.Minute, // for what the service itself does not write piece by piece
		MaxHeaderBytes:    64 << 10,
		ErrorLog:          slog.NewLogLogger(log.Handler(), slog.LevelWarn),
	}
	failed := make(chan error, 2)
	for _, door := range p.doors.all() {
		go func() { failed <- server.Serve(door) }()
	}
	address = consoleAt(address, p.options.Names)
	log.Info("service started", "address", address)
	// A link that lets in does not belong into a journal.
	if term.IsTerminal(int(os.Stdout.Fd())) {
		link, err := issueLink(ctx, s, address)
		if err != nil {
			return err
		}
		fmt.Fprintf(os.Stdout, "Harvik runs at %s\nSign in to the console, once, within a day: %s\n", address, link)
	} else {
		fmt.Fprintf(os.Stdout, "Harvik runs at %s\n`harvik link` prints a link that signs in to the console.\n",
			address)
	}
	select {
	case err = <-failed:
	case <-ctx.Done():
		log.Info("service ending")
	}
	ending, cancel := context.WithTimeout(context.WithoutCancel(ctx), 60*time.Second)
	defer cancel()
	rooms.Shutdown(ending)
	return errors.Join(err, server.Shutdown(ending))
}

// disk is that of the database, where it is Harvik's own.
func (p *parts) disk() jobs.Disk {
	d := jobs.Disk{Keep: uint64(p.options.KeepFree)}
	if p.options.Database == "" {
		d.Free = func() (uint64, error) {
			var fs syscall.Statfs_t
			if err := syscall.Statfs(p.options.Data, &fs); err != nil {
				return 0, err
			}
			return fs.Bavail * uint64(fs.Bsize), nil
		}
	}
	return d
}

// lock keeps a second service off the same data.
func lock(data string) (unlock func(), err error) {
	f, err := os.OpenFile(filepath.Join(data, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return nil, fmt.Errorf("another service uses the data folder %s; stop it, or choose another folder with --data",
			data)
	}
	return func() { f.Close() }, nil
}

// reachable turns "listen on all interfaces" into an address that can be called.
func reachable(a net.Addr) string {
	host, port, err := net.SplitHostPort(a.String())
	if ip := net.ParseIP(host); err == nil && ip != nil && ip.IsUnspecified() {
		return net.JoinHostPort("127.0.0.1", port)
	}
	return a.String()
}

// leaveWord writes what the command line needs to find the service: its address, and the
// owner's token, made at the first start and readable by this user only.
func leaveWord(ctx context.Context, s *store.Store, data, seat, address, database string) error {
	tokenFile := filepath.Join(data, cli.TokenFile)
	secret, err := os.ReadFile(tokenFile)
	token := strings.TrimSpace(string(secret))
	if errors.Is(err, os.ErrNotExist) || token == "" {
		token = store.NewSecret()
		err = writeFile(tokenFile, token)
	}
	if err == nil {
		// The database may be a new one; the token that people have goes on being good. Any other that was
		// this data folder's owner's is not, any more.
		err = s.KeepOwner(ctx, token, seat)
	}
	if err == nil {
		err = s.NameOwner(ctx, cmp.Or(os.Getenv("HARVIK_USER"), os.Getenv("USER"), os.Getenv("LOGNAME")))
	}
	if err != nil {
		return fmt.Errorf("keeping the owner's token: %w", err)
	}
	if err := writeFile(filepath.Join(data, databaseFile), database); err != nil {
		return err
	}
	return writeFile(filepath.Join(data, cli.ServiceFile), address)
}

// writeFile keeps a line that only this user may read.
func writeFile(name, text string) error { return vault.WriteFile(name, []byte(text+"\n")) }

func issueLink(ctx context.Context, s *store.Store, address string) (string, error) {
	secret, err := s.IssueLink(ctx)
	if err != nil {
		return "", err
	}
	// The secret stands behind the number sign, which browsers do not send.
	return address + "/sign-in#" + secret, nil
}

// oneTimeLink makes a sign-in link for the running service of a data folder.
func oneTimeLink(ctx context.Context, data string) (string, error) {
	address, err := os.ReadFile(filepath.Join(data, cli.ServiceFile))
	if err != nil {
		return "", fmt.Errorf("no service runs on the data folder %s; start it with `harvik start`", data)
	}
	database, err := databaseOf(data)
	if err != nil {
		return "", err
	}
	s, err := store.Open(ctx, database)
	if err != nil {
		return "", err
	}
	defer s.Close()
	at := strings.TrimSpace(string(address))
	if err := s.Setting(ctx, record.ConsoleSetting, &at); err != nil {
		return "", err
	}
	return issueLink(ctx, s, at)
}

// browser renders pages, as many at once as suit the machine.
func (p *parts) browser() *render.Pool {
	return browserIn(filepath.Join(p.options.Data, "browser"))
}

// browserIn is a browser whose profiles stand in a folder, for as many pages at once as the machine can render.
func browserIn(folder string) *render.Pool {
	return render.NewPool(folder, min(8, 2*runtime.GOMAXPROCS(0)))
}

// logger writes what happens to standard error, as JSON if that is wished.
func logger(verbose, asJSON bool) *slog.Logger {
	o := &slog.HandlerOptions{Level: slog.LevelInfo}
	if verbose {
		o.Level = slog.LevelDebug
	}
	if asJSON {
		return slog.New(slog.NewJSONHandler(os.Stderr, o))
	}
	return slog.New(slog.NewTextHandler(os.Stderr, o))
}

// flush sends the traces that have not been sent, for as long as that is worth waiting for.
func flush(stop func(context.Context)) {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	stop(ctx)
}

// watched serves what the meter counts on an address of its own, "" for none, until end is called. Who can reach it
// needs no token: it tells of work and machine, and of no site.
func watched(ctx context.Context, m *meter.Meter, address string, log *slog.Logger) (end func(), err error) {
	if address == "" {
		return func() {}, nil
	}
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf("%w; choose another address with --metrics", err)
	}
	server := &http.Server{
		Handler:           m.Handler(ctx),
		ReadHeaderTimeout: 5 * time.Second,
		WriteTimeout:      30 * time.Second,
		ErrorLog:          slog.NewLogLogger(log.Handler(), slog.LevelWarn),
	}
	go func() { _ = server.Serve(listener) }() // until it is closed
	log.Info("figures served", "address", "http://"+listener.Addr().String()+"/metrics")
	return func() { _ = server.Close() }, nil
}

// databaseOf is where the database of the service on a data folder is.
func databaseOf(data string) (string, error) {
	text, err := os.ReadFile(filepath.Join(data, databaseFile))
	return strings.TrimSpace(string(text)), err
}

// seatFile names a data folder, so that who starts in it takes back at once what was run there before.
const seatFile = "seat"

// seatOf is the name of a data folder, which it gets when it is first asked for.
func seatOf(data string) (string, error) {
	name := filepath.Join(data, seatFile)
	text, err := os.ReadFile(name)
	if err == nil && len(strings.TrimSpace(string(text))) > 0 {
		return strings.TrimSpace(string(text)), nil
	}
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return "", fmt.Errorf("reading the name of the data folder: %w", err)
	}
	seat := rand.Text()
	return seat, vault.WriteFile(name, []byte(seat+"\n"))
}
