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
	"slices"
	"strings"
	"sync"
)

// KeyFile is the key's place in a service's data folder.
const KeyFile = "secrets.key"

// A Vault seals with its first key, and opens with any. It is safe for use from several goroutines.
type Vault struct {
	file string // that the keys are read from again when it changes; "" for none

	mu   sync.Mutex
	keys []key
	seen os.FileInfo // of the file, as it was read
}

type key struct {
	text  string // hexadecimal digits
	next  bool   // opens, and does not seal yet
	aead  cipher.AEAD
	print string
}

// next marks the line of a key that is to be the one that seals, once all processes have it.
const next = "next "

// None is a vault without a key, which opens nothing. It must not be asked to seal.
func None() *Vault { return new(Vault) }

// ErrKey is of what no key of a vault opens.
var ErrKey = errors.New("a secret cannot be opened with this service's key; set it again")

// Open reads the keys of a data folder, and makes one where there is none.
func Open(data string) (*Vault, error) {
	name := filepath.Join(data, KeyFile)
	if _, err := os.Stat(name); errors.Is(err, os.ErrNotExist) {
		if err := WriteFile(name, []byte(newKey()+"\n")); err != nil {
			return nil, fmt.Errorf("keeping the key of the secrets: %w", err)
		}
	}
	v, err := Read(name)
	if errors.Is(err, errDamaged) {
		return nil, fmt.Errorf(
			"%w: it was damaged, or cut off while it was written. Put it back from a copy of the data folder; "+
				"without one, move it away, start again, and set every secret anew with `harvik secret set`",
			err,
		)
	}
	return v, err
}

func newKey() string {
	b := make([]byte, keyBytes)
	_, _ = rand.Read(b) // never fails
	return hex.EncodeToString(b)
}

// Read reads the keys that a file holds, a line each, the one that seals first.
func Read(name string) (*Vault, error) {
	v := &Vault{file: name}
	return v, v.read()
}

// Parse is a vault of keys that are written one after the other, the one that seals first. From says where, for errors.
func Parse(text, from string) (*Vault, error) {
	keys, err := parse(text, from)
	return &Vault{keys: keys}, err
}

// read reads the file, if it has changed since it last was.
func (v *Vault) read() error {
	info, err := os.Stat(v.file)
	if err != nil {
		return fmt.Errorf("reading the key of the secrets: %w", err)
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.seen != nil && os.SameFile(v.seen, info) && info.ModTime().Equal(v.seen.ModTime()) {
		return nil
	}
	text, err := os.ReadFile(v.file)
	if err != nil {
		return fmt.Errorf("reading the key of the secrets: %w", err)
	}
	keys, err := parse(string(text), v.file)
	if err == nil {
		v.keys, v.seen = keys, info
	}
	return err
}

// errDamaged is of a file that does not hold keys.
var errDamaged = errors.New("it holds no key")

func parse(text, from string) (keys []key, err error) {
	for line := range strings.Lines(strings.TrimSpace(text)) {
		digits, waits := strings.CutPrefix(strings.TrimSpace(line), next)
		b, err := hex.DecodeString(digits)
		if err != nil || len(b) != keyBytes {
			return nil, &damaged{from}
		}
		k, err := keyOf(b)
		if err != nil {
			return nil, err
		}
		k.next = waits
		keys = append(keys, k)
	}
	if len(keys) == 0 || keys[0].next {
		return nil, &damaged{from}
	}
	return keys, nil
}

type damaged struct{ from string }

// Error implements error.
func (d *damaged) Error() string {
	return fmt.Sprintf("%s does not hold a key of %d hexadecimal digits", d.from, 2*keyBytes)
}

// Is makes every damaged file be errDamaged.
func (d *damaged) Is(err error) bool { return err == errDamaged }

// Prints tell keys apart, and tell nothing else of them: the one that seals first.
func (v *Vault) Prints() (out []string) {
	for _, k := range v.now() {
		out = append(out, k.print)
	}
	return out
}

// now are the keys as they stand.
func (v *Vault) now() []key {
	if v.file != "" {
		_ = v.read() // what was read before goes on being good
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	return slices.Clone(v.keys)
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
func New(b []byte) (*Vault, error) {
	k, err := keyOf(b)
	return &Vault{keys: []key{k}}, err
}

func keyOf(b []byte) (key, error) {
	block, err := aes.NewCipher(b)
	if err != nil {
		return key{}, fmt.Errorf("the key of the secrets: %w", err)
	}
	aead, err := cipher.NewGCMWithRandomNonce(block)
	sum := hmac.New(sha256.New, b)
	sum.Write([]byte("harvik: the print of this key"))
	return key{hex.EncodeToString(b), false, aead, hex.EncodeToString(sum.Sum(nil)[:8])}, err
}

// Seal encrypts a secret. Purpose is bound to it: it opens for the same purpose only.
func (v *Vault) Seal(secret, purpose string) []byte {
	return v.now()[0].aead.Seal(nil, nil, []byte(secret), []byte(purpose))
}

// Unseal is the reverse; ErrKey where it was sealed by a key that is not here, or for another purpose.
func (v *Vault) Unseal(sealed []byte, purpose string) (string, error) {
	for _, k := range v.now() {
		if secret, err := k.aead.Open(nil, nil, sealed, []byte(purpose)); err == nil {
			return string(secret), nil
		}
	}
	return "", ErrKey
}

// Prepare writes a new key into the file, which opens and does not seal yet, unless one stands there. It returns the
// key's print, which tells whether other processes have it.
func (v *Vault) Prepare() (print string, err error) {
	keys := v.now()
	for _, k := range keys {
		if k.next {
			return k.print, nil
		}
	}
	made, err := parse(newKey(), v.file)
	if err != nil {
		return "", err
	}
	made[0].next = true
	return made[0].print, v.write(append(keys, made[0])...)
}

// Turn makes the key that was prepared the one that seals, once Anew has sealed everything by it. The one before it
// goes on opening what was sealed meanwhile; older ones are let go.
func (v *Vault) Turn() error {
	keys := v.now()
	last := &keys[len(keys)-1]
	if !last.next {
		return errors.New("no key is prepared")
	}
	last.next = false
	return v.write(*last, keys[0])
}

func (v *Vault) write(keys ...key) error {
	var text strings.Builder
	for _, k := range keys {
		if k.next {
			text.WriteString(next)
		}
		text.WriteString(k.text + "\n")
	}
	if err := WriteFile(v.file, []byte(text.String())); err != nil {
		return fmt.Errorf("keeping the key of the secrets: %w", err)
	}
	return v.read()
}

// Anew seals again what is sealed, with the key that is prepared.
func (v *Vault) Anew(sealed []byte, purpose string) ([]byte, error) {
	secret, err := v.Unseal(sealed, purpose)
	if err != nil {
		return nil, err
	}
	keys := v.now()
	return keys[len(keys)-1].aead.Seal(nil, nil, []byte(secret), []byte(purpose)), nil
}
