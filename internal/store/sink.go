package store

import (
	"context"
	"crypto/rand"
	"fmt"
	"time"

	"harvik/internal/record"

	"github.com/cespare/xxhash/v2"
	"github.com/jackc/pgx/v5"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/column"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
)

// A Sink stores the results of one crawl, batch by batch, each in a transaction.
type Sink struct {
	store  *Store
	crawl  int64
	epoch  int     // of its owner; anyEpoch where nobody runs it
	packer *packer // once something was stored
	keeper *keeper // likewise
	lasts  bool    // a batch is on the disk
	words  *archivist
	site   map[int32]*failingRow // what was found on the whole site, and is not stored
	waits  int                   // bytes of it
}

// Sink is where a crawl writes to.
func (s *Store) Sink(rec record.Crawl) record.Sink {
	return &Sink{store: s, crawl: rec.ID, epoch: rec.Epoch}
}

// anyEpoch is that of who writes into a crawl that does not run.
const anyEpoch = -1

// whose makes of an error that comes of two owners' writing the same that another owns the crawl, where it does.
func (k *Sink) whose(ctx context.Context, err *error) {
	if *err == nil || !isUnique(*err) || k.epoch < 0 {
		return
	}
	epoch := k.epoch
	if k.store.pool.QueryRow(ctx, "select epoch from crawl where id = $1", k.crawl).Scan(&epoch) == nil &&
		epoch != k.epoch {
		*err = record.ErrLost
	}
}

// ready makes room for a crawl that an earlier Harvik began.
func (k *Sink) ready(ctx context.Context) error {
	if k.packer != nil || k.words != nil {
		return nil
	}
	return k.store.setApart(ctx, k.crawl)
}

// Save stores a batch.
func (k *Sink) Save(ctx context.Context, b record.Batch) (err error) {
	if err := k.ready(ctx); err != nil {
		return err
	}
	if k.packer == nil {
		if k.packer, err = k.store.newPacker(ctx, k.crawl); err != nil {
			return fmt.Errorf("taking up what was stored: %w", err)
		}
		if k.keeper, err = k.store.newKeeper(ctx, k.crawl); err != nil {
			return fmt.Errorf("taking up the source that was kept: %w", err)
		}
	}
	defer k.undone(&err)
	defer k.whose(ctx, &err)
	var found []check.Finding
	for i := range b.Records {
		found = append(found, b.Records[i].Findings...)
	}
	failing := map[int32]*failingRow{}
	if err := k.gather(ctx, failing, found); err != nil {
		return fmt.Errorf("packing what fails: %w", err)
	}
	conn, err := k.store.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	tx, err := conn.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback(context.WithoutCancel(ctx))
	// Nobody is told that a batch is stored, so it need not wait for the disk; the result, which is told, does, and
	// all batches before it with it. So does the first after a crawl was begun or cut off: one whose database ends
	// again and again gets further each time.
	if k.lasts {
		if _, err := tx.Exec(ctx, "set local synchronous_commit = off"); err != nil {
			return err
		}
	}
	if err := k.addresses(ctx, tx, b); err != nil {
		return fmt.Errorf("storing addresses: %w", err)
	}
	if err := k.files(ctx, tx, b.Files); err != nil {
		return fmt.Errorf("storing files: %w", err)
	}
	at, blocks := k.keeper.pack(b.Records)
	if err := saveSource(ctx, tx, k.crawl, blocks); err != nil {
		return fmt.Errorf("keeping pages' source: %w", err)
	}
	parts, err := k.pages(ctx, tx, b, at)
	if err != nil {
		return fmt.Errorf("storing pages: %w", err)
	}
	if err := k.words.store(ctx, tx, k.crawl, inOrder(failing), false); err != nil {
		return err
	}
	if err := saveRenderings(ctx, tx, k.crawl, b.Renderings); err != nil {
		return fmt.Errorf("storing renderings: %w", err)
	}
	progress, err := encode(b.Progress)
	if err != nil {
		return err
	}
	tag, err := tx.Exec(
		ctx,
		"update crawl set progress = $2 where id = $1 and ($3 < 0 or epoch = $3)",
		k.crawl,
		progress,
		k.epoch,
	)
	if err := held(tag.RowsAffected(), err); err != nil {
		return err
	}
	if err := tx.Commit(ctx); err != nil {
		return err
	}
	k.lasts = true
	ids := make([]int32, len(b.Records))
	for i := range b.Records {
		ids[i] = b.Records[i].ID
	}
	k.store.recent.keep(k.crawl, ids, parts)
	return nil
}

