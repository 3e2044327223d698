// Package safety holds the checks of transport security and of what a site gives away.
package safety

import (
	"fmt"
	"regexp"
	"strings"

	"golang.org/x/net/publicsuffix"

	"harvik/internal/core/check"
	"harvik/internal/core/page"
	"harvik/internal/core/survey"
	"harvik/internal/core/text"
)

const (
	group       = "safety"
	httpsSource = "RFC 9110, 4.2.2 (https); search engines' public guidance on https"
	mixedSource = "Mixed Content (W3C)"
)

// Suite is the group's checks.
var Suite = []*check.Check{
	{
		ID: "https-missing", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Hours,
		Title: "page is served over http", Line: "Page is served over http",
		What: "Pages were fetched over http and did not redirect to https. Where that is the whole site it is said once.",
		Why:  "Everything on it can be read and changed on the way, browsers warn of it, and search engines prefer https.",
		How:  "Get a certificate, and redirect every http address to its https form.", Source: httpsSource,
		Site: httpsMissing,
	},
	{
		ID: "https-private", Group: group, Severity: check.Notice, Free: true, Scope: check.WholeSite,
		Effort: check.Hours,
		Title:  "private host is served over http", Line: "The site is served over http, as a private host may be",
		What: "The site stands on this machine or in a private network, and its pages are served over http. That costs nothing here.",
		Why:  "Once it is public, everything on it could be read and changed on the way.",
		How:  "See to https before the site goes public.", Source: httpsSource, Site: httpsPrivate,
	},
	{
		ID: "https-not-forced", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Hours,
		Title: "http is not redirected to https",
		Line:  "The home page answers over http instead of redirecting to https",
		What:  "The site has https, and its http address answers with a page instead of redirecting there.",
		Why:   "Whoever types the name, or follows an old link, stays unprotected.",
		How:   "Redirect every http address to its https form, permanently.", Source: httpsSource, Site: notForced,
	},
	{
		ID: "certificate-bad", Group: group, Severity: check.Error, Scope: check.WholeSite, Effort: check.Hours,
		Title: "certificate does not hold", Line: "The site's certificate does not hold",
		What:   "The TLS handshake failed, or the certificate is expired, made out to another host, of an unknown issuer, or weak.",
		Why:    "Browsers show a full-page warning instead of the site.",
		How:    "Renew the certificate for all host names of the site, with a key of at least 2,048 bits (RSA) or 256 (elliptic curves), and send the whole chain.",
		Source: "RFC 5280 and RFC 9525 (certificates and their names)", Site: certificateBad,
	},
	{
		ID: "certificate-expiring", Group: group, Severity: check.Warning, Scope: check.WholeSite,
		Effort: check.Minutes,
		Title:  "certificate ends soon", Line: "The site's certificate ends soon",
		What:   "The certificate is valid for fewer days than the threshold.",
		Why:    "On the day after, browsers show a warning instead of the site.",
		How:    "Renew it, and see why that did not happen by itself.",
		Source: "RFC 5280, 4.1.2.5 (validity)", Limits: []string{"certificate-days"}, Site: expiring,
	},
	{
		ID: "tls-old", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Hours,
		Title: "outdated version of TLS", Line: "The site accepts an outdated version of TLS",
		What:   "The host speaks or still accepts a version of TLS below 1.2.",
		Why:    "These versions have known faults and were withdrawn.",
		How:    "Allow TLS 1.2 and 1.3 only.",
		Source: "RFC 8996 (deprecating TLS 1.0 and 1.1)", Site: tlsOld,
	},
	{
		ID: "http-old", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Hours,
		Title: "pages come by HTTP/1.1", Line: "The site's pages come by HTTP/1.1 only",
		What:   "The home page was asked for over https by a client that speaks HTTP/2, and came by HTTP/1.",
		Why:    "The files of a page wait for one another, above all on slow lines.",
		How:    "Switch HTTP/2 on in the web server or in front of it; most have it on by default.",
		Source: "RFC 9113 (HTTP/2)", Site: httpOld,
	},
	mixed("mixed-active", check.Error, "https page loads scripts or frames over http",
		"Scripts, styles or frames come over http",
		"Browsers refuse to load them, so the page does not work.", page.AsScript, page.AsStyle, page.AsFont,
		page.AsOther),
	mixed("mixed-passive", check.Warning, "https page loads images or media over http",
		"Images or media come over http",
		"Browsers load them over https instead or not at all, and may show the page as not secure.", page.AsImage,
		page.AsMedia),
	{
		ID: "form-insecure", Group: group, Severity: check.Error, Scope: check.Documents, Effort: check.Hours,
		Title: "form is sent over http", Line: "A form is sent over http",
		What: "A form goes to an http address, or asks for a password on a page that was served over http.",
		Why:  "What people fill in can be read on the way, and browsers warn them of it.",
		How:  "Send it to an https address, from a page served over https.", Source: httpsSource + "; " + mixedSource,
		Page: formInsecure,
	},
	{
		ID: "hsts-missing", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "no Strict-Transport-Security", Line: "The home page sends no Strict-Transport-Security header",
		What:   "The home page is served over https without the header that tells browsers to use nothing else.",
		Why:    "The first request of each visit may still go over http, where it can be diverted.",
		How:    "Send Strict-Transport-Security: max-age=31536000 once all of the site works over https.",
		Source: "RFC 6797 (HTTP Strict Transport Security)", Site: hsts,
	},
	{
		ID: "headers-missing", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Hours,
		Title: "protective headers are missing", Line: "The home page lacks protective headers",
		What:   "One or more of X-Content-Type-Options, Content-Security-Policy, Referrer-Policy and a protection against framing are not sent with the home page.",
		Why:    "Each closes a door that browsers leave open unless told.",
		How:    "Add the headers that the evidence names in the server's configuration.",
		Source: "Fetch standard, 3.7; Content Security Policy Level 3; Referrer Policy (W3C)", Site: headersMissing,
	},
	{
		ID: "server-signature", Group: group, Severity: check.Notice, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "server tells its version", Line: "The server tells its version",
		What:   "The Server or X-Powered-By header of the home page has a version number.",
		Why:    "It tells attackers which known faults to try.",
		How:    "Switch the version off in the server's configuration.",
		Source: "RFC 9110, 10.2.4 (Server)", Site: signature,
	},
	{
		ID: "folder-listing", Group: group, Severity: check.Warning, Scope: check.WholeSite, Effort: check.Minutes,
		Title: "folder lists its files", Line: "Folder lists its files",
		What:   "The address of a folder answers with the list of files in it that the server makes by itself.",
		Why:    "Anybody can see files that were not meant for visitors, and search engines show the list.",
		How:    "Switch the listing off in the server, or put an index page there.",
		Source: "RFC 9110, 17.3 (disclosure of file names)", Site: listing,
	},
	{
		ID: "cookie-open", OneChange: true, Group: group, Severity: check.Notice, Scope: check.Documents,
		Gather: check.ByValue, Effort: check.Minutes,
		Title: "cookie without protection", Line: "The cookie {value} lacks protection",
		What:   "A page sets a cookie without SameSite, without Secure on an https page, or, where its name is that of a session, without HttpOnly.",
		Why:    "Other sites can make the browser send it, somebody on the way can read it, or a script that got into the page can.",
		How:    "Set Secure; HttpOnly; SameSite=Lax, unless a script of the site has to read the cookie.",
		Source: "RFC 6265bis, 5.7 (attributes of cookies)", Page: cookies,
	},
	{
		ID: "files-open", Group: group, Severity: check.Error, Scope: check.WholeSite, Gather: check.ByTarget,
		Effort: check.Minutes,
		Title:  "file that nobody should see can be fetched", Line: "{target} can be fetched by anybody",
		What:   "The crawl asked once for a few files that slip onto servers, the folder of a version control system and a file of settings, and was given one.",
		Why:    "They hold source code, passwords or keys, and are looked for within hours of going online.",
		How:    "Take the file off the server or refuse its address, and change every password and key that was in it.",
		Source: "RFC 9110, 17.3 (disclosure of file names)", Site: filesOpen,
	},
	{
		ID: "script-no-integrity", Group: group, Severity: check.Notice, Scope: check.Documents, Effort: check.Hours,
		Title: "script of another host without integrity", Line: "Scripts of other hosts without integrity",
		What:   "A script from another host is loaded without an integrity attribute.",
		Why:    "Whoever changes the file there changes this page.",
		How:    "Add the integrity attribute if the file never changes, or serve it from the site itself.",
		Source: "Subresource Integrity (W3C)", Page: noIntegrity,
	},
}

