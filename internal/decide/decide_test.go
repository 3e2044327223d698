package decide

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"harvik/internal/core/figures"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/plan"
	"harvik/internal/core/waive"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

// kept is what is decided, in memory, with one crawl. What a test does not expect to be asked for panics.
type kept struct {
	Store
	sync.Mutex
	waivers []record.Waiver
	state   string
	figure  map[string]float64
	crawl   record.Crawl
	sheet   *fixlist.Sheet
	pages   map[string]bool
	rows    []figures.Row
	site    record.Site
	weighed int
	away    error // that the sheet cannot be read
}

func (k *kept) Site(context.Context, string) (record.Site, error) {
	k.Lock()
	defer k.Unlock()
	k.site.Weighed = k.crawl.Weighed
	return k.site, nil
}
func (k *kept) Sites(ctx context.Context) ([]record.Site, error) {
	site, err := k.Site(ctx, "")
	return []record.Site{site}, err
}
func (k *kept) FigureSets(context.Context, int64) ([]record.FigureSet, error) {
	return []record.FigureSet{{Name: "visits", Kind: "number"}, {Name: "owner", Kind: "text"}}, nil
}
func (k *kept) SetImportance(_ context.Context, _ int64, name string) error {
	k.site.Importance = name
	return nil
}
func (k *kept) RemoveFigure(_ context.Context, _ int64, name string) error {
	if k.site.Importance == name {
		k.site.Importance = ""
	}
	return nil
}

func (k *kept) Waivers(context.Context, int64) ([]record.Waiver, error) {
	k.Lock()
	defer k.Unlock()
	return k.waivers, nil
}
func (k *kept) AddWaiver(_ context.Context, _ int64, w record.Waiver) (int64, error) {
	w.ID = int64(len(k.waivers) + 1)
	k.waivers = append(k.waivers, w)
	return w.ID, nil
}
func (k *kept) EndWaiver(_ context.Context, _, id int64, who string) error {
	for i := range k.waivers {
		if w := &k.waivers[i]; w.ID == id && w.Ended == nil {
			now := time.Now()
			w.Ended, w.EndedBy = &now, who
			return nil
		}
	}
	return record.ErrNotFound
}
func (k *kept) FigureState(context.Context, int64, string) (string, error) { return k.state, nil }
func (k *kept) NewestFigure(context.Context, int64, string) (map[string]float64, error) {
	return k.figure, nil
}
func (k *kept) Crawl(context.Context, string, int) (record.Crawl, error) {
	k.Lock()
	defer k.Unlock()
	if k.crawl.ID == 0 {
		return k.crawl, record.ErrNotFound
	}
	return k.crawl, nil
}
func (k *kept) Sheet(context.Context, int64, string) (*fixlist.Sheet, error) {
	k.Lock()
	defer k.Unlock()
	if k.sheet == nil {
		return nil, record.ErrNotFound
	}
	return k.sheet, k.away
}
func (k *kept) Reweigh(_ context.Context, _ int64, r *fixlist.Report, w record.Weighing) error {
	k.Lock()
	defer k.Unlock()
	k.weighed++
	k.crawl.Report, k.crawl.Weighed = &record.Summary{Report: r, Fixes: len(r.Fixes)}, w.Signature
	for i := range k.waivers {
		m := w.Matches[k.waivers[i].ID]
		k.waivers[i].Findings, k.waivers[i].Pages = m.Findings, m.Pages
	}
	return nil
}
func (k *kept) FixesOf(context.Context, int64) (map[string]record.Task, error) {
	out := map[string]record.Task{}
	for _, f := range k.crawl.Report.Report.Fixes {
		out[f.ID] = record.Task{}
	}
	return out, nil
}
func (k *kept) KnownLayouts(context.Context, int64) (map[string][]uint32, error) {
	return map[string][]uint32{"L1": {1}}, nil
}
func (k *kept) PageAddresses(context.Context, int64) (map[string]bool, error) { return k.pages, nil }
func (k *kept) SaveFigures(_ context.Context, _ int64, _ record.Day, table *figures.Table,
	each func(*figures.Row)) error {
	return table.Each(func(row figures.Row) error {
		each(&row)
		k.rows = append(k.rows, row)
		return nil
	})
}

