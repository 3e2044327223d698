package service

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"harvik/internal/alerts"
	"harvik/internal/api"
	"harvik/internal/core/alert"
	"harvik/internal/core/plan"
	"harvik/internal/core/task"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// listRules tells what is told of a site, and what could be.
func (s *Service) listRules(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	all, err := s.rooms.RulesOf(c, site)
	if err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	c.JSON(
		http.StatusOK,
		api.RuleList{Rules: wire.Each(all, wire.SiteRule), Kinds: wire.Each(alert.Kinds, wire.RuleKind)},
	)
}

func ruleWord(c *gin.Context) string {
	return fmt.Sprintf("a rule %q of this site's own", c.Param("rule"))
}

// ruleIn reads a rule; on failure it has answered.
func (s *Service) ruleIn(c *gin.Context, name string) (alert.Rule, bool) {
	var in api.Rule
	if !s.bind(c, &in) {
		return alert.Rule{}, false
	}
	r, err := wire.RuleFrom(name, &in)
	if err != nil {
		s.fail(c, plan.Faults{{Field: "gate", Reason: err.Error()}}, "")
		return r, false
	}
	return r, true
}

// setRule keeps a rule of a site.
func (s *Service) setRule(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	name := c.Param("rule")
	if !plan.IsName(name) {
		problem(
			c,
			http.StatusUnprocessableEntity,
			"the name of a rule has 1 to 64 small letters, digits or hyphens, such as no-prices",
		)
		return
	}
	r, ok := s.ruleIn(c, name)
	if !ok {
		return
	}
	if err := s.rooms.SetRule(c, site, r); err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	c.JSON(http.StatusOK, wire.SiteRule(&record.SiteRule{Site: site.Name, Rule: r, Own: true}))
}

// removeRule forgets one.
func (s *Service) removeRule(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	if err := s.rooms.RemoveRule(c, site, c.Param("rule")); err != nil {
		s.fail(c, err, ruleWord(c))
		return
	}
	c.Status(http.StatusNoContent)
}

// tryRule tells what a rule would have told.
func (s *Service) tryRule(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	r, ok := s.ruleIn(c, "tried")
	if !ok {
		return
	}
	out, err := s.rooms.TryRule(c, site, r)
	if err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	c.JSON(http.StatusOK, wire.TriedRule(&out))
}

// listAlerts is the inbox.
func (s *Service) listAlerts(c *gin.Context) {
	site, ok := s.siteAsked(c)
	if !ok {
		return
	}
	state := cmp.Or(c.Query("state"), record.AlertStirs)
	if !slices.Contains(record.AlertStates, state) {
		problem(c, http.StatusUnprocessableEntity,
			fmt.Sprintf("%q is no state of an alert; there are %s", state, strings.Join(record.AlertStates, ", ")))
		return
	}
	before, err := strconv.ParseInt(cmp.Or(c.Query("before"), "0"), 10, 64)
	if err != nil || before < 0 {
		problem(c, http.StatusUnprocessableEntity, "before is the number of an alert")
		return
	}
	limit, ok := number(c, "limit", 100, 1, 1000)
	if !ok {
		return
	}
	now := time.Now()
	all, err := s.store.Alerts(c, given(c, site.Name), state, before, limit, now)
	if err != nil {
		s.fail(c, err, "the inbox")
		return
	}
	counts, err := s.store.AlertCounts(c, now)
	if err != nil {
		s.fail(c, err, "the inbox")
		return
	}
	out := api.AlertList{Alerts: wire.Each(all, alertOut)}
	who := caller(c)
	for name, n := range counts {
		if who.At(name) {
			out.New += n
		}
	}
	if len(all) == limit {
		out.Next = all[len(all)-1].ID
	}
	c.JSON(http.StatusOK, out)
}

func alertOut(a *record.Alert) api.Alert { return wire.Alert(a, alerts.Link(*a)) }

// alertOf is the alert that the path names; on failure it has answered.
func (s *Service) alertOf(c *gin.Context) (record.Alert, bool) {
	id, err := numbered(c, "alert")
	var one record.Alert
	if err == nil {
		one, err = s.store.Alert(c, id)
	}
	if who := caller(c); err == nil && !who.At(one.Site) {
		err = record.ErrNotFound
	}
	if err != nil {
		s.fail(c, err, "such an alert")
		return one, false
	}
	return one, true
}

// changeAlert reads, puts out of sight, assigns or waves off.
func (s *Service) changeAlert(c *gin.Context) {
	one, ok := s.alertOf(c)
	if !ok {
		return
	}
	var in api.AlertChange
	if !s.bind(c, &in) {
		return
	}
	change := record.AlertChange{Assignee: in.Assignee, Reason: strings.TrimSpace(in.Reason)}
	texts := []bounded{{"reason", in.Reason, maxWords}}
	if in.Assignee != nil {
		texts = append(texts, bounded{"assignee", *in.Assignee, maxName})
	}
	if !fits(c, texts...) {
		return
	}
	if in.State != "" {
		if !slices.Contains([]string{record.AlertNew, record.AlertRead, record.AlertWaved}, in.State) {
			problem(
				c,
				http.StatusUnprocessableEntity,
				fmt.Sprintf("an alert becomes new, read or waved off, not %q", in.State),
			)
			return
		}
		if in.State == record.AlertWaved && change.Reason == "" {
			s.fail(c, plan.Faults{{Field: "reason", Reason: "say why it is waved off"}}, "")
			return
		}
		change.State = &in.State
	}
	if !in.Until.IsZero() {
		change.Until = &in.Until
	}
	if err := s.store.ChangeAlert(c, one.ID, change); err != nil {
		s.fail(c, err, "such an alert")
		return
	}
	if one, ok = s.alertOf(c); ok {
		c.JSON(http.StatusOK, alertOut(&one))
	}
}

// takeAlert takes the fixes that an alert is about.
func (s *Service) takeAlert(c *gin.Context) {
	one, ok := s.alertOf(c)
	if !ok {
		return
	}
	var in api.TakeAlert
	if c.Request.ContentLength != 0 && !s.bind(c, &in) {
		return
	}
	if len(one.Told.Fixes) == 0 {
		problem(c, http.StatusConflict, "this alert is about no line of the fix list; assign it instead")
		return
	}
	site, err := s.store.Site(c, one.Site)
	if err != nil {
		s.fail(c, err, "the site")
		return
	}
	wish := record.Wish{To: task.Taken, By: by(c), Assignee: in.Assignee}
	for _, id := range one.Told.Fixes {
		wish.Fixes = append(wish.Fixes, record.FixAt{Fix: id})
	}
	moves, err := s.rooms.Move(c, site, wish)
	if err == nil {
		read := record.AlertRead
		err = s.store.ChangeAlert(c, one.ID, record.AlertChange{State: &read, Assignee: in.Assignee})
	}
	if err != nil {
		s.fail(c, err, "the fixes")
		return
	}
	c.JSON(http.StatusOK, wire.Moves(&moves))
}
