// Package mishap turns a panic into an error, so that it ends what was being done and not the process.
package mishap

import (
	"fmt"
	"runtime"
	"runtime/debug"
	"sync"
	"sync/atomic"
)

// A Panic is the error of a function that panicked. Its text is fit for users; Stack is for the log.
type Panic struct {
	Value any
	Stack []byte
}

func (p *Panic) Error() string {
	return fmt.Sprintf("Harvik made a mistake here (%v); its log says where", p.Value)
}

// Unwrap gives a panic's value where that is an error.
func (p *Panic) Unwrap() error {
	err, _ := p.Value.(error)
	return err
}

// Catch calls f and returns its error, or a *Panic where it panicked.
func Catch(f func() error) (err error) {
	defer func() {
		switch v := recover().(type) {
		case nil:
		case *Panic: // of another goroutine, handed on
			err = v
		default:
			err = &Panic{v, debug.Stack()}
		}
	}()
	return f()
}

// Each calls f for each number below n, several at once. A panic of one is the caller's: Each panics with it, once none
// runs any more.
func Each(n int, f func(i int)) {
	var (
		next    atomic.Int64
		workers sync.WaitGroup
		fault   atomic.Pointer[error]
	)
	for range min(n, runtime.GOMAXPROCS(0)) {
		workers.Go(func() {
			err := Catch(func() error {
				for i := int(next.Add(1)) - 1; i < n && fault.Load() == nil; i = int(next.Add(1)) - 1 {
					f(i)
				}
				return nil
			})
			if err != nil {
				fault.CompareAndSwap(nil, &err)
			}
		})
	}
	workers.Wait()
	if err := fault.Load(); err != nil {
		panic(*err)
	}
}
