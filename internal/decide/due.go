package decide

import (
	"context"
	"errors"
	"fmt"

	"harvik/internal/core/mishap"
	"harvik/internal/record"
)

// Weigh brings a site's newest finished crawl up to what is decided now: its report, fix list and map. That it is not
// is told by the signature that the crawl keeps, so that weighing can be cut off, and asked for twice, without harm.
func (d *Decisions) Weigh(ctx context.Context, site string) error {
	d.weighing.Lock()
	defer d.weighing.Unlock()
	now, err := d.store.Site(ctx, site)
	if err != nil || now.Latest == nil {
		return err
	}
	w, err := d.Decided(ctx, now)
	if err != nil || w.Signature == now.Weighed {
		return err
	}
	if err := d.readFigure(ctx, now, w); err != nil {
		return err
	}
	rec, err := d.store.Crawl(ctx, site, *now.Latest)
	if err != nil {
		return err
	}
	sheet, err := d.store.Sheet(ctx, rec.ID, "")
	if errors.Is(err, record.ErrNotFound) {
		return nil // made before there were sheets; it has to be judged again first
	}
	if err != nil {
		return err
	}
	return d.store.Reweigh(ctx, rec.ID, sheet.Build(w.Adjustment()), w.Weighing(sheet))
}

// WeighDue weighs all sites whose newest crawl does not stand as is decided now.
func (d *Decisions) WeighDue(ctx context.Context) error {
	sites, err := d.store.Sites(ctx)
	if err != nil {
		return err
	}
	var faults []error
	for i := range sites {
		err := mishap.Catch(func() error { return d.Weigh(ctx, sites[i].Name) })
		if err != nil && !errors.Is(err, record.ErrNotFound) { // it was removed meanwhile
			faults = append(faults, fmt.Errorf("%s: %w", sites[i].Name, err))
		}
	}
	return errors.Join(faults...)
}
