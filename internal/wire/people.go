package wire

import (
	"harvik/internal/api"
	"harvik/internal/record"
)

// Person is who works here, as owners see them.
func Person(in *record.Person) api.Person {
	return api.Person{ID: in.ID, Name: in.Name, Mail: in.Mail, Role: string(in.Role), Lists: in.Lists,
		Everywhere: in.Everywhere, Sites: in.Sites, Groups: in.Groups, Created: in.Created, Seen: value(in.Seen),
		Ready: in.Ready, Invited: value(in.Invited)}
}

// TrailStep is something that somebody changed.
func TrailStep(in *record.TrailStep) api.TrailStep {
	out := api.TrailStep{
		ID:      in.ID,
		At:      in.At,
		Who:     in.Who,
		Kind:    in.Kind,
		Place:   in.Place,
		What:    in.What,
		Site:    in.Site,
		Subject: in.Subject,
	}
	if string(in.Before) != "null" {
		out.Before = in.Before
	}
	if string(in.After) != "null" {
		out.After = in.After
	}
	return out
}

// ClientSite is a site as its client sees it: no plan, nothing of how the work is done.
func ClientSite(in *record.Site) api.Site {
	return api.Site{
		Name:    in.Name,
		Home:    in.Home,
		Created: in.Created,
		Crawls:  in.Crawls,
		Latest:  in.Latest,
		Health:  in.Health,
	}
}

// ClientCrawl is a crawl as the site's client sees it.
func ClientCrawl(in *record.Crawl) api.Crawl {
	all := Crawl(in)
	return api.Crawl{Site: all.Site, Home: all.Home, Number: all.Number, State: all.State, Started: all.Started,
		Finished: all.Finished, Ending: all.Ending, Progress: all.Progress, Report: all.Report,
		Catalogue: all.Catalogue}
}

// ClientCare is how a site stands, as its client sees it: who is on what is no matter of theirs.
func ClientCare(in api.CareSite) api.CareSite {
	return api.CareSite{Name: in.Name, Home: in.Home, Groups: []string{}, Health: in.Health, Course: in.Course,
		Change: in.Change, Before: in.Before, Cause: in.Cause, Latest: in.Latest, At: in.At, Errors: in.Errors,
		Lost: in.Lost, Returned: in.Returned, Available: in.Available, Down: in.Down, Next: in.Next, State: in.State,
		Assignees: []string{}}
}

// ClientFix is a line of the fix list without who is on it and what they wrote.
func ClientFix(in *record.FixLine) api.Fix {
	out := fixOf(&in.Fix)
	out.Version = in.Version
	return out
}

// Passkey is what a person signs in by instead of a password.
func Passkey(in *record.Passkey) api.Passkey {
	return api.Passkey{ID: in.ID, Name: in.Name, Created: in.Created, Used: value(in.Used)}
}

// Provider is the identity provider without its secret; back is where it is to send browsers.
func Provider(in *record.Provider, back string) api.Provider {
	return api.Provider{Name: in.Name, Issuer: in.Issuer, Client: in.Client, Secret: len(in.Sealed) > 0, Back: back}
}

// Mention is what somebody was told by others.
func Mention(in *record.Mention) api.Mention {
	out := api.Mention{ID: in.ID, At: in.At, Who: in.Who, Why: in.Why, Site: in.Site, Fix: in.Fix, Fixes: in.Fixes,
		Line: in.Line, Note: in.Note}
	if in.Read != nil {
		out.Read = *in.Read
	}
	return out
}