func httpsMissing(p *check.SitePass) error {
	open := plain(p)
	switch home := p.URL(p.Home()); {
	case len(open) == 0 || check.IsPrivate(home) != "":
	case strings.HasPrefix(home, "http:"):
		p.Report(-1, check.Place{Note: text.Count(len(open), "page is", "pages are") +
			" served over http, the home page among them", Target: home, Of: len(open)})
	default:
		for _, g := range open {
			p.Report(g.ID, check.Place{Note: "served over http, although the home page has https"})
		}
	}
	return nil
}

func httpsPrivate(p *check.SitePass) error {
	home := p.URL(p.Home())
	if open := plain(p); len(open) > 0 && check.IsPrivate(home) != "" && strings.HasPrefix(home, "http:") {
		p.Report(-1, check.Place{Note: text.Count(len(open), "page is", "pages are") +
			" served over http; the host is " + check.IsPrivate(home), Target: home, Of: len(open)})
	}
	return nil
}

// plain are the pages that were served over http.
func plain(p *check.SitePass) (out []*survey.Page) {
	for i := range p.Pages {
		if g := &p.Pages[i]; g.HTML && g.Status == 200 && strings.HasPrefix(p.URL(g.ID), "http:") {
			out = append(out, g)
		}
	}
	return out
}

