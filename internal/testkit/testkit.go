// Package testkit sets up what tests need of the world: a database, a crawl of Fernhollow.
// It is imported by tests only.
package testkit

import (
	"context"
	"crypto/rand"
	"crypto/rsa"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log"
	"log/slog"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"runtime/debug"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/demo"
	"harvik/internal/cluster"
	"harvik/internal/core/checks"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/fetch"
	"harvik/internal/pdf"
	"harvik/internal/record"
	"harvik/internal/store"
)

// Loopback is a guard that lets tests reach servers on this machine.
var Loopback = fetch.Guard{Allow: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8"),
	netip.MustParsePrefix("::1/128")}}

// documents reads for all tests of a package; its child ends with them.
var documents pdf.Reader

// ReadPDF reads a PDF document as the service does.
func ReadPDF(ctx context.Context, data []byte) *page.PDF { return documents.Read(ctx, data) }

// Catalogue is every check.
var Catalogue = checks.New()

// Hands do all kinds of work.
var Hands = record.Hands{Crawls: 8, Judgings: 2, Rechecks: 8, Watches: 2, Messages: 4}

// Quiet drops all log lines.
var Quiet = slog.New(slog.DiscardHandler)

// Main runs a package's tests beside one PostgreSQL server for all of them: that of
// HARVIK_TEST_DATABASE, or one of its own. Use it from TestMain; tidy is called at the end.
func Main(m *testing.M, tidy ...func()) {
	debug.SetGCPercent(300) // memory is at hand, time is not
	code := func() int {
		for _, f := range tidy {
			defer f()
		}
		if server = os.Getenv("HARVIK_TEST_DATABASE"); server != "" {
			return m.Run()
		}
		folder, err := os.MkdirTemp("", "harvik-test-")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(folder)
		defer func() { os.RemoveAll(stopped.folder) }()
		if err := os.Chmod(folder, 0o755); err != nil {
			panic(err)
		}
		c, err := cluster.Start(context.Background(), folder)
		if err != nil {
			panic(err)
		}
		defer c.Stop()
		server = c.URL
		return m.Run()
	}()
	os.Exit(code)
}

var (
	server    string
	databases atomic.Int32
)

// Database makes an empty database for one test and returns its address.
func Database(t testing.TB) string {
	t.Helper()
	return newDatabase(t, "template1")
}

// model is the name of a database with the store's tables and nothing in them, of which Tables makes copies.
var model = sync.OnceValues(func() (string, error) {
	ctx, name := context.Background(), fmt.Sprintf("model_%d", os.Getpid())
	conn, err := pgx.Connect(ctx, server)
	if err != nil {
		return "", err
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, "create database "+name); err != nil {
		return "", err
	}
	s, err := store.Open(ctx, addressOf(name))
	if err != nil {
		return "", err
	}
	s.Close()
	return name, nil
})

// Tables makes a database for one test that has the store's tables, and returns its address. It is what
// store.Open makes of an empty one, in a fraction of the time.
func Tables(t testing.TB) string {
	t.Helper()
	name, err := model()
	if err != nil {
		t.Fatalf("making the model of databases: %v", err)
	}
	return newDatabase(t, name)
}

func addressOf(name string) string {
	u, err := url.Parse(server)
	if err != nil {
		panic(err) // pgx has read it before
	}
	u.Path = "/" + name
	return u.String()
}

// DataFolder makes of an empty folder the data folder of a service that was started once and stopped, in a
// fraction of the time that a first start takes.
func DataFolder(t testing.TB, folder string) {
	t.Helper()
	stopped.once.Do(func() { stopped.err = stopped.make() })
	if stopped.err != nil {
		t.Fatalf("making the model of data folders: %v", stopped.err)
	}
	if out, err := exec.Command("cp", "-a", stopped.folder+"/.", folder).CombinedOutput(); err != nil {
		t.Fatalf("copying the model of data folders: %v: %s", err, out)
	}
}

// stopped is the model of data folders.
var stopped dataFolder

type dataFolder struct {
	once   sync.Once
	folder string
	err    error
}

func (d *dataFolder) make() (err error) {
	if d.folder, err = os.MkdirTemp("", "harvik-model-"); err != nil {
		return err
	}
	if err := os.Chmod(d.folder, 0o755); err != nil {
		return err
	}
	c, err := cluster.Start(context.Background(), d.folder)
	if err != nil {
		return err
	}
	s, err := store.Open(context.Background(), c.URL)
	if err == nil {
		s.Close()
	}
	return errors.Join(err, c.Stop())
}

