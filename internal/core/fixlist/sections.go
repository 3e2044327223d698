package fixlist

import "strings"

// sections parts a site into folders that are worth telling apart: the first folders, but where one of
// them holds most of the site, those below it.
type sections struct {
	counts map[string]int // pages, by folder with all below it
	opened map[string]bool
}

// deepestSection bounds how far a folder is looked into.
const deepestSection = 6

func newSections(addresses []string) *sections {
	s := &sections{counts: map[string]int{}, opened: map[string]bool{}}
	for _, a := range addresses {
		folders := pathOf(a)
		for k := range min(strings.Count(folders, "/")-1, deepestSection) {
			s.counts[upTo(folders, k+2)]++
		}
	}
	within := map[string]int{} // pages in folders of some size, by the folder above
	for folder, n := range s.counts {
		if n >= leastPages {
			within[folder[:strings.LastIndexByte(folder[:len(folder)-1], '/')+1]] += n
		}
	}
	for folder, n := range s.counts {
		s.opened[folder] = 2*n > len(addresses) && 2*within[folder] >= n
	}
	return s
}

// of is the section of an address: "/plants/", or "/" for a page above all folders.
func (s *sections) of(address string) string {
	folders := pathOf(address)
	section := upTo(folders, 2)
	for k := 3; s.opened[section]; k++ {
		below := upTo(folders, k)
		if below == section || s.counts[below] < leastPages {
			break
		}
		section = below
	}
	return section
}

// pathOf is the path up to its last slash, of an address as weburl writes it.
func pathOf(address string) string {
	_, rest, ok := strings.Cut(address, "://")
	at := strings.IndexByte(rest, '/')
	if !ok || at < 0 {
		return "/"
	}
	path, _, _ := strings.Cut(rest[at:], "?")
	return path[:strings.LastIndexByte(path, '/')+1]
}

// upTo is the beginning of a path with so many slashes, or all of it.
func upTo(path string, slashes int) string {
	for i := range len(path) {
		if path[i] == '/' {
			if slashes--; slashes == 0 {
				return path[:i+1]
			}
		}
	}
	return path
}
