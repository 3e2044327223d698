package structured

import (
	_ "embed"
	"regexp"
	"slices"
	"strings"
	"sync"
)

//go:embed vocabulary.txt
var vocabularyText string

type typeEntry struct {
	parents    []string
	properties map[string]property1
	successor  string
}

type property1 struct {
	kinds     []string
	successor string
}

type vocabulary struct {
	types      map[string]*typeEntry
	properties map[string][]string // every property and the kinds of its values
	members    map[string][]string // of enumerations
	lower      map[string]string   // names in lower case
}

var load = sync.OnceValue(func() *vocabulary {
	v := &vocabulary{types: map[string]*typeEntry{}, properties: map[string][]string{}, members: map[string][]string{},
		lower: map[string]string{}}
	var at *typeEntry
	for line := range strings.Lines(vocabularyText) {
		line = strings.TrimRight(line, "\n")
		switch {
		case line == "" || line[0] == '#':
		case line[0] == '\t':
			head, successor, _ := strings.Cut(line[1:], " > ")
			name, kinds, _ := strings.Cut(head, " ")
			at.properties[name] = property1{strings.Split(kinds, "|"), successor}
			v.properties[name] = append(v.properties[name], strings.Split(kinds, "|")...)
		case line[0] == '=':
			words := strings.Fields(line[2:])
			v.members[words[0]] = words[1:]
		case line[0] == '!':
			old, successor, _ := strings.Cut(line[2:], " > ")
			if e := v.types[old]; e != nil {
				e.successor = successor
			}
		default:
			name, parents, _ := strings.Cut(line, " < ")
			at = &typeEntry{parents: strings.Fields(parents), properties: map[string]property1{}}
			v.types[name] = at
		}
	}
	for _, name := range []string{"Text", "URL", "Number", "Integer", "Float", "Boolean", "Date", "DateTime", "Time",
		"PronounceableText", "CssSelectorType", "XPathType", "DataType"} {
		if v.types[name] == nil {
			v.types[name] = &typeEntry{}
		}
	}
	for name := range v.types {
		v.lower[strings.ToLower(name)] = name
	}
	for name := range v.properties {
		v.lower["."+strings.ToLower(name)] = name
	}
	return v
})

func isA(t, kind string, depth int) bool {
	if t == kind {
		return true
	}
	e := load().types[t]
	return e != nil && depth < 20 &&
		slices.ContainsFunc(e.parents, func(p string) bool { return isA(p, kind, depth+1) })
}

// propertyOf looks a property up in a type and those that it is made from.
func propertyOf(t, name string, depth int) (property1, bool) {
	e := load().types[t]
	if e == nil || depth > 20 {
		return property1{}, false
	}
	if p, ok := e.properties[name]; ok {
		return p, true
	}
	for _, parent := range e.parents {
		if p, ok := propertyOf(parent, name, depth+1); ok {
			return p, true
		}
	}
	return property1{}, false
}

// A Problem is one thing about structured data that does not hold.
type Problem struct {
	Path string // "Product > offers > price"
	Note string
	At   *Item // the outermost item
}

// Unknown finds types and properties that schema.org does not have, or has superseded by none.
// Items of other vocabularies are left alone.
func Unknown(items []Item) (out []Problem) {
	v := load()
	eachTop(items, func(top *Item, path string, item, _ *Item, _ string) {
		if item.Other {
			return
		}
		typed := false
		for _, t := range item.Types {
			if strings.ContainsAny(t, ":/") {
				typed = true // of another vocabulary as well
				continue
			}
			if v.types[t] == nil {
				out = append(out, Problem{path, "schema.org has no type " + t + like(t, v.lower[strings.ToLower(t)]),
					top})
				typed = true // its properties cannot be judged
				continue
			}
		}
		if typed || len(item.Types) == 0 {
			return
		}
		seen := map[string]bool{}
		for _, p := range item.Props {
			if seen[p.Name] || strings.ContainsAny(p.Name, ":/@") || strings.HasSuffix(p.Name, "-input") ||
				strings.HasSuffix(p.Name, "-output") {
				continue
			}
			seen[p.Name] = true
			if slices.ContainsFunc(item.Types, func(t string) bool { _, ok := propertyOf(t, p.Name, 0); return ok }) {
				continue
			}
			note := "schema.org has no property " + p.Name
			if v.properties[p.Name] != nil {
				note = item.Name() + " has no property " + p.Name
			}
			out = append(out, Problem{path, note + like(p.Name, v.closest(item.Types, p.Name)), top})
		}
	})
	return out
}

func like(have, meant string) string {
	if meant == "" || meant == have {
		return ""
	}
	return "; " + meant + " was probably meant"
}

// closest is the property of the types whose name is most like one, "" if none is.
func (v *vocabulary) closest(types []string, name string) string {
	if same := v.lower["."+strings.ToLower(name)]; same != "" && same != name {
		return same
	}
	best, least := "", 3
	for other := range v.properties {
		if !slices.ContainsFunc(types, func(t string) bool { _, ok := propertyOf(t, other, 0); return ok }) {
			continue
		}
		if d := distance(name, other, least+1); d < least || d == least && best != "" && other < best {
			best, least = other, d
		}
	}
	return best
}

