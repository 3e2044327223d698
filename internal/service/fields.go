package service

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/field"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/limit"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// tryField takes a field from one page of a crawl, whose source is kept.
func (s *Service) tryField(c *gin.Context) {
	var in api.Field
	if !s.bind(c, &in) {
		return
	}
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	f := wire.FieldFrom(&in)
	if f.Name == "" {
		f.Name = "value"
	}
	if faults := field.Faults(&f); len(faults) > 0 {
		s.fail(c, plan.Faults(faults), "")
		return
	}
	fields, err := field.New([]plan.Field{f})
	if err != nil {
		s.fail(c, err, "the field")
		return
	}
	fields.Run = limit.Within(limit.FieldTime)
	d, ok := s.pageOf(c, cr)
	if !ok {
		return
	}
	out := api.FieldValue{}
	kept := false
	if err := s.store.EachSource(c, cr.ID, []int32{d.ID}, func(p record.KeptPage) error {
		kept = true
		taken := fields.Take(field.Page{Source: page.Decode(p.Body, p.Encoding), Header: d.Facts.HeaderValues})
		out.Value, out.Known = taken[f.Name]
		return nil
	}); err != nil {
		s.fail(c, err, "the source")
		return
	}
	if !kept {
		problem(c, http.StatusConflict, "no source is kept of "+d.Address+": it is no HTML page, or the crawl keeps none")
		return
	}
	c.JSON(http.StatusOK, out)
}
