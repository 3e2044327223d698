package booking

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"io"

	"harvik/internal/core/robots"
	"harvik/internal/core/scope"
	"harvik/internal/core/sitemap"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
)

// Bounds of the sitemaps that are read.
const (
	MaxSitemapBytes = 50 << 20 // of one, unpacked (sitemaps.org, "Sitemap file limits")
	maxSitemaps     = 1000
	maxSitemapTotal = 128 << 20 // bytes of all of them
	maxSitemapDepth = 2         // an index may not list indexes (sitemaps.org); some do
	// on hosts outside the site: robots.txt may name some there (sitemaps.org, "cross submits")
	maxAbroad    = 10
	maxStrangers = 5 // addresses of other hosts that are told of one sitemap
)

// A Listing is what the sitemaps of a site list.
type Listing struct {
	Addresses []string        // each once, in order
	Has       map[string]bool // the same
	Sitemaps  []survey.SitemapFile
	Versions  map[string][]survey.Version // by address, see survey.Evidence

	start    weburl.URL
	scope    *scope.Scope
	most     int
	versions int
}

// NewListing lists nothing yet; of addresses it takes up so many at most.
func NewListing(start weburl.URL, s *scope.Scope, most int) *Listing {
	return &Listing{start: start, scope: s, most: most, Has: map[string]bool{}}
}

// SitemapsOf are the addresses of the sitemaps to begin with: those that a plan names, or robots.txt, or the usual one,
// which nobody named.
func SitemapsOf(plan []string, rules *robots.File) (addresses []string, named bool) {
	if len(plan) > 0 {
		return plan, true
	}
	for _, line := range rules.Sitemaps {
		addresses = append(addresses, line.Text)
	}
	if len(addresses) == 0 {
		return []string{"/sitemap.xml"}, false
	}
	return addresses, true
}

// named is a sitemap that is to be read, and by how many indexes it was reached.
type named struct {
	address string
	depth   int
}

// Read takes in what sitemaps list, and those that indexes among them name. Named tells whether somebody named those
// that it begins with. Get gives one; where ok is false, reading ends with those before. It ends as well where more is
// listed than is taken up.
func (l *Listing) Read(addresses []string, isNamed bool, get func(weburl.URL) (f File, ok bool, err error)) error {
	var todo []named
	for _, a := range addresses {
		todo = append(todo, named{a, 0})
	}
	seen := map[string]bool{}
	total, abroad := 0, 0
	for len(todo) > 0 && len(seen) < maxSitemaps && total < maxSitemapTotal && len(l.Addresses) < l.most {
		one := todo[0]
		todo = todo[1:]
		u, err := l.start.Parse(one.address)
		if err != nil || !u.IsHTTP() || seen[u.Key()] {
			continue
		}
		if !l.scope.Inside(u.Key()) {
			if abroad == maxAbroad {
				continue // other people's hosts are asked for a few at most
			}
			abroad++
		}
		seen[u.Key()] = true
		f, ok, err := get(u)
		if err != nil || !ok {
			return err
		}
		total += len(f.Body)
		further := l.take(&u, &f, one.depth > 0 || isNamed)
		if one.depth < maxSitemapDepth {
			for _, address := range further[:min(len(further), maxSitemaps-min(len(todo), maxSitemaps))] {
				todo = append(todo, named{address, one.depth + 1})
			}
		}
	}
	return nil
}

// take takes one sitemap in, and gives the sitemaps that it names.
func (l *Listing) take(at *weburl.URL, f *File, isNamed bool) (further []string) {
	note := survey.SitemapFile{Address: at.Key(), Status: f.Status, Detail: f.Detail, Named: isNamed}
	var head sitemap.Head
	var told []robots.Line
	strangers := 0
	if f.Status == 200 {
		var err error
		head, err = sitemap.Read(inflate(f.Body), func(e sitemap.Entry) {
			if e.Sitemap != "" {
				if len(further) < maxSitemaps {
					further = append(further, e.Sitemap)
				}
			} else if l.list(at, e) {
				if strangers++; strangers <= maxStrangers {
					told = append(told, robots.Line{Text: "lists an address of another host: " + e.Page})
				}
			}
		})
		if err != nil {
			note.Detail = err.Error()
		}
	}
	note.Form, note.Pages, note.Sitemaps = head.Form, head.Pages, head.Sitemaps
	for _, fault := range head.Faults {
		note.Faults = append(note.Faults, robots.Line{Number: fault.Line, Text: fault.Text})
	}
	if len(f.Body) >= MaxSitemapBytes {
		note.Faults = append(note.Faults, robots.Line{Text: "the file is over 50 MiB"})
	}
	note.Faults = append(note.Faults, told...)
	if n := strangers - maxStrangers; n > 0 {
		note.Faults = append(note.Faults, robots.Line{Text: fmt.Sprintf("and %d more of other hosts", n)})
	}
	l.Sitemaps = append(l.Sitemaps, note)
	return further
}

// list takes in a page, with its versions in other languages. It tells whether the page is of another host than the
// sitemap.
func (l *Listing) list(from *weburl.URL, e sitemap.Entry) (stranger bool) {
	at, err := from.Parse(e.Page)
	if err != nil || !at.IsHTTP() {
		return false
	}
	address := l.scope.Rewrite(at.Key())
	if !l.Has[address] && len(l.Addresses) < l.most {
		l.Has[address] = true
		l.Addresses = append(l.Addresses, address)
	}
	if l.scope.Inside(address) {
		l.version(from, address, e.Others)
	}
	return at.Host() != from.Host()
}

// version notes which languages a sitemap lists for one of the site's addresses.
func (l *Listing) version(from *weburl.URL, address string, others []sitemap.Version) {
	for _, o := range others {
		to, err := from.Parse(o.Href)
		if err != nil || !to.IsHTTP() || l.versions >= 2*l.most {
			continue
		}
		l.versions++
		if l.Versions == nil {
			l.Versions = map[string][]survey.Version{}
		}
		l.Versions[address] = append(l.Versions[address],
			survey.Version{Lang: o.Lang, Address: l.scope.Rewrite(to.Key())})
	}
}

// inflate unpacks a gzipped file as it is read; anything else stays.
func inflate(data []byte) io.Reader {
	if !bytes.HasPrefix(data, []byte{0x1f, 0x8b}) {
		return bytes.NewReader(data)
	}
	z, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		return bytes.NewReader(data)
	}
	return io.LimitReader(z, MaxSitemapBytes)
}
