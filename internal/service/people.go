package service

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"net/mail"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/rights"
	"harvik/internal/messages"
	"harvik/internal/password"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/wire"
)

// listPeople tells who works here. Who may not let others in learns their names and what they are, and of those alone
// who have a site in common.
func (s *Service) listPeople(c *gin.Context) {
	all, err := s.store.People(c)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	who := caller(c)
	owns := who.May(rights.Own, "")
	var sites []record.Site
	if !owns {
		if sites, err = s.store.Sites(c); err != nil {
			s.fail(c, err, "the list")
			return
		}
		sites = mine(c, sites, siteNameOf)
	}
	out := api.PeopleList{People: []api.Person{}}
	for i := range all {
		switch p := &all[i]; {
		case owns:
			out.People = append(out.People, wire.Person(p))
		case p.ID == who.Person || p.Role == rights.Owner || together(&who, p, sites):
			out.People = append(out.People, api.Person{ID: p.ID, Name: p.Name, Role: string(p.Role)})
		}
	}
	for _, r := range rights.Roles {
		out.Roles = append(out.Roles, api.RoleSays{Role: string(r.Role), Says: r.Says})
	}
	c.JSON(http.StatusOK, out)
}

// together tells whether a caller, who is given some sites, and a person have a site in common. Clients are named to
// owners alone.
func together(who *record.Caller, p *record.Person, sites []record.Site) bool {
	return p.Role != rights.Client && (who.Everywhere || p.Everywhere ||
		slices.ContainsFunc(sites, func(one record.Site) bool {
			return slices.Contains(p.Sites, one.Name) ||
				slices.ContainsFunc(one.Groups, func(g string) bool { return slices.Contains(p.Groups, g) })
		}))
}

// Bounds of what is known of people.
const (
	mostPersonName = 60
	mostGiven      = 2000
)

// nameFault says why a person cannot go by a name; "" if they can.
func nameFault(name string) string {
	switch {
	case name == "" || utf8.RuneCountInString(name) > mostPersonName:
		return fmt.Sprintf("a name has 1 to %d characters, such as Ash Meadow", mostPersonName)
	case name != strings.TrimSpace(name) || strings.Contains(name, "  ") ||
		strings.ContainsFunc(name, func(r rune) bool { return !unicode.IsGraphic(r) || strings.ContainsRune("@,", r) }):
		return "a name has no spaces at its ends, nor two together, no commas, no @ and nothing that cannot be seen"
	}
	return ""
}

// unknownRole says that there is no such role, and which there are.
func unknownRole(role string) string {
	var all []string
	for _, r := range rights.Roles {
		all = append(all, string(r.Role))
	}
	return fmt.Sprintf("there is no role %q; there are %s", role, strings.Join(all, ", "))
}

// personIn reads a person; on failure it has answered.
func (s *Service) personIn(c *gin.Context) (p record.Person, ok bool) {
	var in api.NewPerson
	if !s.bind(c, &in) {
		return p, false
	}
	p = record.Person{
		Name:       in.Name,
		Mail:       in.Mail,
		Role:       rights.Role(in.Role),
		Lists:      in.Lists,
		Everywhere: in.Everywhere,
		Sites:      in.Sites,
		Groups:     in.Groups,
	}
	var faults plan.Faults
	add := func(field, reason string) {
		if reason != "" {
			faults = append(faults, plan.Fault{Field: field, Reason: reason})
		}
	}
	add("name", nameFault(p.Name))
	if p.Mail != "" {
		if a, err := mail.ParseAddress(p.Mail); err != nil || a.Address != p.Mail || len(p.Mail) > 254 {
			add("mail", "this is no mail address, such as ash@fernhollow.example")
		}
	}
	if !p.Role.Known() {
		add("role", unknownRole(in.Role))
	}
	if len(p.Sites)+len(p.Groups) > mostGiven {
		add("sites", fmt.Sprintf("at most %d sites and groups are given by name; give everywhere", mostGiven))
	}
	for _, name := range p.Sites {
		if _, err := s.store.Site(c, name); errors.Is(err, record.ErrNotFound) {
			add("sites", "there is no site "+name)
		} else if err != nil {
			s.fail(c, err, "the site "+name)
			return p, false
		}
	}
	for _, group := range p.Groups {
		if !siteName.MatchString(group) {
			add("groups", fmt.Sprintf("%q is no name of a group", group))
		}
	}
	if p.Role == rights.Owner {
		p.Everywhere, p.Sites, p.Groups = true, nil, nil
	}
	p.Groups = append([]string{}, p.Groups...)
	if faults != nil {
		s.fail(c, faults, "")
		return p, false
	}
	return p, true
}

// addPerson lets somebody in, by an invitation.
func (s *Service) addPerson(c *gin.Context) {
	p, ok := s.personIn(c)
	if !ok {
		return
	}
	id, err := s.store.AddPerson(c, p)
	if err != nil {
		s.fail(c, err, "a person of the name "+p.Name)
		return
	}
	s.invite(c, id, http.StatusCreated)
}