func newDatabase(t testing.TB, template string) string {
	t.Helper()
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, server)
	if err != nil {
		t.Fatalf("connecting to the test database: %v", err)
	}
	defer conn.Close(ctx)
	name := fmt.Sprintf("test_%d_%d", os.Getpid(), databases.Add(1))
	if _, err := conn.Exec(ctx, "create database "+name+" template "+template+" strategy file_copy"); err != nil {
		t.Fatalf("making a database: %v", err)
	}
	t.Cleanup(func() {
		conn, err := pgx.Connect(ctx, server)
		if err != nil {
			return
		}
		defer conn.Close(ctx)
		_, _ = conn.Exec(ctx, "drop database "+name+" with (force)")
	})
	return addressOf(name)
}

// Store opens an empty store.
func Store(t testing.TB) *store.Store {
	t.Helper()
	return Open(t, Tables(t))
}

// Open opens the store of a database until the test ends.
func Open(t testing.TB, database string) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), database)
	if err != nil {
		t.Fatalf("opening the store: %v", err)
	}
	t.Cleanup(s.Close)
	return s
}

// Site takes a site on this machine under care, without a look at its doors.
func Site(t testing.TB, s *store.Store, h http.Handler, p plan.Plan) record.Site {
	t.Helper()
	p.Probes = plan.No()
	if err := s.AddSite(t.Context(), "fernhollow", "http://"+Serve(t, h)+"/", p); err != nil {
		t.Fatal(err)
	}
	site, err := s.Site(t.Context(), "fernhollow")
	if err == nil {
		err = s.Allow(t.Context(), site.ID, "127.0.0.0/8", "test")
	}
	if err == nil {
		site, err = s.Site(t.Context(), "fernhollow")
	}
	if err != nil {
		t.Fatal(err)
	}
	return site
}

// Serve runs a handler on a loopback port until the test ends, and returns host:port.
func Serve(t testing.TB, h http.Handler) string {
	t.Helper()
	s := newServer(t)
	s.Config.Handler = h
	s.Start()
	t.Cleanup(s.Close)
	return strings.TrimPrefix(s.URL, "http://")
}

// A Door is how a server speaks https: from a version of TLS on, with a certificate that is valid for some days, and a
// weak one if that is wanted.
type Door struct {
	Oldest    uint16
	Days      int
	Protocols []string
	Weak      bool
}

// ServeBoth runs a handler on a loopback port that speaks both http and https, with a certificate for some host names.
// It returns host:port and the authority as PEM.
func ServeBoth(t testing.TB, h http.Handler, door Door, names ...string) (address, authority string) {
	t.Helper()
	certificate, authority, err := demo.Certificate(door.Days, names...)
	if door.Weak {
		var key *rsa.PrivateKey
		if key, err = rsa.GenerateKey(rand.Reader, 1024); err == nil { //nolint:gosec // so that it can be found out
			certificate, authority, err = demo.CertificateOf(key, door.Days, names...)
		}
	}
	if err != nil {
		t.Fatal(err)
	}
	s := newServer(t)
	s.Config.Handler = h
	s.Listener = demo.OnePort(s.Listener, &tls.Config{ //nolint:gosec // old versions, so that they can be found out
		Certificates: []tls.Certificate{certificate}, NextProtos: door.Protocols, MinVersion: door.Oldest,
	})
	s.Config.ErrorLog = log.New(io.Discard, "", 0)
	s.Start()
	t.Cleanup(s.Close)
	return strings.TrimPrefix(s.URL, "http://"), authority
}

// Garden serves Fernhollow, or a handler around it, and gives the plan to crawl it with.
func Garden(t testing.TB, h http.Handler) plan.Plan {
	t.Helper()
	door := Door{Oldest: tls.VersionTLS12, Days: 300, Protocols: demo.Protocols}
	address, authority := ServeBoth(t, h, door, demo.Host, demo.Neighbours)
	return plan.Plan{
		Hosts: map[string]string{demo.Host: address, demo.Neighbours: address}, CA: authority, Parallel: 8,
		Outbound: true, Steady: true,
		Timeout: plan.Duration(4 * time.Second), Retries: 1,
		Limits:   map[string]int{"first-byte": 2200, "first-byte-very": 3100},
		Snippets: []plan.Snippet{{Name: "consent", Contains: demo.Consent}},
	}
}

// Calm serves Fernhollow without pages that are slow by plan, to a crawl that takes none for slow: what it finds
// does not go by how busy the machine is.
func Calm(t testing.TB, site *demo.Site) plan.Plan {
	t.Helper()
	for _, p := range site.Pages {
		p.Slow = 0
	}
	p := Garden(t, site)
	p.Limits = map[string]int{"first-byte": 20_000, "first-byte-very": 20_000}
	return p
}

// Root is the project's folder.
func Root(t testing.TB) string {
	t.Helper()
	dir, err := os.Getwd()
	if err != nil {
		t.Fatal(err)
	}
	for {
		if _, err := os.Stat(filepath.Join(dir, "go.mod")); err == nil {
			return dir
		}
		if dir == filepath.Dir(dir) {
			t.Fatal("no go.mod above the test")
		}
		dir = filepath.Dir(dir)
	}
}
