package fixlist

import (
	"bytes"
	"encoding/gob"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
)

// anySheet is a crawl of some pages with findings at random: of targets, values, places and the whole site.
func anySheet(r *rand.Rand) *Sheet {
	n := 4 + r.IntN(60)
	s := site(n)
	s.Partial = r.IntN(4) == 0
	s.Finish()
	whole := &check.Check{ID: "whole", Group: "safety", Severity: check.Warning, Scope: check.WholeSite,
		Line: "The site is open"}
	c := NewCollector([]*check.Check{broken, shared, thing, minor, whole})
	if r.IntN(2) == 0 {
		c.Add(check.Finding{Check: whole, Page: -1, Places: []check.Place{{Note: "open"}, {Note: "wide"}}})
	}
	for range r.IntN(4 * n) {
		id := int32(r.IntN(n))
		switch r.IntN(4) {
		case 0:
			c.Add(check.Finding{Check: broken, Page: id,
				Places: []check.Place{target(fmt.Sprint("http://fernhollow.example/gone/", r.IntN(5)), "footer > a",
					page.Footer)}})
		case 1:
			c.Add(check.Finding{Check: shared, Page: id,
				Places: []check.Place{{Value: fmt.Sprint("text ", r.IntN(6))}}})
		case 2:
			places := make([]check.Place, 1+r.IntN(5))
			for i := range places {
				places[i] = place("main > p 1", page.Content)
			}
			c.Add(check.Finding{Check: thing, Page: id, Places: places})
		case 3:
			if r.IntN(20) == 0 {
				id = -1
			}
			c.Add(check.Finding{Check: minor, Page: id, Places: []check.Place{{Note: "a trifle"}}})
		}
	}
	return c.Sheet(s)
}

func asJSON(t *testing.T, v any) string {
	t.Helper()
	out, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(out)
}

// TestSheetKept writes sheets and reads them back: they judge, waive and part as before.
func TestSheetKept(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 4))
	for round := range 60 {
		s := anySheet(r)
		var b bytes.Buffer
		if err := s.write(&b, 1+r.IntN(40)); err != nil {
			t.Fatal(err)
		}
		if round%4 == 0 { // as an earlier Harvik wrote it: all in one
			b = asOnePart(t, &b)
		}
		back, err := ReadSheet(&b)
		if err != nil {
			t.Fatal(err)
		}
		adjust := Adjustment{Waived: func(check, address, _, _ string) bool { return len(check+address)%3 == 0 }}
		for _, a := range []Adjustment{{}, adjust} {
			if got, want := asJSON(t, back.Build(a)), asJSON(t, s.Build(a)); got != want {
				t.Fatalf("round %d: read back, the sheet gives\n%s\nwant\n%s", round, got, want)
			}
			if got, want := asJSON(t, back.Build(a).Map), asJSON(t, s.Build(a).Map); got != want {
				t.Fatalf("round %d: read back, the map is\n%s\nwant\n%s", round, got, want)
			}
		}
	}
}

// asOnePart is a written sheet in one part.
func asOnePart(t *testing.T, b *bytes.Buffer) (out bytes.Buffer) {
	t.Helper()
	s, err := ReadSheet(b)
	if err != nil {
		t.Fatal(err)
	}
	var head bytes.Buffer
	bare := Sheet{Checks: s.Checks, Layouts: s.Layouts, Findings: s.Findings, Partial: s.Partial, Expected: s.Expected,
		spots: s.spots, missed: s.missed}
	if err := bare.Write(&head); err != nil {
		t.Fatal(err)
	}
	var d sheetData
	if err := gob.NewDecoder(&head).Decode(&d); err != nil {
		t.Fatal(err)
	}
	d.Version = oldestSheet
	d.addPages(s.Pages)
	d.addCauses(s.causes)
	d.addEntries(s.entries)
	if err := gob.NewEncoder(&out).Encode(&d); err != nil {
		t.Fatal(err)
	}
	return out
}

// TestSheetDamaged reads sheets that are cut short, of another version, or do not fit together.
func TestSheetDamaged(t *testing.T) {
	s := anySheet(rand.New(rand.NewPCG(5, 5)))
	var b bytes.Buffer
	if err := s.Write(&b); err != nil {
		t.Fatal(err)
	}
	whole := b.Bytes()
	one := bytes.NewBuffer(bytes.Clone(whole))
	*one = asOnePart(t, one)
	for cut := 0; cut < len(whole); cut += 1 + len(whole)/200 {
		if _, err := ReadSheet(bytes.NewReader(whole[:cut])); err == nil {
			t.Fatalf("a sheet cut at byte %d of %d is taken", cut, len(whole))
		}
	}
	for name, spoil := range map[string]func(*sheetData){
		"version": func(d *sheetData) { d.Version = sheetVersion + 1 },
		"age":     func(d *sheetData) { d.Version = oldestSheet - 1 },
		"end":     func(d *sheetData) { d.More = true },
		"flags":   func(d *sheetData) { d.Flags = d.Flags[1:] },
		"weights": func(d *sheetData) { d.Weights = nil },
		"places":  func(d *sheetData) { d.Places = d.Places[1:] },
		"check":   func(d *sheetData) { d.Check[0] = 99 },
		"cause":   func(d *sheetData) { d.Cause[0] = 999 },
		"spot":    func(d *sheetData) { d.Spot[0] = -1 },
		"layout":  func(d *sheetData) { d.PageLayouts[0] = 99 },
		"page":    func(d *sheetData) { d.Page[0] = 12_345 },
		"values":  func(d *sheetData) { d.CauseValues = nil },
	} {
		var d sheetData
		if err := gob.NewDecoder(bytes.NewReader(one.Bytes())).Decode(&d); err != nil {
			t.Fatal(err)
		}
		spoil(&d)
		var out bytes.Buffer
		if err := gob.NewEncoder(&out).Encode(&d); err != nil {
			t.Fatal(err)
		}
		if _, err := ReadSheet(&out); err == nil {
			t.Errorf("a sheet whose %s does not fit is taken", name)
		}
	}
}

