package e2e

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"

	"harvik/internal/api"
	"harvik/internal/testkit"
)

// TestPasskey is in a browser with an authenticator: somebody makes a passkey, signs in by it, and by none that was
// forgotten; at an address that is a number there can be none.
func TestPasskey(t *testing.T) {
	t.Parallel()
	h := startOn(t, testkit.Tables(t))
	b := openBrowser(t)
	if _, err := chromedp.Call(b.ctx, webauthn.Enable, webauthn.EnableParams{}); err != nil {
		t.Fatal(err)
	}
	if _, err := chromedp.Call(b.ctx, webauthn.AddVirtualAuthenticator, webauthn.AddVirtualAuthenticatorParams{
		Options: &webauthn.VirtualAuthenticatorOptions{Protocol: webauthn.AuthenticatorProtocolCtap2,
			Transport: webauthn.AuthenticatorTransportInternal, HasResidentKey: true, HasUserVerification: true,
			IsUserVerified: true, AutomaticPresenceSimulation: true}}); err != nil {
		t.Fatal(err)
	}
	at := strings.Replace(h.url, "127.0.0.1", "localhost", 1)
	b.visit(strings.Replace(h.signInLink(t), h.url, at, 1))
	b.see("No site yet")
	b.visit(at + "/me")
	b.replace("Name of the passkey", "desk")
	b.click("button", "Make a passkey")
	b.see("desk")
	b.click("button", "Sign out")
	b.see("Sign in by a passkey")
	b.click("button", "Sign in by a passkey")
	b.see("No site yet")
	if n := h.sql(t, "select count(*)::text from trail where what = 'signIn' and subject = 'by passkey'"); n != "1" {
		t.Errorf("%s times in the trail", n)
	}
	if n := h.sql(t, "select count(*)::text from passkey where used is not null"); n != "1" {
		t.Errorf("%s passkeys were used", n)
	}
	b.visit(at + "/me")
	b.click("button", "Forget passkey desk")
	b.wait("that it is gone", `!document.querySelector('[aria-label="Forget passkey desk"]')`)
	b.click("button", "Sign out")
	b.click("button", "Sign in by a passkey")
	b.see("this passkey lets nobody in here")
	b.visit(h.signInLink(t))
	b.see("No site yet")
	b.visit(h.url + "/me")
	b.click("button", "Make a passkey")
	b.see("a passkey is of a name, and this address is a number")
}

// keyed is a service that is asked by the name localhost.
type keyed struct {
	*harvik
	t      *testing.T
	origin string
}

func (k *keyed) send(method, path string, body any, by answered) answered {
	k.t.Helper()
	text, err := json.Marshal(body)
	if err != nil {
		k.t.Fatal(err)
	}
	req, err := http.NewRequestWithContext(k.t.Context(), method, k.url+"/api/v1"+path, strings.NewReader(string(text)))
	if err != nil {
		k.t.Fatal(err)
	}
	req.Host = strings.TrimPrefix(k.origin, "http://")
	req.Header.Set("Origin", k.origin)
	if by.cookie != "" {
		req.Header.Set("Cookie", "harvik_session="+by.cookie)
		req.Header.Set("Harvik-Session", key(k.t, by.body))
	}
	return answerTo(k.t, req)
}

func (k *keyed) begins(path string, by answered) api.Ceremony {
	k.t.Helper()
	var out api.Ceremony
	got := k.send("POST", path, map[string]any{}, by)
	if err := json.Unmarshal([]byte(got.body), &out); err != nil || got.status != 200 {
		k.t.Fatalf("%s: %d %s (%v)", path, got.status, got.body, err)
	}
	return out
}

func (k *keyed) adds(begun api.Ceremony, credential json.RawMessage, by answered) answered {
	return k.send(
		"POST",
		"/me/passkeys",
		api.NewPasskey{Ceremony: begun.Ceremony, Name: "desk", Credential: credential},
		by,
	)
}

func (k *keyed) signs(begun api.Ceremony, credential json.RawMessage) answered {
	return k.send(
		"POST",
		"/session/passkey",
		api.KeyedSignIn{Ceremony: begun.Ceremony, Credential: credential},
		answered{},
	)
}

