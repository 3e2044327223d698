// Package vault seals secrets for the database: its key stands in the service's data folder, so
// that a copy of the database alone gives nothing away.
package vault

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
)

// KeyFile is the key's place in a service's data folder.
const KeyFile = "secrets.key"

// A Vault seals and opens. It is safe for use from several goroutines.
type Vault struct {
	aead  cipher.AEAD
	print string
}

// Open reads the key of a data folder, and makes one where there is none.
func Open(data string) (*Vault, error) {
	name := filepath.Join(data, KeyFile)
	text, err := os.ReadFile(name)
	if errors.Is(err, os.ErrNotExist) {
		key := make([]byte, keyBytes)
		if _, err := rand.Read(key); err != nil {
			return nil, err
		}
		text = []byte(hex.EncodeToString(key) + "\n")
		if err := WriteFile(name, text); err != nil {
			return nil, fmt.Errorf("keeping the key of the secrets: %w", err)
		}
	} else if err != nil {
		return nil, fmt.Errorf("reading the key of the secrets: %w", err)
	}
	v, err := held(name, text)
	if err != nil {
		return nil, fmt.Errorf("%w: it was damaged, or cut off while it was written. Put it back from a copy of the data folder; "+
			"without one, move it away, start again, and set every secret anew with `harvik secret set`", err)
	}
	return v, nil
}

// held is the vault of the key that a file holds.
func held(name string, text []byte) (*Vault, error) {
	key, err := hex.DecodeString(strings.TrimSpace(string(text)))
	if err != nil || len(key) != keyBytes {
		return nil, fmt.Errorf("%s does not hold a key of %d hexadecimal digits", name, 2*keyBytes)
	}
	return New(key)
}

// Print tells keys apart, and tells nothing else of them.
func (v *Vault) Print() string { return v.print }

// Read reads the key that a file holds, which another process has made.
func Read(name string) (*Vault, error) {
	text, err := os.ReadFile(name)
	if err != nil {
		return nil, fmt.Errorf("reading the key of the secrets: %w", err)
	}
	return held(name, text)
}

// keyBytes is the length of a key.
const keyBytes = 32

// WriteFile replaces a file that only this user may read. It is there whole or not at all, whatever happens
// meanwhile.
func WriteFile(name string, text []byte) error {
	f, err := os.OpenFile(name+".new", os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = f.Write(text)
	if err == nil {
		err = f.Sync()
	}
	if err := errors.Join(err, f.Close()); err != nil {
		return err
	}
	return os.Rename(name+".new", name)
}

// New makes a vault with a key of 32 bytes.
func New(key []byte) (*Vault, error) {
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, fmt.Errorf("the key of the secrets: %w", err)
	}
	aead, err := cipher.NewGCMWithRandomNonce(block)
	sum := hmac.New(sha256.New, key)
	sum.Write([]byte("harvik: the print of this key"))
	return &Vault{aead, hex.EncodeToString(sum.Sum(nil)[:8])}, err
}

// Seal encrypts a secret. Purpose is bound to it: it opens for the same purpose only.
func (v *Vault) Seal(secret, purpose string) []byte {
	return v.aead.Seal(nil, nil, []byte(secret), []byte(purpose))
}

// Unseal is the reverse.
func (v *Vault) Unseal(sealed []byte, purpose string) (string, error) {
	secret, err := v.aead.Open(nil, nil, sealed, []byte(purpose))
	if err != nil {
		return "", errors.New("a secret cannot be opened with this service's key; set it again")
	}
	return string(secret), nil
}
