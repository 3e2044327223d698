package cli

import (
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/api"
)

func (a *app) peopleCommand() *cobra.Command {
	return group(
		"people",
		"Let others in, say what they may, and let them in no more",
		a.peopleListCommand(),
		a.peopleAddCommand(),
		a.peopleSetCommand(),
		a.peopleLinkCommand(),
		a.peopleEndCommand(),
		a.peopleNameCommand(),
		a.peopleProviderCommand(),
	)
}

// personFlags are what somebody may, as options say it.
type personFlags struct{ in api.NewPerson }

func (p *personFlags) flags(c *cobra.Command) {
	f := c.Flags()
	f.StringVar(&p.in.Role, "role", "", "owner, consultant, reader or client")
	f.StringVar(&p.in.Mail, "mail", "", "mail address")
	f.StringSliceVar(&p.in.Sites, "site", nil, "a site that is given to them; can be repeated")
	f.StringSliceVar(&p.in.Groups, "group", nil, "a group whose sites are given to them; can be repeated")
	f.BoolVar(&p.in.Everywhere, "everywhere", false, "all sites, those to come among them")
	f.BoolVar(&p.in.Lists, "lists", false, "for a client: they see the fix lists, too")
}

func (a *app) peopleListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "Show who works here, and what each may", Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ListPeople(c.Context())
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), list)
			}
			printPeople(c.OutOrStdout(), list.People, time.Now())
			return nil
		},
	}
}

func printPeople(w io.Writer, people []api.Person, now time.Time) {
	rows := [][]string{{"name", "role", "at", "mail", "last here", ""}}
	for _, p := range people {
		seen, note := "never", ""
		if !p.Seen.IsZero() {
			seen = moment(p.Seen, now)
		}
		switch {
		case !p.Invited.IsZero():
			note = "invited until " + moment(p.Invited, now)
		case !p.Ready && p.Role != "owner":
			note = "has no password"
		}
		role := p.Role
		if role == "client" && p.Lists {
			role += ", sees fix lists"
		}
		rows = append(rows, []string{p.Name, role, placesOf(p), p.Mail, seen, note})
	}
	printRows(w, rows)
}

// placesOf words what is given to somebody.
func placesOf(p api.Person) string {
	switch {
	case p.Role == "owner" || p.Everywhere:
		return "all sites"
	case len(p.Sites)+len(p.Groups) == 0:
		return "no site"
	}
	out := append([]string{}, p.Sites...)
	for _, g := range p.Groups {
		out = append(out, "group "+g)
	}
	return strings.Join(out, ", ")
}

// personAndClient finds somebody by name.
func (a *app) personAndClient(c *cobra.Command, name string) (*api.Client, api.Person, error) {
	cl, err := a.client()
	if err != nil {
		return nil, api.Person{}, err
	}
	list, err := cl.ListPeople(c.Context())
	if err != nil {
		return nil, api.Person{}, err
	}
	for _, p := range list.People {
		if strings.EqualFold(p.Name, name) || strconv.FormatInt(p.ID, 10) == name {
			return cl, p, nil
		}
	}
	return nil, api.Person{}, fmt.Errorf("nobody goes by the name %s; `harvik people list` shows who works here", name)
}

func (a *app) peopleAddCommand() *cobra.Command {
	var p personFlags
	c := &cobra.Command{
		Use: "add NAME", Short: "Let somebody in: prints a link by which they choose a password, once, within seven days",
		Args: args("NAME"),
		Example: `  harvik people add ash --role consultant --everywhere
  harvik people add "Fern Hollow" --role client --site fernhollow --lists`,
		RunE: func(c *cobra.Command, in []string) error {
			if p.in.Role == "" {
				return usage(c, errors.New("say by --role what they may: owner, consultant, reader or client"))
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			p.in.Name = in[0]
			made, err := cl.AddPerson(c.Context(), p.in)
			if err != nil {
				return err
			}
			return a.tellInvitation(c, made)
		},
	}
	p.flags(c)
	return c
}

func (a *app) tellInvitation(c *cobra.Command, made api.Invitation) error {
	if a.json {
		return writeJSON(c.OutOrStdout(), made)
	}
	fmt.Fprintln(c.OutOrStdout(), made.Link)
	fmt.Fprintf(
		c.ErrOrStderr(),
		"By this link %s chooses a password; it works once, until %s, and is shown nowhere again.\n",
		made.Person.Name,
		moment(made.Until, time.Now()),
	)
	switch {
	case made.Mailed:
		fmt.Fprintf(c.ErrOrStderr(), "It was sent to %s.\n", made.Person.Mail)
	case made.Refused != "":
		fmt.Fprintln(c.ErrOrStderr(), "But "+made.Refused)
	}
	return nil
}

func (a *app) peopleSetCommand() *cobra.Command {
	var p personFlags
	var name string
	c := &cobra.Command{
		Use: "set NAME", Short: "Change what somebody may; they sign in anew", Args: args("NAME"),
		Long: `Changes the role, the sites and the rest that options name, and leaves what they do not name. Sites and groups
that are named take the place of those that were given. Sessions of the person end.`,
		Example: "  harvik people set ash --role reader --site fernhollow",
		RunE: func(c *cobra.Command, in []string) error {
			cl, now, err := a.personAndClient(c, in[0])
			if err != nil {
				return err
			}
			next := api.NewPerson{Name: now.Name, Mail: now.Mail, Role: now.Role, Lists: now.Lists,
				Everywhere: now.Everywhere, Sites: now.Sites, Groups: now.Groups}
			given := func(flag string) bool { return c.Flags().Changed(flag) }
			if name != "" {
				next.Name = name
			}
			if given("role") {
				next.Role = p.in.Role
			}
			if given("mail") {
				next.Mail = p.in.Mail
			}
			if given("lists") {
				next.Lists = p.in.Lists
			}
			if given("site") || given("group") || given("everywhere") {
				next.Sites, next.Groups, next.Everywhere = p.in.Sites, p.in.Groups, p.in.Everywhere
			}
			out, err := cl.SetPerson(c.Context(), now.ID, next)
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), out)
			}
			fmt.Fprintf(c.OutOrStdout(), "%s is %s at %s.\n", out.Name, out.Role, placesOf(out))
			return nil
		},
	}
	p.flags(c)
	c.Flags().StringVar(&name, "name", "", "another name")
	return c
}

func (a *app) peopleLinkCommand() *cobra.Command {
	return &cobra.Command{
		Use: "link NAME", Short: "Print a link by which somebody chooses a password, for the first time or anew", Args: args("NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, p, err := a.personAndClient(c, in[0])
			if err != nil {
				return err
			}
			made, err := cl.InvitePerson(c.Context(), p.ID)
			if err != nil {
				return err
			}
			return a.tellInvitation(c, made)
		},
	}
}

func (a *app) peopleEndCommand() *cobra.Command {
	return &cobra.Command{
		Use: "end NAME", Short: "Let somebody in no more; what they did stays in their name", Args: args("NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, p, err := a.personAndClient(c, in[0])
			if err != nil {
				return err
			}
			if err := cl.EndPerson(c.Context(), p.ID); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "%s is let in no more.\n", p.Name)
			return nil
		},
	}
}

func (a *app) peopleNameCommand() *cobra.Command {
	return &cobra.Command{
		Use: "name NAME", Short: "Go by another name yourself, from now on", Args: args("NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			who, err := cl.Rename(c.Context(), api.Me{Name: in[0]})
			if err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "What you do stands under the name %s.\n", who.Name)
			return nil
		},
	}
}
