package record

import (
	"harvik/internal/core/plan"
	"harvik/internal/core/robots"
	"harvik/internal/core/survey"
)

// A Preview is what can be told of a crawl before it begins.
type Preview struct {
	Home      string
	Plan      plan.Plan
	Robots    PreviewRobots
	Sitemaps  []survey.SitemapFile
	Listed    int     // addresses of the site that its sitemaps list
	Sampled   int     // pages that were looked at
	Known     int     // addresses that they and the sitemaps name
	Least     int     // addresses of the site, at least
	Most      int     // and probably at most
	Basis     string  // of the estimate, in words
	PerSecond float64 // addresses a second at this pace
	Shortest  float64 // seconds for the least, or for the plan's number of pages
	Longest   float64
	Warnings  []string
}

// Pages is the plan's number of pages.
func (p *Preview) Pages() int { return p.Plan.WithDefaults().Pages }

// PreviewRobots is what robots.txt says to the plan's agent.
type PreviewRobots struct {
	Address   string
	Status    int
	Detail    string
	As        string
	Policy    string
	Rules     []robots.Line // that hold for it
	Notes     []robots.Line // lines that cannot be read
	Delay     float64       // seconds between requests that it asks for
	ShutsHome *robots.Line
}
