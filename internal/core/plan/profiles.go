package plan

import (
	_ "embed"
	"slices"
	"strings"
)

// A Profile is a plain plan that a site's plan starts from.
type Profile struct {
	Name string `json:"name"`
	Say  string `json:"say"`  // whom it is for
	Text string `json:"text"` // the plan, in YAML
}

//go:embed profiles.yaml
var profileFile string

// Profiles are the ones that Harvik brings, each a part of profiles.yaml: "# name: for whom" over
// a plan.
var Profiles = func() []Profile {
	var out []Profile
	for part := range strings.SplitSeq(strings.TrimSpace(profileFile), "\n---\n") {
		head, body, _ := strings.Cut(part, "\n")
		name, say, _ := strings.Cut(strings.TrimPrefix(head, "# "), ": ")
		out = append(out, Profile{name, say, body + "\n"})
	}
	return out
}()

// ProfileNamed finds a profile and its plan. Where there is none, near is the name that was
// probably meant.
func ProfileNamed(name string) (p Plan, near string, ok bool) {
	i := slices.IndexFunc(Profiles, func(p Profile) bool { return p.Name == name })
	if i < 0 {
		var names []string
		for _, one := range Profiles {
			names = append(names, one.Name)
		}
		return Plan{}, Nearest(name, names), false
	}
	p, err := Read([]byte(Profiles[i].Text), Plan{})
	if err != nil {
		panic("profile " + name + ": " + err.Error()) // a test reads them all
	}
	return p, "", true
}
