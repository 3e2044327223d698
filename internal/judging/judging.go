// Package judging judges crawls: at their end, and later anew, by other rules than they were judged by. Nothing is
// fetched, and no secret is opened.
package judging

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"
	"log/slog"

	"golang.org/x/sync/singleflight"

	"harvik/internal/core/booking"
	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/mishap"
	"harvik/internal/core/own"
	"harvik/internal/core/plan"
	"harvik/internal/record"
)

// Store is what of stored crawls is read, and where sheets are kept.
type Store interface {
	Sites(ctx context.Context) ([]record.Site, error)
	FinishedCrawls(ctx context.Context, site int64, limit int) ([]record.Crawl, error)
	HasSheet(ctx context.Context, crawl int64, rules string) (bool, error)
	Sheet(ctx context.Context, crawl int64, rules string) (*fixlist.Sheet, error)
	KeepSheet(ctx context.Context, crawl int64, rules string, sheet *fixlist.Sheet) error
	LoadSurvey(ctx context.Context, rec record.Crawl) (*booking.Stored, error)
}

// A Judge is safe for use from several goroutines.
type Judge struct {
	store     Store
	catalogue *check.Catalogue
	log       *slog.Logger
	making    singleflight.Group // sheets, by crawl and rules
}

// New makes a judge.
func New(s Store, c *check.Catalogue, log *slog.Logger) *Judge {
	return &Judge{store: s, catalogue: c, log: log}
}

// Version is that of the catalogue.
func (j *Judge) Version() int { return j.catalogue.Version }

// RulesOf names the rules by which a crawl was judged: catalogue, thresholds, rules of the plan.
func RulesOf(rec record.Crawl) string {
	r := rec.Plan.WithDefaults().Rules()
	by := []any{rec.Catalogue, r.Limits, r.Checks, r.Kinds, r.Staging} // as older ones were named
	if len(r.Own) > 0 {
		by = append(by, r.Own)
	}
	data, _ := json.Marshal(by)
	h := fnv.New64a()
	h.Write(data)
	return hex.EncodeToString(h.Sum(nil))
}

// RulesToday names the rules of a crawl's plan with today's catalogue.
func (j *Judge) RulesToday(rec record.Crawl) string {
	rec.Catalogue = j.catalogue.Version
	return RulesOf(rec)
}

// Rejudged is a finished crawl judged by a plan's rules and the checks of today, without a report; nothing is stored.
// Found is what fails on its pages.
func (j *Judge) Rejudged(
	ctx context.Context, rec record.Crawl, by plan.Plan,
) (result *booking.Result, found []check.Finding, err error) {
	stored, err := j.store.LoadSurvey(ctx, rec)
	if err != nil {
		return nil, nil, err
	}
	stored.Plan = by.WithDefaults()
	if err := stored.Plan.CheckPatterns(); err != nil {
		return nil, nil, record.Refuse("%s", err.Error())
	}
	result, found, err = stored.Judge(j.Runner(stored.Plan, j.log.With("site", rec.Site, "crawl", rec.Number)))
	if old, ok := errors.AsType[*booking.OldFactsError](err); ok {
		return nil, nil, record.Refuse("crawl %d cannot be judged again: %s", rec.Number, old)
	}
	return result, found, err
}

// A Sink is what is told of a crawl's judgement while it is being made.
type Sink interface {
	SaveSite(ctx context.Context, found []check.Finding) error
	DropSite(ctx context.Context) error
	Finish(ctx context.Context) error
}

// Ended is a crawl that has just ended.
type Ended struct {
	Book    *booking.Book
	Harvest *booking.Harvest
	Sink    Sink                                          // what is found on the whole site goes there
	Further bool                                          // an earlier attempt may have left something there
	Ends    func() error                                  // asked before each part is kept; its error ends the judging
	Weigh   func(*fixlist.Sheet) (*fixlist.Report, error) // makes the report
}

// Judge judges the crawl. The report is made beside what the sink does to finish.
func (e *Ended) Judge(ctx context.Context) (*booking.Result, error) {
	if e.Further {
		if err := e.Sink.DropSite(ctx); err != nil {
			return nil, err
		}
	}
	result, err := e.Book.Judge(e.Harvest, func(found []check.Finding) error {
		if err := e.Ends(); err != nil {
			return err
		}
		return e.Sink.SaveSite(ctx, found)
	})
	if err != nil {
		return nil, err
	}
	settled := make(chan error, 1)
	go func() { settled <- mishap.Catch(func() error { return e.Sink.Finish(ctx) }) }()
	err = mishap.Catch(func() (err error) {
		result.Report, err = e.Weigh(result.Sheet)
		return err
	})
	if err := errors.Join(err, <-settled); err != nil {
		return nil, err
	}
	return result, nil
}

// Runner runs the catalogue as a plan wants it.
func (j *Judge) Runner(p plan.Plan, log *slog.Logger) *check.Runner {
	return Watched(check.NewRunner(Catalogue(j.catalogue, p, log).Checks, p), log)
}

// Catalogue is a catalogue with a plan's own checks. What of them cannot be understood any more is logged.
func Catalogue(c *check.Catalogue, p plan.Plan, log *slog.Logger) *check.Catalogue {
	all, err := own.With(c, p)
	if err != nil {
		log.Warn("a check of the plan's own is left out", "reason", err.Error())
	}
	return all
}

// Watched has a runner log the checks that panic.
func Watched(r *check.Runner, log *slog.Logger) *check.Runner {
	r.Panicked = func(c *check.Check, address string, v any) {
		log.Error("check panicked", "check", c.ID, "address", address, "value", fmt.Sprint(v))
	}
	return r
}
