package service

import (
	"errors"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// listFacts tells what can be asked about.
func (s *Service) listFacts(c *gin.Context) {
	c.JSON(http.StatusOK, api.FactTables{Tables: wire.Each(query.Tables, wire.FactTable),
		Comparisons: wire.Each(query.Comparisons, wire.FormComparison)})
}

// readQuestion tells what a question says, as a form shows it, or what is wrong with it.
func (s *Service) readQuestion(c *gin.Context) {
	t := query.TableOf(c.DefaultQuery("of", query.Tables[0].Name))
	if t == nil {
		s.fail(c, &query.Fault{Part: "of", Says: unknown("table", c.Query("of"), query.Names())}, "")
		return
	}
	q, err := t.Compile(c.Query("question"))
	var mistakes query.Mistakes
	switch {
	case errors.As(err, &mistakes):
		c.JSON(http.StatusOK, api.QuestionReading{Faults: wire.Faults(faultsOf(mistakes)), Parts: []api.QuestionPart{}})
	case err != nil:
		s.fail(c, err, "the question")
	default:
		c.JSON(http.StatusOK, wire.Reading(q))
	}
}

// overview tells what a crawl found, in numbers.
func (s *Service) overview(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	var out api.Overview
	for i := range query.Overview {
		panel := &query.Overview[i]
		asked := record.Asking{Site: cr.SiteID, Bins: panel.Bins}
		var err error
		if asked.Asked, err = panel.Understand(); err == nil {
			var answer record.Answer
			if answer, err = s.store.Ask(c, cr.ID, asked); err == nil {
				out.Panels = append(out.Panels, wire.Overview(panel, &asked, &answer))
			}
		}
		if err != nil {
			s.fail(c, err, "the overview")
			return
		}
	}
	c.JSON(http.StatusOK, out)
}

// ask answers a question of a crawl.
func (s *Service) ask(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	asked, ok := s.asking(c)
	if !ok {
		return
	}
	asked.Site = cr.SiteID
	answer, err := s.store.Ask(c, cr.ID, asked)
	if err != nil {
		s.fail(c, err, "the answer")
		return
	}
	c.JSON(http.StatusOK, wire.Answer(&asked, &answer))
}

// asking reads a question with how it is to be answered; where it cannot, it has answered.
func (s *Service) asking(c *gin.Context) (out record.Asking, ok bool) {
	view := query.View{Of: c.Query("of"), Question: c.Query("question"), Order: c.Query("order"), By: c.Query("by"),
		Measure: c.Query("measure")}
	if columns := c.Query("columns"); columns != "" {
		view.Columns = strings.Split(columns, ",")
	}
	var err error
	if out.Asked, err = view.Understand(); err != nil {
		s.fail(c, err, "the question")
		return out, false
	}
	if out.Skip, ok = number(c, "after", 0, 0, 1<<31-1); !ok {
		return out, false
	}
	out.Limit, ok = number(c, "limit", 200, 1, 10_000)
	return out, ok
}

// faultsOf are the mistakes of a question as faults of what was sent.
func faultsOf(mistakes query.Mistakes) (out []plan.Fault) {
	for _, m := range mistakes {
		out = append(out, plan.Fault{Field: "question", Reason: m.Says, Line: m.Line, Column: m.Column})
	}
	return out
}
