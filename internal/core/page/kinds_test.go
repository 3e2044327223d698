package page

import (
	"fmt"
	"strings"
	"testing"

	"harvik/internal/core/weburl"
)

// TestKinds tells what sort of page one is by the strongest sign.
func TestKinds(t *testing.T) {
	words := func(n int) string { return "<p>" + strings.Repeat("fern ", n) + "</p>" }
	links := func(n, words int) string {
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, `<p><a href="/x%d">%s</a></p>`, i, strings.TrimSpace(strings.Repeat("bed ", words)))
		}
		return b.String()
	}
	password, number := `<form><input type=password></form>`, `<input type=number>`
	for _, c := range []struct {
		path, body string
		want       Kind
	}{
		{"/", words(9), Home}, {"/?x=1", words(9), Ordinary}, {"/x", words(9), Ordinary},
		{"/x", password + words(399), Login}, {"/x", password + words(400), Ordinary},
		{"/contact", words(9), Contact}, {"/contact-us.html", words(9), Contact}, {"/CONTACT/", words(9), Contact}, {"/contact/x", words(9), Ordinary},
		{"/x", "<h1>Contact Us</h1>", Contact}, {"/x", "<h1>Contact the ferns</h1>", Ordinary}, {"/basket", words(9), Cart}, {"/x", "<h1>Privacy policy</h1>", Legal},
		{"/terms-and-conditions", words(9), Legal}, {"/.contact", words(9), Ordinary},
		{"/plants/page/2", words(9), List}, {"/plants?page=2", words(9), List}, {"/plants?a=b&page=2", words(9), List}, {"/plants?pages=2", words(9), Ordinary},
		{"/x?q=fern", words(9), Search}, {"/x?s=fern", words(9), Search}, {"/x?sort=fern", words(9), Ordinary},
		{"/x", number + number + words(299), Calculator}, {"/x", number + number + words(300), Ordinary},
		{"/x", number + words(9), Ordinary},
		{"/x", "<input type=range>" + number, Calculator},
		{"/x", links(8, 5) + words(25), List}, {"/x", links(8, 5) + words(45), Ordinary},
		{"/x", links(7, 5), Ordinary}, {"/x", links(8, 5), List},
		{"/x", `<link rel=next href=y>` + links(8, 5) + words(80), List}, {"/x", `<link rel=next href=y>` + links(8, 5) + words(130), Ordinary},
		{"/x", `<link rel=prev href=y>` + links(7, 5), Ordinary}, {"/x", "<nav>" + links(9, 5) + "</nav>" + words(5), Ordinary},
		{"/x", strings.Repeat("<img src=a>", 6) + words(179), Gallery}, {"/x", strings.Repeat("<img src=a>", 6) + words(180), Ordinary},
		{"/x", strings.Repeat("<img src=a>", 5) + words(5), Ordinary}, {"/x", "<nav>" + strings.Repeat("<img src=a>", 6) + "</nav>" + words(5), Ordinary},
		{"/x", "<video src=a></video>" + words(199), Gallery}, {"/x", "<iframe src=a></iframe>" + words(9), Gallery}, {"/x", "<video src=a></video>" + words(200), Ordinary},
		{"/x", `<h1>How to contact the gardeners</h1><a href="tel:1">x</a>` + words(190), Contact}, {"/x", `<h1>How to contact the gardeners</h1>` + words(9), Ordinary},
		{"/x", `<h1>How to contact the gardeners</h1><a href="mailto:a@b.example">x</a>` + words(195), Ordinary},
		{"/x", `<h1>How to grow ferns</h1><a href="mailto:a@b.example">x</a>` + words(9), Ordinary},
		{"/x", `<meta property=og:type content=article>` + words(9), Article}, {"/x", `<meta property=og:type content=product.item>` + words(9), Product},
		{"/x", `<meta property=og:type content=website>` + words(9), Ordinary}, {"/x", `<meta property=og:title content=article>` + words(9), Ordinary},
		{"/x", `<meta property=og:title content=product>` + words(9), Ordinary},
		{"/x", `<script type=application/ld+json>{"@context":"https://schema.org","@type":"NewsArticle"}</script>`, Article},
		{"/x", `<script type=application/ld+json>{"@context":"https://schema.org","@type":"Product"}</script>`, Product},
		{"/x", `<script type=application/ld+json>{"@context":"https://other.example","@type":"Product"}</script>`, Ordinary},
	} {
		if d := read(t, "https://fernhollow.example"+c.path, c.body); d.Kind != c.want ||
			(d.KindReason == "") != (c.want == Ordinary) {
			t.Errorf("%s %.90s: %s, as %s; want %s", c.path, c.body, d.Kind, d.KindReason, c.want)
		}
	}
	for kind, has := range map[Kind]bool{Ordinary: true, Home: true, Article: true, Product: true, List: false,
		Cart: false} {
		if kind.HasText() != has {
			t.Errorf("%s is there for its text: %v", kind, !has)
		}
	}
}

