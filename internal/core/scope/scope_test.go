package scope

import (
	"fmt"
	"testing"

	"harvik/internal/core/plan"
	"harvik/internal/core/weburl"
)

func scopeOf(t *testing.T, start string, p plan.Scope) *Scope {
	t.Helper()
	u, err := weburl.Parse(start)
	if err != nil {
		t.Fatal(err)
	}
	return New(u, p)
}

func TestOrigin(t *testing.T) {
	for _, c := range []struct {
		start   string
		p       plan.Scope
		inside  []string
		outside []string
	}{
		{"https://fernhollow.example/", plan.Scope{},
			[]string{"http://fernhollow.example/", "https://www.fernhollow.example/a?b"},
			[]string{"https://shop.fernhollow.example/", "https://fernhollow.example:8443/",
				"https://notfernhollow.example/", "ftp://fernhollow.example/", "mailto:a@fernhollow.example",
				"https://fernhollow.example.net/"}},
		{"https://www.fernhollow.example/", plan.Scope{Pair: plan.No()},
			[]string{"https://www.fernhollow.example/"}, []string{"https://fernhollow.example/"}},
		{"http://127.0.0.1:8080/", plan.Scope{},
			[]string{"http://127.0.0.1:8080/x"},
			[]string{"http://127.0.0.1/", "http://127.0.0.1:8081/", "http://www.127.0.0.1:8080/"}},
		{"https://fernhollow.example/", plan.Scope{Hosts: []string{"Shop.fernhollow.example", "*.garden.example"}},
			[]string{"http://shop.fernhollow.example/", "https://a.b.garden.example/"},
			[]string{"https://garden.example/", "https://xgarden.example/", "https://www.shop.fernhollow.example/"}},
		{"http://fernhollow.example:8080/", plan.Scope{Hosts: []string{"*.fernhollow.example", "garden.example"}},
			[]string{"http://shop.fernhollow.example:8080/", "http://shop.fernhollow.example/",
				"http://garden.example:8080/"},
			[]string{"http://shop.fernhollow.example:9090/", "http://garden.example:1/"}},
		{"http://[::1]/", plan.Scope{}, []string{"http://[::1]/"}, []string{"http://[::2]/"}},
	} {
		s := scopeOf(t, c.start, c.p)
		for range 2 { // the second answer is remembered
			for _, a := range c.inside {
				if s.Origin(a) == "" {
					t.Errorf("%s: %s is outside", c.start, a)
				}
			}
			for _, a := range c.outside {
				if o := s.Origin(a); o != "" {
					t.Errorf("%s: %s is inside %s", c.start, a, o)
				}
			}
		}
	}
}

func TestRefuses(t *testing.T) {
	p := plan.Scope{Folders: []string{"/plants", "/shop/"}, Include: []string{"*fern*", `re:/shop/[0-9]+$`},
		Exclude: []string{"/*?print=*", "https://www.*"}}
	s := scopeOf(t, "https://fernhollow.example/", p)
	for address, want := range map[string]string{
		"https://fernhollow.example/plants/fern":         "",
		"https://fernhollow.example/shop/12":             "",
		"https://fernhollow.example/shop/x12":            "matches no pattern to include",
		"https://fernhollow.example/plants":              "matches no pattern to include",
		"https://fernhollow.example/plantsfern":          "outside the folders /plants/, /shop/",
		"https://fernhollow.example/plants/fern?print=1": "exclude /*?print=*",
		"https://www.fernhollow.example/plants/fern":     "exclude https://www.*",
	} {
		if got := s.Refuses(address, s.Origin(address)); got != want {
			t.Errorf("%s: %q, want %q", address, got, want)
		}
	}
}

func TestQuota(t *testing.T) {
	s := scopeOf(t, "https://fernhollow.example/", plan.Scope{AtMost: map[string]int{"/shop/*": 10, "/plants/*": 3}})
	if n, text, most := s.Quota("https://fernhollow.example/shop/a", "https://fernhollow.example/"); n != 1 ||
		text != "/shop/*" || most != 10 {
		t.Error(n, text, most)
	}
	if n, _, _ := s.Quota("https://fernhollow.example/", "https://fernhollow.example/"); n != -1 {
		t.Error(n)
	}
}

func TestRewrite(t *testing.T) {
	ignore := plan.Scope{Parameters: plan.Parameters{Ignore: []string{"utm_*", "sid"}}}
	keep := plan.Scope{Parameters: plan.Parameters{Keep: []string{"id"}, Sort: true}}
	order := plan.Scope{Parameters: plan.Parameters{Sort: true}}
	for _, c := range []struct {
		p          plan.Scope
		from, want string
	}{
		{plan.Scope{}, "http://a.example/?b=1&a=2", "http://a.example/?b=1&a=2"},
		{ignore, "http://a.example/?utm_source=x&a=2&sid", "http://a.example/?a=2"},
		{ignore, "http://a.example/?sid=1", "http://a.example/"},
		{ignore, "http://a.example/?side=1&side=2", "http://a.example/?side=1&side=2"},
		{keep, "http://a.example/?x=1&id=2", "http://a.example/?id=2"},
		{order, "http://a.example/?b=1&a=2&b=0", "http://a.example/?a=2&b=1&b=0"},
		{order, "mailto:x?b=1&a=2", "mailto:x?b=1&a=2"},
	} {
		if got := scopeOf(t, "http://a.example/", c.p).Rewrite(c.from); got != c.want {
			t.Errorf("%s becomes %s, want %s", c.from, got, c.want)
		}
	}
}

