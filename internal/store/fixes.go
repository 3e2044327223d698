package store

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/page"
	"harvik/internal/core/task"
	"harvik/internal/record"
)

// orders of the fix list other than its own, the lower the sooner, and by rank among equals; quick is gain for effort.
var orders = map[string]string{
	"gain":  "-f.gain",
	"pages": "-f.page_count",
	"quick": "-f.gain / f.minutes",
}

// effortOf is about how many minutes an effort takes, by which gain is set against it.
func effortOf(effort string) int {
	switch effort {
	case "small":
		return 10
	case "medium":
		return 60
	}
	return 400
}

// Fixes lists the fix list of a crawl.
func (s *Store) Fixes(ctx context.Context, crawlID int64, q record.FixQuery) (record.FixList, error) {
	list := record.FixList{Fixes: []record.FixLine{}}
	where, args := "where f.crawl_id = $1", []any{crawlID}
	and := func(condition string, value any) {
		args = append(args, value)
		where += fmt.Sprintf(" and "+condition, len(args))
	}
	if q.Severity != nil {
		and("f.severity = $%d", int(*q.Severity))
	}
	if q.Group != "" {
		and("f.section = $%d", q.Group)
	}
	if q.Check != "" {
		and("f.check_id = $%d", q.Check)
	}
	if q.Search != "" {
		and("position(lower($%d) in lower(f.line)) > 0", q.Search)
	}
	if q.Assignee != "" {
		and("t.assignee = $%d", q.Assignee)
	}
	if q.Section != "" {
		and(`exists (select 1 from unnest(f.pages) as x(page) join address a on a.crawl_id = f.crawl_id and a.id = x.page
			where `+inSection(q.Section)+`)`, q.Section)
	}
	var totals struct {
		Lines  int
		Places int
	}
	counted, filter := where, ""
	switch q.State {
	case "all":
	case "":
		filter = " and " + stateOf + " <> 'waived'"
	default:
		args = append(args, q.State)
		filter = fmt.Sprintf(" and "+stateOf+" = $%d", len(args))
	}
	where += filter
	if err := s.db.GetContext(ctx, &totals,
		"select count(*) as lines, coalesce(sum(f.place_count), 0) as places from "+fixesWork+where, args...); err != nil {
		return list, err
	}
	list.Total, list.Findings = totals.Lines, totals.Places
	if q.State == "" {
		if err := s.db.GetContext(ctx, &list.Waived,
			"select count(*) from "+fixesWork+counted+" and "+stateOf+" = 'waived'", args...); err != nil {
			return list, err
		}
	}
	order := "f.rank"
	if by, other := orders[q.Order]; other {
		order = by + ", f.rank"
	}
	if q.After > 0 { // the rank of the last line of the page before
		and("("+order+") > (select "+order+" from fix f where f.crawl_id = $1 and f.rank = $%d)", q.After)
	}
	limit := q.Limit
	if limit <= 0 {
		limit = math.MaxInt32 - 1
	}
	args = append(args, limit+1)
	rows := []fixRow{}
	if err := s.db.SelectContext(ctx, &rows, fixSelect+where+fmt.Sprintf(" order by %s limit $%d", order, len(args)),
		args...); err != nil {
		return list, err
	}
	for i, r := range rows {
		if i == limit {
			list.Next = list.Fixes[i-1].Rank
			break
		}
		line, err := r.line()
		if err != nil {
			return list, err
		}
		line.Entries = nil // they are the fix's own
		list.Fixes = append(list.Fixes, line)
	}
	return list, nil
}

// What is waived is waived; the task's own state is kept below it.
const (
	fixesWork = `fix f join crawl c on c.id = f.crawl_id left join task t on t.site_id = c.site_id and t.fix = f.id `
	stateOf   = `case when f.waived then 'waived' else coalesce(t.state, 'open') end`
	fixSelect = `select f.body, ` + stateOf + ` as state, coalesce(t.assignee, '') as assignee, t.due, coalesce(t.note, '') as note,
		coalesce(t.version, 0) as version from ` + fixesWork
)

// inSection is the condition that an address lies below a folder, which is parameter %d; "/" is for the pages
// that lie in no folder.
func inSection(folder string) string {
	if folder == "/" {
		return `coalesce(substring(a.url from '^[a-z]+://[^/]*(/[^/?#]+/)'), '/') = $%d`
	}
	return `starts_with(substring(a.url from '^[a-z]+://[^/]*(/.*)$'), $%d)`
}

// fixRow is a line of the fix list with the work at it.
type fixRow struct {
	Body     []byte
	State    string
	Assignee string
	Due      *record.Day
	Note     string
	Version  int
}

