package page

import (
	"slices"
	"strings"

	"golang.org/x/net/html/atom"

	"harvik/internal/core/css"
	"harvik/internal/core/dom"
	"harvik/internal/core/weburl"
)

// Role is what an address is to the site: a page, or what kind of thing pages load.
type Role uint8

const (
	AsPage Role = iota
	AsImage
	AsStyle
	AsScript
	AsFont
	AsMedia
	AsOther // manifests, tracks, plug-in content
	AsLink  // an outbound link that is checked for being alive
	AsForm  // where a form of the site leads, likewise
)

var roleNames = [...]string{"page", "image", "stylesheet", "script", "font", "media", "other", "outbound", "form"}

func (r Role) String() string { return roleNames[r] }

// OnlyAlive tells what is fetched only to see whether it is there.
func (r Role) OnlyAlive() bool { return r == AsLink || r == AsForm }

// RoleNames are all roles, in order of their numbers.
func RoleNames() []string { return roleNames[:] }

// RoleOf is the role of a name.
func RoleOf(name string) (Role, bool) {
	i := slices.Index(roleNames[:], name)
	return Role(max(0, i)), i >= 0
}

// A Use is one resource that a page or stylesheet loads.
type Use struct {
	Role    Role
	Address string // resolved, without fragment
	By      string // element or attribute that names it: "img", "srcset", "style"
	// Of a stylesheet only: the line, from 1, and the selectors of the rules that name it (see css.Reference).
	Line  int
	Rules string
	Under string
}

// What no browser loads to show the page.
const (
	ByCard = "card" // the picture of its card
	ByData = "data" // a picture in its structured data
	ByIcon = "icon" // the sign that stands for it elsewhere
	ByRule = "rule" // a style element has a rule for it that no element of the page matches
)

// ByMedia names a stylesheet that holds on some screens only, or when somebody chooses it.
const ByMedia = "link for some media"

// Shown tells what a browser loads to show the page.
func (u *Use) Shown() bool {
	return u.By != ByCard && u.By != ByData && u.By != ByIcon && u.By != ByRule
}

// Stylesheet reads what a stylesheet loads: imports, fonts and images, each with its line and its rules.
func Stylesheet(address *weburl.URL, sheet []byte) []Use {
	return resolveUses(usesOf(css.Sheet(string(sheet)), "css"), address, func(s string) string { return s })
}

var roleOfKind = [...]Role{css.Import: AsStyle, css.Font: AsFont, css.Image: AsImage}

func usesOf(refs []css.Reference, by string) []Use {
	uses := make([]Use, len(refs))
	for i, r := range refs {
		uses[i] = Use{Role: roleOfKind[r.Kind], Address: r.Address, By: by, Line: r.Line, Rules: r.Rules,
			Under: r.Under}
	}
	return uses
}

// maxUses bounds the resources of one page; a hostile one can name any number.
const maxUses = 5000

// use notes a reference to a resource. It is resolved at the end, when the base is known.
func (w *walker) use(role Role, href, by string) {
	w.used(Use{Role: role, Address: href, By: by})
}

func (w *walker) used(u Use) {
	u.Address = strings.TrimSpace(u.Address)
	if u.Address == "" || strings.HasPrefix(u.Address, "data:") || strings.HasPrefix(u.Address, "#") ||
		len(w.doc.Uses) >= maxUses {
		return
	}
	u.Address, u.Line = cut(u.Address, maxHref), 0
	w.doc.Uses = append(w.doc.Uses, u)
}

// rules tells the images of style elements that no element of the page shows.
func (w *walker) rules() {
	outline := w.outline.Outline()
	for i := range w.doc.Uses {
		u := &w.doc.Uses[i]
		if u.Role == AsImage && u.By == "style" && u.Rules+u.Under != "" &&
			outline.Applies(u.Rules, u.Under) == css.No {
			u.By = ByRule
		}
		u.Rules, u.Under = "", ""
	}
}

// loads notes what an element makes the browser load.
func (w *walker) loads(n *dom.Node, a atom.Atom) {
	if style, ok := w.findAttr(n, "style"); ok {
		if strings.Contains(style, "url(") {
			for _, r := range css.Declarations(style) {
				w.use(roleOfKind[r.Kind], r.Address, "style")
			}
		}
	}
	switch a {
	case atom.Img:
		w.use(AsImage, w.attr(n, "src"), "img")
		w.srcset(n)
	case atom.Source:
		w.srcset(n)
		if w.tree.Nodes[n.Parent].Name != atom.Picture {
			w.use(AsMedia, w.attr(n, "src"), "source")
		}
	case atom.Input:
		if strings.EqualFold(w.attr(n, "type"), "image") {
			w.use(AsImage, w.attr(n, "src"), "input")
		}
	case atom.Video, atom.Audio:
		w.use(AsMedia, w.attr(n, "src"), a.String())
		w.use(AsImage, w.attr(n, "poster"), "poster")
	case atom.Track:
		w.use(AsOther, w.attr(n, "src"), "track")
	case atom.Embed:
		w.use(AsOther, w.attr(n, "src"), "embed")
	case atom.Object:
		w.use(AsOther, w.attr(n, "data"), "object")
	case atom.Script:
		if classic, module := w.scriptKind(n); classic || module {
			w.use(AsScript, w.attr(n, "src"), "script")
		}
	case atom.Style:
		for _, u := range usesOf(css.Sheet(w.tree.Content(n)), "style") {
			w.used(u)
		}
	case atom.Link:
		w.linkLoads(n)
	}
}

