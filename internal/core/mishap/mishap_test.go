package mishap

import (
	"errors"
	"strings"
	"sync/atomic"
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

// TestEach: each number has its turn; a panic of one comes out as the caller's, with the stack of the place.
func TestEach(t *testing.T) {
	var turns [100]atomic.Int32
	Each(len(turns), func(i int) { turns[i].Add(1) })
	for i := range turns {
		if n := turns[i].Load(); n != 1 {
			t.Errorf("%d had %d turns", i, n)
		}
	}
	Each(0, func(int) { t.Error("there is nothing to do") })
	err := Catch(func() error {
		Each(100, func(i int) {
			if i == 7 {
				panic("odd")
			}
		})
		return nil
	})
	var p *Panic
	if !errors.As(err, &p) || p.Value != "odd" || !strings.Contains(string(p.Stack), "TestEach") {
		t.Errorf("a panic of one gives %v", err)
	}
}
