package decide

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"harvik/internal/core/own"
	"harvik/internal/core/waive"
	"harvik/internal/record"
)

// Waive leaves something as it is, from now on.
func (d *Decisions) Waive(ctx context.Context, site record.Site, w record.Waiver) (record.Waiver, error) {
	one := waive.Waiver{Scope: w.Scope, Check: w.Check, On: w.On}
	checks, _ := own.With(d.catalogue, site.Plan) // those that are not understood today fail nowhere
	if err := one.Validate(checks.Known().Check); err != nil {
		return w, record.Mistaken("%s", err.Error())
	}
	if strings.TrimSpace(w.Reason) == "" {
		return w, record.Mistaken("a waiver needs a reason: why is this fine as it is?")
	}
	if w.Until != nil && !w.Holds(time.Now().UTC()) {
		return w, record.Mistaken("%s is over already; a waiver holds until the end of that day", w.Until)
	}
	if err := d.exists(ctx, site, w); err != nil {
		return w, err
	}
	id, err := d.store.AddWaiver(ctx, site.ID, w)
	if err != nil {
		return w, err
	}
	return d.waiver(ctx, site, id)
}

// exists refuses a waiver of a fix or layout that the site does not have.
func (d *Decisions) exists(ctx context.Context, site record.Site, w record.Waiver) error {
	switch w.Scope {
	case waive.Fix:
		rec, err := d.store.Crawl(ctx, site.Name, 0)
		if errors.Is(err, record.ErrNotFound) {
			return record.Refuse("the site has no finished crawl, so there are no fixes yet")
		}
		if err != nil {
			return err
		}
		lines, err := d.store.FixesOf(ctx, rec.ID)
		if err != nil {
			return err
		}
		if _, ok := lines[w.On]; !ok {
			return record.Mistaken("the newest fix list has no fix %s; `harvik fixes %s` shows them", w.On, site.Name)
		}
	case waive.Layout:
		known, err := d.store.KnownLayouts(ctx, site.ID)
		if err != nil {
			return err
		}
		if known[w.On] == nil {
			return record.Mistaken("the site has no layout %s; `harvik layouts %s` shows them", w.On, site.Name)
		}
	}
	return nil
}

// EndWaiver lets what a waiver covered count again.
func (d *Decisions) EndWaiver(ctx context.Context, site record.Site, id int64, who string) (record.Waiver, error) {
	if err := d.store.EndWaiver(ctx, site.ID, id, cmp.Or(who, "somebody")); err != nil {
		return record.Waiver{}, err
	}
	return d.waiver(ctx, site, id)
}

// waiver weighs the newest crawl by the waivers as they are now, and reads one.
func (d *Decisions) waiver(ctx context.Context, site record.Site, id int64) (record.Waiver, error) {
	if err := d.Weigh(ctx, site.Name); err != nil {
		return record.Waiver{}, err
	}
	all, err := d.store.Waivers(ctx, site.ID)
	if err != nil {
		return record.Waiver{}, err
	}
	i := slices.IndexFunc(all, func(w record.Waiver) bool { return w.ID == id })
	if i < 0 {
		return record.Waiver{}, record.ErrNotFound
	}
	return all[i], nil
}
