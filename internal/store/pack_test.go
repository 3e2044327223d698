package store

import (
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"harvik/internal/core/page"
)

func TestPackedLinks(t *testing.T) {
	links := []page.Link{
		{Words: "ferns", Place: "nav > ul > li 1", Region: page.Navigation, Fragment: "x",
			Pos: page.Pos{Line: 3, Col: 70_000}},
		{Label: "Home", Place: "nav > ul > li 1", Region: page.Banner, NoFollow: true},
		{Href: "http://[", Hidden: true, Region: page.Footer},
		{Words: "Führungen – 日本", Region: page.Aside},
	}
	targets := []int32{0, 1<<31 - 2, -1, 7}
	packed := packLinks(links, targets)
	gotLinks, gotTargets, err := unpackLinks(packed)
	if err != nil || !reflect.DeepEqual(gotLinks, links) || !slices.Equal(gotTargets, targets) {
		t.Errorf("unpacked %+v to %v (%v)", gotLinks, gotTargets, err)
	}
	if l, _, err := unpackLinks(packLinks(nil, nil)); err != nil || l != nil {
		t.Errorf("no links became %v (%v)", l, err)
	}
	// Damage is an error, never a panic.
	if _, _, err := unpackLinks([]byte{0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 1}); err == nil {
		t.Error("a number of places beyond all numbers is believed")
	}
	r := rand.New(rand.NewPCG(2, 2))
	for range 2000 {
		broken := slices.Clone(packed)
		broken[r.IntN(len(broken))] = byte(r.Uint32())
		_, _, _ = unpackLinks(broken[:r.IntN(len(broken))])
	}
}

func TestPackedNumbers(t *testing.T) {
	for _, numbers := range [][]int32{nil, {0}, {5, 6, 900, 1 << 30}} {
		if got := unpackNumbers(packNumbers(numbers)); !slices.Equal(got, numbers) {
			t.Errorf("%v became %v", numbers, got)
		}
	}
}
