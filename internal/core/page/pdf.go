package page

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/pdfcpu/pdfcpu/pkg/api"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"
)

// PDF is what a PDF document says about itself (ISO 32000-1, 7.7.2 and 14.3).
type PDF struct {
	Title string
	Lang  string
	Pages int
	Fault string // why it could not be read
}

func init() { api.DisableConfigDir() } // the library would keep settings of its own on disk

// ReadPDF never fails: a document that cannot be read says so.
func ReadPDF(data []byte) (out *PDF) {
	out = new(PDF)
	defer func() {
		if p := recover(); p != nil { // the library's reader is not made for hostile files
			*out = PDF{Fault: fmt.Sprint(p)}
		}
		out.Title, out.Lang, out.Fault = short(out.Title), short(out.Lang), short(out.Fault)
	}()
	conf := model.NewDefaultConfiguration()
	conf.ValidationMode = model.ValidationRelaxed
	ctx, err := api.ReadContext(bytes.NewReader(data), conf)
	if err != nil {
		out.Fault = err.Error()
		return out
	}
	if err := ctx.EnsurePageCount(); err == nil {
		out.Pages = ctx.PageCount
	}
	if root, err := ctx.Catalog(); err == nil {
		out.Lang = pdfText(ctx, root["Lang"])
	}
	if ctx.Info != nil {
		if info, err := ctx.DereferenceDict(*ctx.Info); err == nil {
			out.Title = pdfText(ctx, info["Title"])
		}
	}
	return out
}

func pdfText(ctx *model.Context, o types.Object) string {
	o, err := ctx.Dereference(o)
	if err != nil || o == nil {
		return ""
	}
	s, err := types.StringOrHexLiteral(o)
	if err != nil || s == nil {
		return ""
	}
	return *s
}

// short is a text of a document, fit to be stored.
func short(s string) string {
	s = strings.TrimSpace(strings.ReplaceAll(strings.ToValidUTF8(s, "\uFFFD"), "\x00", ""))
	if r := []rune(s); len(r) > 300 {
		return string(r[:300]) + "…"
	}
	return s
}
