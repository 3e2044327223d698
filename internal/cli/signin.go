package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"harvik/internal/api"
	"harvik/internal/core/weburl"
)

// A signedIn service is one that this user's commands go to.
type signedIn struct {
	Server string `json:"server"`
	Name   string `json:"name"`
	Token  string `json:"token"`
}

// signedInFile is where that is kept.
func signedInFile() (string, error) {
	folder, err := os.UserConfigDir()
	return filepath.Join(folder, "harvik", "signed-in.json"), err
}

// signedInto reads it; the zero value where nobody is signed in.
func signedInto() (out signedIn) {
	name, err := signedInFile()
	if err != nil {
		return out
	}
	data, err := os.ReadFile(name)
	if err != nil || json.Unmarshal(data, &out) != nil {
		return signedIn{}
	}
	return out
}

// keep writes it, readable by this user only.
func (s signedIn) keep() error {
	name, err := signedInFile()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(name), 0o700); err != nil {
		return err
	}
	data, err := json.Marshal(s)
	if err != nil {
		return err
	}
	return errors.Join(os.WriteFile(name, data, 0o600), os.Chmod(name, 0o600))
}

func (a *app) signInCommand() *cobra.Command {
	var days int
	in := &cobra.Command{
		Use: "sign-in ADDRESS NAME", Short: "Sign in to a service elsewhere; commands go there until `harvik sign-in out`",
		Args: args("ADDRESS", "NAME"),
		Long: `Asks for the password, on the terminal or as the first line of standard input, and trades it for a token of this
machine, which is kept in your configuration folder, readable by you only. From then on commands go to that service,
unless --data or --server names another.`,
		Example: "  harvik sign-in https://harvik.fernhollow.example ash",
		RunE: func(c *cobra.Command, words []string) error {
			server, err := serviceAddress(words[0])
			if err != nil {
				return usage(c, err)
			}
			password, err := readPassword(c.ErrOrStderr(), words[1])
			if err != nil {
				return err
			}
			token, err := tokenFor(c.Context(), server, words[1], password, days)
			if err != nil {
				return err
			}
			if err := (signedIn{Server: server, Name: words[1], Token: token}).keep(); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "Signed in to %s as %s; commands go there until `harvik sign-in out`.\n", server, words[1])
			return nil
		},
	}
	in.Flags().IntVar(&days, "days", 90, "for which this machine stays signed in")
	in.AddCommand(&cobra.Command{
		Use: "out", Short: "Sign out: end this machine's token, and forget the service", Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			now := signedInto()
			if now.Token == "" {
				return errors.New("you are not signed in to a service elsewhere")
			}
			cl := api.New(now.Server, now.Token)
			ended := endToken(c, cl)
			name, err := signedInFile()
			if err == nil {
				err = os.Remove(name)
			}
			if err = errors.Join(err, ended); err != nil {
				return err
			}
			fmt.Fprintf(c.ErrOrStderr(), "Signed out of %s.\n", now.Server)
			return nil
		},
	})
	return in
}

// endToken revokes the token that a client has.
func endToken(c *cobra.Command, cl *api.Client) error {
	all, err := cl.ListCredentials(c.Context())
	if err != nil {
		return fmt.Errorf("the token could not be ended there: %w", err)
	}
	for _, one := range all.Credentials {
		if one.Own {
			return cl.Revoke(c.Context(), one.ID)
		}
	}
	return nil
}

// serviceAddress is the address of a service, which passwords are sent to by https alone, or on this machine.
func serviceAddress(text string) (string, error) {
	u, err := url.Parse(strings.TrimSuffix(text, "/"))
	if err != nil || u.Host == "" || u.Path != "" || u.User != nil || u.RawQuery != "" || u.Scheme != "http" && u.Scheme != "https" {
		return "", fmt.Errorf("%s is no address of a service, such as https://harvik.fernhollow.example", text)
	}
	if u.Scheme == "http" && !weburl.IsHere(u.Hostname()) {
		return "", fmt.Errorf("%s is not on this machine, and by http everybody between here and there reads the password; write https://", text)
	}
	return u.String(), nil
}

// readPassword asks for a password.
func readPassword(w io.Writer, name string) (string, error) {
	if fd := int(os.Stdin.Fd()); term.IsTerminal(fd) {
		fmt.Fprintf(w, "Password of %s: ", name)
		data, err := term.ReadPassword(fd)
		fmt.Fprintln(w)
		return string(data), err
	}
	line, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && line == "" {
		return "", errors.New("no password on standard input")
	}
	return strings.TrimRight(line, "\r\n"), nil
}

// tokenFor signs in, makes a token of this machine, and signs out again.
func tokenFor(ctx context.Context, server, name, password string, days int) (string, error) {
	cl, err := api.SignedIn(ctx, server, api.SignIn{Name: name, Password: password})
	if err != nil {
		return "", err
	}
	machine, _ := os.Hostname()
	made, err := cl.AddToken(ctx, api.TokenWish{Label: tokenLabel(machine), Days: days})
	return made.Token, errors.Join(err, cl.SignOut(ctx))
}

// tokenLabel names a machine's token, anew with each sign-in.
func tokenLabel(machine string) string {
	label := strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' || r == '-' {
			return r
		}
		return '-'
	}, strings.ToLower(machine))
	return "cli-" + strings.Trim(label[:min(len(label), 30)], "-") + time.Now().UTC().Format("-20060102-150405")
}
