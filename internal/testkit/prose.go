package testkit

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// common are words that a text in English is largely made of, the most frequent first.
var common = strings.Fields(
	`the of and to in a is that for it as was with be by on not he i this are or his from at which but
	have an had they you were their one all we can her has there been if more when will would who so no out up into than them only
	some could time these two may first then do any like my now over such our most made after also did many off before must well back
	through years where much your way down should because long each just those people too little good very make still own see work men
	day get here between both life being under three never know same last another while us might great state go come since against right`,
)

// proseWords are so many words as somebody who writes for long uses.
const proseWords = 50_000

// WriteProse writes a site of so many pages into a folder, in a language made up for it whose words are as
// unevenly frequent as those of any (Zipf's law): nearly each page has some that no other has. Links, pictures and
// lengths are as those of the manuals that the benches crawl; a few links are broken.
func WriteProse(t testing.TB, folder string, pages int, seed uint64) {
	t.Helper()
	r := rand.New(rand.NewPCG(seed, 1))
	words := make([]string, proseWords)
	copy(words, common)
	for i := len(common); i < len(words); i++ {
		words[i] = madeUp(r, i)
	}
	frequency := rand.NewZipf(r, 1.07, 2.7, proseWords-1)
	text := func(n int) string {
		var b strings.Builder
		for i := range n {
			w := words[frequency.Uint64()]
			if i == 0 {
				w = strings.ToUpper(w[:1]) + w[1:]
			} else {
				b.WriteByte(' ')
			}
			b.WriteString(w)
		}
		return b.String()
	}
	for n := range pages {
		if err := proseFile(filepath.Join(folder, proseName(n)), r, n, pages, text); err != nil {
			t.Fatal(err)
		}
	}
	for name, data := range map[string]string{
		"site.css": "body { color: #222 } nav { float: left } .note { background: #eee }",
		"leaf.svg": `<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0h9v9z"/></svg>`,
	} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(data), 0o600); err != nil {
			t.Fatal(err)
		}
	}
}

func proseName(n int) string {
	if n == 0 {
		return "index.html"
	}
	return fmt.Sprintf("%d.html", n)
}

// madeUp is a word of syllables, no other like it.
func madeUp(r *rand.Rand, n int) string {
	var b strings.Builder
	for rest := n; rest > 0; rest /= 90 {
		b.WriteByte("bcdfghklmnprstvwz "[rest%17])
		b.WriteString([]string{"a", "e", "i", "o", "u", "ea", "ou"}[rest/17%7])
	}
	return b.String() + []string{"", "n", "r", "s", "th"}[r.IntN(5)]
}

func proseFile(name string, r *rand.Rand, n, pages int, text func(int) string) (err error) {
	file, err := os.Create(name)
	if err != nil {
		return err
	}
	w := bufio.NewWriter(file)
	title := text(3 + r.IntN(6))
	fmt.Fprintf(w, `<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><title>%s – Fernhollow</title><meta name="viewport" content="width=device-width">
<meta name="description" content="%s"><link rel="stylesheet" href="site.css"></head>
<body><nav><ul>`, title, text(10+r.IntN(10)))
	for i := range 12 {
		fmt.Fprintf(w, "<li><a href=\"%s\">%s</a></li>\n", proseName(i*i*i%pages), "Part "+fmt.Sprint(i))
	}
	fmt.Fprintf(w, "</ul></nav>\n<main><h1>%s</h1>\n", title)
	for range 2 + r.IntN(6) {
		fmt.Fprintf(w, "<h2>%s</h2>\n", text(2+r.IntN(4)))
		for range 1 + r.IntN(4) {
			fmt.Fprintf(w, "<p>%s", text(20+r.IntN(60)))
			for range r.IntN(4) {
				to := r.IntN(pages + pages/200) // some lead to no page
				fmt.Fprintf(w, " <a href=\"%s\">%s</a> %s", proseName(to), text(1+r.IntN(3)), text(r.IntN(12)+1))
			}
			fmt.Fprint(w, ".</p>\n")
		}
		if r.IntN(3) == 0 {
			fmt.Fprintf(w, "<img src=\"leaf.svg\" alt=\"%s\" width=\"9\" height=\"9\">\n", text(3))
		}
	}
	fmt.Fprintf(
		w,
		"<p><a href=\"%s\">Next</a></p></main><footer><p>Fernhollow Botanic Garden</p></footer></body></html>\n",
		proseName((n+1)%pages),
	)
	if err := w.Flush(); err != nil {
		return err
	}
	return file.Close()
}
