package report

import (
	"cmp"
	"context"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"harvik/internal/core/check"
	"harvik/internal/core/column"
	"harvik/internal/core/graph"
	"harvik/internal/core/rendered"
	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
	"harvik/internal/record"
)

// Source gives a crawl's results row by row.
type Source interface {
	EachFix(ctx context.Context, crawl int64, f func(*record.FixLine) error) error
	EachPage(ctx context.Context, crawl, site int64, role string, f func(*column.Row) error) error
	EachFinding(ctx context.Context, crawl int64, checks []string, f func(*record.PageFinding) error) error
	EachTwin(ctx context.Context, crawl int64, checks []string, f func(*record.PageFinding) error) error
	EachRedirect(ctx context.Context, crawl int64, f func(*record.Redirect) error) error
	EachLink(ctx context.Context, crawl int64, f func(to int32, l *record.LinkRow)) error
	EachLinkIn(ctx context.Context, crawl int64, f func(*record.LinkRow) error) error
	EachListed(ctx context.Context, crawl int64, f func(*record.Listed) error) error
	Files(ctx context.Context, crawl int64) ([]record.FileRow, error)
	Answers(ctx context.Context, crawl int64) (map[string]string, error)
	FigureSets(ctx context.Context, site int64) ([]record.FigureSet, error)
	EachRendering(ctx context.Context, crawl int64, pages []int32, f func(id int32, on []rendered.Page) error) error
	URLs(ctx context.Context, crawl int64) ([]string, error)
}

// A Selection says what of a crawl is handed over; its zero value is all of it.
type Selection struct {
	Severities []check.Severity
	Sections   []string // folders such as "/plants/": what is below them
}

// takes tells whether a severity is wanted.
func (s *Selection) takes(v check.Severity) bool {
	return len(s.Severities) == 0 || slices.Contains(s.Severities, v)
}

// below tells whether an address is in a wanted section.
func (s *Selection) below(address string) bool {
	if len(s.Sections) == 0 {
		return true
	}
	u, err := weburl.Parse(address)
	return err == nil && slices.ContainsFunc(s.Sections,
		func(folder string) bool { return strings.HasPrefix(u.PathQuery(), folder) })
}

// usual are the sheets of a workbook unless others are named.
var usual = []string{"overview", "fixes", "pages", "broken links", "redirects", "duplicates", "images", "resources",
	"links in", "sitemaps", "sitemap addresses"}

// SheetNames are all sheets, in the order in which lists show them.
var SheetNames = append(slices.Clone(usual), "findings", "every link in", "every broken link", "renderings")

// maker builds the sheets of one crawl.
type maker struct {
	from    Source
	crawl   record.Crawl
	site    record.Site
	catalog map[string]*check.Check
	only    Selection
}

// Sheets are all that a crawl can give.
func Sheets(ctx context.Context, from Source, site record.Site, crawl record.Crawl, catalog []*check.Check,
	only Selection) ([]Sheet, error) {
	sets, err := from.FigureSets(ctx, site.ID)
	if err != nil {
		return nil, err
	}
	m := &maker{from: from, crawl: crawl, site: site, only: only, catalog: map[string]*check.Check{}}
	for _, c := range catalog {
		m.catalog[c.ID] = c
	}
	return []Sheet{
		m.overview(), m.fixes(), m.findings(), m.pages(sets), m.brokenLinks(),
		m.everyBrokenLink(), m.redirects(), m.duplicates(),
		m.images(), m.resources(), m.linksIn(), m.everyLinkIn(), m.sitemaps(), m.listed(), m.renderings(),
	}, nil
}

func words(name string, width float64) Column   { return Column{name, column.Words, width} }
func whole(name string) Column                  { return Column{name, column.Whole, 10} }
func decimal(name string) Column                { return Column{name, column.Decimal, 10} }
func address(name string, width float64) Column { return Column{name, column.Address, width} }

