package rights_test

import (
	"fmt"
	"strings"
	"testing"

	"harvik/internal/core/rights"
)

// TestMay: who may what, and where. The table is written out: it is what people were promised.
func TestMay(t *testing.T) {
	here := map[string]bool{"here": true}
	people := map[string]rights.Somebody{
		"owner":       {Role: rights.Owner},
		"consultant":  {Role: rights.Consultant, Sites: here},
		"everywhere":  {Role: rights.Consultant, Everywhere: true},
		"reader":      {Role: rights.Reader, Sites: here},
		"client":      {Role: rights.Client, Sites: here},
		"client list": {Role: rights.Client, Sites: here, Lists: true},
		"nobody":      {},
		"unheard of":  {Role: "admin", Everywhere: true},
	}
	for _, line := range strings.Split(`
		owner       open+ self+ stand+ list+ see+ work+ own+ elsewhere+
		consultant  open+ self+ stand+ list+ see+ work+ own- elsewhere-
		everywhere  open+ self+ stand+ list+ see+ work+ own- elsewhere+
		reader      open+ self+ stand+ list+ see+ work- own- elsewhere-
		client      open+ self+ stand+ list- see- work- own- elsewhere-
		client_list open+ self+ stand+ list+ see- work- own- elsewhere-
		nobody      open+ self- stand- list- see- work- own- elsewhere-
		unheard_of  open+ self- stand- list- see- work- own- elsewhere+`, "\n") {
		words := strings.Fields(line)
		if len(words) == 0 {
			continue
		}
		who := people[strings.ReplaceAll(words[0], "_", " ")]
		for _, w := range words[1:] {
			right, want := rights.Right(w[:len(w)-1]), w[len(w)-1] == '+'
			got := who.May(right, "here")
			if right == "elsewhere" {
				got = who.At("there")
			} else if right != rights.Open && who.May(right, "there") && !who.At("there") {
				t.Errorf("%s may %s at a site that is not given", words[0], right)
			}
			if got != want {
				t.Errorf("%s: %s is %v", words[0], right, got)
			}
		}
	}
	owner := people["owner"]
	if owner.May("everything", "") {
		t.Error("what is no right is had by owners")
	}
}

// TestWithin: what acts for somebody never may more than they, nor more than it is bound to.
func TestWithin(t *testing.T) {
	ab := map[string]bool{"a": true, "b": true}
	for _, c := range []struct {
		name       string
		of         rights.Somebody
		role       rights.Role
		everywhere bool
		sites      map[string]bool
		want       string
	}{
		{"owner, whole", rights.Somebody{Role: rights.Owner}, "", true, nil, "owner a b c"},
		{"owner, as reader", rights.Somebody{Role: rights.Owner}, rights.Reader, true, nil, "reader a b c"},
		{"owner, at a", rights.Somebody{Role: rights.Owner}, "", false, map[string]bool{"a": true}, "consultant a"},
		{"consultant, as owner", rights.Somebody{Role: rights.Consultant, Sites: ab}, rights.Owner, true, nil, "consultant a b"},
		{"consultant, at b and c", rights.Somebody{Role: rights.Consultant, Sites: ab}, "", false,
			map[string]bool{"b": true, "c": true}, "consultant b"},
		{"reader, at nothing", rights.Somebody{Role: rights.Reader, Sites: ab}, "", false, map[string]bool{}, "reader"},
		{"everywhere, at c", rights.Somebody{Role: rights.Reader, Everywhere: true}, "", false, map[string]bool{"c": true}, "reader c"},
		{"client, as consultant", rights.Somebody{Role: rights.Client, Sites: ab}, rights.Consultant, true, nil, "client a b"},
	} {
		got := c.of.Within(c.role, c.everywhere, c.sites)
		says := string(got.Role)
		for _, site := range []string{"a", "b", "c"} {
			if got.At(site) {
				says += " " + site
			}
		}
		if says != c.want {
			t.Errorf("%s: %s, not %s", c.name, says, c.want)
		}
	}
}

// TestPolicy: a policy that cannot be read is no policy.
func TestPolicy(t *testing.T) {
	p, err := rights.ParsePolicy("# a comment\n\nGET /a see # another\nPUT  /a\twork\n")
	if err != nil || fmt.Sprint(p) != "map[GET /a:see PUT /a:work]" {
		t.Errorf("%v (%v)", p, err)
	}
	for text, says := range map[string]string{
		"GET /a":                  "line 1: a line has a method, a path and a right",
		"\nGET /a everything":     `line 2: there is no right "everything"`,
		"GET /a see\nGET /a work": "line 2: GET /a stands there twice",
	} {
		if _, err := rights.ParsePolicy(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", text, err)
		}
	}
}
