package css

import (
	"encoding/binary"
	"errors"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"
)

// An Outline is a page's tree in short: each way in which an element (its name and classes) stands in others, once,
// whatever the number of elements that stand so, with the ids that they have. What siblings are to one another is
// not in it. The zero value is the outline of a page that nothing is known of.
type Outline struct {
	nodes  []node
	names  []uint32 // the different tokens
	tokens []int32  // which of them each node has, one after the other
	ids    []owned  // in order of node
	Cut    bool     // the page has more of them than were taken in
	worked int      // nodes that were looked at for selectors, see mostWork
}

// owned says that an element of a node has an id.
type owned struct{ node, token int32 }

// A table numbers keys from 0 in the order in which they come, up to half of its places.
type table struct {
	keys    []uint64
	numbers []int32 // plus one; 0 is a free place
	count   int32
}

func (t *table) clear(most int) {
	if t.keys == nil {
		t.keys, t.numbers = make([]uint64, 2*most), make([]int32, 2*most)
	}
	clear(t.numbers)
	t.count = 0
}

// number gives that of a key; −1 for a new one when the table is full.
func (t *table) number(key uint64) (number int32, isNew bool) {
	mask := uint64(len(t.keys) - 1)
	for i := (key ^ key>>29) & mask; ; i = (i + 1) & mask {
		switch {
		case t.numbers[i] != 0 && t.keys[i] == key:
			return t.numbers[i] - 1, false
		case t.numbers[i] != 0:
		case int(t.count) == len(t.keys)/2:
			return -1, false
		default:
			t.count++
			t.keys[i], t.numbers[i] = key, t.count
			return t.count - 1, true
		}
	}
}

type node struct {
	parent   int32 // −1 at the top
	from, to int32 // in tokens
	ids      uint8 // how many ids its elements have, manyIDs for more than are kept
	several  bool  // more than one element stands so
}

// manyIDs is when the ids of a node are no longer kept: they name the parts of a text, and no rule goes by them.
const manyIDs = 5

// What one page is bounded to, in powers of two for the sake of tables.
const (
	mostNodes  = 1 << 12
	mostTokens = 1 << 12 // different ones
)

// A token is an element's name, an id or a class.
type sort string

const (
	ofName  sort = ""
	ofID    sort = "#"
	ofClass sort = "."
)

func token(s sort, name string) uint32 {
	h := xxhash.Sum64String(name)
	if s != ofName {
		h = h*31 + uint64(s[0])
	}
	return uint32(h ^ h>>32)
}

// An Outliner takes in a page's elements, each after the one that it stands in. It can be used for one page
// after the other.
type Outliner struct {
	out         Outline
	seen, names table
}

// Begin makes ready for a page.
func (o *Outliner) Begin() {
	o.seen.clear(mostNodes)
	o.names.clear(mostTokens)
	o.out = Outline{nodes: o.out.nodes[:0], names: o.out.names[:0], tokens: o.out.tokens[:0], ids: o.out.ids[:0]}
}

// Enter notes an element inside parent, which is what Enter gave for that, or −1 for none. Names are in small
// letters, as the parser of HTML gives them.
func (o *Outliner) Enter(parent int32, name, id, class string) int32 {
	key := xxhash.Sum64String(name)*31 + uint64(uint32(parent))
	if class != "" {
		key = key*0xC2B2AE3D27D4EB4F ^ xxhash.Sum64String(class)
	}
	at, isNew := o.seen.number(key)
	if at < 0 {
		o.out.Cut = true
		return parent
	}
	if isNew {
		from := int32(len(o.out.tokens))
		o.add(ofName, name)
		for one := range strings.FieldsFuncSeq(class, isSpace) {
			o.add(ofClass, one)
		}
		o.out.nodes = append(o.out.nodes, node{parent: parent, from: from, to: int32(len(o.out.tokens))})
	}
	n := &o.out.nodes[at]
	n.several = n.several || !isNew
	if id == "" || n.ids == manyIDs {
		return at
	}
	if n.ids++; n.ids < manyIDs {
		if t := o.token(ofID, id); t >= 0 {
			o.out.ids = append(o.out.ids, owned{at, t})
		}
	}
	return at
}

func (o *Outliner) add(s sort, name string) {
	if t := o.token(s, name); t >= 0 && len(o.out.tokens) < 8*mostTokens {
		o.out.tokens = append(o.out.tokens, t)
	} else {
		o.out.Cut = true
	}
}

