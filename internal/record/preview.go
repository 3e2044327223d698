package record

import (
	"harvik/internal/core/plan"
	"harvik/internal/core/robots"
)

// A Preview is what can be told of a crawl before it begins.
type Preview struct {
	Home      string           `json:"home"`
	Plan      PlanValue        `json:"plan"`
	Robots    PreviewRobots    `json:"robots"`
	Sitemaps  []PreviewSitemap `json:"sitemaps"`
	Listed    int              `json:"listed"`    // addresses of the site that its sitemaps list
	Sampled   int              `json:"sampled"`   // pages that were looked at
	Known     int              `json:"known"`     // addresses that they and the sitemaps name
	Least     int              `json:"least"`     // addresses of the site, at least
	Most      int              `json:"most"`      // and probably at most
	Basis     string           `json:"basis"`     // of the estimate, in words
	PerSecond float64          `json:"perSecond"` // addresses a second at this pace
	Shortest  float64          `json:"shortest"`  // seconds for the least, or for the plan's number of pages
	Longest   float64          `json:"longest"`
	Warnings  []string         `json:"warnings,omitempty"`
}

// Pages is the plan's number of pages.
func (p *Preview) Pages() int { return plan.Plan(p.Plan).WithDefaults().Pages }

// PreviewRobots is what robots.txt says to the plan's agent.
type PreviewRobots struct {
	Address   string        `json:"address"`
	Status    int           `json:"status"`
	Detail    string        `json:"detail,omitempty"`
	As        string        `json:"as"`
	Policy    string        `json:"policy"`
	Rules     []robots.Line `json:"rules"` // that hold for it
	Notes     []robots.Line `json:"notes"` // lines that cannot be read
	Delay     float64       `json:"delay"` // seconds between requests that it asks for
	ShutsHome *robots.Line  `json:"shutsHome,omitempty"`
}

// PreviewSitemap is one sitemap.
type PreviewSitemap struct {
	Address  string `json:"address"`
	Status   int    `json:"status"`
	Form     string `json:"form,omitempty"`
	Pages    int    `json:"pages"`
	Sitemaps int    `json:"sitemaps"` // of an index
	Detail   string `json:"detail,omitempty"`
}
