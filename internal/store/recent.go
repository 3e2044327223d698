package store

import "sync"

// What was stored of a running crawl's pages is held for a while as it was packed: the checks on the whole site read it
// back as soon as the last page is there.

// Bounds of what is held: of one crawl, of which less than all is of little use, and of all.
const (
	mostOfOne  = 48 << 20
	mostRecent = 64 << 20
)

type recent struct {
	mu     sync.Mutex
	crawls map[int64]*recentCrawl
}

type recentCrawl struct {
	pages map[int32]long // nil where it is too much
	bytes int
}

// keep holds parts of pages that were stored, as long as that is little.
func (r *recent) keep(crawlID int64, ids []int32, parts []long) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.crawls == nil {
		r.crawls = map[int64]*recentCrawl{}
	}
	c := r.crawls[crawlID]
	if c == nil {
		c = &recentCrawl{pages: map[int32]long{}}
		r.crawls[crawlID] = c
	}
	if c.pages == nil {
		return
	}
	for i, id := range ids {
		c.pages[id] = parts[i]
		c.bytes += 100 + len(parts[i].facts) + len(parts[i].links) + len(parts[i].main)
	}
	all := 0
	for _, one := range r.crawls {
		all += one.bytes
	}
	if c.bytes > mostOfOne || all > mostRecent {
		c.pages, c.bytes = nil, 0
	}
}

// forget lets go of a crawl.
func (r *recent) forget(crawlID int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.crawls, crawlID)
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
	c := r.crawls[crawlID]
	if c == nil || c.pages == nil {
		return nil, pages
	}
	for _, id := range pages {
		if l, ok := c.pages[id]; ok {
			held = append(held, recentPage{id, l})
		} else {
			rest = append(rest, id)
		}
	}
	return held, rest
}
