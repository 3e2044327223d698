package store

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/maphash"
	"maps"
	"math"
	"slices"
	"sync"

	"github.com/jackc/pgx/v5"
	"github.com/klauspost/compress/s2"

	"harvik/internal/core/check"
)

// What fails on a page is one row: the numbers of the checks, and packed the places of each. What a place says
// stands once in a crawl, since pages of one layout fail in the same places: it has a number, by which pages name
// it. Only line and column are each page's own. The form of the places, all numbers as varints, for each check in
// the order of the numbers:
//
//	severity (3 where it is not known), number of places that are counted and not kept, number of places
//	then for each place: number of its text, line, column
//
// The texts stand in blocks of so many, each as length and JSON, packed by S2; numbers that a block leaves out are
// of none.
const blockTexts = 128

// mostTexts bounds the texts that are remembered while a crawl is stored; those that are forgotten stand once more.
const mostTexts = 1 << 20

// unknownSeverity is kept of findings that do not say theirs.
const unknownSeverity = 3

// An archivist numbers what places say, and packs findings.
type archivist struct {
	seed   maphash.Seed
	known  map[uint64]uint32 // numbers of texts, by their hash
	next   uint32            // the number of the next text
	texts  [][]byte          // the last, of the block that is open
	blocks []block           // closed and not stored
}

type block struct {
	number uint32
	texts  []byte
}

// A failingRow is what fails on one page.
type failingRow struct {
	page   int32
	checks []int16
	places []byte
}

// newArchivist goes on behind the texts that a crawl has.
func (s *Store) newArchivist(ctx context.Context, crawlID int64) (*archivist, error) {
	a := &archivist{seed: maphash.MakeSeed(), known: map[uint64]uint32{}}
	err := s.db.GetContext(
		ctx,
		&a.next,
		"select coalesce(max(block) + 1, 0) from evidence where crawl_id = $1",
		crawlID,
	)
	a.next *= blockTexts
	return a, err
}

// add packs a finding behind what else fails on its page.
func (a *archivist) add(row *failingRow, f *check.Finding, number int16) error {
	row.checks = append(row.checks, number)
	row.places = binary.AppendUvarint(row.places, uint64(f.Check.Severity))
	row.places = binary.AppendUvarint(row.places, uint64(f.More))
	row.places = binary.AppendUvarint(row.places, uint64(len(f.Places)))
	for i := range f.Places {
		p := &f.Places[i]
		text, err := a.text(p)
		if err != nil {
			return err
		}
		row.places = binary.AppendUvarint(row.places, uint64(text))
		row.places = binary.AppendUvarint(row.places, uint64(max(p.Line, 0)))
		row.places = binary.AppendUvarint(row.places, uint64(max(p.Col, 0)))
	}
	return nil
}

// text is the number of what a place says.
func (a *archivist) text(p *check.Place) (uint32, error) {
	hash := a.hash(p)
	if n, ok := a.known[hash]; ok {
		return n, nil
	}
	said := *p
	said.Line, said.Col = 0, 0
	data, err := encode(&said)
	if err != nil {
		return 0, err
	}
	if a.next == math.MaxInt32 {
		return 0, errors.New("there is more evidence than can be numbered")
	}
	if len(a.known) >= mostTexts {
		clear(a.known)
	}
	n := a.next
	a.known[hash] = n
	a.texts = append(a.texts, data)
	if a.next++; a.next%blockTexts == 0 {
		a.close()
	}
	return n, nil
}

// hash tells what places say apart.
func (a *archivist) hash(p *check.Place) uint64 {
	var h maphash.Hash
	h.SetSeed(a.seed)
	number := func(n uint64) {
		var b [8]byte
		binary.LittleEndian.PutUint64(b[:], n)
		h.Write(b[:])
	}
	text := func(s string) {
		number(uint64(len(s)))
		h.WriteString(s)
	}
	for _, s := range [...]string{p.Note, p.Value, p.Target, p.Words, p.At, p.Carrier, p.Group} {
		text(s)
	}
	number(uint64(len(p.Others)))
	for _, s := range p.Others {
		text(s)
	}
	number(uint64(len(p.Hops)))
	for _, hop := range p.Hops {
		text(hop.Address)
		number(uint64(hop.Status))
	}
	number(uint64(p.Of))
	number(math.Float64bits(p.Likeness))
	number(uint64(p.Region))
	return h.Sum64()
}

