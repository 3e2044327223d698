package e2e

import (
	"encoding/base64"
	"encoding/json"
	"net/url"
	"strings"
	"testing"
	"time"

	"harvik/internal/api"
	"harvik/internal/testkit"
)

// byProvider is what somebody who signs in by an identity provider has at the second step.
func (h *harvik) byProvider(t *testing.T, p *testkit.IdentityProvider) api.ProvidedSignIn {
	t.Helper()
	var first api.ProviderStep
	got := h.asBrowser(t, "POST", "/session/provider/begin", "", "", "")
	if err := json.Unmarshal([]byte(got.body), &first); err != nil || got.status != 200 {
		t.Fatalf("%d %s (%v)", got.status, got.body, err)
	}
	u, err := url.Parse(first.Address)
	if err != nil || !strings.HasPrefix(first.Address, p.Address+"/authorize?") {
		t.Fatalf("%s (%v)", first.Address, err)
	}
	asked := u.Query()
	for name, want := range map[string]string{"client_id": p.Client, "response_type": "code", "code_challenge_method": "S256",
		"redirect_uri": h.url + "/back"} {
		if asked.Get(name) != want {
			t.Errorf("%s is %q, not %q", name, asked.Get(name), want)
		}
	}
	back, err := url.Parse(p.Consent(asked))
	if err != nil {
		t.Fatal(err)
	}
	q := back.Query()
	return api.ProvidedSignIn{
		Ceremony: first.Ceremony,
		State:    q.Get("state"),
		Code:     q.Get("code"),
		Issuer:   q.Get("iss"),
	}
}

func (h *harvik) ends(t *testing.T, second api.ProvidedSignIn) answered {
	t.Helper()
	body, _ := json.Marshal(second)
	return h.asBrowser(t, "POST", "/session/provider", string(body), "", "")
}

