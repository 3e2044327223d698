// Package service is Harvik's HTTP face: the API under /api/v1 and the console. It holds no
// judgement and no SQL.
package service

import (
	"cmp"
	"context"
	"encoding/json"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/netip"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"harvik/internal/core/alert"
	"harvik/internal/core/care"
	"harvik/internal/core/check"
	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/gate"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
	"harvik/internal/core/rendered"
	"harvik/internal/core/schedule"
	"harvik/internal/core/watch"
	"harvik/internal/password"
	"harvik/internal/record"
	"harvik/internal/report"
)

// Store is what the service needs of the store.
type Store interface {
	Trouble(err error) record.Trouble
	Says(err error) string
	Ping(ctx context.Context) error
	AddSite(ctx context.Context, name, home string, p plan.Plan) error
	Sites(ctx context.Context) ([]record.Site, error)
	Site(ctx context.Context, name string) (record.Site, error)
	SetPlan(ctx context.Context, name string, p plan.Plan) error
	Crawls(ctx context.Context, site record.Site, before, limit int) ([]record.Crawl, error)
	Crawl(ctx context.Context, site string, number int) (record.Crawl, error)
	Fixes(ctx context.Context, crawl int64, q record.FixQuery) (record.FixList, error)
	Fix(ctx context.Context, crawl int64, id string) (record.FixLine, error)
	FixPages(ctx context.Context, crawl int64, f fixlist.Fix, after string, limit int) ([]record.PageFinding, error)
	Pages(ctx context.Context, crawl int64, a record.Asking) (record.PageList, error)
	EachRendering(ctx context.Context, crawl int64, pages []int32, f func(id int32, on []rendered.Page) error) error
	Screen(ctx context.Context, crawl int64, hash string) ([]byte, error)
	Page(ctx context.Context, crawl int64, address string) (record.PageDetail, error)
	Address(ctx context.Context, crawl int64, address string) (record.AddressRow, error)
	LinksIn(ctx context.Context, crawl int64, id, from int32, limit int) (record.LinksInto, error)
	Addresses(ctx context.Context, crawl int64, state string, from int32, limit int) (record.AddressList, error)
	Secrets(ctx context.Context, site int64) ([]record.Secret, error)
	SetSecret(ctx context.Context, site int64, name, host, network string, sealed []byte) error
	SecretUses(ctx context.Context, site int64, name string) ([]record.SecretUse, error)
	Allow(ctx context.Context, site int64, prefix, who string) error
	Disallow(ctx context.Context, site int64, prefix string) error
	RemoveSecret(ctx context.Context, site int64, name string) error
	Tally(ctx context.Context, crawl int64) (record.Tallies, error)
	Layouts(ctx context.Context, crawl int64) ([]record.LayoutRow, error)
	Queue(ctx context.Context) (record.Queue, error)
	Map(ctx context.Context, crawl int64) (*fixlist.Map, error)
	Before(ctx context.Context, site int64, number int) (record.Crawl, error)
	Task(ctx context.Context, site int64, fix string) (record.Task, error)
	Tasks(ctx context.Context, site int64) ([]record.Task, error)
	History(ctx context.Context, site int64, fix string) ([]record.TaskEvent, error)
	HasFix(ctx context.Context, site int64, fix string) (bool, error)
	Waivers(ctx context.Context, site int64) ([]record.Waiver, error)
	Rechecks(ctx context.Context, crawl int64) ([]record.Recheck, error)
	RecheckOf(ctx context.Context, crawl int64, number int) (record.Recheck, error)
	AddTicket(ctx context.Context, address string, by int64, life time.Duration) (secret string, err error)
	RedeemTicket(ctx context.Context, secret string) (address string, by record.Caller, err error)
	CancelJob(ctx context.Context, id int64) error
	RetryJob(ctx context.Context, id int64) error
	Sheet(ctx context.Context, crawl int64, rules string) (*fixlist.Sheet, error)
	Ask(ctx context.Context, crawl int64, a record.Asking) (record.Answer, error)
	EachSource(ctx context.Context, crawl int64, pages []int32, f func(record.KeptPage) error) error
	Views(ctx context.Context, site string) ([]record.KeptView, error)
	KeepView(ctx context.Context, site string, v query.View) error
	RemoveView(ctx context.Context, site, name string) error
	KeepsLooks(ctx context.Context) (record.LooksKept, error)
	SetGroups(ctx context.Context, site int64, groups []string) error
	SetKeep(ctx context.Context, site int64, keep record.Retention) error
	Going(ctx context.Context, site int64, keep record.Retention) ([]record.Crawl, error)
	Schedules(ctx context.Context, site string) ([]record.Scheduled, error)
	Care(ctx context.Context, now time.Time) ([]care.Site, error)
	Alerts(
		ctx context.Context,
		sites []string,
		state string,
		before int64,
		limit int,
		now time.Time,
	) ([]record.Alert, error)
	AlertCounts(ctx context.Context, now time.Time) (map[string]int, error)
	Alert(ctx context.Context, id int64) (record.Alert, error)
	ChangeAlert(ctx context.Context, id int64, c record.AlertChange) error
	Ways(ctx context.Context) ([]record.Way, error)
	PutWay(ctx context.Context, w record.Way) error
	RemoveWay(ctx context.Context, name string) error
	Post(ctx context.Context, way int64, body record.MessageBody) (id int64, err error)
	Message(ctx context.Context, id int64) (record.Message, error)
	Messages(ctx context.Context, way int64, most int) ([]record.Message, error)
	WayOf(ctx context.Context, print []byte) (record.Way, error)
	ToldBy(ctx context.Context, way int64, most int) ([]record.Alert, error)
	Setting(ctx context.Context, name string, into any) error
	Set(ctx context.Context, name string, value any) error
	Watches(ctx context.Context, site string) ([]record.Watched, error)
	Lately(ctx context.Context, watches []int64, since time.Time) (map[int64]watch.Course, error)
	RemoveWatch(ctx context.Context, site int64, name string) error
	Outages(ctx context.Context, site string, watchID int64, since time.Time, most int) ([]record.Outage, error)
	Changes(ctx context.Context, site, watchID int64, since time.Time, most int) ([]record.Noticed, error)
	Fronts(ctx context.Context, site string) ([]record.Front, error)
	SetFront(ctx context.Context, site int64, due *time.Time) error
	AddMaintenance(ctx context.Context, m record.Maintenance) (record.Maintenance, error)
	Maintenances(ctx context.Context, site int64, at time.Time) ([]record.Maintenance, error)
	RemoveMaintenance(ctx context.Context, site, id int64) error
	MarkCrawl(ctx context.Context, id int64, marked bool) error
	Known(ctx context.Context, secret, kind string) (record.Caller, error)
	Holds(ctx context.Context, credential int64) (bool, error)
	Credentials(ctx context.Context, person int64) ([]record.Credential, error)
	IssueToken(ctx context.Context, t record.NewToken) (string, error)
	IssueInvite(ctx context.Context, person int64) (string, error)
	Invited(ctx context.Context, secret string) (record.Person, error)
	Revoke(ctx context.Context, credential, person int64) error
	EndSessions(ctx context.Context, person, but int64) error
	Redeem(ctx context.Context, secret, kind string) (person int64, err error)
	IssueSession(ctx context.Context, half string, person int64, place, agent string) (string, error)
	People(ctx context.Context) ([]record.Person, error)
	Person(ctx context.Context, id int64) (record.Person, error)
	AddPerson(ctx context.Context, p record.Person) (int64, error)
	SetPerson(ctx context.Context, p record.Person) error
	EndPerson(ctx context.Context, id int64) error
	Rename(ctx context.Context, person int64, name string) error
	SetPassword(ctx context.Context, person int64, hash string) error
	LoginOf(ctx context.Context, name string) (record.Login, error)
	MayTry(ctx context.Context, name, place string) (bool, error)
	Tried(ctx context.Context, name, place string, good bool) error
	Passkeys(ctx context.Context, person int64) ([]record.Passkey, error)
	AddPasskey(ctx context.Context, p record.Passkey) error
	UsedPasskey(ctx context.Context, handle []byte, body json.RawMessage) error
	RemovePasskey(ctx context.Context, person, id int64) error
	BeginCeremony(ctx context.Context, person int64, body json.RawMessage) (secret string, err error)
	EndCeremony(ctx context.Context, person int64, secret string) (json.RawMessage, error)
	Pulse(ctx context.Context, site int64) (time.Time, error)
	Mentions(ctx context.Context, person int64) ([]record.Mention, error)
	ReadMentions(ctx context.Context, person int64, ids []int64) error
	PersonBy(ctx context.Context, issuer, subject, mail string) (person int64, err error)
	Note(ctx context.Context, t record.TrailStep) error
	Trail(ctx context.Context, q record.TrailQuery) ([]record.TrailStep, error)
	report.Source
}

