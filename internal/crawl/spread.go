package crawl

import (
	"cmp"
	"container/heap"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"

	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

// spread draws addresses so that what has been fetched stands for what is known: from each
// stratum, which is a section at a depth, in proportion to its size, and within a stratum by a
// hash of the address, which is as good as chance and the same every time.
//
// It draws in rounds, each when all results of the last are in, so that the choice does not
// depend on the order of answers.
type spread struct {
	traps  *traps
	strata map[stratum]*draw
	order  []*draw // as they became known
	round  []int32
	known  int
	drawn  int
}

// stratum is a part of the site that is taken to be of one kind: a section, a depth, and the
// shape of addresses where several share it. Lists and what they list are not mixed.
type stratum struct {
	section string
	depth   int32
	shape   string
}

type draw struct {
	waiting hashed
	known   int
	drawn   int
}

// roundSize is how many addresses are drawn at once.
const roundSize = 16

func newSpread(t *traps) *spread { return &spread{strata: map[stratum]*draw{}, traps: t} }

func stratumOf(a *survey.Address, t *traps) stratum {
	key := stratum{section: sectionOf(a.URL), depth: a.Depth}
	if f := t.known(keyOf(a.URL)); f != nil {
		key.shape = f.pattern
	}
	return key
}

func (s *spread) push(id int32, addresses []survey.Address) {
	a := &addresses[id]
	key := stratumOf(a, s.traps)
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

func (s *spread) ready() bool { return len(s.round) > 0 }

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

// weigh works out how many pages of the site each fetched one stands for. The parts of the site
// were drawn in proportion to what was known of them at the time; by the end more is known, and
// what still waits would name more: as much as the later pages of its own part did.
func (f *frontier) weigh(pages []survey.Page) (weights map[int32]float64, estimate int) {
	type part struct {
		known, fetched int
		order          []int32         // the fetched, as they were taken
		brought        map[int32]int32 // by the later half of them: index of part → addresses
	}
	index := map[stratum]int32{}
	var parts []*part
	of := make([]int32, len(f.addresses))
	for id := range f.addresses {
		a := &f.addresses[id]
		of[id] = -1
		if a.Role != page.AsPage || a.State != survey.Fetched && !a.Left() {
			continue
		}
		key := stratumOf(a, &f.traps)
		i, ok := index[key]
		if !ok {
			i = int32(len(parts))
			index[key] = i
			parts = append(parts, &part{brought: map[int32]int32{}})
		}
		of[id] = i
		parts[i].known++
	}
	for i := range pages {
		id := pages[i].ID
		p := parts[of[id]]
		p.fetched++
		p.order = append(p.order, id)
	}
	late := map[int32]bool{}
	for _, p := range parts {
		for _, id := range p.order[len(p.order)/2:] {
			late[id] = true
		}
	}
	for id := range f.addresses {
		if from := f.addresses[id].FoundOn; of[id] >= 0 && from >= 0 && late[from] {
			parts[of[from]].brought[of[id]]++
		}
	}
	size := make([]float64, len(parts))
	for i, p := range parts {
		size[i] += float64(p.known)
		if later := len(p.order) - len(p.order)/2; len(p.order) > 1 {
			for to, n := range p.brought {
				size[to] += float64(p.known-p.fetched) * float64(n) / float64(later)
			}
		}
	}
	weights = map[int32]float64{}
	total, fetched, assessed := 0.0, 0, 0
	for i, p := range parts {
		total += size[i]
		fetched += p.fetched
		for _, id := range p.order {
			weights[id] = size[i] / float64(p.fetched)
		}
	}
	for i := range pages {
		if pages[i].HTML && pages[i].Status == 200 {
			assessed++
		}
	}
	if fetched > 0 {
		estimate = int(total*float64(assessed)/float64(fetched) + 0.5)
	}
	return weights, estimate
}
