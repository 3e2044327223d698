package password_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"harvik/internal/password"
)

// TestFault: length decides, not the kinds of characters; what is guessed first is refused.
func TestFault(t *testing.T) {
	for _, good := range []string{"moss on the north wall", "fourteen ferns and one", "ein Farn steht im Schatten", "苔むした北側の壁に生えているシダ植物",
		"kqzvmwxbpltrndjfghs", strings.Repeat("moss and fern ", 18)} {
		if err := password.Fault(good, "ash", "ash@fernhollow.example"); err != nil {
			t.Errorf("%q is refused: %v", good, err)
		}
	}
	for bad, says := range map[string]string{
		"short":                         "at least 15 characters, this one has 5",
		"fourteen chars":                "has 14",
		strings.Repeat("x", 257):        "at most 256",
		"aaaaaaaaaaaaaaaaaaaa":          "easily guessed",
		"abababababababababab":          "easily guessed",
		"123456789012345678":            "easily guessed",
		"abcdefghijklmnopqrst":          "easily guessed",
		"Password Password Password":    "easily guessed",
		"passwordpassword1":             "easily guessed",
		"rowan.hill@fernhollow.example": "easily guessed",
		"harvikharvikharvik12":          "easily guessed",
		"correct horse battery staple":  "easily guessed",
		"no\xfftext at all, but long":   "is text",
		"               ":               "easily guessed",
	} {
		err := password.Fault(bad, "rowan.hill", "rowan.hill@fernhollow.example")
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", bad, err)
		}
	}
}

// TestKeeper: only the password is it, however it is composed; nobody's takes as long and is never it.
func TestKeeper(t *testing.T) {
	k := password.New(1)
	ctx := t.Context()
	hash, err := k.Hash(ctx, "moss on the n\u00f6rth wall")
	if err != nil || !strings.HasPrefix(hash, "$argon2id$v=19$m=65536,t=3,p=2$") {
		t.Fatalf("%q (%v)", hash, err)
	}
	again, _ := k.Hash(ctx, "moss on the n\u00f6rth wall")
	if again == hash {
		t.Error("two hashes have the same salt")
	}
	for _, c := range []struct {
		password, hash string
		is             bool
	}{
		{"moss on the n\u00f6rth wall", hash, true},
		{"moss on the no\u0308rth wall", hash, true},
		{"moss on the north wall", hash, false},
		{"", hash, false},
		{strings.Repeat("x", 1<<20), hash, false},
		{"moss on the n\u00f6rth wall", "", false},
	} {
		if is, err := k.Is(ctx, c.password, c.hash); err != nil || is != c.is {
			t.Errorf("%.30q of %.12q: %v (%v)", c.password, c.hash, is, err)
		}
	}
	if _, err := k.Is(ctx, "x", "not a hash"); err == nil {
		t.Error("what is no hash is taken for one")
	}
	ended, cancel := context.WithTimeout(ctx, time.Nanosecond)
	defer cancel()
	<-ended.Done()
	for range 20 { // of two ways that are open, either may be chosen
		if _, err := k.Hash(ended, "moss on the north wall"); err != nil {
			return
		}
	}
	t.Error("nobody who has gone is left waiting")
}
