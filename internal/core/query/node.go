package query

import (
	"math"
	"strings"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
)

// Op is what a Node does.
type Op uint8

const (
	Opaque  Op = iota // what only Holds can tell
	And               // all of Parts; true of everything where there are none
	Or                // any of Parts
	Not               // not the one of Parts
	True              // Left, a yes-no
	Known             // Left has a value, and words are not empty
	Equal             // Left and Right
	Unequal           // likewise, as all comparisons
	Less
	AtMost
	More
	AtLeast
	In         // Left is one of Values
	Has        // a list Left has the words Right among its own
	Contains   // words Left have words Right in them
	StartsWith // likewise
	EndsWith
)

// A Node is a part of a question, in a form that others than CEL can answer: rows that it does not hold of, by the
// rules of logic with three values that SQL has, too, are no answers. A part that is Opaque may hold of any row.
type Node struct {
	Op          Op
	Parts       []*Node
	Left, Right Operand
	Values      []any // of In
}

// An Operand is a fact, the number of a fact's characters, a fact in small letters, or a value.
type Operand struct {
	Fact   int // its place in the table; −1 for a value
	Length bool
	Small  bool // in small letters
	Value  any  // string, int, float64 or bool
}

// Node is the question as a tree.
func (q *Question) Node() *Node { return q.node }

// Deciding are the conditions of a question, of those joined by "and", that some facts decide alone; nil where there
// are none. What they exclude is no answer, whatever the others say.
func (q *Question) Deciding(by func(fact string) bool) *Node {
	parts := []*Node{q.node}
	if q.node.Op == And {
		parts = q.node.Parts
	}
	out := &Node{Op: And}
	var add func(parts []*Node)
	add = func(parts []*Node) {
		for _, p := range parts {
			switch {
			case p.Op == And:
				add(p.Parts)
			case q.Of.decidedBy(p, by):
				out.Parts = append(out.Parts, p)
			}
		}
	}
	if add(parts); len(out.Parts) == 0 {
		return nil
	}
	return out
}

// decidedBy tells whether all facts of a plain condition are some of those.
func (t *Table) decidedBy(n *Node, by func(fact string) bool) bool {
	of := func(o Operand) bool { return o.Fact < 0 || by(t.Facts[o.Fact].Name) }
	switch n.Op {
	case Opaque:
		return false
	case And, Or, Not:
		for _, p := range n.Parts {
			if !t.decidedBy(p, by) {
				return false
			}
		}
		return len(n.Parts) > 0
	case True, Known, In, Has:
		return of(n.Left)
	}
	return of(n.Left) && of(n.Right)
}

// Excludes tells that a row cannot be an answer, by conditions as Deciding gives them; nil exclude nothing.
func (t *Table) Excludes(n *Node, row []any) bool {
	if n == nil {
		return false
	}
	v := t.judge(n, row)
	return v == no || v == unknown
}

// mostExact is the largest whole number up to which all are exact as floating point numbers.
const mostExact = 1 << 53

var comparisons = map[string]Op{
	operators.Equals: Equal, operators.NotEquals: Unequal, operators.Less: Less, operators.LessEquals: AtMost,
	operators.Greater: More, operators.GreaterEquals: AtLeast,
}

var turned = map[Op]Op{Equal: Equal, Unequal: Unequal, Less: More, AtMost: AtLeast, More: Less, AtLeast: AtMost}

var wordOps = map[string]Op{"contains": Contains, "startsWith": StartsWith, "endsWith": EndsWith}

var opaque = &Node{Op: Opaque}

// nodeOf takes a checked tree over, as far as its meaning is plain.
func (t *Table) nodeOf(e ast.Expr) *Node {
	switch e.Kind() {
	case ast.IdentKind:
		name, asks := strings.CutPrefix(e.AsIdent(), knownPrefix)
		at := t.place(name)
		switch {
		case at < 0 || !t.isPlain(at):
		case asks:
			return &Node{Op: Known, Left: Operand{Fact: at}}
		case t.Facts[at].Kind == YesNo:
			return &Node{Op: True, Left: Operand{Fact: at}}
		}
	case ast.LiteralKind:
		if e.AsLiteral() == types.True {
			return &Node{Op: And}
		}
		if e.AsLiteral() == types.False {
			return &Node{Op: Or}
		}
	case ast.CallKind:
		return t.callOf(e.AsCall())
	}
	return opaque
}

