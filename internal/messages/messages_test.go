package messages

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"encoding/xml"
	"errors"
	"io"
	"mime"
	"mime/multipart"
	"net"
	"strconv"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/alert"
	"harvik/internal/record"
	"harvik/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

var now = time.Date(2026, 11, 30, 6, 0, 0, 0, time.UTC)

// post is a store in memory.
type post struct {
	message record.Message
	way     record.Way
	mail    record.MailServer
	says    []string
}

func (p *post) Message(context.Context, int64) (record.Message, error) { return p.message, nil }
func (p *post) Ways(context.Context) ([]record.Way, error)             { return []record.Way{p.way}, nil }

func (p *post) Sent(_ context.Context, _ int64, _ int, failed string) error {
	p.says = append(p.says, failed)
	if failed == "" {
		p.message.Sent = &now
	}
	return nil
}

func (p *post) Setting(_ context.Context, name string, into any) error {
	switch v := into.(type) {
	case *string:
		*v = "https://harvik.example"
	case *record.MailServer:
		*v = p.mail
	}
	return nil
}

// plain opens what is sealed for its purpose.
type plain struct{}

func (plain) Unseal(sealed []byte, purpose string) (string, error) {
	secret, ok := strings.CutPrefix(string(sealed), purpose+":")
	if !ok {
		return "", errors.New("sealed for something else")
	}
	return secret, nil
}

func told() record.Message {
	return record.Message{ID: 7, Way: 1, Key: "KEY123", Created: now, Body: record.MessageBody{
		Subject: "fernhollow: 400 pages can no longer be found in search, and 1 more",
		Items: []record.MessageItem{
			{
				Alert: 3,
				Site:  "fernhollow",
				Rule:  "pages-closed",
				What:  "pages-closed",
				Says:  "400 pages can no longer be found in search",
				Lines: []string{
					"/plants/0",
					"/plants/<b>",
				},
				More:  398,
				Count: 400,
				First: "Look at what closes one of them.",
				Since: now,
				Link:  "/sites/fernhollow/12/drift",
			},
			{
				Alert: 2,
				Site:  "fernhollow",
				Rule:  "outage",
				What:  "outage",
				Over:  true,
				Says:  "home is up again, after 12 min",
				Link:  "/sites/fernhollow/watch",
			},
		}, More: 3,
	}}
}

// parts are the text and the HTML of a mail.
func parts(t *testing.T, kind, body string) (text, html string) {
	t.Helper()
	_, p, err := mime.ParseMediaType(kind)
	if err != nil {
		t.Fatal(err)
	}
	r := multipart.NewReader(strings.NewReader(body), p["boundary"])
	for {
		part, err := r.NextPart()
		if errors.Is(err, io.EOF) {
			return text, html
		}
		if err != nil {
			t.Fatal(err)
		}
		data, err := io.ReadAll(part)
		if err != nil {
			t.Fatal(err)
		}
		if strings.HasPrefix(part.Header.Get("Content-Type"), "text/plain") {
			text = string(data)
		} else {
			html = string(data)
		}
	}
}

func TestMail(t *testing.T) {
	box := testkit.Mailbox(t)
	host, port, _ := net.SplitHostPort(box.Address)
	n, _ := strconv.Atoi(port)
	p := &post{
		message: told(),
		way:     record.Way{ID: 1, Name: "ash", Kind: record.ByMail, Address: "ash@fernhollow.example"},
		mail: record.MailServer{
			Host:   host,
			Port:   n,
			From:   "Harvik <harvik@fernhollow.example>",
			Secure: record.MailPlain,
		},
	}
	m := New(p, plain{}, func() time.Time { return now })
	box.Refuse(errors.New("the disk of the mail server is full"))
	if err := m.Send(t.Context(), 7, 1); err == nil || !strings.Contains(p.says[0], "disk of the mail server") {
		t.Fatalf("refused: %v, %q", err, p.says)
	}
	box.Refuse(nil)
	if err := m.Send(t.Context(), 7, 2); err != nil || p.message.Sent == nil {
		t.Fatalf("%v, %q", err, p.says)
	}
	if err := m.Send(t.Context(), 7, 3); err != nil {
		t.Fatal(err)
	}
	mails, bodies := box.Mails()
	if len(mails) != 1 {
		t.Fatalf("%d mails came of one message", len(mails))
	}
	h := mails[0].Header
	subject, err := new(mime.WordDecoder).DecodeHeader(h.Get("Subject"))
	if err != nil || subject != told().Body.Subject || h.Get("Message-ID") != "<KEY123@fernhollow.example>" ||
		h.Get("Auto-Submitted") != "auto-generated" || !strings.Contains(h.Get("To"), "ash@fernhollow.example") {
		t.Errorf("%q, %v (%v)", subject, h, err)
	}
	text, html := parts(t, h.Get("Content-Type"), bodies[0])
	for _, want := range []string{"400 pages can no longer be found in search", "since Mon 30 Nov 06:00 UTC", "/plants/0", "and 398 more",
		"First: Look at what closes one of them.", "https://harvik.example/sites/fernhollow/12/drift", "Over · fernhollow: home is up again",
		"and 3 more: https://harvik.example/inbox"} {
		if !strings.Contains(text, want) {
			t.Errorf("the text lacks %q:\n%s", want, text)
		}
	}
	if strings.Contains(html, "/plants/<b>") || !strings.Contains(html, "/plants/&lt;b&gt;") ||
		!strings.Contains(html, `href=3D"https://harvik.example/sites/fernhollow/12/drift"`) &&
			!strings.Contains(html, `href="https://harvik.example/sites/fernhollow/12/drift"`) {
		t.Errorf("HTML:\n%s", html)
	}
}

