package store

import (
	"encoding/binary"

	"harvik/internal/core/page"
)

// Facts are kept as JSON, since 0.8 with what is hashed before it: as text it would take a third more, and nothing
// that pages of one layout have in common would stand at the same place in two of them. The form: a byte of 1, a
// byte with a bit for each of what follows, then for each sort of hashes the number of bytes as a varint, and
// them; then the JSON. That of 0.7 and before begins with a brace.
const (
	hashedFirst = 1

	isDocument  = 1
	isFlattened = 2
)

// hashed are the parts of a document that are hashes.
func hashed(d *page.Document) [4]*page.Hashes {
	return [...]*page.Hashes{&d.IDs, &d.Sketch, &d.Frame, &d.Blocks}
}

// encodeFacts leaves out what of a document stands in columns of its own.
func encodeFacts(f *page.Facts) ([]byte, error) {
	out := []byte{hashedFirst, 0}
	if d := f.Document; d != nil {
		out[1] = isDocument
		if d.Flattened {
			out[1] |= isFlattened
		}
		out = append(binary.AppendUvarint(out, uint64(len(d.Outline))), d.Outline...)
		for _, h := range hashed(d) {
			out = binary.AppendUvarint(out, uint64(4*len(*h)))
			for _, v := range *h {
				out = binary.LittleEndian.AppendUint32(out, v)
			}
		}
		kept, short := *f, *d
		short.Links, short.Uses, short.MainText, short.Outline = nil, nil, "", nil
		for _, h := range hashed(&short) {
			*h = nil
		}
		kept.Document = &short
		f = &kept
	}
	data, err := encode(f)
	return append(out, data...), err
}

// decodeFacts reads what encodeFacts wrote, now or before.
func decodeFacts(data []byte, f *page.Facts) error {
	if len(data) == 0 || data[0] != hashedFirst {
		return decode(data, f)
	}
	var d page.Document
	rest, err := decodeHashed(data, &d)
	if err != nil {
		return err
	}
	if err := decode(rest, f); err != nil || f.Document == nil {
		return err
	}
	f.Document.Outline = d.Outline
	for i, h := range hashed(f.Document) {
		*h = *hashed(&d)[i]
	}
	return nil
}

// decodeDocument reads a part of the document of facts.
func decodeDocument[T any](data []byte, into *T) error {
	var f struct{ Document *T }
	f.Document = into
	if len(data) == 0 || data[0] != hashedFirst {
		return decode(data, &f)
	}
	rest, err := pastHashed(data)
	if err != nil {
		return err
	}
	return decode(rest, &f)
}

// pastHashed is what stands behind what is hashed.
func pastHashed(data []byte) ([]byte, error) {
	if len(data) < 2 {
		return nil, errDamaged
	}
	u := unpacker{data: data[2:]}
	if data[1]&isDocument != 0 {
		for range 1 + len(hashed(new(page.Document))) {
			u.bytes()
		}
	}
	if u.bad {
		return nil, errDamaged
	}
	return u.data, nil
}

// decodeSkeleton reads the skeleton of a document alone, nil of what is none.
func decodeSkeleton(data []byte) (*page.Skeleton, error) {
	if len(data) == 0 || data[0] != hashedFirst {
		var old struct{ Document *page.Skeleton }
		err := decode(data, &old)
		return old.Document, err
	}
	if len(data) < 2 || data[1]&isDocument == 0 {
		return nil, nil
	}
	var d page.Document
	if _, err := decodeHashed(data, &d); err != nil {
		return nil, err
	}
	s := d.Skeleton()
	s.Flattened = data[1]&isFlattened != 0
	return &s, nil
}

// decodeHashed reads what is hashed, and gives what stands behind it.
func decodeHashed(data []byte, d *page.Document) (rest []byte, err error) {
	if len(data) < 2 {
		return nil, errDamaged
	}
	document := data[1]&isDocument != 0
	if data = data[2:]; !document {
		return data, nil
	}
	u := unpacker{data: data}
	if d.Outline = u.bytes(); len(d.Outline) == 0 {
		d.Outline = nil
	}
	for _, h := range hashed(d) {
		part := u.bytes()
		if len(part)%4 != 0 {
			return nil, errDamaged
		}
		if len(part) > 0 {
			*h = make(page.Hashes, 0, len(part)/4)
		}
		for ; len(part) > 0; part = part[4:] {
			*h = append(*h, binary.LittleEndian.Uint32(part))
		}
	}
	if u.bad {
		return nil, errDamaged
	}
	return u.data, nil
}
