package plan

import (
	"fmt"
	"strings"
)

// longestWord is the longest that is taken for a mistyped one, in bytes.
const longestWord = 100

// Nearest is the word of a list that a mistyped one most likely meant, or "".
func Nearest(word string, list []string) string {
	if len(word) > longestWord {
		return ""
	}
	best, least := "", len(word)/2+1
	for _, w := range list {
		if d := distance(strings.ToLower(word), strings.ToLower(w)); d < least {
			best, least = w, d
		}
	}
	return best
}

// Meant asks for the word of a list that a mistyped one most likely meant, to stand behind what is wrong:
// `, did you mean "pages"?`. It is "" where none is near.
func Meant(word string, list []string) string {
	if near := Nearest(word, list); near != "" {
		return fmt.Sprintf(", did you mean %q?", near)
	}
	return ""
}

// distance is the number of letters to put in, take out, change, or swap with a neighbour
// (optimal string alignment).
func distance(a, b string) int {
	rows := make([][]int, len(a)+1)
	for i := range rows {
		rows[i] = make([]int, len(b)+1)
		rows[i][0] = i
	}
	for j := range b {
		rows[0][j+1] = j + 1
	}
	for i := 1; i <= len(a); i++ {
		for j := 1; j <= len(b); j++ {
			change := rows[i-1][j-1]
			if a[i-1] != b[j-1] {
				change++
			}
			rows[i][j] = min(change, rows[i][j-1]+1, rows[i-1][j]+1)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				rows[i][j] = min(rows[i][j], rows[i-2][j-2]+1)
			}
		}
	}
	return rows[len(a)][len(b)]
}
