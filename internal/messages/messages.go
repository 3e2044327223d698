// Package messages sends what is to be told: by mail, by signed webhooks, as a feed.
package messages

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"time"

	"github.com/wneessen/go-mail"

	"harvik/internal/fetch"
	"harvik/internal/record"
)

// Store is where messages are kept.
type Store interface {
	Message(ctx context.Context, id int64) (record.Message, error)
	Ways(ctx context.Context) ([]record.Way, error)
	Sent(ctx context.Context, id int64, try int, failed string) error
	Setting(ctx context.Context, name string, into any) error
}

// Unsealer opens secrets.
type Unsealer interface {
	Unseal(sealed []byte, purpose string) (string, error)
}

// Messages are safe for use from several goroutines.
type Messages struct {
	store Store
	vault Unsealer
	now   func() time.Time
}

// New makes them; now is the clock.
func New(s Store, v Unsealer, now func() time.Time) *Messages {
	return &Messages{s, v, now}
}

// sendTime is how long one try may take.
const sendTime = 40 * time.Second

// Send sends a message, unless it was sent. What fails is tried again by the queue.
func (m *Messages) Send(ctx context.Context, id int64, try int) error {
	one, err := m.store.Message(ctx, id)
	if err != nil || one.Sent != nil {
		return record.UnlessGone(err)
	}
	ways, err := m.store.Ways(ctx)
	if err != nil {
		return err
	}
	for _, w := range ways {
		if w.ID != one.Way {
			continue
		}
		trying, cancel := context.WithTimeout(ctx, sendTime)
		failed := m.send(trying, w, one)
		cancel()
		if failed != nil && ctx.Err() != nil {
			return ctx.Err()
		}
		says := ""
		if failed != nil {
			says = failed.Error()
		}
		return errors.Join(failed, m.store.Sent(context.WithoutCancel(ctx), id, try, says))
	}
	return nil
}

func (m *Messages) send(ctx context.Context, w record.Way, one record.Message) error {
	var console string
	if err := m.store.Setting(ctx, record.ConsoleSetting, &console); err != nil {
		return err
	}
	switch w.Kind {
	case record.ByMail:
		return m.mail(ctx, w, one, console)
	case record.ByWebhook:
		return m.webhook(ctx, w, one, console)
	}
	return fmt.Errorf("nothing is sent by a %s", w.Kind)
}

// mail sends a message by mail. Its Message-ID is made of its key, so that a second copy is known as one.
func (m *Messages) mail(ctx context.Context, w record.Way, one record.Message, console string) error {
	return m.deliver(ctx, func(from string) (*mail.Msg, error) { return Mail(from, w.Address, one, console) })
}

// Invite sends an invitation at once: its link is kept nowhere. ErrNoMail where no mail server is set.
func (m *Messages) Invite(ctx context.Context, to, name, link string, until time.Time) error {
	return m.deliver(ctx, func(from string) (*mail.Msg, error) { return invitation(from, to, name, link, until) })
}

// ErrNoMail says that no mail can be sent.
var ErrNoMail = errors.New("no mail server is set; `harvik way mail` sets one")

func invitation(from, to, name, link string, until time.Time) (*mail.Msg, error) {
	msg := mail.NewMsg()
	if err := msg.From(from); err != nil {
		return nil, fmt.Errorf("the sender %q: %w", from, err)
	}
	if err := msg.To(to); err != nil {
		return nil, fmt.Errorf("the receiver %q: %w", to, err)
	}
	msg.Subject("Your way into Harvik")
	msg.SetGenHeader("Auto-Submitted", "auto-generated")
	msg.SetBodyString(mail.TypeTextPlain, fmt.Sprintf(`%s,

by this link you choose a password, and are let in:

%s

It works once, until %s UTC. If you do not know what this is about, leave it alone.
`, name, link, until.UTC().Format("2 January 2006 15:04")))
	return msg, nil
}

// deliver sends a mail by the server that is set.
func (m *Messages) deliver(ctx context.Context, write func(from string) (*mail.Msg, error)) error {
	var server record.MailServer
	if err := m.store.Setting(ctx, record.MailSetting, &server); err != nil {
		return err
	}
	if server.Host == "" {
		return ErrNoMail
	}
	msg, err := write(server.From)
	if err != nil {
		return err
	}
	options := []mail.Option{
		mail.WithPort(server.Port),
		mail.WithTimeout(20 * time.Second),
		mail.WithHELO(helo(server.From)),
	}
	switch server.Secure {
	case record.MailTLS:
		options = append(options, mail.WithSSL())
	case record.MailPlain:
		options = append(options, mail.WithTLSPolicy(mail.NoTLS))
	default:
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory))
	}
	if server.User != "" {
		password, err := m.vault.Unseal(server.Sealed, record.MailPurpose)
		if err != nil {
			return err
		}
		options = append(
			options,
			mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover),
			mail.WithUsername(server.User),
			mail.WithPassword(password),
		)
	}
	client, err := mail.NewClient(server.Host, options...)
	if err != nil {
		return err
	}
	return client.DialAndSendWithContext(ctx, msg)
}

