// Package judge joins the steps from facts to a fix list. The same functions judge a crawl
// while it runs, a stored crawl again, and a single page.
package judge

import (
	"harvik/internal/core/check"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
)

// A Judge collects the verdicts of one crawl. Page may be called from several goroutines;
// the rest may not.
type Judge struct {
	runner    *check.Runner
	collector *fixlist.Collector
}

// New starts a judgement.
func New(r *check.Runner) *Judge {
	return &Judge{r, fixlist.NewCollector(r.Checks)}
}

// Page runs the page checks.
func (j *Judge) Page(id int32, f *page.Facts) []check.Finding { return j.runner.Page(id, f) }

// SetKind overrules the kind of a page where the plan does.
func (j *Judge) SetKind(f *page.Facts) { j.runner.SetKind(f) }

// Collect books findings.
func (j *Judge) Collect(findings []check.Finding) {
	for _, f := range findings {
		j.collector.Add(f)
	}
}

// Places is how many places have been booked.
func (j *Judge) Places() int { return j.collector.Findings() }

// Finish completes the survey, runs the site checks and closes the sheet, from which the report is
// built. What the site checks find is handed to take, check by check.
func (j *Judge) Finish(s *survey.Survey, take func([]check.Finding) error) (*fixlist.Sheet, error) {
	if err := s.Finish(); err != nil {
		return nil, err
	}
	err := j.runner.Site(s, func(found []check.Finding) error {
		j.Collect(found)
		return take(check.Told(found))
	})
	if err != nil {
		return nil, err
	}
	for i := range s.Pages {
		s.Pages[i].Sketch = nil // has told which texts are alike
	}
	return j.collector.Sheet(s), nil
}
