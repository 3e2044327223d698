package page

import (
	"bytes"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"harvik/internal/core/text"
)

// fillers are what stands for a text that is not written yet.
var fillers = regexp.MustCompile(`(?i)\A(?:lorem ipsum dolor|dolor sit amet|consectetur adipiscing|your text here|insert (?:your )?text here|` +
	`\{\{ ?[a-z][\w .|:-]{0,60}\}\}|\{% ?[a-z][^%\n]{1,60}%\}|<%=? ?[a-z][^%\n]{1,60}%>|` +
	`(?-i:\$\{[A-Z0-9_.]{0,40}[a-z][\w.]{0,40}\})|` + // ${UPPER_CASE} is how shells name what is around them
	`@@[A-Z][A-Z0-9_]{1,40}@@|%%[A-Z_]{3,40}%%)`)

// blanks are names in brackets that somebody was to fill in.
var blanks = regexp.MustCompile(`(?i)\A\[(?:name|first ?name|last ?name|your name|company|company name|city|town|product|product name|insert [a-z ]{1,30}|add [a-z ]{1,30} here)\]`)

// notation is how languages with types write lists of something.
var notation = regexp.MustCompile(`(?:::|->|→)\s*(?:\w+\s+)*\[|\[[A-Z][a-z]+[A-Z]\w*\]`)

// isSyntax tells whether a name in brackets is how a manual writes that something may be left out:
// "call([name])", "name [name] ...".
func isSyntax(s string, at [2]int) bool {
	ahead, behind := s[:at[0]], strings.TrimLeft(s[at[1]:], " ")
	if r, _ := utf8.DecodeLastRuneInString(ahead); isWordy(r) || r == '(' || r == '[' {
		return true
	}
	for _, sign := range []string{"::", "->", "=>", "="} {
		if strings.HasSuffix(strings.TrimRight(ahead, " "), sign) {
			return true
		}
	}
	for _, sign := range []string{"...", "…", "|", "[", "=", "]", "->"} {
		if strings.HasPrefix(behind, sign) {
			return true
		}
	}
	return strings.HasSuffix(strings.ToLower(strings.TrimRight(ahead, " ")), strings.ToLower(s[at[0]+1:at[1]-1]))
}

// mailHost is what follows the @ of a mail address.
var mailHost = regexp.MustCompile(`\A(?:[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?\.)+[A-Za-z]{2,24}\b`)

// replaced is a word with a replacement character in it or at its end; one that stands alone, or in
// quotation marks, may be what the text is about.
var replaced = regexp.MustCompile(`[\p{L}\p{N}]*\p{L}\x{FFFD}[\p{L}\p{N}\x{FFFD}]*`)

// misreadCore is what a character of UTF-8 becomes that is read as windows-1252.
const misreadCore = "(?:Ã[\u0080-\u00bf\u0152\u0153\u0160\u0161\u0178\u017d\u017e\u0192\u02c6\u02dc\u2013-\u203a\u20ac\u2122]|" +
	"â€[\u0080-\u00bf\u0153\u2122\u02dc\u201c\u201d\u2013\u2014¦¢]|Â[\u00a0-\u00bf]|ï¿½)"

// mojibake is a word with such letters.
var (
	mojibake      = regexp.MustCompile(`[^\s` + text.Gap + `]{0,30}` + misreadCore + `[^\s` + text.Gap + `]{0,30}`)
	mojibakeBegun = regexp.MustCompile(`\A` + misreadCore)
)

// isMisread tells whether mojibake is in a text. Many languages have letters that begin with the same byte.
func isMisread(s []byte) bool {
	const lead, seconds, longest = 0xc3, "\x82\x83\xa2\xaf", 16
	for from := 0; ; from++ {
		i := bytes.IndexByte(s[from:], lead)
		if i < 0 {
			return false
		}
		from += i
		if from+1 < len(s) && strings.IndexByte(seconds, s[from+1]) >= 0 &&
			mojibakeBegun.Match(s[from:min(len(s), from+longest)]) {
			return true
		}
	}
}

