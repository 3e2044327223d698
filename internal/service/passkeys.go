package service

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"errors"
	"net/http"
	"net/netip"
	"net/url"

	"github.com/gin-gonic/gin"
	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"

	"harvik/internal/api"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/wire"
)

// keyed is a person as the library for passkeys sees them.
type keyed struct {
	id   int64
	name string
	keys []webauthn.Credential
}

// WebAuthnID implements webauthn.User: it says nothing of who it is.
func (k *keyed) WebAuthnID() []byte {
	return binary.BigEndian.AppendUint64([]byte("harvik"), uint64(k.id))
}

// WebAuthnName implements webauthn.User.
func (k *keyed) WebAuthnName() string { return k.name }

// WebAuthnDisplayName implements webauthn.User.
func (k *keyed) WebAuthnDisplayName() string { return k.name }

// WebAuthnCredentials implements webauthn.User.
func (k *keyed) WebAuthnCredentials() []webauthn.Credential { return k.keys }

// personOfKey is the number of a person by what WebAuthnID made of it.
func personOfKey(id []byte) (int64, error) {
	rest, ok := bytes.CutPrefix(id, []byte("harvik"))
	if !ok || len(rest) != 8 {
		return 0, record.ErrNotFound
	}
	return int64(binary.BigEndian.Uint64(rest)), nil
}

// keyring is the library, for the name by which the service was reached; on failure it has answered.
func (s *Service) keyring(c *gin.Context) (*webauthn.WebAuthn, bool) {
	origin := s.origin(c)
	u, err := url.Parse(origin)
	if err == nil {
		if _, number := netip.ParseAddr(u.Hostname()); number == nil {
			problem(c, http.StatusConflict, "a passkey is of a name, and this address is a number: open the console as http://localhost:"+
				u.Port()+", or by the name of the service")
			return nil, false
		}
	}
	var out *webauthn.WebAuthn
	if err == nil {
		out, err = webauthn.New(&webauthn.Config{RPID: u.Hostname(), RPDisplayName: "Harvik", RPOrigins: []string{origin}})
	}
	if err != nil {
		s.fail(c, err, "the passkey")
		return nil, false
	}
	return out, true
}

// keyedOf is a person with their passkeys.
func (s *Service) keyedOf(c *gin.Context, person int64) (*keyed, error) {
	p, err := s.store.Person(c, person)
	if err != nil {
		return nil, err
	}
	all, err := s.store.Passkeys(c, person)
	out := &keyed{id: p.ID, name: p.Name}
	for i := range all {
		var one webauthn.Credential
		if err := json.Unmarshal(all[i].Body, &one); err != nil {
			return nil, err
		}
		out.keys = append(out.keys, one)
	}
	return out, err
}

// listPasskeys are those of whoever asks.
func (s *Service) listPasskeys(c *gin.Context) {
	all, err := s.store.Passkeys(c, caller(c).Person)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	c.JSON(http.StatusOK, api.PasskeyList{Passkeys: wire.Each(all, wire.Passkey)})
}

// beginPasskey is the first step of making one.
func (s *Service) beginPasskey(c *gin.Context) {
	ring, ok := s.keyring(c)
	if !ok {
		return
	}
	who, err := s.keyedOf(c, caller(c).Person)
	if err != nil {
		s.fail(c, err, "the person")
		return
	}
	var known []protocol.CredentialDescriptor
	for i := range who.keys {
		known = append(known, who.keys[i].Descriptor())
	}
	options, session, err := ring.BeginRegistration(who, webauthn.WithExclusions(known),
		webauthn.WithAuthenticatorSelection(protocol.AuthenticatorSelection{
			ResidentKey: protocol.ResidentKeyRequirementRequired, UserVerification: protocol.VerificationRequired}))
	s.ceremony(c, caller(c).Person, options, session, err)
}

