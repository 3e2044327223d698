package cli

import (
	"bytes"
	"strings"
	"testing"
	"unicode"
)

// TestScreen: nothing that a site says reaches a terminal as a command to it.
func TestScreen(t *testing.T) {
	show := func(parts ...string) string {
		var b bytes.Buffer
		s := &screen{to: &b}
		for _, p := range parts {
			if n, err := s.Write([]byte(p)); n != len(p) || err != nil {
				t.Fatalf("%q: %d written (%v)", p, n, err)
			}
		}
		return b.String()
	}
	for in, want := range map[string]string{
		"plain\ttext\n":               "plain\ttext\n",
		"garden – ◆ 花園":               "garden – ◆ 花園",
		"\x1b[2J\x1b[H":               "␛[2J␛[H",
		"\x1b]52;c;aGk=\x07":          "␛]52;c;aGk=␇",
		"a\rb\x00c\x7f\b":             "a␍b␀c␡␈",
		"c1: \u009b2J \u0085":         "c1: <U+009B>2J <U+0085>",
		"raw c1: \x9b2J":              "raw c1: \uFFFD2J",
		"\u202egnp.exe\u2066x\u2069":  "<U+202E>gnp.exe<U+2066>x<U+2069>",
		"\u2028 \ufeff \u200f \u061c": "<U+2028> <U+FEFF> <U+200F> <U+061C>",
		"\x1b[1mbold\x1b[0m":          "␛[1mbold␛[0m",
		"\x1b[1;123456789m":           "␛[1;123456789m",
		"\x1b":                        "␛",
		"\x1b[":                       "␛[",
		"kept \uFFFD":                 "kept \uFFFD",
		"tag \U000e0041":              "tag <U+E0041>",
	} {
		if got := show(in); got != want {
			t.Errorf("%q is shown as %q, want %q", in, got, want)
		}
	}
	if got, want := show(painted(codeBold, "own"), overwrite()+"x"), "\x1b[1mown\x1b[0m\r\x1b[Kx"; got != want {
		t.Errorf("Harvik's own: %q, want %q", got, want)
	}
	if got := show(painted(codeBold, "a\x1b[31mb")); strings.Contains(got, "\x1b[31m") {
		t.Errorf("inside its own: %q", got)
	}
	var all strings.Builder
	for r := range rune(0x10ffff) {
		all.WriteRune(r)
	}
	for _, r := range show(all.String()) {
		if unicode.IsControl(r) && r != '\n' && r != '\t' || unicode.Is(unicode.Bidi_Control, r) {
			t.Fatalf("U+%04X reaches the terminal", r)
		}
	}
	var b bytes.Buffer
	if raw(&screen{to: &b}) != &b || raw(&b) != &b {
		t.Error("what programs read is not written as it is")
	}
}
