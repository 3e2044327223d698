package media

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"harvik/internal/core/check"
	"harvik/internal/core/css"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

const (
	imageSource = "HTML standard, 4.8.3 (the img element); search engines' public guidance on images"
	altSource   = "HTML standard, 4.8.4.4; WCAG 2.2, 1.1.1"
)

var more = []*check.Check{
	{
		ID: "image-broken", Group: group, Severity: check.Error, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "image is not there", Line: "The image {target} is not there",
		What: "An image that the page shows, itself or by a rule of its stylesheets that matches one of its elements, answers with an error, not at all, or with something that is no image.",
		Why:  "Visitors see a gap or a broken sign where a picture should be.",
		How:  "Correct the address, or bring the file back.", Source: imageSource, Site: imageBroken,
	},
	{
		ID: "style-image-missing", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "stylesheet names an image that is not there", Line: "The image {target} is not there",
		What:   "An image that only a stylesheet names answers with an error, or not at all. Whether its rule applies hangs on the screen, on what visitors do, or on more of the page than is kept; one that matches no element of a page is no finding of that page.",
		Why:    "Where the rule applies, a background, a sign or a button is missing, and the browser asks for it in vain.",
		How:    "Correct the address in the stylesheet, bring the file back, or take the rule out.",
		Source: "CSS Values and Units 4, 4.5 (URLs)", Site: styleImageMissing,
	},
	{
		ID: "font-missing", Group: group, Severity: check.Warning, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "font is not there", Line: "The font {target} is not there",
		What:   "A font that a page or one of its stylesheets names answers with an error, or not at all.",
		Why:    "Visitors see another font than the one that was chosen, after the browser has waited for it in vain.",
		How:    "Correct the address in the @font-face rule, bring the file back, or take the rule out.",
		Source: "CSS Fonts 4, 4.3", Site: fontMissing,
	},
	{
		ID: "resource-broken", Group: group, Severity: check.Error, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "stylesheet, script or file is not there", Line: "{target}, which pages load, is not there",
		What:   "A stylesheet, script or other file that the page loads answers with an error, or not at all.",
		Why:    "The page may look wrong or not work, for visitors as for search engines.",
		How:    "Correct the address, bring the file back, or take the reference out.",
		Source: "RFC 9110, 15.5 and 15.6; search engines' public guidance on rendering", Site: resourceBroken,
	},
	{
		ID: "image-alt-empty-link", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "link whose only content is an image without words", Line: "Link is an image with an empty alt text",
		What: "A link has nothing in it but an image whose alt text is empty.",
		Why:  "The link has no words: a screen reader reads out its address, and search engines learn nothing about the target.",
		How:  "Let the alt text say where the link leads.", Source: altSource + "; 2.4.4", Page: altEmptyLink,
	},
	{
		ID: "image-alt-long", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "alternative text is very long", Line: "Very long alternative text",
		What: "An alt text has more characters than the threshold.",
		Why:  "A screen reader reads it out in one go, without a way to skip or repeat a part.",
		How:  "Say what matters in one phrase, and put a description into the text of the page.", Source: altSource,
		Limits: []string{"alt-characters"}, Page: altLong,
	},
	{
		ID: "image-alt-filename", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "alternative text is a file name", Line: "Alternative text is a file name",
		What: "An alt text is the name of a file, such as IMG_2034.jpg.",
		Why:  "It tells nobody what the picture shows.",
		How:  "Say what the picture shows in one phrase.", Source: altSource, Page: altFileName,
	},
	{
		ID: "image-no-size", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Minutes,
		Title: "image without width and height", Line: "Image without width and height",
		What:   "An img element has neither width and height nor an aspect ratio in its style.",
		Why:    "The browser does not know how much room to keep, so the page jumps as pictures arrive.",
		How:    "Write the picture's own width and height; styles may still scale it.",
		Source: "HTML standard, 4.8.17 (dimension attributes); search engines' public guidance on layout shift",
		Page:   noSize,
	},
	heavy("image-heavy", check.Notice, "image is heavy",
		func(l *check.Limits) (int, int) { return l.ImageBytes, l.ImageVeryBytes }, "image-bytes"),
	heavy("image-very-heavy", check.Warning, "image is very heavy",
		func(l *check.Limits) (int, int) { return l.ImageVeryBytes, 1 << 62 }, "image-very-bytes"),
	{
		ID: "image-old-format", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "image in a wasteful format", Line: "The image {target} is in a wasteful format",
		What:   "An image is a BMP or TIFF file, or a PNG file over the threshold that has no transparency.",
		Why:    "The same picture in a modern format is a fraction of the size.",
		How:    "Save photographs as AVIF, WebP or JPEG.",
		Source: "search engines' public guidance on image formats", Limits: []string{"image-bytes"}, Site: oldFormat,
	},
	{
		ID: "favicon-missing", Group: group, Since: 5, Severity: check.Notice, Scope: check.WholeSite,
		Effort: check.Minutes,
		Title:  "site has no icon", Line: "The site has no icon",
		What:   "The home page declares no icon, and there is none at /favicon.ico; or the one that it declares is not there.",
		Why:    "Results pages, browser tabs and bookmarks show an empty sign instead of the site's own.",
		How:    "Make one and declare it with <link rel=\"icon\" href=\"…\">.",
		Source: "HTML standard, 4.6.7.8 (rel=icon); search engines' public guidance on favicons", Site: favicon,
	},
	{
		ID: "plugin-content", Group: group, Severity: check.Warning, Scope: check.Documents, Effort: check.Days,
		Title: "content for a plug-in that no browser has", Line: "Content for a plug-in that no browser has",
		What:   "The page holds an applet, or an object or embed element for Flash, Java, Silverlight or another retired plug-in.",
		Why:    "No browser shows it any more.",
		How:    "Replace it by what browsers show themselves, or take it out.",
		Source: "HTML standard, 16.2 (non-conforming features)", Page: plugin,
	},
}

