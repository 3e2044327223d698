package store

import (
	"fmt"
	"hash/maphash"
	"math/rand/v2"
	"reflect"
	"testing"

	"harvik/internal/core/check"
)

// TestEvidenceApart: two places whose texts differ in any field are kept apart, and those that differ in line and
// column alone are one text.
func TestEvidenceApart(t *testing.T) {
	a := &archivist{seed: maphash.MakeSeed(), known: map[uint64]uint32{}}
	first, err := a.text(&check.Place{})
	if err != nil {
		t.Fatal(err)
	}
	numbers := map[uint32]string{first: "nothing"}
	for f := range reflect.TypeFor[check.Place]().Fields() {
		var p check.Place
		v := reflect.ValueOf(&p).Elem().FieldByIndex(f.Index)
		switch v.Kind() {
		case reflect.String:
			v.SetString("x")
		case reflect.Float64:
			v.SetFloat(1)
		case reflect.Int:
			v.SetInt(1)
		case reflect.Uint8:
			v.SetUint(1)
		case reflect.Slice:
			v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		default:
			t.Fatalf("%s is a %s, of which this test knows nothing", f.Name, v.Kind())
		}
		n, err := a.text(&p)
		if err != nil {
			t.Fatal(err)
		}
		if f.Name == "Line" || f.Name == "Col" {
			if n != first {
				t.Errorf("%s alone makes another text", f.Name)
			}
			continue
		}
		if other, met := numbers[n]; met {
			t.Errorf("%s is taken for %s", f.Name, other)
		}
		numbers[n] = f.Name
	}
	for _, pair := range [][2]check.Place{
		{{Note: "ab"}, {Note: "a", Value: "b"}},
		{{Others: []string{"a", "b"}}, {Others: []string{"ab"}}},
		{{Hops: []check.Hop{{Address: "a", Status: 1}}}, {Hops: []check.Hop{{Address: "a", Status: 2}}}},
	} {
		one, _ := a.text(&pair[0])
		other, _ := a.text(&pair[1])
		if one == other {
			t.Errorf("%+v is taken for %+v", pair[0], pair[1])
		}
	}
}

// TestEvidenceList: rows are taken apart as they were packed, and one that is cut or spoilt is refused, not misread.
func TestEvidenceList(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	a := &archivist{seed: maphash.MakeSeed(), known: map[uint64]uint32{}}
	var row failingRow
	var found []check.Finding
	for i := range 40 {
		f := check.Finding{Check: &check.Check{Severity: check.Severity(i % 4)}, More: i % 3}
		for range r.IntN(5) {
			place := check.Place{Note: fmt.Sprint(r.IntN(300)), Line: r.IntN(9000), Col: r.IntN(9000)}
			f.Places = append(f.Places, place)
		}
		if err := a.add(&row, &f, int16(i+1)); err != nil {
			t.Fatal(err)
		}
		found = append(found, f)
	}
	got, err := list(&failed{Checks: row.checks, Places: row.places})
	if err != nil || len(got) != len(found) {
		t.Fatalf("%d of %d (%v)", len(got), len(found), err)
	}
	texts := map[uint32]string{}
	for i, f := range found {
		g := got[i]
		if g.check != int16(i+1) || g.severity != int(f.Check.Severity) || g.more != f.More ||
			len(g.places) != len(f.Places) {
			t.Fatalf("%+v is read as %+v", f, g)
		}
		for k, p := range g.places {
			want := f.Places[k]
			if p.line != want.Line || p.col != want.Col {
				t.Errorf("%+v is read as %+v", want, p)
			}
			if said, met := texts[p.text]; met && said != want.Note {
				t.Errorf("text %d is %q and %q", p.text, said, want.Note)
			}
			texts[p.text] = want.Note
		}
	}
	for cut := range row.places {
		if _, err := list(&failed{Checks: row.checks, Places: row.places[:cut]}); err == nil {
			t.Errorf("a row that is cut after %d of %d bytes is read", cut, len(row.places))
		}
	}
	for _, checks := range [][]int16{nil, {1}, make([]int16, 41)} {
		if _, err := list(&failed{Checks: checks, Places: row.places}); err == nil {
			t.Errorf("a row of %d checks is read", len(checks))
		}
	}
}