// token numbers one; −1 if there are too many.
func (o *Outliner) token(s sort, name string) int32 {
	t := token(s, name)
	n, isNew := o.names.number(uint64(t) * 0x9E3779B97F4A7C15)
	switch {
	case n < 0:
		o.out.Cut = true
	case isNew:
		o.out.names = append(o.out.names, t)
	}
	return n
}

func isSpace(r rune) bool { return r == ' ' || r == '\t' || r == '\n' || r == '\f' || r == '\r' }

// Outline is that of the page since Begin. It is valid until the next Begin.
func (o *Outliner) Outline() *Outline {
	slices.SortStableFunc(o.out.ids, func(a, b owned) int { return int(a.node - b.node) })
	return &o.out
}

// Pack is the outline in bytes, all numbers as varints: 1 if it is cut, the number of different tokens, these as
// four bytes each, then for each node how far its parent stands before it (0 for none), the number of its tokens
// and which they are; its ids likewise, their number in the lower bits of one that also tells whether it is
// several.
func (o *Outline) Pack() []byte {
	if len(o.nodes) == 0 {
		return nil
	}
	out := make([]byte, 0, 8+4*len(o.names)+4*len(o.nodes)+2*len(o.tokens))
	if o.Cut {
		out = append(out, 1)
	} else {
		out = append(out, 0)
	}
	out = binary.AppendUvarint(out, uint64(len(o.names)))
	for _, t := range o.names {
		out = binary.LittleEndian.AppendUint32(out, t)
	}
	ids := o.ids
	for i, n := range o.nodes {
		above := 0
		if n.parent >= 0 {
			above = i - int(n.parent)
		}
		out = binary.AppendUvarint(out, uint64(above))
		out = binary.AppendUvarint(out, uint64(n.to-n.from))
		for _, t := range o.tokens[n.from:n.to] {
			out = binary.AppendUvarint(out, uint64(t))
		}
		own := idsOf(ids, int32(i))
		ids = ids[len(own):]
		if n.ids == manyIDs {
			own = nil // too many to be kept
		} else {
			n.ids = uint8(len(own))
		}
		signs := n.ids
		if n.several {
			signs |= severalBit
		}
		out = append(out, signs)
		for _, id := range own {
			out = binary.AppendUvarint(out, uint64(id.token))
		}
	}
	return out
}

const severalBit = 8

// idsOf are those of a node at the front of what follows in order of node.
func idsOf(ids []owned, node int32) []owned {
	n := 0
	for n < len(ids) && ids[n].node == node {
		n++
	}
	return ids[:n]
}

var errPacked = errors.New("a packed outline is damaged")

// Unpack is the reverse of Pack.
func Unpack(data []byte) (*Outline, error) {
	o := new(Outline)
	if len(data) == 0 {
		return o, nil
	}
	o.Cut, data = data[0] != 0, data[1:]
	bad := false
	number := func() int {
		v, n := binary.Uvarint(data)
		if n <= 0 || v > 1<<30 {
			bad, data = true, nil
			return 0
		}
		data = data[n:]
		return int(v)
	}
	count := number()
	if bad || count > len(data)/4 {
		return nil, errPacked
	}
	o.names = make([]uint32, count)
	for i := range o.names {
		o.names[i], data = binary.LittleEndian.Uint32(data), data[4:]
	}
	for len(data) > 0 {
		above, tokens := number(), number()
		n := node{parent: int32(len(o.nodes) - above), from: int32(len(o.tokens))}
		if above == 0 {
			n.parent = -1
		}
		if above > len(o.nodes) || tokens > len(data) {
			return nil, errPacked
		}
		for range tokens {
			t := number()
			if bad || t >= len(o.names) {
				return nil, errPacked
			}
			o.tokens = append(o.tokens, int32(t))
		}
		n.to = int32(len(o.tokens))
		signs := number()
		if n.ids, n.several = uint8(signs%severalBit), signs >= severalBit; n.ids > manyIDs {
			return nil, errPacked
		}
		for range n.ids % manyIDs {
			t := number()
			if bad || t >= len(o.names) {
				return nil, errPacked
			}
			o.ids = append(o.ids, owned{int32(len(o.nodes)), int32(t)})
		}
		o.nodes = append(o.nodes, n)
	}
	if bad || len(o.nodes) == 0 {
		return nil, errPacked
	}
	return o, nil
}
