package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"

	"cel.dev/cel-go/common/types/ref"
	"github.com/jackc/pgx/v5"

	"harvik/internal/core/page"
	"harvik/internal/core/query"
	"harvik/internal/record"
)

// besides are the facts of pages that stand in no row of theirs, but for those of the crawl before.
var besides = []string{query.Fails, query.Fixes, query.LinkedBy}

// beside reads what of pages stands in no row of theirs, as far as it is wanted: each puts its part into a row.
func (r *reading) beside(ctx context.Context) (out []func(id int32, row []any), err error) {
	for _, read := range []func(context.Context) (func(id int32, row []any), error){
		r.before, r.fails, r.fixes, r.linkedBy,
	} {
		fill, err := read(ctx)
		if err != nil {
			return nil, err
		}
		if fill != nil {
			out = append(out, fill)
		}
	}
	return out, nil
}

// before reads what is wanted of the crawl before, if anything is.
func (r *reading) before(ctx context.Context) (func(id int32, row []any), error) {
	t := r.asked.Question.Of
	var e end
	for _, at := range r.wanted {
		if name, ok := strings.CutPrefix(t.Facts[at].Name, query.Before); ok {
			e.want(t, at, name)
		}
	}
	if len(e.places) == 0 {
		return nil, nil
	}
	numbers := map[string]int32{} // of addresses in that crawl
	address := t.Fact("address")
	fill := func(_ int32, row []any) {
		id, ok := numbers[row[address].(string)]
		if !ok {
			id = -1
		}
		e.fill(row, id)
	}
	var crawl int64
	err := r.store.db.GetContext(
		ctx,
		&crawl,
		`select b.id from crawl c join crawl b on b.site_id = c.site_id and b.number < c.number
		and b.state = 'finished' where c.id = $1 order by b.number desc limit 1`,
		r.crawl,
	)
	if errors.Is(err, sql.ErrNoRows) {
		return fill, nil
	}
	if err != nil {
		return nil, err
	}
	scan := &rowScan{store: r.store, crawl: crawl, table: query.TableOf("pages"), every: true}
	scan.want(append(slices.Clone(e.columns), address)...)
	return fill, scan.each(ctx, "true", []any{crawl}, func(id int32, row []any) {
		e.keep(id, row)
		numbers[row[address].(string)] = id
	})
}

// ofPages is the condition that rows are of pages that are wanted: of all where $2 is null.
const ofPages = " where crawl_id = $1 and page_id >= 0 and ($2::int[] is null or page_id = any($2))"

// fails reads which checks fail on pages, if that is wanted.
func (r *reading) fails(ctx context.Context) (func(id int32, row []any), error) {
	at := r.asked.Question.Of.Fact(query.Fails)
	if !slices.Contains(r.wanted, at) {
		return nil, nil
	}
	rowwise, err := r.store.keepsRows(ctx, r.crawl)
	if err != nil {
		return nil, err
	}
	if rowwise {
		return r.listed(ctx, at, "select page_id, check_id from finding"+ofPages+" order by 1, 2")
	}
	rows, err := r.store.pool.Query(ctx, "select page_id, checks from failing"+ofPages, r.crawl, r.only)
	if err != nil {
		return nil, err
	}
	of := map[int32][]int16{}
	var numbers []int16
	var id int32
	var checks []int16
	if _, err := pgx.ForEachRow(rows, []any{&id, &checks}, func() error {
		of[id] = append(of[id], checks...)
		numbers = append(numbers, checks...)
		return nil
	}); err != nil {
		return nil, err
	}
	slices.Sort(numbers)
	names, err := r.store.checkNumbers.names(ctx, r.store.pool, slices.Compact(numbers))
	if err != nil {
		return nil, err
	}
	alike := map[string][]string{} // most pages fail what others fail
	return func(id int32, row []any) {
		checks := of[id]
		key := fmt.Sprint(checks)
		if alike[key] == nil {
			words := []string{}
			for _, n := range checks {
				words = append(words, names[n])
			}
			slices.Sort(words)
			alike[key] = slices.Compact(words)
		}
		row[at] = alike[key]
	}, nil
}

