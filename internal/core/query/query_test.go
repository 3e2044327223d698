package query

import (
	"errors"
	"slices"
	"strings"
	"testing"
)

// row is a page of which some facts are known.
func row(t *Table, facts map[string]any) []any {
	out := make([]any, len(t.Facts))
	all := make([]int, len(t.Facts))
	for i := range t.Facts {
		out[i], all[i] = facts[t.Facts[i].Name], i
	}
	t.Complete(out, all)
	return out
}

var fern = map[string]any{
	"address": "https://fernhollow.example/plants/moss?page=2", "status": 200, "title": "Moss – Fernhollow", "words": 120,
	"indexable": true, "health": 91.25, "linksIn": 0, "terms": []string{"moss", "shade"},
	"figures": map[string]any{"visits": 12.0, "bounce rate": 0.4, "owner": "ash"},
}

// TestHolds asks one page, of which no clicks, no description and no importance are known.
func TestHolds(t *testing.T) {
	pages := TableOf("pages")
	for question, want := range map[string]bool{
		"":                                      true,
		"  \n ":                                 true,
		"words == 120":                          true,
		"words > 120":                           false,
		"words >= 120.0":                        true,
		"121 > words":                           true,
		"health < 91.3":                         true,
		"health > 91":                           true,
		"indexable":                             true,
		"!indexable":                            false,
		"indexable == true && status in [200]":  true,
		"title.contains(\"–\")":                 true,
		"size(title) == 17":                     true,
		"title.size() == 17":                    true,
		"title.lower().startsWith(\"moss\")":    true,
		"title.matches(\"(?i)^MOSS\")":          true,
		"description == \"\"":                   true,
		"known(description)":                    false,
		"known(title)":                          true,
		"known(clicks)":                         false,
		"!known(clicks)":                        true,
		"known(linksIn)":                        true,
		"clicks > 3":                            false,
		"!(clicks > 3)":                         false,
		"clicks == clicks":                      false,
		"clicks > 3 || words > 3":               true,
		"clicks > 3 && words > 500":             false,
		"!(clicks > 3 && words > 500)":          true,
		"clicks in []":                          false,
		"!(clicks in [])":                       true, // nothing is in it
		"section == \"/plants/\"":               true,
		"path == \"/plants/moss?page=2\"":       true,
		"host == \"fernhollow.example\"":        true,
		"\"moss\" in terms":                     true,
		"terms.exists(t, t.endsWith(\"de\"))":   true,
		"terms.all(t, size(t) > 4)":             false,
		"known(terms)":                          true,
		"figures.visits > 10":                   true,
		"figures[\"bounce rate\"] == 0.4":       true,
		"figures.owner == \"ash\"":              true,
		"figures.sales > 10":                    false,
		"!(figures.sales > 10)":                 false,
		"known(figures)":                        true,
		"words > 100 ? health > 90 : status==1": true,
		"words / 10 == 12":                      true,
		"string(status) == \"200\"":             true,
	} {
		q, err := pages.Compile(question)
		if err != nil {
			t.Errorf("%s: %v", question, err)
			continue
		}
		if got, err := q.Holds(row(pages, fern)); err != nil || got != want {
			t.Errorf("%s: %v (%v), want %v", question, got, err, want)
		}
	}
	for question, says := range map[string]string{
		"words / linksIn > 2":                  "divides by nought",
		"words % linksIn == 1":                 "divides by nought",
		"words * 9223372036854775807 > 1":      "too large",
		"int(title) > 2":                       "cannot be",
		"words / linksIn > 2 && status == 404": "",
		strings.Repeat("terms.all(a, terms.all(b, a != b)) || ", 3) + "false": "",
	} {
		q, err := pages.Compile(question)
		if err != nil {
			t.Errorf("%s: %v", question, err)
			continue
		}
		got, err := q.Holds(row(pages, fern))
		if got || (says == "") != (err == nil) || err != nil && !errors.Is(err, ErrUnjudged) {
			t.Errorf("%s: %v, %v, want %q", question, got, err, says)
		}
	}
}

