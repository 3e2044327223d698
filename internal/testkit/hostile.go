package testkit

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"time"

	"harvik/internal/core/page"
)

// A Misdeed is one thing that a server can do wrong: served at /name, with what has to come of it.
type Misdeed struct {
	Name    string
	Outcome page.Outcome
	Status  int                      // of the facts; 0 where nothing usable was answered
	Raw     func(net.Conn)           // takes the connection over, or
	Serve   http.HandlerFunc         // answers in proper HTTP
	Check   func(*page.Facts) string // what is wrong with what was read, "" for nothing
}

func raw(text string) func(net.Conn) { return func(c net.Conn) { io.WriteString(c, text) } }

// head is a response's head with an HTML type.
func head(more string) string {
	return "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\n" + more + "\r\n"
}

func body(kind, text string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", kind)
		io.WriteString(w, text)
	}
}

func packed(coding string, data []byte) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		w.Header().Set("Content-Encoding", coding)
		w.Write(data)
	}
}

func zip(data []byte) []byte {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	z.Write(data)
	z.Close()
	return b.Bytes()
}

// Zeros is a gzip file of so many megabytes of nothing: as many members, each of one.
func Zeros(megabytes int) []byte {
	return bytes.Repeat(zip(make([]byte, 1<<20)), megabytes)
}

