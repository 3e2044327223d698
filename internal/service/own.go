package service

import (
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/own"
	"harvik/internal/core/plan"
	"harvik/internal/wire"
)

func (s *Service) ownSchema(c *gin.Context) { c.JSON(http.StatusOK, plan.OwnSchema()) }

// addChecks adds the checks of a file to a site's plan, in place of what had their names.
func (s *Service) addChecks(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	p, added, ok := s.withFile(c, site.Plan)
	if !ok {
		return
	}
	if err := s.store.SetPlan(c, site.Name, p); err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	all := s.checksOf(p)
	out := api.CheckList{Groups: all.Groups, Version: all.Version, Checks: []api.Check{}}
	for i := range added {
		out.Checks = append(out.Checks, wire.CheckOf(all.Find(added[i].ID)))
	}
	c.JSON(http.StatusOK, out)
}

// withFile reads a file of checks, and adds them to a plan; on failure it has answered.
func (s *Service) withFile(c *gin.Context, p plan.Plan) (out plan.Plan, added []plan.OwnCheck, ok bool) {
	data, ok := bodyOf(c, plan.MaxBytes, "the file", fmt.Sprintf("a file of checks has at most %d MiB", plan.MaxBytes>>20))
	if !ok {
		return p, nil, false
	}
	known := own.Known(s.checks)
	added, err := plan.ReadOwn(data, known)
	if err == nil {
		p = p.WithOwn(added)
		err = p.Validate(known)
	}
	if err != nil {
		s.fail(c, err, "")
		return p, nil, false
	}
	return p, added, true
}

// removeCheck takes a check out of a site's plan.
func (s *Service) removeCheck(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	id := c.Param("check")
	p, there := site.Plan.WithoutOwn(id)
	switch {
	case !there && s.checks.Find(id) != nil:
		problem(c, http.StatusConflict, fmt.Sprintf(
			"%s comes with Harvik; it is switched off by the plan: checks: [{check: %s, off: true, because: …}]", id, id))
		return
	case !there:
		problem(c, http.StatusNotFound, unknownCheck(s.checksOf(site.Plan), id))
		return
	}
	if err := s.store.SetPlan(c, site.Name, p); err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	c.Status(http.StatusNoContent)
}

// tryRules tells what a crawl would come to by other rules: by changes of the site's plan, or by further checks.
func (s *Service) tryRules(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	var p plan.Plan
	if c.Query("add") == "true" {
		p, _, ok = s.withFile(c, site.Plan)
	} else {
		p, ok = s.readPlan(c, site.Plan)
	}
	if !ok {
		return
	}
	trial, err := s.rooms.Try(c, site, cr, p)
	if err != nil {
		s.fail(c, err, "the crawl")
		return
	}
	checks := s.checksOf(p.WithOwn(missing(site.Plan.Own, p)))
	c.JSON(http.StatusOK, wire.Trial(&trial, func(check string) string {
		if one := checks.Find(check); one != nil {
			return one.Title
		}
		return check
	}))
}

// missing are the checks of a list that a plan does not have.
func missing(list []plan.OwnCheck, p plan.Plan) (out []plan.OwnCheck) {
	for i := range list {
		if _, has := p.WithoutOwn(list[i].ID); !has {
			out = append(out, list[i])
		}
	}
	return out
}
