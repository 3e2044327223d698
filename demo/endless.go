package demo

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"html"
	"net/http"
	"strings"
	"sync/atomic"
	"time"
)

// What every real site has beside its pages: things that never end, that ask for a password, or
// that are no pages at all.

// Member is who may enter the members' club, and the staging host.
const (
	Member         = "anna"
	MemberPassword = "under-the-cedar"
	LoginProof     = "Signed in as Anna"
	StagingHost    = "staging." + Host
)

// Neighbours are other people's hosts that the garden's pages link to.
const Neighbours = "seed-library.example"

// linkEndless links to it from the garden's ordinary pages.
func (s *Site) linkEndless() {
	for path, raw := range map[string]string{
		"/events/":  `<p>All dates stand in <a href="/events/calendar/2026/5/">the calendar</a>.</p>`,
		"/shop/":    `<p>Show only <a href="/shop/?colour=green">what is green</a> or <a href="/shop/?size=s">what is small</a>.</p>`,
		"/members/": `<p>Members meet in <a href="/members/club/">their club</a>.</p>`,
		"/visit/": `<p>Take <a href="/visit/map.pdf">the map</a> with you, and see <a href="http://` + Neighbours +
			`/gardens/">our friends’ gardens</a>.</p>`,
		"/research/": `<p>Read <a href="/research/report.pdf">the report of the year</a>, and what was lent to <a href="http://` + Neighbours + `/closed/">the seed library</a>.</p>`,
	} {
		p := s.Page(path)
		p.RawMain = append(p.RawMain, raw)
	}
}

// Neighbour answers for the other hosts: some addresses are there, the others are gone.
func Neighbour(w http.ResponseWriter, r *http.Request) {
	switch r.URL.Path {
	case "/gardens/", "/de/":
	case "/shared.js":
		w.Header().Set("Content-Type", "text/javascript")
	case "/shared.png":
		w.Header().Set("Content-Type", "image/png")
	default:
		http.NotFound(w, r)
	}
}

// endless answers what is made up as it is asked for. It tells whether it has answered.
func (s *Site) endless(w http.ResponseWriter, r *http.Request) bool {
	var year, month int
	path := r.URL.Path
	switch n, _ := fmt.Sscanf(path, "/events/calendar/%d/%d/", &year, &month); {
	case n == 2 && month >= 1 && month <= 12 && path == calendarPath(year, month):
		s.write(w, r, s.calendar(year, month))
	case path == "/shop/" && r.URL.RawQuery != "":
		s.write(w, r, s.filtered(r))
	case path == "/members/club/" || strings.HasPrefix(path, "/members/club/"):
		s.club(w, r)
	case path == "/members/sign-in/":
		s.signIn(w, r)
	case path == "/members/sign-out/":
		http.SetCookie(w, &http.Cookie{Name: "club", Path: "/members/", MaxAge: -1})
		http.Redirect(w, r, "/members/", http.StatusFound)
	case strings.HasSuffix(path, ".pdf") && documents[path] != "":
		w.Header().Set("Content-Type", "application/pdf")
		w.Write(PDF(documents[path], 3))
	default:
		return s.maps(w, path)
	}
	return true
}

func (s *Site) write(w http.ResponseWriter, r *http.Request, p *Page) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	pack(w, r, s.render(p))
}

func calendarPath(year, month int) string {
	return fmt.Sprintf("/events/calendar/%d/%d/", year, month)
}