func (r *fixRow) line() (line record.FixLine, err error) {
	err = decode(r.Body, &line.Fix)
	line.State, line.Assignee, line.Due, line.Note, line.Version = r.State, r.Assignee, r.Due, r.Note, r.Version
	return line, err
}

// Fix is one line of a fix list, or an entry of one, by its ID; of a line the entries have the state of the work at
// them.
func (s *Store) Fix(ctx context.Context, crawlID int64, id string) (record.FixLine, error) {
	var r fixRow
	err := found(s.db.GetContext(ctx, &r, fixSelect+"where f.crawl_id = $1 and f.id = $2", crawlID, id))
	if errors.Is(err, record.ErrNotFound) {
		return s.entry(ctx, crawlID, id)
	}
	if err != nil {
		return record.FixLine{}, err
	}
	line, err := r.line()
	if err != nil || len(line.Entries) == 0 {
		return line, err
	}
	ids := make([]string, len(line.Entries))
	for i := range line.Entries {
		ids[i] = line.Entries[i].ID
	}
	var tasks []record.Task
	if err := s.db.SelectContext(ctx, &tasks, `select `+taskColumns+` from task where fix = any($2)
		and site_id = (select site_id from crawl where id = $1)`, crawlID, ids); err != nil {
		return line, err
	}
	at := map[string]record.Task{}
	for _, t := range tasks {
		at[t.Fix] = t
	}
	for i := range line.Entries {
		e := &line.Entries[i]
		e.State = string(cmp.Or(at[e.ID].State, task.Open))
		e.Version = at[e.ID].Version
	}
	return line, nil
}

// entry is one of a line's targets or values, seen as a fix.
func (s *Store) entry(ctx context.Context, crawlID int64, id string) (out record.FixLine, err error) {
	var r fixRow
	if err := s.db.GetContext(ctx, &r,
		fixSelect+"where f.crawl_id = $1 and f.id = (select fix_id from fix_entry where crawl_id = $1 and id = $2 limit 1)", crawlID, id); err != nil {
		return out, found(err)
	}
	line, err := r.line()
	if err != nil {
		return out, err
	}
	out.Fix, _ = line.Fix.Entry(id)
	var t record.Task
	err = found(s.db.GetContext(ctx, &t,
		`select `+taskColumns+` from task where fix = $2 and site_id = (select site_id from crawl where id = $1)`, crawlID, id))
	if errors.Is(err, record.ErrNotFound) {
		return out, nil
	}
	out.State, out.Assignee, out.Due, out.Note, out.Version = string(t.State), t.Assignee, t.Due, t.Note, t.Version
	return out, err
}

// FixPages are the pages of a fix with the evidence that belongs to it, in order of address,
// those after a given one.
func (s *Store) FixPages(ctx context.Context, crawlID int64, f fixlist.Fix, after string,
	limit int) ([]record.PageFinding, error) {
	rows := []record.PageFinding{}
	if limit <= 0 {
		return rows, nil
	}
	wanted := selection{
		checks: []string{f.Check}, order: `a.url collate "C"`, args: []any{cmp.Or(f.Of, f.ID), after},
		where: `and n.page_id in (select unnest(x.pages) from fix x where x.crawl_id = $1 and x.id = $3) and ($4 = '' or a.url collate "C" > $4)`,
	}
	if f.Of == "" { // of a line for one of several those pages count that have a place of it, which the places tell
		wanted.limit = limit
	}
	enough := errors.New("enough")
	err := s.eachFailing(ctx, crawlID, wanted, func(one *record.PageFinding) error {
		if f.Of != "" && !slices.ContainsFunc(one.Places, func(p check.Place) bool { return isPlaceOf(&f, &p) }) {
			return nil
		}
		if rows = append(rows, *one); len(rows) == limit {
			return enough
		}
		return nil
	})
	if err != nil && !errors.Is(err, enough) {
		return nil, err
	}
	err = nil
	for i := range rows {
		if about := concerned(f, rows[i].Places); len(about) < len(rows[i].Places) {
			rows[i].Places, rows[i].Count = about, len(about)
		}
		rows[i].Shown()
	}
	if f.Group == "headings" {
		err = s.outlines(ctx, crawlID, rows)
	}
	return rows, err
}

// isPlaceOf tells a place of a line for one of several.
func isPlaceOf(f *fixlist.Fix, p *check.Place) bool {
	if f.Target != "" {
		return p.Target == f.Target
	}
	return p.Value == f.Value
}

