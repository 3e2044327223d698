package demo

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"iter"
	"maps"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"time"
)

// GlasshouseHost is the host of the garden's glasshouse, whose pages scripts build.
const GlasshouseHost = "glasshouse." + Host

// GlasshouseHome is its home address.
const GlasshouseHome = "https://" + GlasshouseHost + "/"

// GlasshouseLoop is the page whose scripts never end.
const GlasshouseLoop = "/loop/"

// glassPage is a page of the glasshouse.
type glassPage struct {
	title, head, body string
	plants            []string // checks that a rendering crawl has to find on it
	scripted          bool     // only scripts lead to it
	long              int      // how much text it has more
}

// glassProse is text as the glasshouse has it.
const glassProse = `The glasshouse keeps ferns, palms and orchids that would not live through a winter outside. It is open
every day from ten, and the warm room is heated by the compost heaps behind the wall. Bring a coat for the cold room, and
take it off in the warm one. Seats stand where the light is best, and the gardeners answer what they are asked.`

// glasshouse are its pages by path. Those that have no plants are to look like the others to a browser, and be sound.
var glasshouse = map[string]glassPage{
	"/": {
		title: "The glasshouse of the garden",
		body:  `<script>document.title = document.title; document.body.dataset.ready = "yes"</script>`,
	},
	"/calm/": {title: "A calm room for reading", body: `<div id="same"></div><script>
		document.querySelector('meta[name=description]').setAttribute('content', document.querySelector('meta[name=description]').content);
		document.querySelector('main').append(document.createComment('nothing new'));</script>`},
	"/ferns/": {
		title: "Glasshouse", head: `<!--bare-->`,
		body: `<div id="app"></div><script src="/app.js"></script>`,
		plants: []string{"scripted-title", "scripted-description", "scripted-text", "scripted-links",
			"scripted-headings"},
	},
	"/ferns/maidenhair/": {title: "Maidenhair fern in the warm room", scripted: true},
	"/ferns/staghorn/":   {title: "Staghorn fern on the north wall", scripted: true},
	"/ferns/birds-nest/": {title: "Bird's nest fern by the pond", scripted: true},
	"/ferns/lady/":       {title: "Lady fern in the cold room", scripted: true},
	"/ferns/royal/":      {title: "Royal fern under the stairs", scripted: true},
	"/orchids/": {title: "Orchids of the glasshouse", body: `<script>
		document.head.insertAdjacentHTML("beforeend", '<meta name="robots" content="noindex">')</script>`,
		plants: []string{"scripted-robots"}},
	"/palms/": {title: "Palms of the glasshouse", body: `<script>
		document.querySelector("link[rel=canonical]").href = "/orchids/"</script>`, plants: []string{"scripted-canonical"}},
	"/hours/": {title: "Opening hours in summer", body: `<div id="late"></div><script>
		fetch("/wait?ms=4300").then(() => { late.innerHTML = '<div style="height:420px;font-size:60px;line-height:1.1">' +
			"Open from ten until the light goes, every day of the week. ".repeat(2) + "</div>" })</script>`,
		plants: []string{"paint-very-slow"}},
	"/prices/": {title: "What a ticket costs this year", body: `<div id="late"></div><script>
		fetch("/wait?ms=2550").then(() => { late.innerHTML = '<div style="height:420px;font-size:60px;line-height:1.1">' +
			"A ticket costs four shillings, and children come in free. ".repeat(2) + "</div>" })</script>`,
		plants: []string{"paint-slow"}},
	"/news/": {title: "News from the glasshouse", long: 2, body: `<script>fetch("/wait?ms=250").then(() =>
		document.body.insertAdjacentHTML("afterbegin", '<div style="height:420px" id="banner">A banner</div>'))</script>`,
		plants: []string{"layout-jumps"}},
	"/letters/": {title: "Letters to the head gardener", long: 2, body: `<script>fetch("/wait?ms=250").then(() =>
		document.body.insertAdjacentHTML("afterbegin", '<div style="height:150px" id="strip">A strip</div>'))</script>`,
		plants: []string{"layout-shifts"}},
	"/map/": {title: "A map of all the beds", body: `<script src="/busy.js?ms=900" defer></script>`,
		plants: []string{"thread-stuck", "script-holds"}},
	"/weather/": {title: "Weather behind the glass", body: `<script src="/busy.js?ms=400" defer></script>`,
		plants: []string{"thread-blocked", "script-holds"}},
	GlasshouseLoop: {
		title:  "A path that leads round",
		body:   `<script>addEventListener("load", () => { for (;;) {} })</script>`,
		plants: []string{"render-failed"},
	},
	"/table/": {
		title:  "A table of temperatures",
		body:   `<table style="width:900px"><tr><td>Monday<td>Tuesday<td>Wednesday</table>`,
		plants: []string{"page-sideways"},
	},
	"/switches/": {title: "Switches for the blinds", body: `<p style="line-height:14px">` + strings.Repeat(
		`<button style="width:12px;height:12px;padding:0;border:1px solid;margin:1px">.</button>`, 6) + `</p>`,
		plants: []string{"tap-small"}},
	"/labels/": {
		title:  "Labels of the plants",
		body:   `<div style="font-size:9px">` + strings.Repeat(glassProse+" ", 2) + `</div>`,
		plants: []string{"text-small"},
	},
	"/consent/": {
		title: "Consent and what we keep",
		body: `<div id="consent" style="position:fixed;inset:0;background:#fff">
		<button style="padding:2rem">I agree</button></div>`,
		plants: []string{"view-covered"},
	},
	"/blinds/": {
		title: "Blinds that a gardener draws",
		body: `<button class="menu" onclick="const end = performance.now() + 320; while (performance.now() < end);
			this.textContent = 'drawn'" style="padding:1rem">draw them</button>`,
		plants: []string{"tap-late"},
	},
	"/bundle/": {title: "A bundle of reeds for the roof", body: `<script src="/bundle.js"></script>`,
		plants: []string{"script-unused"}},
	"/theme/": {title: "Themes of this summer's beds", body: `<link rel="stylesheet" href="/theme.css">`,
		plants: []string{"style-unused"}},
	"/winter/": {title: "How the plants come through a winter", body: `<style>
		@media (max-width: 600px) { .wide { display: none } }</style><section class="wide"><p>From October on the vents stay shut at
		night, and the stove behind the wall is lit whenever the thermometer of the cold room falls below four degrees.</p>
		<p>What stands outside in pots comes in before the first frost, the agaves last, since they want to be dry rather than
		warm, and everything that keeps its leaves is watered at noon.</p></section>
		<details><summary>More of it</summary><p>What is folded on a phone and on a desktop alike is missing on neither.</p></details>`,
		plants: []string{"phone-hides"}},
	"/pictures/": {
		title:  "Pictures of the palm house",
		body:   `<img src="/palms.png" width="60" height="60" alt="palms">`,
		plants: []string{"image-oversized"},
	},
	"/tools/": {
		title:  "Tools that are lent out",
		body:   `<script>lend.out()</script>`,
		plants: []string{"console-errors"},
	},
	"/music/": {title: "Music for the orchids", body: `<script src="http://` + GlasshouseHost + `/music.js"></script>`,
		plants: []string{"mixed-seen"}},
}