// Crawls are started, watched and ended.
type Crawls interface {
	Start(ctx context.Context, site record.Site, p plan.Plan) (record.Crawl, error)
	Resume(ctx context.Context, rec record.Crawl) (record.Crawl, error)
	Continue(ctx context.Context, rec record.Crawl, p plan.Plan) (record.Crawl, error)
	Retune(ctx context.Context, id int64, p plan.Plan) (running bool, err error)
	Stop(ctx context.Context, id int64) (running bool, err error)
	Pause(ctx context.Context, id int64) (running bool, err error)
	Progress(id int64) (p record.Progress, ended <-chan struct{}, running bool)
	Rejudge(ctx context.Context, site record.Site, rec record.Crawl, read bool) error
	Try(ctx context.Context, site record.Site, rec record.Crawl, by plan.Plan) (record.Trial, error)
	RemoveCrawl(ctx context.Context, id int64) error
	RemoveSite(ctx context.Context, name string) error
}

// Decisions are what is decided about a site.
type Decisions interface {
	Waive(ctx context.Context, site record.Site, w record.Waiver) (record.Waiver, error)
	EndWaiver(ctx context.Context, site record.Site, id int64, who string) (record.Waiver, error)
	ImportFigures(ctx context.Context, site record.Site, taken record.Day, in io.Reader) (record.Import, error)
	SetImportance(ctx context.Context, site record.Site, figure string) error
	RemoveFigure(ctx context.Context, site record.Site, name string) error
}

