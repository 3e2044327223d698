package e2e

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	paper "github.com/pdfcpu/pdfcpu/pkg/api"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"

	"harvik/internal/api"
	"harvik/internal/testkit"
)

// report is a report of the newest crawl of Fernhollow.
func (h *harvik) report(t *testing.T, as string, choices api.ReportChoices) []byte {
	t.Helper()
	resp, err := h.MakeReport(t.Context(), "fernhollow", api.Latest, &api.MakeReportParams{As: as}, choices)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// TestReport: what a client reads says the numbers of the fix list, in its order; everybody can read it, it asks for
// nothing from elsewhere; printed it is tagged and has contents.
func TestReport(t *testing.T) {
	t.Parallel()
	h := crawled(t)
	cr, err := h.ShowCrawl(t.Context(), "fernhollow", api.Latest)
	if err != nil {
		t.Fatal(err)
	}
	list, err := h.ListFixes(t.Context(), "fernhollow", api.Latest, &api.ListFixesParams{Limit: 40})
	if err != nil {
		t.Fatal(err)
	}
	choices := api.ReportChoices{
		Title:    "How the garden stands",
		Client:   "Fernhollow Botanic Garden",
		By:       "Ash Meadow",
		Fixes:    30,
		Words:    "Thank you for the talk of **Tuesday**: the shop comes first.",
		Comments: map[string]string{list.Fixes[3].ID: "This one is **theirs**."},
	}
	page := h.report(t, "html", choices)
	at := "http://" + testkit.Serve(t, http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Write(page)
	}))
	b := openBrowser(t)
	b.visit(at)
	b.see(fmt.Sprintf("Health %.1f of 100", cr.Report.Health))
	b.see("This one is theirs.")
	b.picture("report")
	for i, f := range list.Fixes[:30] {
		b.wait(f.Line, fmt.Sprintf(`document.querySelectorAll('article h3')[%d].textContent.includes(%q)`, i, f.Line))
	}
	b.wait("no more fixes than were asked for", `document.querySelectorAll('article').length === 30`)
	b.see(fmt.Sprintf("%d more fixes stand in the fix list", list.Total-30))
	b.wait(
		"nothing from elsewhere",
		`performance.getEntriesByType('resource').every(e => e.name.endsWith('/favicon.ico'))`,
	)
	axe, err := os.ReadFile(filepath.Join(testkit.Root(t), "console", "node_modules", "axe-core", "axe.min.js"))
	if err != nil {
		t.Fatal(err)
	}
	b.holdsToRules(string(axe), "the report")

	// The same by the console.
	b.visit(h.signInLink(t))
	b.see("fernhollow")
	b.visit(h.url + "/sites/fernhollow/latest/report")
	b.see("What has changed")
	b.replace("For whom", "Fernhollow <Garden>")
	b.replace("Fixes that are told in full", "3")
	b.picture("report-page")
	file := b.fetch("Make an HTML file")
	if !bytes.Contains(file, []byte("for Fernhollow &lt;Garden&gt;")) || bytes.Count(file, []byte("<article")) != 3 {
		t.Errorf("the file begins with %.900s", file)
	}
	if file := b.fetch("Make a PDF"); !bytes.HasPrefix(file, []byte("%PDF-")) {
		t.Errorf("the PDF begins with %q", file[:min(len(file), 40)])
	}
	b.replace("Fixes that are told in full", "9000")
	b.click("button", "Make a PDF")
	b.see("a report tells 1 to 500 fixes in full")
	b.holdsToRules(string(axe), "the page of reports")
	b.size(390, 844)
	b.wait("a page that fits a telephone", `document.documentElement.scrollWidth <= 390`)

	pdf := h.report(t, "pdf", choices)
	if len(pdf) > 3<<20 {
		t.Errorf("the PDF has %d bytes", len(pdf))
	}
	doc, err := paper.ReadContext(bytes.NewReader(pdf), model.NewDefaultConfiguration())
	if err == nil {
		err = paper.ValidateContext(doc)
	}
	if err != nil {
		t.Fatal(err)
	}
	if !doc.Tagged || doc.PageCount < 5 || doc.Title != choices.Title {
		t.Errorf("tagged %v, %d pages, %q", doc.Tagged, doc.PageCount, doc.Title)
	}
	marks, err := paper.Bookmarks(bytes.NewReader(pdf), model.NewDefaultConfiguration())
	if err != nil || len(marks) != 1 || marks[0].Title != choices.Title || len(marks[0].Kids) != 5 {
		t.Errorf("contents %+v (%v)", marks, err)
	}
	for body, want := range map[string]string{`{"parts":["summry"]}`: `did you mean`, `{"titel":"x"}`: "unknown field",
		`{"leaveOut":{"severities":["bad"],"checks":["nothing-*"]}}`: "no check is called"} {
		req, _ := http.NewRequestWithContext(
			t.Context(),
			"POST",
			h.url+"/api/v1/sites/fernhollow/crawls/latest/report",
			strings.NewReader(body),
		)
		req.Header.Set("Authorization", "Bearer "+h.token)
		if got := answerTo(t, req); got.status != 422 || !strings.Contains(got.body, want) {
			t.Errorf("%s: %d %s", body, got.status, got.body)
		}
	}
}
