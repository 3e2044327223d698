package record

// A Trial is a crawl judged by other rules, beside how it is judged now.
type Trial struct {
	Was, Now TrialSide
	Checks   []TrialCheck // that fail otherwise, those that move most points first
}

// A TrialSide is a judged crawl in four numbers.
type TrialSide struct {
	Health   float64
	Scored   bool
	Fixes    int
	Findings int
}

// A TrialCheck is how a check fails by either rules.
type TrialCheck struct {
	Check    string
	Was, Now Failing
}

// A Failing is what a check takes, and where it fails.
type Failing struct {
	Points        float64 // of health
	Pages, Places int
}
