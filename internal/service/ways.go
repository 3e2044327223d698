package service

import (
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"net/http"
	"net/mail"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"harvik/internal/alerts"
	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/schedule"
	"harvik/internal/messages"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// listWays tells how somebody is told.
func (s *Service) listWays(c *gin.Context) {
	all, err := s.store.Ways(c)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	c.JSON(http.StatusOK, api.WayList{Ways: wire.Each(all, wire.Way)})
}

// wayOf is the way that the path names; on failure it has answered.
func (s *Service) wayOf(c *gin.Context) (record.Way, bool) {
	all, err := s.store.Ways(c)
	for _, w := range all {
		if w.Name == c.Param("way") {
			return w, true
		}
	}
	if err == nil {
		err = record.ErrNotFound
	}
	s.fail(c, err, fmt.Sprintf("a way %q", c.Param("way")))
	return record.Way{}, false
}

// checkWay says what is wrong with a way.
func (s *Service) checkWay(c *gin.Context, w record.Way) error {
	var faults plan.Faults
	add := func(field, format string, args ...any) {
		faults = append(faults, plan.Fault{Field: field, Reason: fmt.Sprintf(format, args...)})
	}
	switch w.Kind {
	case record.ByMail:
		if a, err := mail.ParseAddress(w.Address); err != nil || a.Address != w.Address {
			add("address", "%q is no address of a mailbox; write one such as ash@fernhollow.example", w.Address)
		}
	case record.ByWebhook:
		if u, err := url.Parse(w.Address); err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
			add("address", "%q is no web address", w.Address)
		}
	case record.ByFeed:
		if w.Address != "" {
			add("address", "a feed has no address but its own")
		}
	default:
		add("kind", "%q is no way to tell somebody: mail, webhook or feed", w.Kind)
	}
	sites, err := s.store.Sites(c)
	if err != nil {
		return err
	}
	for _, name := range w.Sites {
		if !slices.ContainsFunc(sites, func(o record.Site) bool { return o.Name == name }) {
			add("sites", "there is no site %q", name)
		}
	}
	hourly := schedule.Schedule{When: "0 * * * *", Zone: w.Zone, Hours: w.Quiet} // it comes at some hour, whatever the hours
	var of plan.Faults
	if _, err := hourly.Read(""); errors.As(err, &of) {
		for _, f := range of {
			add(strings.Replace(f.Field, "hours", "quiet", 1), "%s", f.Reason)
		}
	}
	if w.Letter != "" {
		letter := schedule.Schedule{When: w.Letter, Zone: w.Zone}
		if _, err := letter.Read(""); errors.As(err, &of) {
			add("letter", "%s", of[0].Reason)
		}
	}
	if _, err := netip.ParsePrefix(w.Allow); w.Allow != "" && err != nil {
		add("allow", "%q is no range of addresses; write one such as 10.20.0.0/16", w.Allow)
	}
	if w.Gap < 0 || w.Gap > 7*24*60 {
		add("gap", "between two messages are 0 to 10080 minutes")
	}
	if faults != nil {
		return faults
	}
	return nil
}

// setWay keeps a way.
func (s *Service) setWay(c *gin.Context) {
	var in api.NewWay
	if !s.bind(c, &in) {
		return
	}
	name := c.Param("way")
	if !plan.IsName(name) {
		problem(c, http.StatusUnprocessableEntity, "the name of a way has 1 to 64 small letters, digits or hyphens, such as ash")
		return
	}
	w := wire.WayFrom(name, &in)
	if err := s.checkWay(c, w); err != nil {
		s.fail(c, err, "the way")
		return
	}
	if in.Secret != "" {
		if !fits(c, bounded{"secret", in.Secret, maxWords}) {
			return
		}
		w.Sealed = s.sealer.Seal(in.Secret, record.WayPurpose(name))
	}
	w.Next = w.NextLetter(time.Now())
	all, err := s.store.Ways(c)
	if err != nil {
		s.fail(c, err, "the way")
		return
	}
	known := slices.ContainsFunc(all, func(o record.Way) bool { return o.Name == name && len(o.Print) > 0 })
	token := ""
	if w.Kind == record.ByFeed && !known {
		token = rand.Text()
		print := sha256.Sum256([]byte(token))
		w.Print = print[:]
	}
	if err := s.store.PutWay(c, w); err != nil {
		s.fail(c, err, "the way")
		return
	}
	one, ok := s.wayOf(c)
	if !ok {
		return
	}
	out := wire.Way(&one)
	if token != "" {
		out.Feed = "/feeds/" + token
	}
	c.JSON(http.StatusOK, out)
}

