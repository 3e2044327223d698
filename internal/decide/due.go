package decide

import (
	"context"
	"errors"
	"fmt"
	"time"

	"harvik/internal/core/mishap"
	"harvik/internal/record"
)

// Weigh brings a site's newest finished crawl up to what is decided now: its report, fix list and map. That it is not is
// told by the signature that the crawl keeps, so that weighing can be cut off, and asked for twice, without harm.
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

// WeighSoon has those who attend look for what is due: a crawl has ended or gone, or what was to be weighed could not be.
func (d *Decisions) WeighSoon() {
	select {
	case d.due <- struct{}{}:
	default:
	}
}

// What could not be weighed is tried again after a while, and after twice as long each time.
const (
	firstRetry = 5 * time.Second
	lastRetry  = time.Hour
)

// Attend weighs what is due until ctx ends: at once, for what came while nobody attended, when WeighSoon asks, and after
// each midnight (UTC), when waivers run out.
func (d *Decisions) Attend(ctx context.Context) {
	retry := firstRetry
	for {
		wait := untilMidnight(time.Now())
		if err := d.WeighDue(ctx); err != nil && ctx.Err() == nil {
			d.log.Warn("crawls could not be weighed by what is decided; it is tried again", "reason", err.Error(), "seconds", int(retry.Seconds()))
			wait, retry = min(wait, retry), min(2*retry, lastRetry)
		} else {
			retry = firstRetry
		}
		select {
		case <-ctx.Done():
			return
		case <-d.due:
		case <-time.After(wait):
		}
	}
}

// untilMidnight is how long it is to a moment after the day's end.
func untilMidnight(now time.Time) time.Duration {
	y, m, day := now.UTC().Date()
	return time.Date(y, m, day+1, 0, 0, 1, 0, time.UTC).Sub(now)
}

// weighNow weighs after a decision was stored. Where that fails it is due, and the decision stands.
func (d *Decisions) weighNow(ctx context.Context, site string) error {
	err := d.Weigh(ctx, site)
	if err != nil {
		d.WeighSoon()
	}
	return err
}