// crawled is a store with a crawl of a small site, without any titles.
func crawled(t *testing.T) (*Decisions, *kept, record.Site) {
	t.Helper()
	address := "http://" + testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Write(
			[]byte(
				`<html lang="en"><head></head><body><h1>Ferns</h1><p>All year. <a href="/moss/">Moss</a> <a href="/shop/">Shop</a> <a href="/">Home</a></p></body></html>`,
			),
		)
	})) + "/"
	r, _ := testkit.Crawl(t, address, plan.Plan{Probes: plan.No()})
	k := &kept{sheet: r.Sheet, crawl: record.Crawl{ID: 5, Number: 1, State: "finished",
		Report: &record.Summary{Report: r.Report, Fixes: len(r.Report.Fixes)}}}
	latest := 1
	k.site = record.Site{ID: 1, Name: "fernhollow", Home: address, Latest: &latest}
	return New(k, testkit.Catalogue, func() error { return nil }), k, k.site
}

// TestWaive lets a waiver count at once, and its end too; what is waived is counted.
func TestWaive(t *testing.T) {
	d, k, site := crawled(t)
	before := k.crawl.Report.Health
	w, err := d.Waive(t.Context(), site,
		record.Waiver{Scope: waive.Page, On: site.Home + "shop/", Reason: "the shop goes in spring"})
	if err != nil {
		t.Fatal(err)
	}
	if w.Pages != 1 || w.Findings == 0 || k.weighed != 1 || k.crawl.Report.Health <= before {
		t.Errorf("waived: %+v; weighed %d times; health %v, before %v", w, k.weighed, k.crawl.Report.Health, before)
	}
	if err := d.WeighDue(t.Context()); err != nil || k.weighed != 1 || k.crawl.Weighed == "" {
		t.Errorf("what is weighed is weighed again: %d times, %v", k.weighed, err)
	}
	if w, err = d.EndWaiver(t.Context(), site, w.ID, ""); err != nil || w.EndedBy != "somebody" ||
		k.crawl.Report.Health != before || k.crawl.Weighed != "" {
		t.Errorf("ended by %q: health %v, before %v, signature %q; %v", w.EndedBy, k.crawl.Report.Health, before,
			k.crawl.Weighed, err)
	}
	if _, err := d.EndWaiver(t.Context(), site, w.ID, "ash"); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("ending it twice: %v", err)
	}
}

// TestWaiveRefused refuses waivers without reason, of nothing, of what the site does not have, and of yesterday.
func TestWaiveRefused(t *testing.T) {
	d, k, site := crawled(t)
	yesterday := record.Day{Time: time.Now().UTC().AddDate(0, 0, -1)}
	for want, w := range map[string]record.Waiver{
		"needs a reason": {Scope: waive.Page, On: site.Home},
		"is over":        {Scope: waive.Page, On: site.Home, Reason: "so", Until: &yesterday},
		"no fix nosuch":  {Scope: waive.Fix, On: "nosuch", Reason: "so"},
		"no layout L9":   {Scope: waive.Layout, On: "L9", Reason: "so"},
		"nosuch-check":   {Scope: waive.Page, Check: "nosuch-check", On: site.Home, Reason: "so"},
	} {
		if _, err := d.Waive(t.Context(), site, w); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("want %q: %v", want, err)
		}
	}
	if len(k.waivers) != 0 {
		t.Errorf("%d refused waivers are kept", len(k.waivers))
	}
	if _, err := d.Waive(t.Context(), site, record.Waiver{Scope: waive.Layout, On: "L1", Reason: "so"}); err != nil {
		t.Errorf("a layout that there is: %v", err)
	}
}

// TestExpired covers nothing by a waiver that ran out, ended, or cannot be read: the crawl stands as without it.
func TestExpired(t *testing.T) {
	d, k, site := crawled(t)
	gone := time.Now().Add(-time.Hour)
	past := record.Day{Time: time.Now().UTC().AddDate(0, 0, -2)}
	k.waivers = []record.Waiver{
		{ID: 1, Scope: waive.Page, On: site.Home, Until: &past},
		{ID: 2, Scope: waive.Page, On: site.Home, Ended: &gone},
		{ID: 3, Scope: waive.Page, On: "%", Broken: "no address"},
	}
	w, err := d.Decided(t.Context(), site)
	if err != nil || w.Signature != "" || w.Set.Size() != 0 {
		t.Errorf("signature %q of %d waivers; %v", w.Signature, w.Set.Size(), err)
	}
}