func (k *Sink) files(ctx context.Context, tx pgx.Tx, files []booking.File) error {
	for _, f := range files {
		body := f.Body
		if body == nil {
			body = []byte{}
		}
		if _, err := tx.Exec(ctx, "insert into crawl_file (crawl_id, kind, address, status, detail, body, outcome) values ($1, $2, $3, $4, $5, $6, $7)",
			k.crawl, f.Kind, clean(f.Address), f.Status, clean(f.Detail), body, string(f.Outcome)); err != nil {
			return err
		}
	}
	return nil
}

func urlHash(url string) int64 { return int64(xxhash.Sum64String(url)) }

func (k *Sink) addresses(ctx context.Context, tx pgx.Tx, b record.Batch) error {
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"address"},
		[]string{"crawl_id", "id", "url", "hash", "found_on", "depth", "state", "in_sitemap", "rule_line", "rule_text",
			"role", "found"},
		pgx.CopyFromSlice(len(b.Addresses), func(i int) ([]any, error) {
			a := &b.Addresses[i]
			url := clean(a.URL)
			return []any{
				k.crawl, b.First + int32(i), url, urlHash(url), a.FoundOn, a.Depth, a.State.String(), a.InSitemap,
				a.Rule.Number, clean(a.Rule.Text), int16(a.Role), int16(a.Found),
			}, nil
		}))
	return err
}

// pages stores what was fetched, with where its source stands, and gives what is long of it as it is packed.
func (k *Sink) pages(ctx context.Context, tx pgx.Tx, b record.Batch, at []*int64) ([]long, error) {
	records := b.Records
	parts, err := longs(records)
	if err == nil {
		err = k.packer.pack(ctx, tx, k.crawl, parts)
	}
	if err != nil {
		return nil, err
	}
	_, err = tx.CopyFrom(
		ctx,
		pgx.Identifier{"document"},
		[]string{"crawl_id", "id", "facts", "links", "main", "source"},
		pgx.CopyFromSlice(len(records), func(i int) ([]any, error) {
			return []any{k.crawl, records[i].ID, parts[i].facts, parts[i].links, parts[i].main, at[i]}, nil
		}),
	)
	if err != nil {
		return nil, err
	}
	_, err = tx.CopyFrom(ctx, pgx.Identifier{"page"},
		[]string{
			"crawl_id", "id", "status", "outcome", "type", "bytes", "first_byte", "html", "indexable", "kind", "words",
			"title", "description", "h1", "lang", "role", "seq", "uses",
			"canonical", "redirect", "text_hash", "why", "robots", "hreflang", "encoding", "refresh", "headings",
			"images", "links_out", "more",
		},
		pgx.CopyFromSlice(len(records), func(i int) ([]any, error) {
			r := &records[i]
			p := column.Read(r.Facts)
			more, err := encode(p.More)
			if err != nil {
				return nil, err
			}
			hash := uint64(0)
			if d := r.Facts.Document; d != nil {
				hash = d.TextHash
			}
			return []any{
				k.crawl, r.ID, p.Status, p.Outcome, clean(p.Type), p.Bytes, p.FirstByte, p.HTML, p.Indexable,
				p.Kind, p.Words, clean(p.Title), clean(p.Description), clean(p.H1), clean(p.Language),
				int16(r.Role), b.Seq + i, packUses(r.Facts.Loads(), r.Uses),
				clean(p.Canonical), clean(p.Redirect), int64(hash), p.Why, clean(p.Robots), clean(p.Hreflang),
				clean(p.Encoding), clean(p.Refresh), p.Headings, p.Images, p.LinksOut, more,
			}, nil
		}))
	return parts, err
}

