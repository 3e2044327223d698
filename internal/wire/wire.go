// Package wire turns what the core computes and the store keeps into what the API sends, field by field. So neither
// can change what callers get, and nothing leaves that the description does not name.
package wire

import (
	"strconv"

	"github.com/oapi-codegen/runtime/types"

	"harvik/internal/record"
)

// List is a list that is never null.
func List[T any](in []T) []T {
	if in == nil {
		return []T{}
	}
	return in
}

// Each turns every one of a list over; the result is never null.
func Each[A, B any](in []A, turn func(*A) B) []B {
	out := make([]B, len(in))
	for i := range in {
		out[i] = turn(&in[i])
	}
	return out
}

// some is Each for lists that are left out where they are empty.
func some[A, B any](in []A, turn func(*A) B) []B {
	if len(in) == 0 {
		return nil
	}
	return Each(in, turn)
}

// maybe turns over what may be missing.
func maybe[A, B any](in *A, turn func(*A) B) *B {
	if in == nil {
		return nil
	}
	out := turn(in)
	return &out
}

// value is what a pointer leads to; zero for nil.
func value[T any](p *T) (v T) {
	if p != nil {
		v = *p
	}
	return v
}

func day(d record.Day) types.Date { return types.Date{Time: d.Time} }

// counts are never null.
func counts(in map[string]int) map[string]int {
	if in == nil {
		return map[string]int{}
	}
	return in
}

// depths are counts by depth, whose keys are texts in JSON.
func depths(in map[int]int) map[string]int {
	out := make(map[string]int, len(in))
	for depth, n := range in {
		out[strconv.Itoa(depth)] = n
	}
	return out
}