func slowly(c net.Conn, start, piece string) {
	io.WriteString(c, start)
	for range 200 {
		if _, err := io.WriteString(c, piece); err != nil {
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
}

func redirect(to string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		w.Header()["Location"] = []string{to}
		w.WriteHeader(http.StatusFound)
	}
}

func wants(ok bool, what string) string {
	if ok {
		return ""
	}
	return what
}

// Misdeeds are the cases of the hostile site.
func Misdeeds() []Misdeed {
	bomb, small := Zeros(1024), zip([]byte(strings.Repeat("<p>fern and moss ", 400)))
	text := func(want string) func(*page.Facts) string {
		return func(f *page.Facts) string {
			return wants(f.Document != nil && strings.Contains(f.Document.Title(), want),
				fmt.Sprintf("no title %q", want))
		}
	}
	const short = "<title>Fern</title>"
	list := []Misdeed{
		// Connections.
		{Name: "closes-at-once", Outcome: page.Reset, Raw: func(net.Conn) {}},
		{Name: "closes-in-the-status-line", Outcome: page.BadResponse, Raw: raw("HTTP/1.1 2")},
		{Name: "closes-in-the-head", Outcome: page.BadResponse, Raw: raw("HTTP/1.1 200 OK\r\nContent-")},
		{Name: "closes-before-the-body", Outcome: page.Truncated, Status: 200,
			Raw: raw(head("Content-Length: 10\r\n"))},
		{Name: "closes-in-the-body", Outcome: page.Truncated, Status: 200,
			Raw: raw(head("Content-Length: 1000\r\n") + short), Check: text("Fern")},
		{Name: "closes-in-a-chunk", Outcome: page.Truncated, Status: 200,
			Raw: raw(head("Transfer-Encoding: chunked\r\n") + "13\r\n" + short + "\r\n40\r\nand"), Check: text("Fern")},
		{Name: "resets", Outcome: page.Reset, Raw: func(c net.Conn) { c.(*net.TCPConn).SetLinger(0) }},
		{Name: "silent", Outcome: page.TimedOut, Raw: func(net.Conn) { time.Sleep(3 * time.Second) }},
		{Name: "drips-the-head", Outcome: page.TimedOut,
			Raw: func(c net.Conn) { slowly(c, "HTTP/1.1 200 OK\r\nX: ", "x") }},
		{Name: "drips-the-body", Outcome: page.TimedOut,
			Raw: func(c net.Conn) { slowly(c, head("Content-Length: 100000\r\n"), "x") }},
		{Name: "drips-chunks", Outcome: page.TimedOut,
			Raw: func(c net.Conn) { slowly(c, head("Transfer-Encoding: chunked\r\n"), "1\r\nx\r\n") }},
		{Name: "hints-for-ever", Outcome: page.TimedOut,
			Raw: func(c net.Conn) { slowly(c, "", "HTTP/1.1 103 Early Hints\r\nLink: </x>\r\n\r\n") }},
		// Not HTTP, or not quite.
		{Name: "speaks-another-protocol", Outcome: page.BadResponse, Raw: raw("SSH-2.0-Something\r\n\r\n")},
		{Name: "old-protocol", Outcome: page.BadResponse, Raw: raw("<title>no head at all</title>")},
		{Name: "strange-status", Outcome: page.BadResponse, Raw: raw("HTTP/1.1 abc OK\r\n\r\n")},
		{Name: "status-999", Outcome: page.Answered, Status: 999,
			Raw: raw("HTTP/1.1 999 Go Away\r\nContent-Length: 0\r\n\r\n")},
		{Name: "header-without-colon", Outcome: page.BadResponse, Raw: raw("HTTP/1.1 200 OK\r\nnonsense\r\n\r\n")},
		{Name: "header-too-large", Outcome: page.BadResponse,
			Raw: raw("HTTP/1.1 200 OK\r\nX: " + strings.Repeat("x", 300<<10) + "\r\n\r\n")},
		{Name: "ten-thousand-headers", Outcome: page.BadResponse,
			Raw: raw("HTTP/1.1 200 OK\r\n" + strings.Repeat("X-Header: some value of some length\r\n", 10_000) +
				"\r\n")},
		{Name: "header-bytes", Outcome: page.Answered, Status: 200,
			Raw: raw(head("X-Odd: \xff\xfe\x80\r\nContent-Length: 19\r\n") + short), Check: text("Fern")},
		{Name: "two-lengths", Outcome: page.BadResponse,
			Raw: raw(head("Content-Length: 5\r\nContent-Length: 9\r\n") + "hello")},
		{Name: "length-below-zero", Outcome: page.BadResponse, Raw: raw(head("Content-Length: -5\r\n") + "hello")},
		{Name: "length-too-short", Outcome: page.Answered, Status: 200,
			Raw: raw(head("Content-Length: 19\r\n") + short + "<title>more</title>"), Check: text("Fern")},
		{Name: "length-and-chunks", Outcome: page.Answered, Status: 200,
			Raw:   raw(head("Content-Length: 5\r\nTransfer-Encoding: chunked\r\n") + "13\r\n" + short + "\r\n0\r\n\r\n"),
			Check: text("Fern")},
		{Name: "bad-chunk", Outcome: page.Truncated, Status: 200,
			Raw: raw(head("Transfer-Encoding: chunked\r\n") + "zz\r\nx\r\n")},
		{Name: "chunk-without-end", Outcome: page.Truncated, Status: 200,
			Raw: raw(head("Transfer-Encoding: chunked\r\n") + "ffffffffffffffff\r\nx")},
		{Name: "header-injection", Outcome: page.Answered, Status: 302,
			Raw: raw("HTTP/1.1 302 Found\r\nLocation: /ok%0d%0aSet-Cookie:%20a=b\r\nContent-Length: 0\r\n\r\n"), Check: func(f *page.Facts) string {
				return wants(!strings.ContainsAny(f.Redirect, "\r\n") && f.HeaderValue("Set-Cookie") == "",
					"a header was injected")
			}},
		{Name: "early-hints-first", Outcome: page.Answered, Status: 200,
			Raw: raw("HTTP/1.1 103 Early Hints\r\nLink: </x>\r\n\r\nHTTP/1.1 100 Continue\r\n\r\n" +
				head("Content-Length: 19\r\n") + short), Check: text("Fern")},
		{Name: "no-content-with-a-body", Outcome: page.Answered, Status: 204,
			Raw: raw("HTTP/1.1 204 No Content\r\nContent-Length: 5\r\n\r\nhello")},
		{Name: "switches-protocols", Outcome: page.Answered, Status: 101,
			Raw: raw("HTTP/1.1 101 Switching Protocols\r\nUpgrade: x\r\nConnection: Upgrade\r\n\r\n")},
		// Bodies.
		{Name: "endless", Outcome: page.Truncated, Status: 200, Raw: func(c net.Conn) {
			io.WriteString(c, head(""))
			for block := bytes.Repeat([]byte("<p>fern "), 8<<10); ; {
				if _, err := c.Write(block); err != nil {
					return
				}
			}
		}},
		{Name: "two-hundred-megabytes", Outcome: page.Truncated, Status: 200,
			Serve: func(w http.ResponseWriter, _ *http.Request) {
				w.Header().Set("Content-Type", "text/html")
				w.Header().Set("Content-Length", fmt.Sprint(200<<20))
				for block := bytes.Repeat([]byte("<b>x"), 16<<10); ; {
					if _, err := w.Write(block); err != nil {
						return
					}
				}
			}},
		{Name: "bomb", Outcome: page.Truncated, Status: 200, Serve: packed("gzip", bomb)},
		{Name: "bomb-within-a-bomb", Outcome: page.BadCoding, Status: 0, Serve: packed("gzip, gzip", zip(bomb))},
		{Name: "gzip-cut-off", Outcome: page.Truncated, Status: 200, Serve: packed("gzip", small[:len(small)-20])},
		{Name: "gzip-that-is-none", Outcome: page.BadCoding,
			Serve: packed("gzip", []byte("<title>plain text that is no gzip</title>"))},
		{Name: "gzip-with-a-wrong-sum", Outcome: page.BadCoding,
			Serve: packed("gzip", append(bytes.Clone(small[:len(small)-8]), 0, 0, 0, 0, 0, 0, 0, 0))},
		{Name: "unknown-coding", Outcome: page.BadCoding, Serve: packed("rot13", []byte("hello"))},
		{Name: "coding-in-capitals", Outcome: page.Answered, Status: 200, Serve: packed(" GZIP ", small)},
		{Name: "empty", Outcome: page.Answered, Status: 200, Serve: body("text/html", "")},
		{Name: "without-type", Outcome: page.Answered, Status: 200,
			Serve: func(w http.ResponseWriter, _ *http.Request) {
				w.Header()["Content-Type"] = nil
				io.WriteString(w, "<!doctype html>"+short)
			}, Check: text("Fern")},
		{Name: "lying-type", Outcome: page.Answered, Status: 200, Serve: body("text/html", "%PDF-1.4\n\x00\x01\x02")},
		{Name: "broken-pdf", Outcome: page.Answered, Status: 200,
			Serve: body("application/pdf",
				"%PDF-1.4\n1 0 obj << /Type /Catalog /Pages 1 0 R >> endobj\nxref\ntrailer << /Root 1 0 R >>"),
			Check: func(f *page.Facts) string {
				return wants(f.PDF != nil && f.PDF.Fault != "", "a broken document has no fault")
			}},
		// Documents.
		{Name: "null-bytes", Outcome: page.Answered, Status: 200,
			Serve: body("text/html", "<ti\x00tle>Fe\x00rn</title>\x00\x00"+short), Check: text("Fern")},
		{Name: "deep", Outcome: page.Answered, Status: 200,
			Serve: body("text/html", short+strings.Repeat("<div>", 50_000)+"<h1>far down</h1>"), Check: text("Fern")},
		{Name: "deep-formatting", Outcome: page.Answered, Status: 200,
			Serve: body("text/html", short+strings.Repeat("<b><i>", 20_000)), Check: text("Fern")},
		{Name: "deep-tables", Outcome: page.Answered, Status: 200,
			Serve: body("text/html", short+strings.Repeat("<table><tr><td>", 5_000)), Check: text("Fern")},
		{Name: "hundred-thousand-links", Outcome: page.Answered, Status: 200,
			Serve: func(w http.ResponseWriter, _ *http.Request) {
				w.Header().Set("Content-Type", "text/html")
				io.WriteString(w, short)
				for range 100_000 {
					io.WriteString(w, `<a href="/ok">x</a>`)
				}
			}, Check: func(f *page.Facts) string {
				return wants(f.Document != nil && len(f.Document.Links) == 100_000, "not every link was read")
			}},
		{Name: "hundred-thousand-attributes", Outcome: page.Answered, Status: 200,
			Serve: body("text/html", short+"<p "+strings.Repeat("a=b ", 100_000)+">"), Check: text("Fern")},
		{Name: "unclosed-everything", Outcome: page.Answered, Status: 200,
			Serve: body("text/html", "<title>Fern<!-- <a href='x")},
		{Name: "one-long-line", Outcome: page.Answered, Status: 200,
			Serve: body("text/html", short+strings.Repeat("<a href=/ok>x</a> ", 20_000)), Check: text("Fern")},
		{Name: "lying-charset", Outcome: page.Answered, Status: 200,
			Serve: body("text/html; charset=utf-16", "<meta charset=utf-8>"+short)},
		{Name: "unknown-charset", Outcome: page.Answered, Status: 200, Serve: body("text/html; charset=klingon", short),
			Check: text("Fern")},
		{Name: "bytes-of-no-charset", Outcome: page.Answered, Status: 200,
			Serve: body("text/html; charset=utf-8", "<title>F\xe9rn \xff\xfe</title>"), Check: text("F")},
		{Name: "malformed-links", Outcome: page.Answered, Status: 200,
			Serve: body("text/html", short+`<a href="http://[">x</a><a href="http://a b/">x</a><a href="//">x</a><a href="http://%00/">x</a><a href="javascript:alert(1)">x</a><a href="http://999.999.999.999/">x</a><a href="`+strings.Repeat("a", 100_000)+`">x</a><a href="\\\\x">x</a><a href="http://x:99999/">x</a><base href="::">`), Check: text("Fern")},
		{Name: "cookies-of-all-sorts", Outcome: page.Answered, Status: 200,
			Raw: raw(head("Set-Cookie: a=secret-one; Domain=.example\r\nSet-Cookie: =\r\nSet-Cookie: b\r\nSet-Cookie: "+strings.Repeat("c", 9000)+"=1\r\nContent-Length: 19\r\n") + short), Check: func(f *page.Facts) string {
				return wants(!strings.Contains(fmt.Sprint(f.Header), "secret-one"), "a cookie's value was kept")
			}},
		// Redirects.
		{Name: "redirect-to-itself", Outcome: page.Answered, Status: 302, Serve: redirect("/redirect-to-itself")},
		{Name: "redirect-nowhere", Outcome: page.Answered, Status: 302, Serve: redirect("")},
		{Name: "redirect-to-file", Outcome: page.Answered, Status: 302, Serve: redirect("file:///etc/passwd")},
		{Name: "redirect-to-data", Outcome: page.Answered, Status: 302,
			Serve: redirect("data:text/html,<title>x</title>")},
		{Name: "redirect-to-private", Outcome: page.Answered, Status: 302,
			Serve: redirect("http://169.254.169.254/latest/")},
		{Name: "redirect-to-many-names", Outcome: page.Answered, Status: 302, Serve: redirect("http://localhost.:1/x")},
		{Name: "redirect-with-spaces", Outcome: page.Answered, Status: 302, Serve: redirect("  /ok  ")},
		{Name: "redirect-of-bytes", Outcome: page.Answered, Status: 302, Serve: redirect("/\xff\xfe")},
		{Name: "retry-in-a-year", Outcome: page.Answered, Status: 410,
			Serve: func(w http.ResponseWriter, _ *http.Request) {
				w.Header().Set("Retry-After", "31536000")
				w.WriteHeader(http.StatusGone)
			}},
	}
	return list
}

// Hostile serves the misdeeds, with a home page that links to them all and a chain of fifty
// redirects. It is a listener of its own, since a proper server would not let itself be made to
// do all this.
func Hostile(misdeeds []Misdeed) http.Handler {
	byName := map[string]*Misdeed{}
	for i := range misdeeds {
		byName[misdeeds[i].Name] = &misdeeds[i]
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := strings.Trim(r.URL.Path, "/")
		m := byName[name]
		var hop int
		switch {
		case name == "":
			w.Header().Set("Content-Type", "text/html")
			io.WriteString(w, "<!doctype html><title>A site of misdeeds</title><a href=/ok>ok</a><a href=/hop-0>chain</a>")
			for i := range misdeeds {
				fmt.Fprintf(w, "<a href=/%s>%s</a>\n", misdeeds[i].Name, misdeeds[i].Name)
			}
		case name == "ok":
			body("text/html", "<title>A sound page</title>")(w, r)
		case scanHop(name, &hop) && hop < 50:
			http.Redirect(w, r, fmt.Sprintf("/hop-%d", hop+1), http.StatusFound)
		case m == nil:
			http.NotFound(w, r)
		case m.Serve != nil:
			m.Serve(w, r)
		default:
			conn, _, err := w.(http.Hijacker).Hijack()
			if err != nil {
				return
			}
			defer conn.Close()
			m.Raw(conn)
			// What the other side still sends is read, or closing would look like a reset.
			if tcp, ok := conn.(*net.TCPConn); ok && name != "resets" {
				_ = tcp.CloseWrite()
				_ = conn.SetReadDeadline(time.Now().Add(50 * time.Millisecond))
				_, _ = io.Copy(io.Discard, bufio.NewReader(conn))
			}
		}
	})
}

func scanHop(name string, hop *int) bool {
	n, err := fmt.Sscanf(name, "hop-%d", hop)
	return err == nil && n == 1
}