// ceremony keeps the first step, and answers with what the browser is to be given.
func (s *Service) ceremony(c *gin.Context, person int64, options any, session *webauthn.SessionData, err error) {
	var told []byte
	if err == nil {
		told, err = json.Marshal(options)
	}
	if err != nil {
		s.fail(c, err, "the passkey")
		return
	}
	if secret, ok := s.keepStep(c, person, session); ok {
		c.JSON(http.StatusOK, api.Ceremony{Ceremony: secret, Options: told})
	}
}

// addPasskey is the second step of making one.
func (s *Service) addPasskey(c *gin.Context) {
	var in api.NewPasskey
	if !s.bind(c, &in) || !fits(c, bounded{"name", in.Name, maxName}) {
		return
	}
	who := caller(c)
	if who.Kind != store.Session {
		problem(c, http.StatusForbidden, "a program makes no passkey")
		return
	}
	ring, ok := s.keyring(c)
	if !ok {
		return
	}
	var session webauthn.SessionData
	if !s.begun(c, who.Person, in.Ceremony, &session) {
		return
	}
	user, err := s.keyedOf(c, who.Person)
	if err != nil {
		s.fail(c, err, "the person")
		return
	}
	answer, err := protocol.ParseCredentialCreationResponseBytes(in.Credential)
	var made *webauthn.Credential
	if err == nil {
		made, err = ring.CreateCredential(user, session, answer)
	}
	if err != nil {
		problem(c, http.StatusUnprocessableEntity, "the passkey does not hold: "+err.Error())
		return
	}
	body, err := json.Marshal(made)
	if err == nil {
		err = s.store.AddPasskey(c, record.Passkey{Person: who.Person, Name: in.Name, Handle: made.ID, Body: body})
	}
	if errors.Is(err, record.ErrBusy) {
		problem(c, http.StatusConflict, "you have as many passkeys as can be kept; remove one first")
		return
	}
	if err != nil {
		s.fail(c, err, "this passkey")
		return
	}
	s.listPasskeys(c)
}

// removePasskey forgets one.
func (s *Service) removePasskey(c *gin.Context) {
	id, err := numbered(c, "passkey")
	if err == nil {
		err = s.store.RemovePasskey(c, caller(c).Person, id)
	}
	if err != nil {
		s.fail(c, err, "such a passkey of yours")
		return
	}
	c.Status(http.StatusNoContent)
}

// beginKeyed is the first step of signing in by a passkey.
func (s *Service) beginKeyed(c *gin.Context) {
	if !s.mayTry(c, "") {
		return
	}
	ring, ok := s.keyring(c)
	if !ok {
		return
	}
	options, session, err := ring.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	s.ceremony(c, 0, options, session, err)
}

// signInKeyed is the second: whose passkey it is, the authenticator says.
func (s *Service) signInKeyed(c *gin.Context) {
	var in api.KeyedSignIn
	if !s.bind(c, &in) || !s.mayTry(c, "") {
		return
	}
	ring, ok := s.keyring(c)
	if !ok {
		return
	}
	var session webauthn.SessionData
	if !s.begun(c, 0, in.Ceremony, &session) {
		return
	}
	answer, err := protocol.ParseCredentialRequestResponseBytes(in.Credential)
	var user webauthn.User
	var used *webauthn.Credential
	if err == nil {
		user, used, err = ring.ValidatePasskeyLogin(func(_, handle []byte) (webauthn.User, error) {
			id, err := personOfKey(handle)
			if err != nil {
				return nil, err
			}
			return s.keyedOf(c, id)
		}, session, answer)
	}
	if err != nil || used.Authenticator.CloneWarning {
		s.turnedAway(c, "this passkey lets nobody in here")
		return
	}
	body, err := json.Marshal(used)
	if err == nil {
		err = s.store.UsedPasskey(c, used.ID, body)
	}
	if err != nil {
		s.fail(c, err, "the passkey")
		return
	}
	s.signedIn(c, user.(*keyed).id, "by passkey")
}
