package plan

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"maps"
	"reflect"
	"regexp"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"
)

// A Fault is one thing wrong with a plan. Line and Column, from 1, are 0 where the text is not
// known.
type Fault struct {
	Field  string `json:"field"`
	Reason string `json:"reason"`
	Line   int    `json:"line,omitempty"`
	Column int    `json:"column,omitempty"`
}

// Faults is the error of Validate and Read: all that is wrong.
type Faults []Fault

func (f Faults) Error() string {
	parts := make([]string, len(f))
	for i, one := range f {
		parts[i] = shortened(one.Reason, 500)
		if one.Field != "" {
			parts[i] = one.Field + ": " + one.Reason
		}
		if one.Line > 0 {
			parts[i] = fmt.Sprintf("line %d, column %d: %s", one.Line, one.Column, parts[i])
		}
	}
	return strings.Join(parts, "; ")
}

// Read takes a plan in YAML or JSON on top of the values in base. Everything that cannot be read is
// refused at once, with its place and, for an unknown key, the one that was probably meant.
func Read(data []byte, base Plan) (Plan, error) {
	p, _, err := read(data, base)
	return p, err
}

// ReadValid is Read, then Validate, with the place in the text of every fault.
func ReadValid(data []byte, base Plan, known Known) (Plan, error) {
	p, root, err := read(data, base)
	if err != nil {
		return base, err
	}
	var faults Faults
	if err := p.Validate(known); errors.As(err, &faults) {
		for i := range faults {
			faults[i].Line, faults[i].Column = find(root, faults[i].Field)
		}
		return base, faults
	}
	return p, nil
}

// Bounds of a plan's text. A list of a hundred thousand addresses fits.
const (
	MaxBytes   = 16 << 20
	maxPieces  = 400_000 // entries, pairs and lines
	maxFaults  = 100     // that are told
	maxNesting = 20
)

// pieces are what begins an entry, a pair or a line in YAML and JSON: each costs far more memory than itself.
var pieces = []string{"\n", ",", "[", "{", "- ", "? ", ": "}

// small refuses texts that would cost much more than they are worth.
func small(data []byte) error {
	if len(data) > MaxBytes {
		return Faults{{Reason: fmt.Sprintf("a plan has at most %d MiB, and this text has %d", MaxBytes>>20,
			len(data)>>20)}}
	}
	n := 0
	for _, p := range pieces {
		n += bytes.Count(data, []byte(p))
	}
	if n > maxPieces {
		return Faults{{Reason: fmt.Sprintf("a plan has at most %d entries and lines, and this text has about %d",
			maxPieces, n)}}
	}
	return nil
}

// unfold refuses what makes a small text a large plan: references to other parts of it, and depth.
func unfold(n *yaml.Node, depth int) *Fault {
	switch {
	case n.Kind == yaml.AliasNode:
		return &Fault{Reason: fmt.Sprintf("*%s refers to another part of the text, which a plan does not do; write it out", n.Value), Line: n.Line, Column: n.Column}
	case n.Anchor != "":
		return &Fault{Reason: fmt.Sprintf("&%s names a part of the text, which a plan has no use for; leave it out",
			n.Anchor), Line: n.Line, Column: n.Column}
	case depth > maxNesting:
		return &Fault{Reason: fmt.Sprintf("nested more than %d deep, which no setting is", maxNesting), Line: n.Line,
			Column: n.Column}
	}
	for _, c := range n.Content {
		if f := unfold(c, depth+1); f != nil {
			return f
		}
	}
	return nil
}

func read(data []byte, base Plan) (Plan, *yaml.Node, error) {
	p := base.clone()
	root, err := decode(data, &p, "plan")
	if err != nil || root == nil {
		return base, nil, err
	}
	return p, root, nil
}

// decode reads a text into a value, whose own settings it holds the text to. There is no root where the text is empty.
func decode(data []byte, into any, what string) (*yaml.Node, error) {
	if err := small(data); err != nil {
		return nil, err
	}
	d := yaml.NewDecoder(bytes.NewReader(data))
	var doc yaml.Node
	switch err := d.Decode(&doc); {
	case errors.Is(err, io.EOF):
		return nil, nil
	case err != nil:
		return nil, Faults{grammar(err)}
	}
	root := doc.Content[0]
	if f := unfold(root, 0); f != nil {
		return nil, Faults{*f}
	}
	if root.Kind == yaml.ScalarNode && root.Tag == "!!null" {
		return nil, nil
	}
	if d.Decode(new(yaml.Node)) != io.EOF {
		return nil, Faults{{Reason: "the text holds more than one " + what}}
	}
	var r reader
	r.value(root, reflect.TypeOf(into).Elem(), "")
	if len(r.faults) > 0 {
		return nil, some(r.faults)
	}
	if err := root.Decode(into); err != nil {
		return nil, Faults{grammar(err)}
	}
	return root, nil
}

