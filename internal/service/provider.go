package service

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/provider"
	"harvik/internal/record"
	"harvik/internal/wire"
)

// Providers speak to identity providers.
type Providers interface {
	Check(ctx context.Context, of record.Provider) error
	Begin(ctx context.Context, of record.Provider, redirect string) (address string, step provider.Step, err error)
	End(ctx context.Context, of record.Provider, step provider.Step, back provider.Answer) (provider.Somebody, error)
}

// backFromProvider is the console's page to which an identity provider sends browsers back.
const backFromProvider = "/back"

// providerSet is the identity provider that is set; on failure it has answered.
func (s *Service) providerSet(c *gin.Context) (of record.Provider, ok bool) {
	if err := s.store.Setting(c, record.ProviderSetting, &of); err != nil {
		s.fail(c, err, "the identity provider")
		return of, false
	}
	return of, true
}

// showProvider tells it, without its secret.
func (s *Service) showProvider(c *gin.Context) {
	if of, ok := s.providerSet(c); ok {
		c.JSON(http.StatusOK, wire.Provider(&of, s.origin(c)+backFromProvider))
	}
}

// setProvider sets it, once it answers as one.
func (s *Service) setProvider(c *gin.Context) {
	var in api.NewProvider
	if !s.bind(c, &in) || !fits(c, bounded{"name", in.Name, maxName}, bounded{"client", in.Client, maxWords},
		bounded{"issuer", in.Issuer, maxWords}, bounded{"secret", in.Secret, maxWords}) {
		return
	}
	var faults plan.Faults
	if strings.TrimSpace(in.Name) == "" {
		faults = append(faults, plan.Fault{Field: "name", Reason: "say how people call it, such as Fernhollow accounts"})
	}
	if in.Client == "" {
		faults = append(
			faults,
			plan.Fault{Field: "client", Reason: "say by what name it knows Harvik; it is registered there"},
		)
	}
	if fault := provider.AddressFault(in.Issuer); fault != "" {
		faults = append(faults, plan.Fault{Field: "issuer", Reason: fault})
	}
	if faults != nil {
		s.fail(c, faults, "")
		return
	}
	was, ok := s.providerSet(c)
	if !ok {
		return
	}
	now := record.Provider{Name: strings.TrimSpace(in.Name), Issuer: in.Issuer, Client: in.Client}
	if err := s.providers.Check(c, now); err != nil {
		s.fail(c, plan.Faults{{Field: "issuer", Reason: err.Error()}}, "")
		return
	}
	switch {
	case in.Secret != "":
		now.Sealed = s.sealer.Seal(in.Secret, record.ProviderPurpose)
	case was.Issuer == now.Issuer && was.Client == now.Client:
		now.Sealed = was.Sealed // it goes to no other provider than it was given for
	}
	if err := s.store.Set(c, record.ProviderSetting, now); err != nil {
		s.fail(c, err, "the identity provider")
		return
	}
	c.JSON(http.StatusOK, wire.Provider(&now, s.origin(c)+backFromProvider))
}

// removeProvider has nobody let in by it any more. Who is in, stays in until their session ends.
func (s *Service) removeProvider(c *gin.Context) {
	if err := s.store.Set(c, record.ProviderSetting, record.Provider{}); err != nil {
		s.fail(c, err, "the identity provider")
		return
	}
	c.Status(http.StatusNoContent)
}

// whichProvider tells who comes how the identity provider is called by which they can sign in.
func (s *Service) whichProvider(c *gin.Context) {
	if of, ok := s.providerSet(c); ok {
		c.JSON(http.StatusOK, api.ProviderName{Name: of.Name})
	}
}

// noProvider refuses where none is set.
func (s *Service) noProvider(c *gin.Context) {
	problem(c, http.StatusConflict, "no identity provider is set; an owner sets one under People")
}