// TestGains holds the list's promises on random crawls: a fix's gain is what health rises by without its
// findings; the running total is health with the line and all before it done; the ledger adds up.
func TestGains(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 15))
	for round := range 40 {
		s := anySheet(r)
		full := s.Build(Adjustment{})
		lost := 0.0
		for _, l := range full.Ledger {
			lost += l.Points
		}
		if math.Abs(lost-(100-full.Health)) > 1e-9 {
			t.Fatalf("round %d: the ledger adds up to %v, health is %v", round, lost, full.Health)
		}
		done := map[string]bool{}
		for _, f := range full.Fixes {
			without := s.Build(Adjustment{Waived: func(_, _, _, fix string) bool { return fix == f.ID }})
			if got := without.Health - full.Health; math.Abs(got-f.Gain) > 1e-9 {
				t.Fatalf("round %d: %q is to bring %v, and brings %v", round, f.Line, f.Gain, got)
			}
			if math.Abs(without.Unwaived-full.Health) > 1e-9 {
				t.Fatalf("round %d: without the waiver health is %v, not %v", round, without.Unwaived, full.Health)
			}
			done[f.ID] = true
			after := s.Build(Adjustment{Waived: func(_, _, _, fix string) bool { return done[fix] }})
			if math.Abs(after.Health-f.HealthAfter) > 1e-9 {
				t.Fatalf("round %d: after %q health is to be %v, and is %v", round, f.Line, f.HealthAfter, after.Health)
			}
		}
		if n := len(full.Fixes); n > 0 && math.Abs(full.Fixes[n-1].HealthAfter-100) > 1e-9 {
			t.Fatalf("round %d: with all done health is %v", round, full.Fixes[n-1].HealthAfter)
		}
	}
}

// TestViews holds the other views of a sheet against its report: the tab has its health, the findings one by
// one are those of the lines, the map counts each check failing on a page once.
func TestViews(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 23))
	all := func(string) bool { return true }
	for round := range 60 {
		s := anySheet(r)
		waived := func(check, address, _, _ string) bool { return len(address)%4 == round%4 && check == "thing" }
		for _, a := range []Adjustment{{}, {Waived: waived}} {
			report := s.Build(a)
			if got := s.Tab(a).Health(all, nil); math.Abs(got-report.Health) > 1e-9 {
				t.Fatalf("round %d: the tab has health %v, the report %v", round, got, report.Health)
			}
			places := map[string]int{}
			pairs := map[[2]string]bool{}
			s.EachFinding(func(f Found) {
				places[f.Fix] += f.Places
				if f.Address != "" && (a.Waived == nil || !waived(f.Check, f.Address, "", "")) {
					pairs[[2]string{f.Check, f.Address}] = true
				}
				if !s.Failing()[f.Address][f.Check] {
					t.Fatalf("round %d: %s is not known to fail on %q", round, f.Check, f.Address)
				}
			})
			for _, f := range report.Fixes {
				if places[f.ID] != f.Places {
					t.Fatalf("round %d: %q has %d places, one by one %d", round, f.Line, f.Places, places[f.ID])
				}
				if addresses := s.Addresses(&f); len(addresses) != f.Pages {
					t.Fatalf("round %d: %q has %d pages, %d addresses", round, f.Line, f.Pages, len(addresses))
				}
			}
			if len(places) != len(report.Fixes) {
				t.Fatalf("round %d: %d lines, one by one %d", round, len(report.Fixes), len(places))
			}
			counted := 0
			for _, c := range report.Map.Cells {
				counted += c.Findings[0] + c.Findings[1] + c.Findings[2]
			}
			if counted != len(pairs) {
				t.Fatalf("round %d: the map counts %d, there are %d", round, counted, len(pairs))
			}
		}
	}
}

// TestFigure lets a figure of the consultant's own weigh pages: the order of lines follows, health does not.
func TestFigure(t *testing.T) {
	s := site(40)
	var found []check.Finding
	for i, value := range []string{"first", "second"} {
		for k := range 5 {
			found = append(found, check.Finding{Check: shared, Page: int32(8*i + k),
				Places: []check.Place{{Value: value}}})
		}
	}
	s.Finish()
	c := NewCollector([]*check.Check{broken, shared, thing, minor})
	for _, f := range found {
		c.Add(f)
	}
	sheet := c.Sheet(s)
	for _, favoured := range []int{0, 1} {
		visits := map[string]float64{}
		for k := range 5 {
			visits[s.Addresses[8*favoured+k].URL] = 1000
		}
		r := sheet.Build(Adjustment{Figure: visits})
		if want := []string{"first", "second"}[favoured]; r.Fixes[0].Value != want {
			t.Errorf("with visits on the pages of %q, %q comes first", want, r.Fixes[0].Value)
		}
		if plain := sheet.Build(Adjustment{}); plain.Health != r.Health {
			t.Errorf("visits change health from %v to %v", plain.Health, r.Health)
		}
	}
}
