package store

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"time"

	"harvik/internal/core/query"
	"harvik/internal/record"
)

// askedWithin bounds the time of a question.
const askedWithin = 30 * time.Second

// mostGroups bounds the groups of an answer; the largest are kept.
const mostGroups = 10_000

// ErrTooLong is that of a question that took longer than questions may.
var ErrTooLong = errors.New(
	"the question took longer than 30 seconds and was broken off: narrow it, so that fewer rows have to be read",
)

var errNoSource = record.Refuse(
	"%s",
	"this crawl keeps no source of its pages: its plan did without (keep.source), it is "+
		"older than the plan keeps it (keep.days), or an earlier Harvik made it",
)

// Ask answers a question: the database leaves out what it is sure is no answer, and the question itself judges the
// rest.
func (s *Store) Ask(ctx context.Context, crawlID int64, a record.Asking) (out record.Answer, err error) {
	return out, s.inTime(ctx, crawlID, &a, func(ctx context.Context) error {
		hits, found, err := s.find(ctx, crawlID, &a)
		if out = found; err != nil || a.By.Picks() {
			return err
		}
		out.Rows, err = s.show(ctx, crawlID, &a, hits)
		return err
	})
}

// inTime answers a question within the time that questions have, if it can be answered at all.
func (s *Store) inTime(
	ctx context.Context,
	crawlID int64,
	a *record.Asking,
	answer func(context.Context) error,
) error {
	if a.Reads("source") {
		if keeps, err := s.KeepsSource(ctx, crawlID); err != nil || !keeps {
			return cmp.Or(err, errNoSource)
		}
	}
	limited, end := context.WithTimeoutCause(ctx, askedWithin, ErrTooLong)
	defer end()
	err := answer(limited)
	if err != nil && context.Cause(limited) == ErrTooLong {
		return ErrTooLong
	}
	return err
}

// A hit is a row that is an answer, or of which that cannot be told.
type hit struct {
	id, nth  int32 // the address, and which of its rows
	other    int32 // the address that it leads to
	key      any   // what it is sorted or grouped by
	measured any
	*more    // nil for most
}

// more is what few hits have.
type more struct {
	shown       []any // once it is to be shown
	unjudgeable error
}

// A reading goes over rows of a table.
type reading struct {
	store  *Store
	crawl  int64
	asked  *record.Asking
	where  string // narrows rows of fetched addresses
	args   []any
	only   []int32 // the addresses whose rows are wanted; nil for all
	others []int32 // with that, the addresses that they lead to
	wanted []int   // the facts that hits are made of
	// make makes a hit of a row, which is used again, or none. It is called from several goroutines.
	make func(id, nth int32, row []any) (hit, bool)
	// take takes hits in, one after the other in the order of their rows.
	take func(hit)
}

// readers go over the rows of each table.
var readers = map[string]func(*reading, context.Context) error{
	"pages": (*reading).pages, "resources": (*reading).pages, "links": (*reading).links,
	"redirects": (*reading).redirects, "findings": (*reading).findings, "headings": (*reading).items,
	"images": (*reading).items, "alternates": (*reading).items, "data": (*reading).items,
	"renderings": (*reading).renderings, "sitemap": (*reading).sitemap, "duplicates": (*reading).duplicates,
}

// judge makes hits of rows. It is safe for use from several goroutines.
type judge struct {
	of   *record.Asking
	sure bool // every row is a hit
}

func (j *judge) hit(id, nth int32, row []any) (h hit, ok bool) {
	h.id, h.nth = id, nth
	if !j.sure {
		holds, err := j.of.Question.Holds(row)
		if err != nil {
			h.more = &more{unjudgeable: err}
			return h, true
		}
		if !holds {
			return h, false
		}
	}
	if sorted := j.sorts(); sorted.Picks() {
		if h.key = sorted.Of(row); j.of.Bins != nil {
			h.key = query.BinOf(h.key, j.of.Bins)
		}
	}
	if j.of.By.Picks() && j.of.Measure.Picks() {
		h.measured = j.of.Measure.Of(row)
	}
	return h, true
}

// sorts is what hits are grouped or sorted by.
func (j *judge) sorts() query.Pick {
	if j.of.By.Picks() {
		return j.of.By
	}
	return j.of.Order
}

// wants are the facts that a judge needs.
func (j *judge) wants() (out []int) {
	if !j.sure {
		out = append(out, j.of.Question.Uses...)
	}
	if sorted := j.sorts(); sorted.Picks() {
		out = append(out, sorted.Fact)
	}
	if j.of.By.Picks() && j.of.Measure.Picks() {
		out = append(out, j.of.Measure.Fact)
	}
	return out
}

// find finds the rows that a question holds of, those of the answer in its order, or their groups.
func (s *Store) find(
	ctx context.Context,
	crawlID int64,
	a *record.Asking,
) (hits []hit, out record.Answer, err error) {
	t := a.Question.Of
	j := &judge{of: a}
	find := reading{store: s, crawl: crawlID, asked: a, make: j.hit}
	if roleOf[t.Name] != "" {
		w := narrowing{table: t, args: []any{crawlID}}
		find.where, j.sure = w.of(a.Question.Node())
		find.args = w.args
	}
	find.wanted = j.wants()
	var groups query.Tally
	best := first{most: a.Skip + a.Limit, compare: query.Compare}
	if a.Falling {
		best.compare = query.CompareFalling
	}
	find.take = func(h hit) {
		if h.more != nil {
			if out.Unjudged++; out.Unjudged == 1 {
				out.Fault = h.unjudgeable.Error()
			}
			return
		}
		out.Total++
		switch {
		case a.By.Picks():
			groups.Add(h.key, h.measured)
		case a.Order.Picks():
			best.add(h)
		case out.Total > a.Skip && len(hits) < a.Limit:
			hits = append(hits, h)
		}
	}
	if err := readers[t.Name](&find, ctx); err != nil {
		return nil, out, err
	}
	if a.By.Picks() {
		out.Groups = groups.Groups()
		out.Groups = out.Groups[:min(mostGroups, len(out.Groups))]
		return nil, out, nil
	}
	if a.Order.Picks() {
		hits = best.sorted()
		hits = hits[min(a.Skip, len(hits)):]
	}
	return hits, out, nil
}

// show reads what is shown of hits.
func (s *Store) show(ctx context.Context, crawlID int64, a *record.Asking, hits []hit) ([][]any, error) {
	out := make([][]any, len(hits))
	if len(hits) == 0 {
		return out, nil
	}
	at := make(map[[2]int32]int, len(hits))
	var ids, others []int32
	for i, h := range hits {
		at[[2]int32{h.id, h.nth}] = i
		ids, others = append(ids, h.id), append(others, h.other)
	}
	slices.Sort(ids)
	ids = slices.Compact(ids)
	slices.Sort(others)
	again := reading{
		store:  s,
		crawl:  crawlID,
		asked:  a,
		where:  "p.id = any($2)",
		args:   []any{crawlID, ids},
		only:   ids,
		others: slices.Compact(others),
	}
	for _, c := range a.Columns {
		again.wanted = append(again.wanted, c.Fact)
	}
	again.make = func(id, nth int32, row []any) (hit, bool) {
		h := hit{id: id, nth: nth, more: new(more)}
		if _, ok := at[[2]int32{id, nth}]; !ok {
			return h, false
		}
		for _, c := range a.Columns {
			h.shown = append(h.shown, c.Of(row))
		}
		return h, true
	}
	again.take = func(h hit) { out[at[[2]int32{h.id, h.nth}]] = h.shown }
	return out, readers[a.Question.Of.Name](&again, ctx)
}