// Finish implements record.Sink. The planner knows nothing of a crawl this new, and would join its
// tables row by row. Columns that no query narrows by are left out: they are long.
func (k *Sink) Finish(ctx context.Context) error {
	k.store.recent.forget(k.crawl)
	if err := k.saveWaiting(ctx); err != nil {
		return err
	}
	part, err := k.store.partOf(ctx, k.crawl)
	if err == nil {
		_, err = k.store.pool.Exec(ctx,
			fmt.Sprintf("analyze %s (crawl_id, id, hash), %s (crawl_id, id, role, html, status), %s (crawl_id, page_id)",
				part("address"), part("page"), partName("failing", k.crawl)))
	}
	if err != nil {
		return fmt.Errorf("gathering statistics: %w", err)
	}
	return nil
}

// SaveResult stores what judging the whole crawl gave, and what that makes of the work at its site's fixes, and marks
// it finished.
func (s *Store) SaveResult(ctx context.Context, rec record.Crawl, r *booking.Result, p record.Progress,
	w record.Weighing, with record.Settling) (err error) {
	s.recent.forget(rec.ID)
	k := &Sink{store: s, crawl: rec.ID, epoch: rec.Epoch}
	defer k.whose(ctx, &err)
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if err := k.result(ctx, tx, r, p, w); err != nil {
			return err
		}
		if err := settle(ctx, tx, rec, with); err != nil {
			return fmt.Errorf("storing the states of fixes: %w", err)
		}
		if _, err := tx.Exec(ctx, "update front set due = now() where site_id = $1 and body is null and due is not null",
			rec.SiteID); err != nil {
			return err
		}
		cause := fmt.Sprintf("crawl %d finished by owner %d", rec.ID, rec.Epoch)
		tidy := record.Todo{What: record.ToTidy, Crawl: rec.ID, Cause: cause}
		news := record.Todo{What: record.ToNews, Crawl: rec.ID, Cause: cause}
		return s.leave(ctx, tx, append(record.Hanging(rec.Site, cause), tidy, news)...)
	})
}

// Replace stores a new judgement of a finished crawl in place of the old one: what it found on
// pages, and what on the whole. The plan says by which thresholds, catalogue by which checks.
func (s *Store) Replace(ctx context.Context, id int64, r *booking.Result, p record.Progress, w record.Weighing,
	found []check.Finding, by plan.Plan, catalogue int) error {
	data, err := encodePlan(by)
	if err != nil {
		return err
	}
	k := &Sink{store: s, crawl: id, epoch: anyEpoch}
	return s.inTx(ctx, func(tx pgx.Tx) error {
		var finished time.Time
		if err := tx.QueryRow(ctx, "select finished from crawl where id = $1 and state = 'finished' for update",
			k.crawl).Scan(&finished); err != nil {
			return fmt.Errorf("taking the crawl: %w", err)
		}
		if _, err := roomForFailing(ctx, tx, k.crawl); err != nil {
			return err
		}
		for _, table := range []string{"standing", "fix", "fix_entry", "finding", "failing", "evidence", "sheet"} {
			if _, err := tx.Exec(ctx, "delete from "+table+" where crawl_id = $1", k.crawl); err != nil {
				return err
			}
		}
		if err := k.saveFindings(ctx, tx, found, false); err != nil {
			return err
		}
		if err := k.result(ctx, tx, r, p, w); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, fmt.Sprintf("analyze %s (crawl_id, page_id)", partName("failing", k.crawl))); err != nil {
			return fmt.Errorf("gathering statistics: %w", err)
		}
		if _, err := tx.Exec(ctx, "update crawl set finished = $2, plan = $3, catalogue = $4 where id = $1", k.crawl,
			finished, data, catalogue); err != nil {
			return err
		}
		return s.hangs(ctx, tx, id, fmt.Sprintf("crawl %d judged anew %s", id, rand.Text()))
	})
}

