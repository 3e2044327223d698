package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/record"
)

// forgotten is after what time a worker that is not heard of is no more, and its hosts are nobody's.
const forgotten = 10 * time.Second

// Share tells that a worker lives, which hosts it has begun to ask since it last did and which it asks no more, and
// gives of those that other workers ask too how many there are and the gentlest of their tempos.
func (s *Store) Share(ctx context.Context, w record.Worker, joined []record.HostUse, left []string) (
	shares []record.HostShare, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		var b pgx.Batch
		b.Queue(
			`insert into worker (name, place, crawls, judgings, rechecks, watches, messages, keys)
				values ($1, $2, $3, $4, $5, $6, $7, coalesce($8, array[]::text[]))
				on conflict (name) do update set seen = now(), keys = excluded.keys`,
			w.Name, clean(w.Place), w.Hands.Crawls, w.Hands.Judgings, w.Hands.Rechecks, w.Hands.Watches,
			w.Hands.Messages, w.Keys,
		)
		b.Queue(
			"delete from worker where seen < now() - make_interval(secs => $1) and name <> $2",
			6*forgotten.Seconds(),
			w.Name,
		)
		if len(left) > 0 {
			b.Queue("delete from host_use where worker = $1 and host = any($2)", w.Name, left)
		}
		for _, u := range joined {
			// How long is told by the database's clock: those of the machines need not agree.
			b.Queue(`insert into host_use (host, worker, gap_ms, parallel, asked) values ($1, $2, $3, $4,
				now() + make_interval(secs => $5)) on conflict (host, worker) do update set gap_ms = excluded.gap_ms,
				parallel = excluded.parallel, asked = excluded.asked`,
				clean(u.Host), w.Name, u.Gap.Milliseconds(), u.Parallel, max(0, time.Until(u.Asked).Seconds()))
		}
		if err := tx.SendBatch(ctx, &b).Close(); err != nil {
			return err
		}
		rows, err := tx.Query(
			ctx,
			`select o.host, count(*), count(*) filter (where o.worker < $1), max(o.gap_ms), min(o.parallel),
				coalesce(extract(epoch from max(o.asked) - now()), 0)::float8
			from host_use m join host_use o on o.host = m.host and o.worker <> m.worker join worker w on w.name = o.worker
			where m.worker = $1 and w.seen > now() - make_interval(secs => $2) group by o.host`,
			w.Name,
			forgotten.Seconds(),
		)
		if err != nil {
			return err
		}
		var one record.HostShare
		var gap int64
		var wait float64
		into := []any{&one.Host, &one.Others, &one.Before, &gap, &one.Parallel, &wait}
		_, err = pgx.ForEachRow(rows, into, func() error {
			one.Gap, one.Wait = time.Duration(gap)*time.Millisecond, max(0, time.Duration(wait*float64(time.Second)))
			shares = append(shares, one)
			return nil
		})
		return err
	})
	return shares, err
}

// Unshare tells that a worker ends.
func (s *Store) Unshare(ctx context.Context, name string) error {
	_, err := s.pool.Exec(ctx, "delete from worker where name = $1", name)
	return err
}

// SetSeal notes by which key the service seals secrets, by its print.
func (s *Store) SetSeal(ctx context.Context, print string) error {
	_, err := s.pool.Exec(ctx, "insert into seal (print) values ($1) on conflict (one) do update set print = excluded.print",
		print)
	return err
}

// Seal is the print of the key by which the service seals secrets, "" where none has said so yet.
func (s *Store) Seal(ctx context.Context) (print string, err error) {
	err = s.db.GetContext(ctx, &print, "select coalesce(max(print), '') from seal")
	return print, err
}
