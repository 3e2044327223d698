package cli

import (
	"fmt"
	"io"
	"strings"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	numbers "harvik/internal/core/text"
)

// printRenderings tells what a browser made of a page.
func printRenderings(w io.Writer, all []api.Rendering) {
	for i := range all {
		r := &all[i]
		fmt.Fprintf(w, "\n  %s\n", bold(w, "As a browser builds it, on a "+r.Device))
		if r.Outcome != "rendered" {
			said := r.Says
			if r.Detail != "" {
				said += ": " + r.Detail
			}
			wrap(w, "  ", said)
			continue
		}
		printSpeed(w, r)
		if i > 0 && sameDifferences(all[i-1].Differs, r.Differs) {
			if len(r.Differs) > 0 {
				fmt.Fprintf(w, "  differs from the source as on the %s\n", all[i-1].Device)
			}
		} else {
			printDifferences(w, r)
		}
		if r.Fit.Content > r.Fit.Width+1 {
			fmt.Fprintf(w, "  %d pixels wide on a screen of %d: %s\n", r.Fit.Content, r.Fit.Width, r.Fit.Wide)
		}
		if n := len(r.Fit.Small) + r.Fit.SmallMore; n > 0 && r.Device == plan.Phone {
			fmt.Fprintf(w, "  %d of %s too small or too close, among them %s\n", n,
				numbers.Count(r.Fit.Targets, "thing to tap", "things to tap"), r.Fit.Small[0])
		}
		if r.HiddenWords > 0 {
			wrap(w, "  ", fmt.Sprintf("%s that a desktop shows are not to be seen: “%s”",
				numbers.Count(r.HiddenWords, "word", "words"), strings.Join(r.Hides[:min(len(r.Hides), 2)], "” “")))
		}
		if r.Covers != "" {
			fmt.Fprintf(w, "  covered by %s\n", r.Covers)
		}
		for _, m := range r.Console {
			wrap(w, "  ", "console: "+strings.TrimSuffix(m.Text+", in "+m.At, ", in "))
		}
		for _, m := range r.Missing {
			wrap(w, "  ", "missing: "+m.Address+" "+faint(w, statusOrWord(m.Status, m.Why)))
		}
	}
}

// printSpeed tells how soon the page stood.
func printSpeed(w io.Writer, r *api.Rendering) {
	s := &r.Speed
	as := ""
	if s.Throttled {
		as = ", as on a slow phone"
	}
	if s.Runs > 1 {
		as += fmt.Sprintf(", medians of %d loads", s.Runs)
	}
	fmt.Fprintf(w, "  first byte %.0f ms · first paint %.0f ms · largest paint %.0f ms · shift %.2f · blocked %.0f ms%s\n",
		s.FirstByte, s.FirstPaint, s.LargestPaint, s.Shift, s.Blocked, as)
	done := map[string]string{"time": ", when its time was over", "selector": ", when what the plan waits for was there"}
	fmt.Fprintf(w, "  done after %d ms%s · %s · %s bytes\n", r.Took, done[r.Done],
		numbers.Count(s.Requests, "request", "requests"), numbers.Thousands(s.Transferred))
	if s.Requests > 1 {
		fmt.Fprintf(w, "  a browser may keep %d %% of it for a day or longer\n", 100*s.Kept/s.Transferred)
	}
	if s.Largest != "" {
		fmt.Fprintf(w, "  painted last: %s\n", s.Largest)
	}
	for i, t := range s.Tasks {
		if i == 3 {
			break
		}
		fmt.Fprintf(w, "  %.0f ms for %s\n", t.Value, t.Of)
	}
	for i, u := range r.Unused {
		if i == 3 {
			break
		}
		fmt.Fprintf(w, "  about %s of %s bytes unused of %s\n", numbers.Thousands(u.Spare), numbers.Thousands(u.Bytes), u.Address)
	}
	for _, t := range r.Taps {
		if t.Element == "" {
			fmt.Fprintf(w, "  %s is not there to tap\n", t.Selector)
		} else {
			fmt.Fprintf(w, "  a tap on %s is answered after %.0f ms\n", t.Element, t.Took)
		}
	}
}

// printDifferences tells what scripts change.
func printDifferences(w io.Writer, r *api.Rendering) {
	if len(r.Differs) == 0 {
		fmt.Fprintln(w, "  nothing differs from the source")
		return
	}
	for _, d := range r.Differs {
		n := len(d.Source) + len(d.Built) + d.More
		fmt.Fprintf(w, "  %s: %s\n", d.Label, numbers.Count(n, "difference", "differences"))
		for _, side := range []struct {
			sign   string
			values []string
		}{{"−", d.Source}, {"+", d.Built}} {
			for i, v := range side.values {
				if i == maxShown/2 {
					fmt.Fprintf(w, "    %s and %d more\n", side.sign, len(side.values)-i)
					break
				}
				fmt.Fprintf(w, "    %s %s\n", side.sign, end(v, columns(w)-8))
			}
		}
	}
	fmt.Fprintln(w, faint(w, "  − only in the source, + only after scripts"))
}

func sameDifferences(a, b []api.RenderingDifference) bool {
	return fmt.Sprint(a) == fmt.Sprint(b)
}
