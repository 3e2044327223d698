package testkit

import (
	"crypto"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/asn1"
	"encoding/base64"
	"encoding/json"
	"encoding/pem"
	"errors"
	"fmt"
	"io"
	"math/big"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
)

// An Authority is a small one that gives out certificates by ACME (RFC 8555), to who shows on a port of its own that a
// name is theirs (tls-alpn-01, RFC 8737).
type Authority struct {
	Directory string         // its address
	Roots     *x509.CertPool // by which what it certifies is known

	at     string // where all names are looked for
	key    *ecdsa.PrivateKey
	root   *x509.Certificate
	base   string
	mu     sync.Mutex
	nonces map[string]bool
	thumb  string           // of the account's key
	known  *jose.JSONWebKey // the account's key
	orders []*certOrder
}

type certOrder struct {
	name, token string
	proven      bool
	chain       []byte // PEM; nil until it is certified
}

// NewAuthority starts one that looks for all names at an address.
func NewAuthority(t testing.TB, at string) *Authority {
	t.Helper()
	a := &Authority{at: at, nonces: map[string]bool{}, Roots: x509.NewCertPool()}
	var err error
	if a.key, err = ecdsa.GenerateKey(elliptic.P256(), rand.Reader); err != nil {
		t.Fatal(err)
	}
	der, err := x509.CreateCertificate(rand.Reader, authorityOf(), authorityOf(), a.key.Public(), a.key)
	if err == nil {
		a.root, err = x509.ParseCertificate(der)
	}
	if err != nil {
		t.Fatal(err)
	}
	a.Roots.AddCert(a.root)
	m := http.NewServeMux()
	m.HandleFunc("GET /directory", func(w http.ResponseWriter, _ *http.Request) {
		answer(
			w,
			map[string]any{"newNonce": a.base + "/nonce", "newAccount": a.base + "/account", "newOrder": a.base + "/order"},
		)
	})
	m.HandleFunc("/nonce", func(w http.ResponseWriter, _ *http.Request) { a.nonce(w) })
	for pattern, does := range map[string]func(http.ResponseWriter, []byte, *certOrder) error{
		"POST /account": a.account, "POST /order": a.order, "POST /order/{n}": a.state, "POST /proof/{n}": a.proof,
		"POST /challenge/{n}": a.challenge, "POST /finish/{n}": a.finish, "POST /cert/{n}": a.cert,
	} {
		m.HandleFunc(pattern, func(w http.ResponseWriter, r *http.Request) { a.serve(w, r, does) })
	}
	a.base = "http://" + Serve(t, m)
	a.Directory = a.base + "/directory"
	return a
}

func authorityOf() *x509.Certificate {
	return &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "Fernhollow authority"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour), IsCA: true,
		KeyUsage: x509.KeyUsageCertSign, BasicConstraintsValid: true}
}

// Certified is how many certificates it gave out.
func (a *Authority) Certified() (n int) {
	a.mu.Lock()
	defer a.mu.Unlock()
	for _, o := range a.orders {
		if o.chain != nil {
			n++
		}
	}
	return n
}

// Orders is how many were asked for.
func (a *Authority) Orders() int {
	a.mu.Lock()
	defer a.mu.Unlock()
	return len(a.orders)
}

func (a *Authority) nonce(w http.ResponseWriter) {
	one := rand.Text()
	a.mu.Lock()
	a.nonces[one] = true
	a.mu.Unlock()
	w.Header().Set("Replay-Nonce", one)
}

// serve takes a request that is signed, for this address, by a nonce that was not used, and answers it.
func (a *Authority) serve(
	w http.ResponseWriter,
	r *http.Request,
	does func(http.ResponseWriter, []byte, *certOrder) error,
) {
	a.nonce(w)
	body, err := a.signedBy(r)
	var order *certOrder
	if n := r.PathValue("n"); err == nil && n != "" {
		i, fault := strconv.Atoi(n)
		a.mu.Lock()
		if fault != nil || i < 0 || i >= len(a.orders) {
			err = fmt.Errorf("no order %s", n)
		} else {
			order = a.orders[i]
		}
		a.mu.Unlock()
	}
	if err == nil {
		err = does(w, body, order)
	}
	if err != nil {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusForbidden)
		fmt.Fprintf(w, `{"type":"urn:ietf:params:acme:error:malformed","detail":%q}`, err.Error())
	}
}

