package service

import (
	"context"
	"fmt"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"harvik/internal/record"
	"harvik/internal/wire"
)

// showQueue tells who works, and at what.
func (s *Service) showQueue(c *gin.Context) {
	q, err := s.store.Queue(c)
	if err != nil {
		s.fail(c, err, "the queue")
		return
	}
	q.Crawls = mine(c, q.Crawls, func(one *record.Queued) string { return one.Site })
	q.Jobs = mine(c, q.Jobs, func(one *record.Job) string { return one.Site })
	c.JSON(http.StatusOK, wire.Queue(&q))
}

func (s *Service) cancelJob(c *gin.Context) { s.onJob(c, s.store.CancelJob) }

func (s *Service) retryJob(c *gin.Context) { s.onJob(c, s.store.RetryJob) }

func (s *Service) onJob(c *gin.Context, do func(ctx context.Context, id int64) error) {
	id, err := strconv.ParseInt(c.Param("job"), 10, 64)
	if err != nil {
		problem(c, http.StatusNotFound, "jobs of the queue have numbers; `harvik queue` shows them")
		return
	}
	if err := do(c, id); err != nil {
		s.fail(c, err, fmt.Sprintf("job %d of the queue", id))
		return
	}
	c.Status(http.StatusNoContent)
}