// fixes reads which lines of the fix list are about pages, if that is wanted.
func (r *reading) fixes(ctx context.Context) (func(id int32, row []any), error) {
	at := r.asked.Question.Of.Fact(query.Fixes)
	if !slices.Contains(r.wanted, at) {
		return nil, nil
	}
	return r.listed(
		ctx,
		at,
		"select page_id, id from (select crawl_id, page_id, id, rank from fix cross join unnest(pages) as page_id) fix"+
			ofPages+" order by rank",
	)
}

// listed reads words by page, for a fact that is a list.
func (r *reading) listed(ctx context.Context, at int, list string) (func(id int32, row []any), error) {
	rows, err := r.store.pool.Query(ctx, list, r.crawl, r.only)
	if err != nil {
		return nil, err
	}
	of := map[int32][]string{}
	var page int32
	var word string
	_, err = pgx.ForEachRow(rows, []any{&page, &word}, func() error {
		if words := of[page]; len(words) == 0 || words[len(words)-1] != word { // once, also where it is told twice
			of[page] = append(words, word)
		}
		return nil
	})
	return func(id int32, row []any) {
		if row[at] = []string{}; of[id] != nil {
			row[at] = of[id]
		}
	}, err
}

// mostNeighbours bounds the links that a question goes through.
const mostNeighbours = 2_000_000

// errNeighbours is that of a question that goes through more.
var errNeighbours = record.Refuse(
	"a question goes through at most two million links to pages: narrow it by what pages " +
		"say themselves, such as section == \"/shop/\"",
)

// neighboured are the pages that what is asked of their rows and addresses does not exclude.
func (r *reading) neighboured(ctx context.Context) (map[int32][]ref.Val, error) {
	q := r.asked.Question
	address := q.Of.Fact("address")
	scan := &rowScan{store: r.store, crawl: r.crawl, table: q.Of}
	scan.want(address)
	by := q.Deciding(func(fact string) bool {
		at := q.Of.Fact(fact)
		if q.Of.Facts[at].OfAddress == nil || q.Of.AddressOf(at) != address {
			return at == address
		}
		scan.want(at)
		return true
	})
	out := map[int32][]ref.Val{}
	return out, scan.each(ctx, r.where, r.args, func(id int32, row []any) {
		if !q.Of.Excludes(by, row) {
			out[id] = []ref.Val{}
		}
	})
}

// linkedBy reads the links to pages that the rest of the question does not exclude, if they are gone through.
func (r *reading) linkedBy(ctx context.Context) (func(id int32, row []any), error) {
	q := r.asked.Question
	at := q.Of.Fact(query.LinkedBy)
	if !slices.Contains(r.wanted, at) {
		return nil, nil
	}
	into, err := r.neighboured(ctx)
	if err != nil {
		return nil, err
	}
	var asked end
	for _, fact := range q.Asks() {
		asked.want(q.Of, fact, q.Of.Facts[fact].Name)
	}
	if err := r.store.fillEnd(ctx, r.crawl, &asked, false, nil); err != nil {
		return nil, err
	}
	nothing := make([]any, len(asked.columns))
	documents, err := (&reading{store: r.store, crawl: r.crawl}).documents(ctx)
	if err != nil {
		return nil, err
	}
	choice := linkChoice{words: true, places: true, fragment: true, link: func(*page.Link) bool { return true },
		target: func(to int32) bool { return into[to] != nil }}
	type link struct {
		page.Link
		to int32
	}
	from := &Source{ctx: ctx, store: r.store, crawl: r.crawl}
	n := 0
	err = readEach(from, documents, linksPart, func(_ int32, data []byte) (out []link, err error) {
		of := choice
		err = eachLink(data, &of, func(_ int32, l *page.Link, to int32) { out = append(out, link{*l, to}) })
		return out, err
	}, func(id int32, links []link) {
		source := nothing
		if int(id) < len(asked.known) && asked.known[id] != nil {
			source = asked.known[id]
		}
		for i := range links {
			if n++; n <= mostNeighbours {
				into[links[i].to] = append(into[links[i].to], q.NewLinkIn(&links[i].Link, source))
			}
		}
	})
	if err == nil && n > mostNeighbours {
		err = errNeighbours
	}
	return func(id int32, row []any) { row[at] = into[id] }, err
}
