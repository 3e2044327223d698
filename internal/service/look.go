package service

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// maxPage bounds a page that is sent to be looked at, in bytes of its JSON.
const maxPage = 18 << 20

// look fetches and judges one page without a site.
func (s *Service) look(c *gin.Context) {
	var in api.LookRequest
	if !s.bindUpTo(c, &in, maxPage) {
		return
	}
	if in.Address == "" && in.HTML == "" {
		problem(c, http.StatusUnprocessableEntity, "say what to look at: an address, or the HTML of a page")
		return
	}
	out, err := s.rooms.Look(c, record.LookRequest{Address: in.Address, HTML: in.HTML, Check: in.Check,
		Render: in.Render})
	if err != nil {
		s.fail(c, err, "the page")
		return
	}
	c.JSON(http.StatusOK, wire.Look(out))
}

// judgeCrawl judges a finished crawl anew.
func (s *Service) judgeCrawl(c *gin.Context) {
	site, cr, ok := s.siteAndCrawl(c)
	if !ok {
		return
	}
	if err := s.rooms.Rejudge(c, site, cr, c.Query("read") == "true"); err != nil {
		s.fail(c, err, "the crawl")
		return
	}
	if cr, ok = s.crawl(c); ok {
		c.JSON(http.StatusOK, wire.Crawl(&cr))
	}
}
