package service

import (
	"fmt"
	"net/http"
	"regexp"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/care"
	"harvik/internal/core/own"
	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
	"harvik/internal/record"
	"harvik/internal/wire"
)

func (s *Service) listSites(c *gin.Context) {
	sites, err := s.store.Sites(c)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	sites = mine(c, sites, siteNameOf)
	c.JSON(http.StatusOK, api.SiteList{Sites: wire.Each(sites, told(c, wire.Site, wire.ClientSite))})
}

// listCare tells how all sites stand, those that need somebody most first.
func (s *Service) listCare(c *gin.Context) {
	now := time.Now()
	sites, err := s.store.Care(c, now)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	sites = mine(c, sites, func(one *care.Site) string { return one.Name })
	care.Sort(sites, now)
	whole := func(one *care.Site) api.CareSite { return wire.CareSite(one, now) }
	client := func(one *care.Site) api.CareSite { return wire.ClientCare(whole(one)) }
	out := api.CareList{Sites: wire.Each(sites, told(c, whole, client))}
	for i := range sites {
		out.Alerts += sites[i].Alerts
	}
	c.JSON(http.StatusOK, out)
}

var siteName = regexp.MustCompile(`^[a-z0-9]([a-z0-9._-]{0,61}[a-z0-9])?$`)

func (s *Service) addSite(c *gin.Context) {
	var in api.NewSite
	if !s.bind(c, &in) {
		return
	}
	var faults plan.Faults
	var p plan.Plan
	switch {
	case in.Plan != nil && in.Profile != "":
		faults = append(faults, plan.Fault{Field: "profile", Reason: "give a plan or a profile, not both"})
	case in.Plan != nil:
		p = *in.Plan
	case in.Profile != "":
		var near string
		var ok bool
		if p, near, ok = plan.ProfileNamed(in.Profile); !ok {
			reason := fmt.Sprintf("there is no profile %q", in.Profile)
			if near != "" {
				reason += fmt.Sprintf(", did you mean %q?", near)
			} else {
				reason += "; `harvik plan profiles` shows them"
			}
			faults = append(faults, plan.Fault{Field: "profile", Reason: reason})
		}
	}
	if !siteName.MatchString(in.Name) {
		faults = append(faults, plan.Fault{Field: "name",
			Reason: "a name has 1 to 63 small letters, digits, dots, hyphens or underscores, such as fernhollow"})
	}
	home, err := weburl.Parse(s.withScheme(c, in.Home))
	if err != nil || !home.IsHTTP() {
		faults = append(faults, plan.Fault{Field: "home",
			Reason: "the home address starts with http:// or https://, such as https://fernhollow.example/"})
	}
	if err := p.Validate(own.Known(s.checks)); err != nil {
		faults = append(faults, err.(plan.Faults)...)
	}
	if faults != nil {
		s.fail(c, faults, "")
		return
	}
	if err := s.store.AddSite(c, in.Name, home.Key(), p); err != nil {
		s.fail(c, err, "a site of the name "+in.Name)
		return
	}
	site, err := s.store.Site(c, in.Name)
	if err != nil {
		s.fail(c, err, "the site")
		return
	}
	c.JSON(http.StatusCreated, wire.Site(&site))
}

var bareHost = regexp.MustCompile(`^[A-Za-z0-9-]+(\.[A-Za-z0-9-]+)+\.?(:\d+)?(/|$)`)

// withScheme is an address as it was probably meant where the scheme was left out: that by which the host
// answers, https first.
func (s *Service) withScheme(c *gin.Context, home string) string {
	if !bareHost.MatchString(home) {
		return home
	}
	for _, scheme := range []string{"https://", "http://"} {
		look, err := s.rooms.Look(c, record.LookRequest{Address: scheme + home, Check: "title-missing"})
		if err == nil && look.Facts != nil && look.Facts.Status > 0 {
			return scheme + home
		}
	}
	return "https://" + home
}

func siteWord(c *gin.Context) string { return "the site " + c.Param("site") }

func (s *Service) showSite(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	c.JSON(http.StatusOK, told(c, wire.Site, wire.ClientSite)(&site))
}

func (s *Service) removeSite(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	if crawls, err := s.store.Crawls(c, site, 0, 1); err == nil && len(crawls) > 0 && crawls[0].State == "running" {
		problem(c, http.StatusConflict, "a crawl of this site is running; stop it first")
		return
	}
	if err := s.rooms.RemoveSite(c, site.Name); err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	c.Status(http.StatusNoContent)
}

// fewestKept is how few crawls a site may keep: a crawl is compared with the one before it.
const fewestKept = 2

var tooFewKept = fmt.Sprintf("a site keeps at least %d crawls, so that each can be compared with the one before, or all of them",
	fewestKept)

// enoughKept tells whether a site may keep so many crawls; 0 are all.
func enoughKept(crawls int) bool { return crawls == 0 || crawls >= fewestKept }

// setKeep says how many crawls a site keeps. None goes before a crawl of it ends.
func (s *Service) setKeep(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	var in api.Keep
	if !s.bind(c, &in) {
		return
	}
	if !enoughKept(in.Crawls) {
		problem(c, http.StatusUnprocessableEntity, tooFewKept)
		return
	}
	if err := s.store.SetKeep(c, site.ID, record.Retention{Crawls: in.Crawls, Monthly: in.Monthly}); err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	s.showSite(c)
}

// mostGroups is how many groups a site may be in.
const mostGroups = 20

// setGroups says which groups a site is in, in place of those that it was in.
func (s *Service) setGroups(c *gin.Context) {
	site, ok := s.siteOf(c)
	if !ok {
		return
	}
	var in api.Groups
	if !s.bind(c, &in) {
		return
	}
	groups := slices.Compact(append([]string{}, slices.Sorted(slices.Values(in.Groups))...))
	if len(groups) > mostGroups {
		problem(c, http.StatusUnprocessableEntity, fmt.Sprintf("a site is in at most %d groups", mostGroups))
		return
	}
	for _, group := range groups {
		if !siteName.MatchString(group) {
			problem(c, http.StatusUnprocessableEntity, fmt.Sprintf(
				"%q is no name of a group: it has 1 to 63 small letters, digits, dots, hyphens or underscores, such as gardens", group))
			return
		}
	}
	if err := s.store.SetGroups(c, site.ID, groups); err != nil {
		s.fail(c, err, siteWord(c))
		return
	}
	s.showSite(c)
}
