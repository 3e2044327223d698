package service

import (
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"harvik/internal/store"
)

// cookie holds a browser's session.
const cookie = "harvik_session"

// sessionSeconds is how long a browser stays signed in.
const sessionSeconds = int(store.SessionLife / 1e9)

func (s *Service) healthz(c *gin.Context) {
	if err := s.store.Ping(c); err != nil {
		problem(c, http.StatusServiceUnavailable, "the database does not answer")
		return
	}
	c.JSON(http.StatusOK, gin.H{"status": "ok"})
}

// signIn trades a one-time link for a session.
func (s *Service) signIn(c *gin.Context) {
	var in struct {
		Link string `json:"link"`
	}
	if !s.bind(c, &in) {
		return
	}
	if err := s.store.Redeem(c, in.Link); err != nil {
		problem(c, http.StatusUnauthorized, "this link has been used or has run out; print a new one with `harvik link`")
		return
	}
	session, err := s.store.IssueSession(c)
	if err != nil {
		s.fail(c, err, "the session")
		return
	}
	c.SetSameSite(http.SameSiteStrictMode)
	c.SetCookie(cookie, session, sessionSeconds, "/", "", c.Request.TLS != nil, true)
	c.Status(http.StatusNoContent)
}

// authenticated lets in who has a token or a session, and nobody else.
func (s *Service) authenticated(c *gin.Context) {
	secret, kind := "", store.Token
	if bearer, ok := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer "); ok {
		secret = bearer
	} else if value, err := c.Cookie(cookie); err == nil && sameOrigin(c.Request) {
		secret, kind = value, store.Session
	}
	if secret != "" {
		ok, err := s.store.Knows(c, secret, kind)
		if err != nil {
			s.fail(c, err, "the credential")
			return
		}
		if ok {
			return
		}
	}
	c.Header("WWW-Authenticate", `Bearer realm="harvik"`)
	problem(c, http.StatusUnauthorized, "sign in first: programs with their token, browsers with the link that `harvik link` prints")
}

// sameOrigin refuses requests that another site's page makes a signed-in browser send.
func sameOrigin(r *http.Request) bool {
	origin := r.Header.Get("Origin")
	if origin == "" {
		return r.Method == http.MethodGet || r.Method == http.MethodHead || r.Header.Get("Sec-Fetch-Site") == "same-origin"
	}
	u, err := url.Parse(origin)
	return err == nil && u.Host == r.Host
}

func (s *Service) whoAmI(c *gin.Context) { c.JSON(http.StatusOK, gin.H{"role": "owner"}) }

func (s *Service) signOut(c *gin.Context) {
	if value, err := c.Cookie(cookie); err == nil {
		_ = s.store.EndSession(c, value) // gone already is fine
	}
	c.SetCookie(cookie, "", -1, "/", "", c.Request.TLS != nil, true)
	c.Status(http.StatusNoContent)
}
