package page

import (
	"regexp"
	"strings"
)

// Patterns with counted repetitions run over a text at a hundredth of the speed at which a character is looked for. So
// what they have to begin with is looked for, and they are tried there alone. What is found is the same.

// reach is more bytes than a match of an anchored pattern may have, with what its last assertion reads.
const reach = 320

// matches are those of an anchored pattern, at most so many, that do not overlap. Next gives where one may begin from a
// place on, −1 for nowhere.
func matches(s string, next func(s string, from int) int, pattern *regexp.Regexp, most int) (out [][2]int) {
	for from := 0; len(out) < most; {
		at := next(s, from)
		if at < 0 {
			break
		}
		if m := pattern.FindStringIndex(s[at:min(len(s), at+reach)]); m != nil {
			from = at + m[1]
			out = append(out, [2]int{at, from})
		} else {
			from = at + 1
		}
	}
	return out
}

// nextFiller is where a text for what is not written yet may begin.
func nextFiller(s string, from int) int {
	for i := from; i+1 < len(s); i++ {
		switch c := s[i]; c {
		case '{', '<', '$', '@', '%':
			for _, lead := range leads {
				if lead[0] == c && lead[1] == s[i+1] {
					return i
				}
			}
		case 'l', 'L', 'd', 'D', 'c', 'C', 'y', 'Y', 'i', 'I':
			for _, word := range fillerStarts {
				if c|0x20 == word[0] && s[i+1]|0x20 == word[1] && i+len(word) <= len(s) &&
					strings.EqualFold(s[i:i+len(word)], word) {
					return i
				}
			}
		}
	}
	return -1
}

// leads are what a mark of fillers begins with, fillerStarts their other words.
var (
	leads        = []string{"{{", "{%", "<%", "${", "@@", "%%"}
	fillerStarts = []string{"lorem", "dolor", "conse", "your ", "inser"}
)

// nextBracket is where a bracket opens.
func nextBracket(s string, from int) int {
	if i := strings.IndexByte(s[from:], '['); i >= 0 {
		return from + i
	}
	return -1
}

// mails are the mail addresses of a text, at most so many: from each @ back as far as a name goes, and on by host.
func mails(s string, most int) (out [][2]int) {
	const longest = 64
	from := 0
	for len(out) < most {
		i := strings.IndexByte(s[from:], '@')
		if i < 0 {
			break
		}
		at := from + i
		start := -1
		for j := at - 1; j >= max(from, at-longest) && isMailByte(s[j]); j-- {
			if isAlnum(s[j]) {
				start = j
			}
		}
		end := at + 1
		for end < len(s) && (isAlnum(s[end]) || s[end] == '-' || s[end] == '.') {
			end++
		}
		from = at + 1
		if start < 0 {
			continue
		}
		if m := mailHost.FindStringIndex(s[at+1 : min(len(s), end+1)]); m != nil {
			from = at + 1 + m[1]
			out = append(out, [2]int{start, from})
		}
	}
	return out
}

func isAlnum(c byte) bool { return '0' <= c && c <= '9' || 'a' <= c|0x20 && c|0x20 <= 'z' }

func isMailByte(c byte) bool { return isAlnum(c) || strings.IndexByte("._%+-", c) >= 0 }