// clone copies the maps, which decoding would change in place.
func (p Plan) clone() Plan {
	p.Headers, p.Hosts, p.Limits, p.Scope.AtMost = maps.Clone(p.Headers), maps.Clone(p.Hosts), maps.Clone(p.Limits),
		maps.Clone(p.Scope.AtMost)
	return p
}

var lineOf = regexp.MustCompile(`^(?:yaml: )?(?:unmarshal errors:\s+)?line (\d+): `)

// grammar is the fault of a text that is no YAML.
func grammar(err error) Fault {
	s := err.Error()
	// the library names no first line
	f := Fault{Reason: "not to be read as YAML or JSON: " + strings.TrimPrefix(s, "yaml: "), Line: 1, Column: 1}
	if m := lineOf.FindStringSubmatch(s); m != nil {
		fmt.Sscan(m[1], &f.Line)
		f.Reason = "not to be read as YAML or JSON: " + s[len(m[0]):]
	}
	return f
}

// reader holds a text's tree against the plan's types.
type reader struct{ faults Faults }

func (r *reader) fault(n *yaml.Node, path, format string, args ...any) {
	r.faults = append(r.faults, Fault{path, fmt.Sprintf(format, args...), n.Line, n.Column})
}

func (r *reader) value(n *yaml.Node, t reflect.Type, path string) {
	if len(r.faults) > maxFaults {
		return // enough is wrong
	}
	if n.Tag == "!!null" {
		return // as if it were not there
	}
	if t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	switch {
	case t == reflect.TypeFor[Duration]():
		var d Duration
		if n.Kind != yaml.ScalarNode {
			r.fault(n, path, "a duration is wanted, such as 200ms or 2h")
		} else if err := d.parse(n.Value); err != nil {
			r.fault(n, path, "%s", err)
		}
	case t.Kind() == reflect.Struct:
		r.object(n, t, path)
	case t.Kind() == reflect.Interface:
		r.anything(n, path)
	case t.Kind() == reflect.Map:
		if n.Kind != yaml.MappingNode {
			r.fault(n, path, "pairs of a name and a value are wanted")
			return
		}
		for i := 0; i+1 < len(n.Content); i += 2 {
			r.value(n.Content[i+1], t.Elem(), path+"."+n.Content[i].Value)
		}
	case t.Kind() == reflect.Slice:
		if n.Kind != yaml.SequenceNode {
			r.fault(n, path, "a list is wanted: write [%s]", shortened(n.Value, 60))
			return
		}
		for i, c := range n.Content {
			r.value(c, t.Elem(), fmt.Sprintf("%s[%d]", path, i))
		}
	default:
		r.scalar(n, t, path)
	}
}

// anything is the value of a fact: a text, a number, yes or no, or a list of texts.
func (r *reader) anything(n *yaml.Node, path string) {
	parts := []*yaml.Node{n}
	if n.Kind == yaml.SequenceNode {
		parts = n.Content
	}
	for _, p := range parts {
		if p.Kind != yaml.ScalarNode {
			r.fault(p, path, "a text, a number, true or false is wanted, or a list of such")
		}
	}
}

// shortened is a text as it is told, of at most so many bytes.
func shortened(s string, most int) string {
	if len(s) > most {
		return strings.ToValidUTF8(s[:most], "") + "…"
	}
	return s
}

func (r *reader) scalar(n *yaml.Node, t reflect.Type, path string) {
	wanted := map[reflect.Kind]string{
		reflect.Int: "a whole number", reflect.Float64: "a number", reflect.Bool: "true or false",
		reflect.String: "a text",
	}[t.Kind()]
	if n.Kind != yaml.ScalarNode {
		r.fault(n, path, "%s is wanted", wanted)
		return
	}
	if n.Decode(reflect.New(t).Interface()) != nil {
		r.fault(n, path, "%s is wanted, not %q", wanted, n.Value)
	}
}

