package service

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/rendered"
	"harvik/internal/wire"
)

// showRenderings tells what a browser made of a page.
func (s *Service) showRenderings(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	d, ok := s.pageOf(c, cr)
	if !ok {
		return
	}
	out := api.Renderings{Address: d.Address, Renderings: []api.Rendering{}}
	err := s.store.EachRendering(c, cr.ID, []int32{d.ID}, func(_ int32, on []rendered.Page) error {
		out.Renderings = wire.Each(on, wire.Rendering)
		return nil
	})
	if err != nil {
		s.fail(c, err, "the renderings")
		return
	}
	c.JSON(http.StatusOK, out)
}

// showScreen gives the picture of a first view.
func (s *Service) showScreen(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	picture, err := s.store.Screen(c, cr.ID, c.Param("screen"))
	if err != nil {
		s.fail(c, err, "the picture "+c.Param("screen"))
		return
	}
	c.Header("Cache-Control", "private, max-age=31536000, immutable")
	c.Data(http.StatusOK, "image/webp", picture)
}
