package main

import (
	"encoding/json"
	"fmt"
	"go/ast"
	"go/token"
	"go/types"
	"os"
	"path/filepath"
	"regexp"
	"sort"
	"strconv"
	"strings"

	"golang.org/x/tools/go/packages"
)

// A mutant is one change of one expression.
type mutant struct {
	id int
	// File is relative to the folder internal; function, line and change are as a reader of the code sees them.
	file, function, line, change string
	row                          int
}

// A room is a package with all its mutants compiled in.
type room struct {
	overlay string
	mutants []mutant
}

// Changes by token: what a mutant puts in the place of an operator.
var negated = map[token.Token]token.Token{
	token.EQL: token.NEQ, token.NEQ: token.EQL,
	token.LSS: token.GEQ, token.GEQ: token.LSS, token.GTR: token.LEQ, token.LEQ: token.GTR,
}

var moved = map[token.Token]token.Token{
	token.LSS: token.LEQ, token.LEQ: token.LSS, token.GTR: token.GEQ, token.GEQ: token.GTR,
}

var reckoned = map[token.Token]token.Token{
	token.ADD: token.SUB, token.SUB: token.ADD, token.MUL: token.QUO, token.QUO: token.MUL, token.REM: token.MUL,
}

// Functions of helpers that stand for an operator.
var stands = map[token.Token]string{
	token.LSS: "mutantLess", token.LEQ: "mutantAtMost", token.GTR: "mutantMore", token.GEQ: "mutantAtLeast",
	token.ADD: "mutantAdd", token.SUB: "mutantSubtract", token.MUL: "mutantMultiply", token.QUO: "mutantDivide",
	token.REM: "mutantRest",
}

// Change writes every file of a package anew, with its mutants, into a folder and an overlay that puts them in place.
func change(root, folder string, chosen *regexp.Regexp, work string) (room, error) {
	loaded, err := packages.Load(&packages.Config{
		Mode: packages.NeedName | packages.NeedFiles | packages.NeedSyntax | packages.NeedTypes |
			packages.NeedTypesInfo | packages.NeedImports | packages.NeedDeps,
		Dir:        root,
		BuildFlags: []string{"-tags=nomsgpack"},
	}, "./"+folder)
	if err != nil {
		return room{}, err
	}
	if len(loaded) != 1 || len(loaded[0].Errors) > 0 {
		return room{}, fmt.Errorf("load %s: %v", folder, loaded)
	}
	pkg := loaded[0]
	made := room{overlay: filepath.Join(work, "overlay.json")}
	replaced := map[string]string{}
	for _, file := range pkg.Syntax {
		path := pkg.Fset.Position(file.Pos()).Filename
		if ast.IsGenerated(file) || !chosen.MatchString(filepath.Base(path)) {
			continue
		}
		source, err := os.ReadFile(path)
		if err != nil {
			return room{}, err
		}
		w := writer{
			fset: pkg.Fset, info: pkg.TypesInfo, source: source, mutants: &made.mutants,
			file: strings.TrimPrefix(folder, "internal/") + "/" + filepath.Base(path),
		}
		w.walk(file)
		changed := filepath.Join(work, filepath.Base(path))
		if err := os.WriteFile(changed, w.text(), 0o600); err != nil {
			return room{}, err
		}
		replaced[path] = changed
	}
	helper := filepath.Join(work, "mutants.go")
	text := "package " + pkg.Name + "\n" + helpers + fmt.Sprintf("\nvar mutantsSeen [%d]atomic.Bool\n", len(made.mutants)+1)
	if err := os.WriteFile(helper, []byte(text), 0o600); err != nil {
		return room{}, err
	}
	absolute, err := filepath.Abs(filepath.Join(root, folder, "mutants_of_this_room.go"))
	if err != nil {
		return room{}, err
	}
	replaced[absolute] = helper
	overlay, err := json.Marshal(map[string]any{"Replace": replaced})
	if err != nil {
		return room{}, err
	}
	return made, os.WriteFile(made.overlay, overlay, 0o600)
}

// A writer collects what is put into the text of a file.
type writer struct {
	fset     *token.FileSet
	info     *types.Info
	source   []byte
	file     string
	function string
	mutants  *[]mutant
	edits    []edit
}

// An edit takes the bytes from at to end away and puts text there. Of several at one place, the outer comes first where
// something begins and last where it ends: that is the order in which they are kept, or its reverse.
type edit struct {
	at, end int
	text    string
	order   int
}

func (w *writer) offset(p token.Pos) int { return w.fset.Position(p).Offset }

func (w *writer) put(at, end int, text string, order int) {
	w.edits = append(w.edits, edit{at, end, text, order})
}

