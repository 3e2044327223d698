package css

import (
	"slices"
	"strings"
	"unicode/utf8"
)

// An Answer says whether a rule is for an element of a page.
type Answer uint8

const (
	No Answer = iota
	Perhaps
	Yes
)

// Applies tells whether the rules of a reference are for an element of the page; where none are known, Perhaps.
func (o *Outline) Applies(rules, under string) Answer {
	if rules == "" && under == "" {
		return Perhaps
	}
	answer := No
	if rules != "" {
		answer = o.Match(rules)
	}
	if under != "" {
		answer = max(answer, min(o.Match(under), Perhaps))
	}
	return answer
}

// Match tells whether a list of selectors matches an element of the page. Perhaps is the answer where that hangs
// on what an outline does not tell: siblings, attributes, states, and selectors that are not understood.
func (o *Outline) Match(selectors string) Answer {
	if len(o.nodes) == 0 {
		return Perhaps
	}
	best := No
	for _, one := range split(selectors) {
		best = max(best, o.matches(one))
	}
	if best == No && o.Cut {
		return Perhaps
	}
	return best
}

// split parts a list at its commas, those in brackets and strings left aside.
func split(list string) (out []string) {
	from := 0
	for i := 0; i < len(list); i++ {
		switch c := list[i]; c {
		case '\\', '"', '\'', '(', '[':
			i = pastGroup(list, i)
		case ',':
			out = append(out, list[from:i])
			from = i + 1
		}
	}
	return append(out, list[from:])
}

// pastGroup is where the escape, string or bracket that begins at i ends; len(s) where it does not.
func pastGroup(s string, i int) int {
	switch c := s[i]; c {
	case '\\':
		return i + 1
	case '"', '\'':
		for i++; i < len(s) && s[i] != c; i++ {
			if s[i] == '\\' {
				i++
			}
		}
		return i
	}
	for depth := 0; i < len(s); i++ {
		switch s[i] {
		case '\\', '"', '\'':
			i = pastGroup(s, i)
		case '(', '[':
			depth++
		case ')', ']':
			if depth--; depth == 0 {
				return i
			}
		}
	}
	return len(s)
}

// A compound is what a selector asks of one element.
type compound struct {
	by     byte     // what joins it to the one before: ' ', '>', '+' or '~'; 0 for the first
	tokens []uint32 // what the element has to have
	ids    []uint32 // likewise
	unsure bool     // it has to have more, which an outline does not tell
}

// mostCompounds bounds a selector; nobody writes more. mostWork bounds the nodes that are looked at for all
// selectors that one page is asked for, so that no page and no stylesheet takes long together: then the answer is
// Perhaps. A large page takes some thousands for a selector.
const (
	mostCompounds = 40
	mostWork      = 8 << 20
)

// matches goes from the left of a selector to its right, and for each of its compounds from the top of the
// tree to the bottom, so that its time does not grow with the ways in which it could match.
func (o *Outline) matches(selector string) Answer {
	parts, ok := parse(selector)
	if o.worked += len(parts)*len(o.nodes) + len(selector); !ok || o.worked > mostWork {
		return Perhaps
	}
	var before, at []Answer
	for _, c := range parts {
		at = make([]Answer, len(o.nodes))
		inside, beside := make([]Answer, len(o.nodes)), make([]Answer, len(o.nodes))
		if c.by == '+' || c.by == '~' {
			for i, n := range o.nodes {
				beside[n.parent+1] = max(beside[n.parent+1], min(before[i], Perhaps))
			}
		}
		for i, n := range o.nodes {
			way := Yes
			switch c.by {
			case ' ':
				way = No
				if n.parent >= 0 {
					way = max(before[n.parent], inside[n.parent])
				}
				inside[i] = way
			case '>':
				way = No
				if n.parent >= 0 {
					way = before[n.parent]
				}
			case '+', '~':
				way = beside[n.parent+1]
			}
			if way > No {
				at[i] = min(way, o.has(int32(i), &c))
			}
		}
		before = at
	}
	return slices.Max(before)
}

func (o *Outline) has(i int32, c *compound) Answer {
	n := o.nodes[i]
	for _, t := range c.tokens {
		if !slices.ContainsFunc(o.tokens[n.from:n.to], func(own int32) bool { return o.names[own] == t }) {
			return No
		}
	}
	answer := Yes
	if c.unsure {
		answer = Perhaps
	}
	if len(c.ids) == 0 {
		return answer
	}
	first, _ := slices.BinarySearchFunc(o.ids, i, func(own owned, node int32) int { return int(own.node - node) })
	ids := idsOf(o.ids[first:], i)
	for _, id := range c.ids {
		switch known := slices.ContainsFunc(ids, func(own owned) bool { return o.names[own.token] == id }); {
		case !known && n.ids < manyIDs:
			return No
		case !known || n.several: // another element of the node may be the one
			answer = Perhaps
		}
	}
	return answer
}

