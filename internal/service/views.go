package service

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// listViews tells the views of a site: those that come with Harvik, those for all sites, its own.
func (s *Service) listViews(c *gin.Context) {
	site, ok := s.siteAsked(c)
	if !ok {
		return
	}
	kept, err := s.store.Views(c, site.Name)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	out := api.ViewList{Views: wire.Each(query.Views, wire.ShippedView)}
	out.Views = append(out.Views, wire.Each(kept, wire.View)...)
	c.JSON(http.StatusOK, out)
}

// keepView keeps a view under a name.
func (s *Service) keepView(c *gin.Context) {
	var in api.NewView
	if !s.bind(c, &in) {
		return
	}
	site, ok := s.siteAsked(c)
	if !ok {
		return
	}
	v := wire.ViewFrom(c.Param("view"), &in)
	if !plan.IsName(v.Name) {
		problem(c, http.StatusUnprocessableEntity,
			"the name of a view has 1 to 64 small letters, digits or hyphens, such as thin-plant-pages")
		return
	}
	if err := v.Check(); err != nil {
		s.fail(c, err, "the question")
		return
	}
	if err := s.store.KeepView(c, site.Name, v); err != nil {
		s.fail(c, err, "the site")
		return
	}
	kept := record.KeptView{View: v, Site: site.Name}
	c.JSON(http.StatusOK, wire.View(&kept))
}

// removeView forgets one.
func (s *Service) removeView(c *gin.Context) {
	site, ok := s.siteAsked(c)
	if !ok {
		return
	}
	name := c.Param("view")
	for i := range query.Views {
		if query.Views[i].Name == name {
			problem(c, http.StatusConflict, name+" comes with Harvik and stays")
			return
		}
	}
	if err := s.store.RemoveView(c, site.Name, name); err != nil {
		s.fail(c, err, "the view "+name)
		return
	}
	c.Status(http.StatusNoContent)
}

// siteAsked is the site that the query names, one without a name if it names none; where there is no such, it has
// answered.
func (s *Service) siteAsked(c *gin.Context) (site record.Site, ok bool) {
	name := c.Query("site")
	if name == "" {
		return site, true
	}
	c.AddParam("site", name)
	return s.siteOf(c)
}
