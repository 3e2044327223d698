// Package field takes facts of the consultant's own from pages: by CSS selector or XPath over the tree, by JSON Pointer
// into structured data, from a response header, or by a regular expression over the source.
//
// A field has a text, a number, or a list of either where all matches are wanted. Of a page where nothing matches, or
// where what matches is no number though one is wanted, it is not known; a count is known of every page.
package field

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"sync/atomic"

	"github.com/andybalholm/cascadia"
	"github.com/antchfx/htmlquery"
	"github.com/antchfx/xpath"
	"github.com/go-openapi/jsonpointer"
	"golang.org/x/net/html"

	"harvik/internal/core/figures"
	"harvik/internal/core/mishap"
	"harvik/internal/core/plan"
)

// A Page is what fields are taken from.
type Page struct {
	Source string                     // decoded
	Header func(name string) []string // of its response
}

// Bounds of what is kept of a page.
const (
	maxText    = 2000 // bytes of a text
	maxMatches = 100
)

// Fields take what a plan wants. They are safe for use from several goroutines.
type Fields struct {
	each []*compiled
	// Run runs what a page can make slow, and tells whether it came to its end; nil just runs it.
	Run func(func()) bool
}

type compiled struct {
	of   plan.Field
	find func(*Page, *tree) ([]string, int) // the first texts that match, and how many match; −1 where there is no tree
	slow atomic.Int32                       // pages on which it came to no end
}

// Bounds of what a hostile page can cost, beside the time of Run.
const (
	maxTree  = 1 << 20 // bytes of a page whose tree is gone through; of a longer one fields of it are not known
	maxSlow  = 3       // pages on which a field may come to no end; then it is taken no more
	maxSteps = 200_000 // matches that an XPath expression is asked for
)

// tree is a page as a tree, made when it is first asked for.
type tree struct {
	root  *html.Node
	data  []any // structured data
	tried bool
}

var shape = regexp.MustCompile(`^[a-z][A-Za-z0-9]{0,40}$`)

// Faults are what is wrong with a field, by its settings.
func Faults(f *plan.Field) (out []plan.Fault) {
	fault := func(setting, format string, args ...any) {
		out = append(out, plan.Fault{Field: setting, Reason: fmt.Sprintf(format, args...)})
	}
	if !shape.MatchString(f.Name) {
		fault("name", "%q is no name for a field: letters and digits, the first a small letter, such as price", f.Name)
	}
	ways := map[string]string{"css": f.CSS, "xpath": f.XPath, "json": f.JSON, "header": f.Header, "pattern": f.Pattern}
	used := 0
	for _, way := range ways {
		if way != "" {
			used++
		}
	}
	if used != 1 {
		fault("", "say where it comes from, by one of css, xpath, json, header and pattern; %d are given", used)
		return out
	}
	if f.Attribute != "" && f.CSS == "" {
		fault("attribute", "only what a selector finds has attributes; in XPath write @%s", f.Attribute)
	}
	if f.Take == "count" && f.All {
		fault("all", "a count is of all matches anyway")
	}
	if _, err := compile(f); err != nil {
		for setting, way := range ways {
			if way != "" {
				fault(setting, "%s", err)
			}
		}
	}
	return out
}

// New makes ready what a plan wants. The error says which fields cannot be understood; they are left out.
func New(list []plan.Field) (*Fields, error) {
	out := new(Fields)
	var faults []error
	for i := range list {
		one, err := compile(&list[i])
		if err != nil {
			faults = append(faults, fmt.Errorf("%s: %w", list[i].Name, err))
			continue
		}
		out.each = append(out.each, one)
	}
	return out, errors.Join(faults...)
}

func compile(f *plan.Field) (*compiled, error) {
	c := &compiled{of: *f}
	switch {
	case f.CSS != "":
		selector, err := cascadia.ParseGroup(f.CSS)
		if err != nil {
			return nil, fmt.Errorf("%q is no selector: %w", f.CSS, err)
		}
		c.find = func(p *Page, t *tree) ([]string, int) { return selected(t.of(p), selector, f.Attribute) }
	case f.XPath != "":
		expression, err := xpath.Compile(f.XPath)
		if err != nil {
			return nil, fmt.Errorf("%q is no XPath: %w", f.XPath, err)
		}
		c.find = func(p *Page, t *tree) ([]string, int) { return evaluated(t.of(p), expression) }
	case f.JSON != "":
		pointer, err := jsonpointer.New(f.JSON)
		if err != nil {
			return nil, fmt.Errorf("%q is no JSON Pointer (RFC 6901), such as /offers/price: %w", f.JSON, err)
		}
		c.find = func(p *Page, t *tree) ([]string, int) { return pointedAt(t.structured(p), &pointer) }
	case f.Header != "":
		c.find = func(p *Page, _ *tree) ([]string, int) {
			values := p.Header(f.Header)
			return values, len(values)
		}
	default:
		pattern, err := regexp.Compile(f.Pattern)
		if err != nil {
			return nil, fmt.Errorf("%q is no regular expression (RE2): %s", f.Pattern,
				strings.TrimPrefix(err.Error(), "error parsing regexp: "))
		}
		c.find = func(p *Page, _ *tree) ([]string, int) { return matched(p.Source, pattern) }
	}
	return c, nil
}

