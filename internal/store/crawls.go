package store

import (
	"context"
	"errors"
	"fmt"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/plan"
	"harvik/internal/record"
)

const (
	crawlBasics = `select c.id, c.site_id, s.name as site, s.home, c.number, c.state, c.ending, c.detail, c.plan,
		c.started, c.finished, c.catalogue, c.progress, c.weighed, c.wish, c.marked,
		c.owner, c.epoch, c.live, c.schedule, c.hours`
	ofSite = ` from crawl c join site s on s.id = c.site_id `

	crawlColumns = crawlBasics + ", c.report, c.probes, c.traps" + ofSite
	// Lists are asked for every two seconds: they have neither the ledger nor what was found at doors and in traps.
	listColumns = crawlBasics + ", c.report - 'ledger' - 'Ledger' as report, '[]'::jsonb as traps" + ofSite
)

// StartCrawl makes the next crawl of a site; record.ErrExists where one of it runs. A number is given once, also where
// the crawl that had it is removed.
func (s *Store) StartCrawl(ctx context.Context, site record.Site, p plan.Plan, catalogue int) (record.Crawl, error) {
	return s.StartTurn(ctx, site, p, catalogue, nil)
}

// StartTurn is StartCrawl where it is a schedule's turn, which is taken with it; record.ErrBusy where another process
// has taken it.
func (s *Store) StartTurn(ctx context.Context, site record.Site, p plan.Plan, catalogue int, turn *record.Turn) (
	record.Crawl, error) {
	data, err := encodePlan(p)
	if err != nil {
		return record.Crawl{}, err
	}
	by := record.Turn{}
	if turn != nil {
		by = *turn
	}
	var hours any
	if by.Hours.Text != "" {
		if hours, err = encode(by.Hours); err != nil {
			return record.Crawl{}, err
		}
	}
	var id int64
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, `with next as (update site set numbered = numbered + 1 where id = $1 returning id, numbered)
			insert into crawl (site_id, number, state, plan, catalogue, schedule, hours)
			select id, numbered, 'running', cast($2 as jsonb), $3, $4, cast($5 as jsonb) from next returning id, number`,
			site.ID, string(data), catalogue, by.Name, hours).Scan(&id, &by.Last.Crawl); err != nil {
			return exists(found(err))
		}
		if turn != nil {
			if err := takeTurn(ctx, tx, by); err != nil {
				return err
			}
		}
		if err := makeParts(ctx, tx, id); err != nil {
			return err
		}
		return s.enqueue(ctx, tx, record.CrawlJob{Crawl: id})
	})
	if err != nil {
		return record.Crawl{}, err
	}
	return s.CrawlOf(ctx, id)
}

// CrawlOf is a crawl; record.ErrNotFound where there is none.
func (s *Store) CrawlOf(ctx context.Context, id int64) (record.Crawl, error) {
	var row crawlRow
	err := s.db.GetContext(ctx, &row, crawlColumns+"where c.id = $1", id)
	return row.crawl(), found(err)
}

// exists turns the database's error for what there may be only one of into ErrExists.
func exists(err error) error {
	if isUnique(err) {
		return record.ErrExists
	}
	return err
}

// RemoveCrawl deletes a crawl that does not run, with all that was found; record.ErrNotFound where there is none. What
// people said of its fixes belongs to the site and stays.
func (s *Store) RemoveCrawl(ctx context.Context, id int64) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		var one int64
		if err := tx.QueryRow(ctx, "select id from crawl where id = $1 and state <> 'running' for update",
			id).Scan(&one); err != nil {
			return found(err)
		}
		return s.forget(ctx, tx, []int64{id})
	})
}

// tooOld are the crawls c of the site $1 that go where it keeps $2 (0 for all), and, if $3, the first finished one of
// each month.
const tooOld = `from crawl c where c.site_id = $1 and $2 > 0 and c.state in ('finished', 'failed') and not c.marked and
	c.number < (select min(number) from (select number from crawl where site_id = $1 and state = 'finished' and not marked
		order by number desc limit $2) k) and
	not ($3 and c.state = 'finished' and not exists (select from crawl e where e.site_id = $1 and e.state = 'finished' and
		e.number < c.number and date_trunc('month', e.started at time zone 'UTC') = date_trunc('month', c.started at time zone 'UTC')))
	order by c.number`

