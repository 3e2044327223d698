// Package query answers questions over facts: an expression in CEL (the Common Expression Language, cel.dev) that
// is true or false of each page, link or whatever else a table has rows of. It knows facts and syntax, and nothing
// of where rows are kept.
//
// A fact that is not known of a row, such as the clicks of a page that no link leads to, makes what is asked about
// it neither true nor false: such a row is no answer, nor one to the opposite question. The same is so of what a
// link leads to and of the crawl before, where that was not fetched. Of what was fetched, words that are not there
// are empty.
package query

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"harvik/internal/core/text"
)

// Bounds of a question.
const (
	maxText    = 4000    // characters
	maxDepth   = 60      // of nested parts
	maxNested  = 2       // lists gone through within each other
	maxPattern = 500     // instructions of a regular expression
	maxCost    = 200_000 // of one row, in steps as CEL counts them
)

// A Question is one that was understood. It may be asked from several goroutines.
type Question struct {
	Of   *Table
	Text string
	Uses []int // the facts that it names, by their place in the table, in order

	node    *Node
	asks    []int // see Asks
	program cel.Program
}

// Compile understands a question of a table's rows. The error is Mistakes. An empty question holds of every row.
func (t *Table) Compile(text string) (*Question, error) {
	q := &Question{Of: t, Text: text}
	if strings.TrimSpace(text) == "" {
		q.node = &Node{Op: And}
		return q, nil
	}
	if n := len([]rune(text)); n > maxText {
		return nil, Mistakes{{1, 1, fmt.Sprintf("the question has %d characters; at most %d are taken", n, maxText)}}
	}
	env, err := t.environment()
	if err != nil {
		return nil, err
	}
	parsed, issues := env.Parse(text)
	if issues.Err() != nil {
		return nil, t.mistakes(text, issues)
	}
	if wrong := misplaced(parsed); len(wrong) > 0 {
		return nil, wrong
	}
	checked, issues := env.Check(parsed)
	if issues.Err() != nil {
		return nil, t.mistakes(text, issues)
	}
	if kind := checked.OutputType(); kind.Kind() != types.BoolKind {
		return nil, Mistakes{
			{1, 1, fmt.Sprintf("a question is to be true or false of each %s; this one gives %s%s", t.One,
				kindWord(kind.String()), comparedInstead(text, kind))},
		}
	}
	native := checked.NativeRep()
	options := []cel.ProgramOption{cel.EvalOptions(cel.OptOptimize)}
	if goesThrough(native) { // all else is bounded by its length, and counting steps takes as long as the steps do
		options = append(options, cel.CostLimit(maxCost))
	}
	if q.program, err = env.Program(checked, options...); err != nil {
		return nil, Mistakes{{1, 1, err.Error()}}
	}
	q.node = t.nodeOf(native.Expr())
	q.Uses, q.asks = t.uses(native), t.asksOf(native)
	return q, nil
}

// mostShown bounds the facts that an answer shows where none are chosen.
const mostShown = 8

// Shown are the facts that an answer shows where none are chosen: what a row is, what the question names of it,
// what it is sorted by, and what is usual.
func (q *Question) Shown(order Pick) (out []Pick) {
	t := q.Of
	usual, _ := t.Chosen(t.Shown...)
	same := map[int]bool{}
	pinned(q.node, same)
	add := func(p Pick) {
		if !slices.Contains(out, p) && len(out) < mostShown && !same[p.Fact] {
			out = append(out, p)
		}
	}
	add(usual[0])
	for _, at := range q.Uses {
		if f := &t.Facts[at]; f.OfAddress == nil && f.Kind < Figures && !f.Long {
			add(Pick{Fact: at})
		}
	}
	if order.Picks() {
		add(order)
	}
	for _, p := range usual {
		add(p)
	}
	return out
}

// Telling are the facts that a question names and whose values tell why a row is an answer: without those that every
// answer has alike, and those that are too long to tell.
func (q *Question) Telling() (out []int) {
	same := map[int]bool{}
	pinned(q.node, same)
	for _, at := range q.Uses {
		if f := &q.Of.Facts[at]; f.OfAddress == nil && f.Kind < Figures && !f.Long && !same[at] {
			out = append(out, at)
		}
	}
	return out
}

