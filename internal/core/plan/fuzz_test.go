package plan

import (
	"errors"
	"strings"
	"testing"
)

// FuzzRead holds that any text is a valid plan or is refused with its faults, and that a plan that was read
// can be written and read again as the same.
func FuzzRead(f *testing.F) {
	for _, s := range []string{
		"pages: 5000\nselection: spread\nscope: {exclude: [/cart*, 're:[?&]sort=']}", "{}", "pages: 0", "- a\n- b",
		"a: &x [1]\nb: *x",
		"gates:\n  - {kind: form, address: /in, fields: {user: anna, password: 'secret:club'}, proof: Signed in}",
		"hosts: {a.example: '10.0.0.1:80'}",
		"checks: [{check: copy-*, off: true, because: they are short}]", "timeout: 20s\npause: 1h", "? [a]\n: b",
		"!!binary aGk=", "pages: !!int '3'", "\x00", "{a: {b: {c: {d: e}}}}",
	} {
		f.Add([]byte(s))
	}
	known := Known{Limit: func(string) bool { return true }, Check: func(string) bool { return true },
		Kinds: []string{"list"}}
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := ReadValid(data, Plan{}, known)
		var faults Faults
		switch {
		case err == nil:
		case !errors.As(err, &faults) || len(faults) == 0 || len(faults) > maxFaults+1:
			t.Fatalf("refused by %v", err)
		default:
			for _, one := range faults {
				if strings.TrimSpace(one.Reason) == "" {
					t.Fatalf("a fault without a reason: %+v", one)
				}
			}
			return
		}
		_ = p.WithDefaults()
		_ = p.Secrets()
		_ = Differences(p)
	})
}