// removeWay forgets one.
func (s *Service) removeWay(c *gin.Context) {
	if err := s.store.RemoveWay(c, c.Param("way")); err != nil {
		s.fail(c, err, fmt.Sprintf("a way %q", c.Param("way")))
		return
	}
	c.Status(http.StatusNoContent)
}

// testWay sends a test.
func (s *Service) testWay(c *gin.Context) {
	w, ok := s.wayOf(c)
	if !ok {
		return
	}
	if w.Kind == record.ByFeed {
		problem(c, http.StatusConflict, "nothing is sent to a feed: read it")
		return
	}
	id, err := s.store.Post(c, w.ID, record.MessageBody{Subject: "A test by Harvik", Test: true})
	if err != nil {
		s.fail(c, err, "the test")
		return
	}
	one, err := s.store.Message(c, id)
	if err != nil {
		s.fail(c, err, "the test")
		return
	}
	c.JSON(http.StatusAccepted, wire.Message(&one))
}

// mostMessages is how many messages are told of one way.
const mostMessages = 100

// listMessages tells what became of the messages of a way.
func (s *Service) listMessages(c *gin.Context) {
	w, ok := s.wayOf(c)
	if !ok {
		return
	}
	all, err := s.store.Messages(c, w.ID, mostMessages)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	c.JSON(http.StatusOK, api.MessageList{Messages: wire.Each(all, wire.Message)})
}

// showMail tells the server by which mail is sent.
func (s *Service) showMail(c *gin.Context) {
	var server record.MailServer
	if err := s.store.Setting(c, record.MailSetting, &server); err != nil {
		s.fail(c, err, "the mail server")
		return
	}
	c.JSON(http.StatusOK, wire.MailServer(&server))
}

// setMail sets it.
func (s *Service) setMail(c *gin.Context) {
	var in api.NewMailServer
	if !s.bind(c, &in) {
		return
	}
	var faults plan.Faults
	if in.Host == "" || strings.ContainsAny(in.Host, "/@ ") {
		faults = append(faults, plan.Fault{Field: "host", Reason: "a host name is wanted, without scheme and port"})
	}
	if in.Port < 1 || in.Port > 65535 {
		faults = append(faults, plan.Fault{Field: "port", Reason: "a port is a number from 1 to 65535, usually 587"})
	}
	if _, err := mail.ParseAddress(in.From); err != nil {
		faults = append(faults, plan.Fault{Field: "from", Reason: "write a sender such as Harvik <harvik@fernhollow.example>"})
	}
	switch in.Secure {
	case "", record.MailStartTLS, record.MailTLS, record.MailPlain:
	default:
		faults = append(faults, plan.Fault{Field: "secure", Reason: "a mail server is spoken to by starttls, tls or plain"})
	}
	if faults != nil {
		s.fail(c, faults, "")
		return
	}
	var was record.MailServer
	if err := s.store.Setting(c, record.MailSetting, &was); err != nil {
		s.fail(c, err, "the mail server")
		return
	}
	now := record.MailServer{Host: in.Host, Port: in.Port, From: in.From, User: in.User, Secure: in.Secure}
	switch {
	case in.Password != "":
		now.Sealed = s.sealer.Seal(in.Password, record.MailPurpose)
	case was.Host == now.Host && was.User == now.User && was.Port == now.Port && was.Secure == now.Secure:
		now.Sealed = was.Sealed // it goes to no other server than it was given for
	}
	if err := s.store.Set(c, record.MailSetting, now); err != nil {
		s.fail(c, err, "the mail server")
		return
	}
	c.JSON(http.StatusOK, wire.MailServer(&now))
}

// feed is what was told, for whoever has its token.
func (s *Service) feed(c *gin.Context) {
	print := sha256.Sum256([]byte(strings.TrimSuffix(c.Param("token"), ".atom")))
	w, err := s.store.WayOf(c, print[:])
	if err != nil {
		s.fail(c, err, "such a feed")
		return
	}
	all, err := s.store.ToldBy(c, w.ID, mostMessages)
	var console string
	if err == nil {
		err = s.store.Setting(c, record.ConsoleSetting, &console)
	}
	var out []byte
	if err == nil {
		out, err = messages.Atom(w, all, alerts.Link, console, time.Now())
	}
	if err != nil {
		s.fail(c, err, "the feed")
		return
	}
	c.Data(http.StatusOK, "application/atom+xml; charset=utf-8", out)
}
