// Package rights says what people may do: by their role, at the sites that are given to them. What no line of a policy
// allows is forbidden.
package rights

import (
	"bufio"
	"fmt"
	"slices"
	"strings"
)

// A Role is what somebody is to the house.
type Role string

// The roles, those that may most first.
const (
	Owner      Role = "owner"      // everything: people, settings, secrets
	Consultant Role = "consultant" // all work on the sites given to them
	Reader     Role = "reader"     // sees the sites given to them
	Client     Role = "client"     // sees how their sites stand, and the fix list where that is allowed
)

// Roles are all of them, with what each may, in words.
var Roles = []struct {
	Role Role
	Says string
}{
	{Owner, "does everything: people, settings, secrets"},
	{Consultant, "does all work on the sites given"},
	{Reader, "sees the sites given, and changes nothing"},
	{Client, "sees how the sites given stand, and their fix lists where that is allowed"},
}

// Known tells whether there is such a role.
func (r Role) Known() bool { return place(r) < len(Roles) }

// Least is the one of two roles that may less; "" is no bound.
func Least(a, b Role) Role {
	if b == "" {
		return a
	}
	if place(a) > place(b) {
		return a
	}
	return b
}

func place(r Role) int {
	for i := range Roles {
		if Roles[i].Role == r {
			return i
		}
	}
	return len(Roles)
}

// A Right is what a call asks for.
type Right string

// The rights, as a policy names them.
const (
	Open  Right = "open"  // nobody needs to have signed in
	Self  Right = "self"  // about whoever asks
	Stand Right = "stand" // how a site stands, without names, plans, secrets
	List  Right = "list"  // its fix list, without names
	See   Right = "see"   // everything there is to see of it, secrets not among it
	Work  Right = "work"  // everything that is done at it
	Own   Right = "own"   // people, settings, secrets, which sites there are
)

var order = []Right{Open, Self, Stand, List, See, Work, Own}

// most is the greatest right of a role.
var most = map[Role]Right{Owner: Own, Consultant: Work, Reader: See, Client: Stand}

// Somebody is who asks.
type Somebody struct {
	Role       Role
	Lists      bool            // a client who may see the fix lists, too
	Everywhere bool            // all sites, those to come among them
	Sites      map[string]bool // given, by name, where it is not everywhere
}

// May tells whether somebody has a right, at a site where one is named; owners have it everywhere.
func (s *Somebody) May(right Right, site string) bool {
	greatest := most[s.Role]
	if s.Role == Client && s.Lists {
		greatest = List
	}
	at := slices.Index(order, right)
	if at < 0 || at > slices.Index(order, greatest) {
		return right == Open
	}
	return site == "" || s.At(site)
}

// At tells whether a site is given to somebody.
func (s *Somebody) At(site string) bool { return s.All() || s.Sites[site] }

// All tells whether all sites are given to somebody.
func (s *Somebody) All() bool { return s.Role == Owner || s.Everywhere }

// Within is what is left of somebody's rights to who acts for them with fewer.
func (s *Somebody) Within(role Role, everywhere bool, sites map[string]bool) Somebody {
	out := Somebody{
		Role:       Least(s.Role, role),
		Lists:      s.Lists,
		Everywhere: everywhere && s.All(),
		Sites:      map[string]bool{},
	}
	if out.Role == Owner && !out.Everywhere {
		out.Role = Consultant // an owner of some sites is none
	}
	given := sites
	if everywhere {
		given = s.Sites
	}
	for name := range given {
		if s.At(name) {
			out.Sites[name] = true
		}
	}
	return out
}

// A Policy says which right each call asks for, by method and path.
type Policy map[string]Right

// ParsePolicy reads one: a line for each call, of method, path and right; a # begins a comment.
func ParsePolicy(text string) (Policy, error) {
	out := Policy{}
	lines := bufio.NewScanner(strings.NewReader(text))
	for n := 1; lines.Scan(); n++ {
		line, _, _ := strings.Cut(lines.Text(), "#")
		words := strings.Fields(line)
		switch {
		case len(words) == 0:
			continue
		case len(words) != 3:
			return nil, fmt.Errorf("line %d: a line has a method, a path and a right, not %d words", n, len(words))
		case !slices.Contains(order, Right(words[2])):
			return nil, fmt.Errorf("line %d: there is no right %q", n, words[2])
		}
		call := words[0] + " " + words[1]
		if _, twice := out[call]; twice {
			return nil, fmt.Errorf("line %d: %s stands there twice", n, call)
		}
		out[call] = Right(words[2])
	}
	return out, lines.Err()
}