func (m *maker) overview() Sheet {
	return Sheet{
		Name: "overview", Title: "The crawl, its health, and where the points went",
		Columns: []Column{words("what", 44), words("value", 16), words("unit", 22), words("group", 14),
			words("severity", 10), whole("pages"), whole("places")},
		Each: func(_ context.Context, row func([]any) error) error {
			c := m.crawl
			rows := [][]any{
				{"site", c.Site, nil, nil, nil, nil, nil}, {"home", c.Home, nil, nil, nil, nil, nil},
				{"crawl", c.Number, nil, nil, nil, nil, nil},
				{"started (UTC)", c.Started.UTC().Format("2006-01-02 15:04"), nil, nil, nil, nil, nil},
				{"ended by", c.Ending, nil, nil, nil, nil, nil},
				{"addresses fetched", c.Progress.Fetched, nil, nil, nil, nil, nil},
			}
			if r := c.Report; r != nil && r.Scored {
				rows = append(rows, []any{"pages assessed", r.Assessed, nil, nil, nil, nil, nil},
					[]any{"health", r.Health, "of 100", nil, nil, nil, nil})
				if r.Expected > r.Assessed {
					rows = append(rows, []any{"health is an estimate, give or take", r.HalfWidth, "points", nil, nil,
						nil, nil})
				}
				if r.Waived > 0 {
					rows = append(rows, []any{"health with what is waived", r.Unwaived, "of 100", nil, nil, nil, nil},
						[]any{"findings waived", r.Waived, nil, nil, nil, nil, nil})
				}
				rows = append(rows, []any{"fixes", r.Fixes, nil, nil, nil, nil, nil})
				for _, l := range r.Ledger {
					rows = append(rows, []any{m.title(l.Check), l.Points, "points lost", l.Group, l.Severity.String(),
						l.Pages, l.Places})
				}
				rows = append(rows, []any{"lost in all", 100 - r.Health, "points lost", nil, nil, nil, nil})
			}
			for _, cells := range rows {
				if err := row(cells); err != nil {
					return err
				}
			}
			return nil
		},
	}
}

// title is a check's, or its ID where the catalogue has it no more.
func (m *maker) title(id string) string {
	if c := m.catalog[id]; c != nil {
		return c.Title
	}
	return id
}

func (m *maker) fixes() Sheet {
	return Sheet{
		Name: "fixes", Title: "The fix list, in the order in which to work",
		Columns: []Column{whole("rank"), words("severity", 10), words("what and where", 70), words("how to fix", 60),
			whole("pages"), whole("places"), decimal("gain"), words("effort", 9), decimal("health after"),
			words("state", 11), words("for", 14), words("due", 12), words("note", 30), address("example", 50),
			address("target", 50), words("value", 40), words("group", 12), words("check", 24), words("fix", 12)},
		Each: func(ctx context.Context, row func([]any) error) error {
			return m.from.EachFix(ctx, m.crawl.ID, func(f *record.FixLine) error {
				if !m.only.takes(f.Severity) || len(m.only.Sections) > 0 && !m.only.below(f.Example) {
					return nil
				}
				how, due := "", ""
				if c := m.catalog[f.Check]; c != nil {
					how = c.How
				}
				if f.Due != nil {
					due = f.Due.String()
				}
				return row([]any{f.Rank, f.Severity.String(), f.Line, how, f.Pages, f.Places, f.Gain, f.Effort,
					f.HealthAfter,
					f.State, f.Assignee, due, f.Note, f.Example, f.Target, f.Value, f.Group, f.Check, f.ID})
			})
		},
	}
}

func (m *maker) findings() Sheet {
	return Sheet{
		Name: "findings", Title: "Every place on every page where a check fails, with the evidence",
		Columns: []Column{address("page", 60), words("check", 24), words("severity", 10), words("what", 60),
			words("value", 40), address("target", 50), words("words", 30), words("place", 30), whole("line")},
		Each: func(ctx context.Context, row func([]any) error) error {
			return m.each(ctx, nil, func(f *record.PageFinding, severity check.Severity, p *check.Place) error {
				return row([]any{f.Address, f.Check, severity.String(), p.Note, p.Value, p.Target, p.Words, p.At,
					line(p.Line)})
			})
		},
	}
}

// each goes over the places of the wanted findings; of all checks where none is named.
func (m *maker) each(ctx context.Context, checks []string,
	f func(*record.PageFinding, check.Severity, *check.Place) error) error {
	return m.from.EachFinding(ctx, m.crawl.ID, checks, func(found *record.PageFinding) error {
		severity := found.Gravity(m.catalog[found.Check])
		if !m.only.takes(severity) || !m.only.below(found.Address) {
			return nil
		}
		for i := range found.Places {
			if err := f(found, severity, &found.Places[i]); err != nil {
				return err
			}
		}
		return nil
	})
}

// line is a line of a source as a cell.
func line(n int) any {
	if n == 0 {
		return nil
	}
	return n
}