// pinned are the facts that are the same in every answer.
func pinned(n *Node, into map[int]bool) {
	switch n.Op {
	case And:
		for _, p := range n.Parts {
			pinned(p, into)
		}
	case True:
		into[n.Left.Fact] = true
	case Not:
		if n.Parts[0].Op == True {
			into[n.Parts[0].Left.Fact] = true
		}
	case Equal:
		if n.Right.Fact < 0 && !n.Left.Length {
			into[n.Left.Fact] = true
		}
	}
}

// known is the fact behind known(fact): a name that nobody can write.
const knownPrefix = "known:"

// environment has the facts as names. What CEL has for messages and types of protocols is left out.
func (t *Table) environment() (*cel.Env, error) {
	t.once.Do(func() {
		options := []cel.EnvOption{
			cel.StdLib(),
			cel.ClearMacros(),
			cel.Macros(cel.AllMacro, cel.ExistsMacro, cel.ExistsOneMacro, cel.MapMacro, cel.FilterMacro,
				cel.GlobalMacro("known", 1, t.expandKnown)),
			cel.CrossTypeNumericComparisons(true),
			cel.ParserRecursionLimit(maxDepth),
			cel.ParserExpressionSizeLimit(maxText),
			cel.ASTValidators(cel.ValidateComprehensionNestingLimit(maxNested),
				cel.ValidateRegexProgramSizeLimit(maxPattern), cel.ValidateHomogeneousAggregateLiterals()),
			cel.Function("lower", cel.MemberOverload("words_lower", []*cel.Type{cel.StringType}, cel.StringType,
				cel.UnaryBinding(func(v ref.Val) ref.Val {
					return types.String(strings.ToLower(string(v.(types.String))))
				}))),
		}
		beside, err := withNeighbours()
		if t.fault = err; err != nil {
			return
		}
		options = append(options, beside...)
		for i := range t.Facts {
			options = append(options, cel.Variable(t.Facts[i].Name, celTypes[t.Facts[i].Kind]),
				cel.Variable(knownPrefix+t.Facts[i].Name, cel.BoolType))
		}
		t.env, t.fault = cel.NewCustomEnv(options...)
	})
	return t.env, t.fault
}

var celTypes = map[Kind]*cel.Type{
	Words: cel.StringType, Whole: cel.IntType, Decimal: cel.DoubleType, YesNo: cel.BoolType,
	List: cel.ListType(cel.StringType), Figures: cel.MapType(cel.StringType, cel.DynType),
	Links: cel.ListType(cel.ObjectType(linkType)),
}

// expandKnown makes known(fact) of a fact's name.
func (t *Table) expandKnown(eh cel.MacroExprFactory, _ ast.Expr, args []ast.Expr) (ast.Expr, *cel.Error) {
	name, ok := nameOf(args[0])
	if !ok {
		return nil, eh.NewError(
			args[0].ID(),
			"known() takes the name of a fact, such as known("+t.Shown[len(t.Shown)-1]+")",
		)
	}
	if t.place(name) < 0 {
		return nil, eh.NewError(args[0].ID(), t.noSuchFact(name))
	}
	return eh.NewIdent(knownPrefix + name), nil
}

// nameOf is a name as it is written, points and all: source.title.
func nameOf(e ast.Expr) (string, bool) {
	switch e.Kind() {
	case ast.IdentKind:
		return e.AsIdent(), true
	case ast.SelectKind:
		of, ok := nameOf(e.AsSelect().Operand())
		return of + "." + e.AsSelect().FieldName(), ok
	}
	return "", false
}

// goesThrough tells a question that goes through lists.
func goesThrough(tree *ast.AST) (does bool) {
	ast.PostOrderVisit(tree.Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		does = does || e.Kind() == ast.ComprehensionKind
	}))
	return does
}