// calendar is a month of the calendar, which has a next and a previous one for ever.
func (s *Site) calendar(year, month int) *Page {
	at := time.Date(year, time.Month(month), 1, 0, 0, 0, 0, time.UTC)
	name := at.Format("January 2006")
	next, last := at.AddDate(0, 1, 0), at.AddDate(0, -1, 0)
	var days strings.Builder
	days.WriteString("<table><tr><th>Mo<th>Tu<th>We<th>Th<th>Fr<th>Sa<th>Su<tr>")
	for day := at; day.Month() == at.Month(); day = day.AddDate(0, 0, 1) {
		fmt.Fprintf(&days, "<td>%d", day.Day())
		if day.Weekday() == time.Sunday {
			days.WriteString("<tr>")
		}
	}
	days.WriteString("</table>")
	return &Page{
		Path: calendarPath(year, month), Lang: "en-GB", Layout: "plain", NoIndex: true,
		Title:       "What is on in " + name + " – Fernhollow",
		Description: "The events of " + name + " at Fernhollow Botanic Garden, day by day.",
		H1:          "Calendar for " + name,
		RawMain:     []string{days.String(), "<p>Nothing has been planned for this month yet.</p>"},
		Pager: []Ref{{calendarPath(last.Year(), int(last.Month())), "the month before"},
			{calendarPath(next.Year(), int(next.Month())), "the month after"}},
	}
}

var filters = []struct {
	name   string
	values []string
}{
	{"colour", []string{"green", "red", "blue"}}, {"size", []string{"s", "m", "l"}},
	{"for", []string{"her", "him", "them"}}, {"sort", []string{"price", "new"}},
}

// filtered is the shop's list, with the filters that are set and links to set one more.
func (s *Site) filtered(r *http.Request) *Page {
	var links strings.Builder
	for _, f := range filters {
		for _, v := range f.values {
			q := r.URL.Query()
			q.Set(f.name, v)
			fmt.Fprintf(&links, `<li><a href="/shop/?%s">%s: %s</a>`, html.EscapeString(q.Encode()), f.name, v)
		}
	}
	return &Page{
		Path: "/shop/?" + r.URL.RawQuery, Lang: "en-GB", Layout: "plain", Canonical: "/shop/",
		Title: "The garden shop, as you like it – Fernhollow", Description: "What the garden shop has, filtered.",
		H1:      "The shop, filtered",
		RawMain: []string{"<ul>" + links.String() + "</ul>"},
	}
}

// session is the cookie of those who have signed in.
func session() string {
	sum := sha256.Sum256([]byte(MemberPassword))
	return hex.EncodeToString(sum[:8])
}

// club is the members' area: a few pages for those who have signed in.
func (s *Site) club(w http.ResponseWriter, r *http.Request) {
	if c, err := r.Cookie("club"); err != nil || c.Value != session() {
		http.Redirect(w, r, "/members/sign-in/?to="+r.URL.Path, http.StatusFound)
		return
	}
	rooms := []string{"diary", "seed-list", "minutes"}
	room := strings.Trim(strings.TrimPrefix(r.URL.Path, "/members/club/"), "/")
	p := &Page{
		Path: r.URL.Path, Lang: "en-GB", Layout: "member", NoIndex: true,
		Title:       "The members’ club: " + room + " – Fernhollow",
		Description: "For members of the club.", H1: "The club " + room,
		RawMain: []string{"<p>" + LoginProof + `. <a href="/members/sign-out/">Sign out</a></p>`},
	}
	for _, other := range rooms {
		p.List = append(p.List, Ref{"/members/club/" + other + "/", "The club’s " + other})
	}
	s.write(w, r, p)
}

func (s *Site) signIn(w http.ResponseWriter, r *http.Request) {
	if r.Method == http.MethodPost {
		if r.FormValue("user") == Member && r.FormValue("password") == MemberPassword &&
			r.FormValue("token") == "t-"+r.FormValue("to") {
			http.SetCookie(w, &http.Cookie{Name: "club", Value: session(), Path: "/members/"})
			http.Redirect(w, r, "/members/club/", http.StatusSeeOther)
			return
		}
	}
	to := r.URL.Query().Get("to")
	s.write(w, r, &Page{
		Path: r.URL.RequestURI(), Lang: "en-GB", Layout: "plain", NoIndex: true,
		Title:       "Sign in to the members’ club – Fernhollow",
		Description: "For members of the club.", H1: "Sign in",
		RawMain: []string{fmt.Sprintf(`<form method="post" action="/members/sign-in/"><input type="hidden" name="token" value="t-%[1]s"><input type="hidden" name="to" value="%[1]s">
<label>Name <input name="user"></label> <label>Password <input type="password" name="password"></label> <button>Sign in</button></form>`, html.EscapeString(to))},
	})
}

