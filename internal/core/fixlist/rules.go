package fixlist

import (
	"cmp"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/weburl"
)

// byRule proposes what makes many addresses bad, or many values shared, in the same way: values shared by the
// same page in each language's folder, or by a page with and without a parameter that changes nothing;
// links made from the page's own address; targets that all answer once a folder is taken out of their addresses.
func (b *builder) byRule(c int32, entries []int32) (out []*candidate) {
	type found struct {
		words   string
		members []int32
		causes  int
	}
	rules := map[string]*found{}
	endings := map[string]bool{}
	add := func(key, words string, members []int32, causes int) {
		if rules[key] == nil {
			rules[key] = &found{words: words}
		}
		rules[key].members = append(rules[key].members, members...)
		rules[key].causes += causes
	}
	for _, members := range group(entries, func(i int32) int32 { return b.entries[i].cause }) {
		cause := &b.causes[b.entries[members[0]].cause]
		if b.Checks[c].Gather == check.ByValue {
			if key, words := difference(b.addresses(members)); key != "" {
				add(key, words, members, 1)
			}
			continue
		}
		for _, r := range cause.repairs {
			add(r.key, r.words, members, 1)
		}
		if key, words := anyFolder(cause.target); key != "" {
			add(key, words, members, 1)
		}
	}
	if b.Checks[c].Gather == check.ByTarget {
		parts := addressParts{}
		for _, i := range entries {
			e := &b.entries[i]
			if !b.causes[e.cause].away {
				continue
			}
			from, target := parts.parsed(b.address(e.page)), parts.parsed(b.causes[e.cause].target)
			if key, words := relation(from, target); key != "" {
				add(key, words, []int32{i}, 1)
				if ending, ok := strings.CutPrefix(key, ownName); ok && ending[0] == '.' {
					add(ownEndings, "", []int32{i}, 1)
					endings[ending] = true
				}
			}
		}
	}
	if all := slices.Sorted(maps.Keys(endings)); len(all) > 1 { // as of a menu of languages, where none is there
		rules[ownEndings].words = fmt.Sprintf("the page's own name with %d endings, such as %s and %s", len(all),
			all[0], all[1])
	} else {
		delete(rules, ownEndings)
	}
	for _, key := range sortedKeys(rules) {
		r := rules[key]
		slices.Sort(r.members)
		if len(r.members) < leastPages || r.causes < leastPages || b.oneCause(r.members) {
			continue
		}
		one := &candidate{fix: Fix{Kind: Rule, Value: key, Where: r.words}, key: key, members: r.members, work: 1}
		if b.Checks[c].Gather == check.ByTarget {
			one.fix.Targets = b.targetsOf(r.members)
		}
		one.fix.ID = identify(b.Checks[c], Rule, key)
		out = append(out, one)
	}
	return out
}

// Keys of what is made from the page's own name: by one ending, and by several.
const (
	ownName    = "1 own name "
	ownEndings = "1 own name and endings"
)

// relation tells a target made from the address of the page that names it: its own name with something
// else behind it, or a fixed name in its own folder.
func relation(f, t *weburl.URL) (key, words string) {
	if f == nil || t == nil || f.Origin() != t.Origin() {
		return "", ""
	}
	path := f.Path()
	if t.PathQuery() == f.PathQuery() {
		return "", "" // a place on the page itself
	}
	name := path[strings.LastIndexByte(path, '/')+1:]
	stem, _, _ := strings.Cut(cmp.Or(name, "index"), ".")
	if stem != "" {
		at := path[:len(path)-len(name)] + stem
		if rest, ok := strings.CutPrefix(t.PathQuery(), at); ok && rest != "" && !strings.Contains(rest, stem) {
			return ownName + rest, "the page's own name + " + rest
		}
	}
	folder := path[:len(path)-len(name)]
	if rest, ok := strings.CutPrefix(t.PathQuery(), folder); ok && rest != "" && folder != "/" {
		return "3 own folder " + rest, shorten(rest) + " in the page's own folder"
	}
	return "", ""
}

// addressParts keeps addresses that were read apart.
type addressParts map[string]*weburl.URL

// parsed are the parts of an address, nil where it is none.
func (p addressParts) parsed(address string) *weburl.URL {
	u, ok := p[address]
	if !ok {
		if parsed, err := weburl.Parse(address); err == nil {
			u = &parsed
		}
		p[address] = u
	}
	return u
}

