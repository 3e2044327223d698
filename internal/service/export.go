package service

import (
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"harvik/internal/core/check"
	"harvik/internal/record"
	"harvik/internal/report"
	"harvik/internal/spool"
)

// export streams a crawl's results.
func (s *Service) export(c *gin.Context) {
	site, cr, ok := s.siteAndCrawl(c)
	if !ok {
		return
	}
	form, err := report.FormOf(c.Query("as"))
	if err != nil {
		problem(c, http.StatusUnprocessableEntity, err.Error())
		return
	}
	var only report.Selection
	for _, name := range list(c.Query("severity")) {
		var v check.Severity
		if err := v.UnmarshalText([]byte(name)); err != nil {
			problem(c, http.StatusUnprocessableEntity, err.Error())
			return
		}
		only.Severities = append(only.Severities, v)
	}
	for _, section := range list(c.Query("section")) {
		if !folder(c, section) {
			return
		}
		only.Sections = append(only.Sections, section)
	}
	made := &report.Handover{From: s.store, Run: report.Run{Crawl: cr, Catalog: s.checksOf(cr.Plan).Checks, Only: only}}
	if form.Takes == report.Findings {
		ok = s.compared(c, site, &made.Run)
	} else {
		made.Sheets, ok = s.sheets(c, site, form, &made.Run)
	}
	if ok {
		s.stream(c, cr, form, made)
	}
}

// sheets are those that the request asks for, with its columns. Where that cannot be, it has answered.
func (s *Service) sheets(c *gin.Context, site record.Site, f *report.Form, run *report.Run) ([]report.Sheet, bool) {
	all, err := report.Sheets(c, s.store, site, run.Crawl, run.Catalog, run.Only)
	if err != nil {
		s.fail(c, err, "the crawl")
		return nil, false
	}
	sheets, err := f.Sheets(all, list(c.Query("sheets")), list(c.Query("columns")))
	if err != nil {
		problem(c, http.StatusUnprocessableEntity, err.Error())
		return nil, false
	}
	return sheets, true
}

// compared says of the findings which are waived, and which are new since the crawl that the request names. Where that
// cannot be told, it has answered.
func (s *Service) compared(c *gin.Context, site record.Site, run *report.Run) (ok bool) {
	var against *record.Crawl
	if c.Query("from") != "" {
		if against, ok = s.earlier(c, site, run.Crawl); !ok {
			return false
		}
	}
	var err error
	if run.Waived, run.Failed, err = s.rooms.Standing(c, site, run.Crawl, against); err != nil {
		s.fail(c, err, "the crawl")
	}
	return err == nil
}

// stream answers with a file. It is made apart from its being taken, so that a caller who does not read
// holds nothing of the database's. Once it has begun, an error can only cut it short: the connection is
// ended in disorder, so that nobody takes the part for the whole.
func (s *Service) stream(c *gin.Context, cr record.Crawl, form *report.Form, made *report.Handover) {
	c.Header("Content-Type", form.Type)
	c.Header("Content-Disposition",
		fmt.Sprintf("attachment; filename=%q", report.FileName(cr.Site, cr.Number, cr.Started, form.Name)))
	c.Status(http.StatusOK)
	if err := spool.Copy(c.Writer, func(w io.Writer) error { return form.Write(c, w, made) }); err != nil {
		s.log.Error("export was cut short", "site", cr.Site, "crawl", cr.Number, "form", form.Name, "reason", err.Error())
		panic(http.ErrAbortHandler)
	}
}

// list takes a list with commas apart.
func list(s string) []string {
	out := strings.Split(s, ",")
	for i := range out {
		out[i] = strings.TrimSpace(out[i])
	}
	return slices.DeleteFunc(out, func(s string) bool { return s == "" })
}
