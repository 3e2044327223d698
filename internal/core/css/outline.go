package css

import (
	"encoding/binary"
	"errors"

	"github.com/cespare/xxhash/v2"
)

// An Outline is a page's tree in short: each way in which an element (its name, id and classes) stands in others,
// once, whatever the number of elements that stand so. What siblings are to one another is not in it. The zero
// value is the outline of a page that nothing is known of.
type Outline struct {
	nodes  []node
	tokens []uint32 // of all nodes, one after the other
	Cut    bool     // the page has more of them than were taken in
}

type node struct {
	parent   int32 // −1 at the top
	from, to int32 // in tokens
}

// What one page is bounded to.
const (
	mostNodes   = 4000
	mostClasses = 30
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
	out  Outline
	seen map[uint64]int32
}

// Begin makes ready for a page.
func (o *Outliner) Begin() {
	if o.seen == nil {
		o.seen = map[uint64]int32{}
	}
	clear(o.seen)
	o.out = Outline{nodes: o.out.nodes[:0], tokens: o.out.tokens[:0]}
}

// Enter notes an element inside parent, which is what Enter gave for that, or −1 for none. Names are in small
// letters, as the parser of HTML gives them.
func (o *Outliner) Enter(parent int32, name, id, class string) int32 {
	key := xxhash.Sum64String(name)*31 + uint64(uint32(parent))
	if id != "" {
		key = key*0x9E3779B97F4A7C15 ^ xxhash.Sum64String(id)
	}
	if class != "" {
		key = key*0xC2B2AE3D27D4EB4F ^ xxhash.Sum64String(class)
	}
	if at, ok := o.seen[key]; ok {
		return at
	}
	if len(o.out.nodes) >= mostNodes {
		o.out.Cut = true
		return parent
	}
	from := int32(len(o.out.tokens))
	o.out.tokens = append(o.out.tokens, token(ofName, name))
	if id != "" {
		o.out.tokens = append(o.out.tokens, token(ofID, id))
	}
	o.classes(class)
	at := int32(len(o.out.nodes))
	o.out.nodes = append(o.out.nodes, node{parent, from, int32(len(o.out.tokens))})
	o.seen[key] = at
	return at
}

func (o *Outliner) classes(class string) {
	for n, i := 0, 0; i < len(class); {
		for i < len(class) && isSpace(class[i]) {
			i++
		}
		from := i
		for i < len(class) && !isSpace(class[i]) {
			i++
		}
		if from == i {
			return
		}
		if n++; n > mostClasses {
			o.out.Cut = true
			return
		}
		o.out.tokens = append(o.out.tokens, token(ofClass, class[from:i]))
	}
}

func isSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\f' || c == '\r' }

// Outline is that of the page since Begin. It is valid until the next Begin.
func (o *Outliner) Outline() *Outline { return &o.out }

// Pack is the outline in bytes, all numbers as varints: 1 if it is cut, the number of different tokens, these as
// four bytes each, then for each node how far its parent stands before it (0 for none), the number of its tokens
// and which they are.
func (o *Outline) Pack() []byte {
	if len(o.nodes) == 0 {
		return nil
	}
	numbers := make(map[uint32]uint64, len(o.tokens)/2)
	var different []uint32
	for _, t := range o.tokens {
		if _, ok := numbers[t]; !ok {
			numbers[t] = uint64(len(different))
			different = append(different, t)
		}
	}
	out := make([]byte, 0, 4*len(different)+4*len(o.nodes)+2*len(o.tokens))
	if o.Cut {
		out = append(out, 1)
	} else {
		out = append(out, 0)
	}
	out = binary.AppendUvarint(out, uint64(len(different)))
	for _, t := range different {
		out = binary.LittleEndian.AppendUint32(out, t)
	}
	for i, n := range o.nodes {
		above := 0
		if n.parent >= 0 {
			above = i - int(n.parent)
		}
		out = binary.AppendUvarint(out, uint64(above))
		out = binary.AppendUvarint(out, uint64(n.to-n.from))
		for _, t := range o.tokens[n.from:n.to] {
			out = binary.AppendUvarint(out, numbers[t])
		}
	}
	return out
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
	different := make([]uint32, count)
	for i := range different {
		different[i], data = binary.LittleEndian.Uint32(data), data[4:]
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
			if bad || t >= len(different) {
				return nil, errPacked
			}
			o.tokens = append(o.tokens, different[t])
		}
		n.to = int32(len(o.tokens))
		o.nodes = append(o.nodes, n)
	}
	if bad {
		return nil, errPacked
	}
	return o, nil
}
