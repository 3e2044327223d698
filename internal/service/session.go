package service

import (
	"errors"
	"net/http"
	"net/netip"
	"net/url"
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
	keyHeader = "Harvik-Session"
)

// callerKey is where a request's credential is kept.
const callerKey = "caller"

// caller is who sends a request.
func caller(c *gin.Context) record.Credential {
	v, _ := c.Get(callerKey)
	one, _ := v.(record.Credential)
	return one
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

// signIn trades a one-time link for a session.
func (s *Service) signIn(c *gin.Context) {
	var in api.SignIn
	if !s.bind(c, &in) {
		return
	}
	if err := s.store.Redeem(c, in.Link); errors.Is(err, record.ErrNotFound) {
		problem(c, http.StatusUnauthorized,
			"this link has been used, has run out, or a newer one was printed; print another with `harvik link`")
		return
	} else if err != nil {
		s.fail(c, err, "the link")
		return
	}
	half := store.NewSecret()
	key, err := s.store.IssueSession(c, half)
	if err != nil {
		s.fail(c, err, "the session")
		return
	}
	s.setCookie(c, half, int(store.SessionLife/time.Second))
	c.JSON(http.StatusOK, api.SessionKey{Key: key})
}

func (s *Service) setCookie(c *gin.Context, value string, seconds int) {
	c.SetSameSite(http.SameSiteStrictMode)
	c.SetCookie(cookie, value, seconds, "/", "", s.scheme(c.Request) == "https", true)
}

// authenticated lets in who has a token, both halves of a session or a ticket, and nobody else.
func (s *Service) authenticated(c *gin.Context) {
	secret, kind := "", store.Token
	half, err := c.Cookie(cookie)
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
	problem(c, http.StatusUnauthorized,
		"sign in first: programs with their token, browsers with the link that `harvik link` prints")
}

// scheme is that by which browsers reach the service.
func (s *Service) scheme(r *http.Request) string {
	if r.TLS != nil || s.origins["https://"+strings.ToLower(r.Host)] {
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
	c.JSON(http.StatusOK, api.Caller{Role: "owner", Kind: caller(c).Kind, Label: caller(c).Label})
}

func (s *Service) signOut(c *gin.Context) {
	if one := caller(c); one.Kind == store.Session {
		_ = s.store.Revoke(c, one.ID) // gone already is fine
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
	address, by, err := s.store.RedeemTicket(c, c.Query(ticketName))
	if err != nil && !errors.Is(err, record.ErrNotFound) {
		s.fail(c, err, "the link")
		return
	}
	if err != nil || c.Request.Method != http.MethodGet || address != canonical(c.Request.URL) {
		problem(c, http.StatusUnauthorized,
			"this download link has been used or has run out; go back and fetch the file again")
		return
	}
	holds, err := s.store.Holds(c, by.ID)
	switch {
	case err != nil:
		s.fail(c, err, "the credential")
	case !holds:
		s.refuse(c)
	default:
		c.Set(callerKey, by)
	}
}