// parse reads a selector without commas; ok is false for what is not understood.
func parse(s string) (parts []compound, ok bool) {
	s = strings.Trim(s, " \t\n\r\f")
	by := byte(0)
	for len(s) > 0 {
		if len(parts) == mostCompounds {
			return nil, false
		}
		c := compound{by: by}
		rest, ok := c.read(s)
		if !ok || len(rest) == len(s) {
			return nil, false
		}
		parts = append(parts, c)
		if by, s = combinator(rest); by == 0 && s != "" || by != 0 && s == "" {
			return nil, false
		}
	}
	return parts, len(parts) > 0
}

// combinator reads what joins two compounds.
func combinator(s string) (by byte, rest string) {
	rest = strings.TrimLeft(s, " \t\n\r\f")
	if rest == "" {
		return 0, ""
	}
	switch c := rest[0]; c {
	case '>', '+', '~':
		return c, strings.TrimLeft(rest[1:], " \t\n\r\f")
	}
	if len(rest) == len(s) {
		return 0, s // nothing that joins
	}
	return ' ', rest
}

// read takes a compound from the front of s.
func (c *compound) read(s string) (rest string, ok bool) {
	if name, rest, ok := identifier(s); ok {
		c.tokens, s = append(c.tokens, token(ofName, strings.ToLower(name))), rest
	} else {
		s = strings.TrimPrefix(s, "*")
	}
	for len(s) > 0 {
		switch s[0] {
		case '.', '#':
			name, rest, ok := identifier(s[1:])
			if !ok {
				return "", false
			}
			if t := token(sort(s[:1]), name); s[0] == '#' {
				c.ids = append(c.ids, t)
			} else {
				c.tokens = append(c.tokens, t)
			}
			s = rest
		case '[':
			end := pastGroup(s, 0)
			if end >= len(s) {
				return "", false
			}
			c.unsure, s = true, s[end+1:]
		case ':':
			if s, ok = c.pseudo(s); !ok {
				return "", false
			}
		default:
			return s, s[0] != '|' && s[0] != '&' && s[0] != '%'
		}
	}
	return s, true
}

// parts of an element that are there whenever it is; the old ones may stand behind one colon.
var always = map[string]bool{"before": true, "after": true, "first-line": true, "first-letter": true, "marker": true}

func (c *compound) pseudo(s string) (rest string, ok bool) {
	name, rest, ok := identifier(strings.TrimPrefix(s[1:], ":"))
	if !ok {
		return "", false
	}
	if strings.HasPrefix(rest, "(") {
		end := pastGroup(rest, 0)
		if end >= len(rest) {
			return "", false
		}
		c.unsure = true
		return rest[end+1:], true
	}
	switch name = strings.ToLower(name); {
	case always[name]:
	case name == "root":
		c.tokens = append(c.tokens, token(ofName, "html"))
	default:
		c.unsure = true
	}
	return rest, true
}

// identifier reads a name, escapes undone (CSS Syntax Level 3, 4.3.11).
func identifier(s string) (name, rest string, ok bool) {
	var b strings.Builder
	i := 0
	for i < len(s) {
		switch c := s[i]; {
		case c == '\\' && i+1 < len(s):
			r, n := escaped(s[i+1:])
			b.WriteRune(r)
			i += 1 + n
		case IsNameByte(c) && !(b.Len() == 0 && c >= '0' && c <= '9'):
			b.WriteByte(c)
			i++
		default:
			return b.String(), s[i:], i > 0
		}
	}
	return b.String(), "", i > 0
}

// escaped reads what stands behind a backslash: up to six hexadecimal digits and a space, or one character.
func escaped(s string) (r rune, n int) {
	for n < len(s) && n < 6 && strings.IndexByte("0123456789abcdefABCDEF", s[n]) >= 0 {
		digit := strings.IndexByte("0123456789abcdef", s[n]|0x20)
		if s[n] <= '9' {
			digit = int(s[n] - '0')
		}
		r = r<<4 | rune(digit)
		n++
	}
	if n == 0 {
		return utf8.DecodeRuneInString(s)
	}
	if n < len(s) && isSpace(rune(s[n])) {
		n++
	}
	return r, n
}