// Names are the fields' names, in the plan's order.
func (f *Fields) Names() (out []string) {
	for _, one := range f.each {
		out = append(out, one.of.Name)
	}
	return out
}

// None tells that there are no fields to take.
func (f *Fields) None() bool { return len(f.each) == 0 }

// Take takes the fields of a page; those that are not known are left out, as are those at which a library panics or
// that came to no end.
func (f *Fields) Take(p Page) map[string]any {
	out := map[string]any{}
	t := new(tree)
	for _, one := range f.each {
		if one.slow.Load() >= maxSlow {
			continue
		}
		var v any
		work := func() { v = one.take(&p, t) }
		if f.Run == nil {
			_ = mishap.Catch(func() error {
				work()
				return nil
			})
		} else if !f.Run(work) {
			one.slow.Add(1)
			t = new(tree) // the one that is gone through still is not shared
			continue
		}
		if v != nil {
			out[one.of.Name] = v
		}
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

func (c *compiled) take(p *Page, t *tree) any {
	texts, count := c.find(p, t)
	if count < 0 {
		return nil
	}
	if c.of.Take == "count" {
		return float64(count)
	}
	var values []any
	for _, text := range texts[:min(len(texts), maxMatches)] {
		text = strings.Join(strings.Fields(text), " ")
		if c.of.Take == "number" {
			if n, _, ok := figures.ParseNumber(text); ok {
				values = append(values, n)
			}
		} else if text != "" {
			values = append(values, strings.ToValidUTF8(text[:min(len(text), maxText)], ""))
		}
	}
	switch {
	case len(values) == 0:
		return nil
	case c.of.All:
		return values
	}
	return values[0]
}

// of is the root of the page's tree; nil where it cannot be made.
func (t *tree) of(p *Page) *html.Node {
	if !t.tried {
		t.tried = true
		if len(p.Source) > maxTree {
			return nil
		}
		t.root, _ = html.Parse(strings.NewReader(p.Source))
	}
	return t.root
}

// selected are the texts, or the attribute, of what a selector finds.
func selected(root *html.Node, selector cascadia.SelectorGroup, attribute string) (out []string, count int) {
	if root == nil {
		return nil, -1
	}
	for _, n := range cascadia.QueryAll(root, selector) {
		if attribute == "" {
			out = append(out, htmlquery.InnerText(n))
			continue
		}
		for _, a := range n.Attr {
			if strings.EqualFold(a.Key, attribute) {
				out = append(out, a.Val)
				break
			}
		}
	}
	return out, len(out)
}

// evaluated is what an XPath expression gives: nodes, a text, a number, or true or false.
func evaluated(root *html.Node, expression *xpath.Expr) (out []string, count int) {
	if root == nil {
		return nil, -1
	}
	switch v := expression.Evaluate(htmlquery.CreateXPathNavigator(root)).(type) {
	case *xpath.NodeIterator:
		type node struct {
			of        *html.Node
			attribute string
		}
		seen := map[node]bool{} // the library gives nodes as often as ways lead to them
		for steps := 0; steps < maxSteps && v.MoveNext(); steps++ {
			at := node{}
			if n, ok := v.Current().(*htmlquery.NodeNavigator); ok {
				at.of = n.Current()
				if n.NodeType() == xpath.AttributeNode {
					at.attribute = n.LocalName()
				}
			}
			if seen[at] && at.of != nil {
				continue
			}
			seen[at] = true
			if count++; count <= maxMatches {
				out = append(out, v.Current().Value())
			}
		}
		return out, count
	case nil:
		return nil, 0
	default:
		return []string{fmt.Sprint(v)}, 1
	}
}

// structured is the JSON of the page's scripts for that, each value by itself, and the members of lists and @graph.
func (t *tree) structured(p *Page) []any {
	root := t.of(p)
	if root == nil || t.data != nil {
		return t.data
	}
	t.data = []any{}
	for _, n := range cascadia.QueryAll(root, scripts) {
		var v any
		if json.Unmarshal([]byte(htmlquery.InnerText(n)), &v) != nil {
			continue
		}
		t.data = append(t.data, v)
		if graph, ok := v.(map[string]any); ok {
			v = graph["@graph"]
		}
		if list, ok := v.([]any); ok {
			t.data = append(t.data, list...)
		}
	}
	return t.data
}

var scripts = cascadia.MustCompile(`script[type="application/ld+json" i]`)

// pointedAt is what a pointer leads to in each of some values: texts and numbers.
func pointedAt(data []any, pointer *jsonpointer.Pointer) (out []string, count int) {
	for _, one := range data {
		v, _, err := pointer.Get(one)
		if err != nil {
			continue
		}
		list, ok := v.([]any)
		if !ok {
			list = []any{v}
		}
		for _, v := range list {
			switch v := v.(type) {
			case string:
				out = append(out, v)
			case float64, bool:
				out = append(out, strings.TrimSuffix(fmt.Sprintf("%v", v), ".0"))
			default:
				continue
			}
		}
	}
	return out, len(out)
}

// matched are the first groups of a pattern's matches, or the matches where it has none.
func matched(source string, pattern *regexp.Regexp) (out []string, count int) {
	for _, m := range pattern.FindAllStringSubmatch(source, 10*maxMatches) {
		out = append(out, m[min(1, len(m)-1)])
	}
	return out, len(out)
}