// pageColumns are what the sheet of pages shows.
var pageColumns = column.Named(
	"address", "status", "outcome", "indexable", "why", "kind", "title", "description", "h1", "headings", "words",
	"language", "hreflang",
	"canonical", "robots", "refresh", "redirect", "type", "encoding", "bytes", "firstByte", "images", "linksOut",
	"linksIn", "clicks", "foundBy", "inSitemap",
	"health", "errors", "warnings", "notices", "importance",
)

// rows makes a sheet's columns, and what gives the cells of a row.
func rows(columns []column.Column) (heads []Column, cells func(*column.Row) []any) {
	for _, c := range columns {
		heads = append(heads, Column{c.Name, c.Kind, c.Width})
	}
	return heads, func(p *column.Row) []any {
		out := make([]any, len(columns))
		for i := range columns {
			out[i] = columns[i].Of(p)
		}
		return out
	}
}

func (m *maker) pages(sets []record.FigureSet) Sheet {
	columns, cells := rows(pageColumns)
	s := Sheet{Name: "pages", Title: "Every page that was fetched", Columns: columns}
	var names []string
	for _, f := range sets {
		if !slices.Contains(names, f.Name) {
			names = append(names, f.Name)
			kind := column.Decimal
			if f.Kind == "text" {
				kind = column.Words
			}
			s.Columns = append(s.Columns, Column{f.Name, kind, 14})
		}
	}
	s.Each = func(ctx context.Context, row func([]any) error) error {
		return m.from.EachPage(ctx, m.crawl.ID, m.site.ID, "page", func(p *column.Row) error {
			if !m.only.below(p.Address) {
				return nil
			}
			all := cells(p)
			for _, n := range names {
				all = append(all, p.Figures[n])
			}
			return row(all)
		})
	}
	return s
}

// atLeast is a number as a cell, empty below a bound.
func atLeast(n, least int) any {
	if n < least {
		return nil
	}
	return n
}

// Checks whose places are links that lead nowhere, and those about pages alike.
var (
	deadLinks = []string{"link-broken-inside", "link-broken-outside", "link-broken-fragment", "image-broken",
		"resource-broken"}
	twins = []string{"title-duplicate", "description-duplicate", "h1-duplicate", "copy-duplicate",
		"copy-near-duplicate"}
)

// shownOfTarget is how many places of one that is not there the usual sheet names. A template's picture is missing on
// every page, and says no more by the last than by the first.
const shownOfTarget = 100

func (m *maker) brokenLinks() Sheet {
	return m.brokenOf("broken links",
		"Links that lead nowhere, with where they stand, at most 100 places of each; every broken link has all",
		shownOfTarget)
}

func (m *maker) everyBrokenLink() Sheet {
	return m.brokenOf("every broken link", "Every link that leads nowhere, with where it stands", math.MaxInt)
}

func (m *maker) brokenOf(name, title string, most int) Sheet {
	return Sheet{
		Name: name, Title: title,
		Columns: []Column{address("stands on", 60), address("leads to", 60), words("answer", 12), words("words", 36),
			words("place", 44), words("part of the page", 14), whole("line"), words("what", 50), words("check", 22)},
		Each: func(ctx context.Context, row func([]any) error) error {
			answers, err := m.from.Answers(ctx, m.crawl.ID)
			if err != nil {
				return err
			}
			type target struct{ check, address string }
			shown := map[target]int{}
			return m.each(ctx, deadLinks, func(f *record.PageFinding, _ check.Severity, p *check.Place) error {
				if one := (target{f.Check, p.Target}); most < math.MaxInt {
					if shown[one] == most {
						return nil
					}
					shown[one]++
				}
				return row([]any{f.Address, p.Target, answers[p.Target], p.Words, p.At, p.Region.String(), line(p.Line),
					p.Note, f.Check})
			})
		},
	}
}

// maxHops bounds how far a redirect is followed in a sheet: further than any crawl does.
const maxHops = 30