// TestRefreshTo reads where a refresh leads, if that is another address.
func TestRefreshTo(t *testing.T) {
	for refresh, want := range map[string]string{
		"5": "", "5;": "", "5; url=/b": "/b", "5;URL='/b'": "/b", "0,url=/b": "/b", `0; url="/b"`: "/b", "0; /b": "/b", "0;url = /b": "/b", "0; url=": "",
		"5; url=/a": "", "5; url=#x": "", "; url=/b": "/b", "5; ur=/b": "/ur=/b", "5; url": "/url", "0;url=/b;x": "/b;x",
	} {
		d := read(
			t,
			"https://fernhollow.example/a",
			fmt.Sprintf("<meta http-equiv=refresh content=%q>", strings.ReplaceAll(refresh, `"`, "&quot;")),
		)
		if got := strings.TrimPrefix(d.RefreshTo, "https://fernhollow.example"); got != want {
			t.Errorf("%q leads to %q, want %q", refresh, got, want)
		}
	}
}

// TestOddAddresses keeps how an address was written where parsers mend it.
func TestOddAddresses(t *testing.T) {
	for href, odd := range map[string]bool{
		"/a": false, "a b": true, " /a ": false, "{a}": true, "%7B%7Ba": true, "http:/a": true, "https:a": true, "HTTP:a": true, "http://fernhollow.example/": false,
		"http:///a": true, "x:///a": true, "x://a": false, "http//a": true, "https//a": true, "www.fernhollow.example": true, "./http://a": true, "../https://a": true, "./a": false,
		"a\\b": true, "<a>": true, "x://": false, "/http://a": true, "a/http://b": false, "mailto:fern@fernhollow.example": false,
	} {
		d := read(t, "https://fernhollow.example/x/y/z", fmt.Sprintf("<a href='%s'>x</a>", href))
		if got := d.Links[0].Href != ""; got != odd {
			t.Errorf("%q is odd: %v", href, got)
		}
	}
}

