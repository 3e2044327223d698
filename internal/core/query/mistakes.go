package query

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"cel.dev/cel-go/cel"

	"harvik/internal/core/plan"
)

// A Mistake is what is wrong with a question, and where: line and column count from 1.
type Mistake struct {
	Line, Column int
	Says         string
}

// Mistakes are those of one question, in order. There is at least one.
type Mistakes []Mistake

func (m Mistakes) Error() string {
	var says []string
	for _, one := range m {
		at := fmt.Sprintf("column %d", one.Column)
		if one.Line > 1 {
			at = fmt.Sprintf("line %d, %s", one.Line, at)
		}
		says = append(says, at+": "+one.Says)
	}
	return strings.Join(says, "; ")
}

// mostMistakes bounds how many are told: one slip often makes several.
const mostMistakes = 3

// mistakes are CEL's issues in Harvik's words.
func (t *Table) mistakes(text string, issues *cel.Issues) Mistakes {
	var out Mistakes
	for _, e := range issues.Errors() {
		one := Mistake{Line: max(1, e.Location.Line()), Column: e.Location.Column() + 1}
		one.Says = t.says(text, e.Message, &one)
		if !slices.ContainsFunc(out, func(o Mistake) bool { return o.Line == one.Line && o.Column == one.Column }) {
			out = append(out, one)
		}
		if strings.HasPrefix(e.Message, "Syntax error") {
			break // what follows comes of it
		}
	}
	return out[:min(len(out), mostMistakes)]
}

var (
	undeclared = regexp.MustCompile(`^undeclared reference to '([^']*)'`)
	noOverload = regexp.MustCompile(`^found no matching overload for '([^']+)' applied to '(.*)'$`)
	notAList   = regexp.MustCompile(`^expression of type '([^']+)' cannot be range of a comprehension`)
	noField    = regexp.MustCompile(`^undefined field '([^']+)'`)
	noParts    = regexp.MustCompile(`^type '([^']+)' does not support field selection`)
	mixedList  = regexp.MustCompile(`^expected type '(\w+)' but found '(\w+)'$`)
)

func (t *Table) says(text, message string, at *Mistake) string {
	if strings.HasPrefix(message, "Syntax error") {
		return syntax(text, message, at)
	}
	if m := undeclared.FindStringSubmatch(message); m != nil {
		return t.unknown(text, m[1], at)
	}
	if m := noOverload.FindStringSubmatch(message); m != nil {
		at.toStart(text, m[1])
		return misfit(m[1], m[2])
	}
	if m := notAList.FindStringSubmatch(message); m != nil {
		return fmt.Sprintf("%s is no list that could be gone through", kindWord(m[1]))
	}
	if m := noField.FindStringSubmatch(message); m != nil {
		at.Column++ // CEL points to the point before it
		return noFieldOf(m[1])
	}
	if m := noParts.FindStringSubmatch(message); m != nil {
		return fmt.Sprintf("%s has no parts that a point could lead to", kindWord(m[1]))
	}
	if m := mixedList.FindStringSubmatch(message); m != nil {
		return fmt.Sprintf("%s does not fit where %s is wanted", kindWord(m[2]), kindWord(m[1]))
	}
	switch {
	case strings.Contains(message, "recursion limit"), strings.Contains(message, "nesting"):
		at.Line, at.Column = 1, 1
		return "the question is nested too deeply"
	case strings.Contains(message, "regex program"), strings.Contains(message, "program size"):
		return "the regular expression is too large; counted repetitions such as {500} make it so"
	}
	return message
}

// noFieldOf says of a name that links, or the pages that they stand on, do not have it.
func noFieldOf(name string) string {
	ofLink := []string{"source"}
	for field := range linkFacts {
		ofLink = append(ofLink, field)
	}
	slices.Sort(ofLink)
	switch near := plan.Nearest(name, append(slices.Clone(ofLink), askableOfSource()...)); {
	case slices.Contains(askableOfSource(), name):
		return fmt.Sprintf("links have no %s; the pages that they stand on do: source.%s", name, name)
	case near != "":
		return fmt.Sprintf("there is no %s of links, nor of the pages that they stand on; did you mean %q?", name, near)
	}
	return fmt.Sprintf("there is no %s of links; there are %s; and of source the facts of pages", name,
		strings.Join(ofLink, ", "))
}

