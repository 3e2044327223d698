package api

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strconv"
	"strings"
	"time"
)

// A Client speaks to a Harvik service. It has a method for each operation, generated from the description. It is safe
// for use from several goroutines.
type Client struct{ calls *Calls }

// New makes a client of the service at an address, such as "http://127.0.0.1:8420", with a token.
func New(server, token string) *Client {
	return by(server, &http.Client{}, func(h http.Header) { h.Set("Authorization", "Bearer "+token) })
}

// SignedIn makes a client of the service at an address that is let in as a browser is: by a session, which SignOut
// ends.
func SignedIn(ctx context.Context, server string, in SignIn) (*Client, error) {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return nil, err
	}
	var session SessionKey
	c := by(server, &http.Client{Jar: jar, Timeout: time.Minute}, func(h http.Header) {
		h.Set("Origin", server)
		h.Set("Harvik-Session", session.Key)
	})
	session, err = c.SignIn(ctx, in)
	return c, err
}

// by makes a client that shows in the headers of its requests who it is.
func by(server string, over *http.Client, show func(http.Header)) *Client {
	// The service sends nobody elsewhere; what does is not it, and must get neither token nor password.
	over.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	server = strings.TrimSuffix(server, "/")
	return &Client{&Calls{
		Server: server + "/api/v1/",
		Client: &caller{server, over},
		RequestEditors: []RequestEditorFn{func(_ context.Context, r *http.Request) error {
			show(r.Header)
			return nil
		}},
	}}
}

// Error is a refusal by the service.
type Error struct{ Problem }

func (e *Error) Error() string {
	if e.Detail != "" {
		return e.Detail
	}
	return fmt.Sprintf("the service answered %d %s", e.Status, e.Title)
}

// caller sends requests, and turns all but successes into errors.
type caller struct {
	server string
	http   *http.Client
}

// Do implements HttpRequestDoer. The error is an *Error where the service refused.
func (c *caller) Do(r *http.Request) (*http.Response, error) {
	resp, err := c.http.Do(r)
	if err != nil {
		if u, ok := errors.AsType[*url.Error](err); ok {
			err = u.Err
		}
		return nil, fmt.Errorf("no service answers at %s (%w); start it with `harvik start`", c.server, err)
	}
	if resp.StatusCode < 300 {
		return resp, nil
	}
	defer resp.Body.Close()
	if to := resp.Header.Get("Location"); to != "" && resp.StatusCode < 400 {
		return nil, fmt.Errorf("%s is no Harvik service: it sends to %s; see --server", c.server, to)
	}
	refusal := &Error{Problem{Status: resp.StatusCode, Title: http.StatusText(resp.StatusCode)}}
	data, _ := io.ReadAll(io.LimitReader(resp.Body, 1<<20))
	_ = json.Unmarshal(data, &refusal.Problem) // not from Harvik: the status says enough
	return nil, refusal
}

// read takes an answer in.
func read[T any](resp *http.Response, err error) (out T, _ error) {
	if err != nil {
		return out, err
	}
	defer resp.Body.Close()
	if err := json.NewDecoder(resp.Body).Decode(&out); err != nil {
		return out, fmt.Errorf("reading the service's answer: %w", err)
	}
	return out, nil
}

// done is read for answers without content.
func done(resp *http.Response, err error) error {
	if err == nil {
		err = resp.Body.Close()
	}
	return err
}

// Latest names the newest finished crawl.
const Latest CrawlName = "latest"

// Numbered names a crawl by its number; 0 is the newest finished one.
func Numbered(n int) CrawlName {
	if n <= 0 {
		return Latest
	}
	return strconv.Itoa(n)
}

// Watch follows a crawl, calling f with its progress, until it has ended.
func (c *Client) Watch(ctx context.Context, site string, crawl CrawlName, f func(Progress)) (end Crawl, err error) {
	resp, err := c.WatchCrawl(ctx, site, crawl)
	if err != nil {
		return end, err
	}
	defer resp.Body.Close()
	lines := bufio.NewScanner(resp.Body)
	lines.Buffer(nil, 8<<20)
	event := ""
	for lines.Scan() {
		if name, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
			event = name
		}
		data, ok := strings.CutPrefix(lines.Text(), "data: ")
		if !ok {
			continue
		}
		if event == "end" {
			return end, json.Unmarshal([]byte(data), &end)
		}
		var p Progress
		if err := json.Unmarshal([]byte(data), &p); err != nil {
			return end, err
		}
		f(p)
	}
	if err := lines.Err(); err != nil {
		return end, err
	}
	return end, errors.New("the service ended; the crawl's record says what became of it")
}
