package check

import (
	"maps"
	"path"

	"harvik/internal/core/page"
	"harvik/internal/core/plan"
	"harvik/internal/core/scope"
	"harvik/internal/core/survey"
)

// NewRunner makes a runner of a catalogue as a plan wants it.
func NewRunner(catalog []*Check, p plan.Plan) *Runner {
	r := &Runner{Limits: NewLimits(p.Limits), staging: p.Scope.Staging}
	for _, k := range p.Kinds {
		r.kinds = append(r.kinds, kindRule{scope.NewMatcher(k.Pages), page.Kind(k.Kind), k.Pages})
	}
	for _, c := range catalog {
		v := variants{check: c}
		for _, rule := range p.Checks {
			if Covers(rule.Check, c.ID) {
				v.add(rule, p.Limits)
			}
		}
		if v.off {
			continue
		}
		r.Checks = append(r.Checks, v.check)
		for _, s := range v.some {
			if s.check != nil {
				r.Checks = append(r.Checks, s.check)
			}
		}
		if len(v.some) > 0 || v.limits != nil {
			if r.variants == nil {
				r.variants = map[*Check]*variants{}
			}
			r.variants[v.check] = &v
		}
	}
	return r
}

// Covers tells whether a pattern of check IDs, in which * stands for anything, names one.
func Covers(pattern, id string) bool {
	ok, err := path.Match(pattern, id)
	return err == nil && ok
}

type kindRule struct {
	pages *scope.Matcher
	kind  page.Kind
	text  string
}

// variants are how a plan's rules change one check: everywhere, and on some pages.
type variants struct {
	check  *Check // changed everywhere
	off    bool
	limits *Limits
	some   []variant
}

type variant struct {
	on     *scope.Matcher
	off    bool
	check  *Check // nil where severity and factor stay
	limits *Limits
}

func (v *variants) add(rule plan.CheckRule, limits map[string]int) {
	changed := *v.check
	if rule.Severity != "" {
		_ = changed.Severity.UnmarshalText([]byte(rule.Severity)) // a valid plan names one of three
	}
	if rule.Factor != 0 {
		changed.Factor = rule.Factor
	}
	var own *Limits
	if len(rule.Limits) > 0 {
		all := maps.Clone(limits)
		if all == nil {
			all = map[string]int{}
		}
		maps.Copy(all, rule.Limits)
		own = NewLimits(all)
	}
	differs := rule.Severity != "" || rule.Factor != 0
	if rule.On == "" {
		v.off = v.off || rule.Off
		if differs {
			v.check = &changed
		}
		if own != nil {
			v.limits = own
		}
		return
	}
	one := variant{on: scope.NewMatcher(rule.On), off: rule.Off, limits: own}
	if differs {
		changed.Variant = rule.On
		changed.Page, changed.Site = nil, nil // the check itself looks; only its findings are counted otherwise
		one.check = &changed
	}
	v.some = append(v.some, one)
}

// at is how a check judges at an address: as which check, by which limits; nil where it is off.
func (r *Runner) at(c *Check, address string) (as *Check, limits *Limits) {
	v := r.variants[c]
	if v == nil {
		return c, r.Limits
	}
	as, limits = c, r.Limits
	if v.limits != nil {
		limits = v.limits
	}
	for _, s := range v.some {
		if !s.on.Matches(address) {
			continue
		}
		if s.off {
			return nil, limits
		}
		if s.check != nil {
			as = s.check
		}
		if s.limits != nil {
			limits = s.limits
		}
	}
	return as, limits
}

// SetKind overrules the kind of a page where the plan does.
func (r *Runner) SetKind(f *page.Facts) {
	if f.Document == nil {
		return
	}
	d := f.Document
	if d.KindRead != "" { // overruled by an earlier plan
		d.Kind, d.KindReason, d.KindRead = d.KindRead, "", ""
	}
	for _, k := range r.kinds {
		if k.pages.Matches(f.Address) {
			d.Kind, d.KindReason, d.KindRead = k.kind, "the plan says so of "+k.text, d.Kind
			return
		}
	}
}

// LimitsAt are the thresholds that hold for a page.
func (p *SitePass) LimitsAt(g *survey.Page) *Limits {
	_, limits := p.runner.at(p.check, p.URL(g.ID))
	return limits
}

// LimitsAt are the thresholds by which a check judges an address, nil where the plan switches it off.
func (r *Runner) LimitsAt(c *Check, address string) *Limits {
	as, limits := r.at(c, address)
	if as == nil {
		return nil
	}
	return limits
}
