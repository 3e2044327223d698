package spool

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"
)

func TestCopy(t *testing.T) {
	var want, got bytes.Buffer
	err := Copy(&got, func(w io.Writer) error {
		for i := range 20_000 {
			line := fmt.Sprintf("row %d of a table\n", i)
			want.WriteString(line)
			if _, err := io.WriteString(w, line); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil || !bytes.Equal(got.Bytes(), want.Bytes()) {
		t.Errorf("%v; %d bytes of %d arrive", err, got.Len(), want.Len())
	}
	if err := Copy(&got, func(io.Writer) error { return nil }); err != nil {
		t.Errorf("nothing gives %v", err)
	}
}

// TestSlowTaker: what is made is made whole while nobody takes it.
func TestSlowTaker(t *testing.T) {
	made := make(chan struct{})
	err := Copy(writer(func(p []byte) (int, error) {
		<-made // nothing is taken before all is made
		return len(p), nil
	}), func(w io.Writer) error {
		defer close(made)
		for range 64 {
			if _, err := w.Write(make([]byte, 1<<16)); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		t.Error(err)
	}
}

func TestTakerLeaves(t *testing.T) {
	left := errors.New("left")
	var told error
	err := Copy(writer(func([]byte) (int, error) { return 0, left }), func(w io.Writer) error {
		for told == nil {
			_, told = w.Write([]byte("x"))
		}
		return told
	})
	if !errors.Is(told, ErrGone) {
		t.Errorf("who makes the file is told %v", told)
	}
	if !errors.Is(err, left) && !errors.Is(err, ErrGone) {
		t.Errorf("the error is %v", err)
	}
}

func TestMakerFails(t *testing.T) {
	broken := errors.New("broken")
	var got strings.Builder
	if err := Copy(&got, func(w io.Writer) error { io.WriteString(w, "part"); return broken }); !errors.Is(err,
		broken) {
		t.Errorf("%v, %q", err, got.String())
	}
	if err := Copy(&got, func(io.Writer) error { panic("odd") }); err == nil || !strings.Contains(err.Error(), "odd") {
		t.Errorf("a panic gives %v", err)
	}
}

type writer func([]byte) (int, error)

func (w writer) Write(p []byte) (int, error) { return w(p) }