// heavy makes a check of images over a size, and not over the next.
func heavy(id string, severity check.Severity, title string, bounds func(*check.Limits) (int, int),
	limit string) *check.Check {
	return &check.Check{
		ID: id, Group: group, Severity: severity, Scope: check.WholeSite, Gather: check.ByTarget, Effort: check.Minutes,
		Title: title, Line: "The image {target} is " + strings.TrimPrefix(title, "image is "),
		What:   "An image that the page loads has more bytes than the threshold.",
		Why:    "Pictures are most of what visitors wait for, above all on telephones.",
		How:    "Scale the picture to the size it is shown in, and save it as AVIF, WebP or JPEG of medium quality.",
		Source: "search engines' public guidance on page speed", Limits: []string{limit},
		Explains: []string{"image-one-size"},
		Site: func(p *check.SitePass) error {
			from, below := bounds(p.Limits)
			return images(p, func(g *survey.Page) string {
				if g.Status != 200 || g.Bytes <= from || g.Bytes > below {
					return ""
				}
				return text.Thousands(g.Bytes) + " bytes"
			})
		},
	}
}

// images reports what is wrong with images at each page that shows them, or may.
func images(p *check.SitePass, fault func(*survey.Page) string) error {
	return pictures(p, fault, func(w way) bool { return w.applies != css.No })
}

// pictures does so for those that pages come to load in a wanted way.
func pictures(p *check.SitePass, fault func(*survey.Page) string, wanted func(way) bool) error {
	notes := map[int32]string{}
	return loading(p, func(t int32) string {
		if !p.IsPicture(t) {
			return ""
		}
		note, known := notes[t]
		if g := p.Got(t); !known && g != nil {
			note = fault(g)
			notes[t] = note
		}
		return note
	}, wanted)
}

// loading reports resources that have a fault at each page that loads them in a wanted way, with the stylesheet
// that names them, its line, and how the page comes by it.
func loading(p *check.SitePass, fault func(int32) string, wanted func(way) bool) error {
	return eachWay(p, func(t int32) bool { return fault(t) != "" }, func(l way) {
		if !wanted(l) {
			return
		}
		place := check.Place{Note: p.URL(l.Target) + ": " + fault(l.Target), Target: p.URL(l.Target),
			Carrier: p.Carrier(l.Loading)}
		if l.Carrier >= 0 {
			place.Note += "; named by " + place.Carrier
			if l.line > 0 {
				place.Note += fmt.Sprintf(", line %d", l.line)
			}
			for i := len(l.Chain) - 1; i >= 0; i-- {
				place.Note += ", which " + p.URL(l.Chain[i]) + " imports"
			}
		}
		p.Report(l.Page, place)
	})
}

// gone says how a resource that was asked for is not there, "" if it is, or that is not sure.
func gone(g *survey.Page) string {
	switch {
	case g.Status == 404 || g.Status == 410 || g.Status >= 500 || g.Status == 400 || g.Status == 414:
		return fmt.Sprintf("status %d", g.Status)
	case g.Outcome == page.NoDNS:
		return "its host name does not resolve"
	case g.Outcome == page.Refused || g.Outcome == page.TimedOut || g.Outcome == page.Reset ||
		g.Outcome == page.TLSFailed:
		return "no answer (" + string(g.Outcome) + ")"
	}
	return ""
}

func imageBroken(p *check.SitePass) error {
	return pictures(p, noImage(p), func(w way) bool { return w.applies == css.Yes })
}

func styleImageMissing(p *check.SitePass) error {
	return pictures(p, noImage(p), func(w way) bool { return w.applies == css.Perhaps })
}

// noImage says why there is no image at an address.
func noImage(p *check.SitePass) func(*survey.Page) string {
	return func(g *survey.Page) string {
		switch why := missing(p, g); {
		case why != "":
			return why
		case g.Status == 200 && g.Type != "" && isNoImage(g.Type):
			return "it is no image, but " + g.Type
		}
		return ""
	}
}

