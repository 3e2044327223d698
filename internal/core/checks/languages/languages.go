// Package languages holds the checks of declared languages.
package languages

import (
	"slices"
	"strings"

	"harvik/internal/core/check"
)

const group = "languages"

// Suite is the group's checks.
var Suite = slices.Concat(declared, sets, folders)

var declared = []*check.Check{{
	ID: "lang-missing", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
	Title: "page does not declare its language", Line: "Language of the page is not declared",
	What:   "The html element has no lang attribute, or an empty one.",
	Why:    "Screen readers choose the wrong voice, browsers offer needless translations, hyphenation fails.",
	How:    "Write the language into the template, for example lang=\"en-GB\".",
	Source: "HTML standard, 3.2.6.2; WCAG 2.2, 3.1.1", Page: langMissing,
}}

func langMissing(p *check.PagePass) {
	switch {
	case !p.Doc.HasLang && p.Doc.XMLLang != "":
		p.Reportf(p.Doc.LangPos, "", "the html element has xml:lang=“%s”, which browsers leave aside in HTML, and no lang attribute", check.Short(p.Doc.XMLLang))
	case !p.Doc.HasLang:
		p.Reportf(p.Doc.LangPos, "", "the html element has no lang attribute")
	case strings.TrimSpace(p.Doc.Lang) == "":
		p.Reportf(p.Doc.LangPos, "", "the lang attribute is empty")
	}
}
