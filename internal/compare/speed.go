package compare

import (
	"context"
	"errors"
	"fmt"

	"harvik/internal/core/rendered"
	"harvik/internal/core/weburl"
	"harvik/internal/record"
)

// Speed is how soon the rendered pages of a crawl stand, by layout or section, beside an earlier crawl where there is
// one. A crawl that rendered nothing has no groups.
func (c *Comparisons) Speed(
	ctx context.Context,
	before *record.Crawl,
	after record.Crawl,
	by string,
) (*record.Speed, error) {
	groups, urls, layouts, err := c.groups(ctx, after, by)
	if err != nil {
		return nil, err
	}
	ask := asking(by, layouts)
	out := &record.Speed{By: by}
	type key struct{ name, device string }
	earlier := map[key]*rendered.Group{}
	if before != nil {
		was, _, _, err := c.groups(ctx, *before, by)
		if err != nil {
			return nil, err
		}
		for i := range was {
			earlier[key{was[i].Name, was[i].Device}] = &was[i]
			out.Before = before.Number
		}
	}
	at := func(id int32) string {
		if id < 0 || int(id) >= len(urls) {
			return ""
		}
		return urls[id]
	}
	for i := range groups {
		g := &groups[i]
		one := record.SpeedGroup{Group: *g, Address: at(g.Example), Question: ask(g),
			Before: earlier[key{g.Name, g.Device}]}
		for _, m := range rendered.Measures {
			slow := ""
			if one.Question != "" {
				slow = fmt.Sprintf("%s && %s > %.1f", one.Question, m.Fact, m.Bounds.Good)
			}
			one.Slow, one.Worst = append(one.Slow, slow), append(one.Worst, at(m.Of(g).Worst))
		}
		out.Groups = append(out.Groups, one)
	}
	return out, nil
}

// asking gives the question for the renderings of a group, by the number of a layout or by section.
func asking(by string, layouts map[string]int32) func(*rendered.Group) string {
	return func(g *rendered.Group) string {
		if by == record.BySection {
			return fmt.Sprintf("device == %q && page.section == %q", g.Device, g.Name)
		}
		if number, ok := layouts[g.Name]; ok && g.Name != "" {
			return fmt.Sprintf("device == %q && page.layout == %d", g.Device, number)
		}
		return ""
	}
}

// groups puts what a crawl rendered into groups. The addresses of the crawl are by number; the numbers that its layouts
// have in it are by name.
func (c *Comparisons) groups(ctx context.Context, rec record.Crawl, by string) (
	groups []rendered.Group, urls []string, layouts map[string]int32, err error) {
	if urls, err = c.store.URLs(ctx, rec.ID); err != nil {
		return nil, nil, nil, err
	}
	name := func(id int32) string { return weburl.FolderAbove(weburl.FolderOf(urls[id]), 2) }
	if by == record.ByLayout {
		if name, layouts, err = c.layoutNames(ctx, rec); err != nil {
			return nil, nil, nil, err
		}
	}
	var g rendered.Gathering
	err = c.store.EachRendering(ctx, rec.ID, nil, func(id int32, on []rendered.Page) error {
		if int(id) >= len(urls) {
			return nil
		}
		for i := range on {
			g.Add(name(id), id, &on[i])
		}
		return nil
	})
	return g.Groups(), urls, layouts, err
}

// layoutNames gives the name of the layout of a page, "" for one that is like no other; it is the same in all crawls.
// The numbers of this crawl are by name.
func (c *Comparisons) layoutNames(
	ctx context.Context,
	rec record.Crawl,
) (func(id int32) string, map[string]int32, error) {
	of, err := c.store.PageLayouts(ctx, rec.ID)
	if err != nil {
		return nil, nil, err
	}
	sheet, err := c.store.Sheet(ctx, rec.ID, "")
	if err != nil && !errors.Is(err, record.ErrNotFound) {
		return nil, nil, err
	}
	numbers := map[string]int32{}
	if sheet != nil {
		for i, name := range sheet.Layouts {
			numbers[name] = int32(i)
		}
	}
	return func(id int32) string {
		if layout, ok := of[id]; ok && sheet != nil {
			return sheet.LayoutName(layout)
		}
		return ""
	}, numbers, nil
}
