package cli

import (
	"cmp"
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/api"
)

func (a *app) wayCommand() *cobra.Command {
	remove := &cobra.Command{
		Use: "remove NAME", Short: "Forget a way; what waits to be told by it is dropped", Args: args("NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if err := cl.RemoveWay(c.Context(), in[0]); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "The way %s is forgotten.\n", in[0])
			return nil
		},
	}
	return group(
		"way",
		"Say how somebody is told: by mail, by webhook, by a feed",
		a.wayListCommand(),
		a.waySetCommand(),
		a.wayTestCommand(),
		a.wayMessagesCommand(),
		a.wayMailCommand(),
		remove,
	)
}

func (a *app) wayListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "Show how somebody is told, and how that is going", Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ListWays(c.Context())
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), list)
			}
			if len(list.Ways) == 0 {
				fmt.Fprintln(
					c.ErrOrStderr(),
					"No way yet: what is told stands in the inbox alone. Set one: harvik way set ash --mail ash@fernhollow.example",
				)
				return nil
			}
			printWays(c.OutOrStdout(), list.Ways, time.Now())
			return nil
		},
	}
}

func printWays(w io.Writer, ways []api.Way, now time.Time) {
	rows := [][]string{{"way", "by", "to", "of", "quiet", "last", "waiting"}}
	for _, one := range ways {
		of := "all sites"
		if len(one.Way.Sites) > 0 {
			of = strings.Join(one.Way.Sites, ", ")
		}
		last := "nothing yet"
		if !one.Last.IsZero() {
			last = moment(one.Last, now)
		}
		if one.Way.Off {
			last = "off"
		}
		quiet := one.Way.Quiet
		if quiet != "" && one.Way.Wake {
			quiet += ", not for what is urgent"
		}
		rows = append(
			rows,
			[]string{one.Name, one.Way.Kind, middle(one.Way.Address, 50), of, quiet, last, fmt.Sprint(one.Waiting)},
		)
	}
	printRows(w, rows, 7)
	for _, one := range ways {
		if one.Failed > 0 {
			wrap(
				w,
				"  ",
				fmt.Sprintf("%s: %d could not be sent yet, the last because: %s", one.Name, one.Failed, one.Error),
			)
		}
	}
}

func (a *app) waySetCommand() *cobra.Command {
	var in api.NewWay
	var mailbox, hook, secretFile string
	var feed bool
	c := &cobra.Command{
		Use: "set NAME", Short: "Set a way to tell somebody", Args: args("NAME"),
		Long: `A webhook is signed by RFC 9421 (hmac-sha256, over method, target, Content-Digest and Idempotency-Key) where it has a
secret; its Idempotency-Key stays the same with every try. The address of a feed is told once, when it is made.`,
		Example: `  harvik way set ash --mail ash@fernhollow.example --quiet 22:00-07:00 --zone Europe/Berlin --wake
  harvik way set board --webhook https://board.fernhollow.example/told --secret-file secret.txt --site fernhollow
  harvik way set reader --feed`,
		RunE: func(c *cobra.Command, words []string) error {
			switch {
			case mailbox != "" && hook == "" && !feed:
				in.Kind, in.Address = "mail", mailbox
			case hook != "" && mailbox == "" && !feed:
				in.Kind, in.Address = "webhook", hook
			case feed && mailbox == "" && hook == "":
				in.Kind = "feed"
			default:
				return usage(c, fmt.Errorf("give one of --mail, --webhook and --feed"))
			}
			var err error
			if in.Secret, err = secretIn(c, secretFile); err != nil {
				return err
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			now, err := cl.SetWay(c.Context(), words[0], in)
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), now)
			}
			printWays(c.OutOrStdout(), []api.Way{now}, time.Now())
			if now.Feed != "" {
				fmt.Fprintf(c.OutOrStdout(), "Its address, told once: %s\n", now.Feed)
			}
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&mailbox, "mail", "", "address of a mailbox")
	f.StringVar(&hook, "webhook", "", "address that takes webhooks")
	f.BoolVar(&feed, "feed", false, "an Atom feed, to be read")
	f.StringVar(
		&secretFile,
		"secret-file",
		"",
		"a file with the secret by which webhooks are signed; - for standard input",
	)
	f.StringSliceVar(&in.Sites, "site", nil, "site that it is for; can be repeated; all without one")
	f.StringVar(&in.Quiet, "quiet", "", "hours in which it is left alone, such as 22:00-07:00")
	f.StringVar(&in.Zone, "zone", "", "time zone of these hours, such as Europe/Berlin")
	f.BoolVar(&in.Wake, "wake", false, "but for what is urgent")
	f.IntVar(&in.Gap, "gap", 0, "minutes between two messages at least; what comes meanwhile is told as one")
	f.StringVar(&in.Allow, "allow", "", "a range that is not public and that the host may be in")
	f.StringVar(&in.Letter, "letter", "", "when a letter of the week is sent, such as \"mon 07:00\"")
	f.BoolVar(&in.Off, "off", false, "keep it, and tell nothing by it")
	return c
}

