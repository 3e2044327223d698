// Package password keeps passwords as no one can read them, and says which are too easily guessed.
package password

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"
	"golang.org/x/text/unicode/norm"
)

// Bounds of a password's length, in characters: NIST SP 800-63B-4, 3.1.1.2, wants 15 where it is all that is asked for,
// and no rules of composition.
const (
	Least = 15
	Most  = 256
)

// params are RFC 9106's second recommendation, for 64 MiB of memory.
var params = &argon2id.Params{Memory: 64 << 10, Iterations: 3, Parallelism: 2, SaltLength: 16, KeyLength: 32}

// A Keeper hashes few passwords at once: each takes 64 MiB. It is safe for use from several goroutines.
type Keeper struct{ turns chan struct{} }

// New makes one that hashes so many at once.
func New(atOnce int) *Keeper { return &Keeper{turns: make(chan struct{}, atOnce)} }

// nobodys is the hash of a password that nobody knows, by params: to compare with it takes as long as with anybody's.
const nobodys = "$argon2id$v=19$m=65536,t=3,p=2$5vXdyIeH3P6r2Xss/tLQNw$I1YybRRyhNwgIakxO6IV61vaISxpa9ROfRWqxa/a4/I"

// Hash is a password as it is kept: Argon2id (RFC 9106), with a salt of its own.
func (k *Keeper) Hash(ctx context.Context, password string) (hash string, err error) {
	err = k.take(ctx, func() error {
		hash, err = argon2id.CreateHash(norm.NFC.String(password), params)
		return err
	})
	return hash, err
}

// Is tells whether a password is that of a hash. For none, "", it takes as long, and is not.
func (k *Keeper) Is(ctx context.Context, password, hash string) (is bool, err error) {
	if utf8.RuneCountInString(password) > Most {
		return false, nil
	}
	against := hash
	if hash == "" {
		against = nobodys
	}
	err = k.take(ctx, func() error {
		is, err = argon2id.ComparePasswordAndHash(norm.NFC.String(password), against)
		return err
	})
	return is && hash != "", err
}

func (k *Keeper) take(ctx context.Context, do func() error) error {
	select {
	case k.turns <- struct{}{}:
		defer func() { <-k.turns }()
		return do()
	case <-ctx.Done():
		return ctx.Err()
	}
}

// known begin passwords that are tried first wherever somebody guesses, in small letters and without spaces.
var known = []string{"password", "passwort", "qwerty", "qwertz", "letmein", "iloveyou", "welcome", "trustno1", "abc123", "123456",
	"correcthorsebatterystaple", "changeme", "geheim", "admin", "harvik"}

// Fault says why a password of somebody, of whom some words are known, such as their name, cannot be; nil if it can.
func Fault(password string, words ...string) error {
	n := utf8.RuneCountInString(password)
	switch {
	case !utf8.ValidString(password):
		return errors.New("a password is text")
	case n < Least:
		return fmt.Errorf("a password has at least %d characters, this one has %d; a few words that nobody else would put together are easily kept in mind", Least, n)
	case n > Most:
		return fmt.Errorf("a password has at most %d characters, this one has %d", Most, n)
	}
	bare := squeezed(password)
	all := append(slices.Clone(known), words...)
	slices.SortFunc(all, func(a, b string) int { return len(b) - len(a) })
	for _, w := range all {
		if w = squeezed(w); len(w) > 2 {
			bare = strings.ReplaceAll(bare, w, "")
		}
	}
	if different(bare) < 5 {
		return errors.New("this password is easily guessed: it is one of those that are tried first, a name, or the same few characters again and again")
	}
	return nil
}

// squeezed is a text in small letters without what is no letter or digit.
func squeezed(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, text)
}

// different is how many characters a text has that differ, where such that count on from the one before do not.
func different(text string) int {
	seen := map[rune]bool{}
	var last rune
	for _, r := range text {
		if r != last+1 && r != last-1 {
			seen[r] = true
		}
		last = r
	}
	return len(seen)
}
