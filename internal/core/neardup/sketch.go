// Package neardup finds texts that are nearly the same, and pages of one layout.
//
// Likeness is the Jaccard index of two sets: the size of what they share over the size of
// both together. Texts are sets of five-word shingles. Each text has a sketch (MinHash:
// Broder, On the resemblance and containment of documents, 1997); sketches that agree in
// one of Bands bands make a candidate, and every candidate is verified on the full sets,
// so no false pair comes out. A pair of likeness s is a candidate with probability
// 1 − (1 − s^Rows)^Bands: 0.9997 at s = 0.9, 0.25 at 0.5.
package neardup

import "slices"

// Bands and Rows split a sketch.
const (
	Bands = 9
	Rows  = 5
)

const size = Bands * Rows

// Sketch is the MinHash of a set of shingles: size minima, nil for an empty set. The
// shingles are hashed once and fall into size bins, each of which keeps its minimum; an
// empty bin borrows from another, chosen by a hash of the two, so that equal sets borrow
// alike (one permutation hashing with optimal densification: Shrivastava, 2017).
func Sketch(shingles []uint64) []uint32 {
	if len(shingles) == 0 {
		return nil
	}
	out := make([]uint32, size)
	var full [size]bool
	empty := size
	for _, s := range shingles {
		s = (s ^ s>>31) * 0x9e3779b97f4a7c15
		s ^= s >> 29
		bin := (s >> 32) * size >> 32
		value := uint32(s)
		if !full[bin] {
			full[bin] = true
			empty--
			out[bin] = value
		} else if value < out[bin] {
			out[bin] = value
		}
	}
	if empty > 0 {
		borrow(out, &full)
	}
	return out
}

func borrow(out []uint32, full *[size]bool) {
	for bin := range out {
		if full[bin] {
			continue
		}
		h := uint32(bin)*0x9e3779b1 + 0x7f4a7c15
		from := h % size
		for !full[from] {
			h = (h ^ h>>15) * 0x85ebca6b
			h += 0x9e3779b1
			from = (h >> 8) % size
		}
		out[bin] = out[from]
	}
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
