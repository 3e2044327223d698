package rendered

import (
	"slices"
	"strings"

	"harvik/internal/core/page"
	"harvik/internal/core/structured"
	"harvik/internal/core/text"
)

// Compare puts into a page what stands otherwise in its source and in what a browser built from it. Both were read in
// the same way; what only the order of attributes or white space tells apart is alike.
func (p *Page) Compare(source, built *page.Document) {
	p.Source, p.Words = source.Words, built.Words
	p.Differs = nil
	for _, one := range []struct {
		what          string
		source, built []string
	}{
		{"title", said(source.Title()), said(built.Title())},
		{"description", said(source.Description()), said(built.Description())},
		{"canonical", eachOnce(source.Canonicals, refAddress), eachOnce(built.Canonicals, refAddress)},
		{"robots", robots(source), robots(built)},
		{"language", said(strings.ToLower(source.Lang)), said(strings.ToLower(built.Lang))},
		{"headings", headings(source), headings(built)},
		{"text", lines(source), lines(built)},
		{"links", eachOnce(source.Links, linkAddress), eachOnce(built.Links, linkAddress)},
		{"images", eachOnce(source.Images, imageAddress), eachOnce(built.Images, imageAddress)},
		{"data", data(source), data(built)},
		{"alternates", alternates(source), alternates(built)},
	} {
		d := Difference{What: one.what}
		only, lost := without(one.built, one.source), without(one.source, one.built)
		if one.what == "links" {
			p.Links, p.Lost, p.AllLinks = len(only), len(lost), len(one.built)
		}
		if len(only)+len(lost) == 0 {
			continue
		}
		d.Source, d.Built = listed(lost, &d.More), listed(only, &d.More)
		p.Differs = append(p.Differs, d)
	}
}

// without are the values of a list that another does not have, as often as it has them more often.
func without(list, other []string) (out []string) {
	left := map[string]int{}
	for _, v := range other {
		left[v]++
	}
	for _, v := range list {
		if left[v]--; left[v] < 0 {
			out = append(out, v)
		}
	}
	return out
}

// listed are values as they are kept.
func listed(values []string, more *int) (out []string) {
	for i, v := range values {
		if i == MostListed {
			*more += len(values) - i
			break
		}
		out = append(out, Short(v))
	}
	return out
}

// Short is a text as it is kept.
func Short(s string) string { return text.Shorten(s, MostLong, MostLong-1, 0) }

func said(s string) []string {
	if s = plain(s); s == "" {
		return nil
	}
	return []string{s}
}

// plain is a text with its white space as it is shown.
func plain(s string) string { return strings.Join(strings.Fields(s), " ") }

// eachOnce are what a list says, each once and in its order.
func eachOnce[T any](list []T, says func(*T) string) (out []string) {
	seen := map[string]bool{"": true}
	for i := range list {
		if s := says(&list[i]); !seen[s] {
			seen[s] = true
			out = append(out, s)
		}
	}
	return out
}

func refAddress(r *page.Ref) string { return r.Address }

func linkAddress(l *page.Link) string { return l.Address }

func imageAddress(i *page.Image) string { return i.Address }

func robots(d *page.Document) []string {
	var all []string
	for i := range d.Robots.Said {
		all = append(all, strings.Split(strings.ToLower(d.Robots.Said[i].Text), ",")...)
	}
	out := eachOnce(all, func(s *string) string { return plain(*s) })
	slices.Sort(out)
	return out
}

func headings(d *page.Document) (out []string) {
	for i := range d.Headings {
		h := &d.Headings[i]
		out = append(out, "h"+string(rune('0'+h.Level))+" "+plain(h.Text))
	}
	return out
}

// lines are those of the main text.
func lines(d *page.Document) (out []string) {
	for line := range strings.Lines(d.MainText) {
		if line = plain(line); line != "" {
			out = append(out, line)
		}
	}
	return out
}

func data(d *page.Document) (out []string) {
	for i := range d.Data {
		out = append(out, itemSays(&d.Data[i]))
	}
	return out
}

// itemSays is an item of structured data with what it says, in the order of names.
func itemSays(i *structured.Item) string {
	var says []string
	for _, p := range i.Props {
		if p.Item != nil {
			says = append(says, p.Name+": "+strings.Join(p.Item.Types, ", "))
		} else {
			says = append(says, p.Name+": "+plain(p.Text))
		}
	}
	slices.Sort(says)
	return strings.Join(i.Types, ", ") + " (" + strings.Join(says, "; ") + ")"
}

func alternates(d *page.Document) (out []string) {
	for i := range d.Alternates {
		out = append(out, strings.ToLower(d.Alternates[i].Lang)+" "+d.Alternates[i].Address)
	}
	return out
}