func (m *maker) renderings() Sheet {
	return Sheet{
		Name: "renderings", Title: "What a browser made of pages, by device: how soon they stand, and what scripts change",
		Columns: []Column{address("address", 60), words("device", 10), words("outcome", 12), whole("first byte"),
			whole("first paint"), whole("largest paint"), words("largest", 40), decimal("shift"), whole("blocked"),
			whole("requests"), whole("bytes"), whole("bytes unused"), whole("words in source"), whole("words"), whole("links by scripts"),
			words("scripts change", 30), whole("console"), words("on a slow phone", 8)},
		Each: func(ctx context.Context, row func([]any) error) error {
			urls, err := m.from.URLs(ctx, m.crawl.ID)
			if err != nil {
				return err
			}
			return m.from.EachRendering(ctx, m.crawl.ID, nil, func(id int32, on []rendered.Page) error {
				if int(id) >= len(urls) || !m.only.below(urls[id]) {
					return nil
				}
				for i := range on {
					if err := row(renderingCells(urls[id], &on[i])); err != nil {
						return err
					}
				}
				return nil
			})
		},
	}
}

// renderingCells are what a sheet has of a rendering; empty where there is nothing to read.
func renderingCells(address string, p *rendered.Page) []any {
	out := []any{address, p.Device, string(p.Outcome)}
	if !p.Found() {
		return append(out, make([]any, 15)...)
	}
	ms := func(v float64) any {
		if v < 0 {
			return nil
		}
		return int(v + 0.5)
	}
	s := &p.Speed
	return append(
		out,
		ms(s.FirstByte),
		ms(s.FirstPaint),
		ms(s.LargestAt),
		s.Largest,
		s.Shift,
		ms(s.Blocked),
		s.Requests,
		s.Transferred,
		p.Spare(),
		p.Source,
		p.Words,
		p.Links,
		strings.Join(p.Changed(), ", "),
		len(p.Console),
		text.YesNo(s.Throttled),
	)
}

func (m *maker) redirects() Sheet {
	return Sheet{
		Name: "redirects", Title: "Every address that redirects, with every hop to where it ends",
		Columns: []Column{address("starts at", 56), whole("hops"), words("every hop", 90), address("ends at", 56),
			words("answer at the end", 16), whole("links in")},
		Each: func(ctx context.Context, row func([]any) error) error {
			var from, to []string
			starts := map[string]record.Redirect{}
			if err := m.from.EachRedirect(ctx, m.crawl.ID, func(r *record.Redirect) error {
				from, to = append(from, r.Address), append(to, r.To)
				starts[r.Address] = *r
				return nil
			}); err != nil {
				return err
			}
			answers, err := m.from.Answers(ctx, m.crawl.ID)
			if err != nil {
				return err
			}
			for i, way := range graph.Ways(from, to) {
				if !m.only.below(from[i]) {
					continue
				}
				circle := way.Circle && len(way.Hops)-1 < maxHops
				hops := way.Hops[:min(len(way.Hops), maxHops+1)]
				last := len(hops) - 1
				var chain strings.Builder
				for _, at := range hops[:last] {
					chain.WriteString(at + " (" + strconv.Itoa(starts[at].Status) + ") → ")
				}
				chain.WriteString(hops[last])
				end := answers[hops[last]]
				if circle {
					end = "goes in a circle"
				}
				cells := []any{from[i], last, chain.String(), hops[last], end, starts[from[i]].LinksIn}
				if err := row(cells); err != nil {
					return err
				}
			}
			return nil
		},
	}
}

func (m *maker) duplicates() Sheet {
	return Sheet{
		Name: "duplicates", Title: "Pages alike, group by group",
		Columns: []Column{words("what is alike", 28), whole("group"), whole("pages in group"), words("value", 60),
			address("page", 60), decimal("likeness"), words("title", 40)},
		Each: func(ctx context.Context, row func([]any) error) error {
			number, last := 0, ""
			return m.from.EachTwin(ctx, m.crawl.ID, twins, func(f *record.PageFinding) error {
				if !m.only.takes(f.Gravity(m.catalog[f.Check])) || len(f.Places) == 0 || !m.only.below(f.Address) {
					return nil
				}
				p := &f.Places[0]
				if key := f.Check + "\x00" + cmp.Or(p.Group, p.Value, p.Target); key != last {
					number++
					last = key
				}
				var likeness any
				if p.Likeness > 0 {
					likeness = p.Likeness
				}
				return row([]any{m.title(f.Check), number, atLeast(p.Of, 1), p.Value, f.Address, likeness, f.Title})
			})
		},
	}
}

// fileColumns are what sheets of files show.
var fileColumns = []string{"address", "status", "outcome", "type", "bytes", "firstByte", "linksIn"}

// usedBy is the last of them, where links in are those of pages that load the file.
const usedBy = "pages that use it"

