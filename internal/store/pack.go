package store

import (
	"encoding/binary"
	"errors"
	"math"

	"harvik/internal/core/page"
)

// Links are stored packed, one value a page: a row for each would cost several times the
// crawl. The form, all numbers as varints:
//
//	number of places, each as length and text
//	then for each link: flags, target (number + 1, 0 for none), place, line, column,
//	words, fragment, and for a link without words or target its label and href
//
// A page's links share few places, so each text stands once.

const (
	flagNoFollow = 1 << iota
	flagHidden
	flagExtra
	flagCode
	regionShift  = 4
	flagScripted = 1 << 7
)

func packLinks(links []page.Link, targets []int32) []byte {
	if len(links) == 0 {
		return []byte{}
	}
	places := map[string]uint64{}
	var names []string
	for i := range links {
		if _, ok := places[links[i].Place]; !ok {
			places[links[i].Place] = uint64(len(names))
			names = append(names, links[i].Place)
		}
	}
	out := make([]byte, 0, 24*len(links))
	out = binary.AppendUvarint(out, uint64(len(names)))
	for _, n := range names {
		out = appendText(out, n)
	}
	for i := range links {
		l := &links[i]
		flags := uint64(l.Region) << regionShift
		if l.NoFollow {
			flags |= flagNoFollow
		}
		if l.Code {
			flags |= flagCode
		}
		if l.Hidden {
			flags |= flagHidden
		}
		if l.Scripted {
			flags |= flagScripted
		}
		if l.Label != "" || l.Href != "" {
			flags |= flagExtra
		}
		out = binary.AppendUvarint(out, flags)
		out = binary.AppendUvarint(out, uint64(targets[i]+1))
		out = binary.AppendUvarint(out, places[l.Place])
		out = binary.AppendUvarint(out, uint64(l.Line))
		out = binary.AppendUvarint(out, uint64(l.Col))
		out = appendText(out, l.Words)
		out = appendText(out, l.Fragment)
		if flags&flagExtra != 0 {
			out = appendText(appendText(out, l.Label), l.Href)
		}
	}
	return out
}

func appendText(out []byte, s string) []byte {
	return append(binary.AppendUvarint(out, uint64(len(s))), s...)
}

var errPacked = errors.New("packed links are damaged")

// unpackLinks is the reverse; targets are numbers, −1 for none, and the links' Address is
// left empty.
func unpackLinks(data []byte) (links []page.Link, targets []int32, err error) {
	if len(data) == 0 {
		return nil, nil, nil
	}
	r := unpacker{data: data}
	places := make([]string, min(r.number(), len(data)))
	for i := range places {
		places[i] = r.text()
	}
	for len(r.data) > 0 && !r.bad {
		flags := r.number()
		target := r.number()
		place := r.number()
		l := page.Link{
			Region: page.Region(flags>>regionShift&7) % 5, NoFollow: flags&flagNoFollow != 0,
			Hidden: flags&flagHidden != 0, Code: flags&flagCode != 0,
			Scripted: flags&flagScripted != 0,
		}
		l.Line, l.Col = r.number(), r.number()
		l.Words, l.Fragment = r.text(), r.text()
		if flags&flagExtra != 0 {
			l.Label, l.Href = r.text(), r.text()
		}
		if place >= len(places) {
			return nil, nil, errPacked
		}
		l.Place = places[place]
		links, targets = append(links, l), append(targets, int32(target)-1)
	}
	if r.bad {
		return nil, nil, errPacked
	}
	return links, targets, nil
}

// A linkChoice says which packed links are wanted, and what of them. It is for one goroutine.
type linkChoice struct {
	target                  func(int32) bool      // by what they lead to
	link                    func(*page.Link) bool // by all but their texts
	says                    func(words any) bool  // by what they say; nil for all
	words, places, fragment bool                  // texts that are wanted

	said  any                  // what the link says, once it is wanted
	texts map[string]knownText // what was read, of which much says the same
	names []string             // of places, used again
}

// A knownText is one that was read before: as such, as a value, and whether links that say it are wanted.
type knownText struct {
	text   string
	value  any
	wanted bool
}

// mostAtHand bounds the texts that a choice has at hand.
const mostAtHand = 20_000