// Going are the crawls of a site that would go now if it kept so many.
func (s *Store) Going(ctx context.Context, site int64, keep record.Retention) ([]record.Crawl, error) {
	var ids []int64
	err := s.db.SelectContext(ctx, &ids, "select c.id "+tooOld, site, keep.Crawls, keep.Monthly)
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	var rows []crawlRow
	err = s.db.SelectContext(ctx, &rows, listColumns+"where c.id = any($1) order by c.number", ids)
	return crawlsOf(rows), err
}

// Retain deletes of a site's crawls that have ended those older than the newest finished ones that it keeps, but for
// what is marked, and the first of each month where it keeps those. It returns their numbers.
func (s *Store) Retain(ctx context.Context, site int64) (numbers []int, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		var keep record.Retention
		if err := tx.QueryRow(ctx, "select keep, keep_monthly from site where id = $1", site).
			Scan(&keep.Crawls, &keep.Monthly); err != nil {
			return record.UnlessGone(found(err))
		}
		rows, err := tx.Query(ctx, "select c.id, c.number "+tooOld+" for update of c", site, keep.Crawls, keep.Monthly)
		if err != nil {
			return err
		}
		var ids []int64
		var id int64
		var number int
		if _, err := pgx.ForEachRow(rows, []any{&id, &number}, func() error {
			ids, numbers = append(ids, id), append(numbers, number)
			return nil
		}); err != nil || len(ids) == 0 {
			return err
		}
		return s.forget(ctx, tx, ids)
	})
	return numbers, err
}

// MarkCrawl marks a crawl, so that it stays when older ones go, or takes the mark off.
func (s *Store) MarkCrawl(ctx context.Context, id int64, marked bool) error {
	_, err := s.db.ExecContext(ctx, "update crawl set marked = $2 where id = $1", id, marked)
	return err
}

// FailCrawl marks a crawl that could not be ended properly.
func (s *Store) FailCrawl(ctx context.Context, rec record.Crawl, why string) error {
	return s.putAway(ctx, rec, `update crawl set state = 'failed', detail = $3, finished = now(), owner = '', live = null
		where id = $1 and epoch = $2 and state = 'running'`, true, rec.ID, rec.Epoch, clean(why))
}

// PauseCrawl marks a crawl as paused, with the reason if nobody asked for it, and what it waits for if it is
// to go on by itself.
func (s *Store) PauseCrawl(ctx context.Context, rec record.Crawl, why, waits string) error {
	return s.putAway(ctx, rec, `update crawl set state = 'paused', detail = $3, wish = '', waits = $4, owner = '', live = null
		where id = $1 and epoch = $2 and state = 'running'`, why != "" && waits != record.WaitsForHours, rec.ID, rec.Epoch,
		clean(why), waits)
}

// putAway runs a statement that ends a crawl's running, and leaves word of it where that is news.
func (s *Store) putAway(ctx context.Context, rec record.Crawl, sql string, news bool, args ...any) error {
	s.recent.forget(rec.ID)
	return s.inTx(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, sql, args...)
		if err = held(tag.RowsAffected(), err); err != nil || !news {
			return err
		}
		return s.leave(ctx, tx, record.Todo{What: record.ToNews, Crawl: rec.ID,
			Cause: fmt.Sprintf("crawl %d put away by owner %d", rec.ID, rec.Epoch)})
	})
}

// WaitingFor are the paused crawls that wait for something, the oldest first.
func (s *Store) WaitingFor(ctx context.Context, what string) ([]record.Crawl, error) {
	var rows []crawlRow
	err := s.db.SelectContext(ctx, &rows, crawlColumns+"where c.state = 'paused' and c.waits = $1 order by c.id", what)
	return crawlsOf(rows), err
}

// ResumeCrawl marks a paused crawl as running. It tells whether it was paused; record.ErrExists where another of the
// site runs.
func (s *Store) ResumeCrawl(ctx context.Context, id int64) (bool, error) {
	resumed := false
	err := s.inTx(ctx, func(tx pgx.Tx) error {
		epoch := 0
		err := tx.QueryRow(ctx, `update crawl set state = 'running', detail = '', wish = '', waits = '', cuts = 0, cut_at = null,
			owner = '', epoch = epoch + 1 where id = $1 and state = 'paused' returning epoch`, id).
			Scan(&epoch)
		if errors.Is(err, pgx.ErrNoRows) {
			return nil
		}
		if err != nil {
			return exists(err)
		}
		resumed = true
		return s.enqueue(ctx, tx, record.CrawlJob{Crawl: id, Epoch: epoch})
	})
	return resumed && err == nil, err
}

