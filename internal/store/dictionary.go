package store

import (
	"context"
	"database/sql"
	"encoding/binary"
	"errors"
	"sync"

	"github.com/jackc/pgx/v5"
	"github.com/klauspost/compress/s2"

	"harvik/internal/core/booking"
	"harvik/internal/core/mishap"
)

// What is long of a page (its facts, links and main text) is kept packed in blocks of S2, an extension of Snappy,
// beside a dictionary: a sample of the same values of some pages of the crawl, since pages of one site have names
// of fields, hashes of layouts, links and phrases in common. That costs the processor no more than PostgreSQL's
// own packing, which sees one value at a time. A packed value begins with a byte of 0, as no other does, and the
// number of its dictionary as a varint, 0 for none; those of earlier versions are as they are.

// Bounds of a crawl's dictionaries.
const (
	sampleSize  = 16 << 10 // bytes of each sort of value
	samplePages = 12
)

// growing tells how many pages have to be stored for the next dictionary: the first pages of a crawl are few, and less
// like the others.
var growing = [...]int{1, 60, 600}

// A packer packs what one run of a crawl stores.
type packer struct {
	dictionary *s2.Dict
	made       int // number of the newest dictionary of the crawl
	pages      int // stored
}

// newPacker goes on with the dictionaries that a crawl has, if it was cut off.
func (s *Store) newPacker(ctx context.Context, crawl int64) (*packer, error) {
	p := new(packer)
	if err := s.db.GetContext(ctx, &p.pages, "select count(*) from page where crawl_id = $1", crawl); err != nil {
		return nil, err
	}
	var sample []byte
	row := s.db.QueryRowxContext(ctx,
		"select number, sample from dictionary where crawl_id = $1 order by number desc limit 1", crawl)
	switch err := row.Scan(&p.made, &sample); {
	case errors.Is(err, sql.ErrNoRows):
		return p, nil
	case err != nil:
		return nil, err
	}
	p.dictionary = s2.MakeDict(sample, nil)
	return p, nil
}

// A long is what is packed of a page.
type long struct{ facts, links, main []byte }

// pack packs the long parts of pages in place, and stores a dictionary first where one is due.
func (p *packer) pack(ctx context.Context, tx pgx.Tx, crawl int64, parts []long) error {
	made := p.made
	for made < len(growing) && p.pages+len(parts) >= growing[made] {
		made++
	}
	if sample := sampleOf(parts); made > p.made && sample != nil {
		if _, err := tx.Exec(ctx, "insert into dictionary (crawl_id, number, sample) values ($1, $2, $3)", crawl, made,
			sample); err != nil {
			return err
		}
		p.made, p.dictionary = made, s2.MakeDict(sample, nil)
	}
	p.pages += len(parts)
	mishap.Each(len(parts), func(i int) {
		for _, part := range []*[]byte{&parts[i].facts, &parts[i].links, &parts[i].main} {
			*part = p.packed(*part)
		}
	})
	return nil
}

// packed is a value as it is kept. What is empty stays so.
func (p *packer) packed(value []byte) []byte {
	if len(value) == 0 {
		return value
	}
	out := make([]byte, 1+binary.MaxVarintLen32, 1+binary.MaxVarintLen32+s2.MaxEncodedLen(len(value)))
	n := 1 + binary.PutUvarint(out[1:], uint64(p.made))
	block := out[n:cap(out)]
	if p.dictionary != nil {
		block = p.dictionary.Encode(block, value)
	} else {
		block = s2.Encode(block, value)
	}
	return append([]byte(nil), out[:n+len(block)]...)
}

// sampleOf is a dictionary of some pages; nil where none of them has a main text. The beginnings of values are most
// alike.
func sampleOf(parts []long) (out []byte) {
	var pages []long
	for _, p := range parts {
		if len(p.main) > 0 {
			pages = append(pages, p)
		}
	}
	n := min(len(pages), samplePages)
	for _, part := range []func(long) []byte{
		func(l long) []byte { return l.main }, func(l long) []byte { return l.links },
		func(l long) []byte { return l.facts },
	} {
		for i := range n {
			one := part(pages[i*len(pages)/n])
			out = append(out, one[:min(len(one), sampleSize/n)]...)
		}
	}
	return out
}