// text is one that may have been read before.
func (c *linkChoice) text(b []byte) knownText {
	if t, ok := c.texts[string(b)]; ok {
		return t
	}
	if c.texts == nil || len(c.texts) >= mostAtHand {
		c.texts = map[string]knownText{}
	}
	t := knownText{text: string(b)}
	t.value = t.text
	t.wanted = c.says == nil || c.says(t.value)
	c.texts[t.text] = t
	return t
}

// eachLink goes over packed links that are wanted; nth is the place among all. The link is used again.
func eachLink(data []byte, c *linkChoice, f func(nth int32, l *page.Link, to int32)) error {
	if len(data) == 0 {
		return nil
	}
	r := unpacker{data: data}
	n := min(r.number(), len(data))
	places := c.names[:0]
	for range n {
		name := ""
		if b := r.bytes(); c.places {
			name = c.text(b).text
		}
		places = append(places, name)
	}
	c.names = places
	var l page.Link
	for nth := int32(0); len(r.data) > 0 && !r.bad; nth++ {
		flags := r.number()
		target := int32(r.number()) - 1
		place := r.number()
		line, col := r.number(), r.number()
		words, fragment := r.bytes(), r.bytes()
		var label []byte
		if flags&flagExtra != 0 {
			label = r.bytes()
			r.bytes() // what is written in the place of an address
		}
		if place >= len(places) {
			return errPacked
		}
		if r.bad || !c.target(target) {
			continue
		}
		l = page.Link{
			Region: page.Region(flags>>regionShift&7) % 5, NoFollow: flags&flagNoFollow != 0, Place: places[place],
			Hidden: flags&flagHidden != 0, Code: flags&flagCode != 0, Scripted: flags&flagScripted != 0,
			Pos: page.Pos{Line: line, Col: col},
		}
		if !c.link(&l) {
			continue
		}
		if c.words {
			said := c.text(words)
			if l.Words = said.text; len(words) == 0 {
				said = c.text(label)
				l.Label = said.text
			}
			if !said.wanted {
				continue
			}
			c.said = said.value
		}
		if c.fragment {
			l.Fragment = c.text(fragment).text
		}
		f(nth, &l, target)
	}
	if r.bad {
		return errPacked
	}
	return nil
}

type unpacker struct {
	data []byte
	bad  bool
}

func (r *unpacker) number() int {
	if len(r.data) > 0 && r.data[0] < 0x80 { // as most are
		v := int(r.data[0])
		r.data = r.data[1:]
		return v
	}
	v, n := binary.Uvarint(r.data)
	if n <= 0 || v > math.MaxInt32 {
		r.bad, r.data = true, nil
		return 0
	}
	r.data = r.data[n:]
	return int(v)
}

// bytes are those of a text, of which no copy is made.
func (r *unpacker) bytes() []byte {
	n := r.number()
	if n > len(r.data) {
		r.bad, r.data = true, nil
		return nil
	}
	b := r.data[:n]
	r.data = r.data[n:]
	return b
}

func (r *unpacker) text() string { return string(r.bytes()) }

// packUses stores what a document loads: role, target (number + 1), and the name of what names
// it, for each.
func packUses(uses []page.Use, targets []int32) []byte {
	out := make([]byte, 0, 8*len(targets))
	for i, t := range targets {
		out = append(out, byte(uses[i].Role))
		out = binary.AppendUvarint(out, uint64(t+1))
		out = appendText(out, uses[i].By)
	}
	return out
}

// unpackUses is the reverse; the uses' Address is left empty.
func unpackUses(data []byte) (uses []page.Use, targets []int32, err error) {
	r := unpacker{data: data}
	for len(r.data) > 0 {
		role := r.number()
		target := int32(r.number()) - 1
		uses = append(uses, page.Use{Role: page.Role(role), By: r.text()})
		targets = append(targets, target)
	}
	if r.bad {
		return nil, nil, errPacked
	}
	return uses, targets, nil
}

// packNumbers stores rising numbers as their differences.
func packNumbers(numbers []int32) []byte {
	out := make([]byte, 0, 2*len(numbers))
	last := int32(0)
	for _, n := range numbers {
		out = binary.AppendUvarint(out, uint64(n-last))
		last = n
	}
	return out
}

func unpackNumbers(data []byte) []int32 {
	r := unpacker{data: data}
	var out []int32
	last := int32(0)
	for len(r.data) > 0 {
		last += int32(r.number())
		out = append(out, last)
	}
	return out
}
