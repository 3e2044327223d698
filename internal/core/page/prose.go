package page

import (
	"bytes"
	"regexp"
	"strings"

	"harvik/internal/core/text"
)

// fillers are what stands for a text that is not written yet.
var fillers = regexp.MustCompile(`(?i)lorem ipsum|dolor sit amet|consectetur adipiscing|your text here|insert (?:your )?text here|` +
	`\{\{[^{}\n]{1,60}\}\}|\{%[^%\n]{1,60}%\}|<%=?[^%\n]{1,60}%>|\[(?:name|first ?name|last ?name|your name|company|company name|city|town|product|product name|insert [a-z ]{1,30}|add [a-z ]{1,30} here)\]|` +
	`\$\{[A-Za-z_][\w.]{0,40}\}|%%[A-Z_]{3,40}%%`)

var mail = regexp.MustCompile(`[A-Za-z0-9][A-Za-z0-9._%+-]{0,63}@(?:[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?\.)+[A-Za-z]{2,24}\b`)

// maxFound bounds what is kept of each.
const maxFound = 20

// prose finds what checks of wording ask for in the main text outside code: documentation shows
// marks and addresses that are no slips.
func (w *walker) prose(main []byte, code []span) {
	if !marked(main) && !mayFill(main) {
		return
	}
	var plain []byte
	from := 0
	for _, c := range code {
		plain = append(append(plain, main[from:c.from]...), text.Gap...)
		from = int(c.to)
	}
	s := string(append(plain, main[from:]...))
	d := w.doc
	if strings.ContainsAny(s, "{[$%") || mayFill(main) {
		d.Fillers = distinct(fillers, s)
	}
	if strings.Contains(s, "@") {
		d.Mails = distinct(mail, s)
	}
}

// marked tells whether a text has a character that addresses and marks of templates need.
func marked(s []byte) bool {
	for _, c := range []byte("@{[$%") {
		if bytes.IndexByte(s, c) >= 0 {
			return true
		}
	}
	return false
}

// mayFill saves the search on the many pages where it cannot find anything.
func mayFill(s []byte) bool {
	for _, word := range fillerParts {
		if bytes.Contains(s, word) {
			return true
		}
	}
	return false
}

var fillerParts = [][]byte{[]byte("psum"), []byte("PSUM"), []byte("scing"), []byte("ext here")}

func distinct(of *regexp.Regexp, s string) (out []string) {
	seen := map[string]bool{}
	for _, found := range of.FindAllString(s, 10*maxFound) {
		if !seen[found] && len(out) < maxFound {
			seen[found] = true
			out = append(out, found)
		}
	}
	return out
}