// missing says how a resource of this site or another is not there. Where no other site can be reached
// from here nothing is said of others.
func missing(p *check.SitePass, g *survey.Page) string {
	inside := p.Inside(p.URL(g.ID))
	if !inside && p.CutOff() {
		return ""
	}
	why := gone(g)
	if why == "" && g.Status >= 400 && inside {
		why = fmt.Sprintf("status %d", g.Status)
	}
	return why
}

func isNoImage(mediaType string) bool {
	return !strings.HasPrefix(mediaType, "image/") && mediaType != "application/octet-stream" &&
		mediaType != "binary/octet-stream" && mediaType != ""
}

func resourceBroken(p *check.SitePass) error {
	return brokenFiles(p, page.AsStyle, page.AsScript, page.AsMedia, page.AsOther)
}

func fontMissing(p *check.SitePass) error { return brokenFiles(p, page.AsFont) }

func brokenFiles(p *check.SitePass, roles ...page.Role) error {
	return loading(p, func(t int32) string {
		if g := p.Got(t); g != nil && slices.Contains(roles, p.Addresses[t].Role) {
			return missing(p, g)
		}
		return ""
	}, func(way) bool { return true })
}

func image(i *page.Image, note string, args ...any) check.Place {
	return check.Place{Note: fmt.Sprintf(note, args...), Value: i.Src, Target: i.Address, At: i.Place, Line: i.Line,
		Col: i.Col}
}

func altEmptyLink(p *check.PagePass) {
	for k := range p.Doc.Images {
		if i := &p.Doc.Images[k]; i.Alone && i.HasAlt && i.Alt == "" {
			p.Report(image(i, "a link holds only %s, whose alt text is empty", check.Short(i.Src)))
		}
	}
}

func altLong(p *check.PagePass) {
	for k := range p.Doc.Images {
		i := &p.Doc.Images[k]
		if n := utf8.RuneCountInString(i.Alt); n > p.Limits.AltCharacters {
			p.Report(image(i, "%d characters of alt text on %s: “%s”", n, check.Short(i.Src),
				text.Shorten(i.Alt, 90, 60, 25)))
		}
	}
}

var fileName = regexp.MustCompile(`(?i)^[^\s/]{1,120}\.(avif|bmp|gif|jpe?g|png|svg|tiff?|webp)$|^(img|dsc|dscn|dcim|pict|screenshot|image)[_-]?\d{2,}$`)

func altFileName(p *check.PagePass) {
	for k := range p.Doc.Images {
		i := &p.Doc.Images[k]
		if !strings.Contains(i.Alt, " ") && fileName.MatchString(i.Alt) || i.Alt != "" && i.Alt == path.Base(i.Src) {
			p.Report(image(i, "the alt text is “%s”", i.Alt))
		}
	}
}

func noSize(p *check.PagePass) {
	for k := range p.Doc.Images {
		if i := &p.Doc.Images[k]; !i.HasSize && i.Src != "" {
			p.Report(image(i, "neither width and height nor an aspect ratio on %s", check.Short(i.Src)))
		}
	}
}

func oldFormat(p *check.SitePass) error {
	return images(p, func(g *survey.Page) string {
		if g.Status != 200 {
			return ""
		}
		switch g.Type {
		case "image/bmp", "image/x-ms-bmp", "image/x-bmp", "image/tiff":
			return "it is " + g.Type
		case "image/png":
			if g.Bytes > p.Limits.ImageBytes && g.Flags&survey.Opaque != 0 {
				return fmt.Sprintf("a PNG file of %s bytes without transparency", text.Thousands(g.Bytes))
			}
		}
		return ""
	})
}

// favicon goes by the home page; one that only sends visitors on says nothing.
func favicon(p *check.SitePass) error {
	at := p.Home()
	return p.EachFacts(func(g *survey.Page) bool {
		return g.ID == at && g.HTML && g.Status == 200 && g.Flags&survey.HasRefresh == 0
	}, func(_ *survey.Page, facts *page.Facts) {
		if icon := facts.Document.Icon; icon != "" {
			if _, g, _ := p.Target(icon); g != nil && missing(p, g) != "" {
				p.Report(-1, check.Place{Note: "the home page declares " + icon + ": " + missing(p, g), Target: icon})
			}
			return
		}
		if p.Probes == nil || p.Probes.Favicon == nil {
			return
		}
		f := p.Probes.Favicon
		if f.Status == 200 && !isNoImage(f.Type) || f.Status == 0 || f.Status >= 500 {
			return
		}
		p.Report(-1, check.Place{Note: fmt.Sprintf("the home page declares none, and %s answers with status %d",
			f.Address, f.Status), Target: f.Address})
	})
}

var retired = regexp.MustCompile(`(?i)shockwave|x-java|silverlight|x-director|realplayer|\.swf\b|\.class\b|D27CDB6E|8AD9C840|vnd\.rn-real|x-mplayer2|\.jar\b`)

func plugin(p *check.PagePass) {
	for _, e := range p.Doc.Markup.Plugins {
		if e.Name == "applet" || retired.MatchString(e.Type) {
			p.Reportf(e.Pos, e.Name, "%s element for “%s”", e.Name, check.Short(e.Type))
		}
	}
}