// toStart moves from the bracket of a call, where CEL points, to where its name begins.
func (m *Mistake) toStart(text, name string) {
	before := []rune(lineOf(text, m.Line))
	before = before[:min(len(before), m.Column-1)]
	if strings.HasSuffix(string(before), name) {
		m.Column -= utf8.RuneCountInString(name)
	}
}

// calls are what a question can use, each as it is written.
var calls = []string{
	"size", "contains", "startsWith", "endsWith", "matches", "lower", "known", "exists", "all", "exists_one", "map",
	"filter", "int", "double", "string", "in",
}

// slips are words that people write for what CEL has another for.
var slips = map[string]string{
	"and": "&&", "AND": "&&", "or": "||", "OR": "||", "not": "!", "NOT": "!", "is": "==", "IS": "==", "like": "contains",
	"LIKE": "contains", "null": "!known(FACT)", "NULL": "!known(FACT)", "none": "!known(FACT)", "True": "true",
	"TRUE": "true", "yes": "true", "False": "false", "FALSE": "false", "no": "false", "len": "size", "length": "size",
	"count": "size", "has": "known", "includes": "contains", "toLowerCase": "lower", "lowercase": "lower",
	"regex": "matches", "match": "matches", "indexOf": "contains", "begins": "startsWith", "ends": "endsWith",
}

// unknown says of a name that nothing has it.
func (t *Table) unknown(text, name string, at *Mistake) string {
	if regexp.MustCompile(`\b` + regexp.QuoteMeta(name) + `\s*\(`).MatchString(text) {
		at.toStart(text, name)
		if slices.Contains(calls, name) {
			return fmt.Sprintf("%s() takes something else%s", name, usage[name])
		}
		if write, ok := slips[name]; ok {
			return fmt.Sprintf("there is no %s(); write %s", name, writeCall(write))
		}
		if f := t.Fact(name); f >= 0 {
			return fmt.Sprintf("%s is a fact, and takes nothing in brackets", t.Facts[f].Name)
		}
		return fmt.Sprintf("there is no %s()%s; there are %s", name, plan.Meant(name, calls), strings.Join(calls, ", "))
	}
	if write, ok := slips[name]; ok {
		return fmt.Sprintf("%q is written %s here", name, write)
	}
	if dot := strings.LastIndexByte(name, '.'); dot >= 0 { // CEL points at it
		at.Column = max(1, at.Column-dot)
	}
	return t.noSuchFact(name)
}

// oneWord is a name and nothing else.
var oneWord = regexp.MustCompile(`^\w+$`)

func writeCall(name string) string {
	if oneWord.MatchString(name) {
		return name + "()"
	}
	return name
}

func (t *Table) noSuchFact(name string) string {
	if at := t.Fact(name); at >= 0 {
		return fmt.Sprintf("the fact is written %s", t.Facts[at].Name)
	}
	if t.place(name+".address") >= 0 || t.place(Source+name) >= 0 {
		for _, end := range []string{Source, Target} {
			if t.place(end+name) >= 0 {
				return fmt.Sprintf("%s have no fact %s; write %s%s or %s%s", t.Name, name, Source, name, Target, name)
			}
		}
		return fmt.Sprintf("%s says which facts of the %s you mean: %s.address, %s.title …", name, name, name, name)
	}
	var names []string
	for i := range t.Facts {
		names = append(names, t.Facts[i].Name)
	}
	for _, other := range Tables {
		if other != t && other.place(name) >= 0 {
			return fmt.Sprintf("%s have no fact %s; %s have it", t.Name, name, other.Name)
		}
	}
	if meant := plan.Meant(name, names); meant != "" {
		return fmt.Sprintf("%s have no fact %s%s", t.Name, name, meant)
	}
	if regexp.MustCompile(`^[A-Za-z]\w*$`).MatchString(name) {
		return fmt.Sprintf("%[1]s have no fact %[2]s; if it is meant as words, write it in quotation marks: \"%[2]s\"", t.Name, name)
	}
	return fmt.Sprintf("%s have no fact %s", t.Name, name)
}

