// Package css reads stylesheets as far as a crawl needs: what they load, and which elements of a page a rule is
// for. It goes by the tokens of CSS Syntax Level 3 and by Selectors Level 4.
package css

import "strings"

// A Kind is what a stylesheet loads.
type Kind uint8

const (
	Import Kind = iota
	Font
	Image
)

// A Reference is one address that a stylesheet loads.
type Reference struct {
	Kind    Kind
	Address string // as written
	Line    int    // from 1
	// Rules is the list of selectors that the rule is for, which browsers then load the address for; Under is the
	// same where something besides has to hold: a condition, a state of the pointer, a property that shows nothing
	// at first. Anything stands for a rule that cannot be told. An import without conditions has neither.
	Rules, Under string
}

// Anything is the selector of a rule that may be for any element.
const Anything = "*"

// Sheet is what a stylesheet loads, in order.
func Sheet(css string) []Reference { return scan(css, inRules) }

// Declarations is what a style attribute loads.
func Declarations(css string) []Reference { return scan(css, inRule) }

// Where a scanner of CSS is.
type place uint8

const (
	inRules   place = iota // between rules
	inRule                 // among declarations
	inFont                 // likewise, of a font
	inDropped              // in a block that browsers pass over
)

// A block is one that is open.
type block struct {
	place    place
	rules    string // the selectors of the rule, "" outside of one
	possible bool   // it holds under a condition
}

// scanner finds url(…) and @import "…" by the tokens of CSS Syntax Level 3: comments and strings are
// skipped, escapes undone. What a browser drops counts for nothing: declarations with a ! that is not
// !important, with names that no property has, strings that do not end, at-rules that are none, and
// imports behind rules.
type scanner struct {
	css      string
	out      []Reference
	pending  []Reference // of the declaration or statement at hand
	from     int         // where that begins
	open     []block
	imported bool // imports are over
	behind   int  // the address of the import at hand
	line     int
	counted  int // lines are counted up to here
	broken   bool
}

// mostReferences bounds what one stylesheet loads; a hostile one can name any number.
const mostReferences = 5000

func scan(css string, at place) []Reference {
	s := scanner{css: css, open: []block{{place: at}}, line: 1}
	for i := 0; i < len(css); {
		i = s.step(i)
	}
	s.end(len(css))
	return s.out
}

func (s *scanner) place() place { return s.block().place }

func (s *scanner) block() *block { return &s.open[len(s.open)-1] }

