package service

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// Of how many days and in how many parts the course of a watched address is told.
const (
	mostCourseDays = 400
	usualBins      = 96
	mostBins       = 500
	month          = 30 * 24 * time.Hour
	mostNoticed    = 200
	mostOutages    = 200
)

// listWatches tells how watched addresses stand.
func (s *Service) listWatches(c *gin.Context) {
	site, ok := s.siteAsked(c)
	if !ok {
		return
	}
	all, err := s.store.Watches(c, site.Name)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	all = mine(c, all, func(one *record.Watched) string { return one.Site })
	ids := make([]int64, len(all))
	for i := range all {
		ids[i] = all[i].ID
	}
	now := time.Now()
	courses, err := s.store.Lately(c, ids, now.Add(-month))
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	outages, err := s.store.Outages(c, site.Name, 0, now.Add(-month), mostOutages)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	outages = mine(c, outages, func(one *record.Outage) string { return one.Site })
	keep, err := s.store.KeepsLooks(c)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	out := api.WatchList{Watches: []api.Watched{}, Outages: wire.Each(outages, wire.Outage),
		Kept: api.LooksKept{Days: keep.Days, Hours: keep.Hours}}
	for i := range all {
		one := courses[all[i].ID]
		out.Watches = append(out.Watches, wire.Watched(&all[i], &one))
	}
	c.JSON(http.StatusOK, out)
}

// Bounds of how many days looks are kept.
const (
	mostDaysKept  = 400
	mostHoursKept = 4000
)

// keepLooks says for how long looks are kept.
func (s *Service) keepLooks(c *gin.Context) {
	var in api.LooksKept
	if !s.bind(c, &in) {
		return
	}
	if in.Days < 1 || in.Days > mostDaysKept || in.Hours <= in.Days || in.Hours > mostHoursKept {
		problem(c, http.StatusUnprocessableEntity, fmt.Sprintf(
			"looks are kept one by one for 1 to %d days, and by hour for more days than that, at most %d", mostDaysKept, mostHoursKept))
		return
	}
	if err := s.store.Set(c, record.LooksSetting, record.LooksKept{Days: in.Days, Hours: in.Hours}); err != nil {
		s.fail(c, err, "the setting")
		return
	}
	c.Status(http.StatusNoContent)
}

func watchWord(c *gin.Context) string {
	return fmt.Sprintf("a watch %q of this site", c.Param("watch"))
}

// watched is the watch that the path names; on failure it has answered.
func (s *Service) watched(c *gin.Context, site record.Site) (record.Watched, bool) {
	all, err := s.store.Watches(c, site.Name)
	for _, one := range all {
		if one.Name == c.Param("watch") {
			return one, true
		}
	}
	if err == nil {
		err = record.ErrNotFound
	}
	s.fail(c, err, watchWord(c))
	return record.Watched{}, false
}

// within reads a number of the query, from 1 on; on failure it has answered. 0 is what programs send that name none.
func within(c *gin.Context, name string, usual, most int) (int, bool) {
	if c.Query(name) == "0" {
		return usual, true
	}
	return number(c, name, usual, 1, most)
}

// showWatch tells how a watched address did.
func (s *Service) showWatch(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	days, ok := within(c, "days", 1, mostCourseDays)
	if !ok {
		return
	}
	bins, ok := within(c, "bins", usualBins, mostBins)
	if !ok {
		return
	}
	one, ok := s.watched(c, site)
	if !ok {
		return
	}
	until := time.Now()
	from := until.AddDate(0, 0, -days)
	course, err := s.rooms.CourseOf(c, one, from, until, bins)
	if err != nil {
		s.fail(c, err, watchWord(c))
		return
	}
	changes, err := s.store.Changes(c, site.ID, one.ID, from, mostNoticed)
	if err != nil {
		s.fail(c, err, watchWord(c))
		return
	}
	c.JSON(http.StatusOK, wire.WatchCourse(&one, &course, changes))
}

