// Package gear is what everything that fetches shares: the paces of hosts, the readers and bounds of the one service,
// and the secrets of sites, each for where it may go.
package gear

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"net/http"
	"net/netip"
	"strings"
	"sync"
	"time"

	"harvik/internal/core/mishap"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/scope"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
	"harvik/internal/fetch"
	"harvik/internal/pace"
	"harvik/internal/pdf"
	"harvik/internal/record"
)

// Store is what secrets are read from.
type Store interface {
	SealedSecret(ctx context.Context, site int64, name string) (record.Sealed, error)
	NoteUse(ctx context.Context, site int64, name, who, what string) error
	UnboundSecrets(ctx context.Context) ([]record.Unbound, error)
	BindSecret(ctx context.Context, site int64, name, network string) error
}

// Unsealer opens what is kept sealed.
type Unsealer interface {
	Unseal(sealed []byte, purpose string) (string, error)
	Prints() []string // of its keys
}

// A Gear is safe for use from several goroutines. Close it after use.
type Gear struct {
	store Store
	vault Unsealer
	paces pace.Paces
	pages page.Reader
	pdfs  pdf.Reader
	large *fetch.Large
	log   *slog.Logger

	// Browser renders pages; nil where none are rendered. It is set before the gear is used.
	Browser crawl.Browser
	// Meter counts requests; nil where nobody counts. It is set before the gear is used.
	Meter Meter
}

// A Meter counts requests to sites, by what came of them and how long they took.
type Meter interface {
	Asked(outcome string, took time.Duration)
}

// counted is a client whose requests are counted.
type counted struct {
	*fetch.Client
	meter Meter
}

// Do implements crawl.Fetcher.
func (c *counted) Do(ctx context.Context, u *weburl.URL, buf *bytes.Buffer, r fetch.Request) fetch.Answer {
	begun := time.Now()
	a := c.Client.Do(ctx, u, buf, r)
	c.meter.Asked(string(a.Outcome), time.Since(begun))
	return a
}

// Carry implements render.Carrier.
func (c *counted) Carry(ctx context.Context, u *weburl.URL, from *http.Request) (*http.Response, error) {
	begun := time.Now()
	a, err := c.Client.Carry(ctx, u, from)
	outcome := "answered to a browser"
	if err != nil {
		outcome = "not answered to a browser"
	}
	c.meter.Asked(outcome, time.Since(begun))
	return a, err
}

// New makes a gear.
func New(s Store, v Unsealer, log *slog.Logger) *Gear {
	return &Gear{store: s, vault: v, large: fetch.NewLarge(), log: log}
}

// Close ends the child processes that read documents.
func (g *Gear) Close() { g.pdfs.Close() }

// Read reads one document, in its turn.
func (g *Gear) Read(r page.Response) *page.Document { return g.pages.Read(r) }

// GuardOf lets the hosts of a site be where its owner allows them to.
func GuardOf(site record.Site) (out fetch.Guard) {
	for _, one := range site.Allowed {
		if p, err := netip.ParsePrefix(one); err == nil {
			out.Allow = append(out.Allow, p)
		}
	}
	return out
}

