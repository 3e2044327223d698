package query

import (
	"slices"
	"strings"
	"unicode/utf8"
)

// A verdict is what is known of a part of a question.
type verdict uint8

const (
	no verdict = iota
	yes
	unknown // neither
	open    // only CEL can tell
)

// judge tells what is plain of a row. It says the same as CEL in a twentieth of the time, as far as it goes.
func (t *Table) judge(n *Node, row []any) verdict {
	switch n.Op {
	case Opaque:
		return open
	case And:
		return t.join(n.Parts, row, no, yes)
	case Or:
		return t.join(n.Parts, row, yes, no)
	case Not:
		switch v := t.judge(n.Parts[0], row); v {
		case no:
			return yes
		case yes:
			return no
		default:
			return v
		}
	case Has:
		list, ok := t.value(n.Left, row).([]string)
		word, _ := n.Right.Value.(string)
		return told(ok, slices.Contains(list, word))
	case True:
		v, ok := row[n.Left.Fact].(bool)
		return told(ok, v)
	case Known:
		return told(true, !isNothing(row[n.Left.Fact]))
	}
	left := t.value(n.Left, row)
	if left == nil {
		return unknown
	}
	if n.Op == In {
		for _, v := range n.Values {
			if Compare(left, v) == 0 {
				return yes
			}
		}
		return no
	}
	right := t.value(n.Right, row)
	if right == nil {
		return unknown
	}
	return told(true, holds(n.Op, left, right))
}

// join is that of several parts: one that decides does, whatever the others are.
func (t *Table) join(parts []*Node, row []any, decides, otherwise verdict) verdict {
	out := otherwise
	for _, p := range parts {
		switch v := t.judge(p, row); v {
		case decides:
			return decides
		case open:
			out = open
		case unknown:
			if out != open {
				out = unknown
			}
		}
	}
	return out
}

func told(known, holds bool) verdict {
	switch {
	case !known:
		return unknown
	case holds:
		return yes
	}
	return no
}

// value is that of an operand; nil where it is not known.
func (t *Table) value(o Operand, row []any) any {
	if o.Fact < 0 {
		return o.Value
	}
	v := row[o.Fact]
	if v == nil {
		v = t.Facts[o.Fact].Nothing()
	}
	words, ok := v.(string)
	switch {
	case ok && o.Length:
		return utf8.RuneCountInString(words)
	case ok && o.Small:
		return strings.ToLower(words)
	}
	return v
}

func holds(op Op, left, right any) bool {
	switch op {
	case Contains, StartsWith, EndsWith:
		x, _ := left.(string)
		y, _ := right.(string)
		switch op {
		case Contains:
			return strings.Contains(x, y)
		case StartsWith:
			return strings.HasPrefix(x, y)
		}
		return strings.HasSuffix(x, y)
	}
	c := Compare(left, right)
	switch op {
	case Equal:
		return c == 0
	case Unequal:
		return c != 0
	case Less:
		return c < 0
	case AtMost:
		return c <= 0
	case More:
		return c > 0
	}
	return c >= 0
}