// GlasshousePlanted is what a crawl that renders all pages has to find there, in the group of rendering.
func GlasshousePlanted() (out []Finding) {
	for path, p := range glasshouse {
		for _, check := range p.plants {
			out = append(out, Finding{check, path, "as a script would have it"})
		}
	}
	return out
}

// GlasshouseScripted are the pages to which only scripts lead.
func GlasshouseScripted() (out []string) {
	for path, p := range glasshouse {
		if p.scripted {
			out = append(out, path)
		}
	}
	return out
}

// glassApp builds the page of ferns.
const glassApp = `document.title = "Ferns of the glasshouse";
document.head.insertAdjacentHTML("beforeend", '<meta name="description" content="Five ferns of the glasshouse, where each of them stands, and what it asks of the gardeners who look after it.">');
app.innerHTML = '<h1>Ferns of the glasshouse</h1>' + %q.split(". ").map(t => "<p>" + t + ".</p>").join("") +
	["maidenhair", "staghorn", "birds-nest", "lady", "royal"].map(n => '<p><a style="display:block;padding:10px" href="/ferns/' + n + '/">the ' + n + ' fern</a></p>').join("");`

// busyScript keeps the page from answering once it can be seen.
const busyScript = `requestAnimationFrame(() => setTimeout(() => { const end = performance.now() + %d; while (performance.now() < end); }, 120));`