// result stores a verdict in a transaction.
func (k *Sink) result(ctx context.Context, tx pgx.Tx, r *booking.Result, p record.Progress, w record.Weighing) error {
	if err := k.saveFindings(ctx, tx, r.Findings, true); err != nil {
		return err
	}
	if err := k.changed(ctx, tx, r); err != nil {
		return fmt.Errorf("storing what changed: %w", err)
	}
	if err := k.standings(ctx, tx, r); err != nil {
		return fmt.Errorf("storing standings: %w", err)
	}
	if err := saveFixes(ctx, tx, k.crawl, r.Report.Fixes); err != nil {
		return fmt.Errorf("storing the fix list: %w", err)
	}
	part, err := k.store.partOf(ctx, k.crawl)
	if err == nil {
		_, err = tx.Exec(ctx, fmt.Sprintf("analyze %s (crawl_id, page_id), %s (crawl_id, id, rank)", part("standing"),
			part("fix")))
	}
	if err != nil {
		return fmt.Errorf("gathering statistics: %w", err)
	}
	if err := k.keepSheet(ctx, tx, r); err != nil {
		return fmt.Errorf("storing the sheet: %w", err)
	}
	report, sore, err := summary(r.Report)
	if err != nil {
		return err
	}
	progress, err := encode(p)
	if err != nil {
		return err
	}
	probes, err := encode(r.Survey.Probes)
	if err != nil {
		return err
	}
	traps, err := encode(append([]survey.Trap{}, r.Survey.Traps...))
	if err != nil {
		return err
	}
	tag, err := tx.Exec(
		ctx,
		`update crawl set state = 'finished', owner = '', live = null, ending = $2, detail = $3, finished = now(), report = $4, progress = $5,
		probes = $6, traps = $7, weighed = $8, map = $9, tally = null, health = $10
		where id = $1 and ($11 < 0 or epoch = $11)`,
		k.crawl,
		string(r.Ending),
		clean(r.Detail),
		report,
		progress,
		probes,
		traps,
		w.Signature,
		sore,
		r.Report.Health,
		k.epoch,
	)
	if err := held(tag.RowsAffected(), err); err != nil {
		return err
	}
	return saveMatches(ctx, tx, w)
}

// summary is what a crawl keeps of its report, and its map.
func summary(r *fixlist.Report) (report, sore []byte, err error) {
	short := *r
	short.Fixes, short.Pages, short.Map = nil, nil, fixlist.Map{}
	if report, err = encode(record.Summary{Report: &short, Fixes: len(r.Fixes)}); err == nil {
		sore, err = encode(r.Map)
	}
	return report, sore, err
}

// keepSheet stores the judged crawl in short, and its layouts.
func (k *Sink) keepSheet(ctx context.Context, tx pgx.Tx, r *booking.Result) error {
	if err := saveSheet(ctx, tx, k.crawl, "", r.Sheet); err != nil {
		return err
	}
	for _, l := range r.Survey.Layouts {
		if _, err := tx.Exec(ctx, `insert into layout (site_id, name, leader) select site_id, $2, $3 from crawl where id = $1
			on conflict (site_id, name) do update set leader = excluded.leader`, k.crawl, l.Name, packLeader(l.Leader)); err != nil {
			return err
		}
	}
	return nil
}