// syntax says of what CEL cannot read what is likely meant.
func syntax(text, message string, at *Mistake) string {
	line := []rune(lineOf(text, at.Line))
	here := min(len(line), at.Column-1)
	before, rest := strings.TrimRight(string(line[:here]), " \t"), string(line[here:])
	first := string(line[here:min(here+1, len(line))])
	word := regexp.MustCompile(`^\w+`).FindString(rest)
	last := regexp.MustCompile(`\w*$`).FindString(before)
	switch {
	case quotesOpen(text):
		return "a quotation mark is opened and not closed"
	case strings.HasPrefix(rest, "=") && !strings.HasPrefix(rest, "=="), strings.HasSuffix(before, "=") &&
		!regexp.MustCompile(`[=!<>]=$`).MatchString(before):
		return "to compare, write =="
	case strings.HasPrefix(rest, "<>"), strings.HasSuffix(before, "<") && strings.HasPrefix(rest, ">"):
		return "for unequal, write !="
	case strings.HasPrefix(rest, "&"), strings.HasSuffix(before, "&") && !strings.HasSuffix(before, "&&"):
		return "for and, write &&"
	case strings.HasPrefix(rest, "|"), strings.HasSuffix(before, "|") && !strings.HasSuffix(before, "||"):
		return "for or, write ||"
	case slips[word] != "":
		return fmt.Sprintf("%q is written %s here", word, slips[word])
	case slips[last] != "" && word != "":
		at.Column = 1 + utf8.RuneCountInString(strings.TrimSuffix(before, last))
		return fmt.Sprintf("%q is written %s here", last, slips[last])
	case strings.HasPrefix(rest, ",") && regexp.MustCompile(`\bin\s*\([^()]*$`).MatchString(before):
		return "a list stands in square brackets: status in [404, 410]"
	case digits.MatchString(last) && (strings.HasPrefix(rest, ",") || word != ""):
		return "a number is written without marks or letters, such as 10000"
	case strings.ContainsAny(first, "“”„‘’«»"):
		return "quotation marks are straight here: \" or '"
	case strings.HasPrefix(message, "Syntax error: token recognition error"):
		return fmt.Sprintf("%q says nothing here", first)
	case strings.Count(text, "(") > strings.Count(text, ")"):
		return "a bracket is opened and not closed"
	case strings.Count(text, "(") < strings.Count(text, ")"):
		return "a bracket is closed that was not opened"
	case strings.TrimSpace(rest) == "":
		return "the question ends too early"
	}
	return fmt.Sprintf("%q cannot stand here", cmp.Or(word, first))
}

// digits is a number as people write it.
var digits = regexp.MustCompile(`^[0-9]+$`)

func lineOf(text string, n int) string {
	lines := strings.Split(text, "\n")
	return lines[min(n, len(lines))-1]
}

// quotesOpen tells whether a text ends within quotation marks.
func quotesOpen(text string) bool {
	open := rune(0)
	escaped := false
	for _, c := range text {
		switch {
		case escaped:
			escaped = false
		case open != 0 && c == '\\':
			escaped = true
		case open == 0 && (c == '"' || c == '\''):
			open = c
		case c == open:
			open = 0
		}
	}
	return open != 0
}

// signs are operators as they are written.
var signs = map[string]string{
	"_==_": "==", "_!=_": "!=", "_<_": "<", "_<=_": "<=", "_>_": ">", "_>=_": ">=", "_+_": "+", "_-_": "-", "_*_": "*",
	"_/_": "/", "_%_": "%", "_&&_": "&&", "_||_": "||", "!_": "!", "-_": "-", "@in": "in", "_[_]": "[ ]", "_?_:_": "? :",
}

