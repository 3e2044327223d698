// Package decide is what the consultant decided about a site: what is left as it is, and by which figure its pages
// weigh.
package decide

import (
	"context"
	"encoding/hex"
	"fmt"
	"hash/fnv"
	"sync"
	"time"

	"harvik/internal/core/check"
	"harvik/internal/core/figures"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/waive"
	"harvik/internal/record"
)

// Store is where decisions are kept, with the crawls that they weigh.
type Store interface {
	Sites(ctx context.Context) ([]record.Site, error)
	Site(ctx context.Context, name string) (record.Site, error)
	Waivers(ctx context.Context, site int64) ([]record.Waiver, error)
	AddWaiver(ctx context.Context, site int64, w record.Waiver) (id int64, err error)
	EndWaiver(ctx context.Context, site, id int64, who string) error
	FigureState(ctx context.Context, site int64, name string) (string, error)
	NewestFigure(ctx context.Context, site int64, name string) (map[string]float64, error)
	FigureSets(ctx context.Context, site int64) ([]record.FigureSet, error)
	SetImportance(ctx context.Context, site int64, name string) error
	RemoveFigure(ctx context.Context, site int64, name string) error
	SaveFigures(ctx context.Context, site int64, taken record.Day, table *figures.Table, each func(*figures.Row)) error
	PageAddresses(ctx context.Context, crawl int64) (map[string]bool, error)
	Crawl(ctx context.Context, site string, number int) (record.Crawl, error)
	Sheet(ctx context.Context, crawl int64, rules string) (*fixlist.Sheet, error)
	Reweigh(ctx context.Context, crawl int64, r *fixlist.Report, w record.Weighing) error
	FixesOf(ctx context.Context, crawl int64) (map[string]record.Task, error)
	KnownLayouts(ctx context.Context, site int64) (map[string][]uint32, error)
}

// Decisions are safe for use from several goroutines.
type Decisions struct {
	store     Store
	catalogue *check.Catalogue
	room      func() error // whether there is space to keep more

	weighing sync.Mutex // one crawl is weighed anew at a time
}

// New makes decisions.
func New(s Store, c *check.Catalogue, room func() error) *Decisions {
	return &Decisions{store: s, catalogue: c, room: room}
}

// Weights are what the consultant decided about a site, as of now.
type Weights struct {
	Signature string
	Set       *waive.Set
	figure    map[string]float64
	All       []record.Waiver
}

// Decided reads the waivers that hold today and names them together with the figure that weighs pages.
func (d *Decisions) Decided(ctx context.Context, site record.Site) (*Weights, error) {
	waivers, err := d.store.Waivers(ctx, site.ID)
	if err != nil {
		return nil, err
	}
	w := &Weights{All: waivers}
	today := time.Now().UTC()
	var holding []waive.Waiver
	h := fnv.New64a()
	for _, one := range waivers {
		if one.Holds(today) && one.Broken == "" {
			holding = append(holding, waive.Waiver{ID: one.ID, Scope: one.Scope, Check: one.Check, On: one.On})
			fmt.Fprintf(h, "%d;", one.ID)
		}
	}
	w.Set = waive.NewSet(holding)
	imported := ""
	if site.Importance != "" {
		if imported, err = d.store.FigureState(ctx, site.ID, site.Importance); err != nil {
			return nil, err
		}
	}
	if len(holding) > 0 || imported != "" {
		fmt.Fprintf(h, "%s %s", site.Importance, imported)
		w.Signature = hex.EncodeToString(h.Sum(nil))
	}
	return w, nil
}

// Weights is what is decided about a site, with the figure that weighs its pages.
func (d *Decisions) Weights(ctx context.Context, site record.Site) (*Weights, error) {
	w, err := d.Decided(ctx, site)
	if err != nil {
		return nil, err
	}
	return w, d.readFigure(ctx, site, w)
}

// readFigure adds the figure that weighs a site's pages to what is decided, if there is one.
func (d *Decisions) readFigure(ctx context.Context, site record.Site, w *Weights) (err error) {
	if site.Importance != "" {
		w.figure, err = d.store.NewestFigure(ctx, site.ID, site.Importance)
	}
	return err
}

func (w *Weights) Adjustment() fixlist.Adjustment {
	a := fixlist.Adjustment{Figure: w.figure}
	if w.Set.Size() > 0 {
		a.Waived = w.Set.Covers
	}
	return a
}

// Weighing counts what each waiver covers in a sheet.
func (w *Weights) Weighing(s *fixlist.Sheet) record.Weighing {
	out := record.Weighing{Signature: w.Signature, Matches: map[int64]record.Matched{}}
	for _, one := range w.All {
		out.Matches[one.ID] = record.Matched{}
	}
	if w.Set.Size() == 0 {
		return out
	}
	type covered struct {
		waiver  int64
		address string
	}
	seen := map[covered]bool{}
	s.EachFinding(func(f fixlist.Found) {
		w.Set.Covering(f.Check, f.Address, f.Layout, f.Fix, func(id int64) {
			m := out.Matches[id]
			m.Findings += f.Places
			if at := (covered{id, f.Address}); f.Address != "" && !seen[at] {
				seen[at] = true
				m.Pages++
			}
			out.Matches[id] = m
		})
	})
	return out
}