// TestMistakes: whoever asks wrongly is told what, where, and what to write instead.
func TestMistakes(t *testing.T) {
	for _, c := range []struct{ of, question, says string }{
		{"pages", `tilte == "x"`, `column 1: pages have no fact tilte, did you mean "title"?`},
		{"pages", `links_in < 10`, "column 1: the fact is written linksIn"},
		{"pages", `LINKSIN < 10`, "column 1: the fact is written linksIn"},
		{"pages", `kind == service`, `column 9: pages have no fact service; if it is meant as words, write it in quotation marks: "service"`},
		{"pages", `words > 3 && region == "content"`, "column 14: pages have no fact region; links have it"},
		{"pages", `title = "x"`, "column 7: to compare, write =="},
		{"pages", `title == "a" or title == "b"`, `column 14: "or" is written || here`},
		{"pages", `words > 10 and clicks < 3`, `column 12: "and" is written && here`},
		{"pages", `words > 10 AND clicks < 3`, `column 12: "AND" is written && here`},
		{"pages", `not indexable`, `column 1: "not" is written ! here`},
		{"pages", `title is null`, `column 7: "is" is written == here`},
		{"pages", `words <> 3`, "column 8: for unequal, write !="},
		{"pages", `words > 3 & clicks > 2`, "column 11: for and, write &&"},
		{"pages", `words > 3 | clicks > 2`, "column 11: for or, write ||"},
		{"pages", `title == 'abc`, "column 10: a quotation mark is opened and not closed"},
		{"pages", `title == “abc”`, `column 10: quotation marks are straight here: " or '`},
		{"pages", `(words > 3`, "column 11: a bracket is opened and not closed"},
		{"pages", `words > 3)`, "column 10: a bracket is closed that was not opened"},
		{"pages", `words >`, "column 8: the question ends too early"},
		{"pages", `words > 3 && `, "column 14: the question ends too early"},
		{"pages", `title == "a" "b"`, `column 14: "\"" cannot stand here`},
		{"pages", `$foo`, `column 1: "$" says nothing here`},
		{"pages", `words > 10k`, "column 11: a number is written without marks or letters, such as 10000"},
		{"pages", `words > 10,000`, "column 11: a number is written without marks or letters, such as 10000"},
		{"pages", `status in (404, 410)`, "column 15: a list stands in square brackets: status in [404, 410]"},
		{"pages", `100 < words < 200`, "column 13: one comparison cannot go on in another; write a < b && b < c"},
		{"pages", `title == 5`, "column 7: == cannot take words and a number; numbers stand without quotation marks, words with them"},
		{"pages", `status == "404"`, "column 8: == cannot take a number and words; numbers stand without quotation marks, words with them"},
		{"pages", `indexable == "yes"`, "column 11: == cannot take yes or no and words; write true or false, without quotation marks"},
		{"pages", `indexable == yes`, `column 14: "yes" is written true here`},
		{"pages", `indexable == True`, `column 14: "True" is written true here`},
		{"pages", `clicks == 3.0`, "column 8: == cannot take a whole number and one with decimals; write 1.0 for 1, or 1 for 1.0"},
		{"pages", `health == 90`, "column 8: == cannot take a whole number and one with decimals; write 1.0 for 1, or 1 for 1.0"},
		{"pages", `description == null`, "column 13: nothing is compared with null; write known(FACT) where a fact has a value"},
		{"pages", `description == none`, `column 16: "none" is written !known(FACT) here`},
		{"pages", `status in [404, "410"]`, "column 17: words does not fit where a number is wanted"},
		{"pages", `status in 404`, "column 8: in looks for a number in a list of such, as in [1, 2], not in a number"},
		{"pages", `title in ["a"] && words in ["b"]`, "column 25: in looks for a number in a list of such, as in [1, 2], not in a list"},
		{"pages", `words && indexable`, "column 1: a number does not fit where yes or no is wanted"},
		{"pages", `words > 3 && title`, "column 14: words does not fit where yes or no is wanted"},
		{"pages", `!title`, "column 1: ! joins what is true or false, not words"},
		{"pages", `words`, "column 1: a question is to be true or false of each page; this one gives a number; compare it: words > 10"},
		{"pages", `title`, `column 1: a question is to be true or false of each page; this one gives words; write known(title), or compare it: title == "…"`},
		{"pages", `bytes + 5`, "column 1: a question is to be true or false of each page; this one gives a number"},
		{"pages", `terms`, "column 1: a question is to be true or false of each page; this one gives a list"},
		{"pages", `title - "a" == "b"`, "column 7: - cannot take words and words"},
		{"pages", `size(words) > 3`, "column 1: size() does not take (a number); write size(title)"},
		{"pages", `len(title) > 5`, "column 1: there is no len(); write size()"},
		{"pages", `title.length() > 5`, "column 7: there is no length(); write size()"},
		{"pages", `title.includes("x")`, "column 7: there is no includes(); write contains()"},
		{"pages", `title.startswith("x")`, `column 7: there is no startswith(), did you mean "startsWith"?`},
		{"pages", `title.contains(5)`, `column 7: contains() is not for words with (a number); write title.contains("sale")`},
		{"pages", `contains(title, "x")`, `column 1: contains() does not take (words, words); write title.contains("sale")`},
		{"pages", `words.contains("x")`, `column 7: contains() is not for a number with (words); write title.contains("sale")`},
		{"pages", `title.startsWith "x"`, `column 18: "\"" cannot stand here`},
		{"pages", `foo(3)`, "column 1: there is no foo(); there are size, contains"},
		{"pages", `title(3)`, "column 1: title is a fact, and takes nothing in brackets"},
		{"pages", `title.matches("(")`, "column 15: \"(\" is no regular expression (RE2): missing closing ): `(`"},
		{"pages", `title.matches("(?=a)")`, `column 15: "(?=a)" is no regular expression (RE2): invalid or unsupported Perl syntax`},
		{"pages", `title.matches("(a{1000}){1000}")`, `column 15: "(a{1000}){1000}" is no regular expression (RE2): invalid repeat count`},
		{"pages", `title.matches("(abc[0-9]+x){500}")`, "the regular expression is too large; counted repetitions such as {500} make it so"},
		{"pages", `title.matches(h1)`, "column 15: the pattern of matches is to be written out in quotation marks"},
		{"pages", `title.matches("a" + h1)`, "the pattern of matches is to be written out in quotation marks"},
		{"pages", `known()`, "column 1: known() takes something else; write known(clicks)"},
		{"pages", `known(1)`, "column 7: known() takes the name of a fact, such as known(clicks)"},
		{"pages", `known(clickz)`, `column 7: pages have no fact clickz, did you mean "clicks"?`},
		{"pages", `has(title)`, "column 1: there is no has(); write known()"},
		{"pages", `title.x == 1`, "words has no parts that a point could lead to"},
		{"pages", `title.exists(x, x == "a")`, "column 1: words is no list that could be gone through"},
		{"pages", `terms.exists(x)`, `column 7: exists() takes something else; write terms.exists(t, t == "moss")`},
		{"pages", `terms.all(a, terms.all(b, terms.all(c, c != a)))`, "column 1: the question is nested too deeply"},
		{"pages", "words > 3 &&\n tilte == \"x\"", `line 2, column 2: pages have no fact tilte, did you mean "title"?`},
		{"pages", strings.Repeat("(", 200) + "true" + strings.Repeat(")", 200), "column 1: the question is nested too deeply"},
		{"pages", strings.Repeat("x", 5000), "column 1: the question has 5000 characters; at most 4000 are taken"},
		{"pages", `Address == "x"`, "column 1: the fact is written address"},
		{"pages", `address("x")`, "column 1: address is a fact, and takes nothing in brackets"},
		{"pages", `words > 3 && not indexable`, `column 14: "not" is written ! here`},
		{"pages", `title == "a\" && words > 3`, "column 10: a quotation mark is opened and not closed"},
		{"pages", `1 > words > 2`, "column 11: one comparison cannot go on in another; write a > b && b > c"},
		{"pages", `indexable > 3`, "column 11: one comparison cannot go on in another"},
		{"pages", `indexable + 3 == 4`, "column 11: + cannot take yes or no and a number"},
		{"pages", `title.contains([1, 2])`, "column 7: contains() is not for words with (a list)"},
		{"pages", `size(figures, [["a", "b"]], 3) > 1`, "column 1: size() does not take (figures, a list, a number)"},
		{"pages", `tilte == 1 && tilte == 2 && titel == 3 && tutle == 4 && tytle == 5`, "column 1: pages have no fact tilte"},
		{"pages", strings.Repeat("x", 4001), "column 1: the question has 4001 characters; at most 4000 are taken"},
		{"pages", strings.Repeat("x", 4000), "column 1: pages have no fact x"},
		{"links", `address == "x"`, "column 1: links have no fact address; write source.address or target.address"},
		{"links", `target == "x"`, "column 1: target says which facts of the target you mean: target.address, target.title …"},
		{"links", `status == 404`, "column 1: links have no fact status; write source.status or target.status"},
		{"links", `source == "x"`, "column 1: source says which facts of the source you mean: source.address, source.title …"},
		{"links", `source.titel == "x"`, `column 1: links have no fact source.titel, did you mean "source.title"?`},
		{"links", `words == "a" && target.statsu == 3`, `column 17: links have no fact target.statsu, did you mean "target.status"?`},
		{"links", `wrods == "more"`, `column 1: links have no fact wrods, did you mean "words"?`},
	} {
		_, err := TableOf(c.of).Compile(c.question)
		var mistakes Mistakes
		if !errors.As(err, &mistakes) || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%.80s\n   %v\nwant %s", c.question, err, c.says)
			continue
		}
		if len(mistakes) > mostMistakes {
			t.Errorf("%.80s: %d mistakes", c.question, len(mistakes))
		}
		for _, m := range mistakes {
			if lines := strings.Split(c.question, "\n"); m.Line < 1 || m.Line > len(lines) || m.Column < 1 ||
				m.Column > len([]rune(lines[m.Line-1]))+1 {
				t.Errorf("%.80s: line %d, column %d is nowhere", c.question, m.Line, m.Column)
			}
		}
	}
}