// misfit says of an operator or a call that what stands on its sides does not go together.
func misfit(name, applied string) string {
	sign, isSign := signs[name]
	receiver, args, member := strings.Cut(applied, ".(")
	args = strings.TrimPrefix(strings.TrimSuffix(args, ")"), "(")
	if !member {
		args = strings.TrimSuffix(strings.TrimPrefix(applied, "("), ")")
	}
	kinds := splitKinds(args)
	if slices.Contains(kinds, "int") && slices.Contains(kinds, "double") {
		return fmt.Sprintf("%s cannot take a whole number and one with decimals; write 1.0 for 1, or 1 for 1.0", sign)
	}
	for i := range kinds {
		kinds[i] = kindWord(kinds[i])
	}
	pair := strings.Join(kinds, " and ")
	switch {
	case isSign && slices.Contains(kinds, "null"):
		return "nothing is compared with null; write known(FACT) where a fact has a value, and !known(FACT) where it has none"
	case pair == "yes or no and a number" && (strings.HasPrefix(name, "_<") || strings.HasPrefix(name, "_>")):
		return fmt.Sprintf("one comparison cannot go on in another; write a %[1]s b && b %[1]s c", sign)
	case name == "_&&_" || name == "_||_" || name == "!_":
		return fmt.Sprintf("%s joins what is true or false, not %s", sign, pair)
	case name == "@in" && len(kinds) == 2:
		return fmt.Sprintf("in looks for %s in a list of such, as in [1, 2], not in %s", kinds[0], kinds[1])
	case isSign && pair == "yes or no and words":
		return fmt.Sprintf("%s cannot take %s; write true or false, without quotation marks", sign, pair)
	case isSign && (pair == "a number and words" || pair == "words and a number"):
		return fmt.Sprintf("%s cannot take %s; numbers stand without quotation marks, words with them", sign, pair)
	case isSign:
		return fmt.Sprintf("%s cannot take %s", sign, pair)
	case member:
		return fmt.Sprintf("%s() is not for %s with (%s)%s", name, kindWord(strings.TrimPrefix(receiver, "(")),
			strings.Join(kinds, ", "), usage[name])
	}
	return fmt.Sprintf("%s() does not take (%s)%s", name, strings.Join(kinds, ", "), usage[name])
}

// usage shows what is written.
var usage = map[string]string{
	"contains": "; write title.contains(\"sale\")", "startsWith": "; write path.startsWith(\"/plants/\")",
	"endsWith": "; write path.endsWith(\".html\")", "matches": "; write title.matches(\"(?i)sale\")",
	"lower": "; write title.lower()", "size": "; write size(title)", "known": "; write known(clicks)",
	"exists": "; write terms.exists(t, t == \"moss\")", "all": "; write terms.all(t, size(t) > 3)",
	"exists_one": "; write terms.exists_one(t, t == \"moss\")", "map": "; write terms.map(t, t.lower())",
	"filter": "; write terms.filter(t, size(t) > 3)", "int": "; write int(figures.visits)",
	"double": "; write double(words)", "string": "; write string(status)",
}

// splitKinds parts "string, list(int)" at the commas that are not within brackets.
func splitKinds(s string) (out []string) {
	depth, from := 0, 0
	for i, c := range s {
		switch c {
		case '(':
			depth++
		case ')':
			depth--
		case ',':
			if depth == 0 {
				out = append(out, strings.TrimSpace(s[from:i]))
				from = i + 1
			}
		}
	}
	return append(out, strings.TrimSpace(s[from:]))
}

// kindWord is a type of CEL in Harvik's words.
func kindWord(kind string) string {
	switch {
	case kind == "string":
		return "words"
	case kind == "int", kind == "double", kind == "uint":
		return "a number"
	case kind == "bool":
		return "yes or no"
	case kind == "null":
		return "null"
	case strings.HasPrefix(kind, "list"):
		return "a list"
	case strings.HasPrefix(kind, "map"):
		return "figures"
	case kind == "":
		return "nothing"
	}
	return kind
}

// comparedInstead says what to do with a question that gives something else than true or false.
func comparedInstead(text string, kind *cel.Type) string {
	text = strings.TrimSpace(text)
	if !oneWord.MatchString(text) {
		return ""
	}
	switch kindWord(kind.String()) {
	case "words":
		return fmt.Sprintf("; write known(%s), or compare it: %s == \"…\"", text, text)
	case "a number":
		return fmt.Sprintf("; compare it: %s > 10", text)
	}
	return ""
}
