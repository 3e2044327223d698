package store

import (
	"context"
	"database/sql"
	"encoding/binary"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"

	"github.com/cespare/xxhash/v2"
	"github.com/jackc/pgx/v5"
	"github.com/klauspost/compress/s2"
	"github.com/klauspost/compress/zstd"

	"harvik/internal/core/booking"
	"harvik/internal/core/mishap"
	"harvik/internal/core/plan"
	"harvik/internal/record"
)

// The source of pages stands in blocks of many pages. While a crawl runs, each page in them is packed by itself, by S2,
// which costs next to nothing; once it has ended, each block as a whole, by zstd: pages of one site have so much in
// common that they take a third of the room then, less than beside any dictionary. The form of a block is the number of
// its pages as a varint, the length of each likewise, then one after the other: of a loose block the pages are packed,
// of another the block is.

// Bounds of blocks.
const (
	blockBytes = 4 << 20 // unpacked, and no more is begun
	blockPages = 1 << 12
	mostSeen   = 300_000 // pages that are known again where another is equal
)

// A keeper packs the source that one run of a crawl keeps.
type keeper struct {
	next  int64 // number of the next block
	left  int64 // bytes that may be kept yet
	seen  map[[2]uint64]int64
	seeds [2]uint64 // of what pages are known again by; a site cannot know them
}

// newKeeper goes on with the blocks that a crawl has, if it was cut off.
func (s *Store) newKeeper(ctx context.Context, crawl int64) (*keeper, error) {
	k := &keeper{seen: map[[2]uint64]int64{}, seeds: [2]uint64{rand.Uint64(), rand.Uint64()}}
	var used, megabytes int64
	const state = `select coalesce((select max(block) + 1 from source where crawl_id = $1), 0),
		coalesce((select sum(length(pages)) from source where crawl_id = $1), 0),
		coalesce((plan->'keep'->>'megabytes')::bigint, $2) from crawl where id = $1`
	err := s.db.QueryRowxContext(ctx, state, crawl, plan.DefaultMegabytes).Scan(&k.next, &used, &megabytes)
	k.left = megabytes<<20 - used
	return k, err
}

// numberOf is where a page stands: in which block, as which of its pages.
func numberOf(block int64, nth int) int64 { return block*blockPages + int64(nth) }

// A sourceBlock is one to be stored.
type sourceBlock struct {
	number int64
	pages  [][]byte // packed
}

// pack makes blocks of the source of records, and tells where each one's stands, nil where it is not kept. What would
// take more room than the plan allows is left out.
func (k *keeper) pack(records []booking.Record) (at []*int64, blocks []sourceBlock) {
	at = make([]*int64, len(records))
	seen := map[[2]uint64]int64{}
	size := 0
	for i := range records {
		if len(records[i].Source) == 0 || k.left <= 0 {
			continue
		}
		packed := records[i].Source
		key := k.key(packed)
		number, known := k.seen[key]
		if !known {
			number, known = seen[key]
		}
		if !known {
			if len(blocks) == 0 || size > blockBytes || len(blocks[len(blocks)-1].pages) == blockPages {
				blocks, size = append(blocks, sourceBlock{number: k.next + int64(len(blocks))}), 0
			}
			last := &blocks[len(blocks)-1]
			number = numberOf(last.number, len(last.pages))
			last.pages = append(last.pages, packed)
			size += records[i].Facts.Bytes
			k.left -= int64(len(packed))
			seen[key] = number
		}
		at[i] = &number
	}
	k.next += int64(len(blocks))
	if len(k.seen) < mostSeen {
		for key, number := range seen {
			k.seen[key] = number
		}
	}
	return at, blocks
}

// key is what a page is known again by.
func (k *keeper) key(body []byte) (out [2]uint64) {
	for i, seed := range k.seeds {
		d := xxhash.NewWithSeed(seed)
		_, _ = d.Write(body) // never fails
		out[i] = d.Sum64()
	}
	return out
}

// saveSource stores blocks.
func saveSource(ctx context.Context, tx pgx.Tx, crawl int64, blocks []sourceBlock) error {
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"source"}, []string{"crawl_id", "block", "loose", "pages"},
		pgx.CopyFromSlice(len(blocks), func(i int) ([]any, error) {
			return []any{crawl, blocks[i].number, true, joinPages(blocks[i].pages)}, nil
		}))
	return err
}

var encoders = sync.OnceValue(func() *zstd.Encoder {
	e, err := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedBetterCompression),
		zstd.WithWindowSize(blockBytes), zstd.WithEncoderConcurrency(1))
	if err != nil {
		panic(err) // the options are constant
	}
	return e
})

var decoders = sync.OnceValue(func() *zstd.Decoder {
	d, err := zstd.NewReader(nil, zstd.WithDecoderMaxMemory(1<<30))
	if err != nil {
		panic(err) // the options are constant
	}
	return d
})

// joinPages puts the pages of a block together.
func joinPages(pages [][]byte) []byte {
	out := binary.AppendUvarint(nil, uint64(len(pages)))
	for _, p := range pages {
		out = binary.AppendUvarint(out, uint64(len(p)))
	}
	for _, p := range pages {
		out = append(out, p...)
	}
	return out
}

