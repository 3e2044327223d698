package service

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/gin-gonic/gin"

	"harvik/internal/record"
	"harvik/internal/report"
)

// TestUnstalled: a caller who does not read, or does not go on sending, is let go; one who is slow but goes on
// is not, however long it takes.
func TestUnstalled(t *testing.T) {
	s := New(none{}, nil, Config{Console: fstest.MapFS{}, Log: slog.New(slog.DiscardHandler)})
	s.patience = patience{300 * time.Millisecond, 2 * time.Second}
	ended := make(chan error, 4)
	g := gin.New()
	g.Use(s.unstalled)
	g.GET("/file", func(c *gin.Context) {
		c.Status(http.StatusOK)
		var err error
		for range 1000 {
			if _, err = c.Writer.Write(make([]byte, 1<<20)); err != nil {
				break
			}
		}
		ended <- err
	})
	g.POST("/body", func(c *gin.Context) {
		n, err := io.Copy(io.Discard, c.Request.Body)
		ended <- err
		c.String(http.StatusOK, fmt.Sprint(n))
	})
	g.GET("/work", func(c *gin.Context) { // longer than any piece may take
		select {
		case <-time.After(700 * time.Millisecond):
			c.Status(http.StatusNoContent)
		case <-c.Request.Context().Done():
			c.Status(http.StatusTeapot)
		}
	})
	server := httptest.NewServer(g)
	defer server.Close()
	dial := func(head string) net.Conn {
		t.Helper()
		c, err := net.Dial("tcp", strings.TrimPrefix(server.URL, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { c.Close() })
		io.WriteString(c, head)
		return c
	}
	await := func(what string) error {
		t.Helper()
		select {
		case err := <-ended:
			return err
		case <-time.After(20 * time.Second):
			t.Fatalf("%s holds the service", what)
			return nil
		}
	}
	dial("GET /file HTTP/1.1\r\nHost: x\r\n\r\n")
	if err := await("who does not read"); err == nil {
		t.Error("a gigabyte went to who does not read")
	}
	dial("POST /body HTTP/1.1\r\nHost: x\r\nContent-Length: 100\r\n\r\npart")
	var timeout net.Error
	if err := await("who does not send"); !errors.As(err, &timeout) || !timeout.Timeout() {
		t.Errorf("who does not send ends by %v", err)
	}
	slow := dial("POST /body HTTP/1.1\r\nHost: x\r\nContent-Length: 5\r\n\r\n")
	for range 5 {
		time.Sleep(150 * time.Millisecond)
		io.WriteString(slow, "x")
	}
	if err := await("who is slow"); err != nil {
		t.Errorf("who is slow and goes on ends by %v", err)
	}
	forever := dial("POST /body HTTP/1.1\r\nHost: x\r\nContent-Length: 1000\r\n\r\n")
	go func() {
		for {
			time.Sleep(100 * time.Millisecond)
			if _, err := io.WriteString(forever, "x"); err != nil {
				return
			}
		}
	}()
	if err := await("who sends a byte now and then"); err == nil {
		t.Error("a body may take for ever")
	}
	// One connection, one request after the other: no deadline is left over from the one before.
	again := dial("")
	answers := bufio.NewReader(again)
	for range 3 {
		io.WriteString(again, "GET /work HTTP/1.1\r\nHost: x\r\n\r\n")
		resp, err := http.ReadResponse(answers, nil)
		if err != nil || resp.StatusCode != http.StatusNoContent {
			t.Fatalf("a request that takes long: %v, %v", resp, err)
		}
	}
}

func TestTurns(t *testing.T) {
	turns := &turns{what: "exports", all: 3, each: 2}
	var ends []func()
	for _, c := range []struct {
		caller int64
		want   string
	}{{1, ""}, {1, ""}, {1, "2 exports of yours"}, {2, ""}, {3, "3 exports are under way"}} {
		end, refusal := turns.take(c.caller)
		if !strings.HasPrefix(refusal, c.want) || (c.want == "") != (refusal == "") {
			t.Errorf("caller %d: %q, want %q", c.caller, refusal, c.want)
		}
		if end != nil {
			ends = append(ends, end)
		}
	}
	for _, end := range ends {
		end()
	}
	if len(turns.busy) != 0 || turns.sum != 0 {
		t.Errorf("when all have ended %v and %d are left", turns.busy, turns.sum)
	}
}

// TestCutShort: an answer that fails when it has begun ends in disorder, however little of it there is, so that nobody
// takes the part for the whole; a handler that panics otherwise is answered for.
func TestCutShort(t *testing.T) {
	s := New(none{}, nil, Config{Console: fstest.MapFS{}, Log: slog.New(slog.DiscardHandler)})
	g := gin.New()
	g.Use(s.guarded)
	form := report.Form{Name: "csv", Type: "text/csv", Write: func(_ context.Context, w io.Writer, _ *report.Handover) error {
		_, err := io.WriteString(w, "page,title\n")
		return errors.Join(err, errors.New("the rest cannot be read"))
	}}
	g.GET("/file", func(c *gin.Context) { s.stream(c, record.Crawl{}, &form, nil) })
	g.GET("/panic", func(*gin.Context) { panic("a mistake") })
	server := httptest.NewServer(g)
	defer server.Close()
	resp, err := http.Get(server.URL + "/file")
	if err == nil {
		var body []byte
		if body, err = io.ReadAll(resp.Body); err == nil {
			t.Errorf("a part is handed over as the whole: %q", body)
		}
		resp.Body.Close()
	}
	if resp, err = http.Get(server.URL + "/panic"); err != nil || resp.StatusCode != http.StatusInternalServerError {
		t.Errorf("%v (%v)", resp, err)
	}
}
