package rendering

import (
	"fmt"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/plan"
	"harvik/internal/core/text"
)

// Least of what a phone has to hide of a page for it to be missed: words, and a part of all.
const leastHidden, hiddenPart = 40, 5

func hides(o devices) []check.Place {
	p, d := on(o, plan.Phone), on(o, plan.Desktop)
	if p == nil || d == nil || p.Hidden < leastHidden || hiddenPart*p.Hidden < d.Words {
		return nil
	}
	return []check.Place{
		{Note: fmt.Sprintf("%s that a desktop shows, among them “%s”", text.Count(p.Hidden, "word", "words"),
			check.Short(p.Hides[0]))},
	}
}

// leastSpare is how many bytes are worth a smaller file.
const leastSpare = 20_000

func oversized(o devices) (out []check.Place) {
	seen := map[string]bool{}
	for i := range o {
		for _, l := range o[i].Large {
			if l.Spare < leastSpare || seen[l.Address] {
				continue
			}
			seen[l.Address] = true
			out = append(
				out,
				check.Place{Note: fmt.Sprintf("%d × %d pixels, shown in %d × %d on a %s; about %s kB to spare",
					l.Width, l.Height, l.Shown, l.ShownHeight, o[i].Device, text.Thousands(l.Spare/1000)),
					Target: l.Address},
			)
		}
	}
	return out
}

// sized is an element that is told with its size in brackets, apart from that.
func sized(told string) (element, size string) {
	if at := strings.LastIndex(told, " ("); at >= 0 {
		return told[:at], strings.Trim(told[at+1:], "()")
	}
	return told, ""
}

func sideways(o devices) []check.Place {
	p := on(o, plan.Phone)
	if p == nil || p.Fit.Content <= p.Fit.Width+1 || p.Fit.Wide == "" {
		return nil
	}
	element, size := sized(p.Fit.Wide)
	return []check.Place{{Note: fmt.Sprintf("%d pixels wide on a screen of %d, by an element of %s", p.Fit.Content,
		p.Fit.Width, size), At: element}}
}

func taps(o devices) []check.Place {
	p := on(o, plan.Phone)
	if p == nil || len(p.Fit.Small) == 0 {
		return nil
	}
	element, size := sized(p.Fit.Small[0])
	return []check.Place{{Note: fmt.Sprintf("%d of %s, among them one of %s", len(p.Fit.Small)+p.Fit.SmallMore,
		text.Count(p.Fit.Targets, "thing to tap", "things to tap"), size), At: element}}
}

func smallText(o devices) []check.Place {
	p := on(o, plan.Phone)
	if p == nil || p.Fit.Text < 200 || 3*p.Fit.SmallText <= p.Fit.Text {
		return nil
	}
	return []check.Place{
		{Note: fmt.Sprintf("%d %% of the letters are smaller than 12 pixels", 100*p.Fit.SmallText/p.Fit.Text)},
	}
}

func covered(o devices) []check.Place {
	p := on(o, plan.Phone)
	if p == nil || p.Covers == "" {
		return nil
	}
	return []check.Place{{Note: "covers most of the first view: " + p.Covers, At: p.Covers}}
}