// close packs the open block; the next text begins another.
func (a *archivist) close() {
	if len(a.texts) == 0 {
		return
	}
	first := (a.next - 1) / blockTexts
	var plain []byte
	for _, t := range a.texts {
		plain = append(binary.AppendUvarint(plain, uint64(len(t))), t...)
	}
	a.blocks = append(a.blocks, block{first, s2.Encode(nil, plain)})
	a.texts = a.texts[:0]
	a.next = (first + 1) * blockTexts
}

// store stores rows, and the texts that they name.
func (a *archivist) store(ctx context.Context, to copier, crawlID int64, rows []failingRow, whole bool) error {
	a.close()
	blocks := a.blocks
	a.blocks = nil
	_, err := to.CopyFrom(ctx, pgx.Identifier{"evidence"}, []string{"crawl_id", "block", "texts"},
		pgx.CopyFromSlice(len(blocks), func(i int) ([]any, error) {
			return []any{crawlID, int32(blocks[i].number), blocks[i].texts}, nil
		}))
	if err == nil {
		_, err = to.CopyFrom(ctx, pgx.Identifier{"failing"}, []string{"crawl_id", "page_id", "whole", "checks", "places"},
			pgx.CopyFromSlice(len(rows), func(i int) ([]any, error) {
				return []any{crawlID, rows[i].page, whole, rows[i].checks, rows[i].places}, nil
			}))
	}
	if err != nil {
		return fmt.Errorf("storing what fails: %w", err)
	}
	return nil
}

// checkNumbers are the numbers of checks, which hold for all crawls. Its maps are replaced, never written to: they are
// handed out as they are.
type checkNumbers struct {
	mu    sync.Mutex
	known map[string]int16
	ids   map[int16]string
}

// of numbers checks.
func (c *checkNumbers) of(ctx context.Context, s *Store, found []check.Finding) (map[string]int16, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	missing := map[string]bool{}
	for i := range found {
		if id := found[i].Check.ID; c.known[id] == 0 {
			missing[id] = true
		}
	}
	if len(missing) > 0 {
		if _, err := s.db.ExecContext(ctx, "insert into check_number (id) select unnest($1::text[]) on conflict do nothing",
			slices.Sorted(maps.Keys(missing))); err != nil {
			return nil, err
		}
		if err := c.read(ctx, s.pool); err != nil {
			return nil, err
		}
	}
	return c.known, nil
}

func (c *checkNumbers) read(ctx context.Context, in querier) error {
	rows, err := in.Query(ctx, "select number, id from check_number")
	if err != nil {
		return err
	}
	known, ids := map[string]int16{}, map[int16]string{}
	var number int16
	var id string
	if _, err := pgx.ForEachRow(rows, []any{&number, &id}, func() error {
		known[id], ids[number] = number, id
		return nil
	}); err != nil {
		return err
	}
	c.known, c.ids = known, ids
	return nil
}

// names are the checks by number; of all that were stored, those of some are known.
func (c *checkNumbers) names(ctx context.Context, in querier, wanted []int16) (map[int16]string, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if slices.ContainsFunc(wanted, func(n int16) bool { return c.ids[n] == "" }) {
		if err := c.read(ctx, in); err != nil {
			return nil, err
		}
	}
	return c.ids, nil
}

// packAtOnce is how many findings are packed at once.
const packAtOnce = 50_000

// packFindings packs the findings on pages of a crawl that an earlier Harvik began; those on the whole site are
// found anew.
func (s *Store) packFindings(ctx context.Context, tx pgx.Tx, crawlID int64) error {
	if made, err := roomForFailing(ctx, tx, crawlID); err != nil || !made {
		return err
	}
	k := &Sink{store: s, crawl: crawlID, epoch: anyEpoch}
	var found []check.Finding
	err := each(ctx, s, func(r *findingRow) error {
		f := r.finding()
		if len(found) >= packAtOnce && found[len(found)-1].Page != f.Page {
			if err := k.saveFindings(ctx, tx, found, false); err != nil {
				return err
			}
			found = found[:0]
		}
		c := &check.Check{ID: f.Check, Severity: unknownSeverity}
		if f.Severity != nil {
			c.Severity = *f.Severity
		}
		found = append(found, check.Finding{Check: c, Page: f.Page, Places: f.Places, More: f.Count - len(f.Places)})
		return nil
	}, `select page_id as page, check_id as "check", severity, count, places from finding where crawl_id = $1 and not whole order by 1, 2`, crawlID)
	if err == nil {
		err = k.saveFindings(ctx, tx, found, false)
	}
	if err == nil {
		_, err = tx.Exec(ctx, "delete from finding where crawl_id = $1", crawlID)
	}
	return err
}
