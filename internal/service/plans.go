package service

import (
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"
	"go.yaml.in/yaml/v3"

	"harvik/internal/api"
	"harvik/internal/core/own"
	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// siteOf finds the site that the path names; on failure it has answered.
func (s *Service) siteOf(c *gin.Context) (record.Site, bool) {
	site, err := s.store.Site(c, c.Param("site"))
	if errors.Is(err, record.ErrNotFound) {
		s.noSite(c)
		return site, false
	}
	if err != nil {
		s.fail(c, err, siteWord(c))
		return site, false
	}
	return site, true
}

func siteNameOf(one *record.Site) string { return one.Name }

// noSite says that there is no site of the name in the path, and what was probably meant.
func (s *Service) noSite(c *gin.Context) {
	name := c.Param("site")
	sites, err := s.store.Sites(c)
	if err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	var names []string
	for _, one := range mine(c, sites, siteNameOf) {
		names = append(names, one.Name)
		if sameHost(name, one.Home) {
			problem(c, http.StatusNotFound,
				fmt.Sprintf("sites go by their names, not by their addresses: did you mean %q?", one.Name))
			return
		}
	}
	problem(c, http.StatusNotFound, unknownSite(name, names))
}

// sameHost tells whether a text is an address on the host of another, or that host.
func sameHost(text, home string) bool {
	u, err := weburl.Parse(text)
	if err != nil || !u.IsHTTP() {
		u, err = weburl.Parse("http://" + text)
	}
	h, bad := weburl.Parse(home)
	return err == nil && bad == nil && strings.TrimPrefix(u.Hostname(), "www.") == strings.TrimPrefix(h.Hostname(),
		"www.")
}

// unknownSite words it.
func unknownSite(name string, names []string) string {
	out := fmt.Sprintf("there is no site %q", name)
	near := plan.Nearest(strings.ToLower(name), names)
	switch {
	case strings.Contains(name, "/") || strings.Contains(name, "."):
		out = fmt.Sprintf("%q looks like an address, and sites go by names; take it under care first: `harvik site add NAME %s`", name, name)
	case near != "":
		out += fmt.Sprintf(", did you mean %q?", near)
	case len(names) == 0:
		out += "; no site is under care yet: `harvik site add " + name + " ADDRESS`"
	case len(names) < 20:
		out += "; there are " + strings.Join(names, ", ")
	default:
		out += "; `harvik site list` shows them"
	}
	return out
}

func (s *Service) planSchema(c *gin.Context) { c.JSON(http.StatusOK, plan.Schema()) }

func (s *Service) listProfiles(c *gin.Context) {
	c.JSON(http.StatusOK, api.ProfileList{Profiles: wire.Each(plan.Profiles, wire.Profile),
		Agents: wire.Each(plan.Agents, wire.Agent)})
}

func (s *Service) showPlan(c *gin.Context) {
	if site, ok := s.siteOf(c); ok {
		c.JSON(http.StatusOK, site.Plan.WithDefaults())
	}
}

// setPlan replaces the plan; what the body leaves out has its default.
func (s *Service) setPlan(c *gin.Context) {
	if p, ok := s.readPlan(c, plan.Plan{}); ok {
		s.storePlan(c, p)
	}
}

// changePlan changes what the body names and leaves the rest.
func (s *Service) changePlan(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	if p, ok := s.readPlan(c, site.Plan); ok {
		s.storePlan(c, p)
	}
}

// readPlan reads a plan, in YAML or JSON, on top of base; on failure it has answered.
func (s *Service) readPlan(c *gin.Context, base plan.Plan) (plan.Plan, bool) {
	data, ok := bodyOf(c, plan.MaxBytes, "the plan", fmt.Sprintf("a plan has at most %d MiB", plan.MaxBytes>>20))
	if !ok {
		return base, false
	}
	p, err := plan.ReadValid(data, base, own.Known(s.checks))
	if err != nil {
		s.fail(c, err, "")
		return base, false
	}
	return p, true
}

func (s *Service) storePlan(c *gin.Context, p plan.Plan) {
	if err := s.store.SetPlan(c, c.Param("site"), p); err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	c.JSON(http.StatusOK, p.WithDefaults())
}

// checkPlan tells what a plan's text comes to, without keeping it: filled in, and as YAML of what
// differs from the defaults.
func (s *Service) checkPlan(c *gin.Context) {
	p, ok := s.readPlan(c, plan.Plan{})
	if !ok {
		return
	}
	var text strings.Builder
	e := yaml.NewEncoder(&text)
	e.SetIndent(2)
	if err := e.Encode(plan.Differences(p)); err != nil {
		s.fail(c, err, "the plan")
		return
	}
	c.JSON(http.StatusOK, api.CheckedPlan{Plan: p.WithDefaults(), Text: text.String()})
}

// previewPlan looks at the site by the plan in the body, or by its own.
func (s *Service) previewPlan(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	p := site.Plan
	if c.Request.ContentLength != 0 {
		if p, ok = s.readPlan(c, plan.Plan{}); !ok {
			return
		}
	}
	preview, err := s.rooms.Preview(c, site, p, by(c))
	if err != nil {
		s.fail(c, err, "the preview")
		return
	}
	c.JSON(http.StatusOK, wire.Preview(preview))
}
