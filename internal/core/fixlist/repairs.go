package fixlist

import (
	"slices"
	"strings"

	"harvik/internal/core/check"
	"harvik/internal/core/survey"
	"harvik/internal/core/weburl"
)

// A repair is a change of an address after which it answers: what it is called, and in words. Names begin
// with a digit: of rules that explain as much, the lower is the better reason.
type repair struct{ key, words string }

// repairs tests, for every target that is not there, what its author may have meant: a folder too many or
// missing, another case, another ending. A rule stands where nine tenths of the targets that it speaks of,
// and five of them, answer after it; and where a target redirects, the rule by which it does. All of it
// is held against what the crawl knows.
func repairs(s *survey.Survey, checks []*check.Check, entries []entry, causes []cause) {
	byTarget := make([]bool, len(causes))
	for i := range entries {
		if e := &entries[i]; e.cause >= 0 && checks[e.check].Gather == check.ByTarget {
			byTarget[e.cause] = true
		}
	}
	k := newKnown(s)
	stands := map[string]int{}  // targets that a rule puts right
	claimed := map[string]int{} // targets that it speaks of
	proposals := make([][]repair, len(causes))
	for i := range causes {
		if !byTarget[i] {
			continue
		}
		causes[i].away = !k.good[causes[i].target]
		proposals[i] = k.proposals(causes[i].target, func(key string) { claimed[key]++ })
		for _, r := range proposals[i] {
			stands[r.key]++
		}
	}
	const leastSound = 0.9
	for i := range causes {
		causes[i].repairs = nil
		for _, r := range proposals[i] {
			if n := stands[r.key]; n >= leastPages && float64(n) >= leastSound*float64(max(n, claimed[r.key])) {
				causes[i].repairs = append(causes[i].repairs, r)
			}
		}
		mends := func(r repair) bool { return !strings.HasPrefix(r.key, deadFolder) }
		if slices.ContainsFunc(causes[i].repairs, mends) { // better than that nothing answers in the folder
			causes[i].repairs = slices.DeleteFunc(causes[i].repairs, func(r repair) bool { return !mends(r) })
		}
	}
}

// deadFolder begins the key of a folder that is not there: no repair, but what many targets have in common.
const deadFolder = "7 dead "

// nothingUnder begins the words of a folder that is not there.
const nothingUnder = "nothing answers under "

// known is what a crawl knows of addresses that answer.
type known struct {
	survey *survey.Survey
	good   map[string]bool   // addresses that answer
	loose  map[string]string // one that answers, by its form without case, ending and index name
	tails  map[string]string // the first folder of one that answers, by what is behind it
	alive  map[string]bool   // folders in which something answers
}

func newKnown(s *survey.Survey) *known {
	k := &known{survey: s, good: map[string]bool{}, loose: map[string]string{}, tails: map[string]string{},
		alive: map[string]bool{}}
	for _, list := range [][]survey.Page{s.Pages, s.Loaded} {
		for i := range list {
			if list[i].Status != 200 {
				continue
			}
			address := s.URL(list[i].ID)
			k.good[address] = true
			u, err := weburl.Parse(address)
			if err != nil {
				continue
			}
			if f := looseForm(&u); k.loose[f] == "" {
				k.loose[f] = address
			}
			path := u.Path()
			for end := strings.LastIndexByte(path, '/'); end >= 0; end = strings.LastIndexByte(path[:end], '/') {
				at := u.Origin() + path[:end+1]
				if k.alive[at] {
					break
				}
				k.alive[at] = true
			}
			if slash := strings.IndexByte(path[1:], '/') + 1; slash > 0 && len(path) > slash+1 {
				if at := u.Origin() + path[slash:]; k.tails[at] == "" {
					k.tails[at] = path[:slash+1]
				}
			}
		}
	}
	return k
}

// looseForm is what is left of an address when case, slash, ending and index name are not heeded.
func looseForm(u *weburl.URL) string {
	f := form(u)
	if i := strings.LastIndexByte(f, '.'); i > strings.LastIndexByte(f, '/') {
		f = f[:i]
	}
	return f
}