// TestProvider has people sign in by an identity provider, and attacks that, each attack by its name.
func TestProvider(t *testing.T) {
	t.Parallel()
	h := startOn(t, testkit.Tables(t))
	p := testkit.Identity(t)
	if got := h.asBrowser(t, "POST", "/session/provider/begin", "", "", ""); got.status != 409 {
		t.Errorf("without a provider: %d %s", got.status, got.body)
	}
	for in, want := range map[api.NewProvider]string{
		{Name: "x", Issuer: "http://id.fernhollow.example", Client: "x"}:   "is not by https",
		{Name: "x", Issuer: "https://a:b@fernhollow.example", Client: "x"}: "no address of a provider",
		{Name: "x", Issuer: p.Address + "/elsewhere", Client: "x"}:         "does not answer as one",
		{Issuer: p.Address}: "how people call it",
	} {
		if _, err := h.SetProvider(t.Context(), in); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v: %v", in, err)
		}
	}
	set, err := h.SetProvider(
		t.Context(),
		api.NewProvider{Name: "Fernhollow accounts", Issuer: p.Address, Client: p.Client,
			Secret: p.Secret},
	)
	if err != nil || !set.Secret || set.Back != h.url+"/back" {
		t.Fatalf("%+v (%v)", set, err)
	}
	ash := h.joins(t, api.NewPerson{Name: "ash", Role: "reader", Mail: "Ash@fernhollow.example"})
	for _, name := range []string{"bryony", "briar"} {
		h.joins(t, api.NewPerson{Name: name, Role: "reader", Mail: "b@fernhollow.example"})
	}
	h.joins(t, api.NewPerson{Name: "fern", Role: "reader", Mail: "fern@fernhollow.example"})
	if err := h.EndPerson(t.Context(), personNamed(t, h, "fern")); err != nil {
		t.Fatal(err)
	}
	who := func(subject, mail string, verified any) map[string]any {
		return map[string]any{"sub": subject, "email": mail, "email_verified": verified}
	}
	asAsh := who("a1", "ash@fernhollow.example", true)
	in := func(name string) {
		t.Helper()
		got := h.ends(t, h.byProvider(t, p))
		if got.status != 200 || got.cookie == "" {
			t.Fatalf("%s: %d %s", name, got.status, got.body)
		}
		if got := h.asBrowser(t, "GET", "/session", "", got.cookie, key(t, got.body)); !strings.Contains(
			got.body,
			`"name":"`+name+`"`,
		) {
			t.Errorf("who is in is %s, not %s", got.body, name)
		}
	}
	unknown := func() answered { return h.ends(t, h.byProvider(t, p)) }
	bent := func(bend func(claims, answer map[string]any)) func() answered {
		return func() answered {
			p.Knows(asAsh, bend)
			defer p.Knows(asAsh, nil)
			return h.ends(t, h.byProvider(t, p))
		}
	}
	claim := func(name string, value any) func() answered {
		return bent(func(claims, _ map[string]any) { claims[name] = value })
	}
	second := func(change func(*api.ProvidedSignIn)) func() answered {
		return func() answered {
			s := h.byProvider(t, p)
			change(&s)
			return h.ends(t, s)
		}
	}
	p.Knows(who("e9", "ash@fernhollow.example", false), nil)
	refusals := []struct {
		name string
		try  func() answered
	}{
		{"a mail address that the provider does not vouch for", unknown},
		{"somebody whom nobody let in", func() answered {
			p.Knows(who("x", "stranger@fernhollow.example", true), nil)
			return unknown()
		}},
		{"a mail address of two", func() answered {
			p.Knows(who("x", "b@fernhollow.example", true), nil)
			return unknown()
		}},
		{"no mail address, as people without one have it", func() answered {
			p.Knows(who("x", "", true), nil)
			return unknown()
		}},
		{"somebody who is let in no more", func() answered {
			p.Knows(who("f1", "fern@fernhollow.example", true), nil)
			return unknown()
		}},
		{"another state", func() answered {
			p.Knows(asAsh, nil)
			return second(func(s *api.ProvidedSignIn) { s.State = "x" })()
		}},
		{"no state", second(func(s *api.ProvidedSignIn) { s.State = "" })},
		{"another's first step", second(func(s *api.ProvidedSignIn) { s.Ceremony = h.byProvider(t, p).Ceremony })},
		{"a first step that never was", second(func(s *api.ProvidedSignIn) { s.Ceremony = strings.Repeat("A", 26) })},
		{"a guessed code", second(func(s *api.ProvidedSignIn) { s.Code = "guessed" })},
		{"no code", second(func(s *api.ProvidedSignIn) { s.Code = "" })},
		{
			"a code that was given to another sign-in",
			second(func(s *api.ProvidedSignIn) { s.Code = h.byProvider(t, p).Code }),
		},
		{
			"the name of another provider",
			second(func(s *api.ProvidedSignIn) { s.Issuer = "https://id.elsewhere.example" }),
		},
		{"a refusal beside a code", second(func(s *api.ProvidedSignIn) { s.Refusal = "access_denied" })},
		{"the same step twice", func() answered {
			s := h.byProvider(t, p)
			if got := h.ends(t, s); got.status != 200 {
				t.Errorf("the first time: %d %s", got.status, got.body)
			}
			return h.ends(t, s)
		}},
		{"the code again with a first step of one's own", func() answered {
			s := h.byProvider(t, p)
			if got := h.ends(t, s); got.status != 200 {
				t.Errorf("the first time: %d %s", got.status, got.body)
			}
			own := h.byProvider(t, p)
			own.Code = s.Code
			return h.ends(t, own)
		}},
		{"a step that was begun long ago", func() answered {
			s := h.byProvider(t, p)
			h.sql(t, "update ceremony set expires = now() - interval '1 second' returning ''")
			return h.ends(t, s)
		}},
		{"a token of another sign-in", claim("nonce", "x")},
		{"a token for another program", claim("aud", "elsewhere")},
		{"a token for two, made for the other", bent(func(c, _ map[string]any) {
			c["aud"], c["azp"] = []string{"harvik", "elsewhere"}, "elsewhere"
		})},
		{"a token of another issuer", claim("iss", "https://id.elsewhere.example")},
		{"a token that has run out", claim("exp", time.Now().Add(-time.Hour).Unix())},
		{"a token that is not good yet", claim("nbf", time.Now().Add(time.Hour).Unix())},
		{"a token of nobody", claim("sub", "")},
		{"a token that is not signed", bent(func(c, a map[string]any) {
			body, _ := json.Marshal(c)
			a["id_token"] = base64.RawURLEncoding.EncodeToString([]byte(`{"alg":"none"}`)) + "." +
				base64.RawURLEncoding.EncodeToString(body) + "."
		})},
		{"no token", bent(func(_, a map[string]any) { a["id_token"] = "" })},
		{"a token that is none", bent(func(_, a map[string]any) { a["id_token"] = "a.b.c" })},
		{"a token signed by somebody else", func() answered {
			p.SignsBy(true)
			defer p.SignsBy(false)
			return h.ends(t, h.byProvider(t, p))
		}},
		{"another account that takes over the mail address", func() answered {
			p.Knows(who("a2", "ash@fernhollow.example", true), nil)
			defer p.Knows(asAsh, nil)
			return h.ends(t, h.byProvider(t, p))
		}},
	}
	for _, a := range refusals {
		if got := a.try(); got.status != 401 || got.cookie != "" || strings.Contains(got.body, `"key"`) {
			t.Errorf("%s: %d %s", a.name, got.status, got.body)
		}
		h.sql(t, "delete from attempt returning ''") // each stands for a place of its own
	}
	p.Knows(who("a1", "moved@fernhollow.example", true), nil) // known by then, whatever the address is
	in("ash")
	if n := h.sql(t, "select string_agg(distinct subject, ', ') from trail where what = 'signIn'"); n != "by Fernhollow accounts" {
		t.Errorf("the trail has %s", n)
	}
	// By another mail address the provider may mean somebody else.
	id := personNamed(t, h, "ash")
	if _, err := h.SetPerson(t.Context(), id, api.NewPerson{Name: "ash", Role: "reader", Mail: "ash2@fernhollow.example"}); err != nil {
		t.Fatal(err)
	}
	if got := unknown(); got.status != 401 {
		t.Errorf("after the address was changed: %d %s", got.status, got.body)
	}
	p.Knows(who("new", "ASH2@fernhollow.example", "true"), nil)
	in("ash")
	if err := h.EndPerson(t.Context(), id); err != nil {
		t.Fatal(err)
	}
	if got := unknown(); got.status != 401 {
		t.Errorf("after the person was let in no more: %d %s", got.status, got.body)
	}
	// The secret is for this provider and this program; another gets none.
	other := testkit.Identity(t)
	another := api.NewProvider{Name: "Other", Issuer: other.Address, Client: p.Client}
	if set, err = h.SetProvider(t.Context(), another); err != nil || set.Secret {
		t.Errorf("%+v (%v)", set, err)
	}
	if _, err := ash.WhoAmI(t.Context()); err == nil {
		t.Error("who is let in no more is in")
	}
	if err := h.RemoveProvider(t.Context()); err != nil {
		t.Fatal(err)
	}
	if got := h.asBrowser(t, "GET", "/session/provider", "", "", ""); got.body != `{"name":""}` {
		t.Errorf("%d %s", got.status, got.body)
	}
}

