package service

import (
	"errors"
	"maps"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/record"
	"harvik/internal/store"
)

// A browser's session has two halves: one in a cookie, which no script reads, and one that the console's
// page keeps and sends in a header. Cookies know no ports, so every other server of the same host gets
// the first half when the browser visits it, and can do nothing with that alone.
const (
	cookie    = "harvik_session"
	hostOnly  = "__Host-" // before it by https: browsers take such a cookie from this host alone
	keyHeader = "Harvik-Session"
)

// callerKey is where a request's credential is kept.
const callerKey = "caller"

// caller is who sends a request.
func caller(c *gin.Context) record.Caller {
	v, _ := c.Get(callerKey)
	one, _ := v.(record.Caller)
	return one
}

// by is who asks, as histories name them.
func by(c *gin.Context) string {
	return caller(c).Name
}

// healthz tells that the process lives.
func (s *Service) healthz(c *gin.Context) { c.JSON(http.StatusOK, gin.H{"status": "ok"}) }

// readyz tells whether it can answer.
func (s *Service) readyz(c *gin.Context) {
	select {
	case <-s.closing:
		problem(c, http.StatusServiceUnavailable, "the service is ending")
		return
	default:
	}
	if err := s.store.Ping(c); err != nil {
		problem(c, http.StatusServiceUnavailable, "the database does not answer")
		return
	}
	c.JSON(http.StatusOK, gin.H{"status": "ready"})
}

// signIn trades a one-time link, or a name and a password, for a session.
func (s *Service) signIn(c *gin.Context) {
	var in api.SignIn
	if !s.bind(c, &in) {
		return
	}
	var person int64
	how := "by a link of the machine"
	switch {
	case in.Link != "":
		if !s.mayTry(c, "") {
			return
		}
		var err error
		if person, err = s.store.Redeem(c, in.Link, store.Link); errors.Is(err, record.ErrNotFound) {
			s.turnedAway(
				c,
				"this link has been used, has run out, or a newer one was printed; print another with `harvik link`",
			)
			return
		} else if err != nil {
			s.fail(c, err, "the link")
			return
		}
	default:
		if !fits(c, bounded{"name", in.Name, maxName}) {
			return
		}
		var ok bool
		if person, ok = s.byPassword(c, in.Name, in.Password); !ok {
			return
		}
		how = "by password"
	}
	s.signedIn(c, person, how)
}

// signedIn lets somebody in who has shown who they are, and answers.
func (s *Service) signedIn(c *gin.Context, person int64, how string) {
	s.leave(c) // a session that this browser has goes: what it was told before signing in is worth nothing after
	key, ok := s.letIn(c, person)
	if !ok {
		return
	}
	if p, err := s.store.Person(c, person); err == nil {
		s.arrived(c, p, "signIn", how)
	}
	c.JSON(http.StatusOK, api.SessionKey{Key: key})
}

// arrived notes in the trail that somebody came in, and how.
func (s *Service) arrived(c *gin.Context, p record.Person, what, how string) {
	s.note(
		c,
		record.TrailStep{Who: p.Name, Person: p.ID, Kind: store.Session, Place: s.place(c), What: what, Subject: how},
	)
}

// leave ends the session that a browser has, if it has one.
func (s *Service) leave(c *gin.Context) {
	half, err := c.Cookie(s.cookie(c))
	if err != nil || c.GetHeader(keyHeader) == "" {
		return
	}
	if who, err := s.store.Known(c, store.SessionSecret(half, c.GetHeader(keyHeader)), store.Session); err == nil {
		_ = s.store.Revoke(c, who.ID, who.Person) // gone already is fine
	}
}

func (s *Service) setCookie(c *gin.Context, value string, seconds int) {
	c.SetSameSite(http.SameSiteStrictMode)
	c.SetCookie(s.cookie(c), value, seconds, "/", "", s.scheme(c.Request) == "https", true)
}

// authenticated lets in who has a token, both halves of a session or a ticket, and nobody else.
func (s *Service) authenticated(c *gin.Context) {
	secret, kind := "", store.Token
	half, err := c.Cookie(s.cookie(c))
	switch bearer, ok := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer "); {
	case ok:
		secret = bearer
	case c.Query(ticketName) != "":
		s.withTicket(c)
		return
	case err == nil && s.sameOrigin(c.Request) && c.GetHeader(keyHeader) != "":
		secret, kind = store.SessionSecret(half, c.GetHeader(keyHeader)), store.Session
	}
	if secret != "" {
		one, err := s.store.Known(c, secret, kind)
		if err == nil {
			c.Set(callerKey, one)
			return
		}
		if !errors.Is(err, record.ErrNotFound) {
			s.fail(c, err, "the credential")
			return
		}
	}
	s.refuse(c)
}

func (s *Service) refuse(c *gin.Context) {
	c.Header("WWW-Authenticate", `Bearer realm="harvik"`)
	problem(
		c,
		http.StatusUnauthorized,
		"sign in first: programs with their token, browsers by name and password, or with the link that `harvik link` prints",
	)
}

