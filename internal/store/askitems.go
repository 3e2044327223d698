package store

import (
	"context"
	"maps"
	"slices"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/query"
	"harvik/internal/core/structured"
	"harvik/internal/record"
)

// An item is something that stands on a page: what it says itself, and the address that it leads to.
type item struct {
	own    map[string]any
	target string
}

// itemsOf read what of pages is in tables of its own, and nothing else of their facts: that takes most of the time.
var itemsOf = map[string]func(data []byte) ([]item, error){
	"headings": func(data []byte) (out []item, err error) {
		var d struct{ Headings []page.Heading }
		err = decodeDocument(data, &d)
		for _, h := range d.Headings {
			out = append(
				out,
				item{own: map[string]any{"level": h.Level, "text": h.Text, "place": h.Place, "line": line(h.Line)}},
			)
		}
		return out, err
	},
	"images": func(data []byte) (out []item, err error) {
		var d struct{ Images []page.Image }
		err = decodeDocument(data, &d)
		for _, i := range d.Images {
			out = append(out, item{map[string]any{"alt": i.Alt, "hasAlt": i.HasAlt, "hasSize": i.HasSize, "lazy": i.Lazy,
				"sizes": i.Sizes, "early": i.Early, "alone": i.Alone, "place": i.Place, "line": line(i.Line)}, i.Address})
		}
		return out, err
	},
	"alternates": func(data []byte) (out []item, err error) {
		var d struct{ Alternates []page.Alternate }
		err = decodeDocument(data, &d)
		for _, a := range d.Alternates {
			out = append(out, item{map[string]any{"lang": a.Lang, "href": a.Href, "inHead": a.InHead, "header": a.Header,
				"line": line(a.Line)}, a.Address})
		}
		return out, err
	},
	"data": func(data []byte) (out []item, err error) {
		var d struct{ Data []structured.Item }
		err = decodeDocument(data, &d)
		for _, i := range d.Data {
			properties := []string{}
			for _, p := range i.Props {
				if !slices.Contains(properties, p.Name) {
					properties = append(properties, p.Name)
				}
			}
			out = append(
				out,
				item{own: map[string]any{"types": append([]string{}, i.Types...), "format": i.Format, "id": i.ID,
					"properties": properties, "line": line(i.Line)}},
			)
		}
		return out, err
	},
}

// line is that of a source, nil where it is not known.
func line(n int) any {
	if n == 0 {
		return nil
	}
	return n
}

// itemEnds are the pages that items stand on, and what they lead to, which need not have been fetched.
var itemEnds = map[string]bool{query.OfPage: false, query.Target: true}

// items goes over what stands on pages, that of several pages at once.
func (r *reading) items(ctx context.Context) error {
	pages, err := r.documents(ctx)
	if err != nil {
		return err
	}
	join, err := r.joining(ctx, itemEnds)
	if err != nil {
		return err
	}
	numbers := map[string]int32{}
	if len(join.ends[query.Target].places) > 0 {
		rows := []struct {
			ID  int32
			URL string
		}{}
		if err := r.store.db.SelectContext(ctx, &rows, "select id, url from address where crawl_id = $1", r.crawl); err != nil {
			return err
		}
		for _, one := range rows {
			numbers[one.URL] = one.ID
		}
	}
	of := itemsOf[join.table.Name]
	starts, leads := r.excluded(join, query.OfPage), r.excluded(join, query.Target)
	from := &Source{ctx: ctx, store: r.store, crawl: r.crawl}
	return readEach(
		from,
		slices.DeleteFunc(slices.Clone(pages), starts),
		factsPart,
		func(id int32, data []byte) (hits []hit, err error) {
			list, err := of(data)
			if err != nil {
				return nil, err
			}
			row := join.row()
			join.ends[query.OfPage].fill(row, id)
			for n, one := range list {
				for _, at := range join.own {
					row[at] = one.own[join.table.Facts[at].Name]
				}
				target, ok := numbers[one.target]
				if !ok || one.target == "" {
					target = -1
				}
				if leads(target) {
					continue
				}
				join.ends[query.Target].fill(row, target)
				if h, ok := r.make(id, int32(n), row); ok {
					h.other = target
					hits = append(hits, h)
				}
			}
			return hits, nil
		},
		r.takeAll,
	)
}

// sitemap goes over what sitemaps list, in order of address; a row's address is its place among them.
func (r *reading) sitemap(ctx context.Context) error {
	t := r.asked.Question.Of
	row := make([]any, len(t.Facts))
	n := int32(-1)
	return r.store.EachListed(ctx, r.crawl, func(one *record.Listed) error {
		n++
		values := map[string]any{
			"address":   one.Address,
			"state":     one.State,
			"status":    nil,
			"indexable": nil,
			"clicks":    nil,
			"linksIn":   one.LinksIn,
		}
		if one.Status > 0 {
			values["status"] = one.Status
		}
		if one.State == "fetched" {
			values["indexable"] = one.Indexable
		}
		if one.Depth >= 0 {
			values["clicks"] = one.Depth
		}
		for name, v := range values {
			row[t.Fact(name)] = v
		}
		t.Complete(row, r.wanted)
		if h, ok := r.make(n, 0, row); ok {
			r.take(h)
		}
		return nil
	})
}

// alikeIn are the checks that find pages alike, with what they are alike in.
var alikeIn = map[string]string{
	"title-duplicate":       "title",
	"description-duplicate": "description",
	"h1-duplicate":          "h1",
	"copy-duplicate":        "text",
	"copy-near-duplicate":   "nearly the text",
}

// duplicates goes over pages that are alike, page by page.
func (r *reading) duplicates(ctx context.Context) error {
	return r.found(
		ctx,
		slices.Collect(maps.Keys(alikeIn)),
		func(name string, f *record.PageFinding, p *check.Place) any {
			switch name {
			case "what":
				return alikeIn[f.Check]
			case "value":
				return p.Value
			case "shared":
				return line(p.Of)
			case "likeness":
				if p.Likeness > 0 {
					return p.Likeness
				}
				return nil
			}
			return append([]string{}, p.Others...)
		},
	)
}
