package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/record"
)

// parted are the tables that are partitioned by crawl: a crawl's rows are a table of their own, which is filled,
// counted and dropped without a look at any other. Crawls of 0.5 and before share one.
var parted = []string{
	"address",
	"page",
	"document",
	"source",
	"failing",
	"evidence",
	"standing",
	"fix",
	"fix_entry",
	"rendering",
	"screen",
	formerly,
}

// formerly is the table of findings of crawls that an earlier Harvik judged. Others have no part of it.
const formerly = "finding"

// shared is the ending of the parts that crawls of 0.5 and before share.
const shared = "before"

func partName(table string, crawlID int64) string { return fmt.Sprintf("%s_%d", table, crawlID) }

// makeParts makes the parts of a new crawl. They are attached, not made in place, which would wait for all who read.
func makeParts(ctx context.Context, tx pgx.Tx, crawlID int64) error {
	var b strings.Builder
	for _, table := range parted {
		if table != formerly {
			makePart(&b, table, crawlID)
		}
	}
	if _, err := tx.Exec(ctx, b.String()); err != nil {
		return fmt.Errorf("making room for the crawl: %w", err)
	}
	return nil
}

func makePart(b *strings.Builder, table string, crawlID int64) {
	part := partName(table, crawlID)
	fmt.Fprintf(b, "create table %s (like %s including all);\n", part, table)
	if table == "document" { // ordinary rows stay whole: moving a few kilobytes out costs more than they take
		fmt.Fprintf(b, "alter table %s set (toast_tuple_target = 8160);\n", part)
	}
	fmt.Fprintf(b, "alter table %s attach partition %s for values in (%d);\n", table, part, crawlID)
}

// setApart readies a crawl that an earlier Harvik began, and that now goes on, for what is long of its pages and for
// what fails on them: what it has of that goes where the rest will be.
func (s *Store) setApart(ctx context.Context, crawlID int64) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if is, err := hasPart(ctx, tx, "document", crawlID); err != nil {
			return err
		} else if !is {
			var b strings.Builder
			makePart(&b, "document", crawlID)
			fmt.Fprintf(&b, `insert into document (crawl_id, id, facts, links, main)
				select crawl_id, id, facts, links, convert_to(main_text, 'UTF8') from page where crawl_id = %d`, crawlID)
			if _, err := tx.Exec(ctx, b.String()); err != nil {
				return fmt.Errorf("setting apart what is long of pages: %w", err)
			}
		}
		if is, err := hasPart(ctx, tx, "source", crawlID); err != nil {
			return err
		} else if !is {
			var b strings.Builder
			makePart(&b, "source", crawlID)
			if _, err := tx.Exec(ctx, b.String()); err != nil {
				return fmt.Errorf("making room for source: %w", err)
			}
		}
		for _, table := range []string{"rendering", "screen"} {
			is, err := hasPart(ctx, tx, table, crawlID)
			if err != nil {
				return err
			}
			if !is {
				var b strings.Builder
				makePart(&b, table, crawlID)
				if _, err := tx.Exec(ctx, b.String()); err != nil {
					return fmt.Errorf("making room for renderings: %w", err)
				}
			}
		}
		if err := s.packFindings(ctx, tx, crawlID); err != nil {
			return fmt.Errorf("packing what fails: %w", err)
		}
		return nil
	})
}

// roomForFailing makes the parts for what fails on the pages of a crawl that an earlier Harvik judged, and tells
// whether they were missing.
func roomForFailing(ctx context.Context, tx pgx.Tx, crawlID int64) (made bool, err error) {
	if is, err := hasPart(ctx, tx, "failing", crawlID); err != nil || is {
		return false, err
	}
	var b strings.Builder
	makePart(&b, "failing", crawlID)
	makePart(&b, "evidence", crawlID)
	_, err = tx.Exec(ctx, b.String())
	return true, err
}

// A querier is a transaction, or the pool.
type querier interface {
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
}

// hasPart tells whether a crawl has a part of a table of its own.
func hasPart(ctx context.Context, in querier, table string, crawlID int64) (has bool, err error) {
	err = in.QueryRow(ctx, "select to_regclass($1) is not null", partName(table, crawlID)).Scan(&has)
	return has, err
}

// partOf names the part of a table that holds a crawl.
func (s *Store) partOf(ctx context.Context, crawlID int64) (func(table string) string, error) {
	own, err := hasPart(ctx, s.pool, parted[0], crawlID)
	if err != nil {
		return nil, err
	}
	return func(table string) string {
		if own {
			return partName(table, crawlID)
		}
		return table + "_" + shared
	}, nil
}

// lockWait is how long dropping a part waits for those who read its table; what it cannot get is dropped another time.
const lockWait = 3 * time.Second

// Sweep drops the parts of crawls that are gone. Who reads another crawl meanwhile need not wait for it.
func (s *Store) Sweep(ctx context.Context) error {
	var parts []struct {
		Table, Part string
		Pending     bool
	}
	if err := s.db.SelectContext(ctx, &parts, `select p.relname as table, c.relname as part, coalesce(i.inhdetachpending, false) as pending from pg_class c
		left join pg_inherits i on i.inhrelid = c.oid join pg_class p on p.relname = substring(c.relname from '^(.*)_[0-9]+$') and p.relnamespace = c.relnamespace
		where c.relkind = 'r' and c.relnamespace = to_regnamespace(current_schema()) and p.relname = any($1)
			and not exists (select 1 from crawl where id = substring(c.relname from '_([0-9]+)$')::bigint)`, parted); err != nil {
		return err
	}
	conn, err := s.db.Connx(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	if _, err := conn.ExecContext(ctx, fmt.Sprintf("set lock_timeout = %d", lockWait.Milliseconds())); err != nil {
		return err
	}
	defer conn.ExecContext(context.WithoutCancel(ctx), "reset lock_timeout")
	for _, p := range parts {
		var attached bool
		err := conn.GetContext(ctx, &attached,
			"select exists (select 1 from pg_inherits where inhrelid = to_regclass($1))", p.Part)
		if err == nil && attached {
			how := "concurrently"
			if p.Pending { // an earlier sweep was cut off in between
				how = "finalize"
			}
			_, err = conn.ExecContext(ctx, fmt.Sprintf("alter table %s detach partition %s %s", p.Table, p.Part, how))
		}
		if err == nil {
			_, err = conn.ExecContext(ctx, "drop table if exists "+p.Part)
		}
		if err != nil {
			return fmt.Errorf("dropping %s: %w", p.Part, err)
		}
	}
	return nil
}

// forget deletes crawls. Those that have parts of their own are gone once their rows are; the rest is swept.
func (s *Store) forget(ctx context.Context, tx pgx.Tx, crawls []int64) error {
	for _, table := range parted {
		if _, err := tx.Exec(ctx, fmt.Sprintf(`do $$ begin if to_regclass('%[1]s') is not null then
			delete from %[1]s where crawl_id in (%[2]s); end if; end $$`, table+"_"+shared, numbers(crawls))); err != nil {
			return err
		}
	}
	if _, err := tx.Exec(ctx, "delete from crawl where id = any($1)", crawls); err != nil {
		return err
	}
	cause := fmt.Sprint("removed crawls ", crawls)
	return s.leave(ctx, tx, append(record.Hanging("", cause), record.Todo{What: record.ToSweep, Cause: cause})...)
}

func numbers(list []int64) string {
	out := []string{"null"}
	for _, n := range list {
		out = append(out, fmt.Sprint(n))
	}
	return strings.Join(out, ", ")
}
