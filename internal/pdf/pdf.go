// Package pdf reads PDF documents in a child process of the same program. The library that reads them is
// not made for hostile files: a few kilobytes can make it take gigabytes, or minutes. The child has limits
// of memory and time; what it does not survive is a document that cannot be read.
package pdf

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"runtime/debug"
	"sync"
	"syscall"
	"time"

	"harvik/internal/core/mishap"
	"harvik/internal/core/page"
)

// What one document may cost.
const (
	maxBytes  = 32 << 20  // larger ones are not read
	maxMemory = 320 << 20 // of the child, its data and heap
	maxTime   = 10 * time.Second
	maxCPU    = 120 // seconds of a child's processor time, over all documents that it reads
	maxAnswer = 1 << 20
)

// mark is the environment variable that makes this program a child.
const mark = "HARVIK_READS_PDF"

// Whoever has this package linked in can be its own child, tests included.
func init() {
	if os.Getenv(mark) == "" {
		return
	}
	if errors.Is(child(os.Stdin, os.Stdout), io.EOF) {
		os.Exit(0)
	}
	os.Exit(1)
}

// child answers documents, each a length of 8 bytes and so many bytes, with JSON behind a length of 4, until
// there are no more: then its error is io.EOF.
func child(in io.Reader, out io.Writer) error {
	for which, most := range map[int]uint64{syscall.RLIMIT_DATA: maxMemory, syscall.RLIMIT_CPU: maxCPU} {
		if err := syscall.Setrlimit(which, &syscall.Rlimit{Cur: most, Max: most}); err != nil {
			return err
		}
	}
	debug.SetMemoryLimit(maxMemory * 3 / 4)
	for {
		var size uint64
		if err := binary.Read(in, binary.BigEndian, &size); err != nil {
			return err
		}
		if size > maxBytes {
			return errors.New("a document is larger than agreed")
		}
		data := make([]byte, size)
		if _, err := io.ReadFull(in, data); err != nil {
			return err
		}
		answer, err := json.Marshal(page.ReadPDF(data))
		if err != nil {
			return err
		}
		if err := binary.Write(out, binary.BigEndian, uint32(len(answer))); err != nil {
			return err
		}
		if _, err := out.Write(answer); err != nil {
			return err
		}
	}
}

// A Reader reads one document at a time. Its zero value is ready; close it after use.
type Reader struct {
	turn  chan struct{}
	once  sync.Once
	child *process // nil for none; for who has the turn
}

// process is a running child.
type process struct {
	cmd *exec.Cmd
	in  io.WriteCloser
	out io.ReadCloser
}

// Read never fails: a document that cannot be read, or not within its limits, says so. Documents wait for
// one another, and give up when ctx ends.
func (r *Reader) Read(ctx context.Context, data []byte) *page.PDF {
	if len(data) > maxBytes {
		return &page.PDF{Fault: fmt.Sprintf("with %d MiB it is too large to be looked into", len(data)>>20)}
	}
	r.once.Do(func() { r.turn = make(chan struct{}, 1) })
	select {
	case r.turn <- struct{}{}:
		defer func() { <-r.turn }()
	case <-ctx.Done():
		return &page.PDF{Fault: "the crawl ended before it was looked into"}
	}
	for try := 0; ; try++ {
		fresh := r.child == nil
		out, err := r.ask(ctx, data)
		switch {
		case err == nil:
			return out
		case ctx.Err() != nil:
			return &page.PDF{Fault: "the crawl ended before it was looked into"}
		case errors.Is(err, context.DeadlineExceeded):
			return &page.PDF{Fault: fmt.Sprintf("it could not be looked into within %s", maxTime)}
		case fresh || try > 0: // a child that had read others before may have met a limit because of them
			return &page.PDF{Fault: "it could not be looked into within the limits of memory and time"}
		}
	}
}

// ask has the child read a document. A child that fails, or takes too long, is ended.
func (r *Reader) ask(ctx context.Context, data []byte) (out *page.PDF, err error) {
	if r.child == nil {
		if r.child, err = begin(); err != nil {
			return nil, err
		}
	}
	p := r.child
	ctx, cancel := context.WithTimeout(ctx, maxTime)
	defer cancel()
	stop := context.AfterFunc(ctx, func() { _ = p.cmd.Process.Kill() })
	err = mishap.Catch(func() (err error) {
		out, err = p.read(data)
		return err
	})
	if !stop() {
		err = errors.Join(err, ctx.Err())
	}
	if err != nil {
		r.end()
		return nil, err
	}
	return out, nil
}

func begin() (*process, error) {
	cmd := exec.Command("/proc/self/exe")
	cmd.Env = []string{mark + "=1"} // what else the service was told is none of its business
	cmd.Dir = "/"
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} // a Ctrl-C is for the service
	in, err := cmd.StdinPipe()
	if err != nil {
		return nil, err
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("starting the reader of PDF documents: %w", err)
	}
	return &process{cmd, in, out}, nil
}

func (p *process) read(data []byte) (*page.PDF, error) {
	if err := binary.Write(p.in, binary.BigEndian, uint64(len(data))); err != nil {
		return nil, err
	}
	if _, err := p.in.Write(data); err != nil {
		return nil, err
	}
	var size uint32
	if err := binary.Read(p.out, binary.BigEndian, &size); err != nil {
		return nil, err
	}
	if size > maxAnswer {
		return nil, errors.New("the answer is too long")
	}
	answer := make([]byte, size)
	if _, err := io.ReadFull(p.out, answer); err != nil {
		return nil, err
	}
	out := new(page.PDF)
	return out, json.Unmarshal(answer, out)
}

func (r *Reader) end() {
	p := r.child
	r.child = nil
	_ = p.in.Close()
	_ = p.cmd.Process.Kill()
	_ = p.cmd.Wait()
}

// Close ends the child, if there is one. The reader can be used again.
func (r *Reader) Close() {
	r.once.Do(func() { r.turn = make(chan struct{}, 1) })
	r.turn <- struct{}{}
	defer func() { <-r.turn }()
	if r.child != nil {
		r.end()
	}
}