// An opener knows where what is long of a crawl's pages stands, and unpacks it. It is safe for use from several
// goroutines.
type opener struct {
	dictionaries map[int]*s2.Dict
	apart        bool // it stands apart from the pages; in crawls of an earlier Harvik it does not
}

// table is that in which it stands, under the name d, by the number of the page.
func (o *opener) table() string {
	if o.apart {
		return "document d"
	}
	return "page d"
}

// main is the column of the main text.
func (o *opener) main() string {
	if o.apart {
		return "d.main"
	}
	return "convert_to(d.main_text, 'UTF8')"
}

// openers keeps those of some crawls.
type openers struct {
	mu    sync.Mutex
	known map[int64]*opener
}

// mostOpeners bounds the crawls whose dictionaries are held.
const mostOpeners = 16

// opener unpacks the values of a crawl that are stored now.
func (s *Store) opener(ctx context.Context, crawl int64) (*opener, error) {
	var made int
	if err := s.db.GetContext(ctx, &made, "select count(*) from dictionary where crawl_id = $1", crawl); err != nil {
		return nil, err
	}
	s.openers.mu.Lock()
	o := s.openers.known[crawl]
	s.openers.mu.Unlock()
	if o != nil && o.apart && len(o.dictionaries) == made {
		return o, nil
	}
	var rows []struct {
		Number int
		Sample []byte
	}
	if err := s.db.SelectContext(ctx, &rows, "select number, sample from dictionary where crawl_id = $1",
		crawl); err != nil {
		return nil, err
	}
	o = &opener{dictionaries: map[int]*s2.Dict{}}
	var err error
	if o.apart, err = hasPart(ctx, s.pool, "document", crawl); err != nil {
		return nil, err
	}
	for _, r := range rows {
		o.dictionaries[r.Number] = s2.MakeDict(r.Sample, nil)
	}
	s.openers.mu.Lock()
	defer s.openers.mu.Unlock()
	if s.openers.known == nil || len(s.openers.known) >= mostOpeners {
		s.openers.known = map[int64]*opener{}
	}
	s.openers.known[crawl] = o
	return o, nil
}

// errDamaged is that of a packed value that cannot be unpacked.
var errDamaged = errors.New("what was stored is damaged")

// mostUnpacked bounds one value. A plan lets no page be longer than half of it.
const mostUnpacked = 512 << 20

// open unpacks a value, if it is packed.
func (o *opener) open(data []byte) ([]byte, error) {
	if len(data) == 0 || data[0] != 0 {
		return data, nil
	}
	number, n := binary.Uvarint(data[1:])
	if n <= 0 {
		return nil, errDamaged
	}
	dictionary := o.dictionaries[int(number)]
	if number != 0 && dictionary == nil {
		return nil, errDamaged
	}
	return decodeBlock(dictionary, data[1+n:])
}

// decodeBlock unpacks a block, without a dictionary where it is nil.
func decodeBlock(dictionary *s2.Dict, block []byte) (out []byte, err error) {
	if size, err := s2.DecodedLen(block); err != nil || size > mostUnpacked {
		return nil, errDamaged
	}
	if dictionary == nil {
		out, err = s2.Decode(nil, block)
	} else {
		out, err = dictionary.Decode(nil, block)
	}
	if err != nil {
		return nil, errDamaged
	}
	return out, nil
}

// openAll unpacks several values in place.
func (o *opener) openAll(values ...*[]byte) (err error) {
	for _, v := range values {
		if *v, err = o.open(*v); err != nil {
			return err
		}
	}
	return nil
}

// longs are the long parts of records, ready to be packed.
func longs(records []booking.Record) ([]long, error) {
	out := make([]long, len(records))
	errs := make([]error, len(records))
	mishap.Each(len(records), func(i int) {
		r, l := &records[i], &out[i]
		l.facts, errs[i] = encodeFacts(r.Facts)
		if d := r.Facts.Document; d != nil {
			l.links, l.main = packLinks(d.Links, r.Links), []byte(clean(d.MainText))
		} else {
			l.links, l.main = []byte{}, []byte{}
		}
	})
	return out, errors.Join(errs...)
}