// invitePerson makes a link by which somebody chooses a password, in place of one that they have lost, too.
func (s *Service) invitePerson(c *gin.Context) {
	if p, ok := s.personOf(c); ok {
		s.invite(c, p.ID, http.StatusOK)
	}
}

func (s *Service) invite(c *gin.Context, id int64, status int) {
	secret, err := s.store.IssueInvite(c, id)
	var p record.Person
	if err == nil {
		p, err = s.store.Person(c, id)
	}
	if err != nil {
		s.fail(c, err, "the invitation")
		return
	}
	// The secret stands behind the number sign, which browsers do not send.
	address := s.origin(c) + "/welcome#" + secret
	out := api.Invitation{Person: wire.Person(&p), Link: address, Until: time.Now().Add(store.InviteLife)}
	if p.Mail != "" {
		err := s.rooms.Invite(c, p.Mail, p.Name, out.Link, out.Until)
		if out.Mailed = err == nil; err != nil && !errors.Is(err, messages.ErrNoMail) {
			out.Refused = "the mail to " + p.Mail + " was not sent: " + err.Error()
		}
	}
	c.JSON(status, out)
}

// numbered is the number by which a path names something; what is no number names nothing: record.ErrNotFound.
func numbered(c *gin.Context, param string) (int64, error) {
	id, err := strconv.ParseInt(c.Param(param), 10, 64)
	if err != nil {
		err = record.ErrNotFound
	}
	return id, err
}

// personOf is the person whom the path names, by number; on failure it has answered.
func (s *Service) personOf(c *gin.Context) (record.Person, bool) {
	id, err := numbered(c, "person")
	var p record.Person
	if err == nil {
		p, err = s.store.Person(c, id)
	}
	if err != nil {
		s.fail(c, err, "such a person")
		return p, false
	}
	return p, true
}

const oneOwner = "this is the last owner; make somebody else one first"

// setPerson changes who somebody is and what they may. Their sessions end, so that nobody goes on with what they had.
func (s *Service) setPerson(c *gin.Context) {
	was, ok := s.personOf(c)
	if !ok {
		return
	}
	p, ok := s.personIn(c)
	if !ok {
		return
	}
	p.ID = was.ID
	err := s.store.SetPerson(c, p)
	if errors.Is(err, record.ErrBusy) {
		problem(c, http.StatusConflict, oneOwner)
		return
	}
	if err == nil {
		p, err = s.store.Person(c, p.ID)
	}
	if err != nil {
		s.fail(c, err, "a person of the name "+p.Name)
		return
	}
	c.JSON(http.StatusOK, wire.Person(&p))
}

// endPerson lets somebody in no more.
func (s *Service) endPerson(c *gin.Context) {
	p, ok := s.personOf(c)
	if !ok {
		return
	}
	err := s.store.EndPerson(c, p.ID)
	if errors.Is(err, record.ErrBusy) {
		problem(c, http.StatusConflict, oneOwner)
		return
	}
	if err != nil {
		s.fail(c, err, "such a person")
		return
	}
	c.Status(http.StatusNoContent)
}

// welcome tells whom a link invites, and lets them in once they have chosen a password.
func (s *Service) welcome(c *gin.Context) {
	var in api.Welcome
	if !s.bind(c, &in) {
		return
	}
	if !s.mayTry(c, "") {
		return
	}
	if _, secret, whole := strings.Cut(in.Link, "#"); whole {
		in.Link = secret // as it is told
	}
	p, err := s.store.Invited(c, in.Link)
	if errors.Is(err, record.ErrNotFound) {
		s.turnedAway(c, "this link has been used, has run out, or a newer one was made; ask who sent it for another")
		return
	}
	if err != nil {
		s.fail(c, err, "the link")
		return
	}
	if in.Password == "" {
		c.JSON(http.StatusOK, api.Welcomed{Name: p.Name, Role: string(p.Role), Ready: p.Ready})
		return
	}
	if err := password.Fault(in.Password, p.Name, p.Mail); err != nil {
		s.fail(c, plan.Faults{{Field: "password", Reason: err.Error()}}, "")
		return
	}
	hash, err := s.passwords.Hash(c, in.Password)
	if err == nil {
		_, err = s.store.Redeem(c, in.Link, store.Invite) // of two who have it, one is let in
	}
	if err == nil {
		err = s.store.SetPassword(c, p.ID, hash)
	}
	if err != nil {
		s.fail(c, err, "the link")
		return
	}
	key, ok := s.letIn(c, p.ID)
	if ok {
		s.arrived(c, p, "welcome", "chose a password by an invitation")
		c.JSON(http.StatusOK, api.Welcomed{Name: p.Name, Role: string(p.Role), Ready: true, Key: key})
	}
}

