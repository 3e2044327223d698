package column

import (
	"strings"

	"harvik/internal/core/page"
)

// Read is what of a row is read from what was fetched: all but what only the whole crawl tells. Words are those of the
// whole main text.
func Read(f *page.Facts) Row {
	p := Row{
		Address: f.Address, Status: f.Status, Outcome: string(f.Outcome), Type: f.Type, Bytes: f.Bytes,
		FirstByte: f.Timing.FirstByte, Canonical: f.CanonicalSaid(), Redirect: f.Redirect, More: More(f),
	}
	p.Indexable, _ = f.Indexable()
	d := f.Document
	if d == nil {
		return p
	}
	_, p.Why = f.Indexable()
	p.HTML, p.Encoding, p.Kind, p.Words, p.Refresh = true, d.Charset, string(d.Kind), d.Words, d.Refresh
	p.Title, p.Description, p.H1, p.Language = d.Title(), d.Description(), d.H1(), d.Lang
	p.Robots = joinedParts(d.Robots.Said, func(t page.Text) string { return t.Text })
	p.Hreflang = joinedParts(d.Alternates, func(a page.Alternate) string { return a.Lang })
	headings, images, links := len(d.Headings), len(d.Images), len(d.Links)
	p.Headings, p.Images, p.LinksOut = &headings, &images, &links
	return p
}

// maxJoined bounds the parts of a list in a cell.
const maxJoined = 50

func joinedParts[T any](list []T, text func(T) string) string {
	parts := make([]string, 0, min(len(list), maxJoined))
	for i := range list[:min(len(list), maxJoined)] {
		parts = append(parts, text(list[i]))
	}
	return strings.Join(parts, ", ")
}
