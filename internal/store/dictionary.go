package store

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"runtime"
	"sync"

	"github.com/jackc/pgx/v5"
	"github.com/klauspost/compress/zstd"

	"harvik/internal/core/booking"
	"harvik/internal/core/mishap"
)

// What is long of a page (its facts, links and main text) is kept as frames of Zstandard (RFC 8878), packed beside a
// dictionary: a sample of the same values of some pages of the crawl, since pages of one site have names of fields,
// hashes of layouts, links and phrases in common. Values of earlier versions are as they are; none of them begins as a
// frame does.

// Bounds of a crawl's dictionaries.
const (
	sampleSize  = 16 << 10 // bytes of each sort of value
	samplePages = 12
	firstNumber = 1 << 15 // of a dictionary; those below are kept for others (RFC 8878, 5)
	packWindow  = 256 << 10
	mostOpened  = 64 << 20 // bytes of one value
)

// growing tells how many pages have to be stored for the next dictionary: the first pages of a crawl are few, and less
// like the others.
var growing = [...]int{1, 60, 600}

// A packer packs what one run of a crawl stores.
type packer struct {
	encoder *zstd.Encoder
	made    int // dictionaries of the crawl
	pages   int // stored
}

// newPacker goes on with the dictionaries that a crawl has, if it was cut off.
func (s *Store) newPacker(ctx context.Context, crawl int64) (*packer, error) {
	p := new(packer)
	var sample []byte
	if err := s.db.GetContext(ctx, &p.pages, "select count(*) from page where crawl_id = $1", crawl); err != nil {
		return nil, err
	}
	var number int
	row := s.db.QueryRowxContext(ctx,
		"select number, sample from dictionary where crawl_id = $1 order by number desc limit 1", crawl)
	switch err := row.Scan(&number, &sample); {
	case errors.Is(err, sql.ErrNoRows):
		return p, nil
	case err != nil:
		return nil, err
	}
	p.made = number - firstNumber + 1
	return p, p.use(sample)
}

// use packs beside the newest dictionary from now on.
func (p *packer) use(sample []byte) (err error) {
	p.encoder, err = zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderCRC(false),
		zstd.WithWindowSize(packWindow), zstd.WithEncoderConcurrency(runtime.GOMAXPROCS(0)),
		zstd.WithEncoderDictRaw(uint32(firstNumber+p.made-1), sample))
	return err
}

// A long is what is packed of a page.
type long struct{ facts, links, main []byte }

// pack packs the long parts of pages in place, and stores a dictionary first where one is due.
func (p *packer) pack(ctx context.Context, tx pgx.Tx, crawl int64, parts []long) error {
	if p.made < len(growing) && p.pages+len(parts) >= growing[p.made] {
		if sample := sampleOf(parts); len(sample) > 0 {
			for p.made < len(growing) && p.pages+len(parts) >= growing[p.made] {
				p.made++
			}
			if _, err := tx.Exec(ctx, "insert into dictionary (crawl_id, number, sample) values ($1, $2, $3)", crawl,
				firstNumber+p.made-1, sample); err != nil {
				return err
			}
			if err := p.use(sample); err != nil {
				return err
			}
		}
	}
	p.pages += len(parts)
	if p.encoder == nil {
		return nil
	}
	mishap.Each(len(parts), func(i int) {
		for _, part := range []*[]byte{&parts[i].facts, &parts[i].links, &parts[i].main} {
			if packed := p.encoder.EncodeAll(*part, nil); len(packed) < len(*part) {
				*part = packed
			}
		}
	})
	return nil
}

// sampleOf is a dictionary of some pages; nil where none of them has a main text. The beginnings of values are most
// alike, and what is last in a dictionary is cheapest to name.
func sampleOf(parts []long) (out []byte) {
	var pages []long
	for _, p := range parts {
		if len(p.main) > 0 {
			pages = append(pages, p)
		}
	}
	if len(pages) == 0 {
		return nil
	}
	n := min(len(pages), samplePages)
	for _, part := range []func(long) []byte{
		func(l long) []byte { return l.main }, func(l long) []byte { return l.links }, func(l long) []byte { return l.facts },
	} {
		for i := range n {
			one := part(pages[i*len(pages)/n])
			out = append(out, one[:min(len(one), sampleSize/n)]...)
		}
	}
	return out
}

// frame is how packed values begin.
var frame = []byte{0x28, 0xb5, 0x2f, 0xfd}

// An opener unpacks what was packed of one crawl. It is safe for use from several goroutines.
type opener struct {
	decoder *zstd.Decoder
}

// opener unpacks the values of a crawl as it is now.
func (s *Store) opener(ctx context.Context, crawl int64) (*opener, error) {
	return s.openers.of(ctx, s, crawl)
}

// openers keeps those of some crawls.
type openers struct {
	mu    sync.Mutex
	known map[int64]openerOf
}

// openerOf is one with the number of dictionaries that it knows.
type openerOf struct {
	*opener
	made int
}

// mostOpeners bounds the crawls whose dictionaries are held.
const mostOpeners = 16

func (o *openers) of(ctx context.Context, s *Store, crawl int64) (*opener, error) {
	var made int
	if err := s.db.GetContext(ctx, &made, "select count(*) from dictionary where crawl_id = $1", crawl); err != nil {
		return nil, err
	}
	o.mu.Lock()
	have, ok := o.known[crawl]
	o.mu.Unlock()
	if ok && have.made == made {
		return have.opener, nil
	}
	var rows []struct {
		Number int
		Sample []byte
	}
	if err := s.db.SelectContext(ctx, &rows, "select number, sample from dictionary where crawl_id = $1", crawl); err != nil {
		return nil, err
	}
	options := []zstd.DOption{zstd.WithDecoderConcurrency(0), zstd.WithDecoderMaxMemory(mostOpened)}
	for _, r := range rows {
		options = append(options, zstd.WithDecoderDictRaw(uint32(r.Number), r.Sample))
	}
	decoder, err := zstd.NewReader(nil, options...)
	if err != nil {
		return nil, err
	}
	fresh := &opener{decoder}
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.known == nil || len(o.known) >= mostOpeners {
		o.known = map[int64]openerOf{}
	}
	o.known[crawl] = openerOf{fresh, len(rows)}
	return fresh, nil
}

// open unpacks a value, if it is packed.
func (o *opener) open(data []byte) ([]byte, error) {
	if !bytes.HasPrefix(data, frame) {
		return data, nil
	}
	out, err := o.decoder.DecodeAll(data, nil)
	if err != nil {
		return nil, fmt.Errorf("unpacking what was stored: %w", err)
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

// mainColumn is SQL for the main text of a page, packed or as earlier versions kept it.
const mainColumn = "case when p.main_text = '' then p.main else convert_to(p.main_text, 'UTF8') end"

// longs are the long parts of records, ready to be packed.
func longs(records []booking.Record) ([]long, error) {
	out := make([]long, len(records))
	errs := make([]error, len(records))
	mishap.Each(len(records), func(i int) {
		r := &records[i]
		if out[i].facts, errs[i] = encodeFacts(r.Facts); errs[i] != nil || r.Facts.Document == nil {
			out[i].links = []byte{}
			out[i].main = []byte{}
			return
		}
		out[i].links = packLinks(r.Facts.Document.Links, r.Links)
		out[i].main = []byte(clean(r.Facts.Document.MainText))
	})
	for _, err := range errs {
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}
