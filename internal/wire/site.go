package wire

import (
	"slices"

	"harvik/internal/api"
	"harvik/internal/core/check"
	"harvik/internal/core/figures"
	"harvik/internal/core/plan"
	"harvik/internal/core/robots"
	"harvik/internal/core/survey"
	"harvik/internal/record"
)

// Site is a site under care.
func Site(in *record.Site) api.Site {
	return api.Site{
		Name: in.Name, Home: in.Home, Plan: in.Plan.WithDefaults(), Created: in.Created,
		Crawls: in.Crawls, Latest: in.Latest, Health: in.Health, Importance: in.Importance, Keep: in.Keep.Crawls,
		KeepMonthly: in.Keep.Monthly,
		Allowed:     in.Allowed, Groups: in.Groups,
	}
}

// Secret is what may be told of a secret.
func Secret(in *record.Secret) api.Secret {
	return api.Secret{
		Name: in.Name, Host: in.Host, Changed: in.Changed, Used: value(in.Used), UsedBy: in.UsedBy,
		UsedFor: in.UsedFor,
	}
}

// SecretUse is one time that a secret was opened.
func SecretUse(in *record.SecretUse) api.SecretUse {
	return api.SecretUse{At: in.At, Who: in.Who, What: in.What}
}

// Credential is who is let in.
func Credential(in *record.Credential) api.Credential {
	return api.Credential{
		ID: in.ID, Kind: in.Kind, Label: in.Label, Created: in.Created, Person: in.PersonName,
		Role: string(in.Limited), Bound: in.Bound, Place: in.Place, Agent: in.Agent,
		Used: value(in.Used), Expires: value(in.Expires), Own: in.Own,
	}
}

// FigureSet is one of the consultant's own figures.
func FigureSet(in *record.FigureSet) api.FigureSet {
	return api.FigureSet{
		Name: in.Name, Taken: day(in.Taken), Kind: in.Kind, Imported: in.Imported,
		Rows: in.Rows,
	}
}

// FigureImport is what became of a table of figures.
func FigureImport(in *record.Import) api.FigureImport {
	return api.FigureImport{
		Columns: Each(in.Columns, figureColumn), Rows: in.Rows, Matched: in.Matched,
		Unmatched: List(in.Unmatched), Faults: Each(in.Faults, figureFault),
	}
}

func figureColumn(in *figures.Column) api.FigureColumn {
	return api.FigureColumn{Name: in.Name, Kind: string(in.Kind), Rows: in.Rows}
}

func figureFault(in *figures.Fault) api.FigureFault {
	return api.FigureFault{Line: in.Line, Reason: in.Reason}
}

// Check is one check of the catalogue.
func Check(c **check.Check) api.Check { return CheckOf(*c) }

// CheckOf is Check for one that is at hand.
func CheckOf(c *check.Check) api.Check {
	out := api.Check{
		ID: c.ID, Group: c.Group, Severity: c.Severity.String(), Factor: c.Weight(), Title: c.Title, What: c.What,
		Why: c.Why,
		How: c.How, Source: c.Source, Effort: c.Effort.String(), Scope: c.Scope.String(), Limits: []api.Limit{},
		Own: c.IsOwn(),
	}
	for _, l := range check.AllLimits {
		if slices.Contains(c.Limits, l.Name) {
			out.Limits = append(out.Limits, limit(&l))
		}
	}
	return out
}

func limit(in *check.Limit) api.Limit {
	return api.Limit{Name: in.Name, Unit: in.Unit, Default: in.Default, Doc: in.Doc}
}

// Profile is a plan that a site's can start from.
func Profile(in *plan.Profile) api.Profile {
	return api.Profile{Name: in.Name, Say: in.Say, Text: in.Text}
}

// Agent is a crawler known by name.
func Agent(in *plan.Agent) api.Agent {
	return api.Agent{Name: in.Name, Header: in.Header, Token: in.Token}
}

// Faults are the things wrong with what was sent; nil for none.
func Faults(in []plan.Fault) []api.Fault {
	return some(in, func(f *plan.Fault) api.Fault {
		return api.Fault{Field: f.Field, Reason: f.Reason, Line: f.Line, Column: f.Column}
	})
}

// Preview is what can be told of a crawl before it begins.
func Preview(in *record.Preview) api.Preview {
	return api.Preview{
		Home: in.Home, Plan: in.Plan.WithDefaults(), Robots: previewRobots(&in.Robots),
		Sitemaps: Each(in.Sitemaps, previewSitemap), Listed: in.Listed, Sampled: in.Sampled, Known: in.Known,
		Least: in.Least, Most: in.Most, Basis: in.Basis, PerSecond: in.PerSecond, Shortest: in.Shortest,
		Longest: in.Longest, Warnings: in.Warnings,
	}
}

func previewRobots(in *record.PreviewRobots) api.PreviewRobots {
	return api.PreviewRobots{
		Address: in.Address, Status: in.Status, Detail: in.Detail, As: in.As, Policy: in.Policy,
		Rules: Each(in.Rules, line), Notes: Each(in.Notes, line), Delay: in.Delay,
		ShutsHome: maybe(in.ShutsHome, line),
	}
}

func previewSitemap(in *survey.SitemapFile) api.PreviewSitemap {
	return api.PreviewSitemap{
		Address: in.Address, Status: in.Status, Form: in.Form, Pages: in.Pages, Sitemaps: in.Sitemaps,
		Detail: in.Detail,
	}
}

func line(in *robots.Line) api.Line {
	return api.Line{Line: in.Number, Text: in.Text}
}