// TestProviderConsole is in a browser: an owner sets a provider, and somebody signs in by it.
func TestProviderConsole(t *testing.T) {
	t.Parallel()
	h := startOn(t, testkit.Tables(t))
	p := testkit.Identity(t)
	h.joins(t, api.NewPerson{Name: "ash", Role: "consultant", Everywhere: true, Mail: "ash@fernhollow.example"})
	p.Knows(map[string]any{"sub": "a1", "email": "ash@fernhollow.example", "email_verified": true}, nil)
	b := openBrowser(t)
	b.visit(h.signInLink(t))
	b.see("No site yet")
	b.visit(h.url + "/people")
	b.see("Sign in by an identity provider")
	b.replace("How people call it", "Fernhollow accounts")
	b.replace("Its address", p.Address)
	b.replace("What it calls Harvik", p.Client)
	b.replace("The secret for that", p.Secret)
	b.click("button", "Set the provider")
	b.see("People sign in by Fernhollow accounts")
	b.click("button", "Sign out")
	b.click("button", "Sign in by Fernhollow accounts")
	b.see("Let Harvik know who I am")
	b.click("link", "Let Harvik know who I am")
	b.see("No site yet")
	b.visit(h.url + "/me")
	b.see("ash")
	b.keepsToPolicy("after signing in by a provider")
	// Who comes back without having gone is told so.
	b.visit(h.url + "/back?state=x&code=y")
	b.see("begin again")
}
