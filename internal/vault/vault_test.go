package vault

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

func TestVault(t *testing.T) {
	data := t.TempDir()
	v, err := Open(data)
	if err != nil {
		t.Fatal(err)
	}
	sealed := v.Seal("correct horse", "1/members")
	if bytes.Contains(sealed, []byte("horse")) {
		t.Error("the secret stands in what is stored")
	}
	again, err := Open(data)
	if err != nil {
		t.Fatal(err)
	}
	if got, err := again.Unseal(sealed, "1/members"); err != nil || got != "correct horse" {
		t.Errorf("%q, %v", got, err)
	}
	if _, err := again.Unseal(sealed, "2/members"); err == nil {
		t.Error("a secret opens for another site")
	}
	other, err := Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := other.Unseal(sealed, "1/members"); err == nil {
		t.Error("a secret opens with another key")
	}
	if info, err := os.Stat(filepath.Join(data, KeyFile)); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the key's file: %v, %v", info.Mode(), err)
	}
	whole, err := os.ReadFile(filepath.Join(data, KeyFile))
	if err != nil {
		t.Fatal(err)
	}
	for _, damaged := range [][]byte{[]byte("nonsense"), nil, whole[:10], whole[:len(whole)-3],
		append([]byte("ab"), whole...)} {
		if err := os.WriteFile(filepath.Join(data, KeyFile), damaged, 0o600); err != nil {
			t.Fatal(err)
		}
		if _, err := Open(data); err == nil || !strings.Contains(err.Error(), "Put it back from a copy") {
			t.Errorf("a key file of %d bytes: %v", len(damaged), err)
		}
	}
}

// TestTurn: a key that is prepared opens and does not seal; once everything is sealed by it, it does. Who reads the
// file has each as it changes; who reads an older copy opens what was sealed before.
func TestTurn(t *testing.T) {
	folder := t.TempDir()
	v, err := Open(folder)
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(folder, KeyFile)
	other, err := Read(file)
	if err != nil {
		t.Fatal(err)
	}
	if err := v.Turn(); err == nil {
		t.Error("it turns to a key that is not there")
	}
	sealed := v.Seal("correct horse", "1/members")
	first := v.Prints()
	print, err := v.Prepare()
	if again, err2 := v.Prepare(); err != nil || err2 != nil || again != print {
		t.Errorf("prepared twice: %s, %s (%v, %v)", print, again, err, err2)
	}
	if got := other.Prints(); len(got) != 2 || got[0] != first[0] || got[1] != print {
		t.Errorf("who reads the file has %v, not %s and %s", got, first, print)
	}
	anew, err := v.Anew(sealed, "1/members")
	if err != nil {
		t.Fatal(err)
	}
	copied, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if err := v.Turn(); err != nil {
		t.Fatal(err)
	}
	behind, err := Parse(string(copied), "a copy")
	if err != nil {
		t.Fatal(err)
	}
	for name, one := range map[string]*Vault{"who turned": v, "who reads the file": other, "who has a copy": behind} {
		for _, s := range [][]byte{sealed, anew, v.Seal("correct horse", "1/members"), other.Seal("correct horse", "1/members")} {
			if got, err := one.Unseal(s, "1/members"); err != nil || got != "correct horse" {
				t.Errorf("%s opens %q (%v)", name, got, err)
			}
		}
	}
	if got := v.Prints(); len(got) != 2 || got[0] != print || got[1] != first[0] {
		t.Errorf("turned, it has %v", got)
	}
	if _, err := v.Prepare(); err != nil {
		t.Fatal(err)
	}
	if err := v.Turn(); err != nil || len(v.Prints()) != 2 || slices.Contains(v.Prints(), first[0]) {
		t.Errorf("turned twice, it has %v (%v)", v.Prints(), err)
	}
	if _, err := v.Unseal(sealed, "1/members"); !errors.Is(err, ErrKey) {
		t.Errorf("what the first key sealed: %v", err)
	}
	for _, text := range []string{"", "next " + strings.Repeat("ab", 32), strings.Repeat("ab", 31), strings.Repeat("ab", 32) + "\nx"} {
		if _, err := Parse(text, "HARVIK_KEY"); err == nil ||
			!strings.Contains(err.Error(), "HARVIK_KEY does not hold a key") {
			t.Errorf("of %q it says %v", text, err)
		}
	}
	if none := None(); len(none.Prints()) > 0 {
		t.Error("none has keys")
	} else if _, err := none.Unseal(sealed, "1/members"); !errors.Is(err, ErrKey) {
		t.Errorf("none opens: %v", err)
	}
}
