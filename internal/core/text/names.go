package text

import (
	"strings"
	"unicode"
)

// IsName tells what code and commands call things: one word with signs or digits in it, with capitals inside,
// or without any.
func IsName(t string) bool {
	if t == "" || strings.Contains(t, " ") {
		return false
	}
	inner := strings.ContainsFunc(t,
		func(r rune) bool { return unicode.IsDigit(r) || strings.ContainsRune("_.:()<>-+*/&$@#%=", r) })
	lower := strings.ToLower(t)
	return inner || t == lower || len(t) > 1 && t[1:] != lower[1:]
}

// HasLongName tells a text with a name that nobody can shorten.
func HasLongName(t string) bool {
	const long = 25
	for word := range strings.FieldsSeq(t) {
		if len(word) >= long && IsName(strings.Trim(word, ",;:()")) {
			return true
		}
	}
	return false
}

// AreNames tells a list of names, parted by commas.
func AreNames(t string) bool {
	for part := range strings.SplitSeq(t, ",") {
		if !IsName(strings.TrimSpace(part)) {
			return false
		}
	}
	return true
}