func (w *walker) srcset(n *dom.Node) {
	for _, src := range candidates(w.attr(n, "srcset")) {
		w.use(AsImage, src, "srcset")
	}
}

// candidates are the addresses of a srcset attribute (HTML standard, "parse a srcset
// attribute").
func candidates(set string) (out []string) {
	for set = strings.TrimLeft(set, " \t\n\r\f,"); set != "" &&
		len(out) < maxUses; set = strings.TrimLeft(set, " \t\n\r\f,") {
		end := strings.IndexAny(set, " \t\n\r\f")
		if end < 0 {
			end = len(set)
		}
		address, rest := set[:end], set[end:]
		if trimmed := strings.TrimRight(address, ","); trimmed != address {
			address = trimmed // no descriptor follows
		} else {
			rest = afterDescriptors(rest)
		}
		out = append(out, address)
		set = rest
	}
	return out
}

// afterDescriptors skips "2x" or "300w", up to the comma that is not in parentheses.
func afterDescriptors(s string) string {
	depth := 0
	for i := range len(s) {
		switch s[i] {
		case '(':
			depth++
		case ')':
			depth--
		case ',':
			if depth <= 0 {
				return s[i+1:]
			}
		}
	}
	return ""
}

// loadedAs are the roles of preloads, by their "as" attribute.
var loadedAs = map[string]Role{
	"image": AsImage, "style": AsStyle, "script": AsScript, "font": AsFont, "video": AsMedia, "audio": AsMedia,
	"track": AsOther, "fetch": AsOther,
}

func (w *walker) linkLoads(n *dom.Node) {
	rel, href := w.attr(n, "rel"), w.attr(n, "href")
	switch {
	case hasToken(rel, "stylesheet"):
		by := "link"
		if hasToken(rel, "alternate") || !css.ForScreens(w.attr(n, "media")) {
			by = ByMedia
		}
		w.use(AsStyle, href, by)
	case hasToken(rel, "icon"), hasToken(rel, "apple-touch-icon"), hasToken(rel, "mask-icon"):
		if hasToken(rel, "icon") && w.doc.Icon == "" {
			w.doc.Icon = cut(href, maxHref)
		}
		w.use(AsImage, href, ByIcon)
	case hasToken(rel, "modulepreload"):
		w.use(AsScript, href, "link")
	case hasToken(rel, "preload"):
		if role, ok := loadedAs[strings.ToLower(w.attr(n, "as"))]; ok {
			w.use(role, href, "preload")
		}
	case hasToken(rel, "manifest"):
		w.use(AsOther, href, "manifest")
	}
}

// resolveUses turns references into addresses, each of a role once; one that shows something stands for those
// that do not, and the rules of a stylesheet for the same address are one list.
func resolveUses(uses []Use, base *weburl.URL, encode func(string) string) []Use {
	type key struct {
		role    Role
		address string
	}
	seen := map[key]int{}
	out := uses[:0]
	for _, u := range uses {
		u.Address = resolve(base, encode(u.Address))
		if u.Address == "" {
			continue
		}
		k := key{u.Role, u.Address}
		at, met := seen[k]
		if !met {
			seen[k] = len(out)
			out = append(out, u)
			continue
		}
		known := &out[at]
		if !known.Shown() && u.Shown() || known.By == ByMedia && u.By == "link" {
			known.By = u.By
		}
		known.also(u.Rules, u.Under)
	}
	return out
}

// longestRules bounds the selectors that are kept for one address; with more of them it may be for any element.
const longestRules = 4000

// also takes in the rules of another reference to the same address.
func (u *Use) also(rules, under string) {
	if rules != "" && rules != u.Rules {
		u.Rules = strings.TrimPrefix(u.Rules+", "+rules, ", ")
	}
	if under != "" && under != u.Under {
		u.Under = strings.TrimPrefix(u.Under+", "+under, ", ")
	}
	if len(u.Rules)+len(u.Under) > longestRules {
		u.Rules, u.Under = "", css.Anything
	}
}