// beginProvided is the first step of signing in by the identity provider.
func (s *Service) beginProvided(c *gin.Context) {
	of, ok := s.providerSet(c)
	if !ok || !s.mayTry(c, "") {
		return
	}
	if of.Issuer == "" {
		s.noProvider(c)
		return
	}
	address, step, err := s.providers.Begin(c, of, s.origin(c)+backFromProvider)
	if err != nil {
		s.notReached(c, err)
		return
	}
	secret, ok := s.keepStep(c, 0, step)
	if ok {
		c.JSON(http.StatusOK, api.ProviderStep{Ceremony: secret, Address: address})
	}
}

// notReached says that the identity provider is not there. What exactly is wrong with it is for the log and the owner.
func (s *Service) notReached(c *gin.Context, err error) {
	s.log.Warn("identity provider not reached", "reason", err.Error())
	problem(
		c,
		http.StatusBadGateway,
		"the identity provider does not answer as it should; try again later, or sign in by a password",
	)
}

// signInProvided is the second: who it is, the provider says; whom it means, the mail address of somebody who was let
// in by an owner.
func (s *Service) signInProvided(c *gin.Context) {
	var in api.ProvidedSignIn
	if !s.bind(c, &in) || !fits(c, bounded{"state", in.State, maxName}, bounded{"refusal", in.Refusal, maxName},
		bounded{"issuer", in.Issuer, maxWords}) || !s.mayTry(c, "") {
		return
	}
	of, ok := s.providerSet(c)
	if !ok {
		return
	}
	var step provider.Step
	if !s.begun(c, 0, in.Ceremony, &step) {
		return
	}
	if of.Issuer == "" {
		s.noProvider(c)
		return
	}
	who, err := s.providers.End(c, of, step,
		provider.Answer{State: in.State, Code: in.Code, Issuer: in.Issuer, Refusal: in.Refusal})
	if err != nil && !errors.Is(err, provider.ErrRefused) {
		s.notReached(c, err)
		return
	}
	if err != nil {
		s.turnedAway(c, err.Error())
		return
	}
	person, err := s.store.PersonBy(c, who.Issuer, who.Subject, who.Mail)
	if errors.Is(err, record.ErrNotFound) {
		s.turnedAway(
			c,
			"the identity provider knows you, but nobody with a mail address that it vouches for is let in here; ask an owner of this Harvik",
		)
		return
	}
	if err != nil {
		s.fail(c, err, "the person")
		return
	}
	s.signedIn(c, person, "by "+of.Name)
}

// turnedAway lets somebody not in, and counts it.
func (s *Service) turnedAway(c *gin.Context, why string) {
	_ = s.store.Tried(c, "", s.place(c), false)
	problem(c, http.StatusUnauthorized, why)
}

// keepStep keeps the first step of two, under a secret for the second; on failure it has answered.
func (s *Service) keepStep(c *gin.Context, person int64, step any) (secret string, ok bool) {
	body, err := json.Marshal(step)
	if err == nil {
		secret, err = s.store.BeginCeremony(c, person, body)
	}
	switch {
	case errors.Is(err, record.ErrBusy):
		c.Header("Retry-After", retryLater)
		problem(c, http.StatusTooManyRequests, "too many are signing in; try again in a minute")
	case err != nil:
		s.fail(c, err, "the first step")
	}
	return secret, err == nil
}

// begun is what the first step kept; on failure it has answered.
func (s *Service) begun(c *gin.Context, person int64, secret string, step any) bool {
	body, err := s.store.EndCeremony(c, person, secret)
	if err == nil {
		err = json.Unmarshal(body, step)
	}
	if errors.Is(err, record.ErrNotFound) {
		problem(c, http.StatusUnauthorized, "this took too long, or was done before; begin again")
		return false
	}
	if err != nil {
		s.fail(c, err, "the first step")
	}
	return err == nil
}

// origin is by which address whoever asks reaches the service.
func (s *Service) origin(c *gin.Context) string { return s.scheme(c.Request) + "://" + c.Request.Host }
