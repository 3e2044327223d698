package service

import (
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"harvik/internal/api"
	"harvik/internal/core/plan"
	"harvik/internal/core/query"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/wire"
)

// problem answers with an error by RFC 9457. Its type is always about:blank: the status says the kind.
func problem(c *gin.Context, status int, detail string, faults ...plan.Fault) {
	c.Header("Content-Type", "application/problem+json")
	c.Header("Cache-Control", "no-store")
	c.AbortWithStatusJSON(status, api.Problem{
		Type: "about:blank", Title: http.StatusText(status), Status: status, Detail: detail,
		Faults: wire.Faults(faults),
	})
}

// fail turns an error into a response. What is not the caller's doing is logged with its
// cause and shown without it.
func (s *Service) fail(c *gin.Context, err error, what string) {
	var faults plan.Faults
	var refusal *record.Refusal
	var mistake *record.Mistake
	var mistakes query.Mistakes
	var fault *query.Fault
	switch {
	case errors.As(err, &mistakes):
		problem(c, http.StatusUnprocessableEntity, mistakes.Error(), faultsOf(mistakes)...)
	case errors.As(err, &fault):
		problem(c, http.StatusUnprocessableEntity, fault.Error())
	case errors.Is(err, store.ErrTooLong):
		problem(c, http.StatusUnprocessableEntity, err.Error())
	case errors.As(err, &refusal):
		problem(c, http.StatusConflict, err.Error())
	case errors.As(err, &mistake):
		problem(c, http.StatusUnprocessableEntity, err.Error())
	case errors.Is(err, record.ErrEnding):
		problem(c, http.StatusServiceUnavailable, err.Error())
	case errors.Is(err, record.ErrNotFound):
		problem(c, http.StatusNotFound, what+" does not exist")
	case errors.Is(err, record.ErrExists):
		problem(c, http.StatusConflict, what+" exists already")
	case errors.Is(err, record.ErrRunning):
		problem(c, http.StatusConflict, err.Error()+"; stop it first, or wait for it")
	case errors.As(err, &faults):
		problem(c, http.StatusUnprocessableEntity, faults.Error(), faults...)
	case errors.Is(err, record.ErrDisk):
		problem(c, http.StatusInsufficientStorage, err.Error())
	case c.Request.Context().Err() != nil:
		c.Abort() // the caller has left
	default:
		s.trouble(c, err, what)
	}
}

// trouble answers for the database, where that is why a request failed.
func (s *Service) trouble(c *gin.Context, err error, what string) {
	switch s.store.Trouble(err) {
	case record.Full:
		problem(c, http.StatusInsufficientStorage, "the database's disk is full, so nothing can be stored")
	case record.Away:
		s.log.Error("the database does not answer", "path", c.Request.URL.Path, "reason", err.Error())
		problem(c, http.StatusServiceUnavailable,
			"the database does not answer at the moment; try again in a few seconds")
	case record.Contested:
		problem(c, http.StatusConflict, what+" was changed by somebody else at the same moment; try again")
	case record.Unfit:
		problem(c, http.StatusUnprocessableEntity, "the database cannot take a value of this request: "+s.store.Says(err))
	default:
		s.log.Error("request failed", "method", c.Request.Method, "path", c.Request.URL.Path, "reason", err.Error())
		problem(c, http.StatusInternalServerError, "the service could not do this; its log says why")
	}
}

// guarded answers for a handler that panics. Gin's own recovery would end an answer that was to be cut short in
// good order.
func (s *Service) guarded(c *gin.Context) {
	defer func() {
		v := recover()
		switch {
		case v == nil:
		case v == http.ErrAbortHandler: //nolint:errorlint // a sentinel that is compared as net/http does
			panic(v) // net/http ends the connection
		default:
			s.log.Error("handler panicked", "method", c.Request.Method, "path", c.Request.URL.Path, "value", fmt.Sprint(v))
			problem(c, http.StatusInternalServerError, "the service could not do this; its log says why")
		}
	}()
	c.Next()
}

func (s *Service) noMethod(c *gin.Context) {
	problem(c, http.StatusMethodNotAllowed, c.Request.Method+" is not possible here")
}

// logged writes a line for each request. Queries are left out: they can hold a secret.
func (s *Service) logged(c *gin.Context) {
	start := time.Now()
	c.Next()
	s.log.Debug("request", "method", c.Request.Method, "path", c.Request.URL.Path, "status", c.Writer.Status(),
		"ms", time.Since(start).Milliseconds())
}
