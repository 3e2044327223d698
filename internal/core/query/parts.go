package query

import "strconv"

// A Part is a condition as a form shows it: a fact, a comparison, and a value.
type Part struct {
	Fact  string
	Is    string // one of Comparisons, by its name
	Value string // as it is written; "" where the comparison takes none
}

// A Comparison is one that a form offers.
type Comparison struct {
	Name  string
	Say   string
	Kinds []Kind // of the facts that it is for
	Takes bool   // a value
	Write string // in CEL, with F for the fact and V for the value
}

var anyKind = []Kind{Words, Whole, Decimal, YesNo, List}

// Comparisons are what a form offers, in the order in which it does.
var Comparisons = []Comparison{
	{"is", "is", []Kind{Words, Whole, Decimal}, true, "F == V"},
	{"is-not", "is not", []Kind{Words, Whole, Decimal}, true, "F != V"},
	{"contains", "contains", []Kind{Words}, true, "F.contains(V)"},
	{"contains-not", "does not contain", []Kind{Words}, true, "!F.contains(V)"},
	{"starts", "begins with", []Kind{Words}, true, "F.startsWith(V)"},
	{"ends", "ends with", []Kind{Words}, true, "F.endsWith(V)"},
	{"more", "is more than", []Kind{Whole, Decimal}, true, "F > V"},
	{"at-least", "is at least", []Kind{Whole, Decimal}, true, "F >= V"},
	{"less", "is less than", []Kind{Whole, Decimal}, true, "F < V"},
	{"at-most", "is at most", []Kind{Whole, Decimal}, true, "F <= V"},
	{"yes", "is so", []Kind{YesNo}, false, "F"},
	{"no", "is not so", []Kind{YesNo}, false, "!F"},
	{"known", "is known", anyKind, false, "known(F)"},
	{"not-known", "is not known", anyKind, false, "!known(F)"},
}

// Parts are the conditions that a question joins by "and", as a form shows them; whole tells that they say all of it.
func (q *Question) Parts() (parts []Part, whole bool) {
	parts, whole = []Part{}, true
	var add func(n *Node)
	add = func(n *Node) {
		if n.Op == And {
			for _, p := range n.Parts {
				add(p)
			}
			return
		}
		if p, ok := q.part(n); ok {
			parts = append(parts, p)
		} else {
			whole = false
		}
	}
	add(q.node)
	return parts, whole
}

var partOps = map[Op]string{Equal: "is", Unequal: "is-not", Contains: "contains", StartsWith: "starts", EndsWith: "ends",
	More: "more", AtLeast: "at-least", Less: "less", AtMost: "at-most"}

// part is a condition that is simple enough for a form.
func (q *Question) part(n *Node) (p Part, ok bool) {
	fact := func(o Operand) bool {
		if o.Fact < 0 || o.Length || o.Small {
			return false
		}
		p.Fact = q.Of.Facts[o.Fact].Name
		return true
	}
	switch n.Op {
	case True:
		p.Is = "yes"
		return p, fact(n.Left)
	case Known:
		p.Is = "known"
		return p, fact(n.Left)
	case Not:
		inner := n.Parts[0]
		p.Is = map[Op]string{True: "no", Known: "not-known", Contains: "contains-not"}[inner.Op]
		if p.Is == "" || !fact(inner.Left) {
			return p, false
		}
		if inner.Op == Contains {
			return p, written(inner.Right, &p.Value)
		}
		return p, true
	}
	p.Is = partOps[n.Op]
	return p, p.Is != "" && fact(n.Left) && written(n.Right, &p.Value)
}

// written is a value as a form has it.
func written(o Operand, into *string) bool {
	if o.Fact >= 0 {
		return false
	}
	switch v := o.Value.(type) {
	case string:
		*into = v
	case int:
		*into = strconv.Itoa(v)
	case float64:
		*into = strconv.FormatFloat(v, 'f', -1, 64)
	default:
		return false
	}
	return true
}
