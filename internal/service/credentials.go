package service

import (
	"errors"
	"fmt"
	"net/http"
	"regexp"
	"strconv"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/wire"
)

// listCredentials lists who is let in: tokens, browsers' sessions and links that were not used yet.
func (s *Service) listCredentials(c *gin.Context) {
	all, err := s.store.Credentials(c)
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	for i := range all {
		all[i].Own = all[i].ID == caller(c).ID
	}
	c.JSON(http.StatusOK, api.CredentialList{Credentials: wire.Each(all, wire.Credential)})
}

var tokenName = regexp.MustCompile(`^[a-z0-9]([a-z0-9._-]{0,61}[a-z0-9])?$`)

// addToken makes a token for a program. Its secret is in the answer and nowhere else.
func (s *Service) addToken(c *gin.Context) {
	var in api.TokenLabel
	if !s.bind(c, &in) {
		return
	}
	if !tokenName.MatchString(in.Label) || in.Label == store.Owner {
		problem(c, http.StatusUnprocessableEntity,
			fmt.Sprintf("label: a token's name has 1 to 63 small letters, digits, dots, hyphens or underscores, and is not %q, such as nightly-build", store.Owner))
		return
	}
	has, err := s.store.HasToken(c, in.Label)
	if err == nil && has {
		err = record.ErrExists
	}
	var secret string
	if err == nil {
		secret, err = s.store.Issue(c, store.Token, in.Label, 0)
	}
	if err != nil {
		s.fail(c, err, "a token of the name "+in.Label)
		return
	}
	c.JSON(http.StatusCreated, api.NewToken{Label: in.Label, Token: secret})
}

// revoke ends a credential at once.
func (s *Service) revoke(c *gin.Context) {
	id, err := strconv.ParseInt(c.Param("credential"), 10, 64)
	if err != nil {
		problem(c, http.StatusNotFound,
			fmt.Sprintf("a credential is named by its number, not %q", c.Param("credential")))
		return
	}
	if err := s.store.Revoke(c, id); err != nil {
		if errors.Is(err, record.ErrNotFound) {
			problem(c, http.StatusNotFound,
				fmt.Sprintf("nobody is let in under the number %d; `harvik token list` shows who is", id))
			return
		}
		s.fail(c, err, "the credential")
		return
	}
	c.Status(http.StatusNoContent)
}