// TestLetter: a letter says of each site how the week went, and what is next.
func TestLetter(t *testing.T) {
	health, before := 81.9, 88.2
	one := record.Message{
		Key: "K",
		Body: record.MessageBody{Subject: "the week", Letter: &record.Letter{From: now.AddDate(0, 0, -7), Until: now,
			Sites: []record.LetterSite{
				{Site: "fernhollow", Latest: 12, Health: &health, Before: &before, Crawls: 5, Cause: "Footer link is dead",
					Confirmed: []string{
						"Title is missing",
					}, Returned: []string{"Footer link is dead"}, Alerts: []string{"health fell <by> 6.3"},
					Down: []string{
						"home was down",
					}, Next: []record.LetterFix{{Line: "Mend the footer", Gain: 7.35, Link: "/sites/fernhollow/12/fixes?fix=a"}}},
				{Site: "nursery"},
			}}},
	}
	text, err := Text(one, "https://harvik.example")
	if err != nil {
		t.Fatal(err)
	}
	html, err := HTML(one, "https://harvik.example")
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"from 23 November 2026 to 30 November 2026", "fernhollow: health 81.9 (-6.3)", "5 crawls", "mostly: Footer link is dead",
		"confirmed: Title is missing", "came back: Footer link is dead", "home was down", "https://harvik.example/sites/fernhollow/12/fixes?fix=a"} {
		if !strings.Contains(text, want) {
			t.Errorf("the text lacks %q:\n%s", want, text)
		}
		if !strings.Contains(html, want) && !strings.Contains(html, strings.ReplaceAll(want, "+", "&#43;")) {
			t.Errorf("the HTML lacks %q:\n%s", want, html)
		}
	}
	if !strings.Contains(text, "nursery, no crawl") || strings.Contains(html, "<by>") {
		t.Errorf("%s\n%s", text, html)
	}
}

func TestNoMailServer(t *testing.T) {
	p := &post{
		message: told(),
		way:     record.Way{ID: 1, Name: "ash", Kind: record.ByMail, Address: "ash@fernhollow.example"},
	}
	err := New(p, plain{}, time.Now).Send(t.Context(), 7, 1)
	if err == nil || !strings.Contains(err.Error(), "harvik way mail") {
		t.Errorf("%v", err)
	}
}

