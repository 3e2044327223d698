package service

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/check"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// showDrift sets a crawl and an earlier one side by side: the one that "from" names, or the finished
// one before it.
func (s *Service) showDrift(c *gin.Context) {
	site, after, ok := s.siteAndCrawl(c)
	if !ok {
		return
	}
	before, ok := s.earlier(c, site, after)
	if !ok {
		return
	}
	if before == nil {
		problem(c, http.StatusConflict, "there is no earlier crawl to compare with")
		return
	}
	d, err := s.rooms.Drift(c, site, *before, after)
	if err != nil {
		s.fail(c, err, "the crawl")
		return
	}
	c.JSON(http.StatusOK, api.DriftBetween{Before: before.Number, After: after.Number, Drift: wire.Drift(d)})
}

// showSpeed tells how soon rendered pages stand, beside an earlier crawl.
func (s *Service) showSpeed(c *gin.Context) {
	site, after, ok := s.siteAndCrawl(c)
	if !ok {
		return
	}
	by := cmp.Or(c.Query("by"), record.ByLayout)
	if by != record.ByLayout && by != record.BySection {
		problem(c, http.StatusUnprocessableEntity, fmt.Sprintf("%q is neither %s nor %s", by, record.ByLayout, record.BySection))
		return
	}
	before, ok := s.earlier(c, site, after)
	if !ok {
		return
	}
	out, err := s.rooms.Speed(c, before, after, by)
	if err != nil {
		s.fail(c, err, "the renderings")
		return
	}
	c.JSON(http.StatusOK, wire.Speed(out))
}

// earlier is the crawl that "from" names, or the finished one before; nil if there is none.
func (s *Service) earlier(c *gin.Context, site record.Site, after record.Crawl) (*record.Crawl, bool) {
	n, ok := number(c, "from", 0, 1, 1<<31-1)
	if !ok {
		return nil, false
	}
	if n >= after.Number {
		problem(c, http.StatusUnprocessableEntity,
			fmt.Sprintf("crawl %d is not earlier than crawl %d", n, after.Number))
		return nil, false
	}
	var before record.Crawl
	var err error
	if n == 0 {
		before, err = s.store.Before(c, site.ID, after.Number)
	} else {
		before, err = s.store.Crawl(c, site.Name, n)
	}
	switch {
	case n == 0 && errors.Is(err, record.ErrNotFound):
		return nil, true
	case err != nil:
		s.fail(c, err, "the crawl to compare with")
		return nil, false
	}
	return &before, true
}

func (s *Service) showTrend(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	limit, ok := number(c, "limit", 24, 1, 200)
	if !ok {
		return
	}
	points, err := s.rooms.Trend(c, site, limit)
	if err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	c.JSON(http.StatusOK, api.Trend{Site: site.Name, Points: wire.Each(points, wire.TrendPoint)})
}

// passGate holds a crawl against the conditions of the body.
func (s *Service) passGate(c *gin.Context) {
	site, cr, ok := s.siteAndCrawl(c)
	if !ok {
		return
	}
	var body api.GateConditions
	if !s.bind(c, &body) {
		return
	}
	in, err := wire.ConditionsOf(&body)
	if err != nil {
		problem(c, http.StatusUnprocessableEntity, err.Error())
		return
	}
	if in.MinHealth < 0 || in.MinHealth > 100 {
		problem(c, http.StatusUnprocessableEntity, "minHealth is a number of points from 0 to 100")
		return
	}
	checks := s.checksOf(cr.Plan)
	for id := range in.Max {
		if !checks.Known().Check(id) {
			problem(c, http.StatusUnprocessableEntity, unknownCheck(checks, id))
			return
		}
	}
	if in.MinHealth == 0 && in.NoNew == nil && len(in.Max) == 0 {
		problem(c, http.StatusUnprocessableEntity, "a gate needs a condition: minHealth, noNew or max")
		return
	}
	against, ok := s.earlier(c, site, cr)
	if !ok {
		return
	}
	v, err := s.rooms.Gate(c, site, cr, against, in)
	if err != nil {
		s.fail(c, err, "the crawl")
		return
	}
	c.JSON(http.StatusOK, wire.GateVerdict(&v))
}

func checkIDs(checks *check.Catalogue) []string {
	ids := make([]string, len(checks.Checks))
	for i, k := range checks.Checks {
		ids[i] = k.ID
	}
	return ids
}

// showMap tells where the sore spots are.
func (s *Service) showMap(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	m, err := s.store.Map(c, cr.ID)
	if errors.Is(err, record.ErrNotFound) {
		problem(c, http.StatusConflict,
			fmt.Sprintf("crawl %d has no map: it is not finished, or was made by an earlier Harvik; `harvik judge %s@%d` judges it anew", cr.Number, cr.Site, cr.Number))
		return
	}
	if err != nil {
		s.fail(c, err, "the map")
		return
	}
	c.JSON(http.StatusOK, api.Map{Sections: wire.Each(m.Sections, wire.MapSection),
		Cells: wire.Each(m.Cells, wire.MapCell), Groups: s.checks.Groups})
}
