package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"harvik/internal/api"
	"harvik/internal/testkit"
)

// beds are pages with prices; one of them in windows-1252.
func beds(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("X-Template", "bed")
	switch r.URL.Path {
	case "/robots.txt", "/sitemap.xml", "/gone":
		w.WriteHeader(http.StatusNotFound)
	case "/old":
		w.Header().Set("Content-Type", "text/html; charset=windows-1252")
		fmt.Fprint(
			w,
			"<html lang=en><title>Caf\xe9</title><p class=price>\x80 12,50</p><!-- data-old --><a href=/>home</a>",
		)
	case "/":
		fmt.Fprint(
			w,
			`<html lang=en><title>Beds</title><a href=/a>a</a> <a href=/b>b</a> <a href=/old>old</a> <a href=/gone>gone</a>`,
		)
	default:
		fmt.Fprintf(
			w,
			`<html lang=en><title>Bed %s</title><p class=price>%d.90</p><span data-call="0161 496 0000"></span><a href=/>home</a>`,
			r.URL.Path,
			len(r.URL.Path)+5,
		)
	}
}

// TestSourceStory searches in the source, takes fields from a crawl that there is, and asks, checks and reads by them.
func TestSourceStory(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	s.ok("site add beds http://beds.example/ --allow 127.0.0.0/8")
	s.ok("plan set beds probes=false --host beds.example=" + testkit.Serve(t, http.HandlerFunc(beds)))
	s.ok("crawl beds")
	rows := func(args ...string) (out [][]any) {
		t.Helper()
		text, talk, code := s.run(append([]string{"ask", "beds", "--json"}, args...)...)
		var a api.Answer
		if err := json.Unmarshal([]byte(text), &a); err != nil || code != 0 {
			t.Fatalf("%v: %s%s", err, text, talk)
		}
		return a.Rows
	}
	if got := rows(`source.contains("0161 496 0000")`, "--columns", "path"); len(got) != 2 {
		t.Errorf("in the source of %v", got)
	}
	if got := rows(`source.contains("Café") && source.matches("<!-- data-[a-z]+ -->")`, "--columns", "path"); len(
		got,
	) != 1 {
		t.Errorf("in the source of %v", got)
	}
	if got := rows(`!known(source)`, "--columns", "path"); len(got) != 1 { // what was not read has none
		t.Errorf("without source: %v", got)
	}
	if got := rows(`!source.contains("<")`, "--columns", "path"); len(got) != 0 {
		t.Errorf("told of source that there is not: %v", got)
	}
	s.ok("field list beds", "No field yet")
	s.ok("field try beds /a --css .price --take number", "7.9")
	s.ok("field try beds /old --css .price --take number", "12.5")
	s.ok("field try beds /old --css .price", "€ 12,50")
	s.ok("field try beds /a --header x-template", "bed")
	s.ok("field try beds /a --css .nothing", "Nothing of the kind")
	s.fails("field try beds /gone --css p", 1, "no source is kept")
	s.fails("field try beds /nowhere --css p", 1, "does not know the address")
	s.fails("field try beds /a", 2, "say how it is found")
	s.fails("field try beds /a price", 1, "has no field")
	s.fails("field try beds /a --css p[", 1, "is no selector")
	s.fails("field add beds Price --css p", 1, "fields[0].name")
	s.ok("field add beds price --css .price --take number", "harvik judge beds --read")
	s.ok("field add beds links --css a --attribute href --all")
	s.ok("field add beds template --header X-Template")
	s.ok("field try beds /old price", "12.5")
	s.ok("field list beds", "price", ".price", "all, as text", "X-Template")
	if got := rows("fields.price > 1"); len(got) != 0 {
		t.Errorf("before they were taken: %v", got)
	}
	before := s.ok("export beds --as csv --sheets findings -o -")
	s.ok("judge beds --read", "judged anew")
	if after := s.ok("export beds --as csv --sheets findings -o -"); after != before {
		t.Errorf("read anew, it finds\n%s\nnot\n%s", after, before)
	}
	got := rows("fields.price > 1", "--columns", "path,fields.price,fields.template,fields.links",
		"--order", "-fields.price")
	if text := fmt.Sprint(got); text != "[[/old 12.5 bed [/]] [/a 7.9 bed [/]] [/b 7.9 bed [/]]]" {
		t.Errorf("by price: %s", text)
	}
	s.ok("ask beds --by fields.template --measure fields.price", "bed")
	s.ok("crawl beds") // and so it is by the next crawl
	if again := rows("fields.price > 1", "--columns", "path,fields.price", "--order", "-fields.price"); len(
		again,
	) != 3 ||
		fmt.Sprint(again[0]) != "[/old 12.5]" {
		t.Errorf("of the next crawl %v", again)
	}
	s.ok("field remove beds links")
	s.fails("field remove beds links", 1, "no field")
	s.ok("plan set beds keep.source=false")
	s.ok("crawl beds")
	if _, talk, code := s.run("ask", "beds", `source.contains("x")`); code != 1 ||
		!strings.Contains(talk, "keeps no source") {
		t.Errorf("%d: %s", code, talk)
	}
	s.fails("judge beds --read", 1, "keeps no source")
	s.fails("field try beds /a --css p", 1, "no source is kept")
}
