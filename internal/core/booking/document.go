package booking

import (
	"bytes"

	"harvik/internal/core/field"
	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/scope"
	"harvik/internal/core/weburl"
)

// A Reading turns bodies into documents as a plan wants it. It is safe for use from several goroutines.
type Reading struct {
	pages    *page.Reader
	scope    *scope.Scope
	snippets []plan.Snippet
	fields   *field.Fields
}

// NewReading makes a reading with the memory of a reader. Run bounds what a page can make slow, as of field.Fields. The
// error says which of the plan's fields cannot be understood today; the others are taken.
func NewReading(pages *page.Reader, s *scope.Scope, p plan.Plan, run func(func()) bool) (*Reading, error) {
	fields, err := field.New(p.Fields)
	fields.Run = run
	return &Reading{pages, s, p.Snippets, fields}, err
}

// Document gives facts their document, and the consultant's own facts. Header has the response's fields, by name.
func (r *Reading) Document(f *page.Facts, u weburl.URL, header func(name string) []string, body []byte) {
	one := func(name string) string {
		if values := header(name); len(values) > 0 {
			return values[0]
		}
		return ""
	}
	d := r.pages.Read(page.Response{
		Address: u, Status: f.Status, ContentType: one("Content-Type"), RobotsTag: header("X-Robots-Tag"),
		Link: header("Link"), Refresh: one("Refresh"), Body: body,
	})
	for _, s := range r.snippets {
		d.Snippets = append(d.Snippets, page.Snippet{Name: s.Name, Found: bytes.Contains(body, []byte(s.Contains))})
	}
	r.rewrite(d)
	if f.Document, f.Fields = d, nil; !r.fields.None() {
		f.Fields = r.fields.Take(field.Page{Source: page.Decode(body, d.Charset), Header: header})
	}
}

// Again reads a document anew from the source that was kept of it: what is not read from that stays as it was.
func (r *Reading) Again(old *page.Facts, source []byte) (*page.Facts, error) {
	u, err := weburl.Parse(old.Address)
	if err != nil {
		return nil, err
	}
	f := *old
	f.Version = page.Version
	r.Document(&f, u, old.HeaderValues, source)
	return &f, nil
}

// rewrite brings the document's addresses to the form that the plan's scope gives them.
func (r *Reading) rewrite(d *page.Document) {
	if !r.scope.Rewrites() {
		return
	}
	own := func(address *string) {
		if *address != "" && r.scope.Inside(*address) {
			*address = r.scope.Rewrite(*address)
		}
	}
	for i := range d.Links {
		own(&d.Links[i].Address)
	}
	for i := range d.Alternates {
		own(&d.Alternates[i].Address)
	}
	for i := range d.Canonicals {
		own(&d.Canonicals[i].Address)
	}
}
