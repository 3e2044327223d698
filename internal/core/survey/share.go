package survey

import (
	"cmp"
	"regexp"
	"slices"
	"strings"

	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
)

// Share gathers the pages for which key gives the same text, case and white space folded,
// in groups of two or more. An empty key takes no part. Groups and members come in order
// of address.
func (s *Survey) Share(key func(*Page) string) [][]*Page {
	groups := map[string][]*Page{}
	for i := range s.Pages {
		p := &s.Pages[i]
		if k := key(p); k != "" {
			k = text.Key(k)
			groups[k] = append(groups[k], p)
		}
	}
	return sortGroups(s, groups)
}

// ShareHash is Share for numbers; 0 takes no part.
func (s *Survey) ShareHash(key func(*Page) uint64) [][]*Page {
	groups := map[uint64][]*Page{}
	for i := range s.Pages {
		if k := key(&s.Pages[i]); k != 0 {
			groups[k] = append(groups[k], &s.Pages[i])
		}
	}
	return sortGroups(s, groups)
}

// OneList tells whether pages are those of one list, told apart by their numbers alone: they rightly share
// what they are called.
func (s *Survey) OneList(group []*Page) bool {
	list, met := "", map[string]bool{}
	for i, p := range group {
		u, err := weburl.Parse(s.URL(p.ID))
		if err != nil {
			return false
		}
		address, number := u.PathQuery(), ""
		if at := numbered.FindStringSubmatchIndex(address); at != nil {
			if at[2] >= 0 {
				number = address[at[2]:at[3]]
			}
			address = address[:at[0]]
		}
		if i == 0 {
			list = address
		}
		if address != list || met[number] {
			return false
		}
		met[number] = true
	}
	return len(group) > 1
}

// numbered is what pages of a list have at their end.
var numbered = regexp.MustCompile(`(?i)(?:(?:/page/|/?[?&](?:page|paged|p|pg|start|offset)=)(\d+)/?|/)$`)

func sortGroups[K cmp.Ordered](s *Survey, groups map[K][]*Page) [][]*Page {
	var out [][]*Page
	for _, g := range groups {
		if len(g) > 1 {
			out = append(out, g)
		}
	}
	slices.SortFunc(out, func(a, b []*Page) int {
		return strings.Compare(s.URL(a[0].ID), s.URL(b[0].ID))
	})
	return out
}
