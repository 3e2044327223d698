package service

import (
	"fmt"
	"net/http"
	"net/netip"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/fetch"
)

// Widest ranges that can be allowed, in bits of their prefix: those of the largest private networks.
const (
	widest4 = 8
	widest6 = 7
)

// rangeOf reads a range, or one address, that a site may be in.
func rangeOf(text string) (netip.Prefix, string) {
	p, err := netip.ParsePrefix(text)
	if err != nil {
		addr, aerr := netip.ParseAddr(text)
		if aerr != nil || addr.Zone() != "" {
			return p, fmt.Sprintf("%q is no range of addresses; write one such as 127.0.0.0/8, or one address such as 10.1.2.3", text)
		}
		p = netip.PrefixFrom(addr.Unmap(), addr.Unmap().BitLen())
	}
	p = p.Masked()
	switch {
	case p.Addr().Is4() && p.Bits() < widest4, p.Addr().Is6() && p.Bits() < widest6:
		return p, fmt.Sprintf("%s is wider than any private network; allow what the site needs, such as 10.1.0.0/16", p)
	case (fetch.Guard{}).Permits(p.Addr()):
		return p, fmt.Sprintf("%s is public, so it needs no allowance", p)
	}
	return p, ""
}

// allow lets a site's hosts be in a range that is not public.
func (s *Service) allow(c *gin.Context) {
	var in api.Allowance
	site, ok := s.siteOf(c)
	if !ok || !s.bind(c, &in) {
		return
	}
	p, fault := rangeOf(in.Range)
	if fault != "" {
		problem(c, http.StatusUnprocessableEntity, "range: "+fault)
		return
	}
	if err := s.store.Allow(c, site.ID, p.String(), by(c)); err != nil {
		s.fail(c, err, "the allowance")
		return
	}
	s.log.Info("range allowed", "site", site.Name, "range", p.String(), "by", by(c))
	s.showSite(c)
}

// disallow takes it back. Crawls that run keep what they began with.
func (s *Service) disallow(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	p, _ := rangeOf(c.Query("range"))
	if err := s.store.Disallow(c, site.ID, p.String()); err != nil {
		s.fail(c, err, fmt.Sprintf("an allowance of %s for %s", c.Query("range"), site.Name))
		return
	}
	c.Status(http.StatusNoContent)
}
