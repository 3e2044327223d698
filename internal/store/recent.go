package store

import "sync"

// What was stored of a running crawl's pages is held for a while as it was packed: the checks on the whole site read it
// back as soon as the last page is there.

// mostRecent bounds what is held of all crawls.
const mostRecent = 64 << 20

type recent struct {
	mu     sync.Mutex
	crawls map[int64]map[int32]long
	bytes  map[int64]int
}

// keep holds parts of pages that were stored, as far as there is room.
func (r *recent) keep(crawlID int64, ids []int32, parts []long) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.crawls == nil {
		r.crawls, r.bytes = map[int64]map[int32]long{}, map[int64]int{}
	}
	if r.crawls[crawlID] == nil {
		r.crawls[crawlID] = map[int32]long{}
	}
	held := 0
	for _, n := range r.bytes {
		held += n
	}
	for i, id := range ids {
		size := 100 + len(parts[i].facts) + len(parts[i].links) + len(parts[i].main)
		if held+size > mostRecent {
			return
		}
		held += size
		r.bytes[crawlID] += size
		r.crawls[crawlID][id] = parts[i]
	}
}

// forget lets go of a crawl.
func (r *recent) forget(crawlID int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.crawls, crawlID)
	delete(r.bytes, crawlID)
}

// A recentPage is what is held of a page.
type recentPage struct {
	id int32
	long
}

// have gives what is held of pages, and the numbers of the others.
func (r *recent) have(crawlID int64, pages []int32) (held []recentPage, rest []int32) {
	r.mu.Lock()
	defer r.mu.Unlock()
	all := r.crawls[crawlID]
	if len(all) == 0 {
		return nil, pages
	}
	for _, id := range pages {
		if l, ok := all[id]; ok {
			held = append(held, recentPage{id, l})
		} else {
			rest = append(rest, id)
		}
	}
	return held, rest
}