// Work is done at the fixes.
type Work interface {
	Move(ctx context.Context, site record.Site, wish record.Wish) (record.Moves, error)
	Undo(ctx context.Context, site record.Site, batch int64, who string) (record.Moves, error)
}

// Rechecks look again at what fixes concern.
type Rechecks interface {
	Recheck(ctx context.Context, site record.Site, fixes []string, by string) (record.Recheck, error)
}

// Comparisons set crawls side by side.
type Comparisons interface {
	Drift(ctx context.Context, site record.Site, before, after record.Crawl) (*drift.Comparison, error)
	Speed(ctx context.Context, before *record.Crawl, after record.Crawl, by string) (*record.Speed, error)
	Trend(ctx context.Context, site record.Site, limit int) ([]record.TrendPoint, error)
	Gate(ctx context.Context, site record.Site, rec record.Crawl, against *record.Crawl,
		c gate.Conditions) (gate.Verdict, error)
	Standing(
		ctx context.Context, site record.Site, rec record.Crawl, against *record.Crawl,
	) (waived func(check, address string) (string, bool), failed func(check, address string) bool, err error)
}

// Looks judge one page at once.
type Looks interface {
	Look(ctx context.Context, in record.LookRequest) (*record.Look, error)
}

// Previews look at sites before they are crawled.
type Previews interface {
	Preview(ctx context.Context, site record.Site, p plan.Plan, who string) (*record.Preview, error)
}

// Schedules have sites crawled by themselves.
type Schedules interface {
	SetSchedule(ctx context.Context, site record.Site, c schedule.Schedule) error
	RemoveSchedule(ctx context.Context, site record.Site, name string) error
	RunSchedule(ctx context.Context, site record.Site, name string) (record.Crawl, error)
	HoldSchedules(ctx context.Context, hold bool) error
	SchedulesHeld(ctx context.Context) (bool, error)
	Coming(ctx context.Context, site string, days int) ([]record.Coming, error)
}

// Alerts tell what is worth it.
type Alerts interface {
	RulesOf(ctx context.Context, site record.Site) ([]record.SiteRule, error)
	SetRule(ctx context.Context, site record.Site, r alert.Rule) error
	RemoveRule(ctx context.Context, site record.Site, name string) error
	TryRule(ctx context.Context, site record.Site, r alert.Rule) (record.TriedRule, error)
}

// Watching looks at addresses again and again.
type Watching interface {
	SetWatch(ctx context.Context, site record.Site, one watch.Watch) error
	CourseOf(ctx context.Context, one record.Watched, from, until time.Time, bins int) (record.Course, error)
	LookAtFront(ctx context.Context, site record.Site) error
}

