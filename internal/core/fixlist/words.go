package fixlist

import (
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/text"
	"harvik/internal/core/weburl"
)

// word fills in the check's sentence, and says where and on how many pages.
func (f *Fix) word(c *check.Check, home string) {
	link, target := f.Line, within(f.Target, home)
	if link == "" {
		link = "Link"
	}
	f.Line = strings.NewReplacer(
		"{link}", link,
		"{target}", target,
		"{value}", shorten(f.Value),
		"{example}", within(f.Example, home),
		"{n}", text.Thousands(f.Pages),
	).Replace(c.Line)
	title := text.Capital(c.Title)
	cases := text.Count(f.Cases, "case", "cases")
	on := ", on " + text.Count(f.Pages, "page", "pages")
	switch {
	case f.Kind == Rule && f.Targets == nil:
		f.Line = title + ": " + f.Where + ", " + text.Thousands(f.Cases) + " times" + on
	case f.Kind == Rule:
		f.Line = title + ": " + text.Count(f.Cases, "address", "addresses") + on + "; " + f.Where
	case f.Kind == Carrier:
		f.Line = title + ": " + text.Count(f.Cases, "file", "files") + " that " + target + " names" + on
	case f.Kind == OnePage:
		f.Line = title + ": " + cases + " on " + within(f.Example, home)
	case f.Kind == Layout && f.Targets != nil:
		f.Line = title + ": " + strings.ToLower(link[:1]) + link[1:] + ", " + f.Where
	case f.Kind == Layout && f.Value != "": // told by the link's words
		f.Line += ": " + strings.ToLower(link[:1]) + link[1:] + ", " + f.Where
	case f.Kind == Pages && f.Cases > 1:
		f.Line = title + ": " + cases + on
		if f.Where != "" {
			f.Line += "; " + f.Where
		}
	case f.Kind == Pages && f.Pages == 1:
		f.Line += ifComma(f.Line) + " on " + within(f.Example, home)
	case f.Kind == Pages:
		f.Line += ifComma(f.Line) + " on " + text.Thousands(f.Pages) + " separate pages"
	case f.Kind == Value && !strings.Contains(c.Line, "{n}") && f.Example != "":
		f.Line += on
	case f.Where != "":
		f.Line += ", " + f.Where
	case f.Kind == Target && f.Pages == 1 && f.Example != "":
		f.Line += ", on " + within(f.Example, home)
	case f.Kind == Target && f.Example != "":
		f.Line += on
	}
}

// ifComma parts what follows from a sentence that has a comma itself.
func ifComma(line string) string {
	if strings.Contains(line, ",") {
		return ","
	}
	return ""
}

// PathOf is an address without its origin, shortened in the middle.
func PathOf(address string) string {
	u, err := weburl.Parse(address)
	if err != nil || !u.IsHTTP() {
		return shorten(address)
	}
	return shorten(u.PathQuery() + fragment(address))
}

func fragment(address string) string {
	if i := strings.IndexByte(address, '#'); i >= 0 {
		return address[i:]
	}
	return ""
}

// within is PathOf for an address of the site, and leaves others their host.
func within(address, home string) string {
	u, err := weburl.Parse(address)
	if err != nil || !u.IsHTTP() || home == "" || strings.TrimPrefix(u.Host(), "www.") == home {
		return PathOf(address)
	}
	return shorten(u.Host() + u.PathQuery() + fragment(address))
}

func shorten(s string) string {
	return text.Shorten(s, 72, 44, 24)
}