// Open is Secrets, for those that are going to be sent: it is noted by whom and what for.
func (g *Gear) Open(ctx context.Context, site int64, home string, p plan.Plan, who,
	what string) (map[string]string, error) {
	out, err := g.Secrets(ctx, site, home, p)
	if err != nil {
		return nil, err
	}
	for name := range out {
		if err := g.store.NoteUse(ctx, site, name, who, what); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// BindSecrets lets secrets that an earlier Harvik kept hold for what their sites' plans say of the network.
func (g *Gear) BindSecrets(ctx context.Context) error {
	unbound, err := g.store.UnboundSecrets(ctx)
	if err != nil {
		return err
	}
	for _, s := range unbound {
		if err := g.store.BindSecret(ctx, s.SiteID, s.Name, s.Plan.Network(s.Host)); err != nil {
			return err
		}
	}
	return nil
}

// Secrets opens those that a plan uses, each for the host and the network that it is bound to.
func (g *Gear) Secrets(ctx context.Context, site int64, home string, p plan.Plan) (map[string]string, error) {
	start, err := weburl.Parse(home)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for name, host := range p.Secrets() {
		if host == "" {
			host = start.Hostname()
		}
		kept, err := g.store.SealedSecret(ctx, site, name)
		switch {
		case errors.Is(err, record.ErrNotFound):
			return nil, record.Refuse(
				"the plan uses the secret %q, which is not set; `harvik secret set SITE %s` does that",
				name,
				name,
			)
		case err != nil:
			return nil, err
		case !strings.EqualFold(kept.Host, host):
			return nil, record.Refuse("the secret %q is for %s, and the plan would send it to %s", name, kept.Host,
				host)
		case kept.Network == nil || *kept.Network != p.Network(host):
			return nil, record.Refuse(
				"the secret %q was given when the plan reached %s in another way (hosts, ca, proxy); it would now be sent there %s. If that is right, give it again: `harvik secret set SITE %s`",
				name,
				host,
				p.Route(host),
				name,
			)
		}
		if out[name], err = g.vault.Unseal(kept.Sealed, record.SecretPurpose(site, name)); err != nil {
			return nil, record.Refuse("%s: %s", name, err)
		}
	}
	return out, nil
}

// Opens tells whether the secrets that a plan uses of a site can be opened here, as far as there are any.
func (g *Gear) Opens(ctx context.Context, site int64, p plan.Plan) (bool, error) {
	for name := range p.Secrets() {
		kept, err := g.store.SealedSecret(ctx, site, name)
		if errors.Is(err, record.ErrNotFound) {
			continue
		}
		if err != nil {
			return false, err
		}
		if _, err := g.vault.Unseal(kept.Sealed, record.SecretPurpose(site, name)); err != nil {
			return false, nil //nolint:nilerr // that is what is asked
		}
	}
	return true, nil
}

// Client asks the hosts of a site as its plan does, beside any crawl, each time by a connection of its own.
func (g *Gear) Client(
	p plan.Plan,
	start weburl.URL,
	guard fetch.Guard,
	secrets map[string]string,
) (*fetch.Client, error) {
	settings, err := Settings(p, start, guard, secrets)
	if err != nil {
		return nil, err
	}
	settings.Large, settings.Fresh = g.large, true
	return fetch.New(settings)
}

// Config is what everything that fetches shares: the paces of hosts, the readers and bounds of the one service, and a
// client for a site's hosts, with the secrets that are for them. It fails where the plan's certificates or secrets are
// of no use.
func (g *Gear) Config(p plan.Plan, start weburl.URL, guard fetch.Guard,
	secrets map[string]string) (crawl.Config, error) {
	settings, err := Settings(p, start, guard, secrets)
	if err != nil {
		return crawl.Config{}, err
	}
	settings.Large = g.large
	client, err := fetch.New(settings)
	if err != nil {
		return crawl.Config{}, err
	}
	var c crawl.Fetcher = client
	if g.Meter != nil {
		c = &counted{client, g.Meter}
	}
	return crawl.Config{Plan: p, Start: start, Fetcher: c, Paces: &g.paces, Pages: &g.pages, ReadPDF: g.pdfs.Read,
		Browser: g.Browser, Log: g.log}, nil
}

// Settings are those of the client of one crawl.
func Settings(p plan.Plan, start weburl.URL, guard fetch.Guard, secrets map[string]string) (fetch.Settings, error) {
	gates, err := fetch.NewGates(p.Gates, start, secrets)
	if err != nil {
		return fetch.Settings{}, err
	}
	return fetch.Settings{
		Agent: p.UserAgent(), Language: p.Language, Headers: p.Headers, Timeout: time.Duration(p.Timeout),
		Timeouts: fetch.Timeouts{
			Resolve: time.Duration(p.Timeouts.Resolve), Connect: time.Duration(p.Timeouts.Connect),
			TLS: time.Duration(p.Timeouts.TLS), FirstByte: time.Duration(p.Timeouts.FirstByte),
		},
		MaxBytes: p.PageBytes, Parallel: p.Parallel, Hosts: p.Hosts, Guard: guard,
		Inside: scope.New(start, p.Scope).Inside, Gates: gates,
		CA: p.CA, Certificate: secrets[p.Certificate], CertificateFor: fetch.BoundTo("", start), IP: p.IP,
		Proxy: p.Proxy,
	}, nil
}

// End waits until a group has ended by itself; where ctx ends first it cuts it off.
func End(ctx context.Context, group *sync.WaitGroup, cancel func()) {
	defer cancel()
	ended := make(chan struct{})
	go func() {
		group.Wait()
		close(ended)
	}()
	select {
	case <-ended:
	case <-ctx.Done():
		cancel()
		<-ended
	}
}

// Tell logs an error, with the stack where it was a panic.
func Tell(log *slog.Logger, what string, err error) {
	var p *mishap.Panic
	if errors.As(err, &p) {
		log = log.With("stack", string(p.Stack))
	}
	log.Error(what, "reason", err.Error())
}

// A Sharer knows which hosts other workers ask.
type Sharer interface {
	Share(ctx context.Context, w record.Worker, joined []record.HostUse, left []string) ([]record.HostShare, error)
}

// How often a worker tells that it lives, and hears of others at its hosts: while it asks some, and while it asks none.
const (
	shareEvery = 500 * time.Millisecond
	shareIdly  = 3 * time.Second
)

// ShareHosts keeps the pace of hosts together with other workers, until ctx ends: no host is asked before they were
// told of it. Where they cannot be told, what is known holds.
func (g *Gear) ShareHosts(ctx context.Context, me record.Worker, with Sharer) {
	fresh := g.paces.Share()
	tick := time.NewTicker(shareEvery)
	defer tick.Stop()
	for said := (time.Time{}); ; {
		if !g.paces.Idle() || time.Since(said) >= shareIdly {
			said = time.Now()
			me.Keys = g.vault.Prints()
			g.shareOnce(ctx, me, with)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		case <-fresh:
		}
	}
}

// shareOnce tells other workers of the hosts that are asked here, and hears of theirs.
func (g *Gear) shareOnce(ctx context.Context, me record.Worker, with Sharer) {
	err := mishap.Catch(func() error {
		joined, left := g.paces.Uses()
		shares, err := with.Share(ctx, me, joined, left)
		if err == nil {
			g.paces.Shared(joined, left, shares, time.Now())
		}
		return err
	})
	if p := (*mishap.Panic)(nil); errors.As(err, &p) {
		Tell(g.log, "the pace of hosts could not be shared", err)
	}
}