func notForced(p *check.SitePass) error {
	if p.Probes == nil {
		return nil
	}
	secure, open := false, ""
	for _, d := range p.Probes.Doors {
		secure = secure || strings.HasPrefix(d.Address, "https:") && d.Status == 200
		if strings.HasPrefix(d.Address, "http:") && d.Status == 200 &&
			(len(d.Hops) == 0 || strings.HasPrefix(d.Hops[len(d.Hops)-1], "http:")) && open == "" {
			open = d.Address
		}
	}
	if secure && open != "" {
		p.Report(-1, check.Place{Note: open + " answers with status 200 over http", Target: open})
	}
	return nil
}

func certificateBad(p *check.SitePass) error {
	seen := map[string]bool{}
	for i := range p.Pages {
		g := &p.Pages[i]
		if host := survey.Host(p.URL(g.ID)); g.Outcome == page.TLSFailed && !seen[host] {
			seen[host] = true
			err := p.Source.EachFacts([]int32{g.ID}, func(_ int32, f *page.Facts) {
				p.Report(-1, check.Place{Note: host + ": " + f.Detail, Value: host})
			})
			if err != nil {
				return err
			}
		}
	}
	for _, r := range p.Robots {
		if host := survey.Host(r.Address); r.Outcome == page.TLSFailed && !seen[host] {
			p.Report(-1, check.Place{Note: host + ": " + r.Detail, Value: host})
		}
	}
	if p.Probes != nil && p.Probes.Certificate != nil && p.Probes.Certificate.Weak != "" {
		p.Report(-1, check.Place{Note: p.Probes.Certificate.Weak, Value: p.Probes.Certificate.Issuer})
	}
	return nil
}

func expiring(p *check.SitePass) error {
	if p.Probes == nil || p.Probes.Certificate == nil {
		return nil
	}
	if c := p.Probes.Certificate; c.Days >= 0 && c.Days < p.Limits.CertificateDays {
		p.Report(-1, check.Place{Note: fmt.Sprintf("valid until %s: %d days", c.Until[:min(10, len(c.Until))], c.Days),
			Value: c.Until})
	}
	return nil
}

