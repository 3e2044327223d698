package cluster

import (
	"crypto/rand"
	"os"
	"strings"
	"syscall"
)

// ownGroup starts a program in a process group of its own, so that a Ctrl-C meant for
// Harvik does not reach PostgreSQL, which Harvik stops itself when it is ready.
func ownGroup() *syscall.SysProcAttr { return &syscall.SysProcAttr{Setpgid: true} }

// isDead tells whether a process has ended and only its entry is left.
func isDead(pid string) bool {
	stat, err := os.ReadFile("/proc/" + pid + "/stat")
	if err != nil {
		return false // no such process, or no such system: PostgreSQL finds out itself
	}
	_, rest, _ := strings.Cut(string(stat), ") ")
	return strings.HasPrefix(rest, "Z")
}

func newPassword() string { return rand.Text() }
