// Package limit bounds the time of work that cannot be broken off.
package limit

import (
	"time"

	"harvik/internal/core/mishap"
)

// FieldTime is how long a field of the consultant's own may take on one page.
const FieldTime = 2 * time.Second

// Within runs work and tells whether it was done in time. What takes longer is left to itself: what it writes is not to
// be looked at. A panic counts as not done.
func Within(most time.Duration) func(work func()) bool {
	return func(work func()) bool {
		done := make(chan error, 1)
		go func() {
			done <- mishap.Catch(func() error {
				work()
				return nil
			})
		}()
		timer := time.NewTimer(most)
		defer timer.Stop()
		select {
		case err := <-done:
			return err == nil
		case <-timer.C:
			return false
		}
	}
}