func httpOld(p *check.SitePass) error {
	at := p.Home()
	return p.EachFacts(func(g *survey.Page) bool { return g.ID == at && g.Status == 200 },
		func(g *survey.Page, f *page.Facts) {
			if strings.HasPrefix(f.Protocol, "HTTP/1") && strings.HasPrefix(f.Address, "https:") {
				p.Report(-1, check.Place{Note: f.Address + " came by " + f.Protocol, Value: f.Protocol})
			}
		})
}

func tlsOld(p *check.SitePass) error {
	if p.Probes == nil || p.Probes.Certificate == nil {
		return nil
	}
	if c := p.Probes.Certificate; c.Old != "" {
		p.Report(-1, check.Place{Note: "it accepts " + c.Old, Value: c.Old})
	}
	return nil
}

// mixed makes a check of what an https page loads over http.
func mixed(id string, severity check.Severity, title, line, why string, roles ...page.Role) *check.Check {
	return &check.Check{
		ID: id, Group: group, Severity: severity, Scope: check.Documents, Effort: check.Minutes, Title: title,
		Line: line,
		What: "A page served over https loads something over http.", Why: why,
		How: "Write https in the address, or serve the file from the site itself.", Source: mixedSource,
		Page: func(p *check.PagePass) {
			if !strings.HasPrefix(p.Facts.Address, "https:") {
				return
			}
			for _, u := range p.Doc.Uses {
				if !strings.HasPrefix(u.Address, "http:") || u.By == page.ByCard || u.By == page.ByData ||
					u.By == page.ByIcon {
					continue
				}
				for _, r := range roles {
					if u.Role == r {
						p.Report(check.Place{Note: fmt.Sprintf("%s %s", r, check.Short(u.Address)), Value: u.By,
							Target: u.Address})
					}
				}
			}
			if severity == check.Error {
				for _, f := range p.Doc.Frames {
					if strings.HasPrefix(f, "http:") {
						p.Report(check.Place{Note: "frame " + check.Short(f), Value: "iframe", Target: f})
					}
				}
			}
		},
	}
}

func formInsecure(p *check.PagePass) {
	plain := strings.HasPrefix(p.Facts.Address, "http:")
	for _, f := range p.Doc.Forms {
		switch {
		case f.Password && plain:
			p.Report(check.Place{Note: "it asks for a password on a page served over http", Target: f.Action,
				At: f.Place})
		case strings.HasPrefix(f.Action, "http:") && !plain:
			p.Report(check.Place{Note: "it is sent to " + check.Short(f.Action), Target: f.Action, At: f.Place})
		}
	}
}

// homePage calls f with the facts of the home page, redirects followed, if it was served over
// https.
func homePage(p *check.SitePass, secureOnly bool, f func(*page.Facts)) error {
	at := p.Home()
	if secureOnly && !strings.HasPrefix(p.URL(at), "https:") {
		return nil
	}
	return p.EachFacts(func(g *survey.Page) bool { return g.ID == at && g.HTML && g.Status == 200 },
		func(_ *survey.Page, facts *page.Facts) { f(facts) })
}

func hsts(p *check.SitePass) error {
	return homePage(p, true, func(f *page.Facts) {
		if f.HeaderValue("Strict-Transport-Security") == "" {
			p.Report(-1, check.Place{Note: "no such header on " + f.Address, Target: f.Address})
		}
	})
}