// TestUnreadable: a pattern that nothing can read matches nothing, and ends nothing.
func TestUnreadable(t *testing.T) {
	for _, pattern := range []string{"re:(", "re:a{1000}{1000}", "\xbc", "re:\xbc", "/plants/\xff*"} {
		if NewMatcher(pattern).Matches("https://fernhollow.example/plants/") {
			t.Errorf("%q matches", pattern)
		}
		if plan.CheckPattern(pattern) == nil {
			t.Errorf("%q is taken", pattern)
		}
	}
}

// TestOneRule: one kind of rule alone, with nothing beside it, is held to as well.
func TestOneRule(t *testing.T) {
	for _, c := range []struct {
		p            plan.Scope
		refuses, not string
	}{
		{plan.Scope{Folders: []string{"/plants/"}}, "https://fernhollow.example/shop/",
			"https://fernhollow.example/plants"},
		{plan.Scope{Include: []string{"*/fern"}}, "https://fernhollow.example/moss", "https://fernhollow.example/fern"},
		{plan.Scope{Exclude: []string{"*/moss"}}, "https://fernhollow.example/moss", "https://fernhollow.example/fern"},
		{plan.Scope{Exclude: []string{"/"}}, "https://fernhollow.example/", ""},
		{plan.Scope{Folders: []string{"/plants/"}, Include: []string{"*fern"}}, "https://fernhollow.example/shop/fern",
			"https://fernhollow.example/plants/fern"},
		{plan.Scope{Include: []string{"*/fern"}, Exclude: []string{"/shop/*"}}, "https://fernhollow.example/moss",
			"https://fernhollow.example/fern"},
	} {
		s := scopeOf(t, "https://fernhollow.example/", c.p)
		if s.Refuses(c.refuses, s.Origin(c.refuses)) == "" {
			t.Errorf("%+v wants %s", c.p, c.refuses)
		}
		if c.not != "" && s.Refuses(c.not, s.Origin(c.not)) != "" {
			t.Errorf("%+v refuses %s", c.p, c.not)
		}
	}
}

// TestInside tells addresses of the site by their scheme and host, and takes nothing for one that is none.
func TestInside(t *testing.T) {
	s := scopeOf(t, "https://fernhollow.example/", plan.Scope{})
	for address, want := range map[string]bool{
		"https://fernhollow.example/x": true, "http://fernhollow.example/": true, "ftp://fernhollow.example/x": false,
		"https://fernhollow.example": false, "fernhollow.example/x": false, "://fernhollow.example/": false, "": false,
	} {
		if s.Inside(address) != want || (s.Origin(address) != "") != want {
			t.Errorf("%q is inside: %v, of origin %q", address, s.Inside(address), s.Origin(address))
		}
	}
	for p, want := range map[*plan.Scope]bool{{}: false, {Parameters: plan.Parameters{Ignore: []string{"sid"}}}: true,
		{Parameters: plan.Parameters{Keep: []string{"id"}}}: true, {Parameters: plan.Parameters{Ignore: []string{"a"},
			Keep: []string{"b"}}}: true} {
		if got := scopeOf(t, "https://fernhollow.example/", *p).Rewrites(); got != want {
			t.Errorf("%+v rewrites addresses: %v", p.Parameters, got)
		}
	}
}

// TestMatcher holds addresses against a pattern: one that begins with a slash is of paths.
func TestMatcher(t *testing.T) {
	for _, c := range []struct {
		pattern, address string
		want             bool
	}{
		{"/plants/*", "https://fernhollow.example/plants/fern", true},
		{"/plants/*", "https://fernhollow.example/shop/plants/fern", false},
		{"/", "https://fernhollow.example", true},
		{"https://fernhollow.example/*", "https://fernhollow.example/plants/", true},
		{"https://fernhollow.example/*", "http://fernhollow.example/plants/", false},
		{"", "https://fernhollow.example/plants/", true},
	} {
		if got := NewMatcher(c.pattern).Matches(c.address); got != c.want {
			t.Errorf("%q fits %q: %v", c.address, c.pattern, got)
		}
	}
}

// TestManyHosts: a site that names any number of hosts fills no memory, and each is still told rightly.
func TestManyHosts(t *testing.T) {
	s := scopeOf(t, "https://fernhollow.example/", plan.Scope{})
	for i := range maxOrigins + 10 {
		if s.Origin(fmt.Sprintf("https://h%d.example/", i)) != "" {
			t.Fatalf("host %d is inside", i)
		}
	}
	if len(s.origins) != maxOrigins {
		t.Errorf("%d are remembered", len(s.origins))
	}
	if s.Origin("https://fernhollow.example/x") == "" {
		t.Error("the site's own is outside")
	}
	if s.Origin("https://fernhollow.example") != "" || s.Origin("://fernhollow.example/") != "" {
		t.Error("what is no address has an origin")
	}
}