func (a *Authority) signedBy(r *http.Request) ([]byte, error) {
	text, err := io.ReadAll(r.Body)
	if err != nil {
		return nil, err
	}
	one, err := jose.ParseSignedJSON(string(text), []jose.SignatureAlgorithm{jose.ES256})
	if err != nil {
		return nil, err
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	head := one.Signatures[0].Protected
	if !a.nonces[head.Nonce] || head.ExtraHeaders["url"] != a.base+r.URL.Path {
		return nil, errors.New("the nonce was used, or the address is another")
	}
	delete(a.nonces, head.Nonce)
	key := a.known
	if r.URL.Path == "/account" {
		if key = head.JSONWebKey; key == nil {
			return nil, errors.New("there is no key")
		}
		sum, err := key.Thumbprint(crypto.SHA256)
		if err != nil {
			return nil, err
		}
		a.known, a.thumb = key, base64.RawURLEncoding.EncodeToString(sum)
	}
	if key == nil {
		return nil, errors.New("there is no account")
	}
	return one.Verify(key)
}

func (a *Authority) account(w http.ResponseWriter, _ []byte, _ *certOrder) error {
	w.Header().Set("Location", a.base+"/account/1")
	w.WriteHeader(http.StatusCreated)
	answer(w, map[string]any{"status": "valid"})
	return nil
}

func (a *Authority) order(w http.ResponseWriter, body []byte, _ *certOrder) error {
	var in struct{ Identifiers []struct{ Value string } }
	if err := json.Unmarshal(body, &in); err != nil || len(in.Identifiers) != 1 {
		return fmt.Errorf("one name is wanted (%w)", err)
	}
	a.mu.Lock()
	a.orders = append(a.orders, &certOrder{name: in.Identifiers[0].Value, token: rand.Text()})
	n := len(a.orders) - 1
	a.mu.Unlock()
	w.Header().Set("Location", fmt.Sprintf("%s/order/%d", a.base, n))
	w.WriteHeader(http.StatusCreated)
	return a.state(w, nil, a.orders[n])
}

// number of an order; it is known to be one.
func (a *Authority) number(o *certOrder) (n int) {
	for i, one := range a.orders {
		if one == o {
			n = i
		}
	}
	return n
}

func (a *Authority) state(w http.ResponseWriter, _ []byte, o *certOrder) error {
	a.mu.Lock()
	defer a.mu.Unlock()
	n, state := a.number(o), "pending"
	if o.proven {
		state = "ready"
	}
	out := map[string]any{"identifiers": []any{map[string]string{"type": "dns", "value": o.name}},
		"authorizations": []string{
			fmt.Sprintf("%s/proof/%d", a.base, n),
		}, "finalize": fmt.Sprintf("%s/finish/%d", a.base, n)}
	if o.chain != nil {
		state, out["certificate"] = "valid", fmt.Sprintf("%s/cert/%d", a.base, n)
	}
	out["status"] = state
	answer(w, out)
	return nil
}

func (a *Authority) proof(w http.ResponseWriter, _ []byte, o *certOrder) error {
	a.mu.Lock()
	defer a.mu.Unlock()
	state := "pending"
	if o.proven {
		state = "valid"
	}
	answer(w, map[string]any{"status": state, "identifier": map[string]string{"type": "dns", "value": o.name},
		"challenges": []any{a.asks(o, state)}})
	return nil
}

func (a *Authority) asks(o *certOrder, state string) map[string]string {
	return map[string]string{"type": "tls-alpn-01", "token": o.token, "status": state,
		"url": fmt.Sprintf("%s/challenge/%d", a.base, a.number(o))}
}

// challenge looks whether whoever is at the name shows what only the account can know.
func (a *Authority) challenge(w http.ResponseWriter, _ []byte, o *certOrder) error {
	conn, err := tls.Dial("tcp", a.at, &tls.Config{ServerName: o.name, NextProtos: []string{"acme-tls/1"},
		InsecureSkipVerify: true}) // it shows a certificate of its own making
	if err != nil {
		return err
	}
	defer conn.Close()
	a.mu.Lock()
	defer a.mu.Unlock()
	sum := sha256.Sum256([]byte(o.token + "." + a.thumb))
	want, err := asn1.Marshal(sum[:])
	if err != nil {
		return err
	}
	for _, e := range conn.ConnectionState().PeerCertificates[0].Extensions {
		if e.Id.String() == "1.3.6.1.5.5.7.1.31" && e.Critical && string(e.Value) == string(want) {
			o.proven = true
		}
	}
	if !o.proven {
		return errors.New("who is there shows something else")
	}
	answer(w, a.asks(o, "valid"))
	return nil
}

func (a *Authority) finish(w http.ResponseWriter, body []byte, o *certOrder) error {
	var in struct{ CSR string }
	err := json.Unmarshal(body, &in)
	var der []byte
	if err == nil {
		der, err = base64.RawURLEncoding.DecodeString(strings.TrimRight(in.CSR, "="))
	}
	var asked *x509.CertificateRequest
	if err == nil {
		asked, err = x509.ParseCertificateRequest(der)
	}
	if err == nil {
		err = asked.CheckSignature()
	}
	if err != nil {
		return err
	}
	if !o.proven || len(asked.DNSNames) != 1 || asked.DNSNames[0] != o.name {
		return fmt.Errorf("%v is not what was proven", asked.DNSNames)
	}
	leaf, err := x509.CreateCertificate(rand.Reader, &x509.Certificate{SerialNumber: big.NewInt(time.Now().UnixNano()),
		DNSNames: asked.DNSNames, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().AddDate(0, 0, 90),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}},
		a.root, asked.PublicKey, a.key)
	if err != nil {
		return err
	}
	a.mu.Lock()
	for _, one := range [][]byte{leaf, a.root.Raw} {
		o.chain = append(o.chain, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: one})...)
	}
	a.mu.Unlock()
	return a.state(w, nil, o)
}

func (a *Authority) cert(w http.ResponseWriter, _ []byte, o *certOrder) error {
	w.Header().Set("Content-Type", "application/pem-certificate-chain")
	_, err := w.Write(o.chain)
	return err
}