// concerned keeps the places that the fix is about.
func concerned(f fixlist.Fix, places []check.Place) []check.Place {
	if f.Kind != fixlist.Target && len(f.Targets) == 0 {
		return places
	}
	wanted := map[string]bool{}
	for _, t := range f.Targets {
		wanted[t] = true
	}
	out := []check.Place{}
	for _, p := range places {
		if f.Kind == fixlist.Target && p.Target == f.Target || wanted[p.Target] {
			out = append(out, p)
		}
	}
	return out
}

// outlines adds each page's headings in order, which is the evidence for their order.
func (s *Store) outlines(ctx context.Context, crawlID int64, rows []record.PageFinding) error {
	ids := make([]int32, len(rows))
	at := map[int32]int{}
	for i, r := range rows {
		ids[i] = r.Page
		at[r.Page] = i
	}
	facts := []struct {
		ID    int32
		Facts []byte
	}{}
	opener, err := s.opener(ctx, crawlID)
	if err == nil {
		err = s.db.SelectContext(ctx, &facts,
			"select d.id, d.facts from "+opener.table()+" where d.crawl_id = $1 and d.id = any($2)", crawlID, ids)
	}
	if err != nil {
		return err
	}
	for _, row := range facts {
		var f page.Facts
		if err := opener.openAll(&row.Facts); err != nil {
			return err
		}
		if err := decodeFacts(row.Facts, &f); err != nil {
			return fmt.Errorf("reading facts: %w", err)
		}
		if f.Document != nil {
			rows[at[row.ID]].Outline = f.Document.Headings
		}
	}
	return nil
}

// Tally counts a crawl's addresses.
func (s *Store) Tally(ctx context.Context, crawlID int64) (t record.Tallies, err error) {
	var kept struct {
		Tally []byte
		State string
	}
	if err := s.db.GetContext(ctx, &kept, "select tally, state from crawl where id = $1", crawlID); err != nil {
		return t, found(err)
	}
	if kept.Tally != nil {
		return t, decode(kept.Tally, &t)
	}
	if t, err = s.count(ctx, crawlID); err != nil || kept.State != "finished" {
		return t, err
	}
	data, err := encode(t)
	if err == nil {
		_, err = s.db.ExecContext(ctx, "update crawl set tally = $2 where id = $1 and state = 'finished'", crawlID,
			data)
	}
	return t, err
}

// count makes a tally.
func (s *Store) count(ctx context.Context, crawlID int64) (t record.Tallies, err error) {
	for _, q := range []struct {
		into *[]record.Tally
		sql  string
	}{
		// What waited when it was stored and has a page now was fetched.
		{&t.States, `select name, count from (
			select state as name, count(*) from address where crawl_id = $1 and state not in ('waiting', 'fetched') group by 1
			union all select 'fetched', count(*) from page where crawl_id = $1
			union all select 'waiting', (select count(*) from address where crawl_id = $1 and state in ('waiting', 'fetched'))
				- (select count(*) from page where crawl_id = $1)) s
			where count > 0 order by 2 desc, 1`},
		{&t.Statuses, `select case when status > 0 then status::text else outcome end as name, count(*) from page where crawl_id = $1 and role = 0 group by 1 order by 2 desc, 1`},
		{&t.Depths, `select name::text, count from (select depth as name, count(*) from standing where crawl_id = $1 group by 1 order by 1) d`},
		{&t.Roles, `select case when status = 0 then outcome when status >= 400 then status::text else 'sound' end || ' ' || role::text as name, count(*)
			from page where crawl_id = $1 and role <> 0 group by 1 order by 2 desc, 1`},
		{&t.Kinds, `select kind as name, count(*) from page where crawl_id = $1 and html group by 1 order by 2 desc, 1`},
	} {
		*q.into = []record.Tally{}
		if err := s.db.SelectContext(ctx, q.into, q.sql, crawlID); err != nil {
			return t, err
		}
	}
	for i, r := range t.Roles {
		what, role, _ := strings.Cut(r.Name, " ")
		n, _ := strconv.Atoi(role)
		t.Roles[i].Name = page.Role(n).String() + " " + what
	}
	return t, nil
}

// FixIDs are the lines of a crawl's fix list, and of what they consist of.
func (s *Store) FixIDs(ctx context.Context, crawl int64) (map[string]bool, error) {
	var ids []string
	err := s.db.SelectContext(ctx, &ids, `select id from fix where crawl_id = $1 union select id from fix_entry where crawl_id = $1`, crawl)
	out := make(map[string]bool, len(ids))
	for _, id := range ids {
		out[id] = true
	}
	return out, err
}
