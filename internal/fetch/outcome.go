package fetch

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"syscall"
	"time"

	"harvik/internal/core/page"
)

// failure names an error of the transport. Late says, of a timeout, what was being waited for.
func failure(err error, late string) Answer {
	a := Answer{Outcome: page.BadResponse, Detail: plain(err), Length: -1}
	var forbidden *ForbiddenError
	var dns *net.DNSError
	switch {
	case errors.As(err, &forbidden):
		a.Outcome, a.Detail = page.Forbidden, forbidden.Error()
	case errors.As(err, &dns) && !dns.IsTimeout:
		a.Outcome, a.Detail = page.NoDNS, "the host name "+dns.Name+" does not resolve"
	case isTimeout(err):
		a.Outcome, a.Detail = page.TimedOut, late
	case errors.Is(err, syscall.ECONNREFUSED):
		a.Outcome, a.Detail = page.Refused, "the host refuses the connection"
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH):
		a.Outcome, a.Detail = page.Unreachable, "there is no route to the host"
	case isTLS(err):
		a.Outcome, a.Detail = page.TLSFailed, tlsWords(err)
	case errors.Is(err, syscall.ECONNRESET), errors.Is(err, syscall.EPIPE), errors.Is(err, io.EOF),
		errors.Is(err, io.ErrUnexpectedEOF),
		strings.Contains(err.Error(), "stream error"), strings.Contains(err.Error(), "GOAWAY"),
		strings.Contains(err.Error(), "server closed"):
		a.Outcome, a.Detail = page.Reset, "the connection broke"
	}
	return a
}

func isTLS(err error) bool {
	var certificate *tls.CertificateVerificationError
	var record tls.RecordHeaderError
	var alert tls.AlertError
	return errors.As(err, &certificate) || errors.As(err, &record) || errors.As(err, &alert) ||
		strings.Contains(err.Error(), "tls:")
}

// tlsWords says which fault of a certificate or handshake it is.
func tlsWords(err error) string {
	var invalid x509.CertificateInvalidError
	var unknown x509.UnknownAuthorityError
	var host x509.HostnameError
	var record tls.RecordHeaderError
	switch {
	case errors.As(err, &invalid) && invalid.Reason == x509.Expired:
		return fmt.Sprintf("the certificate is valid from %s to %s only", invalid.Cert.NotBefore.Format(time.DateOnly),
			invalid.Cert.NotAfter.Format(time.DateOnly))
	case errors.As(err, &unknown):
		return "the certificate's issuer is not known; a private authority can be named in the plan (ca)"
	case errors.As(err, &host):
		return fmt.Sprintf("the certificate is not for %s", host.Host)
	case errors.As(err, &record):
		return "the host does not speak TLS on this port"
	}
	return plain(err)
}
func isTimeout(err error) bool {
	var timeout interface{ Timeout() bool }
	return errors.Is(err, context.DeadlineExceeded) || errors.As(err, &timeout) && timeout.Timeout()
}

// plain is an error's text cut to what a person can read.
func plain(err error) string {
	s := strings.ToValidUTF8(strings.ReplaceAll(err.Error(), "\x00", ""), "\uFFFD")
	if r := []rune(s); len(r) > 300 {
		return string(r[:300]) + "…"
	}
	return s
}

// retryAfter reads both forms of the header (RFC 9110, 10.2.3).
func retryAfter(value string, now time.Time) time.Duration {
	if value == "" {
		return 0
	}
	if seconds, err := time.ParseDuration(value + "s"); err == nil {
		return max(0, seconds)
	}
	if at, err := http.ParseTime(value); err == nil {
		return max(0, at.Sub(now))
	}
	return 0
}
