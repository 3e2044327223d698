package demo

import (
	"crypto/tls"
	"fmt"
	"net/http"
	"slices"
	"strings"
)

// A Mood is a defect of the whole site, too large to stand beside others: each is a Fernhollow of
// its own.
type Mood struct {
	Name    string
	Checks  []string // what a crawl of a few pages has to find about the site, and nothing else
	Hosts   []string // further hosts that the plan's scope has
	Days    int      // of the certificate; 300 if zero
	Oldest  uint16   // version of TLS; 1.2 if zero
	Slow    bool     // the server speaks HTTP/1.1 alone
	Abroad  bool     // outbound links are checked, and no name resolves but the site's
	Start   string   // where the crawl begins, behind the home address
	Unknown bool     // the plan does not know the certificate's authority
	set     func(*Site)
}

// Moody builds the spring edition in a mood.
func Moody(m Mood) *Site {
	s := New(Spring)
	if m.set != nil {
		m.set(s)
	}
	return s
}

// Protocols are what the server speaks in this mood.
func (m *Mood) Protocols() []string {
	if m.Slow {
		return nil
	}
	return Protocols
}

func answering(path string, answer http.HandlerFunc) func(*Site) {
	return func(s *Site) {
		s.answers = func(w http.ResponseWriter, r *http.Request) bool {
			if r.TLS == nil || r.URL.Path != path {
				return false
			}
			answer(w, r)
			return true
		}
	}
}

func text(body string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/plain; charset=utf-8")
		fmt.Fprint(w, body)
	}
}

// Moods are all there are.
var Moods = []Mood{
	{Name: "no robots.txt", Checks: []string{"robots-missing"}, set: answering("/robots.txt", http.NotFound)},
	{Name: "a robots.txt that fails", Checks: []string{"robots-unreachable"},
		set: answering("/robots.txt", func(w http.ResponseWriter, _ *http.Request) {
			http.Error(w, "away", http.StatusServiceUnavailable)
		})},
	{Name: "a robots.txt with slips", Checks: []string{"robots-invalid", "robots-no-sitemap"},
		set: answering("/robots.txt", text("User-agent: *\nDisalow: /preview/\n"))},
	{Name: "no sitemap", Checks: []string{"robots-no-sitemap", "sitemap-missing"}, set: func(s *Site) {
		s.answers = func(w http.ResponseWriter, r *http.Request) bool {
			switch r.URL.Path {
			case "/robots.txt":
				text("User-agent: *\nDisallow: /preview/\n")(w, r)
			case "/sitemap.xml":
				http.NotFound(w, r)
			default:
				return false
			}
			return true
		}
	}},
	{Name: "open doors", Checks: []string{"https-not-forced", "variant-hosts-open"},
		set: func(s *Site) { s.Page("/").Plain = true; numbersRedirect(s) }},
	{Name: "no protection", Checks: []string{"headers-missing", "hsts-missing", "server-signature"},
		set: func(s *Site) {
			s.bare = true
			s.Page("/").Header = map[string]string{"Server": "fernd/2.4.1"}
		}},
	{Name: "cut off from the world", Checks: []string{"outside-unresolved"}, Abroad: true, set: func(s *Site) {
		s.Page("/").RawMain = append(s.Page("/").RawMain,
			`<p>With thanks to <a href="https://mossbank.invalid/">our neighbours at Mossbank</a>.</p>`)
	}},
	{Name: "kept out of search", Checks: []string{"index-closed"}, set: func(s *Site) {
		for _, p := range s.Pages {
			p.NoIndex = true
		}
	}},
	{Name: "settings in the open", Checks: []string{"files-open"}, set: answering("/.env", text("PASSWORD=fern\n"))},
	{Name: "a garden below the root", Checks: []string{"root-refused"}, Start: "visit/",
		set: answering("/", http.NotFound)},
	{Name: "languages apart", Checks: []string{"hreflang-missing"}, Start: "de/", set: func(s *Site) {
		for _, p := range s.Pages {
			isAlternate := func(raw string) bool { return strings.Contains(raw, `rel="alternate"`) }
			if p.RawHead = slices.DeleteFunc(p.RawHead, isAlternate); isAlternate(p.Header["Link"]) {
				delete(p.Header, "Link")
			}
		}
	}},
	{Name: "no icon", Checks: []string{"favicon-missing"}, set: func(s *Site) {
		s.Page("/").Markup = func(html string) string {
			return strings.Replace(html, `<link rel="icon" href="/pictures/icon.png">`, "", 1)
		}
	}},
	{Name: "known by its number", Checks: []string{"variant-ip-open"}, set: func(s *Site) {
		s.answers = func(w http.ResponseWriter, r *http.Request) bool {
			if strings.HasPrefix(r.Host, "127.") && r.URL.Path == "/" {
				s.page(w, r, s.Page("/"))
				return true
			}
			return false
		}
	}},
	{Name: "a certificate that ends", Checks: []string{"certificate-expiring"}, Days: 5},
	{Name: "a certificate of nobody", Checks: []string{"certificate-bad"}, Unknown: true},
	{Name: "an old server", Checks: []string{"tls-old"}, Oldest: tls.VersionTLS10},
	{Name: "one file after the other", Checks: []string{"http-old"}, Slow: true},
	{Name: "shut to robots", Checks: []string{"index-closed"},
		set: answering("/robots.txt", text("User-agent: *\nAllow: /$\nAllow: /visit/$\nDisallow: /\nSitemap: "+Home+"sitemap.xml\n"))},
	{Name: "everything leads home", Checks: []string{"redirect-lump"}, set: func(s *Site) {
		home := s.Page("/")
		for _, name := range []string{"roses", "mosses", "talks", "maps", "gifts"} {
			s.Redirects["/"+name] = "/"
			home.RawMain = append(home.RawMain, fmt.Sprintf(`<p><a href="/%s">The old page of %s</a></p>`, name, name))
		}
	}},
	{Name: "a wary door", Checks: []string{"reach-agent-refused"}, set: func(s *Site) {
		s.answers = func(w http.ResponseWriter, r *http.Request) bool {
			if r.TLS == nil || r.URL.Path != "/" || strings.HasPrefix(r.UserAgent(), "Mozilla/5.0 (Windows") {
				return false
			}
			http.Error(w, "no robots, please", http.StatusForbidden)
			return true
		}
	}},
	{Name: "hosts that are gone", Checks: []string{"reach-no-connection", "reach-no-dns"},
		Hosts: []string{"gone." + Host, "closed." + Host}, set: func(s *Site) {
			home := s.Page("/")
			for _, host := range []string{"gone", "closed"} {
				for _, page := range []string{"", "talks/"} {
					home.RawMain = append(home.RawMain,
						fmt.Sprintf(`<p><a href="https://%s.%s/%s">The page of %s %s</a></p>`, host, Host, page, host,
							page))
				}
			}
		}},
}

// numbersRedirect keeps the bare IP address from answering.
func numbersRedirect(s *Site) {
	s.answers = func(w http.ResponseWriter, r *http.Request) bool {
		if !strings.HasPrefix(r.Host, "127.") {
			return false
		}
		http.Redirect(w, r, Home, http.StatusMovedPermanently)
		return true
	}
}
