package judging

import (
	"context"
	"errors"
	"fmt"
	"strconv"

	"harvik/internal/core/fixlist"
	"harvik/internal/core/mishap"
	"harvik/internal/record"
)

// SheetBy is a crawl as judged by the rules of another's plan and today's catalogue. Mostly it was made ahead; where it
// was not, it is waited for, and made once however many wait. The note says why it could not be had, where the crawl's
// own judgement has to do.
func (j *Judge) SheetBy(ctx context.Context, rec, rules record.Crawl) (sheet *fixlist.Sheet, note string, err error) {
	as := j.RulesToday(rules)
	if sheet, err = j.kept(ctx, rec, as); !errors.Is(err, record.ErrNotFound) {
		return sheet, "", err
	}
	made := j.making.DoChan(strconv.FormatInt(rec.ID, 10)+" "+as, func() (any, error) {
		// It goes on when whoever asked first has gone: the next one will ask for the same.
		return j.make(context.WithoutCancel(ctx), rec, rules, as)
	})
	select {
	case <-ctx.Done():
		return nil, "", ctx.Err()
	case r := <-made:
		var refusal *record.Refusal
		if errors.As(r.Err, &refusal) {
			sheet, missing := j.store.Sheet(ctx, rec.ID, "")
			if missing != nil {
				return nil, "", r.Err
			}
			return sheet, fmt.Sprintf("crawl %d is compared as it was judged: %s", rec.Number, refusal.Reason), nil
		}
		if r.Err != nil {
			return nil, "", r.Err
		}
		return r.Val.(*fixlist.Sheet), "", nil
	}
}

// kept is the sheet of a crawl by some rules, if it was made; record.ErrNotFound if not.
func (j *Judge) kept(ctx context.Context, rec record.Crawl, as string) (*fixlist.Sheet, error) {
	for _, name := range names(rec, as) {
		if sheet, err := j.store.Sheet(ctx, rec.ID, name); !errors.Is(err, record.ErrNotFound) {
			return sheet, err
		}
	}
	return nil, record.ErrNotFound
}

// names are those under which a crawl's sheet by some rules may be kept: its own judgement has none.
func names(rec record.Crawl, as string) []string {
	if RulesOf(rec) == as {
		return []string{"", as}
	}
	return []string{as}
}

// make judges a crawl by the rules of another, and keeps that.
func (j *Judge) make(ctx context.Context, rec, rules record.Crawl, as string) (sheet *fixlist.Sheet, err error) {
	err = mishap.Catch(func() error {
		result, _, err := j.Rejudged(ctx, rec, rec.Plan.Under(rules.Plan.Rules()))
		if err != nil {
			return err
		}
		sheet = result.Sheet
		return j.store.KeepSheet(ctx, rec.ID, as, sheet)
	})
	return sheet, err
}

// mostAhead is how many of a site's newest crawls are judged ahead: as many as its trend shows at first.
const mostAhead = 24

// Ahead judges the crawls of each site by the rules of its newest, as far as that has not been done, the newest
// first: so that whoever compares them need not wait.
func (j *Judge) Ahead(ctx context.Context) error {
	sites, err := j.store.Sites(ctx)
	if err != nil {
		return err
	}
	var faults []error
	for i := range sites {
		faults = append(faults, j.AheadOf(ctx, sites[i]))
	}
	return errors.Join(faults...)
}

// AheadOf is Ahead for one site.
func (j *Judge) AheadOf(ctx context.Context, site record.Site) error {
	crawls, err := j.store.FinishedCrawls(ctx, site.ID, mostAhead)
	if err != nil {
		return err
	}
	var faults []error
	for n := len(crawls) - 1; n >= 0; n-- {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		err := j.prepare(ctx, crawls[n], crawls[len(crawls)-1])
		var refusal *record.Refusal
		// it may be removed meanwhile
		if err != nil && !errors.As(err, &refusal) && !errors.Is(err, record.ErrNotFound) {
			faults = append(faults, fmt.Errorf("%s@%d: %w", site.Name, crawls[n].Number, err))
		}
	}
	return errors.Join(faults...)
}

// prepare has a crawl be judged by the rules of another, if it is not yet.
func (j *Judge) prepare(ctx context.Context, rec, rules record.Crawl) error {
	for _, name := range names(rec, j.RulesToday(rules)) {
		if has, err := j.store.HasSheet(ctx, rec.ID, name); has || err != nil {
			return err
		}
	}
	_, _, err := j.SheetBy(ctx, rec, rules)
	return err
}
