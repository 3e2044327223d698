package e2e

import (
	"compress/gzip"
	"encoding/csv"
	"io"
	"os"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"harvik/internal/api"
	"harvik/internal/testkit"
)

// TestUpgrade opens a database that Harvik 0.5 made of two crawls of a small site, with a fix taken and a check waived:
// all of it is there as it was, can be compared, judged anew and handed over, goes on with a new crawl, and can be
// removed.
func TestUpgrade(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	restore(t, database, "testdata/harvik-0.5.sql.gz")
	h := startOn(t, database)
	ctx := t.Context()
	cr, err := h.ShowCrawl(ctx, "fernhollow", api.Latest)
	if err != nil || cr.Number != 2 || cr.Report == nil || cr.Report.Assessed != 25 || cr.Report.Waived != 25 ||
		len(cr.Report.Ledger) == 0 {
		t.Fatalf("the newest crawl is %+v (%v)", cr, err)
	}
	if cr.Report.Health < 38.3 || cr.Report.Health > 38.5 || cr.Probes == nil || len(cr.Probes.Doors) == 0 ||
		cr.Progress.Fetched == 0 {
		t.Errorf("health %v, doors %+v, progress %+v", cr.Report.Health, cr.Probes, cr.Progress)
	}
	list, err := h.ListFixes(ctx, "fernhollow", api.Latest, &api.ListFixesParams{Order: "gain", Limit: 100})
	if err != nil || len(list.Fixes) == 0 || list.Waived != 1 {
		t.Fatalf("%d fixes, %d waived (%v)", len(list.Fixes), list.Waived, err)
	}
	footer, err := h.ShowFix(ctx, "fernhollow", api.Latest, "6lzzme7w")
	if err != nil || footer.Fix.State != "taken" || footer.Fix.Note != "with the new footer" || footer.Fix.Pages != 24 {
		t.Errorf("the footer link is %+v (%v)", footer.Fix, err)
	}
	pages, err := h.FixPages(ctx, "fernhollow", api.Latest, "6lzzme7w", &api.FixPagesParams{Limit: 3})
	if err != nil || len(pages.Pages) != 3 || !strings.Contains(pages.Pages[0].Places[0].Target, "/closed.html") {
		t.Errorf("its pages are %+v (%v)", pages, err)
	}
	bed, err := h.ShowPage(ctx, "fernhollow", api.Latest, &api.ShowPageParams{Address: "/bed-4.html"})
	if err != nil || bed.Facts == nil || bed.Facts.Document == nil ||
		bed.Facts.Document.Titles[0].Text != "Beds of the garden" || len(bed.Links) == 0 || len(bed.Findings) == 0 {
		t.Errorf("a page is %+v (%v)", bed.Facts, err)
	}
	d, err := h.ShowDrift(ctx, "fernhollow", api.Latest, &api.ShowDriftParams{})
	if err != nil || d.Before != 1 || len(d.Drift.Gone) != 1 || len(d.Drift.Notes) < 2 ||
		d.Drift.Step.Parts[0].By != "rules" {
		t.Errorf("drift %+v (%v)", d, err)
	}
	again, err := h.JudgeCrawl(ctx, "fernhollow", api.Latest, nil)
	if err != nil || again.Catalogue != testkit.Catalogue.Version || again.Report.Assessed != 25 {
		t.Errorf("judged anew it is %+v (%v)", again.Report, err)
	}
	if v, err := h.PassGate(ctx, "fernhollow", api.Latest, &api.PassGateParams{},
		api.GateConditions{NoNew: new("error")}); err != nil || len(v.Reasons) != 1 {
		t.Errorf("the gate says %+v (%v)", v, err)
	}
	file, err := h.ExportCrawl(ctx, "fernhollow", api.Latest, &api.ExportCrawlParams{As: "csv", Sheets: "findings"})
	if err != nil {
		t.Fatal(err)
	}
	defer file.Body.Close()
	if rows, err := csv.NewReader(file.Body).ReadAll(); err != nil || len(rows) < 100 {
		t.Errorf("%d rows of findings (%v)", len(rows), err)
	}
	first, err := h.ListFixes(ctx, "fernhollow", api.Numbered(1), &api.ListFixesParams{Limit: 100})
	if err != nil {
		t.Fatal(err)
	}
	if err := h.RemoveCrawl(ctx, "fernhollow", api.Numbered(2)); err != nil {
		t.Fatal(err)
	}
	if left, err := h.ListFixes(ctx, "fernhollow", api.Numbered(1), &api.ListFixesParams{Limit: 100}); err != nil ||
		left.Total != first.Total {
		t.Errorf("with crawl 2 gone crawl 1 has %d fixes, before %d (%v)", left.Total, first.Total, err)
	}
}

// restore fills an empty database with a packed dump.
func restore(t *testing.T, database, name string) {
	t.Helper()
	packed, err := os.Open(name)
	if err != nil {
		t.Fatal(err)
	}
	defer packed.Close()
	unpacked, err := gzip.NewReader(packed)
	if err != nil {
		t.Fatal(err)
	}
	text, err := io.ReadAll(unpacked)
	if err != nil {
		t.Fatal(err)
	}
	conn, err := pgx.Connect(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(t.Context())
	if _, err := conn.PgConn().Exec(t.Context(), string(text)).ReadAll(); err != nil {
		t.Fatal(err)
	}
}
