package plan

import (
	"fmt"
	"runtime"
	"strings"
	"testing"
)

// TestSmall: a small text is a small plan, and what is wrong with a text is told in a small answer.
func TestSmall(t *testing.T) {
	aliases := "a: &a [x,x,x,x,x,x,x,x,x]\n"
	for i := range 8 {
		one := fmt.Sprintf("*%c,", 'a'+i)
		aliases += fmt.Sprintf("%c: &%c [%s]\n", 'b'+i, 'b'+i, strings.TrimSuffix(strings.Repeat(one, 9), ","))
	}
	known := Known{Limit: func(string) bool { return true }, Check: func(string) bool { return true }}
	for name, text := range map[string]string{
		"aliases of aliases": aliases,
		"an alias":           "headers: {a: &x b, c: *x}",
		"a merge":            "timeouts: &t {tls: 1s}\nscope: {<<: *t}",
		"depth":              strings.Repeat("[", 9000),
		"depth in lines":     strings.Repeat("- ", 9000) + "x",
		"depth of settings":  strings.Repeat("{scope: ", 3000) + strings.Repeat("}", 3000),
		"commas":             "scope: {exclude: [" + strings.Repeat(",", 1<<20),
		"empty lines":        strings.Repeat("\n", 1<<20),
		"unknown settings":   strings.Repeat("x: 1\n", 50_000),
		"faults":             "scope: {exclude: [" + strings.Repeat("a,", 990) + "a]}",
		"faults of numbers": "limits: {" + strings.Repeat("a: -1, ", 1) + "b: -1}\nchecks: [" +
			strings.Repeat("{check: x, off: maybe},", 900) + "]",
		"a long list": "scope: {include: [" + strings.Repeat("/a,", 2000) + "/b]}",
		"a long name": "headers: {" + strings.Repeat("a", 20_000) + ": b}",
		"too large":   strings.Repeat("# x\n", MaxBytes/4+1),
	} {
		var before, after runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&before)
		_, err := ReadValid([]byte(text), Plan{}, known)
		runtime.ReadMemStats(&after)
		if err == nil && name != "empty lines" {
			t.Errorf("%s: taken as a plan", name)
		}
		if used := after.TotalAlloc - before.TotalAlloc; used > 200<<20 {
			t.Errorf("%s: %d KB of text take %d MB", name, len(text)>>10, used>>20)
		}
		if err != nil && len(err.Error()) > 60_000 {
			t.Errorf("%s: the answer has %d bytes", name, len(err.Error()))
		}
	}
	if p, err := ReadValid([]byte("pages: 5\nsources: {addresses: ["+strings.Repeat("/a,", 50_000)+"/b]}"), Plan{},
		known); err != nil || len(p.Sources.Addresses) != 50_001 {
		t.Errorf("a long list of addresses: %d (%v)", len(p.Sources.Addresses), err)
	}
}
