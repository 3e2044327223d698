package service

import (
	"errors"
	"fmt"
	"maps"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/rights"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/wire"
)

// listCredentials lists by what people are let in: tokens, browsers' sessions and links that were not used yet; those
// of whoever asks, or of all for owners.
func (s *Service) listCredentials(c *gin.Context) {
	all, err := s.store.Credentials(c, s.whose(c))
	if err != nil {
		s.fail(c, err, "the list")
		return
	}
	for i := range all {
		all[i].Own = all[i].ID == caller(c).ID
	}
	c.JSON(http.StatusOK, api.CredentialList{Credentials: wire.Each(all, wire.Credential)})
}

// whose is the person whose credentials a caller has to do with; 0 for all.
func (s *Service) whose(c *gin.Context) int64 {
	who := caller(c)
	if who.May(rights.Own, "") {
		return 0
	}
	return who.Person
}

var tokenName = regexp.MustCompile(`^[a-z0-9]([a-z0-9._-]{0,61}[a-z0-9])?$`)

// mostTokenDays is how long a token can be good, in days.
const mostTokenDays = 3650

// addToken makes a token for a program of whoever asks, with their rights or fewer. Its secret is in the answer and
// nowhere else.
func (s *Service) addToken(c *gin.Context) {
	var in api.TokenWish
	if !s.bind(c, &in) {
		return
	}
	who := caller(c)
	token := record.NewToken{Person: who.Person, Label: in.Label, Role: rights.Role(in.Role), Sites: in.Sites}
	var faults plan.Faults
	if !tokenName.MatchString(in.Label) || in.Label == store.Owner {
		faults = append(faults, plan.Fault{Field: "label", Reason: fmt.Sprintf(
			"a token's name has 1 to 63 small letters, digits, dots, hyphens or underscores, and is not %q, such as nightly-build",
			store.Owner,
		)})
	}
	if in.Role != "" && !token.Role.Known() {
		faults = append(faults, plan.Fault{Field: "role",
			Reason: unknownRole(in.Role)})
	}
	for _, site := range in.Sites {
		if !who.At(site) {
			faults = append(faults, plan.Fault{Field: "sites", Reason: "there is no site " + site})
		}
	}
	if in.Days < 0 || in.Days > mostTokenDays {
		faults = append(
			faults,
			plan.Fault{
				Field:  "days",
				Reason: fmt.Sprintf("a token is good for 1 to %d days, or without an end", mostTokenDays),
			},
		)
	}
	if faults != nil {
		s.fail(c, faults, "")
		return
	}
	// A program makes no token that may more than it may itself.
	if token.Role = rights.Least(who.Role, token.Role); in.Role == "" && who.Kind != store.Token {
		token.Role = ""
	}
	if token.Sites == nil && who.Kind == store.Token && !who.All() {
		token.Sites = slices.Sorted(maps.Keys(who.Sites))
	}
	if in.Days > 0 {
		end := time.Now().AddDate(0, 0, in.Days)
		token.Expires = &end
	}
	secret, err := s.store.IssueToken(c, token)
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
	if err := s.store.Revoke(c, id, s.whose(c)); err != nil {
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