// TestPasskeyAttacks attacks the making of passkeys and signing in by them, each attack by its name.
func TestPasskeyAttacks(t *testing.T) {
	t.Parallel()
	h := startOn(t, testkit.Tables(t))
	k := &keyed{h, t, strings.Replace(h.url, "127.0.0.1", "localhost", 1)}
	in := func(name string) answered {
		h.joins(t, api.NewPerson{Name: name, Role: "reader"})
		got := k.send("POST", "/session", api.SignIn{Name: name, Password: "the moss on " + name + "'s wall"}, answered{})
		if got.status != 200 {
			t.Fatalf("%d %s", got.status, got.body)
		}
		return got
	}
	ash, ruth := in("ash"), in("ruth")
	const add, come = "/me/passkeys/begin", "/session/passkey/begin"
	mine, hers := testkit.NewAuthenticator(t, k.origin), testkit.NewAuthenticator(t, k.origin)
	for _, one := range []struct {
		with *testkit.Authenticator
		by   answered
	}{{mine, ash}, {hers, ruth}} {
		begun := k.begins(add, one.by)
		if got := k.adds(begun, one.with.Make(begun.Options), one.by); got.status != 200 {
			t.Fatalf("a passkey is not taken: %d %s", got.status, got.body)
		}
	}
	good := func(with *testkit.Authenticator, name string) {
		t.Helper()
		begun := k.begins(come, answered{})
		got := k.signs(begun, with.Sign(begun.Options))
		if got.status != 200 {
			t.Fatalf("%s is not let in: %d %s", name, got.status, got.body)
		}
		if who := k.send("GET", "/session", nil, got); !strings.Contains(who.body, `"name":"`+name+`"`) {
			t.Errorf("who is in is %s, not %s", who.body, name)
		}
	}
	good(mine, "ash")
	good(hers, "ruth")
	making := func(change func(*testkit.Authenticator)) func() answered {
		return func() answered {
			with := testkit.NewAuthenticator(t, k.origin)
			change(with)
			begun := k.begins(add, ash)
			return k.adds(begun, with.Make(begun.Options), ash)
		}
	}
	signing := func(change func(*testkit.Authenticator)) func() answered {
		return func() answered {
			with := *mine
			with.Count += 10
			change(&with)
			begun := k.begins(come, answered{})
			return k.signs(begun, with.Sign(begun.Options))
		}
	}
	var kept json.RawMessage
	var keptStep api.Ceremony
	for _, a := range []struct {
		name string
		try  func() answered
	}{
		{"one made on another's page", making(func(a *testkit.Authenticator) { a.Origin = "https://elsewhere.example" })},
		{"one made for another name", making(func(a *testkit.Authenticator) { a.Party = "elsewhere.example" })},
		{"one made by nobody who is known", making(func(a *testkit.Authenticator) { a.Flags = 1 })},
		{"a signature for the making of one", making(func(a *testkit.Authenticator) { a.Method = "webauthn.get" })},
		{"one made in another's step", func() answered {
			begun := k.begins(add, ruth)
			return k.adds(begun, testkit.NewAuthenticator(t, k.origin).Make(begun.Options), ash)
		}},
		{"one made in a step of signing in", func() answered {
			begun := k.begins(come, answered{})
			return k.adds(begun, testkit.NewAuthenticator(t, k.origin).Make(begun.Options), ash)
		}},
		{"one made to the challenge of another step", func() answered {
			with := testkit.NewAuthenticator(t, k.origin)
			return k.adds(k.begins(add, ash), with.Make(k.begins(add, ash).Options), ash)
		}},
		{"one that somebody else has, made one's own", func() answered {
			begun := k.begins(add, ash)
			return k.adds(begun, hers.Forged().Make(begun.Options), ash)
		}},
		{"a step that was used", func() answered {
			begun := k.begins(add, ash)
			if got := k.adds(begun, testkit.NewAuthenticator(t, k.origin).Make(begun.Options), ash); got.status != 200 {
				t.Errorf("the first time: %d %s", got.status, got.body)
			}
			return k.adds(begun, testkit.NewAuthenticator(t, k.origin).Make(begun.Options), ash)
		}},
		{"nothing for a passkey", func() answered { return k.adds(k.begins(add, ash), json.RawMessage("{}"), ash) }},
		{"signed on another's page", signing(func(a *testkit.Authenticator) { a.Origin = "https://elsewhere.example" })},
		{"signed at another port", signing(func(a *testkit.Authenticator) { a.Origin = "http://localhost:1" })},
		{"signed for another name", signing(func(a *testkit.Authenticator) { a.Party = "elsewhere.example" })},
		{"signed without knowing who is there", signing(func(a *testkit.Authenticator) { a.Flags = 1 })},
		{"signed with nobody there", signing(func(a *testkit.Authenticator) { a.Flags = 4 })},
		{"the making of one for a signature", signing(func(a *testkit.Authenticator) { a.Method = "webauthn.create" })},
		{"signed by another key", signing(func(a *testkit.Authenticator) { *a = *a.Forged() })},
		{"one's own passkey under another's name", signing(func(a *testkit.Authenticator) { *a = *a.Poses(hers) })},
		{"a copy that counts from where it was made", signing(func(a *testkit.Authenticator) { a.Count = 0 })},
		{"signed to the challenge of another step", func() answered {
			return k.signs(k.begins(come, answered{}), mine.Sign(k.begins(come, answered{}).Options))
		}},
		{"signed in a step of making one", func() answered {
			begun := k.begins(add, ash)
			return k.signs(begun, mine.Sign(begun.Options))
		}},
		{"the same signature twice", func() answered {
			keptStep = k.begins(come, answered{})
			kept = mine.Sign(keptStep.Options)
			if got := k.signs(keptStep, kept); got.status != 200 {
				t.Errorf("the first time: %d %s", got.status, got.body)
			}
			return k.signs(keptStep, kept)
		}},
		{"a signature from before, in a new step", func() answered { return k.signs(k.begins(come, answered{}), kept) }},
		{"a step from long ago", func() answered {
			begun := k.begins(come, answered{})
			h.sql(t, "update ceremony set expires = now() - interval '1 second'")
			return k.signs(begun, mine.Sign(begun.Options))
		}},
		{"nothing for a signature", func() answered { return k.signs(k.begins(come, answered{}), json.RawMessage("[]")) }},
		{"one whose person is let in no more", func() answered {
			if err := h.EndPerson(t.Context(), personNamed(t, h, "ruth")); err != nil {
				t.Fatal(err)
			}
			begun := k.begins(come, answered{})
			return k.signs(begun, hers.Sign(begun.Options))
		}},
	} {
		got := a.try()
		if got.status != 401 && got.status != 409 && got.status != 422 || got.cookie != "" ||
			strings.Contains(got.body, `"key"`) {
			t.Errorf("%s: %d %s", a.name, got.status, got.body)
		}
		h.sql(t, "delete from attempt")
	}
	good(mine, "ash")
}