// TestFacts: every fact says what it is, has a name that CEL can read and no other fact has, and those that are
// shown are there.
func TestFacts(t *testing.T) {
	for _, table := range Tables {
		for i, f := range table.Facts {
			if f.Say == "" || f.Label == "" {
				t.Errorf("%s: %s says nothing", table.Name, f.Name)
			}
			if table.Fact(f.Name) != i || table.Fact(f.Label) != i {
				t.Errorf("%s: %s, or %q, is the name of another", table.Name, f.Name, f.Label)
			}
			if _, err := table.Compile("known(" + f.Name + ")"); err != nil {
				t.Errorf("%s: %v", table.Name, err)
			}
			if f.OfAddress != nil && table.AddressOf(i) < 0 {
				t.Errorf("%s: %s is told by no address", table.Name, f.Name)
			}
		}
		if _, err := table.Chosen(table.Shown...); err != nil {
			t.Error(err)
		}
	}
	if _, err := Tables[0].Chosen("title", "tilte"); err == nil ||
		!strings.Contains(err.Error(), `did you mean "title"`) {
		t.Errorf("an unknown fact gives %v", err)
	}
}

func TestShown(t *testing.T) {
	pages := TableOf("pages")
	q, err := pages.Compile(
		`bytes > 3 && section == "/a/" && figures.visits > 1 && !known(description) && status == 200 && !indexable`,
	)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	order, err := pages.Chosen("figures.bounce rate")
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range q.Shown(order[0]) {
		got = append(got, pages.Picked(p).Name)
	}
	want := []string{"address", "description", "bytes", "figures.bounce rate", "title", "words", "linksIn", "clicks"}
	if !slices.Equal(got, want) {
		t.Errorf("shown are %v, want %v", got, want)
	}
}

