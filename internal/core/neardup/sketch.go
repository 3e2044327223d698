// Package neardup finds texts that are nearly the same, and pages of one layout.
//
// Likeness is the Jaccard index of two sets: the size of what they share over the size of
// both together. Texts are sets of five-word shingles. Each text has a sketch (MinHash:
// Broder, On the resemblance and containment of documents, 1997); sketches that agree in
// one of Bands bands make a candidate, and every candidate is verified on the full sets,
// so no false pair comes out. A pair of likeness s is a candidate with probability
// 1 − (1 − s^Rows)^Bands: 0.9998 at s = 0.9, 0.16 at 0.5.
package neardup

import "slices"

// Bands and Rows split a sketch.
const (
	Bands = 11
	Rows  = 6
)

// Sketch is the MinHash of a set of shingles: Bands·Rows minima, nil for an empty set.
func Sketch(shingles []uint64) []uint32 {
	if len(shingles) == 0 {
		return nil
	}
	out := make([]uint32, Bands*Rows)
	for k := range out {
		out[k] = ^uint32(0)
	}
	for _, s := range shingles {
		// Two independent halves span a family of hashes: a + k·b (Kirsch and
		// Mitzenmacher, 2006), mixed so that neighbours in k do not share their minima.
		s = (s ^ s>>31) * 0x9e3779b97f4a7c15
		a, b := uint32(s>>32), uint32(s)|1
		for k := range out {
			a += b
			h := (a ^ a>>15) * 0x85ebca6b
			if h < out[k] {
				out[k] = h
			}
		}
	}
	return out
}

// FrameSize bounds how many features of a page's structure are kept.
const FrameSize = 64

// Frame keeps the FrameSize smallest distinct features, sorted: a sample that is the same
// wherever the same structure stands.
func Frame(features []uint32) []uint32 {
	slices.Sort(features)
	features = slices.Compact(features)
	if len(features) > FrameSize {
		features = features[:FrameSize]
	}
	return slices.Clone(features)
}
