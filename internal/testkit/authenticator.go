package testkit

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"strings"
	"testing"

	"github.com/fxamacker/cbor/v2"
)

// An Authenticator makes a passkey and signs by it (W3C Web Authentication), as honestly as it is told to.
type Authenticator struct {
	t      testing.TB
	key    *ecdsa.PrivateKey
	id     []byte
	handle string // whose it is, as the service says it
	Origin string // of the page that is signed for
	Party  string // the name that is signed for
	Flags  byte   // what it says of whom it has before it: 1 somebody is there, 4 it knows them
	Count  uint32 // how often it signed
	Method string // what is signed, instead of what it is asked for; "" for that
}

// NewAuthenticator makes one for the pages of an origin, whose host is localhost.
func NewAuthenticator(t testing.TB, origin string) *Authenticator {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	return &Authenticator{t: t, key: key, id: []byte(rand.Text()), Origin: origin, Party: "localhost", Flags: 1 | 4}
}

// options are what a service gives to a browser.
type options struct {
	PublicKey struct {
		Challenge string
		User      struct{ ID string }
	}
}

func (a *Authenticator) read(given json.RawMessage) (o options) {
	a.t.Helper()
	if err := json.Unmarshal(given, &o); err != nil {
		a.t.Fatal(err)
	}
	return o
}

func (a *Authenticator) client(method, challenge string) []byte {
	if a.Method != "" {
		method = a.Method
	}
	out, err := json.Marshal(map[string]any{"type": method, "challenge": challenge, "origin": a.Origin, "crossOrigin": false})
	if err != nil {
		a.t.Fatal(err)
	}
	return out
}

func (a *Authenticator) data(more byte) []byte {
	party := sha256.Sum256([]byte(a.Party))
	return binary.BigEndian.AppendUint32(append(party[:], a.Flags|more), a.Count)
}

func (a *Authenticator) answer(response map[string]string) json.RawMessage {
	id := base64.RawURLEncoding.EncodeToString(a.id)
	out, err := json.Marshal(map[string]any{"id": id, "rawId": id, "type": "public-key", "response": response})
	if err != nil {
		a.t.Fatal(err)
	}
	return out
}

// Make makes its passkey.
func (a *Authenticator) Make(given json.RawMessage) json.RawMessage {
	a.t.Helper()
	o := a.read(given)
	a.handle = strings.TrimRight(o.PublicKey.User.ID, "=")
	public, err := a.key.PublicKey.ECDH()
	if err != nil {
		a.t.Fatal(err)
	}
	point := public.Bytes() // 4, x, y
	cose, err := cbor.Marshal(map[int]any{1: 2, 3: -7, -1: 1, -2: point[1:33], -3: point[33:]})
	if err != nil {
		a.t.Fatal(err)
	}
	data := append(a.data(0x40), make([]byte, 16)...)
	data = append(binary.BigEndian.AppendUint16(data, uint16(len(a.id))), a.id...)
	whole, err := cbor.Marshal(map[string]any{"fmt": "none", "attStmt": map[string]any{}, "authData": append(data, cose...)})
	if err != nil {
		a.t.Fatal(err)
	}
	return a.answer(map[string]string{"attestationObject": base64.RawURLEncoding.EncodeToString(whole),
		"clientDataJSON": base64.RawURLEncoding.EncodeToString(a.client("webauthn.create", o.PublicKey.Challenge))})
}

// Sign signs in by it.
func (a *Authenticator) Sign(given json.RawMessage) json.RawMessage {
	a.t.Helper()
	a.Count++
	client, data := a.client("webauthn.get", a.read(given).PublicKey.Challenge), a.data(0)
	print := sha256.Sum256(client)
	sum := sha256.Sum256(append(append([]byte{}, data...), print[:]...))
	signature, err := ecdsa.SignASN1(rand.Reader, a.key, sum[:])
	if err != nil {
		a.t.Fatal(err)
	}
	return a.answer(map[string]string{"clientDataJSON": base64.RawURLEncoding.EncodeToString(client),
		"authenticatorData": base64.RawURLEncoding.EncodeToString(data),
		"signature":         base64.RawURLEncoding.EncodeToString(signature), "userHandle": a.handle})
}

// Forged is it with another key, which says that it is the same.
func (a *Authenticator) Forged() *Authenticator {
	out := NewAuthenticator(a.t, a.Origin)
	out.id, out.handle, out.Count = a.id, a.handle, a.Count
	return out
}

// Poses has it say that its passkey is that of somebody else.
func (a *Authenticator) Poses(as *Authenticator) *Authenticator {
	out := *a
	out.handle = as.handle
	return &out
}