// TestFactsOfAnswers tells what headers and documents say of an address.
func TestFactsOfAnswers(t *testing.T) {
	with := func(name, value string) *Facts { return &Facts{Header: []Field{{name, value}}} }
	for name, c := range map[string]struct {
		f    *Facts
		want bool
	}{
		"nothing": {&Facts{}, false}, "a tag": {with("ETag", "x"), true}, "a date": {with("Last-Modified", "x"), true}, "an end": {with("Expires", "x"), true},
		"an age": {with("Cache-Control", "max-age=60"), true}, "no store": {with("Cache-Control", "no-store"), false}, "another header": {with("Server", "x"), false},
	} {
		if got := c.f.IsCacheable(); got != c.want {
			t.Errorf("%s: it can be kept: %v", name, got)
		}
	}
	for value, want := range map[string]int{"max-age=60": 60, "public, max-age=\"60\"": 60, "max-age=0": 0, "max-age=-1": -1, "max-age=x": -1, "public": -1, "s-maxage=9": -1} {
		got, ok := with("Cache-Control", value).CacheSeconds()
		if !ok {
			got = -1
		}
		if got != want {
			t.Errorf("%s: kept for %d s, want %d", value, got, want)
		}
	}
	doc := func(canonicals ...string) *Facts {
		f := &Facts{Address: "https://fernhollow.example/a", Status: 200, Document: &Document{}}
		for _, c := range canonicals {
			f.Document.Canonicals = append(f.Document.Canonicals, Ref{Href: c, Address: c, InHead: true})
		}
		return f
	}
	for name, c := range map[string]struct {
		f      *Facts
		to     string
		closed bool
	}{
		"none":            {doc(), "", false},
		"itself":          {doc("https://fernhollow.example/a"), "https://fernhollow.example/a", false},
		"another":         {doc("https://fernhollow.example/b"), "https://fernhollow.example/b", false},
		"two of one":      {doc("https://fernhollow.example/b", "https://fernhollow.example/b"), "https://fernhollow.example/b", false},
		"two of two":      {doc("https://fernhollow.example/b", "https://fernhollow.example/c"), "", false},
		"of another host": {doc("https://other.example/b"), "https://other.example/b", true},
	} {
		if got := c.f.Canonical(); got != c.to {
			t.Errorf("%s: canonical %q, want %q", name, got, c.to)
		}
	}
	if (&Facts{Status: 200}).IsPage() || !doc().IsPage() || (&Facts{Status: 404, Document: &Document{}}).IsPage() {
		t.Error("what is a page is told wrongly")
	}
	d := &Document{Descriptions: []Text{{}, {Text: "Green"}, {Text: "Red"}}}
	if got := d.Description(); got != "Green" {
		t.Errorf("description %q", got)
	}
	if (&Facts{Version: 4}).ReadForms() || !(&Facts{Version: 5}).ReadForms() {
		t.Error("facts of version 5 are the first with forms")
	}
	for _, f := range []*Facts{{Document: &Document{Uses: []Use{{Address: "x"}}}}, {Uses: []Use{{Address: "x"}}}} {
		if got := f.Loads(); len(got) != 1 || got[0].Address != "x" {
			t.Errorf("loads %+v", got)
		}
		if f.SetLoads(nil); len(f.Loads()) > 0 {
			t.Errorf("loads %+v after they were taken away", f.Loads())
		}
	}
}

// TestNeedless reckons what minifying would save, byte by byte.
func TestNeedless(t *testing.T) {
	for source, want := range map[string]int{
		"a": 0, "a b": 0, "a  b": 1, "a = b": 2, "a;\n\nb": 2, "  a": 2, "a  ": 1, "/* x */a": 7, "/*! x */a": 0, "/*": 0, "/*x": 3, "/**/": 4, "a // x\nb": 5, "a/b": 0,
		"'a  b'": 0, "\"a // b\"": 0, "`a  b`": 0, "'a\\'  b'  c": 2, "'a\n  b": 3, "x:// y": 1, "a\\// y": 1, "// x": 4, "//\n": 3, "a /": 1, "a/": 0, "a  'b'": 2,
		"'a'  b": 2, "`a\n  b`": 0,
	} {
		if got := Spare([]byte(source), true); got != want {
			t.Errorf("of %q %d bytes would go, want %d", source, got, want)
		}
	}
	for source, want := range map[string]int{"a // b": 2, "`a  b`": 1, "a /* x */ b": 8} {
		if got := Spare([]byte(source), false); got != want {
			t.Errorf("of the stylesheet %q %d bytes would go, want %d", source, got, want)
		}
	}
}

