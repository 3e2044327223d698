package fixlist

import (
	"strings"

	"harvik/internal/core/weburl"
)

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
		folders := weburl.FolderOf(a)
		for k := range min(strings.Count(folders, "/")-1, deepestSection) {
			s.counts[weburl.FolderAbove(folders, k+2)]++
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
	folders := weburl.FolderOf(address)
	section := weburl.FolderAbove(folders, 2)
	for k := 3; s.opened[section]; k++ {
		below := weburl.FolderAbove(folders, k)
		if below == section || s.counts[below] < leastPages {
			break
		}
		section = below
	}
	return section
}
