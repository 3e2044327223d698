package booking

import (
	"fmt"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
	"harvik/internal/core/vocabulary"
)

// A Book takes records up in their order, builds the survey of them, and at the end judges the whole. Examine and
// SetKind may be called from several goroutines; the rest may not.
type Book struct {
	Survey    *survey.Survey // its Source is to be set before Judge, where there are texts to read
	runner    *check.Runner
	collector *fixlist.Collector
}

// New opens a book. Layouts are the leaders of the layouts that earlier crawls of the site met, by name.
func New(r *check.Runner, layouts map[string][]uint32) *Book {
	return &Book{&survey.Survey{Known: layouts}, r, fixlist.NewCollector(r.Checks)}
}

// SetKind overrules the kind of a page where the plan does.
func (b *Book) SetKind(f *page.Facts) { b.runner.SetKind(f) }

// Examine does what concerns one page alone: it runs the checks that look at one.
func (b *Book) Examine(r *Record) { r.Findings = b.runner.Page(r.ID, r.Facts) }

// Numbers are those of the addresses that a record names besides its links and uses, −1 for none.
type Numbers struct{ Redirect, Canonical, Refresh int32 }

// Nothing is what a record names that names none of these.
func Nothing() Numbers { return Numbers{-1, -1, -1} }

// Add takes a record up that was examined, if it is a page. Of its findings those stay that are told.
func (b *Book) Add(r *Record, to Numbers) {
	if r.Role == page.AsPage {
		if to.Refresh >= 0 {
			b.Survey.Refresh(r.ID, to.Refresh)
		}
		b.Survey.Add(r.ID, r.Facts, to.Redirect, to.Canonical, r.Links)
		b.collect(r.Findings)
		r.Findings = check.Told(r.Findings)
	} else {
		b.Survey.AddLoaded(r.ID, r.Facts, to.Redirect)
	}
	b.Survey.Use(r.ID, r.Facts.Loads(), r.Uses)
}

func (b *Book) collect(findings []check.Finding) {
	for _, f := range findings {
		b.collector.Add(f)
	}
}

// Places is how many places have been found so far.
func (b *Book) Places() int { return b.collector.Findings() }

// URL is the address of a number while the whole is judged, "" for one that the crawl does not have: links are read
// back from where they were stored.
func (b *Book) URL(id int32) string {
	if id < 0 || int(id) >= len(b.Survey.Addresses) {
		return ""
	}
	return b.Survey.URL(id)
}

// A Result is a crawl that has ended, judged.
type Result struct {
	Ending   survey.Ending
	Detail   string // in words, where the ending needs them
	Survey   *survey.Survey
	Sheet    *fixlist.Sheet
	Report   *fixlist.Report // of the sheet; made by those who know what is decided about the site
	Findings []check.Finding // of the checks on the whole site, where nobody else takes them
	Changed  map[int32]bool  // addresses that changed after they were handed to be stored
}

// Judge completes the survey with what the crawl brought, runs the checks on the whole site and closes the sheet. Take
// is given what each of these checks finds, in their order; its error ends the judging.
func (b *Book) Judge(h *Harvest, take func([]check.Finding) error) (*Result, error) {
	s := b.Survey
	s.Addresses, s.Evidence, s.Weights, s.Size = h.Addresses, h.Evidence, h.Weights, h.Size
	s.Partial = h.Beyond > 0
	if err := s.Finish(); err != nil {
		return nil, err
	}
	err := b.runner.Site(s, func(found []check.Finding) error {
		b.collect(found)
		return take(check.Told(found))
	})
	if err != nil {
		return nil, err
	}
	for i := range s.Pages {
		s.Pages[i].Sketch = nil // has told which texts are alike
	}
	r := &Result{Ending: h.Ending, Survey: s, Sheet: b.collector.Sheet(s), Changed: h.Changed}
	r.explain(h)
	return r, nil
}

// explain says why there is no health, if there is none, and what was left out.
func (r *Result) explain(h *Harvest) {
	if len(r.Survey.Addresses) > 0 {
		r.Ending, r.Detail = r.start()
	}
	if h.Unrendered != "" {
		r.Detail = strings.TrimSpace(r.Detail + " Not all pages that the plan has rendered were: " + h.Unrendered + ".")
	}
	if h.Beyond > 0 {
		const left = " Pages name more addresses than a plan of %s pages has use for: %s are known, and %s further mentions were not taken up."
		r.Detail = strings.TrimSpace(r.Detail + fmt.Sprintf(left, text.Thousands(h.Most),
			text.Thousands(len(h.Addresses)), text.Thousands(h.Beyond)))
	}
}

// start says what came of the start address, where it kept the crawl from beginning.
func (r *Result) start() (survey.Ending, string) {
	start, first := &r.Survey.Addresses[0], r.Survey.Page(0)
	scored := slices.ContainsFunc(r.Sheet.Pages, func(p fixlist.Page) bool { return p.Assessed })
	switch {
	case start.State == survey.Blocked && start.Rule.Number == 0:
		return survey.Shut, start.Rule.Text
	case start.State == survey.Blocked:
		return survey.Shut, fmt.Sprintf("Line %d of robots.txt shuts the start address out: %s", start.Rule.Number,
			start.Rule.Text)
	case scored || first == nil:
		return r.Ending, ""
	case first.Redirect >= 0 && r.Survey.Addresses[first.Redirect].State != survey.Fetched:
		const leads = "The start address leads to %s, which is %s. Take that as the home page, or add its host to the plan's scope."
		to := &r.Survey.Addresses[first.Redirect]
		return r.Ending, fmt.Sprintf(leads, to.URL, vocabulary.Of(vocabulary.LeftOut, to.State.String()))
	case first.Status > 0:
		const answers = "The start address answers with status %d and type %q, so there is no page to begin with."
		return r.Ending, fmt.Sprintf(answers, first.Status, first.Type)
	}
	return r.Ending, fmt.Sprintf("The start address gives no answer (%s), so there is no page to begin with.",
		first.Outcome)
}