// TestProse finds what should not stand in a text, and leaves alone what a text is about.
func TestProse(t *testing.T) {
	for body, want := range map[string]string{
		"Lorem ipsum dolor sit amet": "[Lorem ipsum dolor sit amet] [] [] []", "See {{ name }} there": "[{{ name }}] [] [] []", "Dear [name], come": "[[name]] [] [] []",
		"call([name])": "[] [] [] []", "name [name] more": "[] [] [] []", "x = [name]": "[] [] [] []", "[name] ... more": "[] [] [] []", "[name]->x": "[] [] [] []",
		"one “{{ name }}” more": "[] [] [] []", "<code>x</code> {{ name }}": "[] [] [] []", "Vec::new() -> Vec [HashMap] and [name]": "[] [] [] []",
		"a word\uFFFDbroken here": "[] [] [word\uFFFDbroken] []", "a run x\uFFFD\uFFFD\uFFFDy here": "[] [] [] []", "x\uFFFD\uFFFDy here": "[] [] [x\uFFFD\uFFFDy] []",
		"a run \uFFFD\uFFFDx\uFFFD":     "[] [] [] []",
		"write fern@fernhollow.example": "[] [fern@fernhollow.example] [] []", "the g\u00c3\u00a4rden": "[] [] [] [g\u00c3\u00a4rden]", "Ãrea": "[] [] [] []", "plain": "[] [] [] []",
	} {
		d := read(t, "https://fernhollow.example/", "<p>"+body+"</p>")
		var fillers []string
		for _, f := range d.Fillers {
			if !strings.HasPrefix(f, "dolor") {
				fillers = append(fillers, f)
			}
		}
		if got := fmt.Sprint(fillers, d.Mails, d.Replaced, d.Misread); strings.Replace(
			got,
			"[Lorem ipsum dolor]",
			"[Lorem ipsum dolor sit amet]",
			1,
		) != want {
			t.Errorf("%q: %+q, want %+q", body, got, want)
		}
	}
	var many strings.Builder
	for i := range maxFound + 5 {
		fmt.Fprintf(&many, "f%d@fernhollow.example ", i)
	}
	if d := read(t, "https://fernhollow.example/", many.String()); len(d.Mails) != maxFound {
		t.Errorf("%d addresses are kept", len(d.Mails))
	}
}

// TestBoundsOfPages: of what a page can hold any number of, so many are kept.
func TestBoundsOfPages(t *testing.T) {
	for name, c := range map[string]struct {
		one  string // %d is its number
		most int
		have func(*Document) int
	}{
		"alternates":      {`<link rel=alternate hreflang=de href=/%d>`, maxAlternates, func(d *Document) int { return len(d.Alternates) }},
		"frames":          {`<iframe src=/%d></iframe>`, maxAlternates, func(d *Document) int { return len(d.Frames) }},
		"frames, bare":    {`<iframe src=/%d></iframe>`, maxFaults, func(d *Document) int { return len(d.BareFrames) }},
		"fields":          {`<input name=%d>`, maxFaults, func(d *Document) int { return len(d.BareFields) }},
		"scripts":         {`<script src=/%d></script>`, maxUses, func(d *Document) int { return len(d.Scripts) }},
		"cards":           {`<meta property=og:x%d content=y>`, maxCards, func(d *Document) int { return len(d.Cards) }},
		"bases":           {`<base href=/%d>`, maxFaults, func(d *Document) int { return len(d.Markup.Bases) }},
		"plugins":         {`<embed type=%d>`, maxFaults, func(d *Document) int { return len(d.Markup.Plugins) }},
		"data":            {`<script type=application/ld+json>{"@type":"X%d"}</script>`, maxFaults, func(d *Document) int { return len(d.Data) }},
		"broken data":     {`<script type=application/ld+json>{%d</script>`, maxFaults, func(d *Document) int { return len(d.DataFaults) }},
		"ids that repeat": {`<p id=a%d></p><p id=a%[1]d></p>`, maxFaults, func(d *Document) int { return len(d.TwiceIDs) }},
	} {
		for _, n := range []int{c.most, c.most + 3} {
			var b strings.Builder
			for i := range n {
				fmt.Fprintf(&b, c.one, i)
			}
			if got := c.have(read(t, "https://fernhollow.example/", b.String())); got != c.most {
				t.Errorf("%s: of %d %d are kept, want %d", name, n, got, c.most)
			}
		}
	}
	long := strings.Repeat("x", 2001)
	d := read(
		t,
		"https://fernhollow.example/",
		`<img src="`+long+`"><img src="`+long[1:]+`"><embed type="`+long+`"><p id="`+long[:200]+`"><p id="`+long[:200]+`"><p id="`+
			long[:199]+`"><p id="`+long[:199]+`">`,
	)
	if d.Images[0].Address != "" || len(d.Images[0].Src) != 103 || d.Images[1].Address == "" ||
		len(d.Markup.Plugins[0].Type) != 2000 ||
		len(d.TwiceIDs) != 1 ||
		len(d.TwiceIDs[0]) != 199 {
		t.Errorf(
			"long values: %d, %d, %d, %d",
			len(d.Images[0].Src),
			len(d.Images[1].Src),
			len(d.Markup.Plugins[0].Type),
			len(d.TwiceIDs),
		)
	}
}