// helo is the name by which a mail server is greeted: that of the sender's host.
func helo(from string) string {
	if i := strings.LastIndexByte(from, '@'); i >= 0 {
		return strings.TrimSuffix(from[i+1:], ">")
	}
	return "localhost"
}

// Mail is a message as mail, as text and as HTML.
func Mail(from, to string, one record.Message, console string) (*mail.Msg, error) {
	msg := mail.NewMsg()
	if err := msg.From(from); err != nil {
		return nil, fmt.Errorf("the sender %q: %w", from, err)
	}
	if err := msg.To(to); err != nil {
		return nil, fmt.Errorf("the receiver %q: %w", to, err)
	}
	msg.Subject(one.Body.Subject)
	msg.SetMessageIDWithValue(one.Key + "@" + helo(from))
	msg.SetDateWithValue(one.Created)
	msg.SetGenHeader("Auto-Submitted", "auto-generated") // RFC 3834: no absence note in answer
	text, err := Text(one, console)
	if err != nil {
		return nil, err
	}
	html, err := HTML(one, console)
	if err != nil {
		return nil, err
	}
	msg.SetBodyString(mail.TypeTextPlain, text)
	msg.AddAlternativeString(mail.TypeTextHTML, html)
	return msg, nil
}

// mostAnswer is how much of an answer is read.
const mostAnswer = 2 << 10

// webhook posts a message, signed by RFC 9421 with the secret of the way; the Idempotency-Key stays the same with every
// try.
func (m *Messages) webhook(ctx context.Context, w record.Way, one record.Message, console string) error {
	secret := ""
	if len(w.Sealed) > 0 {
		var err error
		if secret, err = m.vault.Unseal(w.Sealed, record.WayPurpose(w.Name)); err != nil {
			return err
		}
	}
	body, err := JSON(w, one, console)
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, w.Address, bytes.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("User-Agent", "Harvik")
	req.Header.Set("Idempotency-Key", `"`+one.Key+`"`)
	if secret != "" {
		Sign(req, body, w.Name, secret, m.now())
	}
	var guard fetch.Guard
	if p, err := netip.ParsePrefix(w.Allow); err == nil {
		guard.Allow = append(guard.Allow, p)
	}
	client := &http.Client{Transport: fetch.Guarded(guard), Timeout: 20 * time.Second,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	resp, err := client.Do(req)
	if err != nil {
		var forbidden *fetch.ForbiddenError
		if errors.As(err, &forbidden) {
			return fmt.Errorf(
				"%s is not a public address; `harvik way set %s --allow %s` lets it be reached",
				forbidden.Addr,
				w.Name,
				forbidden.Range(),
			)
		}
		var u *url.Error
		if errors.As(err, &u) {
			err = u.Err // its address may hold a secret
		}
		return err
	}
	defer resp.Body.Close()
	answer, _ := io.ReadAll(io.LimitReader(resp.Body, mostAnswer))
	if resp.StatusCode < 200 || resp.StatusCode > 299 {
		return fmt.Errorf("it answered %s: %s", resp.Status, strings.TrimSpace(strings.ToValidUTF8(string(answer), "?")))
	}
	return nil
}

// Sign signs a request by RFC 9421 (HMAC-SHA256) over its method, target, digest (RFC 9530) and key.
func Sign(req *http.Request, body []byte, name, secret string, at time.Time) {
	sum := sha256.Sum256(body)
	digest := "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"
	req.Header.Set("Content-Digest", digest)
	parameters := fmt.Sprintf(
		`("@method" "@target-uri" "content-digest" "idempotency-key");created=%d;keyid=%q;alg="hmac-sha256"`,
		at.Unix(),
		name,
	)
	base := fmt.Sprintf(
		"\"@method\": %s\n\"@target-uri\": %s\n\"content-digest\": %s\n\"idempotency-key\": %s\n\"@signature-params\": %s",
		req.Method,
		req.URL.String(),
		digest,
		req.Header.Get("Idempotency-Key"),
		parameters,
	)
	mac := hmac.New(sha256.New, []byte(secret))
	mac.Write([]byte(base))
	req.Header.Set("Signature-Input", "harvik="+parameters)
	req.Header.Set("Signature", "harvik=:"+base64.StdEncoding.EncodeToString(mac.Sum(nil))+":")
}
