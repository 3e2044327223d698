package graph

import (
	"slices"
	"strconv"
	"testing"
)

func TestWays(t *testing.T) {
	from := []string{"/a", "/b", "/x", "/y", "/self"}
	to := []string{"/b", "/c", "/y", "/x", "/self"}
	for i := range MaxHops + 5 {
		from, to = append(from, strconv.Itoa(i)), append(to, strconv.Itoa(i+1))
	}
	ways := Ways(from, to)
	for start, want := range map[string]Way{
		"/a": {[]string{"/a", "/b", "/c"}, false}, "/b": {[]string{"/b", "/c"}, false},
		"/x": {[]string{"/x", "/y", "/x"}, true}, "/self": {[]string{"/self", "/self"}, true},
		"67": {[]string{"67", "68", "69"}, false},
	} {
		if got := ways[slices.Index(from, start)]; !slices.Equal(got.Hops, want.Hops) || got.Circle != want.Circle {
			t.Errorf("from %s: %+v, want %+v", start, got, want)
		}
	}
	if got := ways[slices.Index(from, "0")]; !got.Circle || len(got.Hops) != MaxHops+1 {
		t.Errorf("a way without end: %d hops, %v", len(got.Hops), got.Circle)
	}
	if got := Ways(nil, nil); len(got) != 0 {
		t.Errorf("of nothing: %v", got)
	}
}
