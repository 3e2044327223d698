package vault

import (
	"bytes"
	"os"
	"path/filepath"
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