// TestWebhook: what is sent is signed as RFC 9421 has it, worked out here anew; its key stays the same with each try.
func TestWebhook(t *testing.T) {
	hook, address := testkit.Hook(t)
	p := &post{
		message: told(),
		way: record.Way{ID: 1, Name: "board", Kind: record.ByWebhook, Address: address, Allow: "127.0.0.0/8",
			Sealed: []byte("way board:leaf mould")},
	}
	m := New(p, plain{}, func() time.Time { return now })
	hook.Answers(503)
	if err := m.Send(t.Context(), 7, 1); err == nil || !strings.Contains(p.says[0], "503") {
		t.Fatalf("%v, %q", err, p.says)
	}
	hook.Answers(204)
	if err := m.Send(t.Context(), 7, 2); err != nil {
		t.Fatal(err)
	}
	posts := hook.Posts()
	if len(posts) != 2 || posts[0].Header.Get("Idempotency-Key") != `"KEY123"` ||
		posts[1].Header.Get("Idempotency-Key") != `"KEY123"` {
		t.Fatalf("%d posts: %v", len(posts), posts)
	}
	one := posts[1]
	var body struct {
		Key   string
		Items []struct {
			Says, Link string
			Over       bool
		}
	}
	if err := json.Unmarshal(one.Body, &body); err != nil || body.Key != "KEY123" || len(body.Items) != 2 ||
		body.Items[0].Link != "https://harvik.example/sites/fernhollow/12/drift" || !body.Items[1].Over {
		t.Errorf("%s (%v)", one.Body, err)
	}
	sum := sha256.Sum256(one.Body)
	digest := "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"
	input, ok := strings.CutPrefix(one.Header.Get("Signature-Input"), "harvik=")
	if !ok || one.Header.Get("Content-Digest") != digest || !strings.Contains(input, `keyid="board"`) ||
		!strings.Contains(input, "created=1796018400") {
		t.Errorf("%q, %q", one.Header.Get("Signature-Input"), one.Header.Get("Content-Digest"))
	}
	mac := hmac.New(sha256.New, []byte("leaf mould"))
	mac.Write(
		[]byte(strings.Join([]string{`"@method": POST`, `"@target-uri": ` + one.URL, `"content-digest": ` + digest,
			`"idempotency-key": "KEY123"`, `"@signature-params": ` + input}, "\n")),
	)
	if want := "harvik=:" + base64.StdEncoding.EncodeToString(mac.Sum(nil)) + ":"; one.Header.Get("Signature") != want {
		t.Errorf("signed %s, not %s", one.Header.Get("Signature"), want)
	}
}

// TestWebhookStays: a webhook reaches public addresses, and what was allowed to it, alone; it follows nobody elsewhere.
func TestWebhookStays(t *testing.T) {
	hook, address := testkit.Hook(t)
	p := &post{message: told(), way: record.Way{ID: 1, Name: "board", Kind: record.ByWebhook, Address: address}}
	m := New(p, plain{}, time.Now)
	err := m.Send(t.Context(), 7, 1)
	if err == nil || !strings.Contains(err.Error(), "harvik way set board --allow 127.0.0.0/8") ||
		len(hook.Posts()) != 0 {
		t.Errorf("%v, %d posts", err, len(hook.Posts()))
	}
	p.way.Allow = "127.0.0.0/8"
	hook.Answers(302)
	if err := m.Send(t.Context(), 7, 1); err == nil || !strings.Contains(err.Error(), "302") || len(hook.Posts()) != 1 {
		t.Errorf("%v, %d posts", err, len(hook.Posts()))
	}
	p.way.Address = strings.Replace(address, "http://", "http://user:hemlock@", 1) + "?token=nightshade"
	hook.Answers(500)
	if err := m.Send(t.Context(), 7, 1); err == nil || strings.Contains(err.Error(), "hemlock") ||
		strings.Contains(err.Error(), "nightshade") {
		t.Errorf("%v", err)
	}
}

func TestAtom(t *testing.T) {
	ended := now.Add(time.Hour)
	all := []record.Alert{
		{
			ID:    4,
			Site:  "fernhollow",
			Began: now,
			Told:  alert.Told{Says: "Health fell by 6.3 to 81.9", Lines: []string{"−5: <dead>"}},
		},
		{
			ID:    3,
			Site:  "fernhollow",
			Began: now.Add(-time.Hour),
			Ended: &ended,
			Over:  "home is up again",
			Told:  alert.Told{Says: "home is down"},
		},
	}
	out, err := Atom(
		record.Way{Name: "reader"},
		all,
		func(record.Alert) string { return "/sites/fernhollow/12/drift" },
		"https://harvik.example",
		now,
	)
	if err != nil {
		t.Fatal(err)
	}
	var feed struct {
		XMLName xml.Name `xml:"http://www.w3.org/2005/Atom feed"`
		ID      string   `xml:"id"`
		Updated string   `xml:"updated"`
		Entries []struct {
			Title string `xml:"title"`
			Link  struct {
				Href string `xml:"href,attr"`
			} `xml:"link"`
			Content string `xml:"content"`
		} `xml:"entry"`
	}
	if err := xml.Unmarshal(out, &feed); err != nil || feed.ID == "" || feed.Updated == "" || len(feed.Entries) != 2 {
		t.Fatalf("%s (%v)", out, err)
	}
	if e := feed.Entries[0]; e.Link.Href != "https://harvik.example/sites/fernhollow/12/drift" ||
		!strings.Contains(e.Content, "<dead>") {
		t.Errorf("%+v", e)
	}
	if e := feed.Entries[1]; !strings.HasSuffix(e.Title, "(over)") || !strings.Contains(e.Content, "home is up again") {
		t.Errorf("%+v", e)
	}
}