func (t *Table) callOf(call ast.CallExpr) *Node {
	name, args := call.FunctionName(), call.Args()
	switch name {
	case operators.LogicalAnd, operators.LogicalOr:
		n := &Node{Op: And}
		if name == operators.LogicalOr {
			n.Op = Or
		}
		for _, a := range args {
			n.Parts = append(n.Parts, t.nodeOf(a))
		}
		return n
	case operators.LogicalNot:
		return &Node{Op: Not, Parts: []*Node{t.nodeOf(args[0])}}
	case operators.In:
		return t.inOf(args[0], args[1])
	}
	if op, ok := comparisons[name]; ok {
		return t.comparisonOf(op, args[0], args[1])
	}
	if op, ok := wordOps[name]; ok && call.IsMemberFunction() {
		left, lok := t.operandOf(call.Target())
		right, rok := t.operandOf(args[0])
		if lok && rok && left.Fact >= 0 {
			return &Node{Op: op, Left: left, Right: right}
		}
	}
	return opaque
}

func (t *Table) comparisonOf(op Op, x, y ast.Expr) *Node {
	left, lok := t.operandOf(x)
	right, rok := t.operandOf(y)
	if !lok || !rok || left.Fact < 0 && right.Fact < 0 {
		return opaque
	}
	if left.Fact < 0 {
		left, right, op = right, left, turned[op]
	}
	return &Node{Op: op, Left: left, Right: right}
}

func (t *Table) inOf(x, list ast.Expr) *Node {
	left, ok := t.operandOf(x)
	if list.Kind() == ast.IdentKind {
		if at := t.place(list.AsIdent()); ok && left.Fact < 0 && at >= 0 && t.Facts[at].Kind == List {
			return &Node{Op: Has, Left: Operand{Fact: at}, Right: left}
		}
	}
	if !ok || left.Fact < 0 || list.Kind() != ast.ListKind {
		return opaque
	}
	n := &Node{Op: In, Left: left}
	if list.AsList().Size() == 0 {
		return &Node{Op: Or} // nothing is in it, whatever is known
	}
	for _, e := range list.AsList().Elements() {
		one, ok := t.operandOf(e)
		if !ok || one.Fact >= 0 {
			return opaque
		}
		n.Values = append(n.Values, one.Value)
	}
	return n
}

// operandOf is a fact, its length or a value, where it is one of those.
func (t *Table) operandOf(e ast.Expr) (Operand, bool) {
	switch e.Kind() {
	case ast.IdentKind:
		at := t.place(e.AsIdent())
		return Operand{Fact: at}, at >= 0 && t.isPlain(at)
	case ast.LiteralKind:
		v, ok := plainValue(e.AsLiteral())
		return Operand{Fact: -1, Value: v}, ok
	case ast.CallKind:
		call := e.AsCall()
		out := Operand{Length: call.FunctionName() == "size", Small: call.FunctionName() == "lower"}
		if !out.Length && !out.Small {
			break
		}
		of := call.Target()
		if !call.IsMemberFunction() {
			of = call.Args()[0]
		}
		if of.Kind() == ast.IdentKind {
			out.Fact = t.place(of.AsIdent())
			return out, out.Fact >= 0 && t.Facts[out.Fact].Kind == Words
		}
	}
	return Operand{}, false
}

// isPlain tells a fact that has one value.
func (t *Table) isPlain(at int) bool { return t.Facts[at].Kind < List }

// plainValue is a value that means the same everywhere.
func plainValue(v ref.Val) (any, bool) {
	switch v := v.(type) {
	case types.String:
		return string(v), !strings.ContainsRune(string(v), 0)
	case types.Int:
		return int(v), v <= mostExact && v >= -mostExact
	case types.Double:
		return float64(v), !math.IsNaN(float64(v)) && !math.IsInf(float64(v), 0)
	case types.Bool:
		return bool(v), true
	}
	return nil, false
}
