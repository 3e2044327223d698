package query

import (
	"fmt"
	"reflect"
	"slices"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"harvik/internal/core/page"
)

// LinkedBy is the fact of pages that is the links to them, from each with the page that it stands on:
// linkedBy.exists(l, l.region == "content" && l.source.kind == "home").
const LinkedBy = "linkedBy"

// Types of what LinkedBy goes through, as CEL knows them.
const (
	linkType   = "link"
	sourceType = "linking page"
)

// A LinkIn is a link to a page, as questions go through it.
type LinkIn struct {
	Link   *page.Link
	Source []any // what of the page that it stands on a question asks for, in the order of Question.Asks
	of     *Question
}

// NewLinkIn makes one for a question.
func (q *Question) NewLinkIn(l *page.Link, source []any) *LinkIn { return &LinkIn{l, source, q} }

// Asks are the facts that a question asks of pages that link to another, by their places among those of pages.
func (q *Question) Asks() []int { return q.asks }

// asksOf finds them in a tree: what is selected of a link's source.
func (t *Table) asksOf(tree *ast.AST) (out []int) {
	ast.PostOrderVisit(tree.Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		if e.Kind() != ast.SelectKind || e.AsSelect().Operand().Kind() != ast.SelectKind ||
			e.AsSelect().Operand().AsSelect().FieldName() != "source" {
			return
		}
		if at := TableOf(pagesName).place(e.AsSelect().FieldName()); at >= 0 && !slices.Contains(out, at) {
			out = append(out, at)
		}
	}))
	return out
}

// pagesName is the table of the pages that links stand on.
const pagesName = "pages"

// neighbours are the types of what questions go through beside facts.
type neighbours struct{ *types.Registry }

// withNeighbours makes them known to an environment.
func withNeighbours() ([]cel.EnvOption, error) {
	registry, err := types.NewRegistry()
	if err != nil {
		return nil, err
	}
	return []cel.EnvOption{cel.CustomTypeAdapter(registry), cel.CustomTypeProvider(neighbours{registry})}, nil
}

// FindStructType implements types.Provider.
func (n neighbours) FindStructType(name string) (*types.Type, bool) {
	if name == linkType || name == sourceType {
		return types.NewTypeTypeWithParam(types.NewObjectType(name)), true
	}
	return n.Registry.FindStructType(name)
}

// FindStructFieldNames implements types.Provider.
func (n neighbours) FindStructFieldNames(name string) ([]string, bool) {
	switch name {
	case linkType:
		out := []string{"source"}
		for field := range linkFacts {
			out = append(out, field)
		}
		return out, true
	case sourceType:
		return askableOfSource(), true
	}
	return n.Registry.FindStructFieldNames(name)
}

// FindStructFieldType implements types.Provider.
func (n neighbours) FindStructFieldType(name, field string) (*types.FieldType, bool) {
	switch {
	case name == linkType && field == "source":
		return fieldOf(types.NewObjectType(sourceType), func(l *LinkIn) any { return (*linkSource)(l) }), true
	case name == linkType:
		read, ok := linkFacts[field]
		if !ok {
			return nil, false
		}
		return fieldOf(celTypes[linkKind(field)], func(l *LinkIn) any { return read(l.Link) }), true
	case name == sourceType && slices.Contains(askableOfSource(), field):
		pages := TableOf(pagesName)
		at := pages.place(field)
		return fieldOf(celTypes[pages.Facts[at].Kind], func(l *LinkIn) any {
			nth := slices.Index(l.of.asks, at)
			v := l.Source[nth]
			if v == nil {
				v = pages.Facts[at].Nothing()
			}
			if v == nil {
				return notKnown
			}
			return v
		}), true
	case name == sourceType:
		return nil, false
	}
	return n.Registry.FindStructFieldType(name, field)
}

// linkKind is the kind of what links say themselves.
func linkKind(field string) Kind {
	links := TableOf("links")
	return links.Facts[links.place(field)].Kind
}

// askableOfSource are the facts of pages that can be asked of those that links stand on.
func askableOfSource() (out []string) {
	pages := TableOf(pagesName)
	for i := range pages.Facts {
		f := &pages.Facts[i]
		if f.Kind <= List && !f.Long && f.Name != Fails && !strings.HasPrefix(f.Name, Before) {
			out = append(out, f.Name)
		}
	}
	return out
}

func fieldOf(of *types.Type, read func(*LinkIn) any) *types.FieldType {
	return &types.FieldType{Type: of, IsSet: func(any) bool { return true }, GetFrom: func(of any) (any, error) {
		switch l := of.(type) {
		case *LinkIn:
			return read(l), nil
		case *linkSource:
			return read((*LinkIn)(l)), nil
		}
		return nil, fmt.Errorf("%T is no link", of)
	}}
}

// linkSource is the page that a link stands on.
type linkSource LinkIn

// ConvertToNative implements ref.Val.
func (l *LinkIn) ConvertToNative(reflect.Type) (any, error) { return l, nil }

// ConvertToType implements ref.Val.
func (l *LinkIn) ConvertToType(t ref.Type) ref.Val { return types.NewErr("a link is no %s", t) }

// Equal implements ref.Val.
func (l *LinkIn) Equal(other ref.Val) ref.Val { return types.Bool(other == ref.Val(l)) }

// Type implements ref.Val.
func (l *LinkIn) Type() ref.Type { return types.NewObjectType(linkType) }

// Value implements ref.Val.
func (l *LinkIn) Value() any { return l }

// ConvertToNative implements ref.Val.
func (l *linkSource) ConvertToNative(reflect.Type) (any, error) { return l, nil }

// ConvertToType implements ref.Val.
func (l *linkSource) ConvertToType(t ref.Type) ref.Val { return types.NewErr("a page is no %s", t) }

// Equal implements ref.Val.
func (l *linkSource) Equal(other ref.Val) ref.Val { return types.Bool(other == ref.Val(l)) }

// Type implements ref.Val.
func (l *linkSource) Type() ref.Type { return types.NewObjectType(sourceType) }

// Value implements ref.Val.
func (l *linkSource) Value() any { return l }
