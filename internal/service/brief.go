package service

import (
	"bytes"
	"cmp"
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/brief"
	"harvik/internal/core/check"
	"harvik/internal/core/plan"
	"harvik/internal/record"
)

// longDay is how reports write days.
const longDay = "2 January 2006"

// mostRead is how many fixes a report counts; those told in full are fewer.
const mostRead = 10_000

// mostPast is how many crawls a report shows health of.
const mostPast = 12

// papers are those that reports are printed on.
var papers = []string{"a4", "letter"}

// choicesOf reads what is said of a report; on failure it has answered.
func (s *Service) choicesOf(c *gin.Context, checks *check.Catalogue) (out brief.Choices, ok bool) {
	var in api.ReportChoices
	if !s.bind(c, &in) || !fits(c, bounded{"title", in.Title, maxWords}, bounded{"client", in.Client, maxWords},
		bounded{"by", in.By, maxWords}) {
		return out, false
	}
	out = brief.Choices{
		Title:    in.Title,
		Client:   in.Client,
		By:       in.By,
		Words:    in.Words,
		Parts:    in.Parts,
		Fixes:    in.Fixes,
		Comments: in.Comments,
		LeaveOut: brief.LeaveOut{Checks: in.LeaveOut.Checks},
	}
	faults := out.Faults()
	for _, name := range in.LeaveOut.Severities {
		var one check.Severity
		if err := one.UnmarshalText([]byte(name)); err != nil {
			faults = append(faults, plan.Fault{Field: "leaveOut.severities", Reason: err.Error()})
		}
		out.LeaveOut.Severities = append(out.LeaveOut.Severities, one)
	}
	for _, pattern := range in.LeaveOut.Checks {
		if !slices.ContainsFunc(checks.Checks, func(one *check.Check) bool { return check.Covers(pattern, one.ID) }) {
			faults = append(
				faults,
				plan.Fault{Field: "leaveOut.checks", Reason: fmt.Sprintf("no check is called %q", pattern)},
			)
		}
	}
	if faults != nil {
		s.fail(c, faults, "")
		return out, false
	}
	return out, true
}

// makeReport writes what a client reads of a crawl, beside an earlier one.
func (s *Service) makeReport(c *gin.Context) {
	site, cr, ok := s.siteAndCrawl(c)
	if !ok {
		return
	}
	as, paper := cmp.Or(c.Query("as"), "html"), cmp.Or(c.Query("paper"), papers[0])
	if as != "html" && as != "pdf" {
		problem(c, http.StatusUnprocessableEntity, unknown("form of reports", as, []string{"html", "pdf"}))
		return
	}
	if !slices.Contains(papers, paper) {
		problem(c, http.StatusUnprocessableEntity, unknown("paper", paper, papers))
		return
	}
	checks := s.checksOf(cr.Plan)
	choices, ok := s.choicesOf(c, checks)
	if !ok {
		return
	}
	if cr.Report == nil {
		problem(
			c,
			http.StatusConflict,
			fmt.Sprintf("crawl %d is %s; a report tells of one that is finished", cr.Number, cr.State),
		)
		return
	}
	before, ok := s.earlier(c, site, cr)
	if !ok {
		return
	}
	facts, err := s.factsFor(c, site, cr, before, checks)
	var page bytes.Buffer
	if err == nil {
		err = brief.HTML(&page, choices, facts)
	}
	if err != nil {
		s.fail(c, err, "the report")
		return
	}
	data, kind := page.Bytes(), "text/html; charset=utf-8"
	if as == "pdf" {
		kind = "application/pdf"
		if data, err = s.rooms.Print(c, data, paper); err != nil {
			s.log.Error("report not printed", "site", site.Name, "crawl", cr.Number, "reason", err.Error())
			problem(c, http.StatusServiceUnavailable, "it could not be printed ("+err.Error()+"); take the report as html")
			return
		}
	}
	c.Header("Content-Disposition", fmt.Sprintf(`attachment; filename="%s-%d-report.%s"`, site.Name, cr.Number, as))
	c.Data(http.StatusOK, kind, data)
}

// factsFor are what a report of a crawl is made of.
func (s *Service) factsFor(
	c *gin.Context,
	site record.Site,
	cr record.Crawl,
	before *record.Crawl,
	checks *check.Catalogue,
) (
	f brief.Facts, err error) {
	f = brief.Facts{
		Home:    site.Home,
		Crawl:   cr.Number,
		Day:     dayOf(cr.Started),
		Fetched: cr.Progress.Fetched,
		Ending:  cr.Ending,
		Plan:    cr.Plan,
		Report:  cr.Report.Report,
		Check:   checks.Find,
	}
	list, err := s.store.Fixes(c, cr.ID, record.FixQuery{Limit: mostRead})
	if err != nil {
		return f, err
	}
	for i := range list.Fixes {
		f.Fixes = append(f.Fixes, list.Fixes[i].Fix)
	}
	if before != nil {
		d, err := s.rooms.Drift(c, site, *before, cr)
		if err != nil {
			return f, err
		}
		f.Before = &brief.Before{Crawl: before.Number, Day: dayOf(before.Started), Drift: d}
	}
	trend, err := s.rooms.Trend(c, site, mostPast)
	for _, p := range trend {
		if p.Scored && p.Crawl <= cr.Number {
			f.Past = append(f.Past, brief.Point{Crawl: p.Crawl, Day: dayOf(p.Started), Health: p.Health})
		}
	}
	slices.SortFunc(f.Past, func(a, b brief.Point) int { return a.Crawl - b.Crawl })
	return f, err
}

func dayOf(t time.Time) string { return t.Format(longDay) }
