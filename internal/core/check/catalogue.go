package check

import (
	"slices"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
)

// A Catalogue is the checks that judge. It is not changed once it is made, and safe for use from several goroutines.
type Catalogue struct {
	// Version grows when a check is added or its verdicts change. A crawl keeps the version that it was judged with.
	Version int
	Checks  []*Check // group by group, in the order in which lists show them
	Groups  []string // in the same order
	byID    map[string]*Check
}

// NewCatalogue joins suites of checks. No two checks have one ID.
func NewCatalogue(version int, suites ...[]*Check) *Catalogue {
	c := &Catalogue{Version: version, Checks: slices.Concat(suites...), byID: map[string]*Check{}}
	for _, one := range c.Checks {
		if c.byID[one.ID] != nil {
			panic("two checks are called " + one.ID)
		}
		c.byID[one.ID] = one
		if !slices.Contains(c.Groups, one.Group) {
			c.Groups = append(c.Groups, one.Group)
		}
	}
	return c
}

// Find is the check of an ID, nil if there is none.
func (c *Catalogue) Find(id string) *Check { return c.byID[id] }

// Only is the catalogue with some of its checks.
func (c *Catalogue) Only(wanted func(*Check) bool) *Catalogue {
	return NewCatalogue(c.Version,
		slices.DeleteFunc(slices.Clone(c.Checks), func(one *Check) bool { return !wanted(one) }))
}

// Known is what plans may name of the catalogue.
func (c *Catalogue) Known() plan.Known {
	return plan.Known{
		Limit: KnownLimit,
		Check: func(pattern string) bool {
			return slices.ContainsFunc(c.Checks, func(one *Check) bool { return Covers(pattern, one.ID) })
		},
		Kinds: page.KindNames(),
	}
}
