// Package rendering holds the checks of what a browser makes of pages: what depends on scripts, how soon pages stand,
// and how they fit a phone. They judge the pages that the plan has rendered, and no others.
package rendering

import (
	"harvik/internal/core/check"
	"harvik/internal/core/rendered"
)

const (
	group    = "rendering"
	guidance = "Search engines' public guidance on pages that scripts build"
	speed    = "W3C Largest Contentful Paint, Layout Instability, Long Tasks; public guidance on Web Vitals"
	lab      = " It is a value of the laboratory: one load, on this machine."
)

// Suite is the group's checks.
var Suite = []*check.Check{
	{
		ID: "render-failed", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "page cannot be rendered", Line: "Page cannot be rendered",
		What:   "A browser does not come to an end with the page: its scripts keep it busy, take all its memory, or lead it elsewhere.",
		Why:    "Search engines that render give up likewise, and visitors wait.",
		How:    "Open the page with the browser's own tools, and see what its scripts do while it loads.",
		Source: guidance, Rendering: failed,
	},
	{
		ID: "scripted-robots", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "scripts change what robots are told", Line: "Scripts change what search engines are told",
		What:   "The robots element says other things once scripts have run than it does in the source.",
		Why:    "Whether a page is shown depends on who runs scripts and when: a noindex in the source keeps it from being rendered at all, one that a script adds comes as a surprise.",
		How:    "Say in the source what holds, and let scripts leave it alone.",
		Source: guidance, Rendering: differs("robots"),
	},
	{
		ID: "scripted-canonical", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "scripts change the canonical address", Line: "Scripts change the canonical address",
		What:   "The canonical address is another one, or only there, once scripts have run.",
		Why:    "Two answers to one question: search engines may take either, or neither.",
		How:    "Write the one canonical address into the source.",
		Source: guidance + "; RFC 6596", Rendering: differs("canonical"),
	},
	{
		ID: "scripted-title", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "title stands there only after scripts", Line: "The title is right only once scripts have run",
		What:   "The title in the source is another one than after scripts have run, or is missing there.",
		Why:    "Services that run no scripts, among them most that show a shared address, have the wrong title; search engines have it until they render.",
		How:    "Let the server write the title into the source.",
		Source: guidance, Rendering: differs("title"),
	},
	{
		ID: "scripted-description", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Hours,
		Title: "description stands there only after scripts", Line: "The description is right only once scripts have run",
		What:   "The meta description in the source is another one than after scripts have run, or is missing there.",
		Why:    "Whoever runs no scripts shows none, or the wrong one.",
		How:    "Let the server write the description into the source.",
		Source: guidance, Rendering: differs("description"),
	},
	{
		ID: "scripted-text", Group: group, Severity: check.Warning, Factor: 2, Scope: check.WholeSite, Effort: check.Days,
		Title: "most of the text comes from scripts", Line: "Most of the text comes from scripts",
		What:   "The source has less than half of the main text that stands on the page once scripts have run.",
		Why:    "It is found late or not at all by those that render seldom, and by none of those that do not render.",
		How:    "Let the server send the text (rendering on the server, or ahead), and scripts add what is to be operated.",
		Source: guidance, Explains: []string{"scripted-headings"}, Rendering: scriptedText,
	},
	{
		ID: "scripted-headings", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Hours,
		Title: "main heading stands there only after scripts", Line: "The main heading is there only once scripts have run",
		What:   "The first-level heading is not in the source, or is another one there.",
		Why:    "What the page is about is told late, or to few.",
		How:    "Let the server write the heading into the source.",
		Source: guidance, Rendering: scriptedHeading,
	},
	{
		ID: "scripted-links", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "links stand there only after scripts", Line: "Links to pages are there only once scripts have run",
		What:   "Scripts make at least five links that the source does not have, or half of the page's.",
		Why:    "What they lead to is found late, and counts for less, where a search engine renders little.",
		How:    "Write the links into the source as a elements with an href.",
		Source: guidance, Rendering: scriptedLinks,
	},
	{
		ID: "paint-very-slow", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Days,
		Title: "page stands there very late", Line: "Pages stand there very late",
		What: "The largest thing in the first view is painted more than 4 seconds after the visit begins." + lab,
		Why:  "Many visitors have left by then.",
		How:  "See what is painted last, and bring it sooner: smaller, earlier in the source, not behind scripts and styles.", Source: speed,
		Rendering: paint(rendered.Poor),
	},
	{
		ID: "paint-slow", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Days,
		Title: "page stands there late", Line: "Pages stand there late",
		What: "The largest thing in the first view is painted between 2.5 and 4 seconds after the visit begins." + lab,
		Why:  "Visitors feel that they wait.",
		How:  "See what is painted last, and bring it sooner: smaller, earlier in the source, not behind scripts and styles.", Source: speed,
		Rendering: paint(rendered.Fair),
	},
	{
		ID: "layout-jumps", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Hours,
		Title: "page jumps while it loads", Line: "Pages jump while they load",
		What: "What is to be seen moves by more than 0.25 (cumulative layout shift) while the page loads." + lab,
		Why:  "People lose their place, and tap what they did not mean.",
		How:  "Give pictures, banners and frames their room before they are there.", Source: speed,
		Rendering: shift(rendered.Poor),
	},
	{
		ID: "layout-shifts", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "page moves while it loads", Line: "Pages move while they load",
		What: "What is to be seen moves by 0.1 to 0.25 (cumulative layout shift) while the page loads." + lab,
		Why:  "People lose their place.",
		How:  "Give pictures, banners and frames their room before they are there.", Source: speed,
		Rendering: shift(rendered.Fair),
	},
	{
		ID: "thread-stuck", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Days,
		Title: "scripts keep the page from answering long", Line: "Scripts keep pages from answering long",
		What: "Long tasks keep the page from answering for more than 600 milliseconds in all after it can be seen." + lab,
		Why:  "Who taps or types meanwhile thinks that the page is broken.",
		How:  "Load less script, later, and in smaller pieces; see which takes longest.", Source: speed,
		Rendering: blocked(rendered.Poor),
	},
	{
		ID: "thread-blocked", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Days,
		Title: "scripts keep the page from answering", Line: "Scripts keep pages from answering",
		What: "Long tasks keep the page from answering for 200 to 600 milliseconds in all after it can be seen." + lab,
		Why:  "Taps are answered late.",
		How:  "Load less script, later, and in smaller pieces; see which takes longest.", Source: speed,
		Rendering: blocked(rendered.Fair),
	},
	{
		ID: "script-holds", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.ByTarget, Effort: check.Hours,
		Title: "one script keeps the page from answering", Line: "The script {target} keeps pages from answering",
		What: "Of the time for which a page does not answer, one script takes more than 150 milliseconds." + lab,
		Why:  "One change to one file helps every page that loads it.",
		How:  "Load it later or not at all, or divide what it does.", Source: speed,
		Rendering: holds,
	},
	unused("script-unused", rendered.Script, "script", "functions that do not run",
		"Load it on the pages that need it, or divide it and load the parts when they are needed."),
	unused("style-unused", rendered.Style, "stylesheet", "rules that match nothing",
		"Load it on the pages that need it, or take out the rules that no page needs any more."),
	{
		ID: "tap-late", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Days,
		Title: "page answers a tap late", Line: "Pages answer a tap late",
		What:   "From a tap on what the plan names until what comes of it is painted, more than 200 milliseconds pass." + lab,
		Why:    "Who sees nothing happen taps again, or gives up.",
		How:    "Show first that the tap has been heard, and do the rest after the next paint, in pieces.",
		Source: "W3C Event Timing; public guidance on Web Vitals", Rendering: tapped,
	},
	{
		ID: "image-oversized", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "image is far larger than it is shown", Line: "Image {target} is far larger than it is shown",
		What: "The file is more than twice as wide and high as the room in which it is shown, and 20 kB could be spared.",
		Why:  "Visitors wait, and pay, for pixels that nobody sees.",
		How:  "Offer it in the sizes in which it is shown (srcset), or save a smaller file.", Source: "HTML standard, 4.8.4 (images)",
		Rendering: oversized,
	},
	{
		ID: "page-sideways", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "phone has to be scrolled sideways", Line: "Pages have to be scrolled sideways on a phone",
		What: "The page is wider than the screen of a phone.",
		Why:  "Reading takes two hands; much of the page is missed.",
		How:  "Let the element that is too wide take no more than the width there is (max-width: 100%), or scroll by itself.", Source: "WCAG 2.2, 1.4.10 (reflow)",
		Rendering: sideways,
	},
	{
		ID: "tap-small", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Hours,
		Title: "things to tap are small or close together", Line: "Things to tap are too small or too close together",
		What: "On a phone, buttons or links are smaller than 24 by 24 pixels and stand closer to others than that.",
		Why:  "People hit the wrong one.",
		How:  "Give them padding, or distance.", Source: "WCAG 2.2, 2.5.8 (target size)",
		Rendering: taps,
	},
	{
		ID: "text-small", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "text is too small on a phone", Line: "Text is too small on a phone",
		What: "On a phone, more than a third of the letters are smaller than 12 pixels.",
		Why:  "They cannot be read without zooming.",
		How:  "Set text of 16 pixels, and no less than 12 where little room is.", Source: "Public guidance on pages for phones",
		Rendering: smallText,
	},
	{
		ID: "phone-hides", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "phone does not show what a desktop does", Line: "A phone does not show text that a desktop does",
		What:   "At least 40 words, and a fifth of the text, that stand on the page on a desktop are not to be seen on a phone.",
		Why:    "Search engines read pages as a phone has them; and who comes by phone misses it.",
		How:    "Show the same text on both, folded where room is short.",
		Source: "Search engines' public guidance on pages for phones", Rendering: hides,
	},
	{
		ID: "view-covered", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "something covers the page on a phone", Line: "Something covers most of the first view on a phone",
		What: "An element that stays in its place covers at least half of what a phone shows first.",
		Why:  "Visitors came for the page; search engines count such covers against it.",
		How:  "Let it take a strip at the edge, or come later. Consent that the law asks for may cover less, too.", Source: "Search engines' public guidance on interstitials",
		Rendering: covered,
	},
	{
		ID: "console-errors", Group: group, Severity: check.Notice, Scope: check.WholeSite, Gather: check.ByValue, OneChange: true,
		Effort: check.Hours,
		Title:  "scripts end with errors", Line: "Scripts end with an error: {value}",
		What:   "While the page loads, a script throws what nothing catches, or the browser's console has an error.",
		Why:    "What was to follow does not: a menu that does not open, a form that does not send.",
		How:    "Open the page with the browser's own tools; they name file and line.",
		Source: "", Rendering: console,
	},
	{
		ID: "mixed-seen", Group: group, Severity: check.Warning, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "browser refuses what comes over http", Line: "The browser refuses what comes over http: {target}",
		What:   "The page is served over https and loads something over http, which the browser blocks or complains of.",
		Why:    "It is missing from the page.",
		How:    "Load it over https.",
		Source: "W3C Mixed Content", Rendering: mixed,
	},
}

// devices are what a browser made of one page on each.
type devices = []rendered.Page

// on is that of one device, nil where there is nothing to read.
func on(o devices, device string) *rendered.Page {
	for i := range o {
		if o[i].Device == device && o[i].Found() {
			return &o[i]
		}
	}
	return nil
}

// first is that of the first device that has something to read.
func first(o devices) *rendered.Page {
	for i := range o {
		if o[i].Found() {
			return &o[i]
		}
	}
	return nil
}
