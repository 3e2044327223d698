package cli

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"harvik/internal/api"
)

// sitesCommand is all clients at a glance.
func (a *app) sitesCommand() *cobra.Command {
	var in string
	cmd := &cobra.Command{
		Use: "sites", Short: "Show how all sites stand, those that need somebody most first", Args: args(),
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			list, err := cl.ListCare(c.Context())
			if err != nil {
				return err
			}
			if in != "" {
				list.Sites = slices.DeleteFunc(
					list.Sites,
					func(s api.CareSite) bool { return !slices.Contains(s.Groups, in) },
				)
			}
			if a.json {
				return writeJSON(c.OutOrStdout(), list)
			}
			if len(list.Sites) == 0 && in != "" {
				return fmt.Errorf("no site is in the group %s; `harvik site groups NAME %[1]s` puts one there", in)
			}
			if len(list.Sites) == 0 {
				fmt.Fprintln(c.ErrOrStderr(), "No site yet. Add one: harvik site add fernhollow https://fernhollow.example/")
				return nil
			}
			printCare(c.OutOrStdout(), list.Sites, time.Now())
			return nil
		},
	}
	cmd.Flags().StringVar(&in, "group", "", "only those in this group")
	return cmd
}

func printCare(w io.Writer, sites []api.CareSite, now time.Time) {
	rows := [][]string{{"site", "health", "course", "since last", "errors", "available", "last", "next", "with"}}
	for _, s := range sites {
		health, change, errors := "–", "", ""
		if s.Health != nil {
			health = points(*s.Health)
			errors = fmt.Sprintf("%d, %s points", s.Errors, points(s.Lost))
			if s.Errors == 0 {
				errors = "none"
			}
		}
		if len(s.Course) > 1 {
			change = fmt.Sprintf("%+.1f", s.Change)
		}
		last, next := "–", "–"
		switch {
		case s.Running > 0:
			last = fmt.Sprintf("crawl %d runs", s.Running)
		case !s.At.IsZero():
			last = moment(s.At, now)
		}
		if !s.Next.IsZero() {
			next = moment(s.Next, now)
		}
		rows = append(
			rows,
			[]string{s.Name, health, courseOf(s.Course), change, errors, availableWord(s.Available), last, next,
				strings.Join(s.Assignees, ", ")},
		)
	}
	printRows(w, rows, 2, 4, 6)
	fmt.Fprintln(w)
	for _, s := range sites {
		if s.Need == "" {
			continue
		}
		says := s.Name + ": " + s.Need
		if s.Cause != "" && s.Change < 0 {
			says += "; mostly: " + s.Cause
		}
		wrap(w, "  ", says)
	}
}

// courseOf draws the course of health, by its own range of at least ten points.
func courseOf(course []float64) string {
	if len(course) < 2 {
		return ""
	}
	least, most := 100.0, 0.0
	for _, h := range course {
		least, most = min(least, h), max(most, h)
	}
	span := max(10, most-least)
	low := max(0, (least+most)/2-span/2)
	var out strings.Builder
	for _, h := range course {
		out.WriteRune(bars[min(len(bars)-1, max(0, int((h-low)/span*float64(len(bars)))))])
	}
	return out.String()
}
