package page

import (
	"strings"

	"harvik/internal/core/weburl"
)

// Stylesheet reads what a stylesheet loads: imports, fonts and images, each with its line.
func Stylesheet(address *weburl.URL, css []byte) []Use {
	return resolveUses(cssAddresses(string(css), inRules), address, func(s string) string { return s })
}

// Where a scanner of CSS is.
type cssPlace uint8

const (
	inRules   cssPlace = iota // between rules
	inRule                    // among declarations
	inFont                    // likewise, of a font
	inDropped                 // in a block that browsers pass over
)

// cssScanner finds url(…) and @import "…" by the tokens of CSS Syntax Level 3: comments and strings are
// skipped, escapes undone. What a browser drops counts for nothing: declarations with a ! that is not
// !important, with names that no property has, strings that do not end, at-rules that are none, and
// imports behind rules.
type cssScanner struct {
	css      string
	out      []Use
	pending  []Use // of the declaration or statement at hand
	from     int   // where that begins
	open     []cssPlace
	imported bool // imports are over
	line     int
	counted  int // lines are counted up to here
	broken   bool
}

func cssAddresses(css string, at cssPlace) []Use {
	s := cssScanner{css: css, open: []cssPlace{at}, line: 1}
	for i := 0; i < len(css); {
		i = s.step(i)
	}
	s.end(len(css))
	return s.out
}

func (s *cssScanner) place() cssPlace { return s.open[len(s.open)-1] }

func (s *cssScanner) step(i int) int {
	css := s.css
	switch c := css[i]; {
	case c == '/' && strings.HasPrefix(css[i:], "/*"):
		end := strings.Index(css[i+2:], "*/")
		if end < 0 {
			return len(css)
		}
		return i + end + 4
	case c == '"' || c == '\'':
		text, next, ok := cssString(css, i)
		s.broken = s.broken || !ok
		if s.isImport(i) {
			s.add(i, AsStyle, text)
		}
		return next
	case c == '{':
		s.enter(i)
	case c == '}':
		s.end(i)
		if len(s.open) > 1 {
			s.open = s.open[:len(s.open)-1]
		}
		s.begin(i + 1)
	case c == ';':
		s.end(i)
		s.begin(i + 1)
	case (c == 'u' || c == 'U') && len(css) >= i+4 && strings.EqualFold(css[i:i+4], "url(") && (i == 0 || !isNameByte(css[i-1])):
		address, next := cssURL(css, i+4)
		role := AsImage
		switch {
		case s.isImport(i):
			role = AsStyle
		case s.place() == inFont:
			role = AsFont
		}
		s.add(i, role, address)
		return next
	}
	return i + 1
}

func (s *cssScanner) begin(i int) { s.from, s.pending, s.broken = i, s.pending[:0], false }

func (s *cssScanner) add(i int, role Role, address string) {
	if address == "" || strings.HasPrefix(address, "data:") || strings.HasPrefix(address, "#") || len(s.out)+len(s.pending) >= maxUses {
		return
	}
	s.line += strings.Count(s.css[s.counted:i], "\n")
	s.counted = i
	s.pending = append(s.pending, Use{Role: role, Address: address, By: "css", Line: s.line})
}

// nests are at-rules with rules in them, holds those with declarations.
var (
	nests = map[string]bool{"media": true, "supports": true, "layer": true, "container": true, "scope": true, "starting-style": true, "document": true, "keyframes": true}
	holds = map[string]bool{"page": true, "counter-style": true, "property": true, "font-palette-values": true, "view-transition": true, "position-try": true}
)

// enter opens a block; what stood in front of it was no declaration.
func (s *cssScanner) enter(i int) {
	next := inRule
	if name, ok := atRule(s.prelude(i)); ok {
		switch {
		case name == "font-face":
			next = inFont
		case nests[name]:
			next = inRules
		case !holds[name]:
			next = inDropped
		}
		if nests[name] && s.place() == inRule {
			next = inRule // conditions within a rule
		}
	}
	if s.place() == inDropped {
		next = inDropped
	}
	if s.place() == inRules {
		s.imported = true
	}
	s.open = append(s.open, next)
	s.begin(i + 1)
}

