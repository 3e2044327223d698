package wire

import (
	"harvik/internal/api"
	"harvik/internal/core/alert"
	"harvik/internal/record"
)

// RuleFrom is a rule of a name, as it was sent; the error names a severity that there is not.
func RuleFrom(name string, in *api.Rule) (alert.Rule, error) {
	out := alert.Rule{
		Name:     name,
		What:     in.What,
		Least:    in.Least,
		Severity: in.Severity,
		Group:    in.Group,
		Check:    in.Check,
		Section:  in.Section,
		Question: in.Question,
		To:       in.To,
		Every:    in.Every,
		Off:      in.Off,
	}
	var err error
	if in.Gate != nil {
		out.Gate, err = ConditionsOf(in.Gate)
	}
	return out, err
}

// SiteRule is a rule of a site.
func SiteRule(in *record.SiteRule) api.SiteRule {
	out := api.SiteRule{Site: in.Site, Name: in.Name, Own: in.Own, From: in.From(), Says: in.What,
		Rule: api.Rule{
			What:     in.What,
			Least:    in.Least,
			Severity: in.Severity,
			Group:    in.Group,
			Check:    in.Check,
			Section:  in.Section,
			Question: in.Question,
			To:       in.To,
			Every:    in.Every,
			Off:      in.Off,
		}}
	if k := alert.KindOf(in.What); k != nil {
		out.Says, out.Unit = k.Says, k.Unit
	}
	if g := in.Gate; g.MinHealth > 0 || g.NoNew != nil || len(g.Max) > 0 {
		out.Rule.Gate = &api.GateConditions{MinHealth: g.MinHealth, Max: g.Max}
		if g.NoNew != nil {
			s := g.NoNew.String()
			out.Rule.Gate.NoNew = &s
		}
	}
	return out
}

// RuleKind is something that a rule can tell of.
func RuleKind(in *alert.Kind) api.RuleKind {
	out := api.RuleKind{Name: in.Name, Says: in.Says, Unit: in.Unit, Least: in.Least, Usual: in.On, Lasts: in.Lasts,
		Urgent: in.Urgent, Takes: []string{}}
	for _, what := range []string{"severity", "group", "check", "section", "question", "gate"} {
		if in.Takes(what) {
			out.Takes = append(out.Takes, what)
		}
	}
	return out
}

// TriedRule is what a rule would have told.
func TriedRule(in *record.TriedRule) api.TriedRule {
	return api.TriedRule{Crawls: in.Crawls, Days: in.Days, Told: Each(in.Told, func(t *record.TriedTold) api.TriedTold {
		return api.TriedTold{Crawl: t.Crawl, At: t.At, Says: t.Says, Over: t.Over}
	})}
}

// Alert is something that was told; link is the place of the console that shows it.
func Alert(in *record.Alert, link string) api.Alert {
	out := api.Alert{
		ID:       in.ID,
		Site:     in.Site,
		Rule:     in.Rule,
		Label:    in.What,
		Says:     in.Told.Says,
		Lines:    List(in.Told.Lines),
		More:     in.Told.More,
		First:    in.Told.First,
		Link:     link,
		Urgent:   in.Told.Urgent,
		Lasts:    in.Lasts,
		Began:    in.Began,
		Ended:    value(in.Ended),
		Over:     in.Over,
		State:    in.State,
		Until:    value(in.Until),
		Assignee: in.Assignee,
		Reason:   in.Reason,
		Fixes:    List(in.Told.Fixes),
	}
	if k := alert.KindOf(in.What); k != nil {
		out.Label = k.Says
	}
	return out
}

// Way is how somebody is told. Its secret does not come out again.
func Way(in *record.Way) api.Way {
	return api.Way{
		Name:       in.Name,
		Signed:     len(in.Sealed) > 0,
		Waiting:    in.Waiting,
		Last:       value(in.Last),
		Failed:     in.Failed,
		Error:      in.Error,
		NextLetter: value(in.Next),
		Way: api.NewWay{Kind: in.Kind, Address: in.Address, Sites: in.Sites,
			Quiet: in.Quiet, Zone: in.Zone, Wake: in.Wake, Gap: in.Gap, Letter: in.Letter, Allow: in.Allow,
			Off: in.Off},
	}
}

// WayFrom is a way of a name, as it was sent, without its secret.
func WayFrom(name string, in *api.NewWay) record.Way {
	return record.Way{Name: name, Kind: in.Kind, Address: in.Address, Sites: in.Sites, Quiet: in.Quiet, Zone: in.Zone,
		Wake: in.Wake, Gap: in.Gap, Letter: in.Letter, Allow: in.Allow, Off: in.Off}
}

// Message is what was, or is to be, sent.
func Message(in *record.Message) api.Message {
	return api.Message{ID: in.ID, Key: in.Key, Subject: in.Body.Subject, Created: in.Created, Sent: value(in.Sent),
		Tries: in.Tries, Error: in.Error}
}

// MailServer is the server by which mail is sent, without its password.
func MailServer(in *record.MailServer) api.MailServer {
	return api.MailServer{Host: in.Host, Port: in.Port, From: in.From, User: in.User, Secure: in.Secure}
}
