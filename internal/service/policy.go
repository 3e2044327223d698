package service

import (
	_ "embed"
	"fmt"
	"maps"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"harvik/internal/core/rights"
	"harvik/internal/record"
)

//go:embed policy.txt
var policyText string

// policy is what each call asks for. That it can be read is known: a test reads it, too.
var policy = func() rights.Policy {
	p, err := rights.ParsePolicy(policyText)
	if err != nil {
		panic("policy.txt: " + err.Error())
	}
	return p
}()

// permitted refuses what a caller may not, by the policy; a site that is not given to them is not there.
func (s *Service) permitted(c *gin.Context) {
	who := caller(c)
	right, ok := policy[c.Request.Method+" "+c.FullPath()]
	if !ok {
		problem(c, http.StatusForbidden, "no line of the policy allows this call")
		return
	}
	if !who.May(right, "") {
		problem(c, http.StatusForbidden, fmt.Sprintf("%s may not do this: %s", as(&who), needs[right]))
		return
	}
	for _, site := range append(c.QueryArray("site"), c.Param("site")) {
		if site != "" && !who.At(site) {
			c.AddParam("site", site)
			s.noSite(c)
			return
		}
	}
}

// as words what somebody is.
func as(who *record.Caller) string {
	article := "a "
	if who.Role == rights.Owner {
		article = "an "
	}
	return article + string(who.Role)
}

// needs words who may.
var needs = map[rights.Right]string{
	rights.List: "the fix list is for those who are allowed to see it",
	rights.See:  "it is for readers, consultants and owners",
	rights.Work: "it is for consultants and owners",
	rights.Own:  "it is for owners",
}

// given are the names of the sites that a list is to be of: the one that is asked for, those that are given to the
// caller, or nil for all.
func given(c *gin.Context, asked string) []string {
	who := caller(c)
	switch {
	case asked != "":
		return []string{asked}
	case who.All():
		return nil
	}
	return slices.AppendSeq([]string{}, maps.Keys(who.Sites))
}

// told is how something is told to whoever asks: clients are told what is theirs to know.
func told[A, B any](c *gin.Context, whole, client func(*A) B) func(*A) B {
	if caller(c).Role == rights.Client {
		return client
	}
	return whole
}

// mine leaves of a list what is at sites that are given to the caller.
func mine[T any](c *gin.Context, all []T, site func(*T) string) []T {
	who := caller(c)
	out := make([]T, 0, len(all))
	for i := range all {
		if who.At(site(&all[i])) {
			out = append(out, all[i])
		}
	}
	return out
}
