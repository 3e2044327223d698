package crawl

import (
	"cmp"
	"container/heap"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"

	"harvik/internal/core/survey"
)

// spread draws addresses so that what has been fetched stands for what is known: from each
// stratum, which is a section at a depth, in proportion to its size, and within a stratum by a
// hash of the address, which is as good as chance and the same every time.
//
// It draws in rounds, each when all results of the last are in, so that the choice does not
// depend on the order of answers.
type spread struct {
	strata map[stratum]*draw
	order  []*draw // as they became known
	round  []int32
	known  int
	drawn  int
}

type stratum struct {
	section string
	depth   int32
}

type draw struct {
	waiting hashed
	known   int
	drawn   int
}

// roundSize is how many addresses are drawn at once.
const roundSize = 16

func newSpread() *spread { return &spread{strata: map[stratum]*draw{}} }

func (s *spread) push(id int32, addresses []survey.Address) {
	a := &addresses[id]
	key := stratum{sectionOf(a.URL), a.Depth}
	d := s.strata[key]
	if d == nil {
		d = new(draw)
		s.strata[key] = d
		s.order = append(s.order, d)
	}
	heap.Push(&d.waiting, entry{xxhash.Sum64String(a.URL), id})
	d.known++
	s.known++
}

func (s *spread) size() int { return s.known - s.drawn + len(s.round) }

func (s *spread) settled() bool { return len(s.round) > 0 }

func (s *spread) pop() (int32, bool) {
	if len(s.round) == 0 {
		for len(s.round) < roundSize && s.drawn < s.known {
			s.round = append(s.round, s.next())
		}
	}
	if len(s.round) == 0 {
		return -1, false
	}
	id := s.round[0]
	s.round = s.round[1:]
	return id, true
}

// next draws from the stratum that is furthest behind its share.
func (s *spread) next() int32 {
	waiting := slices.DeleteFunc(slices.Clone(s.order), func(d *draw) bool { return len(d.waiting) == 0 })
	behind := slices.MaxFunc(waiting, func(a, b *draw) int {
		share := func(d *draw) float64 {
			return float64(d.known)*float64(s.drawn+1)/float64(s.known) - float64(d.drawn)
		}
		return cmp.Compare(share(a), share(b))
	})
	behind.drawn++
	s.drawn++
	return heap.Pop(&behind.waiting).(entry).id
}

// sectionOf is an address's host and first folder.
func sectionOf(address string) string {
	_, rest, _ := strings.Cut(address, "://")
	host, path, _ := strings.Cut(rest, "/")
	path, _, _ = strings.Cut(path, "?")
	if folder, _, ok := strings.Cut(path, "/"); ok {
		return host + "/" + folder + "/"
	}
	return host + "/"
}

type entry struct {
	hash uint64
	id   int32
}

// hashed is a heap by hash.
type hashed []entry

func (h hashed) Len() int           { return len(h) }
func (h hashed) Less(i, j int) bool { return h[i].hash < h[j].hash }
func (h hashed) Swap(i, j int)      { h[i], h[j] = h[j], h[i] }
func (h *hashed) Push(x any)        { *h = append(*h, x.(entry)) }

func (h *hashed) Pop() any {
	old := *h
	last := old[len(old)-1]
	*h = old[:len(old)-1]
	return last
}