func TestTally(t *testing.T) {
	var tally Tally
	for _, one := range []struct{ value, measured any }{
		{"/a/", 3}, {"/b/", 10}, {"/a/", 1}, {"/a/", 8}, {"/a/", nil}, {nil, 4}, {"/b/", nil}, {"/c/", nil},
	} {
		tally.Add(one.value, one.measured)
	}
	groups := tally.Groups()
	if len(groups) != 4 || groups[0].Value != "/a/" || groups[1].Value != "/b/" || groups[2].Value != "/c/" ||
		groups[3].Value != nil {
		t.Fatalf("%+v", groups)
	}
	if a := groups[0]; a.Count != 4 || a.Share != 0.5 || a.Measured != (Measured{Known: 3, Sum: 12, Least: 1,
		Most: 8, Mean: 4, Median: 3}) {
		t.Errorf("%+v", a)
	}
	if c := groups[2]; c.Known != 0 || c.Count != 1 {
		t.Errorf("%+v", c)
	}
	if m := groups[1].Measured; m.Median != 10 || m.Known != 1 {
		t.Errorf("%+v", m)
	}
	var lists Tally
	lists.Add([]string{"moss", "fern", "moss"}, 1)
	lists.Add([]string{"fern"}, 2)
	lists.Add([]string{}, 2)
	if g := lists.Groups(); len(g) != 3 || g[0].Value != "fern" || g[0].Count != 2 || g[1].Count != 1 ||
		g[2].Value != nil {
		t.Errorf("%+v", g)
	}
}

func TestCompare(t *testing.T) {
	for _, c := range []struct {
		a, b any
		want int
	}{
		{1, 2, -1}, {2, 1.5, 1}, {2, 2.0, 0}, {"Z", "a", -1}, {"a", "ä", -1}, {false, true, -1}, {nil, 1, 1}, {"", nil, -1},
		{nil, nil, 0}, {[]string{"a"}, []string{"a", "b"}, -1},
	} {
		if got := Compare(c.a, c.b); got != c.want {
			t.Errorf("%v and %v: %d, want %d", c.a, c.b, got, c.want)
		}
		want := -c.want
		if c.a == nil || c.b == nil {
			want = c.want
		}
		if got := CompareFalling(c.a, c.b); got != want {
			t.Errorf("falling, %v and %v: %d, want %d", c.a, c.b, got, want)
		}
	}
}

