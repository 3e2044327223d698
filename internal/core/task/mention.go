package task

import (
	"strings"
	"unicode"
)

// Mentioned are those of names to whom a text speaks: after an @ that stands at the beginning of a word, as they are
// written in names. Case does not matter. Where one name begins like another, the longest that stands there counts.
func Mentioned(text string, names []string) []string {
	runes := []rune(text)
	var out []string
	seen := map[string]bool{}
	for i, r := range runes {
		if r != '@' || i > 0 && wordly(runes[i-1]) {
			continue
		}
		longest := ""
		for _, name := range names {
			n := len([]rune(name))
			rest := runes[i+1:]
			if n > len([]rune(longest)) && n <= len(rest) && strings.EqualFold(string(rest[:n]), name) &&
				(n == len(rest) || !wordly(rest[n])) {
				longest = name
			}
		}
		if longest != "" && !seen[longest] {
			seen[longest] = true
			out = append(out, longest)
		}
	}
	return out
}

func wordly(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }
