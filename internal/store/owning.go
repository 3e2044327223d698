package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/core/plan"
	"harvik/internal/record"
)

// A crawl that runs has an owner, or waits for one. Whoever takes it up, or gives it back, raises its epoch; what is
// written of a crawl is written by its epoch, in the transaction that writes it, so that an owner who was thought dead
// writes nothing into a crawl that another has taken up.

// Own makes somebody the owner of a running crawl that waits for one since an epoch. Ok is false where it does not: it
// has ended, or another was quicker.
func (s *Store) Own(ctx context.Context, id int64, epoch int, owner string) (rec record.Crawl, ok bool, err error) {
	tag, err := s.pool.Exec(ctx, `update crawl set owner = $3, epoch = epoch + 1, beat = now(), live = null
		where id = $1 and epoch = $2 and owner = '' and state = 'running'`, id, epoch, owner)
	if err != nil || tag.RowsAffected() == 0 {
		return rec, false, err
	}
	var row crawlRow
	err = s.db.GetContext(ctx, &row, crawlColumns+"where c.id = $1", id)
	return row.crawl(), err == nil && row.Epoch == epoch+1, err
}

// Beat tells that a crawl's owner lives, and how far it is, and gives what the crawl is to do by now; the error is
// record.ErrLost where another owns it.
func (s *Store) Beat(ctx context.Context, rec record.Crawl, p record.Progress) (now record.Orders, err error) {
	live, err := encode(p)
	if err != nil {
		return now, err
	}
	var pace kept[plan.Plan]
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		var b pgx.Batch
		b.Queue("set local synchronous_commit = off") // the next one says it again
		b.Queue("set local idle_in_transaction_session_timeout = '8s'")
		b.Queue(`update crawl set beat = now(), live = $3 where id = $1 and epoch = $2 and state = 'running'
			returning wish, jsonb_strip_nulls(jsonb_build_object('parallel', plan -> 'parallel', 'pause', plan -> 'pause',
			'perSecond', plan -> 'perSecond'))`, rec.ID, rec.Epoch, live).QueryRow(func(row pgx.Row) error {
			return row.Scan(&now.Wish, &pace)
		})
		return tx.SendBatch(ctx, &b).Close()
	})
	if errors.Is(err, pgx.ErrNoRows) {
		err = record.ErrLost
	}
	now.Pace = pace.value
	return now, err
}

// Unheard are the running crawls whose owner has not been heard of for some time, those that an earlier owner of a seat
// left, and those that wait although the queue knows nothing of it, or says that somebody does it who is no more: who
// was killed between taking the word and the crawl.
func (s *Store) Unheard(ctx context.Context, patience time.Duration, seat string) ([]record.Crawl, error) {
	var rows []crawlRow
	err := s.db.SelectContext(ctx, &rows, crawlColumns+`where c.state = 'running' and (
		c.owner <> '' and (c.beat < now() - make_interval(secs => $1) or $2 <> '' and starts_with(c.owner, $2)) or
		c.owner = '' and (c.id, c.epoch) not in (select cast(j.args ->> 'crawl' as bigint), cast(j.args ->> 'epoch' as int)
			from river_job j where j.kind = 'crawl' and (j.state in ('available', 'retryable', 'scheduled', 'pending')
			or j.state = 'running' and not `+deserted+`))) order by c.id`, patience.Seconds(), seat)
	return crawlsOf(rows), err
}

// Waiting is how many crawls wait for a worker that is free.
func (s *Store) Waiting(ctx context.Context) (crawls int, err error) {
	err = s.pool.QueryRow(ctx, "select count(*) from river_job where state = 'available' and queue = $1", crawlQueue).
		Scan(&crawls)
	return crawls, err
}

// Release gives a running crawl back, for whoever takes it up next, and leaves word of it in the queue; nothing happens
// where another owns it by now.
func (s *Store) Release(ctx context.Context, rec record.Crawl) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update crawl set owner = '', epoch = epoch + 1, beat = null, live = null
			where id = $1 and epoch = $2 and state = 'running'`, rec.ID, rec.Epoch)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		return s.enqueue(ctx, tx, record.CrawlJob{Crawl: rec.ID, Epoch: rec.Epoch + 1})
	})
}

// Reclaim takes a running crawl from an owner who is no more, and leaves word of it in the queue. That counts against
// the crawl: one that has got no further since it last did, and has so much against it, is put away with the reason
// instead. Reclaimed is false where somebody else has done something with it meanwhile.
func (s *Store) Reclaim(ctx context.Context, rec record.Crawl, counts, most int, why string) (
	reclaimed, away bool, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		cuts := 0
		err := tx.QueryRow(ctx, `update crawl set owner = '', epoch = epoch + 1, beat = null, live = null,
			cuts = case when cut_at is distinct from $3 then 0 else cuts end + case when owner = '' then 0 else $4 end, cut_at = $3
			where id = $1 and epoch = $2 and state = 'running' returning cuts`, rec.ID, rec.Epoch, rec.Progress.Fetched,
			counts).Scan(&cuts)
		if errors.Is(err, pgx.ErrNoRows) {
			return nil
		}
		if err != nil {
			return err
		}
		reclaimed = true
		_, err = tx.Exec(ctx, `update river_job set state = 'discarded', finalized_at = now()
			where kind = 'crawl' and state = 'running' and args @> jsonb_build_object('crawl', $1::bigint)`, rec.ID)
		if err != nil {
			return err
		}
		if away = cuts >= most; !away {
			return s.enqueue(ctx, tx, record.CrawlJob{Crawl: rec.ID, Epoch: rec.Epoch + 1})
		}
		_, err = tx.Exec(
			ctx,
			"update crawl set state = 'paused', detail = $2, wish = '', waits = '' where id = $1",
			rec.ID,
			clean(why),
		)
		return err
	})
	return reclaimed && err == nil, away, err
}

// inTx runs f in a transaction of the pool, which holds if f succeeds.
func (s *Store) inTx(ctx context.Context, f func(tx pgx.Tx) error) error {
	tx, err := s.pool.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback(context.WithoutCancel(ctx))
	if err := f(tx); err != nil {
		return err
	}
	return tx.Commit(ctx)
}

// asOwner runs f in a transaction that writes into a crawl as its owner of an epoch: nobody else takes it up until that
// has ended.
func (s *Store) asOwner(ctx context.Context, crawl int64, epoch int, f func(tx pgx.Tx) error) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		// Who is cut off in the midst of it is not to keep others from the crawl.
		if _, err := tx.Exec(ctx, "set local idle_in_transaction_session_timeout = '8s'"); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, "select 1 from crawl where id = $1 and ($2 < 0 or epoch = $2) for share", crawl, epoch)
		if err := held(tag.RowsAffected(), err); err != nil {
			return err
		}
		return f(tx)
	})
}

// held is the error of what was to be written of a crawl, and touched so many of its rows by its epoch.
func held(rows int64, err error) error {
	switch {
	case err != nil:
		return err
	case rows == 0:
		return record.ErrLost
	}
	return nil
}