// TestHostile asks what is made to take all time or memory there is: it is refused, or answered in bounds.
func TestHostile(t *testing.T) {
	pages := TableOf("pages")
	list := make([]string, 3000)
	for i := range list {
		list[i] = strings.Repeat("moss", 20)
	}
	page := row(pages, map[string]any{
		"address": "https://fernhollow.example/", "title": strings.Repeat("a", 500_000), "terms": list, "words": 1,
		"figures": map[string]any{strings.Repeat("x", 10_000): 1.0},
	})
	again := func(piece string, n int) string { return strings.Repeat(piece, n) }
	questions := []string{
		again("(", 1500) + "true" + again(")", 1500), again("!", 3900) + "true", again("true && ", 480) + "true",
		again("true || ", 480) + "true", again("words + ", 400) + "1 > 0", again("title + ", 400) + `"x" == ""`,
		"size(" + again(
			"title + ",
			400,
		) + `"x") > 3`, again("-", 3900) + "1 > 0", "[" + again("[", 1500) + again("]", 1500) + "] == []",
		"words in [" + again("1,", 1500) + "1]", "words == " + again("9", 3000), "words == 0x" + again("f", 3000),
		"words > 1e" + again(
			"9",
			300,
		), `title == "` + again("x", 3900) + `"`, `title.matches("` + again("(a*)*", 500) + `")`,
		`title.matches("(a|a)*b")`, `title.matches("(a+)+$b")`, `title.matches("a{900}")`, `title.matches("(a{30}){30}b")`,
		`title.matches("((a{10}){10}){9}b")`, `title.matches("` + again("(", 1000) + again(")", 1000) + `")`,
		`title.matches("` + again("a?", 900) + again("a", 900) + `")`, `title.matches("[` + again("a-z", 900) + `]")`,
		`title.matches("(?i)` + again("\\\\pL", 300) + `")`, `title.contains("` + again("a", 3900) + `b")`,
		"terms.all(a, terms.all(b, a == b))", "terms.exists(a, terms.exists(b, a + b == title))",
		"terms.map(a, terms.map(b, a + b)).size() > 3", "terms.map(a, a + a + a + a + a + a + a + a).size() > 3",
		"terms.filter(a, terms.exists(b, b.contains(a) && a != b)).size() > 3",
		`terms.all(a, a.matches("(m|o)*(s)*x") || terms.all(b, b.contains(a)))`,
		"terms.exists(a, title.contains(a + a))", "terms.exists(a, terms.exists(b, terms.exists(c, a == c)))",
		"terms.map(a, [a, a, a, a]).map(b, b + b).map(c, c + c).map(d, d + d).map(e, e + e).map(f, f + f).size() > 3",
		"terms.map(a, title).map(b, b + b).map(c, c + c).map(d, d + d).map(e, e + e).size() > 3",
		`terms.map(a, {"x": terms}).size() > 3`, `{"a": 1, "a": 2}.a == 1`, `[1, 2][99] == 1`, `[1, 2][-1] == 1`, "1 / 0 == 1",
		"words % 0 == 1", "9223372036854775807 + words > 0", "-9223372036854775808 - words > 0", `int("` + again("9", 999) + `") > 1`,
		`int(title) > 1`, `double(title) > 1.0`, `string(terms) == ""`, `bytes(title).size() > 3`, `b"\xff" == b"\xff"`,
		`timestamp(title) > timestamp("2020-01-01T00:00:00Z")`, `duration("` + again("9", 900) + `h") > duration("1h")`,
		"type(title) == string", "dyn(title) > 3", "figures.x.y.z == 3", `figures["` + again("x", 3000) + `"] == 3`,
		"title\x00 == 3", "\xff\xfe", "// words", "words > 3 // true", "/* */", "\u202e words > 3", again("\n", 3999), "{}", "[]", `""`, ";",
		"words > 3; drop table page", "' or 1=1 --", "$1", "%s", "`title`", `"\U0010ffff" == title`, `r"\" == title`, `"""a""" == title`,
	}
	if len(questions) < 50 {
		t.Fatal(len(questions))
	}
	for _, text := range questions {
		q, err := pages.Compile(text)
		var mistakes Mistakes
		if err != nil {
			if !errors.As(err, &mistakes) || len(err.Error()) > 2000 {
				t.Errorf("%.60q: %.200s", text, err)
			}
			continue
		}
		if _, err := q.Holds(page); err != nil && !errors.Is(err, ErrUnjudged) {
			t.Errorf("%.60q: %v", text, err)
		}
	}
}
