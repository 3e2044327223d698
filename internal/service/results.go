package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/brief"
	"harvik/internal/core/check"
	"harvik/internal/core/column"
	"harvik/internal/core/own"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
	"harvik/internal/core/rights"
	"harvik/internal/core/task"
	"harvik/internal/core/vocabulary"
	"harvik/internal/core/weburl"
	"harvik/internal/record"
	"harvik/internal/report"
	"harvik/internal/wire"
)

func (s *Service) listFixes(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	q := record.FixQuery{Group: c.Query("group"), Check: c.Query("check"), Search: c.Query("search"),
		Order: c.Query("order"),
		State: c.Query("state"), Assignee: c.Query("assignee"), Section: c.Query("section")}
	if caller(c).Role == rights.Client {
		q.Assignee = "" // who is on what is no matter of theirs
	}
	if q.State != "" && q.State != "all" {
		if _, err := task.ParseState(q.State); err != nil {
			problem(c, http.StatusUnprocessableEntity, err.Error()+"; or all")
			return
		}
	}
	if q.Order != "" && !slices.Contains(record.FixOrders, q.Order) {
		problem(c, http.StatusUnprocessableEntity, unknown("order of fixes", q.Order, record.FixOrders))
		return
	}
	if name := c.Query("severity"); name != "" {
		q.Severity = new(check.Severity)
		if err := q.Severity.UnmarshalText([]byte(name)); err != nil {
			problem(c, http.StatusUnprocessableEntity, err.Error())
			return
		}
	}
	if q.Group != "" && !slices.Contains(s.checks.Groups, q.Group) {
		problem(c, http.StatusUnprocessableEntity, unknown("group of checks", q.Group, s.checks.Groups))
		return
	}
	if !folder(c, q.Section) || !knownCheck(c, s.checksOf(cr.Plan), q.Check) ||
		!fits(c, bounded{"search", q.Search, maxSearch}) {
		return
	}
	if q.After, ok = number(c, "after", 0, 0, 1<<31-1); !ok {
		return
	}
	if q.Limit, ok = number(c, "limit", 200, 1, 10_000); !ok {
		return
	}
	list, err := s.store.Fixes(c, cr.ID, q)
	if err != nil {
		s.fail(c, err, "the fix list")
		return
	}
	c.JSON(http.StatusOK, wire.FixList(&list, told(c, wire.Fix, wire.ClientFix)))
}

// folder tells whether a section is a folder, or none; if it is neither, it has answered.
func folder(c *gin.Context, section string) bool {
	if section == "" || strings.HasPrefix(section, "/") && strings.HasSuffix(section, "/") {
		return true
	}
	problem(c, http.StatusUnprocessableEntity,
		fmt.Sprintf("a section is a folder that begins and ends with a slash, such as /plants/, not %q", section))
	return false
}

// knownCheck tells whether a check, if any is named, exists; if it does not, it has answered.
func knownCheck(c *gin.Context, checks *check.Catalogue, id string) bool {
	if id == "" || checks.Find(id) != nil {
		return true
	}
	problem(c, http.StatusUnprocessableEntity, unknownCheck(checks, id))
	return false
}

// unknownCheck is the refusal of the name of a check, with those that were probably meant.
func unknownCheck(checks *check.Catalogue, id string) string {
	ids := checkIDs(checks)
	if near := plan.Nearest(id, ids); near != "" {
		return unknown("check", id, ids)
	}
	var like []string
	for _, one := range ids {
		if len(id) > 2 && strings.Contains(one, strings.TrimSuffix(strings.ToLower(id), "s")) && len(like) < 8 {
			like = append(like, one)
		}
	}
	out := fmt.Sprintf("there is no check %q", id)
	if len(like) > 0 {
		return out + "; there are " + strings.Join(like, ", ")
	}
	return out + "; `harvik check list` shows them"
}

// unknown is the refusal of a word that is not in a list.
func unknown(what, word string, list []string) string {
	meant := plan.Meant(word, list)
	if meant == "" && len(list) < 20 {
		meant = "; there are " + strings.Join(list, ", ")
	}
	return fmt.Sprintf("there is no %s %q%s", what, word, meant)
}

func (s *Service) showFix(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	f, err := s.store.Fix(c, cr.ID, c.Param("fix"))
	if errors.Is(err, record.ErrNotFound) {
		s.noFix(c, cr)
		return
	}
	if err != nil {
		s.fail(c, err, "fix "+c.Param("fix"))
		return
	}
	out := told(c, wire.Fix, wire.ClientFix)(&f)
	c.JSON(http.StatusOK, api.FixDetail{Fix: out, Check: wire.CheckOf(s.checksOf(cr.Plan).Find(f.Check))})
}

