// Package spool parts who makes a file from who takes it: what is made goes to a temporary file at the
// speed of the disk, and is handed on from there as slowly as it is taken.
package spool

import (
	"errors"
	"fmt"
	"io"
	"os"
	"sync"

	"harvik/internal/core/mishap"
)

// ErrGone is the error of a write whose taker has left.
var ErrGone = errors.New("the file is not wanted any more")

// Copy hands what produce writes on to dst, while it is being written. It returns the first error of
// either once both have ended. Produce is told by ErrGone that dst has failed, at its next write.
func Copy(dst io.Writer, produce func(io.Writer) error) error {
	f, err := Scratch()
	if err != nil {
		return err
	}
	defer f.Close()
	s := &file{f: f}
	s.more.L = &s.mu
	var producing sync.WaitGroup
	producing.Go(func() {
		err := mishap.Catch(func() error { return produce(s) })
		s.mu.Lock()
		s.ended, s.err = true, err
		s.mu.Unlock()
		s.more.Broadcast()
	})
	_, err = io.Copy(dst, &follower{file: s})
	s.mu.Lock()
	s.gone = true
	made := s.err
	s.mu.Unlock()
	producing.Wait()
	if made != nil {
		return made
	}
	return err
}

// Scratch is a temporary file that has no name: it lives as long as it is open.
func Scratch() (*os.File, error) {
	f, err := os.CreateTemp("", "harvik-spool-")
	if err != nil {
		return nil, fmt.Errorf("making a temporary file: %w", err)
	}
	if err := os.Remove(f.Name()); err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return f, nil
}

// file is written at its end by one, and read from its beginning by another.
type file struct {
	f *os.File

	mu    sync.Mutex
	more  sync.Cond
	size  int64
	ended bool
	gone  bool
	err   error // of what produces
}

func (s *file) Write(p []byte) (int, error) {
	s.mu.Lock()
	gone, at := s.gone, s.size
	s.mu.Unlock()
	if gone {
		return 0, ErrGone
	}
	n, err := s.f.WriteAt(p, at)
	s.mu.Lock()
	s.size += int64(n)
	s.mu.Unlock()
	s.more.Broadcast()
	return n, err
}

// follower reads what has been written so far, and waits for more.
type follower struct {
	*file
	at int64
}

func (r *follower) Read(p []byte) (int, error) {
	r.mu.Lock()
	for r.size == r.at && !r.ended {
		r.more.Wait()
	}
	left, err := r.size-r.at, r.err
	r.mu.Unlock()
	if left == 0 {
		if err == nil {
			err = io.EOF
		}
		return 0, err
	}
	n, err := r.f.ReadAt(p[:min(int64(len(p)), left)], r.at)
	r.at += int64(n)
	return n, err
}
