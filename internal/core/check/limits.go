package check

import "slices"

// Limits are the thresholds of all checks. A plan changes them by name.
type Limits struct {
	TitleCharacters       int
	TitlePixels           int
	TitleLeast            int
	DescriptionCharacters int
	DescriptionPixels     int
	DescriptionLeast      int
	H1Characters          int
	HeadingNoneWords      int
	ThinWords             int
	DuplicateWords        int
	NearWords             int
	NearPercent           int
}

// A Limit is a threshold's name, unit, default and meaning.
type Limit struct {
	Name    string `json:"name"`
	Unit    string `json:"unit"`
	Default int    `json:"default"`
	Doc     string `json:"doc"`
	field   func(*Limits) *int
}

// AllLimits is every threshold there is.
var AllLimits = []Limit{
	{"title-characters", "characters", 60, "A longer title is likely to be cut in a result list.", func(l *Limits) *int { return &l.TitleCharacters }},
	{"title-pixels", "pixels", 580, "A wider title, set at 20 px in the common sans-serif, is likely to be cut.", func(l *Limits) *int { return &l.TitlePixels }},
	{"title-least", "characters", 15, "A shorter title says too little.", func(l *Limits) *int { return &l.TitleLeast }},
	{"description-characters", "characters", 160, "A longer description is likely to be cut.", func(l *Limits) *int { return &l.DescriptionCharacters }},
	{"description-pixels", "pixels", 990, "A wider description, set at 14 px in the common sans-serif, is likely to be cut.", func(l *Limits) *int { return &l.DescriptionPixels }},
	{"description-least", "characters", 70, "A shorter description wastes its room.", func(l *Limits) *int { return &l.DescriptionLeast }},
	{"h1-characters", "characters", 70, "A longer first-level heading is a sentence, not a heading.", func(l *Limits) *int { return &l.H1Characters }},
	{"heading-none-words", "words", 300, "A longer text needs headings below the first level.", func(l *Limits) *int { return &l.HeadingNoneWords }},
	{"thin-words", "words", 200, "A page with less main text is thin.", func(l *Limits) *int { return &l.ThinWords }},
	{"duplicate-words", "words", 20, "Shorter texts are not compared.", func(l *Limits) *int { return &l.DuplicateWords }},
	{"near-words", "words", 50, "Shorter texts are not compared for likeness.", func(l *Limits) *int { return &l.NearWords }},
	{"near-percent", "percent", 90, "Texts at least this alike are near-duplicates (Jaccard index of five-word shingles).", func(l *Limits) *int { return &l.NearPercent }},
}

// KnownLimit tells whether there is a threshold of this name.
func KnownLimit(name string) bool {
	return slices.ContainsFunc(AllLimits, func(l Limit) bool { return l.Name == name })
}

// NewLimits fills in the defaults, then the changes.
func NewLimits(changes map[string]int) *Limits {
	out := new(Limits)
	for _, l := range AllLimits {
		n, changed := changes[l.Name]
		if !changed {
			n = l.Default
		}
		*l.field(out) = n
	}
	return out
}
