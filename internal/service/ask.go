package service

import (
	"errors"
	"fmt"
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
	c.JSON(http.StatusOK, api.FactTables{Tables: wire.Each(query.Tables, wire.FactTable)})
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
	refuse := func(name string, err error) (record.Asking, bool) {
		problem(c, http.StatusUnprocessableEntity, name+": "+err.Error())
		return out, false
	}
	of := c.DefaultQuery("of", query.Tables[0].Name)
	t := query.TableOf(of)
	if t == nil {
		return refuse("of", errors.New(unknown("table", of, query.Names())))
	}
	var err error
	if out.Question, err = t.Compile(c.Query("question")); err != nil {
		s.fail(c, err, "the question")
		return out, false
	}
	order := c.Query("order")
	order, out.Falling = strings.CutPrefix(order, "-")
	for _, one := range []struct {
		name, fact string
		into       *int
	}{{"order", order, &out.Order}, {"by", c.Query("by"), &out.By}, {"measure", c.Query("measure"), &out.Measure}} {
		*one.into = -1
		if one.fact == "" {
			continue
		}
		at, err := t.Chosen(one.fact)
		if err != nil {
			return refuse(one.name, err)
		}
		f := &t.Facts[at[0]]
		isNumber := f.Kind == query.Whole || f.Kind == query.Decimal
		if f.Kind == query.Figures || f.Long || one.name == "measure" && !isNumber {
			return refuse(one.name, fmt.Errorf("%s is %s, which this cannot go by", f.Name, f.Kind.Says()))
		}
		*one.into = at[0]
	}
	if out.Columns = out.Question.Shown(out.Order); c.Query("columns") != "" {
		if out.Columns, err = t.Chosen(strings.Split(c.Query("columns"), ",")...); err != nil {
			return refuse("columns", err)
		}
	}
	if out.Measure >= 0 && out.By < 0 {
		return refuse("measure", errors.New("it is measured in groups: say by which fact"))
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