// noFix says that a crawl has no such fix, and what was probably meant: its line's number, or its check.
func (s *Service) noFix(c *gin.Context, cr record.Crawl) {
	name := c.Param("fix")
	rank, err := strconv.Atoi(name)
	switch {
	case err == nil && rank > 0 && rank < 1<<31:
		list, err := s.store.Fixes(c, cr.ID, record.FixQuery{After: rank - 1, Limit: 1})
		if err == nil && len(list.Fixes) == 1 && list.Fixes[0].Rank == rank {
			problem(c, http.StatusNotFound, fmt.Sprintf("a fix goes by its ID: line %d is %s", rank, list.Fixes[0].ID))
			return
		}
	case s.checksOf(cr.Plan).Find(name) != nil:
		problem(c, http.StatusNotFound,
			fmt.Sprintf("%s is a check, and a fix goes by its ID; `harvik fixes %s --check %s` shows its fixes", name,
				cr.Site, name))
		return
	}
	problem(c, http.StatusNotFound, fmt.Sprintf("crawl %d has no fix %s; `harvik fixes %s@%d` shows them", cr.Number,
		name, cr.Site, cr.Number))
}

func (s *Service) fixPages(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	limit, ok := number(c, "limit", 100, 1, 1000)
	if !ok {
		return
	}
	f, err := s.store.Fix(c, cr.ID, c.Param("fix"))
	if err != nil {
		s.fail(c, err, "fix "+c.Param("fix"))
		return
	}
	rows, err := s.store.FixPages(c, cr.ID, f.Fix, c.Query("after"), limit)
	if err != nil {
		s.fail(c, err, "the pages")
		return
	}
	next := ""
	if len(rows) == limit {
		next = rows[limit-1].Address
	}
	c.JSON(
		http.StatusOK,
		api.FixPages{Pages: wire.Each(rows, pageFinding(s.checksOf(cr.Plan))), Total: f.Pages, Next: next},
	)
}

func (s *Service) listPages(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	f := query.Filter{
		Search: c.Query("search"), Status: c.Query("status"), Kind: c.Query("kind"), Check: c.Query("check"),
		Fix: c.Query("fix"), Sort: c.Query("sort"), Role: c.Query("role"), Section: c.Query("section"),
		Having: c.Query("having"), Indexable: c.Query("indexable"), Reachable: c.Query("reachable"), Why: c.Query("why"),
	}
	if !folder(c, f.Section) || !knownCheck(c, s.checksOf(cr.Plan), f.Check) ||
		!fits(c, bounded{"search", f.Search, maxSearch}, bounded{"why", f.Why, maxSearch}) {
		return
	}
	asked := record.Asking{Site: cr.SiteID}
	if asked.Limit, ok = number(c, "limit", 100, 1, 10_000); !ok {
		return
	}
	if asked.Skip, ok = number(c, "after", 0, 0, 1<<31-1); !ok {
		return
	}
	view, list, err := s.pagesLike(c, cr.ID, &f, asked)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	c.JSON(http.StatusOK, wire.PageList(&view, &list))
}

// pagesLike are the pages of a filter, with the question that it is.
func (s *Service) pagesLike(ctx context.Context, crawl int64, f *query.Filter, asked record.Asking) (view query.View,
	list record.PageList, err error) {
	sets, err := s.store.FigureSets(ctx, asked.Site)
	if err != nil {
		return view, list, err
	}
	var figures []string
	for _, set := range sets {
		if !slices.Contains(figures, set.Name) {
			figures = append(figures, set.Name)
		}
	}
	if view, err = f.View(figures); err != nil {
		return view, list, err
	}
	if asked.Asked, err = view.Understand(); err != nil {
		return view, list, err
	}
	list, err = s.store.Pages(ctx, crawl, asked)
	return view, list, err
}

// address reads the query parameter of that name, absolute or relative to the site's home;
// on failure it has answered.
func address(c *gin.Context, cr record.Crawl) (string, bool) { return addressIn(c, cr, "address") }

// addressIn is address for a query parameter of another name.
func addressIn(c *gin.Context, cr record.Crawl, name string) (string, bool) {
	home, err := weburl.Parse(cr.Home)
	if err == nil {
		var u weburl.URL
		if u, err = home.Parse(c.Query(name)); err == nil && c.Query(name) != "" {
			return u.Key(), true
		}
	}
	problem(c, http.StatusUnprocessableEntity, fmt.Sprintf("%s is to name a page, such as %s, not %q", name, cr.Home,
		c.Query(name)))
	return "", false
}

// noPage says that a crawl does not know an address.
func noPage(c *gin.Context, cr record.Crawl, at string) {
	problem(c, http.StatusNotFound,
		fmt.Sprintf("crawl %d does not know the address %s; `harvik pages %s --search WORD` looks for one",
			cr.Number, at, cr.Site))
}

