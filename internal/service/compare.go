package service

import (
	"errors"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/neardup"
	"harvik/internal/core/text"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// comparePages sets the main texts of two pages side by side.
func (s *Service) comparePages(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	var texts, addresses [2]string
	for i, name := range []string{"a", "b"} {
		at, ok := addressIn(c, cr, name)
		if !ok {
			return
		}
		d, err := s.store.Page(c, cr.ID, at)
		if err != nil {
			s.fail(c, err, "in this crawl the address "+at)
			return
		}
		if d.Row == nil || !d.Row.HTML {
			problem(c, http.StatusConflict, at+" is no page that was read, so it has no text to compare")
			return
		}
		addresses[i], texts[i] = d.Address, d.MainText
	}
	a, b := text.Shingle(texts[0]), text.Shingle(texts[1])
	for _, set := range []*[]uint64{&a.Shingles, &b.Shingles} {
		slices.Sort(*set)
		*set = slices.Compact(*set)
	}
	c.JSON(http.StatusOK, api.Comparison{
		A: addresses[0], B: addresses[1], WordsA: a.Words, WordsB: b.Words,
		Likeness: neardup.Jaccard(a.Shingles, b.Shingles),
		Passages: wire.Each(text.Differ(texts[0], texts[1]), wire.Passage),
	})
}

// listLayouts shows the templates that pages are built from.
func (s *Service) listLayouts(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	layouts, err := s.store.Layouts(c, cr.ID)
	if err != nil {
		s.fail(c, err, "the layouts")
		return
	}
	sheet, err := s.store.Sheet(c, cr.ID, "")
	if err != nil && !errors.Is(err, record.ErrNotFound) {
		s.fail(c, err, "the layouts")
		return
	}
	for i := range layouts {
		if sheet != nil {
			layouts[i].Name = sheet.LayoutName(int32(layouts[i].Layout))
		}
	}
	c.JSON(http.StatusOK, api.LayoutList{Layouts: wire.Each(layouts, wire.Layout)})
}