func (s *scanner) step(i int) int {
	css := s.css
	switch c := css[i]; {
	case c == '/' && strings.HasPrefix(css[i:], "/*"):
		end := strings.Index(css[i+2:], "*/")
		if end < 0 {
			return len(css)
		}
		return i + end + 4
	case c == '"' || c == '\'':
		text, next, ok := readString(css, i)
		s.broken = s.broken || !ok
		if s.isImport(i) {
			s.add(i, next, Import, text)
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
	case (c == 'u' || c == 'U') && len(css) >= i+4 && strings.EqualFold(css[i:i+4], "url(") &&
		(i == 0 || !IsNameByte(css[i-1])):
		address, next := readURL(css, i+4)
		kind := Image
		switch {
		case s.isImport(i):
			kind = Import
		case s.place() == inFont:
			kind = Font
		}
		s.add(i, next, kind, address)
		return next
	}
	return i + 1
}

func (s *scanner) begin(i int) { s.from, s.pending, s.broken = i, s.pending[:0], false }

func (s *scanner) add(i, next int, kind Kind, address string) {
	if address == "" || strings.HasPrefix(address, "data:") || strings.HasPrefix(address, "#") ||
		len(s.out)+len(s.pending) >= mostReferences {
		return
	}
	s.line += strings.Count(s.css[s.counted:i], "\n")
	s.counted = i
	s.pending = append(s.pending, Reference{Kind: kind, Address: address, Line: s.line})
	if kind == Import {
		s.behind = next
	}
}

// nests are at-rules with rules in them, holds those with declarations.
var (
	nests = map[string]bool{"media": true, "supports": true, "layer": true, "container": true, "scope": true,
		"starting-style": true, "document": true, "keyframes": true}
	holds = map[string]bool{"page": true, "counter-style": true, "property": true, "font-palette-values": true,
		"view-transition": true, "position-try": true}
)

// enter opens a block; what stood in front of it was no declaration.
func (s *scanner) enter(i int) {
	around, prelude := s.block(), s.prelude(i)
	next := block{place: inRule, rules: around.rules, possible: around.possible}
	name, at := atRule(prelude)
	switch {
	case at && name == "font-face":
		next.place = inFont
	case at && nests[name]:
		next.place = inRules
		next.possible = next.possible || !alwaysHolds(name, prelude)
		if around.place == inRule {
			next.place = inRule // conditions within a rule
		}
		if name == "keyframes" {
			next.rules = Anything // whatever uses it
		}
	case at && !holds[name]:
		next.place = inDropped
	case around.rules != "":
		next.possible = true // a rule within a rule is for no page that the outer one is not for
	case at || len(prelude) > longestSelectors:
		next.rules, next.possible = Anything, true
	default:
		next.rules = prelude
	}
	if around.place == inDropped {
		next.place = inDropped
	}
	if around.place == inRules {
		s.imported = true
	}
	s.open = append(s.open, next)
	s.begin(i + 1)
}

// longestSelectors bounds what is kept of a rule.
const longestSelectors = 1000

// alwaysHolds tells at-rules that make no condition.
func alwaysHolds(name, prelude string) bool {
	return name == "layer" || name == "media" && ForScreens(prelude[len("@media"):])
}

// ForScreens tells whether a list of media queries, such as a media attribute, holds for every screen.
func ForScreens(media string) bool {
	switch strings.ToLower(strings.TrimSpace(media)) {
	case "", "all", "screen", "screen, print", "all, print", "print, screen", "only screen", "screen,print":
		return true
	}
	return false
}

// prelude is what stands before i in the statement at hand, without comments.
func (s *scanner) prelude(i int) string {
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
	for end < len(prelude) && IsNameByte(prelude[end]) {
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

func (s *scanner) isImport(i int) bool {
	if s.place() != inRules {
		return false
	}
	name, ok := atRule(s.prelude(i))
	return ok && name == "import"
}

// end takes in what the statement or declaration at hand names, if a browser would.
func (s *scanner) end(i int) {
	if len(s.pending) == 0 && s.place() != inRules {
		return
	}
	switch s.place() {
	case inRules:
		name, ok := atRule(s.prelude(i))
		if ok && name == "import" && !s.imported {
			if !bringsAlways(s.css[min(s.behind, i):i]) {
				s.underAll(Anything)
			}
			s.out = append(s.out, s.pending...)
		}
		if ok && name != "import" && name != "charset" && name != "layer" {
			s.imported = true
		}
	case inFont:
		if text := s.prelude(i); !s.broken && isDeclaration(text) {
			s.out = append(s.out, s.pending...)
		}
	case inRule:
		text := s.prelude(i)
		if s.broken || !isDeclaration(text) {
			break
		}
		if b := s.block(); b.possible || !shows(text) {
			s.underAll(b.rules)
		} else {
			for k := range s.pending {
				s.pending[k].Rules = b.rules
			}
		}
		s.out = append(s.out, s.pending...)
	}
	s.pending = s.pending[:0]
}

func (s *scanner) underAll(rules string) {
	for k := range s.pending {
		s.pending[k].Under = rules
	}
}

// bringsAlways tells whether what follows the address of an import makes no condition.
func bringsAlways(rest string) bool {
	rest = strings.ToLower(strings.TrimSpace(rest))
	if layer, ok := strings.CutPrefix(rest, "layer"); ok {
		if rest = layer; strings.HasPrefix(rest, "(") {
			_, rest, _ = strings.Cut(rest, ")")
		}
	}
	return ForScreens(rest)
}

// shows tells properties whose images are loaded as soon as an element has them.
func shows(declaration string) bool {
	name, _, _ := strings.Cut(declaration, ":")
	name = withoutVendor(strings.ToLower(strings.TrimSpace(name)))
	for _, p := range [...]string{"background", "list-style", "border-image", "mask", "content"} {
		if strings.HasPrefix(name, p) {
			return true
		}
	}
	return false
}

// isDeclaration tells whether a browser takes a declaration, as far as its form tells.
func isDeclaration(text string) bool {
	name, value, ok := strings.Cut(text, ":")
	name = strings.ToLower(strings.TrimSpace(name))
	if !ok || name == "" || name[0] == '_' || name == "behavior" || name == "-ms-behavior" {
		return false
	}
	for i := range len(name) {
		if !IsNameByte(name[i]) {
			return false
		}
	}
	// What stands behind the last !, outside of url(…), has to be "important".
	if i := strings.LastIndexByte(value, '!'); i > strings.LastIndexByte(value, ')') {
		return strings.EqualFold(strings.TrimSpace(value[i+1:]), "important")
	}
	return true
}

// IsNameByte tells what names are made of, in stylesheets as in scripts.
func IsNameByte(c byte) bool {
	return c == '-' || c == '_' || c >= 0x80 || c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z'
}

// readString reads a quoted string from its opening quote; ok is false where the line ends first.
func readString(css string, i int) (text string, next int, ok bool) {
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

// readURL reads what stands in url( … ).
func readURL(css string, i int) (address string, next int) {
	for i < len(css) && css[i] <= ' ' {
		i++
	}
	if i < len(css) && (css[i] == '"' || css[i] == '\'') {
		address, i, _ = readString(css, i)
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
