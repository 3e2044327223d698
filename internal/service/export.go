package service

import (
	"errors"
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

// forms in which results are handed over: their endings and media types.
var forms = map[string]string{
	"xlsx":  "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
	"csv":   "text/csv; charset=utf-8",
	"jsonl": "application/jsonl",
	"sarif": "application/sarif+json",
}

// formNames are the forms in the order in which they are named.
var formNames = []string{"xlsx", "csv", "jsonl", "sarif"}

// export streams a crawl's results.
func (s *Service) export(c *gin.Context) {
	site, cr, ok := s.siteAndCrawl(c)
	if !ok {
		return
	}
	as := c.Query("as")
	if forms[as] == "" {
		problem(c, http.StatusUnprocessableEntity, unknown("form to export in", as, formNames))
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
	if as == "sarif" {
		s.exportSARIF(c, site, cr, only)
		return
	}
	sheets, err := s.sheets(c, site, cr, only)
	if err != nil {
		problem(c, http.StatusUnprocessableEntity, err.Error())
		return
	}
	s.stream(c, cr, as, func(w io.Writer) error {
		switch as {
		case "xlsx":
			return report.Workbook(c, w, sheets)
		case "csv":
			return report.CSV(c, w, sheets[0])
		}
		return report.JSONLines(c, w, sheets)
	})
}

// sheets are those that the request asks for, with its columns.
func (s *Service) sheets(c *gin.Context, site record.Site, cr record.Crawl,
	only report.Selection) ([]report.Sheet, error) {
	all, err := report.Sheets(c, s.store, site, cr, s.checks.Checks, only)
	if err != nil {
		return nil, err
	}
	usual := report.Usual
	if c.Query("as") != "xlsx" {
		usual = []string{"fixes"}
	}
	sheets, err := report.Choose(all, list(c.Query("sheets")), usual)
	if err != nil {
		return nil, err
	}
	if c.Query("as") == "csv" && len(sheets) > 1 {
		return nil, report.ErrOneSheet
	}
	if columns := list(c.Query("columns")); len(columns) > 0 {
		if len(sheets) > 1 {
			return nil, errors.New("columns are chosen of one sheet; name it by sheets, such as pages")
		}
		sheets[0], err = sheets[0].Pick(columns)
	}
	return sheets, err
}

func (s *Service) exportSARIF(c *gin.Context, site record.Site, cr record.Crawl, only report.Selection) {
	var against *record.Crawl
	if c.Query("from") != "" {
		var ok bool
		if against, ok = s.earlier(c, site, cr); !ok {
			return
		}
	}
	waived, failed, err := s.rooms.Standing(c, site, cr, against)
	if err != nil {
		s.fail(c, err, "the crawl")
		return
	}
	run := report.Run{Crawl: cr, Catalog: s.checks.Checks, Only: only, Waived: waived, Failed: failed}
	s.stream(c, cr, "sarif", func(w io.Writer) error { return report.SARIF(c, w, s.store, run) })
}

// stream answers with a file. It is made apart from its being taken, so that a caller who does not read
// holds nothing of the database's. Once it has begun, an error can only cut it short: the connection is
// ended in disorder, so that nobody takes the part for the whole.
func (s *Service) stream(c *gin.Context, cr record.Crawl, as string, write func(io.Writer) error) {
	c.Header("Content-Type", forms[as])
	c.Header("Content-Disposition",
		fmt.Sprintf("attachment; filename=%q", report.FileName(cr.Site, cr.Number, cr.Started, as)))
	c.Status(http.StatusOK)
	if err := spool.Copy(c.Writer, write); err != nil {
		s.log.Error("export was cut short", "site", cr.Site, "crawl", cr.Number, "form", as, "reason", err.Error())
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
