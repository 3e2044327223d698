package testkit

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"strconv"
	"strings"
	"sync"
)

// Generated is a made-up site of any size whose pages are written when they are asked for: a
// menu on every page, links from page n to 10n+1 … 10n+10 and to others, 50 to 65 in all, and
// several hundred to two thousand words from a small vocabulary: 15 KB in the median.
type Generated struct {
	Pages int
	Seed  uint64
	Mixed bool // sizes as they are met on the web: a half of 15 KB, some of 200 KB and more

	mu   sync.Mutex
	kept map[int][]byte
	Keep bool // pages are written once and kept
}

var vocabulary = strings.Fields(`fern moss stone water leaf bark root wall path bench lake wood light shade spring summer autumn
	winter garden gate bridge well tower meadow orchard bulb seed stem flower fruit branch cone needle frost dew mist rain wind cloud
	thrush wren newt toad bee moth beetle snail spider hare badger vole heron owl bat swift robin finch`)

// ServeHTTP answers /n with page n, and / with page 0.
func (g *Generated) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	n, err := strconv.Atoi(strings.Trim(r.URL.Path, "/"))
	if r.URL.Path == "/" {
		n, err = 0, nil
	}
	if err != nil || n >= g.Pages {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Write(g.page(n))
}

func (g *Generated) page(n int) []byte {
	if !g.Keep {
		return g.write(n)
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.kept == nil {
		g.kept = map[int][]byte{}
	}
	if g.kept[n] == nil {
		g.kept[n] = g.write(n)
	}
	return g.kept[n]
}

func path(n int) string {
	if n == 0 {
		return "/"
	}
	return "/" + strconv.Itoa(n)
}

// scale is how many times the usual a page is long.
func (g *Generated) scale(n int) int {
	if !g.Mixed {
		return 1
	}
	switch k := n * 7919 % 20; {
	case k < 10:
		return 1
	case k < 15:
		return 3
	case k < 18:
		return 6
	}
	return 12
}

func (g *Generated) write(n int) []byte {
	r := rand.New(rand.NewPCG(g.Seed, uint64(n)))
	var b strings.Builder
	word := func() string { return vocabulary[r.IntN(len(vocabulary))] }
	fmt.Fprintf(&b, "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>Page %d of the %s and the %s</title>\n", n, word(), word())
	fmt.Fprintf(&b, "<meta name=\"description\" content=\"What page %d has to say about the %s, the %s and the %s, in a few hundred words.\">\n", n, word(), word(), word())
	b.WriteString("<meta name=\"viewport\" content=\"width=device-width\"></head>\n<body class=\"page wide\"><header class=\"top\"><nav><ul class=\"menu\">\n")
	for i := range 25 {
		fmt.Fprintf(&b, "<li class=\"menu-item level-1 has-icon\"><a class=\"menu-link block\" href=\"%s\"><span class=\"icon\" aria-hidden=\"true\"></span><span class=\"label\">Section %s %d</span></a></li>\n", path(i%g.Pages), vocabulary[i], i)
	}
	fmt.Fprintf(&b, "</ul></nav></header>\n<main><article><h1>Page %d, the %s</h1>\n", n, word())
	for part := range (3 + r.IntN(12)) * g.scale(n) {
		fmt.Fprintf(&b, "<section class=\"part\"><h2>Part %d: the %s %s</h2>\n<p class=\"text\">", part+1, word(),
			word())
		for i := range 60 + r.IntN(120) {
			if i%20 == 19 {
				fmt.Fprintf(&b, "<em class=\"term\">%s</em> <span class=\"note\" data-id=\"%d\">%s</span>, ", word(), i,
					word())
				continue
			}
			b.WriteString(word())
			b.WriteByte(' ')
			if i%3 == 0 { // what holds sentences together
				b.WriteString([]string{"and the ", "of the ", "in a ", "with ", "to be "}[i/3%5])
			}
		}
		fmt.Fprintf(&b, "</p>\n<p><img src=\"/p%d.png\" alt=\"the %s\" width=\"4\" height=\"3\"> <a href=\"%s\">more about the %s</a></p></section>\n", part, word(), path(r.IntN(g.Pages)), word())
	}
	b.WriteString("</article><ul class=\"related\">\n")
	for i := 10*n + 1; i <= 10*n+10 && i < g.Pages; i++ {
		fmt.Fprintf(&b, "<li><a href=\"/%d\" title=\"further reading\">On to page %d</a></li>\n", i, i)
	}
	b.WriteString("</ul></main>\n<footer class=\"bottom\"><div class=\"columns\">")
	for i := range 15 {
		fmt.Fprintf(&b, "<div class=\"column\"><a href=\"%s\">Foot %s</a></div>\n", path((i*7)%g.Pages),
			vocabulary[i+25])
	}
	b.WriteString("</div></footer></body></html>\n")
	return []byte(b.String())
}

// Tiny is a made-up site of very small pages, each with ten links to further ones.
type Tiny struct{ Pages int }

// ServeHTTP answers /n with page n, and / with page 0.
func (s *Tiny) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	n, err := strconv.Atoi(strings.Trim(r.URL.Path, "/"))
	if r.URL.Path == "/" {
		n, err = 0, nil
	}
	if err != nil || n >= s.Pages {
		http.NotFound(w, r)
		return
	}
	var b strings.Builder
	name := spelled(n)
	fmt.Fprintf(&b, "<!doctype html><html lang=en><title>About the %s</title><h1>The %s</h1><p>There is a %s here.</p>",
		name, name, name)
	for i := 10*n + 1; i <= 10*n+10 && i < s.Pages; i++ {
		fmt.Fprintf(&b, "<a href=/%d>%s</a> ", i, spelled(i))
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Write([]byte(b.String()))
}

// spelled is a number as a word.
func spelled(n int) string {
	word := vocabulary[n%len(vocabulary)]
	for n /= len(vocabulary); n > 0; n /= len(vocabulary) {
		word += vocabulary[n%len(vocabulary)]
	}
	return word
}
