package service

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// usualDays is how far ahead is told what schedules will begin, unless it is asked otherwise; mostDays is the furthest.
const (
	usualDays = 7
	mostDays  = 31
)

// listSchedules tells the schedules of all sites, or of one, and what they will begin.
func (s *Service) listSchedules(c *gin.Context) {
	site, ok := s.siteAsked(c)
	if !ok {
		return
	}
	days, ok := within(c, "days", usualDays, mostDays)
	if !ok {
		return
	}
	all, err := s.store.Schedules(c, site.Name)
	if err == nil {
		var coming []record.Coming
		if coming, err = s.rooms.Coming(c, site.Name, days); err == nil {
			var held bool
			held, err = s.rooms.SchedulesHeld(c)
			if err == nil {
				all = mine(c, all, func(one *record.Scheduled) string { return one.Site })
				coming = mine(c, coming, func(one *record.Coming) string { return one.Site })
				c.JSON(http.StatusOK, api.ScheduleList{Held: held, Schedules: wire.Each(all, wire.Scheduled),
					Coming: wire.Each(coming, wire.Coming)})
				return
			}
		}
	}
	s.fail(c, err, "the list")
}

// holdSchedules lets no schedule begin anything, or lets them again.
func (s *Service) holdSchedules(c *gin.Context) {
	var in api.Held
	if !s.bind(c, &in) {
		return
	}
	if err := s.rooms.HoldSchedules(c, in.Held); err != nil {
		s.fail(c, err, "the schedules")
		return
	}
	c.Status(http.StatusNoContent)
}

func scheduleWord(c *gin.Context) string {
	return fmt.Sprintf("a schedule %q of this site", c.Param("schedule"))
}

// setSchedule keeps a schedule of a site.
func (s *Service) setSchedule(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	var in api.Schedule
	if !s.bind(c, &in) {
		return
	}
	name := c.Param("schedule")
	if !plan.IsName(name) {
		problem(c, http.StatusUnprocessableEntity,
			"the name of a schedule has 1 to 64 small letters, digits or hyphens, such as nightly")
		return
	}
	if err := s.rooms.SetSchedule(c, site, wire.ScheduleFrom(name, &in)); err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	all, err := s.store.Schedules(c, site.Name)
	for i := range all {
		if all[i].Name == name {
			c.JSON(http.StatusOK, wire.Scheduled(&all[i]))
			return
		}
	}
	if err == nil {
		err = record.ErrNotFound
	}
	s.fail(c, err, scheduleWord(c))
}

// removeSchedule forgets one.
func (s *Service) removeSchedule(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	if err := s.rooms.RemoveSchedule(c, site, c.Param("schedule")); err != nil {
		s.fail(c, err, scheduleWord(c))
		return
	}
	c.Status(http.StatusNoContent)
}

// runSchedule begins at once what a schedule would.
func (s *Service) runSchedule(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	rec, err := s.rooms.RunSchedule(c, site, c.Param("schedule"))
	if err != nil {
		s.fail(c, err, scheduleWord(c))
		return
	}
	c.JSON(http.StatusAccepted, wire.Crawl(&rec))
}

// listGoing tells which crawls would go if a site kept so many.
func (s *Service) listGoing(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	keep := site.Keep
	if text := c.Query("crawls"); text != "" {
		n, err := strconv.Atoi(text)
		if err != nil || !enoughKept(n) {
			problem(c, http.StatusUnprocessableEntity, tooFewKept)
			return
		}
		keep = record.Retention{Crawls: n, Monthly: c.Query("monthly") == "true"}
	}
	going, err := s.store.Going(c, site.ID, keep)
	if err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	c.JSON(http.StatusOK, api.CrawlList{Crawls: wire.Each(going, wire.Crawl)})
}
