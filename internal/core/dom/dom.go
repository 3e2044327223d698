// Package dom reads HTML into a tree as browsers do (HTML standard, 13.2), with the place in
// the source of every element and with the mistakes that were mended on the way: evidence that
// a tree alone does not give. Scripting counts as enabled, and no byte sequence is refused.
package dom

import "golang.org/x/net/html/atom"

// An ID numbers a node of a tree. The document is 0, which elsewhere stands for "none".
type ID = int32

// Kind is what sort of node a node is. Comments are left out of the tree.
type Kind uint8

const (
	Document Kind = iota
	Element
	Text // neighbouring texts may be several nodes
)

// Space is the namespace of an element.
type Space uint8

const (
	HTML Space = iota
	SVG
	MathML
)

// Implied is the place of an element that the source has no tag for.
const Implied = -1

// A Node is a document, an element or a text. It holds no pointers, so that a tree costs the
// garbage collector nothing.
type Node struct {
	Parent, First, Last, Prev, Next ID

	Kind  Kind
	Space Space
	Again bool // another copy of an element, made where formatting elements are misnested
	Class Class
	Name  atom.Atom // 0 for a name that HTML does not have
	At    int32     // offset of the start tag in the source, or Implied; that of copies is the original's

	data            span // name of an element, in lower case; the text of a text
	attrs, attrsEnd int32
}

// An Attr is one attribute of a tag: the name in lower case, the value with its character
// references replaced.
type Attr struct{ name, value span }

// A span is a part of the source, or, from below zero, of what was written anew: names with
// capitals, texts with character references.
type span struct{ from, to int32 }

// Tree is a document. It is valid until the parser that made it reads the next.
type Tree struct {
	Nodes  []Node // in the order in which they were made, mostly that of the source
	Faults []Fault
	More   int   // faults beyond MaxFaults
	Frames []Tag // frame and frameset where browsers ignore them, at most MaxFaults

	Doctype  bool
	Quirks   bool   // the doctype, or its absence, makes browsers lay out as in the nineties
	Breaker  *Fault // what ended the head before its end tag, if anything
	TooDeep  bool   // nested deeper than MaxDepth; elements deeper down are siblings
	Cut      bool   // more than MaxNodes; the rest was not read
	attrs    []Attr
	src, add string
}

// Pos is a place in the decoded source: line and column from 1, columns in characters.
// The zero Pos is unknown.
type Pos struct {
	Line int
	Col  int
}

// Fault is a parse error.
type Fault struct {
	Kind FaultKind
	Name string // of the element or attribute, in lower case, cut at 40 bytes
	At   int32  // offset of the tag or text
}

// Tag is a start tag that makes no node.
type Tag struct {
	Name atom.Atom
	At   int32 // offset
}

// FaultKind names a sort of parse error.
type FaultKind string

const (
	Unclosed          FaultKind = "unclosed"
	StrayEnd          FaultKind = "stray end tag"
	Misnested         FaultKind = "misnested"
	RepeatedAttribute FaultKind = "repeated attribute"
	AfterEnd          FaultKind = "after the end"
)

// What bounds a tree.
const (
	MaxDepth      = 512       // open elements; browsers stop there, too
	MaxNodes      = 1_000_000 // elements and texts: a tree takes some 70 MB then
	MaxFaults     = 40
	maxAttributes = 256       // of one element
	allAttributes = 4_000_000 // of all
)

func (t *Tree) text(s span) string {
	if s.from < 0 {
		return t.add[^s.from : ^s.from+s.to]
	}
	return t.src[s.from:s.to]
}

// Data is a text's text or an element's name.
func (t *Tree) Data(n *Node) string { return t.text(n.data) }

// Attr is the value of an attribute, and whether there is one.
func (t *Tree) Attr(n *Node, name string) (string, bool) {
	for i := n.attrs; i < n.attrsEnd; i++ {
		if a := &t.attrs[i]; t.text(a.name) == name {
			return t.text(a.value), true
		}
	}
	return "", false
}

// Attributes calls do for each attribute of an element.
func (t *Tree) Attributes(n *Node, do func(name, value string)) {
	for i := n.attrs; i < n.attrsEnd; i++ {
		do(t.text(t.attrs[i].name), t.text(t.attrs[i].value))
	}
}

// Content is what stands directly in an element such as title or script.
func (t *Tree) Content(n *Node) string {
	if n.First == 0 || t.Nodes[n.First].Kind != Text {
		return ""
	}
	return t.Data(&t.Nodes[n.First])
}
