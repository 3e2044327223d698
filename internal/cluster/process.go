package cluster

import (
	"crypto/rand"
	"syscall"
)

// ownGroup starts a program in a process group of its own, so that a Ctrl-C meant for
// Harvik does not reach PostgreSQL, which Harvik stops itself when it is ready.
func ownGroup() *syscall.SysProcAttr { return &syscall.SysProcAttr{Setpgid: true} }

func newPassword() string { return rand.Text() }