// cookie is the name of the one that holds half of a session.
func (s *Service) cookie(c *gin.Context) string {
	if s.scheme(c.Request) == "https" {
		return hostOnly + cookie
	}
	return cookie
}

// believed tells whether a request comes from a proxy that is believed about whom it speaks for.
func (s *Service) believed(r *http.Request) bool {
	if len(s.proxies) == 0 {
		return false
	}
	from, err := netip.ParseAddrPort(r.RemoteAddr)
	return err == nil && slices.ContainsFunc(s.proxies, func(p netip.Prefix) bool {
		return p.Contains(from.Addr().Unmap())
	})
}

// scheme is that by which browsers reach the service.
func (s *Service) scheme(r *http.Request) string {
	if r.TLS != nil || s.origins["https://"+strings.ToLower(r.Host)] ||
		s.believed(r) && r.Header.Get("X-Forwarded-Proto") == "https" {
		return "https"
	}
	return "http"
}

// sameOrigin refuses requests that another site's page makes a signed-in browser send.
func (s *Service) sameOrigin(r *http.Request) bool {
	origin := r.Header.Get("Origin")
	if origin == "" {
		return r.Method == http.MethodGet || r.Method == http.MethodHead ||
			r.Header.Get("Sec-Fetch-Site") == "same-origin"
	}
	return origin == s.scheme(r)+"://"+r.Host
}

// named refuses requests for a host that the service does not go by: a name of somebody else's that
// leads here would be the origin of that somebody's page.
func (s *Service) named(c *gin.Context) {
	host := strings.ToLower(c.Request.Host)
	u, err := url.Parse("http://" + host)
	name := ""
	if err == nil {
		name = u.Hostname()
	}
	_, notAddress := netip.ParseAddr(name)
	switch {
	case name == "localhost", strings.HasSuffix(name, ".localhost"), name != "" && notAddress == nil, s.names[name]:
		return
	}
	problem(c, http.StatusMisdirectedRequest,
		"this service does not go by the name in the address; start it with --name and that name if it should")
}

func (s *Service) whoAmI(c *gin.Context) {
	who := caller(c)
	c.JSON(http.StatusOK, whoIs(&who))
}

// whoIs tells somebody who they are here, and what they may.
func whoIs(who *record.Caller) api.Caller {
	return api.Caller{Role: string(who.Role), Kind: who.Kind, Label: who.Label, Name: who.Name, Person: who.Person,
		Password: who.Password, Lists: who.Lists, Everywhere: who.All(), Sites: slices.Sorted(maps.Keys(who.Sites))}
}

func (s *Service) signOut(c *gin.Context) {
	if one := caller(c); one.Kind == store.Session {
		_ = s.store.Revoke(c, one.ID, one.Person) // gone already is fine
	}
	s.setCookie(c, "", -1)
	c.Status(http.StatusNoContent)
}

// A ticket lets a browser fetch one file by following a link, which carries no header. It works once, soon,
// for one address, and only as long as the session that it was made in.
const (
	ticketName = "ticket"
	ticketLife = time.Minute
)

// addTicket makes a ticket for an address of the API.
func (s *Service) addTicket(c *gin.Context) {
	var in api.NewTicket
	if !s.bind(c, &in) {
		return
	}
	u, err := url.Parse(in.Address)
	if err != nil || u.Host != "" || !strings.HasPrefix(u.Path, "/api/v1/") || u.Query().Has(ticketName) {
		problem(c, http.StatusUnprocessableEntity,
			"address is to be one of this API, such as /api/v1/sites/fernhollow/crawls/latest/export?as=xlsx")
		return
	}
	secret, err := s.store.AddTicket(c, canonical(u), caller(c).ID, ticketLife)
	if errors.Is(err, record.ErrBusy) {
		c.Header("Retry-After", retryLater)
		problem(c, http.StatusTooManyRequests, "too many downloads were asked for; try again in a minute")
		return
	}
	if err != nil {
		s.fail(c, err, "the link")
		return
	}
	query := u.Query()
	query.Set(ticketName, secret)
	u.RawQuery = query.Encode()
	c.JSON(http.StatusCreated, api.Ticket{Address: u.String()})
}

// canonical is an address with its query in order.
func canonical(u *url.URL) string {
	query := u.Query()
	query.Del(ticketName)
	return u.EscapedPath() + "?" + query.Encode()
}

// withTicket lets in who has a ticket for the address.
func (s *Service) withTicket(c *gin.Context) {
	address, by, err := s.store.RedeemTicket(c, c.Query(ticketName)) // by somebody who is still let in
	if err != nil && !errors.Is(err, record.ErrNotFound) {
		s.fail(c, err, "the link")
		return
	}
	if err != nil || c.Request.Method != http.MethodGet || address != canonical(c.Request.URL) {
		problem(c, http.StatusUnauthorized,
			"this download link has been used or has run out; go back and fetch the file again")
		return
	}
	c.Set(callerKey, by)
}
