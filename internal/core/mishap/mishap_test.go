package mishap

import (
	"errors"
	"strings"
	"testing"
)

func TestCatch(t *testing.T) {
	known := errors.New("known")
	for _, c := range []struct {
		name string
		f    func() error
		want string
		is   error
	}{
		{"nothing", func() error { return nil }, "", nil},
		{"an error", func() error { return known }, "known", known},
		{"a panic", func() error { panic("odd") }, "Harvik made a mistake here (odd); its log says where", nil},
		{"a panic with an error", func() error { panic(known) },
			"Harvik made a mistake here (known); its log says where", known},
		{"an index out of range", func() error { return []error{}[len(c0())] }, "index out of range", nil},
	} {
		err := Catch(c.f)
		switch {
		case c.want == "" && err != nil, c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)):
			t.Errorf("%s gives %v", c.name, err)
		case c.is != nil && !errors.Is(err, c.is):
			t.Errorf("%s loses its error", c.name)
		}
		var p *Panic
		if errors.As(err, &p) && !strings.Contains(string(p.Stack), "mishap_test.go") {
			t.Errorf("%s: the stack does not lead to the place:\n%s", c.name, p.Stack)
		}
	}
}

func c0() string { return "x" }