// Reopen makes a finished crawl one that runs by a changed plan: its verdict goes, and with it
// what is no page, which is fetched after all pages. record.ErrExists where another crawl of the site runs.
func (s *Store) Reopen(ctx context.Context, id int64, p plan.Plan) error {
	data, err := encodePlan(p)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx pgx.Tx) error {
		for _, sql := range []string{
			"delete from standing where crawl_id = $1", "delete from fix where crawl_id = $1",
			"delete from fix_entry where crawl_id = $1",
			"delete from sheet where crawl_id = $1",
			"delete from finding where crawl_id = $1 and whole",
			"delete from failing where crawl_id = $1 and whole",
			"delete from document where crawl_id = $1 and id in (select id from page where crawl_id = $1 and role <> 0)",
			"delete from page where crawl_id = $1 and role <> 0",
		} {
			if _, err := tx.Exec(ctx, sql, id); err != nil {
				return err
			}
		}
		epoch := 0
		err = tx.QueryRow(ctx, `update crawl set state = 'running', owner = '', epoch = epoch + 1, ending = '', detail = '', wish = '', finished = null, report = null, health = null, tally = null, probes = null,
			traps = '[]', plan = $2 where id = $1 returning epoch`, id, data).
			Scan(&epoch)
		if errors.Is(err, pgx.ErrNoRows) {
			return record.ErrNotFound
		}
		if err != nil {
			return exists(err)
		}
		// The one before is the newest finished one meanwhile.
		if err := s.hangs(ctx, tx, id, fmt.Sprintf("crawl %d taken up by owner %d", id, epoch)); err != nil {
			return err
		}
		return s.enqueue(ctx, tx, record.CrawlJob{Crawl: id, Epoch: epoch})
	})
}

// Wish notes what a running crawl is to do, for whoever runs it, or takes it up; one that nobody runs is put away at
// once. It tells whether the crawl was running.
func (s *Store) Wish(ctx context.Context, id int64, wish string) (running bool, err error) {
	tag, err := s.pool.Exec(ctx, `update crawl set
		state = case when owner = '' and $2 <> $3 then 'paused' else state end,
		epoch = case when owner = '' and $2 <> $3 then epoch + 1 else epoch end,
		wish = case when owner = '' and $2 <> $3 then '' else $2 end,
		waits = case when owner = '' and $2 = $4 then $4 else waits end
		where id = $1 and state = 'running'`, id, wish, record.WishStop, record.WaitsForHours)
	return tag.RowsAffected() > 0, err
}

// SetPlanOf replaces the plan of a running crawl: its pace can be changed. It tells whether the crawl was running.
func (s *Store) SetPlanOf(ctx context.Context, id int64, p plan.Plan) (running bool, err error) {
	data, err := encodePlan(p)
	if err != nil {
		return false, err
	}
	tag, err := s.pool.Exec(
		ctx,
		"update crawl set plan = cast($2 as jsonb) where id = $1 and state = 'running'",
		id,
		string(data),
	)
	return tag.RowsAffected() > 0, err
}

// Crawls lists those of a site, newest first, before a number (0 for the newest), without ledger, probes and traps.
func (s *Store) Crawls(ctx context.Context, site record.Site, before, limit int) ([]record.Crawl, error) {
	var rows []crawlRow
	err := s.db.SelectContext(ctx, &rows, listColumns+`where c.site_id = $1 and ($2 = 0 or c.number < $2)
		order by c.number desc limit $3`, site.ID, before, limit)
	return crawlsOf(rows), err
}

// Crawl is the one of a number; 0 means the newest finished one.
func (s *Store) Crawl(ctx context.Context, site string, number int) (record.Crawl, error) {
	var row crawlRow
	err := s.db.GetContext(
		ctx,
		&row,
		crawlColumns+`where s.name = $1 and (c.number = $2 or $2 = 0 and c.state = 'finished')
		order by c.number desc limit 1`,
		site,
		number,
	)
	return row.crawl(), found(err)
}