func (m *maker) images() Sheet {
	columns, cells := rows(column.Named(fileColumns...))
	columns[len(columns)-1].Name = usedBy
	return Sheet{
		Name: "images", Title: "Every image that was fetched",
		Columns: append(columns, whole("places without alternative text")),
		Each: func(ctx context.Context, row func([]any) error) error {
			bare := map[string]int{}
			if err := m.from.EachFinding(ctx, m.crawl.ID, []string{"image-alt-missing"},
				func(f *record.PageFinding) error {
					for i := range f.Places {
						bare[f.Places[i].Target]++
					}
					return nil
				}); err != nil {
				return err
			}
			return m.eachPage(ctx, "image", func(p *column.Row) error { return row(append(cells(p), bare[p.Address])) })
		},
	}
}

func (m *maker) resources() Sheet {
	columns, cells := rows(column.Named(append([]string{"role"}, fileColumns...)...))
	columns[len(columns)-1].Name = usedBy
	return Sheet{
		Name: "resources", Title: "Everything else that pages load or link to: styles, scripts, fonts, documents, outbound links", Columns: columns,
		Each: func(ctx context.Context, row func([]any) error) error {
			return m.eachPage(ctx, "resources", func(p *column.Row) error {
				if p.Role == "image" {
					return nil
				}
				return row(cells(p))
			})
		},
	}
}

func (m *maker) eachPage(ctx context.Context, role string, f func(*column.Row) error) error {
	return m.from.EachPage(ctx, m.crawl.ID, 0, role, func(p *column.Row) error {
		if !m.only.below(p.Address) {
			return nil
		}
		return f(p)
	})
}

func (m *maker) linksIn() Sheet {
	return Sheet{
		Name: "links in", Title: "How pages link to each page: in which words and where, at most 20 ways a page; every link in has all",
		Columns: []Column{address("page", 60), words("words", 40), words("part of the page", 14),
			{"nofollow", column.YesNo, 10}, whole("links"), address("such as from", 60), words("place", 44)},
		Each: func(ctx context.Context, row func([]any) error) error {
			all := newWays()
			err := m.from.EachLink(ctx, m.crawl.ID, func(to int32, l *record.LinkRow) {
				if m.only.below(l.To) {
					all.add(to, l)
				}
			})
			if err != nil {
				return err
			}
			return all.each(row)
		},
	}
}

func (m *maker) everyLinkIn() Sheet {
	return Sheet{
		Name: "every link in", Title: "Every link to a page inside, page by page",
		Columns: []Column{address("page", 60), address("linked from", 60), words("words", 40), words("place", 44),
			words("part of the page", 14), {"nofollow", column.YesNo, 10}},
		Each: func(ctx context.Context, row func([]any) error) error {
			return m.from.EachLinkIn(ctx, m.crawl.ID, func(l *record.LinkRow) error {
				if !m.only.below(l.To) {
					return nil
				}
				return row([]any{l.To, l.From, l.Words, l.Place, l.Region, l.NoFollow})
			})
		},
	}
}

func (m *maker) sitemaps() Sheet {
	return Sheet{
		Name: "sitemaps", Title: "The sitemaps that were read",
		Columns: []Column{address("sitemap", 70), whole("status"), whole("bytes"), words("what was wrong", 60)},
		Each: func(ctx context.Context, row func([]any) error) error {
			files, err := m.from.Files(ctx, m.crawl.ID)
			for _, f := range files {
				if err == nil && f.Kind == "sitemap" {
					err = row([]any{f.Address, f.Status, f.Bytes, f.Detail})
				}
			}
			return err
		},
	}
}

func (m *maker) listed() Sheet {
	return Sheet{
		Name: "sitemap addresses", Title: "Every address that a sitemap lists, and what became of it",
		Columns: []Column{address("address", 70), words("state", 12), whole("status"), {"indexable", column.YesNo, 10},
			whole("clicks"), whole("links in")},
		Each: func(ctx context.Context, row func([]any) error) error {
			return m.from.EachListed(ctx, m.crawl.ID, func(l *record.Listed) error {
				if !m.only.below(l.Address) {
					return nil
				}
				return row([]any{l.Address, l.State, atLeast(l.Status, 1), l.Indexable, atLeast(l.Depth, 0), l.LinksIn})
			})
		},
	}
}

// FileName is what a file of a crawl is called.
func FileName(site string, number int, started time.Time, ending string) string {
	return site + "-crawl-" + strconv.Itoa(number) + "-" + started.UTC().Format(time.DateOnly) + "." + ending
}
