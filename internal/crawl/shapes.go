package crawl

import (
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"
)

// shapeOf is the pattern of an address's family, "*" for what is folded.
func shapeOf(address string) (shape string, several bool) {
	_, rest, _ := strings.Cut(address, "://")
	rest, query, hasQuery := strings.Cut(rest, "?")
	host, path, _ := strings.Cut(rest, "/")
	var parts []string
	for part := range strings.SplitSeq(path, "/") {
		part, _, _ = strings.Cut(part, ";")
		parts = append(parts, foldPart(part))
	}
	if repeats(parts) {
		parts = append(unique(parts), "…")
	}
	shape = host + "/" + strings.Join(collapse(parts), "/")
	if !hasQuery || len(query) > longQuery {
		return shape, false
	}
	name, _, several := strings.Cut(query, "&")
	if several {
		return shape + "?*&*", true
	}
	name, _, _ = strings.Cut(name, "=")
	return shape + "?" + name + "=*", false
}

// foldPart folds runs of digits; a part that looks random is folded whole.
func foldPart(part string) string {
	if isRandom(part) {
		return "*"
	}
	var b strings.Builder
	folded := false
	for _, r := range part {
		if r >= '0' && r <= '9' {
			if !folded {
				b.WriteByte('*')
			}
			folded = true
			continue
		}
		folded = false
		b.WriteRune(r)
	}
	return b.String()
}

// isRandom tells hashes and tokens: long, without a separator, letters and digits well mixed.
func isRandom(part string) bool {
	if len(part) < 12 {
		return false
	}
	digits, changes, last := 0, 0, -1
	for i := range len(part) {
		kind := 0
		switch c := part[i]; {
		case c >= '0' && c <= '9':
			digits++
			kind = 1
		case c|0x20 >= 'a' && c|0x20 <= 'z':
		default:
			return false
		}
		if last >= 0 && kind != last {
			changes++
		}
		last = kind
	}
	return digits >= 2 && changes >= 4
}

// repeats tells whether a part that is more than a number stands twice in a path, as where a
// relative link goes on and on below itself.
func repeats(parts []string) bool {
	for i, p := range parts {
		if p != "" && p != "*" && slices.Contains(parts[:i], p) {
			return true
		}
	}
	return false
}

// unique are the different parts of a path, in order of their names.
func unique(parts []string) []string {
	out := slices.Clone(parts)
	slices.Sort(out)
	return slices.DeleteFunc(slices.Compact(out), func(p string) bool { return p == "" })
}

// collapse leaves one of each stretch of up to four parts that stands twice or more in a row.
func collapse(parts []string) []string {
	for period := 1; period <= 4; period++ {
		for i := 0; i+2*period <= len(parts); {
			if slices.Equal(parts[i:i+period], parts[i+period:i+2*period]) {
				parts = slices.Delete(parts, i+period, i+2*period)
			} else {
				i++
			}
		}
	}
	return parts
}

// assigned is one parameter of an address, with hashes of its value and of the address
// without it.
type assigned struct {
	name        string
	value, base uint64
}

// maxParameters is how many an address may have to be looked into.
const maxParameters = 12

// parametersOf gives each parameter of an address. A path parameter such as ;jsessionid=1 is
// one, too.
func parametersOf(address string) func(yield func(assigned) bool) {
	return func(yield func(assigned) bool) {
		bare, query, hasQuery := strings.Cut(address, "?")
		if i := strings.IndexByte(bare, ';'); i >= 0 {
			name, rest, _ := strings.Cut(bare[i:], "=")
			value, tail := rest, ""
			if j := strings.IndexByte(rest, '/'); j >= 0 {
				value, tail = rest[:j], rest[j:]
			}
			if !yield(assigned{name, xxhash.Sum64String(value), xxhash.Sum64String(bare[:i] + tail + "?" + query)}) {
				return
			}
		}
		if !hasQuery || len(query) > longQuery || strings.Count(query, "&") >= maxParameters {
			return
		}
		parts := strings.Split(query, "&")
		for i, part := range parts {
			name, value, _ := strings.Cut(part, "=")
			if name == "" {
				continue
			}
			others := slices.Delete(slices.Clone(parts), i, i+1)
			slices.Sort(others)
			if !yield(assigned{name, xxhash.Sum64String(value),
				xxhash.Sum64String(bare + "?" + strings.Join(others, "&"))}) {
				return
			}
		}
	}
}