// openBlock gives the pages of a block.
func openBlock(data []byte, loose bool) (pages [][]byte, err error) {
	if !loose {
		if data, err = decoders().DecodeAll(data, nil); err != nil {
			return nil, err
		}
	}
	u := unpacker{data: data}
	ends := make([]int, min(u.number(), len(data)))
	for i := range ends {
		ends[i] = u.number()
	}
	for _, n := range ends {
		if u.bad || n > len(u.data) {
			return nil, errDamaged
		}
		page := u.data[:n:n]
		if loose {
			if page, err = s2.Decode(nil, page); err != nil {
				return nil, err
			}
		}
		pages, u.data = append(pages, page), u.data[n:]
	}
	return pages, nil
}

// PackSources packs blocks of crawls that have ended, which were packed in haste.
func (s *Store) PackSources(ctx context.Context) error {
	var crawls []int64
	if err := s.db.SelectContext(ctx, &crawls, `select id from crawl where state <> 'running'
		and exists (select from source where crawl_id = crawl.id and loose)`); err != nil {
		return err
	}
	for _, crawl := range crawls {
		var blocks []int64
		if err := s.db.SelectContext(ctx, &blocks, "select block from source where crawl_id = $1 and loose", crawl); err != nil {
			return err
		}
		for _, block := range blocks {
			if err := s.packSource(ctx, crawl, block); err != nil {
				return fmt.Errorf("block %d of the source of crawl %d: %w", block, crawl, err)
			}
		}
	}
	return nil
}

func (s *Store) packSource(ctx context.Context, crawl, block int64) error {
	var data []byte
	err := s.db.GetContext(
		ctx,
		&data,
		"select pages from source where crawl_id = $1 and block = $2 and loose",
		crawl,
		block,
	)
	if errors.Is(err, sql.ErrNoRows) {
		return nil // the crawl is gone
	}
	if err != nil {
		return err
	}
	pages, err := openBlock(data, true)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(
		ctx,
		"update source set pages = $3, loose = false where crawl_id = $1 and block = $2",
		crawl,
		block,
		encoders().EncodeAll(joinPages(pages), nil),
	)
	return err
}

// blocksAtOnce are read and unpacked together.
const blocksAtOnce = 8

// EachSource calls f with the source of each of some pages that is kept, in any order.
func (s *Store) EachSource(ctx context.Context, crawl int64, pages []int32, f func(record.KeptPage) error) error {
	if has, err := hasPart(ctx, s.pool, "source", crawl); err != nil || !has {
		return err
	}
	type where struct {
		ID       int32
		Source   int64
		Encoding string
	}
	var at []where
	for some := range slices.Chunk(pages, 50_000) {
		var part []where
		if err := s.db.SelectContext(ctx, &part, `select d.id, d.source, p.encoding from document d
			join page p on p.crawl_id = d.crawl_id and p.id = d.id
			where d.crawl_id = $1 and d.source is not null and d.id = any($2)`, crawl, some); err != nil {
			return err
		}
		at = append(at, part...)
	}
	of := map[int64][]where{}
	for _, w := range at {
		of[w.Source/blockPages] = append(of[w.Source/blockPages], w)
	}
	numbers := make([]int64, 0, len(of))
	for n := range of {
		numbers = append(numbers, n)
	}
	slices.Sort(numbers)
	for some := range slices.Chunk(numbers, blocksAtOnce) {
		var rows []struct {
			Block int64
			Loose bool
			Pages []byte
		}
		if err := s.db.SelectContext(ctx, &rows, "select block, loose, pages from source where crawl_id = $1 and block = any($2) order by block",
			crawl, some); err != nil {
			return err
		}
		blocks, errs := make([][][]byte, len(rows)), make([]error, len(rows))
		mishap.Each(len(rows), func(i int) { blocks[i], errs[i] = openBlock(rows[i].Pages, rows[i].Loose) })
		for i, r := range rows {
			if errs[i] != nil {
				return fmt.Errorf("block %d of the source: %w", r.Block, errs[i])
			}
			for _, w := range of[r.Block] {
				nth := int(w.Source % blockPages)
				if nth >= len(blocks[i]) {
					return fmt.Errorf("block %d of the source: %w", r.Block, errDamaged)
				}
				if err := f(record.KeptPage{ID: w.ID, Encoding: w.Encoding, Body: blocks[i][nth]}); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// KeepsSource tells whether anything of a crawl's source is kept.
func (s *Store) KeepsSource(ctx context.Context, crawl int64) (keeps bool, err error) {
	err = s.db.GetContext(ctx, &keeps, "select exists (select from source where crawl_id = $1)", crawl)
	return keeps, err
}

// DropSources forgets the source of crawls that ended longer ago than their plans keep it.
func (s *Store) DropSources(ctx context.Context) error {
	var old []int64
	if err := s.db.SelectContext(ctx, &old, `select id from crawl where state <> 'running'
		and coalesce((plan->'keep'->>'days')::int, 0) > 0
		and coalesce(finished, started) < now() - make_interval(days => (plan->'keep'->>'days')::int)
		and exists (select from source where crawl_id = crawl.id)`); err != nil {
		return err
	}
	for _, id := range old {
		if _, err := s.db.ExecContext(ctx, "truncate "+partName("source", id)); err != nil {
			return err
		}
	}
	return nil
}
