// Package judging judges stored crawls anew, by other rules than they were judged by. Nothing is fetched, and no secret is
// opened.
package judging

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"
	"log/slog"

	"harvik/internal/core/check"
	"harvik/internal/core/checks"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/plan"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
	"harvik/internal/crawl"
	"harvik/internal/fetch"
	"harvik/internal/gear"
	"harvik/internal/record"
)

// Store is what of stored crawls is read, and where sheets are kept.
type Store interface {
	KnownLayouts(ctx context.Context, site int64) (map[string][]uint32, error)
	Sheet(ctx context.Context, crawl int64, rules string) (*fixlist.Sheet, error)
	KeepSheet(ctx context.Context, crawl int64, rules string, sheet *fixlist.Sheet) error
	Past(crawl int64) crawl.Past
	Source(ctx context.Context, crawl int64, url func(int32) string) survey.Source
}

// A Judge is safe for use from several goroutines.
type Judge struct {
	store Store
	gear  *gear.Gear
	log   *slog.Logger
}

// New makes a judge.
func New(s Store, g *gear.Gear, log *slog.Logger) *Judge { return &Judge{s, g, log} }

// RulesOf names the rules by which a crawl was judged: catalogue, thresholds, rules of the plan.
func RulesOf(rec record.Crawl) string {
	p := rec.Plan.WithDefaults()
	data, _ := json.Marshal([]any{rec.Catalogue, p.Limits, p.Checks, p.Kinds, p.Scope.Staging})
	h := fnv.New64a()
	h.Write(data)
	return hex.EncodeToString(h.Sum(nil))
}

// RulesToday names the rules of a crawl's plan with today's catalogue.
func RulesToday(rec record.Crawl) string {
	rec.Catalogue = checks.Version
	return RulesOf(rec)
}

// SheetBy is a crawl as judged by the rules of another's plan and today's catalogue. The note says why that could not be had, where
// the crawl's own judgement has to do.
func (j *Judge) SheetBy(ctx context.Context, rec, rules record.Crawl) (sheet *fixlist.Sheet, note string, err error) {
	as := RulesToday(rules)
	if RulesOf(rec) == as {
		sheet, err = j.store.Sheet(ctx, rec.ID, "")
		if !errors.Is(err, record.ErrNotFound) {
			return sheet, "", err
		}
	}
	if sheet, err = j.store.Sheet(ctx, rec.ID, as); !errors.Is(err, record.ErrNotFound) {
		return sheet, "", err
	}
	by, now := rec.Plan, rules.Plan
	by.Limits, by.Checks, by.Kinds, by.Scope.Staging = now.Limits, now.Checks, now.Kinds, now.Scope.Staging
	result, _, err := j.Rejudged(ctx, rec, by)
	var refusal *record.Refusal
	if errors.As(err, &refusal) {
		sheet, missing := j.store.Sheet(ctx, rec.ID, "")
		if missing != nil {
			return nil, "", err
		}
		return sheet, fmt.Sprintf("crawl %d is compared as it was judged: %s", rec.Number, refusal.Reason), nil
	}
	if err != nil {
		return nil, "", err
	}
	return result.Sheet, "", j.store.KeepSheet(ctx, rec.ID, as, result.Sheet)
}

// Rejudged is a finished crawl judged by a plan's rules and the checks of today; nothing is stored. Found is what fails on
// its pages.
func (j *Judge) Rejudged(ctx context.Context, rec record.Crawl, by plan.Plan) (result *crawl.Result, found []check.Finding, err error) {
	start, err := weburl.Parse(rec.Home)
	if err != nil {
		return nil, nil, err
	}
	layouts, err := j.store.KnownLayouts(ctx, rec.SiteID)
	if err != nil {
		return nil, nil, err
	}
	log := j.log.With("site", rec.Site, "crawl", rec.Number)
	p := by.WithDefaults()
	view := new(gear.Addresses)
	config := j.gear.Config(p, start, fetch.Guard{}, gear.Checks(p, log))
	config.Offline, config.Layouts, config.Log = true, layouts, log
	config.Past, config.Source = j.store.Past(rec.ID), j.store.Source(ctx, rec.ID, view.URL)
	c, err := crawl.New(config)
	if err != nil {
		return nil, nil, record.Refuse("%s", err.Error())
	}
	view.Of = c
	result, found, err = c.Rejudge(ctx, crawl.Ending(rec.Ending), rec.Probes)
	if old, ok := errors.AsType[*crawl.OldFactsError](err); ok {
		return nil, nil, record.Refuse("crawl %d cannot be judged again: %s", rec.Number, old)
	}
	return result, found, err
}
