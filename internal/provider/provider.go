// Package provider lets people in by an identity provider of their agency's own, by OpenID Connect: the
// authorization code flow with PKCE (RFC 7636), a state and a nonce, and the issuer's name in its answer (RFC 9207)
// where it sends it.
package provider

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"harvik/internal/core/weburl"
	"harvik/internal/record"
)

// Bounds of what a provider says.
const (
	patience = 15 * time.Second
	mostSaid = 1 << 20 // bytes of an answer
)

// Unsealer opens secrets.
type Unsealer interface {
	Unseal(sealed []byte, purpose string) (string, error)
}

// Providers speak to identity providers. They are safe for use from several goroutines.
type Providers struct {
	client *http.Client
	vault  Unsealer
}

// New makes them.
func New(v Unsealer) *Providers {
	return &Providers{&http.Client{Transport: bounded{http.DefaultTransport}, Timeout: patience,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}, v}
}

// bounded reads no more of an answer than there is reason to.
type bounded struct{ base http.RoundTripper }

func (b bounded) RoundTrip(r *http.Request) (*http.Response, error) {
	resp, err := b.base.RoundTrip(r)
	if err == nil {
		resp.Body = struct {
			io.Reader
			io.Closer
		}{io.LimitReader(resp.Body, mostSaid), resp.Body}
	}
	return resp, err
}

// A Step is what the second step needs to know of the first.
type Step struct {
	State, Nonce, Verifier string
	Issuer, Redirect       string
}

// Somebody is who a provider says has signed in.
type Somebody struct {
	Issuer, Subject string
	Mail            string // "" where the provider does not vouch for it
}

// ErrRefused says that what came back lets nobody in.
var ErrRefused = errors.New("the provider's answer does not hold")

func refused(format string, args ...any) error {
	return fmt.Errorf("%w: "+format, append([]any{ErrRefused}, args...)...)
}

// Check tells whether a provider can be reached, and speaks as one.
func (p *Providers) Check(ctx context.Context, of record.Provider) error {
	_, err := p.meet(ctx, of.Issuer)
	return err
}

// meet reads what a provider says of itself (OpenID Connect Discovery 1.0).
func (p *Providers) meet(ctx context.Context, issuer string) (*oidc.Provider, error) {
	if fault := AddressFault(issuer); fault != "" {
		return nil, errors.New(fault)
	}
	found, err := oidc.NewProvider(oidc.ClientContext(ctx, p.client), issuer)
	if err != nil {
		return nil, fmt.Errorf("the identity provider %s does not answer as one: %w", issuer, err)
	}
	var says struct {
		Keys string `json:"jwks_uri"`
	}
	if err := found.Claims(&says); err != nil {
		return nil, fmt.Errorf("the identity provider %s does not answer as one: %w", issuer, err)
	}
	for _, one := range []string{found.Endpoint().AuthURL, found.Endpoint().TokenURL, says.Keys} {
		if fault := AddressFault(one); fault != "" {
			return nil, fmt.Errorf("the identity provider %s names an address that is not used: %s", issuer, fault)
		}
	}
	return found, nil
}

// AddressFault says why an address is none at which secrets are told; "" if it is one: by https, or on this machine.
func AddressFault(address string) string {
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Host == "" || u.User != nil || u.Fragment != "":
		return fmt.Sprintf("%q is no address of a provider, such as https://id.fernhollow.example", address)
	case u.Scheme == "https":
		return ""
	}
	if u.Scheme == "http" && weburl.IsHere(u.Hostname()) {
		return ""
	}
	return fmt.Sprintf("%q is not by https, and others could read what is told there", address)
}

func config(found *oidc.Provider, of record.Provider, secret, redirect string) *oauth2.Config {
	return &oauth2.Config{ClientID: of.Client, ClientSecret: secret, Endpoint: found.Endpoint(), RedirectURL: redirect,
		Scopes: []string{oidc.ScopeOpenID, "profile", "email"}}
}

// Begin is where somebody's browser is sent to sign in, and what is kept until it comes back to an address.
func (p *Providers) Begin(
	ctx context.Context,
	of record.Provider,
	redirect string,
) (address string, step Step, err error) {
	found, err := p.meet(ctx, of.Issuer)
	if err != nil {
		return "", step, err
	}
	step = Step{
		State:    rand.Text(),
		Nonce:    rand.Text(),
		Verifier: oauth2.GenerateVerifier(),
		Issuer:   of.Issuer,
		Redirect: redirect,
	}
	return config(found, of, "", redirect).AuthCodeURL(step.State, oidc.Nonce(step.Nonce),
		oauth2.S256ChallengeOption(step.Verifier)), step, nil
}

// Answer is what a provider sends back by somebody's browser.
type Answer struct {
	State, Code string
	Issuer      string // "" where it does not say
	Refusal     string // "" where it lets somebody in
}

// End is who has signed in; ErrRefused where what came back does not hold.
func (p *Providers) End(ctx context.Context, of record.Provider, step Step, back Answer) (who Somebody, err error) {
	switch {
	case subtle.ConstantTimeCompare([]byte(back.State), []byte(step.State)) != 1:
		return who, refused("it is not to what was asked")
	case step.Issuer != of.Issuer || back.Issuer != "" && back.Issuer != of.Issuer:
		return who, refused("it is of another provider")
	case back.Refusal != "":
		return who, refused("it says %q", back.Refusal)
	}
	secret := ""
	if len(of.Sealed) > 0 {
		if secret, err = p.vault.Unseal(of.Sealed, record.ProviderPurpose); err != nil {
			return who, fmt.Errorf("the secret for the identity provider: %w", err)
		}
	}
	found, err := p.meet(ctx, of.Issuer)
	if err != nil {
		return who, err
	}
	ctx = oidc.ClientContext(ctx, p.client)
	token, err := config(
		found,
		of,
		secret,
		step.Redirect,
	).Exchange(ctx, back.Code, oauth2.VerifierOption(step.Verifier))
	var told *oauth2.RetrieveError
	if errors.As(err, &told) {
		return who, refused("it takes the code back (%s)", told.Response.Status)
	}
	if err != nil {
		return who, fmt.Errorf("the identity provider %s does not answer: %w", of.Issuer, err)
	}
	raw, _ := token.Extra("id_token").(string)
	id, err := found.VerifierContext(ctx, &oidc.Config{ClientID: of.Client}).Verify(ctx, raw)
	if err != nil {
		return who, refused("%v", err)
	}
	if subtle.ConstantTimeCompare([]byte(id.Nonce), []byte(step.Nonce)) != 1 {
		return who, refused("it was made for another sign-in")
	}
	var claims struct {
		Mail     string          `json:"email"`
		Verified json.RawMessage `json:"email_verified"` // a boolean; some send it as a text
		Party    string          `json:"azp"`
	}
	if err := id.Claims(&claims); err != nil || id.Subject == "" {
		return who, refused("it names nobody")
	}
	if claims.Party != "" && claims.Party != of.Client {
		return who, refused("it was made for another program")
	}
	who = Somebody{Issuer: id.Issuer, Subject: id.Subject}
	if v := string(claims.Verified); v == "true" || v == `"true"` {
		who.Mail = claims.Mail
	}
	return who, nil
}