// changed brings the addresses up to date that changed after they were stored.
func (k *Sink) changed(ctx context.Context, tx pgx.Tx, r *booking.Result) error {
	var ids, foundOn, depths []int32
	var states, rules []string
	var lines, roles, founds []int32
	for id := range r.Changed {
		a := &r.Survey.Addresses[id]
		ids, foundOn, depths = append(ids, id), append(foundOn, a.FoundOn), append(depths, a.Depth)
		states, rules, lines = append(states, a.State.String()), append(rules, clean(a.Rule.Text)),
			append(lines, int32(a.Rule.Number))
		roles, founds = append(roles, int32(a.Role)), append(founds, int32(a.Found))
	}
	_, err := tx.Exec(
		ctx,
		`update address a set found_on = v.found_on, depth = v.depth, state = v.state, rule_text = v.rule_text,
		rule_line = v.rule_line, role = v.role, found = v.found
		from unnest($2::int[], $3::int[], $4::int[], $5::text[], $6::text[], $7::int[], $8::int[], $9::int[])
			as v(id, found_on, depth, state, rule_text, rule_line, role, found)
		where a.crawl_id = $1 and a.id = v.id`,
		k.crawl,
		ids,
		foundOn,
		depths,
		states,
		rules,
		lines,
		roles,
		founds,
	)
	return err
}

func (k *Sink) standings(ctx context.Context, tx pgx.Tx, r *booking.Result) error {
	s := r.Survey
	linked := s.Graph.Turned(s.In)
	named := s.Namers(linked)
	scores := map[int32]int{}
	for i, p := range r.Report.Pages {
		scores[p.Page] = i
	}
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"standing"},
		[]string{
			"crawl_id", "page_id", "layout", "depth", "links_in", "authority", "importance", "health", "errors",
			"warnings",
			"notices", "linked_from", "terms", "words",
		},
		pgx.CopyFromSlice(len(s.Pages)+len(s.Loaded), func(i int) ([]any, error) {
			if i >= len(s.Pages) {
				id := s.Loaded[i-len(s.Pages)].ID
				from := named(id)
				return []any{k.crawl, id, -1, -1, len(from), 0.0, 0.0, -1.0, 0, 0, 0, packNumbers(from), []string{}, 0},
					nil
			}
			p := &s.Pages[i]
			health, importance, counts := -1.0, 0.0, [3]int{}
			if at, ok := scores[p.ID]; ok {
				score := r.Report.Pages[at]
				health, importance, counts = score.Health, score.Importance, score.Counts
			}
			return []any{
				k.crawl, p.ID, p.Layout, s.Depth[p.ID], s.In[p.ID], s.Authority[p.ID], importance, health,
				counts[check.Error], counts[check.Warning], counts[check.Notice], packNumbers(linked(p.ID)),
				append([]string{}, s.Terms[p.ID]...), p.Words,
			}, nil
		}))
	return err
}

func saveFixes(ctx context.Context, tx pgx.Tx, crawlID int64, fixes []fixlist.Fix) error {
	if _, err := tx.Exec(ctx, "delete from fix_entry where crawl_id = $1", crawlID); err != nil {
		return err
	}
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"fix"}, []string{
		"crawl_id", "id", "rank", "severity", "section", "check_id", "body", "pages",
		"line", "gain", "minutes", "page_count", "place_count", "waived",
	}, pgx.CopyFromSlice(len(fixes), func(i int) ([]any, error) {
		f := &fixes[i]
		body, err := encodeFix(*f)
		return []any{
			crawlID, f.ID, f.Rank, int(f.Severity), f.Group, f.Check, body, f.Members,
			clean(f.Line), f.Gain, effortOf(f.Effort), f.Pages, f.Places, f.State == fixlist.Waived,
		}, err
	}))
	if err != nil {
		return err
	}
	var entries [][]any
	for i := range fixes {
		for k, e := range fixes[i].Entries {
			entries = append(entries, []any{crawlID, e.ID, fixes[i].ID, k, clean(e.Line)})
		}
	}
	_, err = tx.CopyFrom(ctx, pgx.Identifier{"fix_entry"}, []string{"crawl_id", "id", "fix_id", "nth", "line"},
		pgx.CopyFromRows(entries))
	return err
}
