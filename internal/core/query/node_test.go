package query

import (
	"fmt"
	"strings"
	"testing"
)

// told is a tree in a line: what is plain of it, ? for the rest.
func (t *Table) told(n *Node) string {
	operand := func(o Operand) string {
		switch {
		case o.Fact < 0:
			return fmt.Sprintf("%#v", o.Value)
		case o.Length:
			return "size " + t.Facts[o.Fact].Name
		case o.Small:
			return "small " + t.Facts[o.Fact].Name
		}
		return t.Facts[o.Fact].Name
	}
	var parts []string
	for _, p := range n.Parts {
		parts = append(parts, t.told(p))
	}
	switch n.Op {
	case Opaque:
		return "?"
	case And, Or, Not:
		return map[Op]string{And: "and", Or: "or", Not: "not"}[n.Op] + "(" + strings.Join(parts, ", ") + ")"
	case True:
		return operand(n.Left)
	case Known:
		return "known " + operand(n.Left)
	case In:
		return fmt.Sprintf("%s in %v", operand(n.Left), n.Values)
	}
	signs := map[Op]string{Equal: "=", Unequal: "≠", Less: "<", AtMost: "≤", More: ">", AtLeast: "≥", Contains: "has",
		StartsWith: "begins", EndsWith: "ends", Has: "lists"}
	return operand(n.Left) + " " + signs[n.Op] + " " + operand(n.Right)
}

// TestNodes: what others than CEL are told of questions, so that they can leave rows out.
func TestNodes(t *testing.T) {
	pages := TableOf("pages") // whose first fact is the address
	for question, want := range map[string]string{
		`address == "x"`:                          `address = "x"`,
		`"x" == address`:                          `address = "x"`,
		`"x" < address`:                           `address > "x"`,
		`1 <= words`:                              `words ≥ 1`,
		`1 > words || 2 >= words`:                 `or(words < 1, words ≤ 2)`,
		`words < linksOut && words != 3`:          `and(words < linksOut, words ≠ 3)`,
		`!(health < 3.5)`:                         `not(health < 3.5)`,
		`indexable && !inSitemap`:                 `and(indexable, not(inSitemap))`,
		`indexable == false`:                      `indexable = false`,
		`address.contains("a")`:                   `address has "a"`,
		`title.startsWith(address)`:               `title begins address`,
		`title.endsWith("x") && "a".contains(h1)`: `and(title ends "x", ?)`,
		`address in ["a", "b"]`:                   `address in [a b]`,
		`address in ["a", title]`:                 `?`,
		`title in [address]`:                      `?`,
		`"a" in [address]`:                        `?`,
		`"a" in terms`:                            `terms lists "a"`,
		`title in terms`:                          `?`,
		`words in []`:                             `or()`,
		`size(address) > 3`:                       `size address > 3`,
		`title.size() == size(h1)`:                `size title = size h1`,
		`size(terms) > 3`:                         `?`,
		`size("abc") > words`:                     `?`,
		`size(title + h1) > 3`:                    `?`,
		`known(address)`:                          `known address`,
		`known(clicks) || known(terms)`:           `or(known clicks, ?)`,
		`true`:                                    `and()`,
		`false || indexable`:                      `or(or(), indexable)`,
		`1 < 2`:                                   `?`,
		`"a" == "b"`:                              `?`,
		`words == 9007199254740992`:               `words = 9007199254740992`,
		`words == 9007199254740993`:               `?`,
		`words > -9007199254740992`:               `words > -9007199254740992`,
		`words > -9007199254740993`:               `?`,
		`title == "a\u0000b"`:                     `?`,
		`words + 1 > 3`:                           `?`,
		`title.lower() == "x"`:                    `small title = "x"`,
		`"x".lower() == title`:                    `?`,
		`title.lower() in ["x", "y"]`:             `small title in [x y]`,
		`title.matches("x") && words > 3`:         `and(?, words > 3)`,
		`section == "/a/"`:                        `section = "/a/"`,
		`terms == terms`:                          `?`,
		`figures.visits > 3`:                      `?`,
		`words > 1 ? indexable : false`:           `?`,
		``:                                        `and()`,
	} {
		q, err := pages.Compile(question)
		if err != nil {
			t.Errorf("%s: %v", question, err)
			continue
		}
		if got := pages.told(q.Node()); got != want {
			t.Errorf("%s: %s, want %s", question, got, want)
		}
	}
	for question, want := range map[string]bool{
		`terms.exists(t, t == "a")`: true, `title == "a" && terms.all(t, t == "a")`: true, `words + 1 > 3`: false,
		`"a" in terms`: false,
	} {
		env, err := pages.environment()
		if err != nil {
			t.Fatal(err)
		}
		tree, issues := env.Compile(question)
		if issues.Err() != nil {
			t.Fatal(issues.Err())
		}
		if got := goesThrough(tree.NativeRep()); got != want {
			t.Errorf("%s goes through a list: %v", question, got)
		}
	}
}

// TestDeciding takes apart what some facts decide alone; what that excludes is no answer.
func TestDeciding(t *testing.T) {
	links := TableOf("links")
	target := func(fact string) bool { return strings.HasPrefix(fact, Target) }
	for text, excludes := range map[string]string{ // of a target with status 404 and no title
		`target.status == 404`:                            "no",
		`target.status == 200`:                            "yes",
		`target.status == 200 && follow`:                  "yes",
		`follow && (words == "x" && target.status > 404)`: "yes",
		`target.status == 404 && target.words > 3`:        "yes", // which is not known
		`target.status == 200 || follow`:                  "none",
		`!(target.status == 404 || target.status == 410)`: "yes",
		`target.title == source.title`:                    "none",
		`target.title == ""`:                              "yes", // likewise
		`target.path == ""`:                               "no",
		`known(target.words)`:                             "yes",
		`target.status in [200, 301]`:                     "yes",
		`target.title.matches("x")`:                       "none",
		`follow`:                                          "none",
		``:                                                "none",
		`target.status + 1 == 405 && target.title.contains("x")`: "yes",
	} {
		q, err := links.Compile(text)
		if err != nil {
			t.Fatal(err)
		}
		row := make([]any, len(links.Facts))
		row[links.Fact("target.status")] = 404
		by := q.Deciding(target)
		got := "none"
		if by != nil {
			got = map[bool]string{true: "yes", false: "no"}[links.Excludes(by, row)]
		}
		if got != excludes {
			t.Errorf("%s: excluded %s, want %s", text, got, excludes)
		}
		for _, follow := range []bool{true, false} { // whatever the other facts are
			row[links.Fact("follow")] = follow
			if holds, err := q.Holds(row); got == "yes" && (holds || err != nil) {
				t.Errorf("%s holds of what is excluded (%v)", text, err)
			}
		}
	}
}
