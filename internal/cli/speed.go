package cli

import (
	"fmt"
	"io"
	"math"
	"slices"

	"github.com/spf13/cobra"

	"harvik/internal/api"
	numbers "harvik/internal/core/text"
	"harvik/internal/record"
)

func (a *app) speedCommand() *cobra.Command {
	limit, by := 20, ""
	c := &cobra.Command{
		Use: "speed SITE[@N[..M]]", Short: "Show how soon rendered pages stand and what scripts change, by layout or section",
		Args: args("SITE"),
		Long: `Of the pages that the plan has rendered: how soon they stand, how much they move and how long they
do not answer, by layout or section, on phone and desktop, beside the crawl before. Values are of
the laboratory, on this machine; that of a group is the one than which three in four of its pages
are no worse.`,
		Example: "  harvik speed fernhollow\n  harvik speed fernhollow@3..5 --by section",
		RunE: func(c *cobra.Command, in []string) error {
			cl, site, from, to, err := a.between(in[0])
			if err != nil {
				return err
			}
			s, err := cl.ShowSpeed(c.Context(), site, api.Numbered(to), &api.ShowSpeedParams{By: by, From: given(from)})
			if err != nil {
				return err
			}
			w := c.OutOrStdout()
			if a.json {
				return writeJSON(w, s)
			}
			if len(s.Groups) == 0 {
				fmt.Fprintf(w, "Nothing of %s was rendered. Its plan says what is: harvik plan set %s render.pages=templates\n",
					site, site)
				return nil
			}
			printSpeeds(w, s, limit)
			return nil
		},
	}
	c.Flags().StringVar(&by, "by", record.ByLayout, "put pages together by layout or section")
	c.Flags().IntVar(&limit, "limit", limit, "lines at most")
	return c
}

// printSpeeds shows groups, and below what their pages wait for and what scripts change on them.
func printSpeeds(w io.Writer, s api.Speed, limit int) {
	heads := []string{s.By, "device", "pages", "largest paint", "shift", "blocked", "good · fair · poor", "kB"}
	rows := [][]string{heads}
	groups := s.Groups[:min(len(s.Groups), limit)]
	for i := range groups {
		g := &groups[i]
		device := g.Device
		if g.Throttled {
			device = "slow " + device
		}
		l := &g.Largest
		row := []string{groupName(w, s.By, g), device, numbers.Thousands(g.Pages),
			graded(l, seconds), graded(&g.Shift, hundredths), graded(&g.Blocked, milliseconds),
			fmt.Sprintf("%d · %d · %d", l.Good, l.Fair, l.Poor), numbers.Thousands((g.Transferred + 500) / 1000)}
		if g.Pages == 0 {
			row = append(row[:2], "0", "–", "–", "–", "–", "–")
		}
		rows = append(rows, row)
	}
	printRows(w, rows, 3, 4, 5, 6, 8)
	printMore(w, len(rows)-1, len(s.Groups))
	fmt.Fprintln(w)
	for i := 0; i < len(groups); {
		n := i + 1
		for n < len(groups) && groups[n].Name == groups[i].Name {
			n++
		}
		tellGroup(w, s.By, groups[i:n])
		i = n
	}
	if s.Before > 0 {
		fmt.Fprintln(w, faint(w, fmt.Sprintf("Compared with crawl %d. ~ fair and ! poor by public guidance; good · fair · poor are "+
			"pages by their largest paint.", s.Before)))
		return
	}
	fmt.Fprintln(w, faint(w, "~ fair and ! poor by public guidance; good · fair · poor are pages by their largest paint."))
}

// printSpeedStep shows what changed of the speed of layouts that both crawls rendered.
func printSpeedStep(w io.Writer, s api.Speed, limit int) {
	s.Groups = slices.DeleteFunc(s.Groups, func(g api.SpeedGroup) bool { return !g.Largest.Compared })
	if len(s.Groups) == 0 {
		return
	}
	fmt.Fprintf(w, "\n%s\n", bold(w, "Speed of rendered pages, before and after"))
	printSpeeds(w, s, limit)
}

// groupName is a group as people know it: a layout by one of its pages.
func groupName(w io.Writer, by string, g *api.SpeedGroup) string {
	switch {
	case by != record.ByLayout:
		return middle(g.Name, columns(w)/4)
	case g.Name == "":
		return "like no other"
	}
	return "as " + path(w, g.Example, 5)
}

func seconds(ms float64) string      { return fmt.Sprintf("%.1f s", ms/1000) }
func milliseconds(ms float64) string { return fmt.Sprintf("%.0f ms", ms) }
func hundredths(v float64) string    { return fmt.Sprintf("%.2f", v) }

// graded is a measure of a group with its grade and what it was.
func graded(s *api.SpeedSpread, unit func(float64) string) string {
	if s.Known == 0 {
		return "–"
	}
	out := map[string]string{"fair": "~ ", "poor": "! "}[s.Grade] + unit(s.Upper)
	if change := s.Upper - s.Was; s.Changed {
		out += " (" + map[bool]string{true: "+", false: "−"}[change > 0] + unit(math.Abs(change)) + ")"
	}
	return out
}

// tellGroup says of a group on its devices where to look: what is painted last, moves or holds up, and what scripts
// change. What is so on each of them is said once.
func tellGroup(w io.Writer, by string, on []api.SpeedGroup) {
	var order []string
	said := map[string][]string{} // the devices of what is said
	for i := range on {
		for _, s := range saysOf(&on[i]) {
			if said[s] == nil {
				order = append(order, s)
			}
			said[s] = append(said[s], on[i].Device)
		}
	}
	if len(order) == 0 {
		return
	}
	fmt.Fprintln(w, bold(w, groupName(w, by, &on[0])))
	for _, s := range order {
		if len(said[s]) < len(on) {
			s += ", on a " + said[s][0]
		}
		wrap(w, "  ", s)
	}
	fmt.Fprintln(w)
}

// saysOf is what there is to say of a group on a device.
func saysOf(g *api.SpeedGroup) (says []string) {
	for _, one := range []struct {
		s    *api.SpeedSpread
		what string
	}{{&g.Largest, "painted last"}, {&g.Shift, "moves"}, {&g.Blocked, "holds up"}} {
		if bad := one.s.Fair + one.s.Poor; bad > 0 && one.s.Element != "" {
			says = append(says, fmt.Sprintf("%s on %d of %d: %s", one.what, one.s.ElementPages, g.Pages, one.s.Element))
		}
	}
	for _, d := range g.Differs {
		if d.What == "links" && g.Links > 0 {
			says = append(says, fmt.Sprintf("%s by scripts on %d of %d", numbers.Count(g.Links, "link", "links"), d.Pages, g.Pages))
			continue
		}
		says = append(says, fmt.Sprintf("scripts change the %s on %d of %d", d.Label, d.Pages, g.Pages))
	}
	if g.Failed > 0 {
		says = append(says, numbers.Count(g.Failed, "page could not be rendered", "pages could not be rendered"))
	}
	return says
}