// prelude is what stands before i in the statement at hand, without comments.
func (s *cssScanner) prelude(i int) string {
	text := s.css[s.from:i]
	if !strings.Contains(text, "/*") {
		return strings.TrimSpace(text)
	}
	var b strings.Builder
	for {
		before, rest, found := strings.Cut(text, "/*")
		b.WriteString(before)
		if !found {
			break
		}
		b.WriteByte(' ')
		if _, text, found = strings.Cut(rest, "*/"); !found {
			break
		}
	}
	return strings.TrimSpace(b.String())
}

// atRule is the name of one, in small letters and without a vendor's prefix.
func atRule(prelude string) (name string, ok bool) {
	if !strings.HasPrefix(prelude, "@") {
		return "", false
	}
	end := 1
	for end < len(prelude) && isNameByte(prelude[end]) {
		end++
	}
	return withoutVendor(strings.ToLower(prelude[1:end])), true
}

func withoutVendor(name string) string {
	if strings.HasPrefix(name, "-") && !strings.HasPrefix(name, "--") {
		if _, rest, ok := strings.Cut(name[1:], "-"); ok {
			return rest
		}
	}
	return name
}

func (s *cssScanner) isImport(i int) bool {
	if s.place() != inRules {
		return false
	}
	name, ok := atRule(s.prelude(i))
	return ok && name == "import"
}

// end takes in what the statement or declaration at hand names, if a browser would.
func (s *cssScanner) end(i int) {
	if len(s.pending) == 0 && s.place() != inRules {
		return
	}
	switch s.place() {
	case inRules:
		name, ok := atRule(s.prelude(i))
		if ok && name == "import" && !s.imported {
			s.out = append(s.out, s.pending...)
		}
		if ok && name != "import" && name != "charset" && name != "layer" {
			s.imported = true
		}
	case inRule, inFont:
		if !s.broken && isDeclaration(s.prelude(i)) {
			s.out = append(s.out, s.pending...)
		}
	}
	s.pending = s.pending[:0]
}

// isDeclaration tells whether a browser takes a declaration, as far as its form tells.
func isDeclaration(text string) bool {
	name, value, ok := strings.Cut(text, ":")
	name = strings.ToLower(strings.TrimSpace(name))
	if !ok || name == "" || name[0] == '_' || name == "behavior" || name == "-ms-behavior" {
		return false
	}
	for i := range len(name) {
		if !isNameByte(name[i]) {
			return false
		}
	}
	// What stands behind the last !, outside of url(…), has to be "important".
	if i := strings.LastIndexByte(value, '!'); i > strings.LastIndexByte(value, ')') {
		return strings.EqualFold(strings.TrimSpace(value[i+1:]), "important")
	}
	return true
}

func isNameByte(c byte) bool {
	return c == '-' || c == '_' || c >= 0x80 || c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z'
}

// cssString reads a quoted string from its opening quote; ok is false where the line ends first.
func cssString(css string, i int) (text string, next int, ok bool) {
	quote := css[i]
	var b strings.Builder
	for i++; i < len(css); i++ {
		switch c := css[i]; c {
		case quote:
			return b.String(), i + 1, true
		case '\n':
			return "", i, false
		case '\\':
			if i++; i < len(css) && css[i] != '\n' {
				b.WriteByte(css[i])
			}
		default:
			b.WriteByte(c)
		}
	}
	return b.String(), len(css), true
}

// cssURL reads what stands in url( … ).
func cssURL(css string, i int) (address string, next int) {
	for i < len(css) && css[i] <= ' ' {
		i++
	}
	if i < len(css) && (css[i] == '"' || css[i] == '\'') {
		address, i, _ = cssString(css, i)
	} else {
		end := strings.IndexAny(css[i:], ")\n")
		if end < 0 {
			return "", len(css)
		}
		address = strings.ReplaceAll(strings.TrimSpace(css[i:i+end]), `\`, "")
		i += end
	}
	if end := strings.IndexByte(css[i:], ')'); end >= 0 {
		return address, i + end + 1
	}
	return address, len(css)
}
