package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"

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