// setWatch keeps a watch of a site.
func (s *Service) setWatch(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	var in api.Watch
	if !s.bind(c, &in) {
		return
	}
	name := c.Param("watch")
	if !plan.IsName(name) {
		problem(
			c,
			http.StatusUnprocessableEntity,
			"the name of a watch has 1 to 64 small letters, digits or hyphens, such as home",
		)
		return
	}
	if err := s.rooms.SetWatch(c, site, wire.WatchFrom(name, &in)); err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	if one, ok := s.watched(c, site); ok {
		c.JSON(http.StatusOK, wire.Watched(&one, nil))
	}
}

// removeWatch forgets one.
func (s *Service) removeWatch(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	if err := s.store.RemoveWatch(c, site.ID, c.Param("watch")); err != nil {
		s.fail(c, err, watchWord(c))
		return
	}
	c.Status(http.StatusNoContent)
}

// showFront tells what a site shows besides its pages.
func (s *Service) showFront(c *gin.Context) {
	if site, ok := s.siteOf(c); ok {
		s.tellFront(c, site)
	}
}

func (s *Service) tellFront(c *gin.Context, site record.Site) {
	all, err := s.store.Fronts(c, site.Name)
	var changes []record.Noticed
	if err == nil {
		changes, err = s.store.Changes(c, site.ID, 0, time.Time{}, mostNoticed)
	}
	if err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	var one record.Front
	if len(all) > 0 {
		one = all[0]
	}
	c.JSON(http.StatusOK, wire.Front(&one, changes))
}

// lookAtFront looks at it at once.
func (s *Service) lookAtFront(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	if err := s.rooms.LookAtFront(c, site); err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	s.tellFront(c, site)
}

// setFront says whether it is looked at daily.
func (s *Service) setFront(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	var in api.FrontWatched
	if !s.bind(c, &in) {
		return
	}
	var due *time.Time
	if in.Watched {
		now := time.Now()
		due = &now
	}
	if err := s.store.SetFront(c, site.ID, due); err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	s.tellFront(c, site)
}

// listMaintenance tells when a site is worked at.
func (s *Service) listMaintenance(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	all, err := s.store.Maintenances(c, site.ID, time.Now())
	if err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	c.JSON(http.StatusOK, api.MaintenanceList{Maintenance: wire.Each(all, wire.Maintenance)})
}

// longestMaintenance is how long a site may be said to be worked at.
const longestMaintenance = 31 * 24 * time.Hour

// addMaintenance says when a site is worked at.
func (s *Service) addMaintenance(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	var in api.NewMaintenance
	if !s.bind(c, &in) {
		return
	}
	if in.Began.IsZero() {
		in.Began = time.Now()
	}
	in.Reason = strings.TrimSpace(in.Reason)
	var faults plan.Faults
	switch {
	case !in.Ends.After(in.Began) || !in.Ends.After(time.Now()):
		faults = append(faults, plan.Fault{Field: "ends", Reason: "it ends after it began, and not in the past"})
	case in.Ends.Sub(in.Began) > longestMaintenance:
		faults = append(
			faults,
			plan.Fault{Field: "ends", Reason: "it lasts at most 31 days; a watch can be paused for longer"},
		)
	}
	if in.Reason == "" || len(in.Reason) > 500 {
		faults = append(faults, plan.Fault{Field: "reason", Reason: "a reason has 1 to 500 characters"})
	}
	if faults != nil {
		s.fail(c, faults, "")
		return
	}
	m, err := s.store.AddMaintenance(
		c,
		record.Maintenance{SiteID: site.ID, Began: in.Began, Ends: in.Ends, Reason: in.Reason},
	)
	if err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	c.JSON(http.StatusCreated, wire.Maintenance(&m))
}

// removeMaintenance says that a site is not worked at.
func (s *Service) removeMaintenance(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	id, err := numbered(c, "maintenance")
	if err == nil {
		err = s.store.RemoveMaintenance(c, site.ID, id)
	}
	if err != nil {
		s.fail(c, err, "such a maintenance of this site")
		return
	}
	c.Status(http.StatusNoContent)
}