// Invitations are sent to those who are to come in.
type Invitations interface {
	Invite(ctx context.Context, to, name, link string, until time.Time) error
}

// Printing makes PDFs.
type Printing interface {
	Print(ctx context.Context, page []byte, paper string) ([]byte, error)
}

// Rooms are all that does the work.
type Rooms interface {
	Crawls
	Decisions
	Work
	Rechecks
	Comparisons
	Looks
	Previews
	Schedules
	Watching
	Alerts
	Invitations
	Printing
}

// A Service answers requests.
type Service struct {
	store   Store
	rooms   Rooms
	checks  *check.Catalogue
	sealer  Sealer
	log     *slog.Logger
	console fs.FS
	closing <-chan struct{}
	names   map[string]bool // that it goes by, besides addresses and localhost
	origins map[string]bool // those of them that were given with a scheme

	patience  patience
	passwords *password.Keeper
	providers Providers
	proxies   []netip.Prefix
	byPlace   *often
	byPerson  *often
}

// Config is what a Service needs besides the store and the runner.
type Config struct {
	Checks  *check.Catalogue
	Sealer  Sealer
	Console fs.FS // the built console
	Log     *slog.Logger
	Closing <-chan struct{} // ends live streams, so that a shutdown need not wait for them
	// that it goes by besides addresses and localhost: host names, or origins such as https://harvik.example
	Names []string
	// ranges of addresses of proxies that are believed about where a request comes from
	Proxies []string
	// of passwords; nil where nobody signs in by one
	Passwords *password.Keeper
	// speak to identity providers; nil where nobody signs in by one
	Providers Providers
	// how often each may ask; none for the usual
	Rates Rates
}

// New makes a service.
func New(s Store, r Rooms, c Config) *Service {
	out := &Service{store: s, rooms: r, checks: c.Checks, sealer: c.Sealer, log: c.Log, console: c.Console,
		closing: c.Closing, passwords: c.Passwords, providers: c.Providers, names: map[string]bool{},
		origins: map[string]bool{}, patience: usual}
	rates := cmp.Or(c.Rates, usualRates)
	out.byPlace, out.byPerson = newOften(rates.Place), newOften(rates.Person)
	for _, text := range c.Proxies {
		if p, err := prefixOf(text); err == nil {
			out.proxies = append(out.proxies, p)
		} else {
			out.log.Error("a proxy is not believed", "range", text, "reason", err.Error())
		}
	}
	for _, name := range c.Names {
		name = strings.ToLower(strings.TrimSuffix(name, "/"))
		if _, host, ok := strings.Cut(name, "://"); ok {
			out.origins[name] = true
			name = host
		}
		if host, _, err := net.SplitHostPort(name); err == nil {
			name = host
		}
		out.names[name] = true
	}
	return out
}

// prefixOf is a range of addresses, or a range of one.
func prefixOf(text string) (netip.Prefix, error) {
	if at, err := netip.ParseAddr(text); err == nil {
		return at.Prefix(at.BitLen())
	}
	return netip.ParsePrefix(text)
}

// Handler is the whole service, as an http.Handler that can list its routes.
func (s *Service) Handler() *gin.Engine {
	gin.SetMode(gin.ReleaseMode)
	g := gin.New()
	g.UseRawPath, g.UnescapePathValues = true, true
	g.HandleMethodNotAllowed = true
	var believed []string
	for _, p := range s.proxies {
		believed = append(believed, p.String())
	}
	_ = g.SetTrustedProxies(believed) // they are ranges: it takes them
	g.Use(s.logged, s.guarded, s.unstalled, s.secureHeaders, s.placePaced, s.named, wellFormed)
	s.routes(g)
	return g
}

// contentPolicy keeps a page to its own scripts and styles and out of frames. Styles that scripts write carry a nonce.
func contentPolicy(nonce string) string {
	styles := "'self'"
	if nonce != "" {
		styles += " 'nonce-" + nonce + "'"
	}
	return "default-src 'self'; style-src " + styles + "; img-src 'self' data:; object-src 'none'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
}

// secureHeaders are of every answer.
func (s *Service) secureHeaders(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", contentPolicy(""))
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	if s.scheme(c.Request) == "https" {
		h.Set("Strict-Transport-Security", "max-age=31536000")
	}
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "no-referrer")
}
