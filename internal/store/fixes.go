package store

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"

	"harvik/internal/record"

	"harvik/internal/core/fixlist"
	"harvik/internal/core/page"
)

// orders of the fix list other than its own; quick is gain for effort.
var orders = map[string]string{
	"gain":  "(body->>'gain')::float8 desc, rank",
	"pages": "(body->>'pages')::int desc, rank",
	"quick": "(body->>'gain')::float8 / case body->>'effort' when 'small' then 1 when 'medium' then 6 else 40 end desc, rank",
}

// Fixes lists the fix list of a crawl.
func (s *Store) Fixes(ctx context.Context, crawlID int64, q record.FixQuery) (record.FixList, error) {
	list := record.FixList{Fixes: []fixlist.Fix{}}
	where, args := "where crawl_id = $1", []any{crawlID}
	and := func(condition string, value any) {
		args = append(args, value)
		where += fmt.Sprintf(" and "+condition, len(args))
	}
	if q.Severity != nil {
		and("severity = $%d", int(*q.Severity))
	}
	if q.Group != "" {
		and("section = $%d", q.Group)
	}
	if q.Check != "" {
		and("check_id = $%d", q.Check)
	}
	if q.Search != "" {
		and("position(lower($%d) in lower(body->>'line')) > 0", q.Search)
	}
	var totals struct {
		Lines  int `db:"lines"`
		Places int `db:"places"`
	}
	if err := s.db.GetContext(ctx, &totals, "select count(*) as lines, coalesce(sum((body->>'places')::int), 0) as places from fix "+where, args...); err != nil {
		return list, err
	}
	list.Total, list.Findings = totals.Lines, totals.Places
	order, skip := "rank", 0
	if by, other := orders[q.Order]; other {
		order, skip = by, q.After
	} else {
		and("rank > $%d", q.After)
	}
	limit := q.Limit
	if limit <= 0 {
		limit = math.MaxInt32 - 1
	}
	args = append(args, limit+1, skip)
	bodies := [][]byte{}
	if err := s.db.SelectContext(ctx, &bodies, "select body from fix "+where+fmt.Sprintf(" order by %s limit $%d offset $%d", order, len(args)-1, len(args)), args...); err != nil {
		return list, err
	}
	for i, b := range bodies {
		if i == limit {
			if list.Next = list.Fixes[i-1].Rank; order != "rank" {
				list.Next = q.After + limit
			}
			break
		}
		var f fixlist.Fix
		if err := json.Unmarshal(b, &f); err != nil {
			return list, err
		}
		list.Fixes = append(list.Fixes, f)
	}
	return list, nil
}

// Fix is one line of a fix list, by its ID.
func (s *Store) Fix(ctx context.Context, crawlID int64, id string) (fixlist.Fix, error) {
	var f fixlist.Fix
	var body []byte
	if err := s.db.GetContext(ctx, &body, `select body from fix where crawl_id = $1 and id = $2`, crawlID, id); err != nil {
		return f, found(err)
	}
	return f, json.Unmarshal(body, &f)
}

// FixPages are the pages of a fix with the evidence that belongs to it, in order of address,
// those after a given one.
func (s *Store) FixPages(ctx context.Context, crawlID int64, f fixlist.Fix, after string, limit int) ([]record.PageFinding, error) {
	rows := []record.PageFinding{}
	err := s.db.SelectContext(ctx, &rows, `select x.page_id, coalesce(a.url, '') as url, n.check_id, n.count, n.places,
		coalesce(st.health, -1) as health, coalesce(p.title, '') as title
		from fix_page x
		join finding n on n.crawl_id = x.crawl_id and n.page_id = x.page_id and n.check_id = $3
		left join address a on a.crawl_id = x.crawl_id and a.id = x.page_id
		left join page p on p.crawl_id = x.crawl_id and p.id = x.page_id
		left join standing st on st.crawl_id = x.crawl_id and st.page_id = x.page_id
		where x.crawl_id = $1 and x.fix_id = $2 and ($4 = '' or a.url collate "C" > $4)
		order by a.url collate "C" limit $5`, crawlID, f.ID, f.Check, after, limit)
	if err != nil {
		return nil, err
	}
	for i := range rows {
		rows[i].Places = concerned(f, rows[i].Places)
		rows[i].Count = len(rows[i].Places)
	}
	if f.Group == "headings" {
		err = s.outlines(ctx, crawlID, rows)
	}
	return rows, err
}

// concerned keeps the places that the fix is about.
func concerned(f fixlist.Fix, places record.PlaceList) record.PlaceList {
	if f.Kind != fixlist.Target {
		return places
	}
	out := record.PlaceList{}
	for _, p := range places {
		if p.Target == f.Target {
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
		ID    int32  `db:"id"`
		Facts []byte `db:"facts"`
	}{}
	if err := s.db.SelectContext(ctx, &facts, `select id, facts from page where crawl_id = $1 and id = any($2)`, crawlID, ids); err != nil {
		return err
	}
	for _, row := range facts {
		var f page.Facts
		if err := json.Unmarshal(row.Facts, &f); err != nil {
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