// uses are the facts that a tree names.
func (t *Table) uses(tree *ast.AST) (out []int) {
	ast.PostOrderVisit(tree.Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		if e.Kind() == ast.IdentKind {
			if at := t.place(strings.TrimPrefix(e.AsIdent(), knownPrefix)); at >= 0 && !slices.Contains(out, at) {
				out = append(out, at)
			}
		}
	}))
	slices.Sort(out)
	return out
}

// misplaced finds what CEL takes and this does not: patterns that are not written out, since they would be read
// anew for every row.
func misplaced(parsed *cel.Ast) (wrong Mistakes) {
	native := parsed.NativeRep()
	ast.PostOrderVisit(native.Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		if e.Kind() != ast.CallKind || e.AsCall().FunctionName() != "matches" {
			return
		}
		args := e.AsCall().Args()
		if len(args) == 0 {
			return
		}
		pattern := args[len(args)-1]
		at := native.SourceInfo().GetStartLocation(pattern.ID())
		if pattern.Kind() != ast.LiteralKind {
			wrong = append(wrong, Mistake{at.Line(), at.Column() + 1,
				"the pattern of matches is to be written out in quotation marks, such as title.matches(\"(?i)sale\")"})
			return
		}
		s, ok := pattern.AsLiteral().(types.String)
		if !ok {
			return // the types will tell
		}
		if _, err := regexp.Compile(string(s)); err != nil {
			says := strings.TrimPrefix(err.Error(), "error parsing regexp: ")
			wrong = append(wrong, Mistake{at.Line(), at.Column() + 1,
				fmt.Sprintf("%q is no regular expression (RE2): %s", text.Shorten(string(s), 60, 60, 0),
					text.Shorten(says, 120, 120, 0))})
		}
	}))
	return wrong
}

// ErrUnjudged is that of a row of which a question cannot be answered, such as where it divides by nought.
var ErrUnjudged = errors.New("the question cannot be answered")

// Holds tells whether a row is an answer. It has a value for each fact of the table, nil for what is not known;
// those that the question does not use may be left nil. The error is an ErrUnjudged.
func (q *Question) Holds(row []any) (bool, error) {
	switch q.Of.judge(q.node, row) {
	case yes:
		return true, nil
	case no, unknown:
		return false, nil
	}
	return q.byCEL(row)
}

// byCEL is Holds without what is plain.
func (q *Question) byCEL(row []any) (bool, error) {
	out, _, err := q.program.Eval(activation{q.Of, row})
	switch {
	case err != nil && strings.Contains(err.Error(), "no such key"): // a figure that the row does not have
		return false, nil
	case err != nil:
		return false, fmt.Errorf("%w: %s", ErrUnjudged, plainFault(err))
	}
	yes, ok := out.(types.Bool)
	return ok && bool(yes), nil // what is not known is no answer
}

// plainFault says what went wrong in a row.
func plainFault(err error) string {
	says := err.Error()
	switch {
	case strings.Contains(says, "divi"), strings.Contains(says, "modulus"):
		return "it divides by nought"
	case strings.Contains(says, "overflow"):
		return "a number in it becomes too large"
	case strings.Contains(says, "cost limit"):
		return "it takes too many steps"
	}
	return says
}

// activation is a row as CEL asks for it.
type activation struct {
	table *Table
	row   []any
}

// notKnown stands for what is not known: what is asked about it is not known either.
var notKnown = types.NewUnknown(0, nil)

func (a activation) ResolveName(name string) (any, bool) {
	bare, asks := strings.CutPrefix(name, knownPrefix)
	at := a.table.place(bare)
	if at < 0 {
		return nil, false
	}
	v := a.row[at]
	if v == nil {
		v = a.table.Facts[at].Nothing()
	}
	switch {
	case asks:
		return !isNothing(v), true
	case v == nil:
		return notKnown, true
	}
	return v, true
}

func isNothing(v any) bool {
	switch v := v.(type) {
	case string:
		return v == ""
	case []string:
		return len(v) == 0
	case map[string]any:
		return len(v) == 0
	case []ref.Val:
		return len(v) == 0
	}
	return v == nil
}

func (a activation) Parent() cel.Activation { return nil }
