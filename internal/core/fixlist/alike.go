package fixlist

import (
	"maps"
	"net/url"
	"slices"
	"strings"

	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
)

// leastAlike is from how many shared values or targets on, whose addresses differ in the same way, one
// cause is seen behind them.
const leastAlike = 5

// alike joins the causes of a check whose addresses differ in the same way: values shared by the same page
// in each language's folder, or by a page with and without a parameter that changes nothing; targets that
// are missing in each of several folders. That is one thing to change, however many pages there are.
func (b *builder) alike(causes []*gathered) []*gathered {
	type way struct {
		check int32
		key   string
	}
	ways, words := map[*gathered]way{}, map[way]string{}
	counts := map[way]int{}
	for _, g := range causes {
		key, said := "", ""
		if g.fix.Kind == Target {
			key, said = anyFolder(g.fix.Target)
		} else {
			key, said = difference(b.addresses(g.entries))
		}
		if key == "" {
			continue
		}
		w := way{b.entries[g.entries[0]].check, key}
		ways[g], words[w] = w, said
		counts[w]++
	}
	joined := map[way]*gathered{}
	var out []*gathered
	for _, g := range causes {
		w, ok := ways[g]
		if !ok || counts[w] < leastAlike {
			out = append(out, g)
			continue
		}
		one := joined[w]
		if one == nil {
			where := words[w] + ", " + text.Thousands(counts[w]) + " times"
			if g.fix.Kind == Target {
				where = words[w] + " in " + text.Thousands(counts[w]) + " folders"
			}
			one = &gathered{fix: Fix{Kind: Alike, ID: identify(b.Checks[w.check], Alike, w.key), Where: where}}
			joined[w] = one
			out = append(out, one)
		}
		if g.fix.Target != "" {
			one.fix.Targets = append(one.fix.Targets, g.fix.Target)
		}
		one.entries = append(one.entries, g.entries...)
	}
	for _, one := range joined {
		slices.Sort(one.entries)
		slices.Sort(one.fix.Targets)
	}
	return out
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
	return u.Origin() + "/*" + rest, shorten(rest)
}

func (b *builder) addresses(entries []int) []string {
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
	}
	return "", ""
}

// form is an address without what often differs between forms of one: scheme, www, case, a name of an
// index page and a slash at the end.
func form(u *weburl.URL) string {
	path := strings.ToLower(u.Path())
	if i := strings.LastIndexByte(path, '/'); strings.HasPrefix(path[i+1:], "index.") || strings.HasPrefix(path[i+1:], "default.") {
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