// proposals are the repairs after which a target answers. Claim is told of all rules that speak of it.
func (k *known) proposals(target string, claim func(key string)) (out []repair) {
	u, err := weburl.Parse(target)
	if err != nil || !u.IsHTTP() || k.good[target] {
		return nil
	}
	add := func(key, words string) { out = append(out, repair{key, words}) }
	if id, ok := k.survey.Find(target); ok && k.survey.Next[id] >= 0 {
		from, to := u.PathQuery(), k.end(id)
		if key, words := redirectRule(u.Origin(), from, to); key != "" {
			claim(key)
			add(key, words)
		}
		return out
	}
	segments := strings.Split(u.Path(), "/")
	if i := slices.IndexFunc(segments, func(s string) bool { return s == "https:" || s == "http:" }); i > 0 &&
		i < len(segments)-1 {
		add("3 whole address", "a whole address stands in their paths: take away what stands before "+segments[i]+"//")
	}
	for i := 1; i < len(segments)-1; i++ { // a folder too many
		before := strings.Join(segments[:i], "/")
		key := "2 without " + u.Origin() + before + "/" + segments[i] + "/"
		claim(key)
		if k.good[u.Origin()+before+"/"+strings.Join(segments[i+1:], "/")+u.Query()] {
			add(key, "take /"+segments[i]+"/ out of their addresses, and they answer")
		}
	}
	if folder := k.tails[u.Origin()+u.Path()]; folder != "" && u.Query() == "" { // a folder is missing
		add("2 within "+folder, "put "+strings.TrimSuffix(folder, "/")+" in front of their paths, and they answer")
	}
	if at := k.loose[looseForm(&u)]; at != "" && at != target {
		key, words := otherForm(target, at)
		add(key, words)
	}
	for i := len(segments) - 1; i > 1; i-- { // nothing at all answers in the folder
		folder := u.Origin() + strings.Join(segments[:i], "/") + "/"
		if k.alive[folder] {
			break
		}
		add(deadFolder+folder, nothingUnder+PathOf(folder))
	}
	return out
}

// end is where a redirecting address leads in the end, "" if to nothing that answers.
func (k *known) end(id int32) string {
	for range 20 {
		next := k.survey.Next[id]
		if next < 0 {
			break
		}
		id = next
	}
	if address := k.survey.URL(id); k.good[address] {
		return address
	}
	return ""
}

// redirectRule tells how an address differs from where it redirects to: another folder, scheme, host,
// ending or slash.
func redirectRule(origin, from, to string) (key, words string) {
	u, err := weburl.Parse(to)
	if err != nil {
		return "", ""
	}
	target := u.PathQuery()
	switch {
	case target == from:
		return "1 to " + u.Origin(), "they redirect to " + u.Origin()
	case u.Origin() == origin && target == from+"/":
		return "1 slash", "they redirect to the same with a slash at the end"
	case u.Origin() == origin && strings.HasPrefix(from, target) && strings.HasSuffix(target, "/") &&
		strings.HasPrefix(from[len(target):], "index."):
		return "1 index", "they redirect to their folder: leave " + from[len(target):] + " away"
	case u.Origin() == origin && from == target+"/":
		return "1 no slash", "they redirect to the same without the slash at the end"
	}
	// What both end in is the same; in front of it one folder stands for another.
	i, j := len(from), len(target)
	for i > 0 && j > 0 && from[i-1] == target[j-1] {
		i, j = i-1, j-1
	}
	cut := strings.IndexByte(from[i:], '/')
	if cut < 0 || from[i+cut:] == "/" {
		return "", ""
	}
	old, now := from[:i+cut+1], target[:j+cut+1]
	if u.Origin() != origin {
		now = u.Origin() + now
	}
	return "1 " + old + " to " + now, "what is under " + old + " has moved to " + now
}

const noEnding = "no ending"

// otherForm says how an address that answers differs from one that does not.
func otherForm(dead, alive string) (key, words string) {
	switch {
	case strings.EqualFold(dead, alive):
		return "4 case", "they answer with capital and small letters set otherwise, such as " + PathOf(alive)
	case strings.TrimSuffix(dead, "/") == strings.TrimSuffix(alive, "/"):
		return "4 slash", "they answer with the slash at the end set otherwise, such as " + PathOf(alive)
	}
	ending := func(address string) string {
		path, _, _ := strings.Cut(address, "?")
		name := path[strings.LastIndexByte(path, '/')+1:]
		if i := strings.LastIndexByte(name, '.'); i >= 0 {
			return name[i:]
		}
		return noEnding
	}
	if ending(alive) == noEnding {
		return "5 ending " + ending(dead) + " to " + noEnding, "they answer without " + ending(dead) + ", such as " +
			PathOf(alive)
	}
	return "5 ending " + ending(dead) + " to " + ending(alive), "they answer with " + ending(alive) + " for " +
		ending(dead) + ", such as " + PathOf(alive)
}
