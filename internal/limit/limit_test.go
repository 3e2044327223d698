package limit_test

import (
	"testing"
	"testing/synctest"
	"time"

	"harvik/internal/limit"
)

// TestWithin does what is quick, and leaves what is slow, or panics.
func TestWithin(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		run := limit.Within(2 * time.Second)
		done := false
		if !run(func() { done = true }) || !done {
			t.Error("quick work is not done")
		}
		begun := time.Now()
		if run(func() { time.Sleep(time.Hour) }) || time.Since(begun) != 2*time.Second {
			t.Errorf("slow work took %s", time.Since(begun))
		}
		if run(func() { panic("a mole") }) {
			t.Error("a panic counts as done")
		}
		time.Sleep(2 * time.Hour) // what was left to itself ends
	})
}