// Staging is the site as it stands before it goes live, behind a password.
func (s *Site) Staging() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if user, password, _ := r.BasicAuth(); user != Member || password != MemberPassword {
			w.Header().Set("WWW-Authenticate", `Basic realm="staging"`)
			http.Error(w, "For the garden’s staff", http.StatusUnauthorized)
			return
		}
		s.ServeHTTP(w, r)
	})
}

// Struggling is a host that bears only so many requests at once, and answers 429 to the others.
func Struggling(h http.Handler, most int32) http.Handler {
	var now atomic.Int32
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer now.Add(-1)
		if now.Add(1) > most {
			w.Header().Set("Retry-After", "1")
			http.Error(w, "Too many visitors at once", http.StatusTooManyRequests)
			return
		}
		time.Sleep(5 * time.Millisecond)
		h.ServeHTTP(w, r)
	})
}

// documents are the PDF files, by path, with their titles.
var documents = map[string]string{"/visit/map.pdf": "A map of the garden", "/research/report.pdf": "Report of the year"}

// PDF makes a document of some empty pages.
func PDF(title string, pages int) []byte {
	var b bytes.Buffer
	var offsets []int
	object := func(format string, args ...any) {
		offsets = append(offsets, b.Len())
		fmt.Fprintf(&b, "%d 0 obj\n"+format+"\nendobj\n", append([]any{len(offsets)}, args...)...)
	}
	b.WriteString("%PDF-1.4\n")
	object("<< /Type /Catalog /Pages 2 0 R /Lang (en-GB) >>")
	kids := ""
	for i := range pages {
		kids += fmt.Sprintf("%d 0 R ", 4+i)
	}
	object("<< /Type /Pages /Kids [%s] /Count %d >>", kids, pages)
	object("<< /Title (%s) >>", title)
	for range pages {
		object("<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] >>")
	}
	at := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(offsets)+1)
	for _, o := range offsets {
		fmt.Fprintf(&b, "%010d 00000 n \n", o)
	}
	fmt.Fprintf(&b, "trailer\n<< /Size %d /Root 1 0 R /Info 3 0 R >>\nstartxref\n%d\n%%%%EOF\n", len(offsets)+1, at)
	return b.Bytes()
}

// maps answers the sitemaps: an index that names one for the shop, packed, one for all else, one
// that is gone and one that breaks off.
func (s *Site) maps(w http.ResponseWriter, path string) bool {
	w.Header().Set("Content-Type", "application/xml")
	switch path {
	case "/sitemap.xml":
		fmt.Fprint(w, `<?xml version="1.0" encoding="UTF-8"?><sitemapindex xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">`)
		for _, name := range []string{"sitemap-shop.xml.gz", "sitemap-garden.xml", "sitemap-2019.xml",
			"sitemap-broken.xml"} {
			fmt.Fprintf(w, "<sitemap><loc>%s%s</loc></sitemap>\n", Home, name)
		}
		fmt.Fprint(w, "</sitemapindex>")
	case "/sitemap-shop.xml.gz":
		w.Header().Set("Content-Type", "application/gzip")
		z := gzip.NewWriter(w)
		fmt.Fprint(z, s.sitemap(func(path string) bool { return strings.HasPrefix(path, "/shop/") }))
		z.Close()
	case "/sitemap-garden.xml":
		fmt.Fprint(w, s.sitemap(func(path string) bool { return !strings.HasPrefix(path, "/shop/") }))
	case "/sitemap-broken.xml":
		fmt.Fprintf(w, "<urlset><url><loc>%splants/</loc></url><url><loc>%sevents/?a=1&b=2</loc></url>", Home, Home)
	default:
		w.Header().Del("Content-Type")
		return false
	}
	return true
}

// IsEndless tells a path of what never ends: the calendar, the shop's filters, the members' club.
func IsEndless(path string) bool {
	for _, folder := range []string{"/events/calendar/", "/shop/filter/", "/members/club/", "/members/sign-in/"} {
		if strings.HasPrefix(path, folder) {
			return true
		}
	}
	return strings.HasPrefix(path, "/shop/?")
}
