package service

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// Sealer encrypts secrets before they are stored.
type Sealer interface {
	Seal(secret, purpose string) []byte
}

// maxSecret is the longest secret: a client certificate with its chain and key fits.
const maxSecret = 64 << 10

func (s *Service) listSecrets(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	secrets, err := s.store.Secrets(c, site.ID)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	c.JSON(http.StatusOK, api.SecretList{Secrets: wire.Each(secrets, wire.Secret)})
}

// setSecret keeps a secret. It goes in and never comes out again: only crawls use it, and only
// for its host.
func (s *Service) setSecret(c *gin.Context) {
	var in api.NewSecret
	if !s.bind(c, &in) {
		return
	}
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	var faults plan.Faults
	if !plan.IsName(c.Param("secret")) {
		faults = append(faults, plan.Fault{Field: "secret",
			Reason: "the name of a secret has 1 to 64 small letters, digits or hyphens, such as members"})
	}
	if in.Value == "" || len(in.Value) > maxSecret {
		faults = append(faults, plan.Fault{Field: "value", Reason: "a secret has 1 to 65536 bytes"})
	}
	host, err := hostOf(in.Host, site.Home)
	if err != nil {
		faults = append(faults, plan.Fault{Field: "host", Reason: "a host name is wanted, without scheme and port"})
	}
	if faults != nil {
		s.fail(c, faults, "")
		return
	}
	sealed := s.sealer.Seal(in.Value, record.SecretPurpose(site.ID, c.Param("secret")))
	if err := s.store.SetSecret(c, site.ID, c.Param("secret"), host, site.Plan.Network(host), sealed); err != nil {
		s.fail(c, err, "the secret")
		return
	}
	c.Status(http.StatusNoContent)
}

// hostOf is the host that a secret is for: the one given, or the home page's.
func hostOf(host, home string) (string, error) {
	text := home
	if host != "" {
		text = "http://" + host + "/"
	}
	u, err := weburl.Parse(text)
	switch {
	case err != nil:
		return "", err
	case host != "" && (u.PathQuery() != "/" || strings.ContainsAny(host, "@#/") ||
		strings.LastIndexByte(host, ':') > strings.LastIndexByte(host, ']')):
		return "", fmt.Errorf("%q is no host name", host)
	}
	return u.Hostname(), nil
}

func (s *Service) removeSecret(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	if err := s.store.RemoveSecret(c, site.ID, c.Param("secret")); err != nil {
		s.fail(c, err, "the secret "+c.Param("secret")+" of "+siteWord(c))
		return
	}
	c.Status(http.StatusNoContent)
}

// listUses tells what a secret was opened for.
func (s *Service) listUses(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	uses, err := s.store.SecretUses(c, site.ID, c.Param("secret"))
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	c.JSON(http.StatusOK, api.SecretUseList{Uses: wire.Each(uses, wire.SecretUse)})
}