// isGarbled tells a word that stands in a run of bytes which nobody could read: the text shows what becomes of
// bytes, rather than having lost a letter.
func isGarbled(s, word string) bool {
	const many = 3
	at := strings.Index(s, word)
	from := strings.LastIndexAny(s[:at], " \n") + 1
	run := s[from:]
	if end := strings.IndexAny(run, " \n"); end >= 0 {
		run = run[:end]
	}
	return strings.Count(run, "\uFFFD") >= many
}

// maxFound bounds what is kept of each.
const maxFound = 20

// prose finds what checks of wording ask for in the main text outside code: documentation shows
// marks, addresses and broken letters that are no slips.
// MayFill tells that one of fillerWords is in the text.
func (w *walker) prose(main []byte, code []span, mayFill bool) {
	broken, misread := bytes.Contains(main, []byte("\uFFFD")), isMisread(main)
	mayFill = mayFill && containsAny(main, fillerParts)
	if !marked(main) && !mayFill && !broken && !misread {
		return
	}
	plain := make([]byte, 0, len(main)+len(code)*len(text.Gap))
	from := 0
	for _, c := range code {
		plain = append(append(plain, main[from:c.from]...), text.Gap...)
		from = int(c.to)
	}
	s := string(append(plain, main[from:]...))
	d := w.doc
	if mayFill || slices.ContainsFunc(leads, func(lead string) bool { return strings.Contains(s, lead) }) {
		d.Fillers = slices.DeleteFunc(distinct(s, matches(s, nextFiller, fillers, 10*maxFound)),
			func(found string) bool { return isShown(main, code, found) })
	}
	if strings.Contains(s, "[") && len(code) == 0 {
		named := matches(s, nextBracket, blanks, maxFound)
		if len(named) > 0 && notation.MatchString(s) {
			named = nil
		}
		for _, at := range named {
			if found := s[at[0]:at[1]]; !isSyntax(s, at) && !slices.Contains(d.Fillers, found) {
				d.Fillers = append(d.Fillers, found)
			}
		}
	}
	if strings.Contains(s, "@") {
		d.Mails = distinct(s, mails(s, 10*maxFound))
	}
	if broken {
		d.Replaced = slices.DeleteFunc(distinct(s, replaced.FindAllStringIndex(s, 10*maxFound)),
			func(word string) bool { return isGarbled(s, word) })
	}
	if misread {
		d.Misread = distinct(s, mojibake.FindAllStringIndex(s, 10*maxFound))
	}
}

// isShown tells a mark on a page that explains code, or one that stands in quotes: there the text is about marks.
func isShown(main []byte, code []span, found string) bool {
	if len(code) > 0 {
		return true
	}
	i := bytes.Index(main, []byte(found))
	before, _ := utf8.DecodeLastRune(main[:max(0, i)])
	return strings.ContainsRune("\"'`=“‘«„", before) // quoted, or part of an example
}

// marked tells whether a text has a character that addresses and marks of templates need.
func marked(s []byte) bool {
	for _, c := range []byte("@{[%$") {
		if bytes.IndexByte(s, c) >= 0 {
			return true
		}
	}
	return false
}

func containsAny(s []byte, parts [][]byte) bool {
	for _, part := range parts {
		if bytes.Contains(s, part) {
			return true
		}
	}
	return false
}

// fillerWords and fillerParts save the search on the many pages where it cannot find anything.
var fillerWords = []uint64{text.Word("ipsum"), text.Word("dolor"), text.Word("consectetur"), text.Word("here")}

var fillerParts = [][]byte{[]byte("psum"), []byte("PSUM"), []byte("scing"), []byte("ext here")}

// distinct are the stretches of a text that are there, each once.
func distinct[S [2]int | []int](s string, stretches []S) (out []string) {
	for _, at := range stretches {
		if found := s[at[0]:at[1]]; len(out) < maxFound && !slices.Contains(out, found) {
			out = append(out, found)
		}
	}
	return out
}