func (r *reader) object(n *yaml.Node, t reflect.Type, path string) {
	if n.Kind != yaml.MappingNode {
		r.fault(n, path, "settings are wanted, each as \"name: value\"")
		return
	}
	seen := map[string]bool{}
	for i := 0; i+1 < len(n.Content) && len(r.faults) <= maxFaults; i += 2 {
		key := n.Content[i]
		field, ok := fieldNamed(t, key.Value)
		switch {
		case !ok:
			r.fault(key, "", "there is no setting %q%s", join(path, key.Value), meant(key.Value, t, path))
		case seen[key.Value]:
			r.fault(key, "", "%q stands here twice", join(path, key.Value))
		default:
			r.value(n.Content[i+1], field.Type, join(path, key.Value))
			r.zero(n.Content[i+1], field, join(path, key.Value))
		}
		seen[key.Value] = true
	}
}

// zero refuses a nought that is written where it would only mean the default.
func (r *reader) zero(n *yaml.Node, field reflect.StructField, path string) {
	in, ranged := field.Tag.Lookup("in")
	low, high, ok := strings.Cut(in, "..")
	if !ranged || !ok || n.Kind != yaml.ScalarNode || n.Tag == "!!null" {
		return
	}
	value := reflect.New(field.Type)
	if n.Decode(value.Interface()) != nil || !value.Elem().IsZero() {
		return
	}
	switch standard := standardOf(field.Name); {
	case strings.Trim(low, "0.smh") != "" && !strings.HasPrefix(low, "-"):
		r.fault(n, path, "%s is outside %s to %s; leave it out for the default%s", n.Value, low, high, standard)
	case standard != "" && strings.HasPrefix(low, "-"):
		r.fault(n, path, "%s would mean the default%s; write %s for none", n.Value, standard, low)
	}
}

// standardOf is the default of a setting of the plan's own, ", 20s"; "" for one that has none.
func standardOf(name string) string {
	v := reflect.ValueOf(Plan{}.WithDefaults()).FieldByName(name)
	if !v.IsValid() || v.IsZero() {
		return ""
	}
	return fmt.Sprintf(", %v", v.Interface())
}

func join(path, name string) string {
	if path == "" {
		return name
	}
	return path + "." + name
}

func fieldNamed(t reflect.Type, name string) (reflect.StructField, bool) {
	for f := range t.Fields() {
		if keyOf(f) == name {
			return f, true
		}
	}
	return reflect.StructField{}, false
}

// meant suggests a key: one of this place, or else of another, by its path.
func meant(name string, t reflect.Type, path string) string {
	var here []string
	for f := range t.Fields() {
		here = append(here, keyOf(f))
	}
	if near := Nearest(name, here); near != "" {
		return fmt.Sprintf("; did you mean %q?", join(path, near))
	}
	for _, p := range Fields {
		if p[strings.LastIndexByte(p, '.')+1:] == name {
			return fmt.Sprintf("; did you mean %q?", p)
		}
	}
	return ""
}

// Fields are the keys of a plan, nested ones by their path: "scope.include".
var Fields = paths(reflect.TypeFor[Plan](), "")

func paths(t reflect.Type, prefix string) (out []string) {
	for f := range t.Fields() {
		name := join(prefix, keyOf(f))
		out = append(out, name)
		if f.Type.Kind() == reflect.Struct {
			out = append(out, paths(f.Type, name)...)
		}
	}
	return out
}

// find is where a setting stands in a text: its own place, or that of the nearest one
// around it.
func find(root *yaml.Node, path string) (line, column int) {
	for n := root; n != nil; {
		line, column = n.Line, n.Column
		if path == "" {
			break
		}
		var next *yaml.Node
		switch n.Kind {
		case yaml.MappingNode:
			for i := 0; i+1 < len(n.Content); i += 2 {
				key := n.Content[i].Value
				rest, ok := strings.CutPrefix(path, key)
				if ok && (rest == "" || rest[0] == '.' || rest[0] == '[') {
					next, path = n.Content[i+1], strings.TrimPrefix(rest, ".")
					break
				}
			}
		case yaml.SequenceNode:
			var i int
			if _, err := fmt.Sscanf(path, "[%d]", &i); err == nil && i < len(n.Content) {
				next, path = n.Content[i], strings.TrimPrefix(path[strings.IndexByte(path, ']')+1:], ".")
			}
		}
		n = next
	}
	return line, column
}

// sorted puts faults in order of their fields.
func sorted(f Faults) Faults {
	slices.SortStableFunc(f, func(a, b Fault) int { return strings.Compare(a.Field, b.Field) })
	return some(f)
}

// some are the first faults, and that there are more.
func some(f Faults) Faults {
	if len(f) <= maxFaults {
		return f
	}
	return append(f[:maxFaults:maxFaults], Fault{Reason: "and more that is wrong"})
}
