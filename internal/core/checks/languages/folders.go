package languages

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

var folders = []*check.Check{
	{
		ID: "lang-folder", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "page is in another language than its folder", Line: "Page is in another language than its folder",
		What:   "The site has a folder for each language, and a page's text, or the language that it declares, is not that of its folder.",
		Why:    "Visitors who chose a language get another, and search engines offer the page to the wrong ones.",
		How:    "Translate the page, or leave it out of the folder until it is. Correct the lang attribute where only that is wrong.",
		Source: "search engines' public guidance on multilingual sites; HTML standard, 3.2.6.2", Site: otherFolder,
		Explains: []string{"copy-language", "title-language", "copy-duplicate", "copy-near-duplicate",
			"title-duplicate", "h1-duplicate", "description-duplicate"},
	},
	{
		ID: "hreflang-missing", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Days,
		Title:  "languages of the site do not name one another",
		Line:   "Pages in several languages do not name one another (hreflang)",
		What:   "The site has folders for several languages, and none of its pages names its versions in the others, in links, headers or sitemaps.",
		Why:    "Search engines then choose by themselves which version to show to whom.",
		How:    "Let each page name all its versions and itself, in link elements or in the sitemap.",
		Source: "search engines' public guidance on localised versions", Site: unnamed,
	},
}

// leastVersions is how many pages a folder needs to be one of a language.
const leastVersions = 3

// byFolder finds the folders that are named after languages, and their pages. There have to be two whose
// texts are for the most part in the language that they say.
func byFolder(p *check.SitePass) map[string][]*survey.Page {
	all := map[string][]*survey.Page{}
	for i := range p.Pages {
		if g := &p.Pages[i]; g.HTML && g.Status == 200 {
			if f := languageFolder(p.URL(g.ID)); f != "" {
				all[f] = append(all[f], g)
			}
		}
	}
	sound := 0
	for folder, pages := range all {
		right, told := 0, 0
		for _, g := range pages {
			if lang := g.TextLang; lang != "" {
				told++
				if lang == folder {
					right++
				}
			}
		}
		if len(pages) >= leastVersions && right > 0 && 4*right >= told {
			sound++
		} else if len(pages) < leastVersions {
			delete(all, folder)
		}
	}
	if sound < 2 {
		return nil
	}
	return all
}

// languageFolder is the first or second folder of an address, if it is a language with or without region.
func languageFolder(address string) string {
	_, rest, _ := strings.Cut(address, "://")
	parts := strings.Split(rest, "/")
	for _, part := range parts[1:max(1, min(len(parts)-1, 3))] {
		code, region, _ := strings.Cut(strings.ToLower(part), "-")
		if len(code) == 2 && (region == "" || len(region) == 2 || len(region) == 4) && text.LanguageName(code) != code {
			return code
		}
	}
	return ""
}

func otherFolder(p *check.SitePass) error {
	groups := byFolder(p)
	for _, folder := range slices.Sorted(maps.Keys(groups)) {
		for _, g := range groups[folder] {
			switch {
			case text.IsSure(g.TextLang) && g.Words >= text.SureWords && !text.SameLanguage(g.TextLang, folder):
				p.Report(g.ID, check.Place{Note: fmt.Sprintf("the text is in %s, the folder is that of %s",
					text.LanguageName(g.TextLang), text.LanguageName(folder)), Value: g.TextLang})
			case g.Lang != "" && !text.SameLanguage(folder, g.Lang):
				p.Report(g.ID, check.Place{Note: fmt.Sprintf("the page declares lang=“%s”, the folder is that of %s",
					g.Lang, text.LanguageName(folder)), Value: g.Lang})
			}
		}
	}
	return nil
}

func unnamed(p *check.SitePass) error {
	groups := byFolder(p)
	if len(groups) < 2 || len(p.Versions) > 0 {
		return nil
	}
	for i := range p.Pages {
		if p.Pages[i].Flags&survey.HasAlternates != 0 {
			return nil
		}
	}
	var names []string
	for _, folder := range slices.Sorted(maps.Keys(groups)) {
		names = append(names, text.LanguageName(folder))
	}
	p.Report(-1, check.Place{Note: "folders for " + strings.Join(names, ", ") + ", and no hreflang anywhere",
		Of: len(groups)})
	return nil
}
