package store

import (
	"context"
	"encoding/json"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5/pgtype"

	"harvik/internal/core/column"
	"harvik/internal/core/page"
	"harvik/internal/core/query"
	"harvik/internal/record"
)

// pages goes over fetched addresses: the database leaves out what where leaves out.
func (r *reading) pages(ctx context.Context) error {
	t := r.asked.Question.Of
	scan := &rowScan{store: r.store, crawl: r.crawl, site: r.asked.Site, table: t}
	beside, err := r.beside(ctx)
	if err != nil {
		return err
	}
	for _, at := range r.wanted {
		name := t.Facts[at].Name
		if !slices.Contains(besides, name) && !strings.HasPrefix(name, query.Before) {
			scan.want(at)
		}
	}
	if len(beside) > 0 {
		scan.want(t.Fact("address"))
	}
	return scan.each(ctx, r.where, r.args, func(id int32, row []any) {
		for _, fill := range beside {
			fill(id, row)
		}
		if h, ok := r.make(id, 0, row); ok {
			r.take(h)
		}
	})
}

// roleOf narrows a table's rows to what they are to the site.
var roleOf = map[string]string{"pages": "p.role = 0", "resources": "p.role <> 0"}

// A rowScan reads rows of a table as far as they are wanted.
type rowScan struct {
	store  *Store
	crawl  int64
	site   int64
	table  *query.Table
	every  bool // whatever it is to the site
	wanted []int
}

// want adds facts, and those that they are told by.
func (r *rowScan) want(facts ...int) {
	for _, at := range facts {
		if f := &r.table.Facts[at]; f.OfAddress != nil || f.Kind == query.Figures {
			r.want(r.table.AddressOf(at))
		}
		if !slices.Contains(r.wanted, at) {
			r.wanted = append(r.wanted, at)
		}
	}
}

// each calls f with each row of which a condition holds, in the order in which they were found; row is used again.
func (r *rowScan) each(ctx context.Context, where string, args []any, f func(id int32, row []any)) error {
	t := r.table
	selected := []string{"p.id"}
	cells := []any{new(int32)}
	var read []int // the facts that stand in the rows
	figures := -1
	var long []int
	for _, at := range r.wanted {
		fact := &t.Facts[at]
		switch {
		case fact.OfAddress != nil:
		case fact.Long:
			long = append(long, at)
		case fact.Name == column.Fields:
			selected = append(selected, "p.more->'fields'")
			cells, read = append(cells, new([]byte)), append(read, at)
		case fact.Kind == query.Figures:
			figures = at
		default:
			selected = append(selected, askable[fact.Name])
			cells, read = append(cells, cellOf(fact.Kind)), append(read, at)
		}
	}
	var own map[string]map[string]any
	if figures >= 0 {
		var err error
		if own, err = r.store.allFigures(ctx, r.site); err != nil {
			return err
		}
	}
	list := strings.Join(selected, ", ")
	role := roleOf[t.Name]
	if r.every {
		role = "true"
	}
	rows, err := r.store.pool.Query(ctx, "select "+list+fromFor(list+where)+" where p.crawl_id = $1 and "+role+
		" and ("+where+") order by p.id", args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	row := make([]any, len(t.Facts))
	var held heldRows
	for rows.Next() {
		if err := rows.Scan(cells...); err != nil {
			return err
		}
		for i, at := range read {
			row[at] = valueOf(cells[i+1])
		}
		t.Complete(row, r.wanted)
		if figures >= 0 {
			address, _ := row[t.AddressOf(figures)].(string)
			row[figures] = own[address]
		}
		id := *cells[0].(*int32)
		if len(long) > 0 {
			held.add(id, row, r.wanted)
		} else {
			f(id, row)
		}
	}
	if err := rows.Err(); err != nil || len(long) == 0 {
		return err
	}
	rows.Close() // who held a connection and waited for another could wait for those who do the same
	return r.withLong(ctx, &held, long, f)
}

// heldRows are rows that wait for what stands apart from them, as far as they are wanted.
type heldRows struct {
	ids  []int32
	rows [][]any
}

func (h *heldRows) add(id int32, row []any, wanted []int) {
	kept := make([]any, len(wanted))
	for i, at := range wanted {
		kept[i] = row[at]
	}
	h.ids, h.rows = append(h.ids, id), append(h.rows, kept)
}

// withLong calls f with held rows and what of them stands apart, which is read for many at once.
func (r *rowScan) withLong(ctx context.Context, held *heldRows, long []int, f func(id int32, row []any)) error {
	row := make([]any, len(r.table.Facts))
	for from := 0; from < len(held.ids); from += readBatch {
		ids := held.ids[from:min(from+readBatch, len(held.ids))]
		texts := map[int]map[int32]string{}
		for _, at := range long {
			texts[at] = map[int32]string{}
			if err := r.readLong(ctx, r.table.Facts[at].Name, ids, texts[at]); err != nil {
				return err
			}
		}
		for i, id := range ids {
			for k, at := range r.wanted {
				row[at] = held.rows[from+i][k]
			}
			for _, at := range long {
				row[at] = nil
				if text, ok := texts[at][id]; ok {
					row[at] = text
				}
			}
			f(id, row)
		}
	}
	return nil
}

// readLong reads main texts, or source.
func (r *rowScan) readLong(ctx context.Context, name string, ids []int32, into map[int32]string) error {
	if name == "source" {
		return r.store.EachSource(ctx, r.crawl, ids, func(p record.KeptPage) error {
			into[p.ID] = page.Decode(p.Body, p.Encoding)
			return nil
		})
	}
	of := &Source{ctx: ctx, store: r.store, crawl: r.crawl}
	return of.EachText(ids, func(id int32, main string) { into[id] = main })
}

// cellOf is where a value of a kind is read into.
func cellOf(k query.Kind) any {
	switch k {
	case query.Whole:
		return new(pgtype.Int8)
	case query.Decimal:
		return new(pgtype.Float8)
	case query.YesNo:
		return new(pgtype.Bool)
	case query.List:
		return new([]string)
	}
	return new(string)
}

// valueOf is what was read, nil for what is not known.
func valueOf(cell any) any {
	switch c := cell.(type) {
	case *pgtype.Int8:
		if c.Valid {
			return int(c.Int64)
		}
	case *pgtype.Float8:
		if c.Valid {
			return c.Float64
		}
	case *pgtype.Bool:
		if c.Valid {
			return c.Bool
		}
	case *[]string:
		return slices.Clone(*c)
	case *[]byte: // the consultant's own facts
		var fields map[string]any
		_ = json.Unmarshal(*c, &fields) // as they were written
		return fields
	case *string:
		return *c
	}
	return nil
}
