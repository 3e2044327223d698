package store

import (
	"context"
	"slices"
	"strings"
	"sync"

	"harvik/internal/core/page"
	"harvik/internal/core/query"
)

// linkEnds are the addresses that a link joins; what it leads to need not have been fetched.
var linkEnds = map[string]bool{query.Source: false, query.Target: true}

// links goes over the links of pages, those of several pages at once. What one end of a link excludes is not unpacked.
func (r *reading) links(ctx context.Context) error {
	pages, err := r.documents(ctx)
	if err != nil {
		return err
	}
	join, err := r.joining(ctx, linkEnds)
	if err != nil {
		return err
	}
	read := make([]func(*page.Link) any, len(join.own))
	var names []string
	for i, at := range join.own {
		names = append(names, join.table.Facts[at].Name)
		read[i] = query.LinkFact(names[i])
	}
	source, target := join.ends[query.Source], join.ends[query.Target]
	starts, leads := r.excluded(join, query.Source), r.excluded(join, query.Target)
	var marks, says *query.Node // what tells a link without its texts, and by what it says alone
	said := join.table.Fact("words")
	if r.only == nil {
		says = r.asked.Question.Deciding(func(fact string) bool { return fact == "words" })
		marks = r.asked.Question.Deciding(func(fact string) bool {
			return fact == "region" || fact == "follow" || fact == "hidden" || fact == "line"
		})
	}
	// Each goroutine has a row and what it read of its own.
	worker := func() any {
		w := &linkWorker{row: join.row()}
		w.own = func(l *page.Link) {
			for i, at := range join.own {
				if w.row[at] = w.choice.said; names[i] != "words" {
					w.row[at] = read[i](l)
				}
			}
		}
		w.choice = linkChoice{target: func(to int32) bool { return !leads(to) }, link: func(l *page.Link) bool {
			if marks == nil {
				return true
			}
			w.own(l)
			return !join.table.Excludes(marks, w.row)
		}, says: func(words any) bool {
			if says == nil {
				return true
			}
			w.row[said] = words
			return !join.table.Excludes(says, w.row)
		}, words: slices.Contains(names, "words"), places: slices.Contains(names, "place"),
			fragment: slices.Contains(names, "fragment")}
		return w
	}
	workers := sync.Pool{New: worker}
	from := &Source{ctx: ctx, store: r.store, crawl: r.crawl}
	return readEach(from, slices.DeleteFunc(slices.Clone(pages), starts), linksPart,
		func(id int32, data []byte) (hits []hit, err error) {
			w := workers.Get().(*linkWorker)
			defer workers.Put(w)
			source.fill(w.row, id)
			err = eachLink(data, &w.choice, func(nth int32, l *page.Link, to int32) {
				w.own(l)
				target.fill(w.row, to)
				if h, ok := r.make(id, nth, w.row); ok {
					h.other = to
					hits = append(hits, h)
				}
			})
			return hits, err
		}, r.takeAll)
}

// A linkWorker goes over the links of one page after the other.
type linkWorker struct {
	row    []any
	own    func(*page.Link)
	choice linkChoice
}

// takeAll takes the hits of a page in.
func (r *reading) takeAll(_ int32, hits []hit) {
	for _, h := range hits {
		r.take(h)
	}
}

// documents are the pages whose contents are gone through.
func (r *reading) documents(ctx context.Context) (pages []int32, err error) {
	if r.only != nil {
		return r.only, nil
	}
	err = r.store.db.SelectContext(ctx, &pages,
		"select id from page where crawl_id = $1 and role = 0 and html order by id", r.crawl)
	return pages, err
}

// excluded tells the addresses of one end whose rows cannot be answers.
func (r *reading) excluded(join *joining, prefix string) func(id int32) bool {
	by := r.asked.Question.Deciding(func(fact string) bool { return strings.HasPrefix(fact, prefix) })
	if by == nil || r.only != nil {
		return func(int32) bool { return false }
	}
	e := join.ends[prefix]
	row := join.row()
	e.fill(row, -1)
	nowhere := join.table.Excludes(by, row)
	out := make([]bool, len(e.known))
	for id := range e.known {
		e.fill(row, int32(id))
		out[id] = join.table.Excludes(by, row)
	}
	return func(id int32) bool {
		if id < 0 || int(id) >= len(out) {
			return nowhere
		}
		return out[id]
	}
}
