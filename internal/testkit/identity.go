package testkit

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"html"
	"maps"
	"net/http"
	"net/url"
	"sync"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
)

// IdentityProvider is a small provider of OpenID Connect that lets in whoever it is told to.
type IdentityProvider struct {
	Address        string // the issuer
	Client, Secret string // that it knows

	mu    sync.Mutex
	who   map[string]any                 // claims of who signs in
	bend  func(claims, _ map[string]any) // of a token and its answer, before they are sent; nil for none
	key   *ecdsa.PrivateKey              // by which it signs
	shown *ecdsa.PrivateKey              // the one that it says it signs by
	codes map[string]url.Values          // what was asked for, by the code that was given out
	Asked int                            // how often its token endpoint was
}

// Identity starts one.
func Identity(t testing.TB) *IdentityProvider {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	p := &IdentityProvider{Client: "harvik", Secret: "what only the two know", key: key, shown: key, codes: map[string]url.Values{}}
	m := http.NewServeMux()
	m.HandleFunc("GET /.well-known/openid-configuration", p.discovery)
	m.HandleFunc("GET /keys", p.keys)
	m.HandleFunc("GET /authorize", p.page)
	m.HandleFunc("POST /token", p.token)
	p.Address = "http://" + Serve(t, m)
	return p
}

// Knows says who signs in from now on, and how its tokens are bent, nil for not at all.
func (p *IdentityProvider) Knows(who map[string]any, bend func(claims, answer map[string]any)) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.who, p.bend = who, bend
}

// SignsBy has it sign by a key of somebody else's, or by its own again.
func (p *IdentityProvider) SignsBy(other bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.key = p.shown
	if other {
		p.key, _ = ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	}
}

func (p *IdentityProvider) discovery(w http.ResponseWriter, _ *http.Request) {
	answer(w, map[string]any{"issuer": p.Address, "authorization_endpoint": p.Address + "/authorize",
		"token_endpoint": p.Address + "/token", "jwks_uri": p.Address + "/keys",
		"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"},
		"id_token_signing_alg_values_supported": []string{"ES256"}})
}

func answer(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v) // a caller who has gone misses it
}

func (p *IdentityProvider) keys(w http.ResponseWriter, _ *http.Request) {
	answer(w, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: p.shown.Public(), KeyID: "one", Algorithm: "ES256", Use: "sig"}}})
}

// Consent is what the provider's page does when somebody agrees: the address to which it sends their browser back.
func (p *IdentityProvider) Consent(asked url.Values) string {
	code := rand.Text()
	p.mu.Lock()
	p.codes[code] = asked
	p.mu.Unlock()
	back := url.Values{"state": {asked.Get("state")}, "code": {code}, "iss": {p.Address}}
	return asked.Get("redirect_uri") + "?" + back.Encode()
}

func (p *IdentityProvider) page(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	fmt.Fprintf(w, `<!doctype html><title>Fernhollow accounts</title><h1>Fernhollow accounts</h1>
		<p><a href="%s">Let Harvik know who I am</a></p>`, html.EscapeString(p.Consent(r.URL.Query())))
}

// token gives out an identity token for a code, once, to who can show what the code was asked for with (RFC 7636).
func (p *IdentityProvider) token(w http.ResponseWriter, r *http.Request) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.Asked++
	client, secret, _ := r.BasicAuth()
	asked, ok := p.codes[r.PostFormValue("code")]
	delete(p.codes, r.PostFormValue("code"))
	sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	if !ok || client != p.Client || secret != url.QueryEscape(p.Secret) && secret != p.Secret ||
		asked.Get("code_challenge_method") != "S256" || asked.Get("redirect_uri") != r.PostFormValue("redirect_uri") ||
		asked.Get("code_challenge") != base64.RawURLEncoding.EncodeToString(sum[:]) {
		w.WriteHeader(http.StatusBadRequest)
		answer(w, map[string]any{"error": "invalid_grant"})
		return
	}
	now := time.Now()
	claims := map[string]any{"iss": p.Address, "aud": asked.Get("client_id"), "nonce": asked.Get("nonce"),
		"iat": now.Unix(), "exp": now.Add(time.Minute).Unix()}
	maps.Copy(claims, p.who)
	out := map[string]any{"access_token": "for nothing", "token_type": "Bearer"}
	if p.bend != nil {
		p.bend(claims, out)
	}
	if _, bent := out["id_token"]; !bent {
		out["id_token"] = signed(claims, p.key)
	}
	answer(w, out)
}

// signed is a token of claims (RFC 7519); text that says why where there can be none.
func signed(claims map[string]any, key *ecdsa.PrivateKey) string {
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.ES256, Key: jose.JSONWebKey{Key: key, KeyID: "one"}}, nil)
	if err != nil {
		return err.Error()
	}
	body, err := json.Marshal(claims)
	if err != nil {
		return err.Error()
	}
	one, err := signer.Sign(body)
	if err != nil {
		return err.Error()
	}
	text, err := one.CompactSerialize()
	if err != nil {
		return err.Error()
	}
	return text
}
