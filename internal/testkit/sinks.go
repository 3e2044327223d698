package testkit

import (
	"testing"

	"harvik/demo"
)

// Mailbox starts a mail server that keeps what it is given.
func Mailbox(t testing.TB) *demo.Mailbox {
	t.Helper()
	m, server, err := demo.NewMailbox()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { server.Close() })
	return m
}

// Hook starts a server that keeps the webhooks it gets, at an address.
func Hook(t testing.TB) (hook *demo.Hook, address string) {
	t.Helper()
	hook = demo.NewHook()
	return hook, "http://" + Serve(t, hook) + "/told"
}