// TestScriptKinds: browsers load scripts, and nothing for what is data.
func TestScriptKinds(t *testing.T) {
	for kind, loads := range map[string]bool{"": true, "module": true, "text/javascript": true, "application/x-ecmascript": true, "TEXT/JScript": true,
		" text/javascript ": true, "text/template": false, "application/json": false, "importmap": false, "text/x-template": false} {
		d := read(
			t,
			"https://fernhollow.example/",
			fmt.Sprintf(`<script type="%s" src=/a.js></script><script type="%[1]s">x</script>`, kind),
		)
		if len(d.Scripts) == 1 != loads || len(d.Uses) == 1 != loads || (d.Shape.Scripts == 1) != loads {
			t.Errorf("%q: %d scripts, %d files, %d bytes within", kind, len(d.Scripts), len(d.Uses), d.Shape.Scripts)
		}
	}
}

// TestForeignCharsets reads queries as browsers write them in the encoding of a page.
func TestForeignCharsets(t *testing.T) {
	for charset, want := range map[string]string{"windows-1252": "/?a=%E4#%C3%A4", "utf-8": "/?a=%C3%A4#%C3%A4", "utf-16": "/?a=%C3%A4#%C3%A4", "nonsense": "/?a=%C3%A4#%C3%A4"} {
		u, err := weburl.Parse("https://fernhollow.example/")
		if err != nil {
			t.Fatal(err)
		}
		w := walker{doc: &Document{Charset: charset}, base: u}
		to, err := u.Parse(w.encodeQuery("/?a=ä#ä"))
		if err != nil {
			t.Fatal(err)
		}
		if got := strings.TrimPrefix(to.String(), "https://fernhollow.example") + "#" + to.Fragment(); !strings.HasPrefix(
			got,
			want[:strings.IndexByte(want, '#')],
		) {
			t.Errorf("in %s: %s, want %s", charset, got, want)
		}
	}
}

// TestClosedPages: what cannot be found is kept out of search, and names no other page of the site in its place.
func TestClosedPages(t *testing.T) {
	for name, c := range map[string]struct {
		noIndex, canonical string
		want               bool
	}{
		"shown":                  {"", "", false},
		"hidden":                 {"meta", "", true},
		"hidden, itself":         {"meta", "https://fernhollow.example/a", true},
		"hidden, for another":    {"meta", "https://fernhollow.example/b", false},
		"of the same with www":   {"meta", "https://www.fernhollow.example/b", false},
		"hidden, for a stranger": {"meta", "https://other.example/b", true},
	} {
		f := &Facts{
			Address:  "https://fernhollow.example/a",
			Status:   200,
			Outcome:  Answered,
			Document: &Document{Robots: Robots{NoIndex: c.noIndex}},
		}
		if c.canonical != "" {
			f.Document.Canonicals = []Ref{{Href: "x", Address: c.canonical, InHead: true}}
		}
		if got := f.Closed(); got != c.want {
			t.Errorf("%s: closed %v", name, got)
		}
		want := c.canonical
		if got := f.CanonicalSaid(); got != want {
			t.Errorf("%s: it says %q, want %q", name, got, want)
		}
	}
	two := &Facts{
		Document: &Document{Canonicals: []Ref{{Href: "/b", Address: "https://fernhollow.example/b", InHead: true},
			{Href: "/c", Address: "https://fernhollow.example/c", InHead: true}}},
	}
	if got := two.CanonicalSaid(); got == "" {
		t.Error("two different ones are told as none")
	}
	if got := new(Facts).CanonicalSaid(); got != "" {
		t.Errorf("a file says %q", got)
	}
}