// Glasshouse serves it. What stands at paths that are mended has no fault of scripts any more.
func Glasshouse(mended ...string) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var ms int
		_, _ = fmt.Sscan(r.URL.Query().Get("ms"), &ms)
		ms = min(max(ms, 0), 10_000)
		switch r.URL.Path {
		case "/app.js":
			w.Header().Set("Content-Type", "text/javascript")
			fmt.Fprintf(w, glassApp, strings.Join(strings.Fields(glassProse), " "))
			return
		case "/busy.js":
			w.Header().Set("Content-Type", "text/javascript")
			fmt.Fprintf(w, busyScript, ms)
			return
		case "/bundle.js":
			w.Header().Set("Content-Type", "text/javascript")
			fmt.Fprint(w, "document.body.dataset.bundle='bound';"+numbered(1500, `function reed%d(a){return a.map(b=>b*%d)}`))
			return
		case "/theme.css":
			w.Header().Set("Content-Type", "text/css")
			fmt.Fprint(w, "body{color:#122}"+numbered(1500, `.bed-%d .row{margin:0 auto;padding:%dpx}`))
			return
		case "/wait":
			select {
			case <-time.After(time.Duration(ms) * time.Millisecond):
			case <-r.Context().Done():
			}
			return
		case "/palms.png":
			w.Header().Set("Content-Type", "image/png")
			w.Write(glassPicture)
			return
		case "/robots.txt":
			w.Header().Set("Content-Type", "text/plain")
			fmt.Fprint(w, "User-agent: *\nDisallow:\n")
			return
		}
		p, ok := glasshouse[r.URL.Path]
		if !ok {
			http.NotFound(w, r)
			return
		}
		if slices.Contains(mended, r.URL.Path) {
			p.body = ""
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprint(w, glassHTML(r.URL.Path, &p))
	})
}

// numbered is a line of which there are many, each with its number twice.
func numbered(n int, line string) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, line+"\n", i, i)
	}
	return b.String()
}

// GlasshouseTaps is what a plan taps there.
const GlasshouseTaps = "button.menu"

// glassPicture is a picture that does not pack well.
var glassPicture = func() []byte {
	m := image.NewRGBA(image.Rect(0, 0, 600, 600))
	r := rand.New(rand.NewPCG(4, 2))
	for x := range 600 {
		for y := range 600 {
			m.Set(x, y, color.RGBA{uint8(r.IntN(90)), uint8(80 + r.IntN(120)), uint8(r.IntN(60)), 255})
		}
	}
	var b bytes.Buffer
	_ = png.Encode(&b, m) // into memory
	return b.Bytes()
}()

// glassHTML is the source of a page.
func glassHTML(path string, p *glassPage) string {
	var b strings.Builder
	fmt.Fprintf(&b, `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>%s</title>
<meta name="viewport" content="width=device-width, initial-scale=1">
<style>body{font:17px/1.5 sans-serif;margin:0 16px}nav a{display:inline-block;padding:8px}</style>
<link rel="icon" href="data:,"><link rel="canonical" href="%s%s">`, esc(p.title), strings.TrimSuffix(GlasshouseHome, "/"), path)
	bare := p.head != ""
	if !bare {
		fmt.Fprintf(
			&b,
			`<meta name="description" content="%s: what there is to see in the glasshouse of Fernhollow Botanic Garden, and when.">`,
			esc(p.title),
		)
	}
	b.WriteString("</head><body>")
	if !bare {
		fmt.Fprintf(&b, "<main><h1>%s</h1>%s</main>", esc(p.title), strings.Repeat("<p>"+glassProse+"</p>", 1+3*p.long))
	}
	b.WriteString(p.body)
	if path == "/" {
		b.WriteString("<nav>")
		for to, other := range glassPaths() {
			fmt.Fprintf(&b, `<a href="%s">%s</a>`, to, esc(other))
		}
		b.WriteString("</nav>")
	} else {
		b.WriteString(`<nav><a href="/">The glasshouse</a></nav>`)
	}
	b.WriteString("</body></html>")
	return b.String()
}

// glassPaths are the pages that the home page's source leads to, in order of path.
func glassPaths() iter.Seq2[string, string] {
	return func(yield func(string, string) bool) {
		for _, path := range slices.Sorted(maps.Keys(glasshouse)) {
			if p := glasshouse[path]; path != "/" && !p.scripted && !yield(path, p.title) {
				return
			}
		}
	}
}
