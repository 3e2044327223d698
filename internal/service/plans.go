package service

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"
	"go.yaml.in/yaml/v3"

	"harvik/internal/core/checks"
	"harvik/internal/core/plan"
	"harvik/internal/record"
)

// siteOf finds the site that the path names; on failure it has answered.
func (s *Service) siteOf(c *gin.Context) (record.Site, bool) {
	site, err := s.store.Site(c, c.Param("site"))
	if err != nil {
		s.fail(c, err, siteWord(c))
		return site, false
	}
	return site, true
}

func (s *Service) planSchema(c *gin.Context) { c.JSON(http.StatusOK, plan.Schema()) }

func (s *Service) listProfiles(c *gin.Context) {
	c.JSON(http.StatusOK, gin.H{"profiles": plan.Profiles, "agents": plan.Agents})
}

func (s *Service) showPlan(c *gin.Context) {
	if site, ok := s.siteOf(c); ok {
		c.JSON(http.StatusOK, site.Plan)
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
	if p, ok := s.readPlan(c, plan.Plan(site.Plan)); ok {
		s.storePlan(c, p)
	}
}

// readPlan reads a plan, in YAML or JSON, on top of base; on failure it has answered.
func (s *Service) readPlan(c *gin.Context, base plan.Plan) (plan.Plan, bool) {
	data, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, plan.MaxBytes))
	var big *http.MaxBytesError
	switch {
	case errors.As(err, &big):
		problem(c, http.StatusRequestEntityTooLarge, fmt.Sprintf("a plan has at most %d MiB", plan.MaxBytes>>20))
		return base, false
	case err != nil:
		problem(c, http.StatusBadRequest, "the plan did not arrive whole: "+err.Error())
		return base, false
	}
	p, err := plan.ReadValid(data, base, checks.Known)
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
	c.JSON(http.StatusOK, gin.H{"plan": p.WithDefaults(), "text": text.String()})
}

// previewPlan looks at the site by the plan in the body, or by its own.
func (s *Service) previewPlan(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	p := plan.Plan(site.Plan)
	if c.Request.ContentLength != 0 {
		if p, ok = s.readPlan(c, plan.Plan{}); !ok {
			return
		}
	}
	preview, err := s.runner.Preview(c, site, p, caller(c).Label)
	if err != nil {
		s.fail(c, err, "the preview")
		return
	}
	c.JSON(http.StatusOK, preview)
}
