package fetch

import (
	"context"
	"net/http"
	"net/textproto"
	"strings"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/weburl"
)

// hopByHop are headers that concern one connection (RFC 9110, 7.6.1), and those by which a server offers others, which
// nobody guards.
var hopByHop = []string{
	"Connection",
	"Proxy-Connection",
	"Keep-Alive",
	"Proxy-Authenticate",
	"Proxy-Authorization",
	"Te",
	"Trailer",
	"Transfer-Encoding",
	"Upgrade",
	"Alt-Svc",
}

// Carry passes on what a browser asks for, as its own requests go out: by the same guard and network, with the headers,
// certificate and gates that the address has, of which the browser learns nothing. A redirect is left to the browser,
// and so is a cookie. The caller closes the body. The error says, as a ForbiddenError or otherwise, why nothing came.
func (c *Client) Carry(ctx context.Context, u *weburl.URL, from *http.Request) (*http.Response, error) {
	req, err := request(ctx, from.Method, u, from.Body)
	if err != nil {
		return nil, err
	}
	req.ContentLength = from.ContentLength
	if from.ContentLength == 0 {
		req.Body = nil
	}
	dropped := append([]string{}, hopByHop...)
	for _, v := range from.Header["Connection"] {
		for name := range strings.SplitSeq(v, ",") {
			dropped = append(dropped, textproto.CanonicalMIMEHeaderKey(strings.TrimSpace(name)))
		}
	}
	req.Header = from.Header.Clone()
	for _, name := range dropped {
		delete(req.Header, name)
	}
	if c.isInside(u) {
		for name, value := range c.settings.Headers {
			req.Header.Set(name, value)
		}
	}
	gate := c.settings.Gates.on(u)
	if gate != nil {
		gate.dress(req, u)
	}
	resp, err := c.transport(u, false).RoundTrip(req)
	if err != nil {
		return nil, err
	}
	if gate != nil && gate.digest && resp.StatusCode == http.StatusUnauthorized && req.Body == nil &&
		gate.challenged(resp.Header.Values("WWW-Authenticate")) {
		resp.Body.Close()
		gate.authorise(req.Header, u, req.Method)
		if resp, err = c.transport(u, false).RoundTrip(req); err != nil {
			return nil, err
		}
	}
	for _, name := range hopByHop {
		delete(resp.Header, name)
	}
	return resp, nil
}

// dress gives a browser's request what the gate asks for.
func (o *gate) dress(req *http.Request, u *weburl.URL) {
	for name, values := range o.header {
		if name == "Cookie" {
			addCookies(req.Header, strings.Join(values, "; "))
		} else {
			req.Header[name] = values
		}
	}
	o.authorise(req.Header, u, req.Method)
	if o.form != nil {
		jar, _ := o.form.session()
		for _, cookie := range jar.Cookies(req.URL) {
			addCookies(req.Header, cookie.Name+"="+cookie.Value)
		}
	}
}

// addCookies adds some to those that the browser has.
func addCookies(h http.Header, pairs string) {
	if own := h.Get("Cookie"); own != "" {
		pairs = own + "; " + pairs
	}
	h.Set("Cookie", pairs)
}

// Told is a browser's answer as paces know answers.
func Told(resp *http.Response, err error) Answer {
	if err != nil {
		return failure(err, "the host did not answer in time")
	}
	return Answer{Outcome: page.Answered, Status: resp.StatusCode, Header: resp.Header, Length: resp.ContentLength,
		RetryAfter: retryAfter(resp.Header.Get("Retry-After"), time.Now())}
}