// pageOf is the page of a crawl that the query names; where there is no such, it has answered.
func (s *Service) pageOf(c *gin.Context, cr record.Crawl) (d record.PageDetail, ok bool) {
	at, ok := address(c, cr)
	if !ok {
		return d, false
	}
	d, err := s.store.Page(c, cr.ID, at)
	if errors.Is(err, record.ErrNotFound) {
		noPage(c, cr, at)
		return d, false
	}
	if err != nil {
		s.fail(c, err, "the page")
		return d, false
	}
	return d, true
}

func (s *Service) showPage(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	d, ok := s.pageOf(c, cr)
	if !ok {
		return
	}
	checks := s.checksOf(cr.Plan)
	slices.SortStableFunc(d.Findings, func(a, b record.PageFinding) int {
		return cmp.Compare(a.Gravity(checks.Find(a.Check)), b.Gravity(checks.Find(b.Check)))
	})
	c.JSON(http.StatusOK, wire.PageDetail(&d, pageFinding(checks)))
}

// checksOf are all checks, with a plan's own.
func (s *Service) checksOf(p plan.Plan) *check.Catalogue {
	all, _ := own.With(s.checks, p) // those that cannot be understood fail nowhere
	return all
}

func pageFinding(checks *check.Catalogue) func(*record.PageFinding) api.PageFinding {
	return func(f *record.PageFinding) api.PageFinding {
		return wire.PageFinding(f, f.Gravity(checks.Find(f.Check)))
	}
}

func (s *Service) linksIn(c *gin.Context) {
	cr, ok := s.crawl(c)
	if !ok {
		return
	}
	at, ok := address(c, cr)
	if !ok {
		return
	}
	from, ok := number(c, "after", 0, 0, 1<<31-1)
	if !ok {
		return
	}
	limit, ok := number(c, "limit", 100, 1, 1000)
	if !ok {
		return
	}
	row, err := s.store.Address(c, cr.ID, at)
	if err != nil {
		s.fail(c, err, "in this crawl the address "+at)
		return
	}
	in, err := s.store.LinksIn(c, cr.ID, row.ID, int32(from), limit)
	if err != nil {
		s.fail(c, err, "the links")
		return
	}
	c.JSON(http.StatusOK, wire.LinksInto(&in))
}

// listChecks lists the catalogue, with the own checks of a site that is named.
func (s *Service) listChecks(c *gin.Context) {
	if checks, ok := s.checksAsked(c); ok {
		c.JSON(http.StatusOK, api.CheckList{Checks: wire.Each(checks.Checks, wire.Check), Groups: checks.Groups,
			Version: checks.Version})
	}
}

// checksAsked are all checks, with the own ones of the site that the query names, if any.
func (s *Service) checksAsked(c *gin.Context) (*check.Catalogue, bool) {
	site, ok := s.siteAsked(c)
	return s.checksOf(site.Plan), ok
}

func (s *Service) listColumns(c *gin.Context) {
	c.JSON(http.StatusOK, api.ColumnList{Columns: wire.Each(column.All, wire.Column)})
}

func form(f *report.Form) api.FileForm {
	return api.FileForm{Name: f.Name, Says: f.Says, Takes: api.FileFormTakes(f.Takes), Usual: f.Usual}
}

func (s *Service) listWords(c *gin.Context) {
	c.JSON(http.StatusOK, api.Words{
		Severities: wire.Each(vocabulary.Severities, wire.Word), States: wire.Each(vocabulary.States, wire.Word),
		Orders: wire.Each(vocabulary.Orders, wire.Word), Endings: wire.Each(vocabulary.Endings, wire.Word),
		LeftOut: wire.Each(vocabulary.LeftOut, wire.Word), Steps: wire.Each(vocabulary.Steps, wire.Word),
		Kinds: wire.Each(vocabulary.Kinds(), wire.Word), Roles: wire.Each(vocabulary.Roles(), wire.Word),
		Forms: wire.Each(report.Forms, form), Sheets: report.SheetNames,
		Parts: wire.Each(
			brief.PartKinds,
			func(k *brief.PartKind) api.Word { return api.Word{Name: k.Name, Says: k.Title} },
		),
	})
}

func (s *Service) showCheck(c *gin.Context) {
	checks, ok := s.checksAsked(c)
	if !ok {
		return
	}
	ch := checks.Find(c.Param("check"))
	if ch == nil {
		problem(c, http.StatusNotFound, unknownCheck(checks, c.Param("check")))
		return
	}
	c.JSON(http.StatusOK, wire.CheckOf(ch))
}
