package rendering

import (
	"fmt"
	"regexp"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/rendered"
	"harvik/internal/core/text"
)

func failed(o devices) []check.Place {
	for i := range o {
		switch o[i].Outcome {
		case rendered.Stuck, rendered.Crashed, rendered.TooLarge:
			return []check.Place{{Note: fmt.Sprintf("%s, on a %s", o[i].Outcome.Says(), o[i].Device)}}
		}
	}
	return nil
}

// differs reports a difference of a kind that has one value.
func differs(what string) func(o devices) []check.Place {
	return func(o devices) []check.Place {
		p := first(o)
		if p == nil {
			return nil
		}
		d := p.Differ(what)
		if d == nil {
			return nil
		}
		source, built := strings.Join(d.Source, ", "), strings.Join(d.Built, ", ")
		var note string
		switch {
		case source == "":
			note = fmt.Sprintf("only after scripts: “%s”", check.Short(built))
		case built == "":
			note = fmt.Sprintf("scripts take it away: “%s”", check.Short(source))
		default:
			note = fmt.Sprintf("“%s” in the source, “%s” after scripts", check.Short(source), check.Short(built))
		}
		return []check.Place{{Note: note, Value: built}}
	}
}

// leastText is how many words are a text.
const leastText = 40

func scriptedText(o devices) []check.Place {
	p := first(o)
	if p == nil || p.Words < leastText || 2*p.Source >= p.Words {
		return nil
	}
	return []check.Place{{Note: fmt.Sprintf("%s words in the source, %s after scripts", text.Thousands(p.Source),
		text.Thousands(p.Words))}}
}

func scriptedHeading(o devices) []check.Place {
	p := first(o)
	if p == nil {
		return nil
	}
	d := p.Differ("headings")
	if d == nil {
		return nil
	}
	for _, h := range d.Built {
		if words, ok := strings.CutPrefix(h, "h1 "); ok {
			return []check.Place{{Note: fmt.Sprintf("only after scripts: “%s”", check.Short(words)), Value: words}}
		}
	}
	return nil
}

func scriptedLinks(o devices) []check.Place {
	p := first(o)
	if p == nil || p.Links == 0 {
		return nil
	}
	d := p.Differ("links")
	if d == nil || p.Links < 5 && 2*p.Links < p.AllLinks {
		return nil
	}
	note := fmt.Sprintf("%s only after scripts, among them %s", text.Count(p.Links, "link", "links"), d.Built[0])
	return []check.Place{{Note: note}}
}

func console(o devices) []check.Place {
	return messages(o, func(m *rendered.Message) bool { return !m.Mixed })
}

// insecure is an address over http in a message of the browser.
var insecure = regexp.MustCompile(`'(http://[^']+)'`)

func mixed(o devices) []check.Place {
	out := messages(o, func(m *rendered.Message) bool { return m.Mixed })
	for i := range out {
		if m := insecure.FindStringSubmatch(out[i].Value); m != nil {
			out[i].Target, out[i].Note = m[1], "the browser blocks it, or complains of it"
		}
		out[i].Value = ""
	}
	return out
}

// messages are those of the console that are wanted, each once.
func messages(o devices, wanted func(*rendered.Message) bool) (out []check.Place) {
	p := first(o)
	if p == nil {
		return nil
	}
	seen := map[string]bool{}
	for i := range p.Console {
		m := &p.Console[i]
		if !wanted(m) || seen[m.Text] {
			continue
		}
		seen[m.Text] = true
		note := check.Short(m.Text)
		if m.At != "" {
			note += ", in " + m.At
		}
		out = append(out, check.Place{Note: note, Value: m.Text})
	}
	return out
}
