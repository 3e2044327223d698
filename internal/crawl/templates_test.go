package crawl_test

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"strconv"
	"strings"
	"testing"

	"harvik/internal/core/plan"
	"harvik/internal/testkit"
)

// templates are three ways in which sites are built: by hand, with tables, by a content system that numbers what it
// writes. What an author puts into a page is %s.
var templates = []string{
	`<body><div class="top"><a href="/">Up</a><hr></div><h1>%[1]d</h1>%[2]s<div class="foot"><hr><address>The gardeners</address></div></body>`,
	`<body bgcolor="white"><table><tr><td class="menu"><form action="/"><input name="q"></form></td><td class="text"><center><h2>%[1]d</h2></center>%[2]s</td></tr></table></body>`,
	`<body class="postid-%[1]d single"><header class="site"><nav class="menu"><a href="/">Home</a></nav></header><div class="wrap"><main>
		<article class="post-%[1]d post category-c%[1]d"><div class="entry">%[2]s</div></article></main><aside class="widgets"><div class="w">x</div></aside></div><footer class="site">y</footer></body>`,
}

// parts are what authors put into pages.
var parts = []string{
	"<p>text <b>and</b> more</p>", "<h2>part</h2><p>text</p>", "<ul><li>one<li>two</ul>", "<ol><li><p>one</ol>",
	"<dl><dt>a<dd>b</dl>", "<pre>code</pre>",
	`<div class="note"><p>mind</p></div>`, "<blockquote><p>said</p></blockquote>", "<table><tr><td>1<td>2</table>",
	`<div class="figure"><img src="/x.png" alt=x></div>`,
	`<ul class="plain"><li>one</ul>`, "<h3>less</h3><p>text</p>",
}

// TestTemplates: pages whose template is known are told apart by it, and by nothing that their authors wrote.
func TestTemplates(t *testing.T) {
	t.Parallel()
	const pages = 120
	h := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n, err := strconv.Atoi(strings.Trim(r.URL.Path, "/"))
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		if r.URL.Path == "/" {
			for i := range pages {
				fmt.Fprintf(w, `<p><a href="/%d">%d</a>`, i, i)
			}
			return
		} else if err != nil {
			http.NotFound(w, r)
			return
		}
		rnd := rand.New(rand.NewPCG(uint64(n), 3))
		var content strings.Builder
		for range 2 + rnd.IntN(14) {
			content.WriteString(parts[rnd.IntN(len(parts))])
		}
		fmt.Fprintf(w, "<!doctype html><html lang=en><head><title>Page %d</title></head>"+templates[n%len(templates)],
			n, n, content.String())
	})
	r, _ := testkit.Crawl(t, "http://"+testkit.Serve(t, h)+"/",
		plan.Plan{Parallel: 8, Resources: plan.None, Probes: plan.No()})
	of := map[int32]map[int]int{} // layout → template → pages
	largest := map[int]int{}
	for i := range r.Survey.Pages {
		p := &r.Survey.Pages[i]
		n, err := strconv.Atoi(r.Survey.URL(p.ID)[strings.LastIndexByte(r.Survey.URL(p.ID), '/')+1:])
		if err != nil {
			continue
		}
		if of[p.Layout] == nil {
			of[p.Layout] = map[int]int{}
		}
		of[p.Layout][n%len(templates)]++
		largest[n%len(templates)] = max(largest[n%len(templates)], of[p.Layout][n%len(templates)])
	}
	for layout, counts := range of {
		if len(counts) > 1 {
			t.Errorf("layout %d mixes templates: %v", layout, counts)
		}
	}
	for k := range templates {
		if n := largest[k]; 10*n < 9*pages/len(templates) {
			t.Errorf("template %d has %d layouts' worth of pages: %d of %d in its largest; %v", k, len(of), n,
				pages/len(templates), of)
		}
	}
}