// anyFolder is a target with its first folder left open.
func anyFolder(target string) (key, words string) {
	u, err := weburl.Parse(target)
	if err != nil || !u.IsHTTP() {
		return "", ""
	}
	i := strings.IndexByte(u.Path()[1:], '/') + 1
	rest := u.PathQuery()[i:]
	if i == 0 || rest == "/" {
		return "", ""
	}
	return "6 " + u.Origin() + "/*" + rest, shorten(rest) + " in several folders"
}

func (b *builder) addresses(entries []int32) []string {
	var out []string
	for _, i := range entries {
		if p := b.entries[i].page; p >= 0 {
			out = append(out, b.address(p))
		}
	}
	return out
}

// difference says in what one way addresses differ, as a key and in words; "" if in more than one.
func difference(addresses []string) (key, words string) {
	if len(addresses) < 2 {
		return "", ""
	}
	urls := make([]weburl.URL, len(addresses))
	for i, a := range addresses {
		u, err := weburl.Parse(a)
		if err != nil || !u.IsHTTP() {
			return "", ""
		}
		urls[i] = u
	}
	same := func(part func(u *weburl.URL) string) bool {
		first := part(&urls[0])
		return !slices.ContainsFunc(urls[1:], func(u weburl.URL) bool { return part(&u) != first })
	}
	switch {
	case same(func(u *weburl.URL) string { return u.Origin() + u.Path() }):
		names := parameters(urls)
		return "?" + names, "one page with several values of ?" + names
	case same(form):
		return "forms", "one page under several forms of its address"
	case !same((*weburl.URL).Origin) && same((*weburl.URL).PathQuery):
		return "hosts", "one page on several hosts"
	case same((*weburl.URL).Origin) && same((*weburl.URL).Query):
		if folder := parting(urls); folder != "" {
			return folder, "one page in several folders of " + folder
		}
		if folders := inserted(urls); folders != "" {
			return "with " + folders, "one page with and without " + folders + " in its address"
		}
	}
	return "", ""
}

// inserted are the folders that the longer of two addresses has more, in one place: "/author/x/" of
// /page/2/ and /author/x/page/2/. It is "" where they differ otherwise.
func inserted(urls []weburl.URL) string {
	if len(urls) != 2 {
		return ""
	}
	short, long := urls[0].Path(), urls[1].Path()
	if len(short) > len(long) {
		short, long = long, short
	}
	n := len(long) - len(short)
	if n < 2 {
		return ""
	}
	for at := range short {
		if short[at] == '/' && short[:at] == long[:at] && short[at:] == long[at+n:] && long[at] == '/' {
			return long[at:at+n] + "/"
		}
	}
	return ""
}

// form is an address without what often differs between forms of one: scheme, www, case, a name of an
// index page and a slash at the end.
func form(u *weburl.URL) string {
	path := strings.ToLower(u.Path())
	if i := strings.LastIndexByte(path, '/'); strings.HasPrefix(path[i+1:], "index.") ||
		strings.HasPrefix(path[i+1:], "default.") {
		path = path[:i]
	}
	return strings.TrimPrefix(strings.ToLower(u.Host()), "www.") + strings.TrimSuffix(path, "/") + u.Query()
}

// parameters are the names of those that differ.
func parameters(urls []weburl.URL) string {
	values := map[string]map[string]int{}
	for i := range urls {
		query, _ := url.ParseQuery(strings.TrimPrefix(urls[i].Query(), "?")) // what cannot be read is left out
		for name, v := range query {
			if values[name] == nil {
				values[name] = map[string]int{}
			}
			values[name][strings.Join(v, "&")]++
		}
	}
	var out []string
	for _, name := range slices.Sorted(maps.Keys(values)) {
		if !slices.Contains(slices.Collect(maps.Values(values[name])), len(urls)) { // no value is that of all
			out = append(out, name)
		}
	}
	return strings.Join(out, "&")
}

// parting is the folder below which addresses part and come together again in the next folder: "/" for
// /de/a/b and /en/a/b. It is "" where they differ otherwise.
func parting(urls []weburl.URL) string {
	first := strings.Split(urls[0].Path(), "/")
	at := -1
	for i := range urls[1:] {
		parts := strings.Split(urls[i+1].Path(), "/")
		if len(parts) != len(first) {
			return ""
		}
		for k := range parts {
			switch {
			case parts[k] == first[k] || k == at:
			case at < 0 && k < len(parts)-1:
				at = k
			default:
				return ""
			}
		}
	}
	if at < 0 {
		return ""
	}
	return strings.Join(first[:at], "/") + "/"
}
