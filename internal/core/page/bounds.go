package page

import (
	"strings"

	"harvik/internal/core/text"
)

// What is kept of one page at most. No page that people read comes near; a hostile one could otherwise make
// its facts many times as large as itself. What is left out is counted in Document.Left.
const (
	maxLinks    = 100_000
	maxHeadings = 20_000
	maxImages   = 50_000
	maxFew      = 500    // of what a page has once or some times: titles, descriptions, canonicals, forms
	maxWords    = 5000   // bytes of the words of a link or heading, and of an alternative text
	maxContent  = 20_000 // bytes of a title, description or other content of the head
	maxHref     = 16_000 // bytes of a reference as it is written; addresses of half of that are not fetched
)

// room tells whether a list takes another item, and counts those that it does not.
func (w *walker) room(have, most int) bool {
	if have >= most {
		w.doc.Left++
		return false
	}
	return true
}

// folded is a text folded, of at most so many bytes. Of one that is longer its beginning is looked at.
func folded(b []byte, most int) string {
	if len(b) > 4*most {
		b = b[:4*most]
	}
	return cut(text.Fold(b), most)
}

// cut is a text of at most so many bytes, in whole characters.
func cut(s string, most int) string {
	if len(s) <= most {
		return s
	}
	return strings.ToValidUTF8(s[:most], "")
}
