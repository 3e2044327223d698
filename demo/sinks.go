package demo

import (
	"io"
	"net"
	"net/http"
	"net/mail"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

// A Mailbox is a mail server that keeps what it is given, and gives none of it on.
type Mailbox struct {
	Address string // host:port
	mu      sync.Mutex
	mails   []*mail.Message
	bodies  []string
	refuse  error
	// OnMail is told of each; nil for nobody. It is set before any comes.
	OnMail func(*mail.Message)
}

// NewMailbox starts one, which the caller closes.
func NewMailbox() (*Mailbox, io.Closer, error) {
	m := &Mailbox{}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, nil, err
	}
	m.Address = l.Addr().String()
	s := smtp.NewServer(m)
	s.Domain, s.AllowInsecureAuth = "mail.fernhollow.example", true
	s.ReadTimeout, s.WriteTimeout = 10*time.Second, 10*time.Second
	go s.Serve(l)
	return m, s, nil
}

// NewSession implements smtp.Backend.
func (m *Mailbox) NewSession(*smtp.Conn) (smtp.Session, error) { return &mailing{m}, nil }

// Refuse has the server refuse what it is given, with an error; nil for no longer.
func (m *Mailbox) Refuse(err error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.refuse = err
}

// Mails are what came, with the bodies as they came.
func (m *Mailbox) Mails() ([]*mail.Message, []string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return append([]*mail.Message(nil), m.mails...), append([]string(nil), m.bodies...)
}

// mailing is one connection.
type mailing struct{ of *Mailbox }

func (s *mailing) Mail(string, *smtp.MailOptions) error { return nil }
func (s *mailing) Rcpt(string, *smtp.RcptOptions) error { return nil }
func (s *mailing) Reset()                               {}
func (s *mailing) Logout() error                        { return nil }

// Data implements smtp.Session.
func (s *mailing) Data(r io.Reader) error {
	one, err := mail.ReadMessage(r)
	if err != nil {
		return err
	}
	var body strings.Builder
	if _, err := io.Copy(&body, one.Body); err != nil {
		return err
	}
	s.of.mu.Lock()
	defer s.of.mu.Unlock()
	if s.of.refuse != nil {
		return s.of.refuse
	}
	s.of.mails, s.of.bodies = append(s.of.mails, one), append(s.of.bodies, body.String())
	if s.of.OnMail != nil {
		s.of.OnMail(one)
	}
	return nil
}

// A Posted is a request that a webhook's stand-in got.
type Posted struct {
	Header http.Header
	URL    string
	Body   []byte
}

// A Hook takes webhooks, and keeps them.
type Hook struct {
	mu     sync.Mutex
	posts  []Posted
	status int
	held   chan struct{}
}

// NewHook makes one, to be served.
func NewHook() *Hook { return &Hook{status: http.StatusNoContent} }

// ServeHTTP implements http.Handler.
func (h *Hook) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, _ := io.ReadAll(r.Body)
	h.mu.Lock()
	defer h.mu.Unlock()
	h.posts = append(h.posts, Posted{r.Header.Clone(), "http://" + r.Host + r.URL.RequestURI(), body})
	status, held := h.status, h.held
	h.mu.Unlock()
	if held != nil {
		select {
		case <-held:
		case <-r.Context().Done():
		}
	}
	h.mu.Lock()
	w.WriteHeader(status)
}

// Answers has it answer with a status.
func (h *Hook) Answers(status int) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.status = status
}

// Hold has it take what comes and not answer, until the function that it gives is called.
func (h *Hook) Hold() (release func()) {
	held := make(chan struct{})
	h.mu.Lock()
	h.held = held
	h.mu.Unlock()
	return func() {
		h.mu.Lock()
		h.held = nil
		h.mu.Unlock()
		close(held)
	}
}

// Posts are what came.
func (h *Hook) Posts() []Posted {
	h.mu.Lock()
	defer h.mu.Unlock()
	return append([]Posted(nil), h.posts...)
}