// distance counts the letters to change, add, drop or swap with the next to come from one name to
// the other (optimal string alignment), or is most if that is not less.
func distance(a, b string, most int) int {
	if len(a)-len(b) >= most || len(b)-len(a) >= most {
		return most
	}
	before, above, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range above {
		above[j] = j
	}
	for i := range len(a) {
		row[0] = i + 1
		for j := range len(b) {
			cost := above[j]
			if a[i] != b[j] {
				cost++
			}
			row[j+1] = min(cost, row[j]+1, above[j+1]+1)
			if i > 0 && j > 0 && a[i] == b[j-1] && a[i-1] == b[j] {
				row[j+1] = min(row[j+1], before[j-1]+1)
			}
		}
		before, above, row = above, row, before
	}
	return min(above[len(b)], most)
}

func eachTop(items []Item, f func(top *Item, path string, item, in *Item, as string)) {
	for i := range items {
		top := &items[i]
		Walk(items[i:i+1], func(path string, item, in *Item, as string) { f(top, path, item, in, as) })
	}
}

var (
	isDate     = regexp.MustCompile(`^-?\d{4}(-\d\d(-\d\d)?)?$`)
	isDateTime = regexp.MustCompile(`^-?\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d([.,]\d+)?)?( ?(Z|[+-]\d\d:?(\d\d)?))?$`)
	isTime     = regexp.MustCompile(`^\d\d:\d\d(:\d\d([.,]\d+)?)?(Z|[+-]\d\d:?\d\d)?$`)
	isNumber   = regexp.MustCompile(`^[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?$`)
	isInteger  = regexp.MustCompile(`^[+-]?\d+$`)
	isDuration = regexp.MustCompile(`^-?P(\d+([.,]\d+)?Y)?(\d+([.,]\d+)?M)?(\d+([.,]\d+)?W)?(\d+([.,]\d+)?D)?(T(\d+([.,]\d+)?H)?(\d+([.,]\d+)?M)?(\d+([.,]\d+)?S)?)?$`)
	isCurrency = regexp.MustCompile(`^[A-Z]{3}$`)
	dateParts  = regexp.MustCompile(`^-?\d{4}-(\d\d)(?:-(\d\d))?`)
)

// Values finds values of the wrong kind: where a property takes only dates, numbers, addresses,
// durations or members of an enumeration, and its text is none of these.
func Values(items []Item) (out []Problem) {
	eachTop(items, func(top *Item, path string, item, _ *Item, _ string) {
		if item.Other {
			return
		}
		for _, p := range item.Props {
			if p.Item != nil || p.Text == "" {
				continue
			}
			if wanted := wrong(item, p); wanted != "" {
				out = append(out, Problem{path + " > " + p.Name, quote(p.Text) + " is no " + wanted, top})
			}
		}
	})
	return out
}

func quote(s string) string {
	if len(s) > 80 {
		s = strings.ToValidUTF8(s[:80], "") + "…"
	}
	return "“" + s + "”"
}

// wrong names what a value should have been, "" if it may be what it is.
func wrong(item *Item, p Prop) string {
	switch p.Name {
	case "price", "lowPrice", "highPrice":
		if !isNumber.MatchString(p.Text) {
			return "price: a number with a dot, without currency sign or thousands"
		}
		return ""
	case "priceCurrency", "currency", "salaryCurrency":
		if !isCurrency.MatchString(p.Text) {
			return "currency code of ISO 4217, such as EUR"
		}
		return ""
	}
	var kinds []string
	for _, t := range item.Types {
		if def, ok := propertyOf(t, p.Name, 0); ok {
			kinds = append(kinds, def.kinds...)
		}
	}
	if len(kinds) == 0 {
		return ""
	}
	var names []string
	for _, k := range kinds {
		if k == "QuantitativeValue" && slices.Contains(kinds, "Duration") {
			continue // another way to give a duration, but as an item
		}
		ok, name := fits(k, p.Text)
		if ok {
			return ""
		}
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	return strings.Join(names, " or ")
}

// fits tells whether a text can be of a kind. Text stands for any other thing as well, as
// schema.org's conformance rules allow.
func fits(kind, s string) (ok bool, name string) {
	switch kind {
	case "Date":
		return isDate.MatchString(s) && realDay(s) || isDateTime.MatchString(s) && realDay(s),
			"date of ISO 8601, such as 2026-05-04"
	case "DateTime":
		return (isDateTime.MatchString(s) || isDate.MatchString(s)) && realDay(s),
			"date and time of ISO 8601, such as 2026-05-04T19:30+01:00"
	case "Time":
		return isTime.MatchString(s) || isDateTime.MatchString(s), "time, such as 19:30"
	case "Number", "Float":
		return isNumber.MatchString(s), "number"
	case "Integer":
		return isInteger.MatchString(s), "whole number"
	case "Boolean":
		local, _ := localName(strings.ToLower(s), true)
		return local == "true" || local == "false", "true or false"
	case "URL":
		return !strings.ContainsAny(s, " <>\"") && s != "", "address"
	case "Duration":
		return isDuration.MatchString(s) && s != "P" && !strings.HasSuffix(s, "T"),
			"duration of ISO 8601, such as PT1H30M"
	}
	if members := load().members[kind]; members != nil {
		local, _ := localName(s, true)
		return slices.Contains(members, local) || strings.Contains(s, "://") && !strings.Contains(s, "schema.org/"),
			kind + " of schema.org, such as " + members[0]
	}
	return true, ""
}

// realDay tells whether month and day of a date can be.
func realDay(s string) bool {
	m := dateParts.FindStringSubmatch(s)
	if m == nil {
		return true
	}
	return m[1] >= "01" && m[1] <= "12" && (m[2] == "" || m[2] >= "01" && m[2] <= "31")
}
