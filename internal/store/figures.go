package store

import (
	"context"
	"errors"
	"fmt"
	"sync"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/figures"
	"harvik/internal/core/mishap"
	"harvik/internal/record"
)

// SaveFigures keeps a table of figures as of a day, in place of the same figures of that day. Each row is put
// to adjust first. Two at once for a site come one after the other.
func (s *Store) SaveFigures(ctx context.Context, site int64, taken record.Day, t *figures.Table,
	adjust func(*figures.Row)) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "select pg_advisory_xact_lock($1)",
			urlHash(fmt.Sprintf("figures %d", site))); err != nil {
			return err
		}
		for _, c := range t.Columns {
			if _, err := tx.Exec(ctx, "delete from figure_set where site_id = $1 and name = $2 and taken = $3", site,
				clean(c.Name), taken.Time); err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, "insert into figure_set (site_id, name, taken, kind, rows) values ($1, $2, $3, $4, 0)",
				site, clean(c.Name), taken.Time, string(c.Kind)); err != nil {
				return err
			}
		}
		if err := copyFigures(ctx, tx, site, taken, t, adjust); err != nil {
			return err
		}
		for _, c := range t.Columns {
			if _, err := tx.Exec(ctx, "update figure_set set rows = $4 where site_id = $1 and name = $2 and taken = $3",
				site, clean(c.Name), taken.Time, c.Rows); err != nil {
				return err
			}
		}
		return s.decided(ctx, tx, site)
	})
}

// copyFigures hands the rows on as they are read.
func copyFigures(ctx context.Context, tx pgx.Tx, site int64, taken record.Day, t *figures.Table,
	adjust func(*figures.Row)) error {
	type cell struct {
		row    figures.Row
		column int
	}
	cells := make(chan cell, 1024)
	stop := make(chan struct{})
	var reading sync.WaitGroup
	var failed error
	gone := errors.New("the copy has ended")
	reading.Go(func() {
		defer close(cells)
		failed = mishap.Catch(func() error {
			return t.Each(func(r figures.Row) error {
				adjust(&r)
				for k, v := range r.Values {
					if !v.Known {
						continue
					}
					select {
					case cells <- cell{r, k}:
					case <-stop:
						return gone
					}
				}
				return nil
			})
		})
	})
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"figure"},
		[]string{"site_id", "name", "taken", "hash", "address", "number", "words"},
		pgx.CopyFromFunc(func() ([]any, error) {
			c, ok := <-cells
			if !ok {
				return nil, nil
			}
			column, v := t.Columns[c.column], c.row.Values[c.column]
			var number any
			if column.Kind != figures.Text {
				number = v.Number
			}
			return []any{site, clean(column.Name), taken.Time, urlHash(c.row.Address), clean(c.row.Address), number,
				clean(v.Text)}, nil
		}))
	close(stop)
	reading.Wait()
	if failed != nil && !errors.Is(failed, gone) {
		return failed
	}
	return err
}

// FigureSets are the figures of a site, by name, the newest of each first.
func (s *Store) FigureSets(ctx context.Context, site int64) ([]record.FigureSet, error) {
	sets := []record.FigureSet{}
	err := s.db.SelectContext(ctx, &sets,
		"select name, taken, kind, imported, rows from figure_set where site_id = $1 order by name, taken desc", site)
	return sets, err
}

// FigureState tells the days and times at which a figure in numbers was taken and imported last; "" if
// the site has none.
func (s *Store) FigureState(ctx context.Context, site int64, name string) (state string, err error) {
	err = s.db.GetContext(ctx, &state, `select taken || ' ' || imported from figure_set where site_id = $1 and name = $2 and kind <> 'text'
		order by taken desc limit 1`, site, name)
	if errors.Is(found(err), record.ErrNotFound) {
		return "", nil
	}
	return state, err
}

// NewestFigure is a figure by address, as of the last day there is; nil where the site has no such
// figure, or it is no number.
func (s *Store) NewestFigure(ctx context.Context, site int64, name string) (map[string]float64, error) {
	rows := []struct {
		Address string
		Number  float64
	}{}
	if err := s.db.SelectContext(ctx, &rows, `select address, number from figure where site_id = $1 and name = $2 and number is not null and taken = (
		select max(taken) from figure_set where site_id = $1 and name = $2 and kind <> 'text')`, site, name); err != nil {
		return nil, err
	}
	if len(rows) == 0 {
		return nil, nil
	}
	values := make(map[string]float64, len(rows))
	for _, r := range rows {
		values[r.Address] = r.Number
	}
	return values, nil
}

// RemoveFigure forgets a figure of a site, of all days; record.ErrNotFound if there is none.
func (s *Store) RemoveFigure(ctx context.Context, site int64, name string) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "delete from figure_set where site_id = $1 and name = $2", site, name)
		if err == nil && tag.RowsAffected() == 0 {
			err = record.ErrNotFound
		}
		if err == nil {
			_, err = tx.Exec(ctx, "update site set importance = '' where id = $1 and importance = $2", site, name)
		}
		if err != nil {
			return err
		}
		return s.decided(ctx, tx, site)
	})
}

// SetImportance chooses the figure that weighs a site's pages; "" for authority alone.
func (s *Store) SetImportance(ctx context.Context, site int64, name string) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "update site set importance = $2 where id = $1", site, name); err != nil {
			return err
		}
		return s.decided(ctx, tx, site)
	})
}

// PageAddresses are the addresses that a crawl fetched as pages, and whether each is a sound one.
func (s *Store) PageAddresses(ctx context.Context, crawlID int64) (map[string]bool, error) {
	out := map[string]bool{}
	err := each(ctx, s, func(r *struct {
		URL   string
		Sound bool
	}) error {
		out[r.URL] = r.Sound
		return nil
	}, `select a.url, p.html and p.status = 200 as sound from page p join address a on a.crawl_id = p.crawl_id and a.id = p.id
		where p.crawl_id = $1 and p.role = 0`, crawlID)
	return out, err
}