func (w *writer) mutant(at token.Pos, change string) string {
	position := w.fset.Position(at)
	line := string(w.source)
	begin := strings.LastIndexByte(line[:position.Offset], '\n') + 1
	if end := strings.IndexByte(line[begin:], '\n'); end >= 0 {
		line = line[begin : begin+end]
	}
	id := len(*w.mutants) + 1
	*w.mutants = append(*w.mutants, mutant{
		id: id, file: w.file, function: w.function, line: strings.TrimSpace(line), change: change, row: position.Line,
	})
	return strconv.Itoa(id)
}

func (w *writer) walk(file *ast.File) {
	depth := 0
	ast.Inspect(file, func(n ast.Node) bool {
		if n == nil {
			depth--
			return true
		}
		depth++
		switch n := n.(type) {
		case *ast.FuncDecl:
			w.function = n.Name.Name
		case *ast.BinaryExpr:
			w.binary(n, depth)
		case *ast.UnaryExpr:
			if n.Op == token.SUB && w.varies(n) {
				w.put(w.offset(n.Pos()), w.offset(n.X.Pos()), "mutantNegate("+w.mutant(n.Pos(), "-x to x")+", ", depth)
				w.put(w.offset(n.End()), w.offset(n.End()), ")", -depth)
			}
		case *ast.IncDecStmt:
			name, sign := "+=", "++ to --"
			if n.Tok == token.DEC {
				name, sign = "-=", "-- to ++"
			}
			operand := string(w.source[w.offset(n.X.Pos()):w.offset(n.X.End())])
			w.put(w.offset(n.TokPos), w.offset(n.End()), fmt.Sprintf(" %s mutantOne(%s, %s)", name, w.mutant(n.Pos(), sign), operand), depth)
		}
		return true
	})
}

// Varies is false of constants, which the compiler reckons.
func (w *writer) varies(e ast.Expr) bool {
	tv, ok := w.info.Types[e]
	return ok && tv.Value == nil
}

// Typed names the type of an expression where it has one of the language's own: a constant that is shifted takes its
// type from where it stands.
func (w *writer) typed(e ast.Expr) string {
	if basic, ok := w.info.Types[e].Type.(*types.Basic); ok && basic.Info()&types.IsUntyped == 0 {
		return "[" + basic.Name() + "]"
	}
	return ""
}

func (w *writer) binary(n *ast.BinaryExpr, depth int) {
	if !w.varies(n) {
		return
	}
	begin, end := w.offset(n.Pos()), w.offset(n.End())
	opBegin := w.offset(n.OpPos)
	opEnd := opBegin + len(n.Op.String())
	if other, ok := moved[n.Op]; ok {
		call := fmt.Sprintf("%s%s(%s, %s, ", stands[n.Op], w.typed(n.X), w.mutant(n.OpPos, n.Op.String()+" to "+other.String()),
			w.mutant(n.OpPos, n.Op.String()+" to "+negated[n.Op].String()))
		w.put(begin, begin, call, depth)
		w.put(opBegin, opEnd, ",", depth)
		w.put(end, end, ")", -depth)
		return
	}
	if other, ok := negated[n.Op]; ok {
		w.put(begin, begin, "(mutantOn("+w.mutant(n.OpPos, n.Op.String()+" to "+other.String())+") != (", depth)
		w.put(end, end, "))", -depth)
		return
	}
	other, ok := reckoned[n.Op]
	if !ok {
		return
	}
	basic, isBasic := w.info.Types[n].Type.Underlying().(*types.Basic)
	if !isBasic || basic.Info()&types.IsNumeric == 0 || basic.Info()&types.IsComplex != 0 {
		return
	}
	w.put(begin, begin, stands[n.Op]+w.typed(n)+"("+w.mutant(n.OpPos, n.Op.String()+" to "+other.String())+", ", depth)
	w.put(opBegin, opEnd, ",", depth)
	w.put(end, end, ")", -depth)
}

// Text is the file with everything put in.
func (w *writer) text() []byte {
	sort.SliceStable(w.edits, func(i, j int) bool {
		a, b := w.edits[i], w.edits[j]
		if a.at != b.at {
			return a.at < b.at
		}
		// What ends here (order below zero, the inner first) stands before what begins here (the outer first).
		if (a.order < 0) != (b.order < 0) {
			return a.order < 0
		}
		return a.order < b.order
	})
	var made []byte
	at := 0
	for _, e := range w.edits {
		if e.at > at {
			made = append(made, w.source[at:e.at]...)
			at = e.at
		}
		made = append(made, e.text...)
		at = max(at, e.end)
	}
	return append(made, w.source[at:]...)
}