func headersMissing(p *check.SitePass) error {
	return homePage(p, false, func(f *page.Facts) {
		policy := strings.ToLower(f.HeaderValue("Content-Security-Policy"))
		var missing []string
		if f.HeaderValue("X-Content-Type-Options") == "" {
			missing = append(missing, "X-Content-Type-Options")
		}
		if policy == "" {
			missing = append(missing, "Content-Security-Policy")
		}
		if f.HeaderValue("Referrer-Policy") == "" {
			missing = append(missing, "Referrer-Policy")
		}
		if f.HeaderValue("X-Frame-Options") == "" && !strings.Contains(policy, "frame-ancestors") {
			missing = append(missing, "X-Frame-Options or frame-ancestors")
		}
		if len(missing) > 0 {
			p.Report(-1, check.Place{Note: "absent: " + strings.Join(missing, ", "), Value: strings.Join(missing, ", "),
				Target: f.Address})
		}
	})
}

var version = regexp.MustCompile(`\d+\.\d+|/\d+`)

func signature(p *check.SitePass) error {
	return homePage(p, false, func(f *page.Facts) {
		for _, name := range []string{"Server", "X-Powered-By", "X-AspNet-Version", "X-AspNetMvc-Version"} {
			if v := f.HeaderValue(name); version.MatchString(v) {
				p.Report(-1, check.Place{Note: name + ": " + check.Short(v), Value: v})
			}
		}
	})
}

// listing knows the lists that common servers make by their title or heading.
func listing(p *check.SitePass) error {
	for i := range p.Pages {
		g := &p.Pages[i]
		address, _, _ := strings.Cut(p.URL(g.ID), "?")
		if g.Status != 200 || !g.HTML || !strings.HasSuffix(address, "/") {
			continue
		}
		for _, said := range []string{g.Title.Text, g.H1.Text} {
			if strings.HasPrefix(said, "Index of /") || strings.HasPrefix(said, "Directory listing for /") ||
				strings.HasPrefix(said, "Directory Listing For") {
				p.Report(g.ID, check.Place{Note: "“" + check.Short(said) + "”", Value: said})
				break
			}
		}
	}
	return nil
}

func noIntegrity(p *check.PagePass) {
	here := owner(p.Facts.Address)
	for _, s := range p.Doc.Scripts {
		host := survey.Host(s.Address)
		if !s.Integrity && host != "" && owner(s.Address) != here {
			p.Report(check.Place{Note: check.Short(s.Address), Value: host, Target: s.Address})
		}
	}
}

func cookies(p *check.PagePass) {
	secure := strings.HasPrefix(p.Facts.Address, "https:")
	for _, f := range p.Facts.Header {
		if !strings.EqualFold(f.Name, "Set-Cookie") {
			continue
		}
		said := strings.ToLower(f.Value)
		name, attributes, _ := strings.Cut(said, ";")
		var lacks []string
		if secure && !strings.Contains(attributes, "secure") {
			lacks = append(lacks, "Secure")
		}
		if session.MatchString(name) && !strings.Contains(attributes, "httponly") {
			lacks = append(lacks, "HttpOnly")
		}
		if !strings.Contains(attributes, "samesite") {
			lacks = append(lacks, "SameSite")
		}
		if len(lacks) > 0 {
			written, _, _ := strings.Cut(f.Value, ";")
			p.Report(check.Place{Note: "the cookie " + check.Short(written) + " is set without " +
				strings.Join(lacks, ", "), Value: written})
		}
	}
}

// session are names of cookies that say who somebody is.
var session = regexp.MustCompile(`(?i)sess|sid$|auth|token|login|^jwt`)

func filesOpen(p *check.SitePass) error {
	if p.Probes == nil {
		return nil
	}
	for _, one := range p.Probes.Open {
		note := fmt.Sprintf("%s answers with status %d and %s", one.Address, one.Status, one.Type)
		p.Report(-1, check.Place{Note: note, Target: one.Address})
	}
	return nil
}

// owner is the name under which somebody registered the host of an address, by the list of public
// suffixes; the host itself where there is none.
func owner(address string) string {
	host := survey.Host(address)
	if i := strings.LastIndexByte(host, ':'); i > strings.LastIndexByte(host, ']') {
		host = host[:i]
	}
	if name, err := publicsuffix.EffectiveTLDPlusOne(host); err == nil {
		return name
	}
	return host
}
