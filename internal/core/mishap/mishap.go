// Package mishap turns a panic into an error, so that it ends what was being done and not the process.
package mishap

import (
	"fmt"
	"runtime/debug"
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
		if v := recover(); v != nil {
			err = &Panic{v, debug.Stack()}
		}
	}()
	return f()
}
