package languages

import (
	"fmt"
	"slices"
	"strings"

	"golang.org/x/text/language"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

const hreflangSource = "HTML standard, 4.2.4 (hreflang); RFC 8288 (Link header); search engines' public guidance on localised versions"

var sets = []*check.Check{
	{
		ID: "lang-invalid", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title: "declared language is no language tag", Line: "Declared language is no language tag",
		What:   "The lang attribute of the html element is not a tag of BCP 47.",
		Why:    "Browsers and screen readers disregard it, as if no language were declared.",
		How:    "Write the language's code, with a hyphen before the region: “en”, “en-GB”, “de-CH”.",
		Source: "BCP 47 (RFC 5646); HTML standard, 3.2.6.2", Page: langInvalid,
	},
	{
		ID: "hreflang-invalid", Group: group, Severity: check.Error, Scope: check.Documents, Effort: check.Minutes,
		Title: "hreflang names no language", Line: "An hreflang names no language",
		What: "An hreflang value is neither x-default nor a language with, at most, a script and a region: codes of ISO 639-1, ISO 15924 and ISO 3166-1.",
		Why:  "Search engines disregard the entry.",
		How:  "Correct the code: “en-GB”, not “en-UK”; “sv”, not “se”.", Source: hreflangSource, Page: invalid,
	},
	{
		ID: "hreflang-no-self", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title: "page's set of languages leaves itself out", Line: "The set of languages leaves the page itself out",
		What: "The page names its versions in other languages, but not itself.",
		Why:  "Search engines take a set seriously whose pages all name all of its pages.",
		How:  "Add the page's own language and address to its set.", Source: hreflangSource, Page: noSelf,
	},
	{
		ID: "hreflang-clash", Group: group, Severity: check.Error, Scope: check.Documents, Effort: check.Minutes,
		Title: "set of languages contradicts itself", Line: "The set of languages contradicts itself",
		What: "One language is given two addresses, or one address two languages.",
		Why:  "Search engines cannot tell which is meant, and disregard both.",
		How:  "Keep one address for each language.", Source: hreflangSource, Page: clash,
	},
	{
		ID: "hreflang-no-default", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "set of languages has no x-default", Line: "The set of languages has no default",
		What: "The page names versions in several languages, and none for everybody else.",
		Why:  "Somebody whose language is not in the set gets any of them.",
		How:  "Add hreflang=\"x-default\" with the page for all others, for example the one where the language is chosen.", Source: hreflangSource, Page: noDefault,
	},
	{
		ID: "hreflang-relative", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Minutes,
		Title: "hreflang address is not absolute", Line: "Addresses of other languages are not absolute",
		What: "The address of a version in another language is written without scheme and host.",
		Why:  "Search engines ask for full addresses here, and disregard others.",
		How:  "Write them in full, from https on.", Source: hreflangSource, Page: relative,
	},
	{
		ID: "hreflang-no-return", Group: group, Severity: check.Error, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "other language does not point back", Line: "{target} does not point back to the pages that name it",
		What: "The page names another as its version in a language, and that one does not name this page in turn.",
		Why:  "Search engines then disregard the pair, since anybody could claim a page.",
		How:  "Let both pages name all versions, themselves included; best from one list.", Source: hreflangSource,
		Site: noReturn,
	},
	alternateTo("hreflang-broken", check.Error, "version in another language is not there",
		"Version in another language, {target}, is not there", func(_ *check.SitePass, g *survey.Page) string {
			if g.Failed() {
				if g.Status > 0 {
					return fmt.Sprintf("answers with status %d", g.Status)
				}
				return "gives no answer"
			}
			return ""
		}),
	alternateTo("hreflang-redirects", check.Warning, "version in another language redirects",
		"Version in another language, {target}, redirects", func(p *check.SitePass, g *survey.Page) string {
			if g.Redirect >= 0 {
				return "redirects to " + p.URL(g.Redirect)
			}
			return ""
		}),
	alternateTo("hreflang-noindex", check.Warning, "version in another language is noindex",
		"Version in another language, {target}, is noindex", func(_ *check.SitePass, g *survey.Page) string {
			if g.Status == 200 && g.NoIndex != "" {
				return "is noindex in its " + g.NoIndex
			}
			return ""
		}),
	alternateTo("hreflang-canonicalised", check.Warning, "version in another language names another canonical",
		"Version in another language, {target}, names another canonical", func(p *check.SitePass, g *survey.Page) string {
			if g.Status == 200 && g.NoIndex == "" && g.Canonical >= 0 && g.Canonical != g.ID {
				return "names " + p.URL(g.Canonical) + " as its canonical"
			}
			return ""
		}),
	{
		ID: "hreflang-mixed", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "languages are named differently in two places",
		Line:  "Link elements, headers and sitemap name different languages",
		What:  "The page's versions in other languages are named in more than one place, link elements, Link headers or a sitemap, and these are not the same.",
		Why:   "Search engines cannot tell which of the lists holds.",
		How:   "Keep one of them, or write all from one list.", Source: hreflangSource, Site: mixed,
	},
	{
		ID: "hreflang-text", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "text is not in the language its set claims",
		Line:  "Text is not in the language that its set of languages claims",
		What:  "The page's set of languages gives it a language, and its text is in another. Only texts whose language is sure are judged.",
		Why:   "People are sent to a page that they cannot read; often a translation was announced and never made.",
		How:   "Translate the page, or take it out of the set until it is.", Source: hreflangSource, Site: otherText,
	},
}

// alternateTo makes a check of what the versions in other languages lead to.
func alternateTo(id string, severity check.Severity, title, line string,
	fault func(*check.SitePass, *survey.Page) string) *check.Check {
	return &check.Check{
		ID: id, Group: group, Severity: severity, Scope: check.WholeSite, Gather: check.ByTarget, Effort: check.Minutes,
		Title: title, Line: line,
		What:   "The page names an address as its version in another language that cannot be one: the " + title + ".",
		Why:    "Search engines disregard the entry, and may disregard the whole set.",
		How:    "Name the final address of a page that answers with status 200, may be shown, and is its own canonical.",
		Source: hreflangSource,
		Site: func(p *check.SitePass) error {
			return p.EachFacts(hasAlternates, func(g *survey.Page, f *page.Facts) {
				for _, a := range f.Document.Alternates {
					if _, to, _ := p.Target(a.Address); counts(&a) && to != nil && to.ID != g.ID {
						if note := fault(p, to); note != "" {
							p.Report(g.ID, check.Place{Note: a.Lang + ": " + a.Address + " " + note, Value: a.Lang,
								Target: a.Address, Line: a.Line, Col: a.Col})
						}
					}
				}
			})
		},
	}
}

func hasAlternates(g *survey.Page) bool { return g.Status == 200 && g.Flags&survey.HasAlternates != 0 }

// counts tells whether search engines regard an entry: those in the body are disregarded.
func counts(a *page.Alternate) bool { return (a.InHead || a.Header) && a.Address != "" }

func langInvalid(p *check.PagePass) {
	lang := strings.TrimSpace(p.Doc.Lang)
	if lang == "" {
		return
	}
	if strings.Contains(lang, "_") {
		p.Reportf(p.Doc.LangPos, lang, "lang=“%s”: tags have hyphens, not underscores", lang)
		return
	}
	if _, err := language.Parse(lang); err != nil && !strings.HasPrefix(strings.ToLower(lang), "x-") {
		p.Reportf(p.Doc.LangPos, lang, "lang=“%s” is no language tag", lang)
	}
}

// meant are codes that are often mistaken.
var meant = map[string]string{"uk": "gb", "en-uk": "en-GB", "se": "sv", "dk": "da", "jp": "ja", "cn": "zh", "gr": "el",
	"cz": "cs", "us": "en-US", "gb": "en-GB", "at": "de-AT"}

// wrongTag says what is wrong with an hreflang value, "" if nothing is.
func wrongTag(tag string) string {
	low := strings.ToLower(tag)
	if low == "x-default" {
		return ""
	}
	if strings.Contains(tag, "_") {
		return "has an underscore where a hyphen belongs"
	}
	hint := ""
	if m := meant[low]; m != "" {
		hint = "; " + m + " was probably meant"
	}
	parts := strings.Split(low, "-")
	if _, err := language.ParseBase(parts[0]); err != nil || len(parts[0]) != 2 {
		return "does not begin with a language of ISO 639-1" + hint
	}
	rest := parts[1:]
	if len(rest) > 0 && len(rest[0]) == 4 {
		if _, err := language.ParseScript(rest[0]); err != nil {
			return "has no script of ISO 15924 in " + rest[0]
		}
		rest = rest[1:]
	}
	if len(rest) > 0 {
		region, err := language.ParseRegion(rest[0])
		if err != nil || len(rest[0]) != 2 || !region.IsCountry() || rest[0] == "uk" {
			if hint == "" && meant[rest[0]] != "" {
				hint = "; " + parts[0] + "-" + strings.ToUpper(meant[rest[0]]) + " was probably meant"
			}
			return "has no region of ISO 3166-1 in " + rest[0] + hint
		}
		rest = rest[1:]
	}
	if len(rest) > 0 {
		return "has more behind its region"
	}
	return ""
}

func invalid(p *check.PagePass) {
	for i := range p.Doc.Alternates {
		a := &p.Doc.Alternates[i]
		if why := wrongTag(a.Lang); why != "" && (a.InHead || a.Header) {
			p.Report(check.Place{Note: fmt.Sprintf("hreflang=“%s” %s", a.Lang, why), Value: a.Lang, Target: a.Address,
				Line: a.Line, Col: a.Col})
		}
	}
}

// set are the entries of a page that count.
func set(d *page.Document) (out []page.Alternate) {
	for _, a := range d.Alternates {
		if counts(&a) {
			out = append(out, a)
		}
	}
	return out
}

func noSelf(p *check.PagePass) {
	s := set(p.Doc)
	if len(s) == 0 || p.Doc.Robots.NoIndex != "" {
		return
	}
	if c := p.Facts.Canonical(); c != "" && c != p.Facts.Address {
		return // the canonical page's set is the one that counts
	}
	if !slices.ContainsFunc(s, func(a page.Alternate) bool { return a.Address == p.Facts.Address }) {
		p.Report(check.Place{Note: fmt.Sprintf("%d versions, and none of them is this page", len(s)), Line: s[0].Line,
			Col: s[0].Col})
	}
}

func clash(p *check.PagePass) {
	byLang, byAddress := map[string]page.Alternate{}, map[string]page.Alternate{}
	for _, a := range set(p.Doc) {
		lang := strings.ToLower(a.Lang)
		if o, ok := byLang[lang]; ok && o.Address != a.Address {
			p.Report(check.Place{Note: fmt.Sprintf("%s is both %s and %s", a.Lang, check.Short(o.Address),
				check.Short(a.Address)), Value: a.Lang, Line: a.Line, Col: a.Col})
		} else {
			byLang[lang] = a
		}
		if lang == "x-default" {
			continue
		}
		if o, ok := byAddress[a.Address]; ok && !kindred(o.Lang, a.Lang) {
			p.Report(check.Place{Note: fmt.Sprintf("%s is both %s and %s", check.Short(a.Address), o.Lang, a.Lang),
				Value: a.Lang, Target: a.Address, Line: a.Line, Col: a.Col})
		} else if !ok {
			byAddress[a.Address] = a
		}
	}
}

// kindred tells whether two tags are of one language: one page may serve several regions.
func kindred(a, b string) bool {
	a, _, _ = strings.Cut(strings.ToLower(a), "-")
	b, _, _ = strings.Cut(strings.ToLower(b), "-")
	return a == b
}

func noDefault(p *check.PagePass) {
	langs := map[string]bool{}
	s := set(p.Doc)
	for _, a := range s {
		langs[strings.ToLower(a.Lang)] = true
	}
	if len(langs) > 1 && !langs["x-default"] {
		p.Report(check.Place{Note: fmt.Sprintf("%d languages and no x-default", len(langs)), Line: s[0].Line,
			Col: s[0].Col})
	}
}

func relative(p *check.PagePass) {
	for _, a := range p.Doc.Alternates {
		href := strings.ToLower(strings.TrimSpace(a.Href))
		if a.InHead && !strings.HasPrefix(href, "http://") && !strings.HasPrefix(href, "https://") {
			p.Report(check.Place{Note: fmt.Sprintf("%s is written as “%s”", a.Lang, check.Short(a.Href)), Value: a.Href,
				Target: a.Address, Line: a.Line, Col: a.Col})
		}
	}
}

func noReturn(p *check.SitePass) error {
	names := map[int32][]string{} // page → addresses in its set
	type claim struct {
		from int32
		a    page.Alternate
	}
	var claims []claim
	err := p.EachFacts(hasAlternates, func(g *survey.Page, f *page.Facts) {
		for _, a := range set(f.Document) {
			names[g.ID] = append(names[g.ID], a.Address)
			if a.Address != f.Address {
				claims = append(claims, claim{g.ID, a})
			}
		}
	})
	if err != nil {
		return err
	}
	for _, c := range claims {
		_, to, _ := p.Target(c.a.Address)
		from := p.Page(c.from)
		if to == nil || !to.HTML || to.Status != 200 || to.Outcome == page.Truncated || !from.Indexable ||
			!to.Indexable {
			continue
		}
		if slices.Contains(names[to.ID], p.URL(c.from)) {
			continue
		}
		p.Report(c.from, check.Place{
			Note: fmt.Sprintf("%s: %s does not name this page in turn", c.a.Lang, c.a.Address), Value: c.a.Lang,
			Target: c.a.Address, Line: c.a.Line, Col: c.a.Col,
		})
	}
	return nil
}

// mixed compares what link elements, Link headers and sitemaps say, two by two, where both say
// something.
func mixed(p *check.SitePass) error {
	return p.EachFacts(hasAlternates, func(g *survey.Page, f *page.Facts) {
		said := map[string]map[string]string{"elements": {}, "headers": {}, "sitemap": {}}
		for _, a := range set(f.Document) {
			where := "elements"
			if a.Header {
				where = "headers"
			}
			said[where][strings.ToLower(a.Lang)] = a.Address
		}
		for _, v := range p.Versions[f.Address] {
			said["sitemap"][strings.ToLower(v.Lang)] = v.Address
		}
		for _, pair := range [][2]string{{"elements", "headers"}, {"elements", "sitemap"}, {"headers", "sitemap"}} {
			if langs := differ(said[pair[0]], said[pair[1]]); len(langs) > 0 {
				p.Report(g.ID, check.Place{Note: fmt.Sprintf("%s and %s differ for %s", pair[0], pair[1],
					strings.Join(langs, ", "))})
				return
			}
		}
	})
}

// differ are the languages for which two lists, neither empty, do not name the same address.
func differ(a, b map[string]string) (langs []string) {
	if len(a) == 0 || len(b) == 0 {
		return nil
	}
	for lang, address := range a {
		if b[lang] != address {
			langs = append(langs, lang)
		}
	}
	for lang := range b {
		if a[lang] == "" {
			langs = append(langs, lang)
		}
	}
	slices.Sort(langs)
	return langs
}

func otherText(p *check.SitePass) error {
	return p.EachFacts(hasAlternates, func(g *survey.Page, f *page.Facts) {
		if g.TextLang == "" {
			return
		}
		for _, a := range set(f.Document) {
			if a.Address == f.Address && !strings.EqualFold(a.Lang, "x-default") &&
				!text.SameLanguage(g.TextLang, a.Lang) {
				p.Report(g.ID, check.Place{
					Note:  fmt.Sprintf("its set says %s, its text is in %s", a.Lang, text.LanguageName(g.TextLang)),
					Value: a.Lang, Line: a.Line, Col: a.Col,
				})
				return
			}
		}
	})
}