// rename gives whoever asks another name.
func (s *Service) rename(c *gin.Context) {
	var in api.Me
	if !s.bind(c, &in) {
		return
	}
	if fault := nameFault(in.Name); fault != "" {
		s.fail(c, plan.Faults{{Field: "name", Reason: fault}}, "")
		return
	}
	who := caller(c)
	if err := s.store.Rename(c, who.Person, in.Name); err != nil {
		s.fail(c, err, "a person of the name "+in.Name)
		return
	}
	who.Name = in.Name
	c.JSON(http.StatusOK, whoIs(&who))
}

// setPassword gives whoever asks another password. All other sessions of theirs end.
func (s *Service) setPassword(c *gin.Context) {
	var in api.NewPassword
	if !s.bind(c, &in) {
		return
	}
	who := caller(c)
	if who.Kind != store.Session {
		problem(c, http.StatusForbidden, "a program does not change a person's password")
		return
	}
	p, err := s.store.Person(c, who.Person)
	if err != nil {
		s.fail(c, err, "the person")
		return
	}
	if p.Ready {
		if _, ok := s.byPassword(c, p.Name, in.Old); !ok {
			return
		}
	}
	if err := password.Fault(in.Password, p.Name, p.Mail); err != nil {
		s.fail(c, plan.Faults{{Field: "password", Reason: err.Error()}}, "")
		return
	}
	hash, err := s.passwords.Hash(c, in.Password)
	if err == nil {
		err = s.store.SetPassword(c, p.ID, hash)
	}
	if err != nil {
		s.fail(c, err, "the password")
		return
	}
	if key, ok := s.letIn(c, p.ID); ok {
		c.JSON(http.StatusOK, api.SessionKey{Key: key})
	}
}

// endSessions ends all sessions of whoever asks but this one.
func (s *Service) endSessions(c *gin.Context) {
	who := caller(c)
	if err := s.store.EndSessions(c, who.Person, who.ID); err != nil {
		s.fail(c, err, "the sessions")
		return
	}
	c.Status(http.StatusNoContent)
}

// mayTry tells whether somebody may try to sign in from where they are; if not, it has answered.
func (s *Service) mayTry(c *gin.Context, name string) bool {
	may, err := s.store.MayTry(c, name, s.place(c))
	if err != nil {
		s.fail(c, err, "the name")
		return false
	}
	if !may {
		c.Header("Retry-After", "900")
		problem(c, http.StatusTooManyRequests, "too many tries to sign in failed; try again in a quarter of an hour")
	}
	return may
}

// byPassword is who goes by a name and has a password. If nobody, it has answered, for a name that nobody goes by as
// for a wrong password, and after as long.
func (s *Service) byPassword(c *gin.Context, name, given string) (person int64, ok bool) {
	if !s.mayTry(c, name) {
		return 0, false
	}
	login, err := s.store.LoginOf(c, name)
	if err != nil && !errors.Is(err, record.ErrNotFound) {
		s.fail(c, err, "the name")
		return 0, false
	}
	is, err := s.passwords.Is(c, given, login.Password)
	if err == nil {
		err = s.store.Tried(c, name, s.place(c), is)
	}
	if err != nil {
		s.fail(c, err, "the password")
		return 0, false
	}
	if !is {
		problem(c, http.StatusUnauthorized, "this name and password do not belong together")
	}
	return login.Person, is
}

// letIn makes a session of a person, in place of the one that this browser had; on failure it has answered.
func (s *Service) letIn(c *gin.Context, person int64) (key string, ok bool) {
	half := store.NewSecret()
	key, err := s.store.IssueSession(c, half, person, s.place(c), shortAgent(c.GetHeader("User-Agent")))
	if err != nil {
		s.fail(c, err, "the session")
		return "", false
	}
	s.setCookie(c, half, int(store.SessionLife/time.Second))
	return key, true
}

// shortAgent is what a browser calls itself, as far as it is kept.
func shortAgent(agent string) string {
	agent = strings.ToValidUTF8(agent, "")
	return agent[:min(len(agent), 200)]
}

// place is from where a request comes.
func (s *Service) place(c *gin.Context) string { return cmp.Or(c.ClientIP(), "here") }

// listMentions tells what others told whoever asks, of the sites that are given to them.
func (s *Service) listMentions(c *gin.Context) {
	all, err := s.store.Mentions(c, caller(c).Person)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	all = mine(c, all, func(m *record.Mention) string { return m.Site })
	out := api.MentionList{Mentions: wire.Each(all, wire.Mention)}
	for i := range all {
		if all[i].Read == nil {
			out.New++
		}
	}
	c.JSON(http.StatusOK, out)
}

// readMentions notes that some of it was read.
func (s *Service) readMentions(c *gin.Context) {
	var in api.MentionsRead
	if !s.bind(c, &in) {
		return
	}
	if err := s.store.ReadMentions(c, caller(c).Person, in.Read); err != nil {
		s.fail(c, err, "the list")
		return
	}
	s.listMentions(c)
}