func (a *app) wayTestCommand() *cobra.Command {
	return &cobra.Command{
		Use: "test NAME", Short: "Send a test, and say what became of it", Args: args("NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			one, err := cl.TestWay(c.Context(), in[0])
			if err != nil {
				return err
			}
			for range 150 {
				list, err := cl.ListMessages(c.Context(), in[0])
				if err != nil {
					return err
				}
				for _, m := range list.Messages {
					switch {
					case m.ID != one.ID:
					case !m.Sent.IsZero():
						if a.json {
							return writeJSON(c.OutOrStdout(), m)
						}
						fmt.Fprintln(c.OutOrStdout(), "The test was sent.")
						return nil
					case m.Error != "":
						return fmt.Errorf("the test could not be sent, and is tried again: %s", m.Error)
					}
				}
				select {
				case <-c.Context().Done():
					return c.Context().Err()
				case <-time.After(200 * time.Millisecond):
				}
			}
			return fmt.Errorf("the test waits for a worker; `harvik queue` shows who works")
		},
	}
}

func (a *app) wayMessagesCommand() *cobra.Command {
	return &cobra.Command{
		Use: "messages NAME", Short: "Show the newest messages of a way, and what became of them", Args: args("NAME"),
		RunE: func(c *cobra.Command, in []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ListMessages(c.Context(), in[0])
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), list)
			}
			rows := [][]string{{"made", "sent", "tries", "says"}}
			now := time.Now()
			for _, m := range list.Messages {
				sent := "not yet"
				if !m.Sent.IsZero() {
					sent = moment(m.Sent, now)
				}
				if m.Error != "" {
					sent = m.Error
				}
				rows = append(rows, []string{moment(m.Created, now), sent, fmt.Sprint(m.Tries), m.Subject})
			}
			printRows(c.OutOrStdout(), rows, 3)
			return nil
		},
	}
}

func (a *app) wayMailCommand() *cobra.Command {
	var in api.NewMailServer
	var file string
	c := &cobra.Command{
		Use: "mail", Short: "Show or set the server by which mail is sent", Args: args(),
		Example: "  harvik way mail --host mail.fernhollow.example --from 'Harvik <harvik@fernhollow.example>' --user harvik --password-file -",
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			var now api.MailServer
			if in.Host == "" {
				now, err = cl.ShowMail(c.Context())
			} else {
				if in.Password, err = secretIn(c, file); err != nil {
					return err
				}
				now, err = cl.SetMail(c.Context(), in)
			}
			if err != nil {
				return err
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), now)
			}
			if now.Host == "" {
				fmt.Fprintln(c.OutOrStdout(), "No mail server is set.")
				return nil
			}
			fmt.Fprintf(
				c.OutOrStdout(),
				"Mail goes by %s:%d (%s), from %s.\n",
				now.Host,
				now.Port,
				cmp.Or(now.Secure, "starttls"),
				now.From,
			)
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&in.Host, "host", "", "of the mail server")
	f.IntVar(&in.Port, "port", 587, "of the mail server")
	f.StringVar(&in.From, "from", "", "who sends")
	f.StringVar(&in.User, "user", "", "as whom it is spoken to")
	f.StringVar(&file, "password-file", "", "a file with the password; - for standard input")
	f.StringVar(&in.Secure, "secure", "", "starttls (without it), tls or plain")
	return c
}

// secretIn is the secret that a file holds, or standard input by the name -; "" where none is named.
func secretIn(c *cobra.Command, file string) (string, error) {
	if file == "" {
		return "", nil
	}
	text, err := readFile(c.InOrStdin(), file)
	return strings.TrimSpace(string(text)), err
}