// TestFigureWeighs weighs the newest crawl anew when a figure is chosen, when its values are others, and when it goes;
// a figure that the site does not have in numbers is refused.
func TestFigureWeighs(t *testing.T) {
	d, k, site := crawled(t)
	for _, name := range []string{"owner", "nosuch"} {
		other, ok := errors.AsType[*record.UnknownFigureError](d.SetImportance(t.Context(), site, name))
		if !ok || len(other.Names) != 1 || other.Names[0] != "visits" || k.site.Importance != "" {
			t.Errorf("choosing %s: %v", name, other)
		}
	}
	if err := d.SetImportance(t.Context(), site, "visits"); err != nil || k.weighed != 0 {
		t.Errorf("weighed %d times by figures that were not imported; %v", k.weighed, err)
	}
	for i, state := range []string{"of May", "of June"} {
		k.state, k.figure = state, map[string]float64{site.Home: 1000}
		if _, err := d.ImportFigures(t.Context(), site, record.Day{},
			strings.NewReader("page,visits\n/,100\n")); err != nil || k.weighed != i+1 {
			t.Errorf("%s: weighed %d times; %v", state, k.weighed, err)
		}
	}
	if err := d.RemoveFigure(t.Context(), site, "visits"); err != nil || k.weighed != 3 || k.crawl.Weighed != "" {
		t.Errorf("without the figure: weighed %d times, signature %q; %v", k.weighed, k.crawl.Weighed, err)
	}
}

// TestDue weighs what is due: what came before, what runs out by the day, and what failed, when it is asked for again.
func TestDue(t *testing.T) {
	_, k, site := crawled(t)
	synctest.Test(t, func(t *testing.T) {
		d := New(k, testkit.Catalogue, nil)
		today := record.Day{Time: time.Now().UTC().Truncate(24 * time.Hour)}
		k.waivers = []record.Waiver{{ID: 1, Scope: waive.Page, On: site.Home, Until: &today}}
		due := func(when string, weighed int, signed bool) {
			t.Helper()
			if err := d.WeighDue(t.Context()); !errors.Is(err, k.away) || k.weighed != weighed ||
				(k.crawl.Weighed != "") != signed {
				t.Errorf("%s: weighed %d times, signature %q; %v", when, k.weighed, k.crawl.Weighed, err)
			}
		}
		due("at first", 1, true)
		due("asked again", 1, true)
		time.Sleep(12 * time.Hour)
		due("at noon", 1, true)
		time.Sleep(12*time.Hour + 2*time.Second)
		due("after midnight", 2, false)
		k.waivers = []record.Waiver{{ID: 2, Scope: waive.Page, On: site.Home}}
		k.away = errors.New("the database went away")
		due("without a database", 2, false)
		k.away = nil
		due("with one again", 3, true)
	})
}

// TestImport matches addresses exactly, or loosely where one page fits, and names those that match none.
func TestImport(t *testing.T) {
	d, k, site := crawled(t)
	k.pages = map[string]bool{site.Home: true, site.Home + "moss/": true, site.Home + "shop/": true}
	in := "page,visits\n/,100\n/moss,20\n/nowhere,2\nhttp://[x/,3\n"
	out, err := d.ImportFigures(t.Context(), site, record.Day{Time: time.Now()}, strings.NewReader(in))
	if err != nil {
		t.Fatal(err)
	}
	if out.Rows != 3 || out.Matched != 2 || len(out.Unmatched) != 1 ||
		!strings.HasSuffix(out.Unmatched[0], "/nowhere") || len(out.Faults) != 1 {
		t.Errorf("imported %+v", out)
	}
	if len(k.rows) != 3 || k.rows[1].Address != site.Home+"moss/" {
		t.Errorf("kept %+v", k.rows)
	}
	cut := errors.New("connection lost")
	if _, err := d.ImportFigures(t.Context(), site, record.Day{}, failing{cut}); !errors.Is(err, cut) ||
		!strings.Contains(err.Error(), "did not arrive whole") {
		t.Errorf("a file that is cut off: %v", err)
	}
	full := New(k, testkit.Catalogue, func() error { return record.ErrDisk })
	if _, err := full.ImportFigures(t.Context(), site, record.Day{}, strings.NewReader(in)); !errors.Is(err,
		record.ErrDisk) {
		t.Errorf("without room: %v", err)
	}
}

type failing struct{ err error }

func (f failing) Read([]byte) (int, error) { return 0, f.err }