// TestFirstOnes: what is the first of its sort counts as the others do.
func TestFirstOnes(t *testing.T) {
	d := read(t, "https://fernhollow.example/", "<font>a</font><font>b</font><font>c</font>")
	if o := d.Markup.Obsolete; len(o) != 1 || o[0].Count != 3 {
		t.Errorf("%+v", o)
	}
	w := walker{doc: &Document{Charset: "windows-1252"}}
	if got := w.encodeQuery("?a=ä€"); got != "?a=%E4%80" {
		t.Errorf("a query alone is %s", got)
	}
	if got := w.encodeQuery("?a=日"); got != "?a=%26%2326085%3B" {
		t.Errorf("what the encoding does not have is %s", got)
	}
	for role, alive := range map[Role]bool{AsPage: false, AsImage: false, AsLink: true, AsForm: true} {
		if role.OnlyAlive() != alive {
			t.Errorf("%s is only asked whether it is alive: %v", role, !alive)
		}
		if got, ok := RoleOf(role.String()); !ok || got != role {
			t.Errorf("%s is %s, %v", role, got, ok)
		}
	}
	if _, ok := RoleOf("nothing"); ok {
		t.Error("there is a role of nothing")
	}
	for body, code := range map[string]bool{ // half of the text
		"<pre>" + strings.Repeat("x", 100) + "</pre><p>" + strings.Repeat("y", 90) + "</p>": true,
		"<pre>" + strings.Repeat("x", 90) + "</pre><p>" + strings.Repeat("y", 100) + "</p>": false, "<p>x</p>": false,
	} {
		if d := read(t, "https://fernhollow.example/", body); d.IsMostlyCode() != code {
			t.Errorf("%s is mostly code: %v, %d %%", body, !code, d.CodeShare)
		}
	}
}

// TestEarly: images that are seen first stand before much text, in the content or the banner, and are no icons.
func TestEarly(t *testing.T) {
	img := `<img src=a.png>`
	for body, want := range map[string]bool{
		img: true, "<header>" + img + "</header>": true, "<nav>" + img + "</nav>": false, "<footer>" + img + "</footer>": false,
		"<p>" + strings.Repeat("x", earlyText-4) + "</p>" + img: true, "<p>" + strings.Repeat("x", earlyText+1) + "</p>" + img: false,
		"<nav>" + strings.Repeat("x", earlyText+1) + "</nav>" + img: true, `<img src=a.png width=20>`: false, `<img src=a.png width=400>`: true, `<img src=a.png width=x>`: true,
	} {
		if d := read(t, "https://fernhollow.example/", body); d.Images[0].Early != want {
			t.Errorf("%.60s: early %v", body, d.Images[0].Early)
		}
	}
}

// TestSeveralRules: an address that several rules name has them all, up to a length; with more it may be for anything.
func TestSeveralRules(t *testing.T) {
	var u Use
	for _, c := range []struct{ rules, under, want string }{
		{"", "", "[] []"}, {".a", "", "[.a] []"}, {".a", "", "[.a] []"}, {".b", "", "[.a, .b] []"}, {"", ".c", "[.a, .b] [.c]"}, {"", ".c", "[.a, .b] [.c]"},
		{".d", ".e", "[.a, .b, .d] [.c, .e]"},
	} {
		if u.also(c.rules, c.under); fmt.Sprintf("[%s] [%s]", u.Rules, u.Under) != c.want {
			t.Errorf("with %q and %q: [%s] [%s], want %s", c.rules, c.under, u.Rules, u.Under, c.want)
		}
	}
	for n, whole := range map[int]bool{longestRules: true, longestRules + 1: false} {
		u = Use{Under: "."}
		if u.also(strings.Repeat("a", n-1), ""); (u.Rules != "") != whole || !whole && u.Under != "*" {
			t.Errorf("%d bytes of rules: %.9q under %q", n, u.Rules, u.Under)
		}
	}
	for set, want := range map[string]string{"a.png 2x, b.png": "/a.png /b.png", "a.png image-set(x, y), b.png": "/a.png /b.png", "a.png 2x (x, (y)), b.png 3x": "/a.png /b.png"} {
		d := read(t, "https://fernhollow.example/", fmt.Sprintf(`<img srcset="%s">`, set))
		var got []string
		for _, u := range d.Uses {
			got = append(got, strings.TrimPrefix(u.Address, "https://fernhollow.example"))
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%s loads %q, want %q", set, got, want)
		}
	}
}
