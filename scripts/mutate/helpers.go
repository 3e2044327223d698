package main

// Helpers is compiled into a room beside its mutants. Its mutantOn tells whether a mutant is the one that is tried;
// while tests are listened to, it writes down who was asked for.
const helpers = `
import (
	"os"
	"strconv"
	"sync/atomic"
)

type mutantNumber interface {
	~int | ~int8 | ~int16 | ~int32 | ~int64 | ~uint | ~uint8 | ~uint16 | ~uint32 | ~uint64 | ~uintptr | ~float32 | ~float64
}

type mutantOrdered interface{ mutantNumber | ~string }

var (
	mutantActive, _ = strconv.Atoi(os.Getenv("MUTANT"))
	mutantsFile     = func() *os.File {
		if path := os.Getenv("MUTANTS_SEEN"); path != "" {
			if file, err := os.OpenFile(path, os.O_APPEND|os.O_WRONLY, 0); err == nil {
				return file
			}
		}
		return nil
	}()
)

func mutantOn(id int) bool {
	if mutantsFile != nil && mutantsSeen[id].CompareAndSwap(false, true) {
		mutantsFile.WriteString(strconv.Itoa(id) + "\n")
	}
	return mutantActive == id
}

func mutantLess[T mutantOrdered](move, negate int, a, b T) bool {
	if mutantOn(move) {
		return a <= b
	}
	return mutantOn(negate) != (a < b)
}

func mutantAtMost[T mutantOrdered](move, negate int, a, b T) bool {
	if mutantOn(move) {
		return a < b
	}
	return mutantOn(negate) != (a <= b)
}

func mutantMore[T mutantOrdered](move, negate int, a, b T) bool {
	if mutantOn(move) {
		return a >= b
	}
	return mutantOn(negate) != (a > b)
}

func mutantAtLeast[T mutantOrdered](move, negate int, a, b T) bool {
	if mutantOn(move) {
		return a > b
	}
	return mutantOn(negate) != (a >= b)
}

func mutantAdd[T mutantNumber](id int, a, b T) T {
	if mutantOn(id) {
		return a - b
	}
	return a + b
}

func mutantSubtract[T mutantNumber](id int, a, b T) T {
	if mutantOn(id) {
		return a + b
	}
	return a - b
}

func mutantMultiply[T mutantNumber](id int, a, b T) T {
	if mutantOn(id) {
		return a / b
	}
	return a * b
}

func mutantDivide[T mutantNumber](id int, a, b T) T {
	if mutantOn(id) {
		return a * b
	}
	return a / b
}

func mutantRest[T ~int | ~int8 | ~int16 | ~int32 | ~int64 | ~uint | ~uint8 | ~uint16 | ~uint32 | ~uint64](id int, a, b T) T {
	if mutantOn(id) {
		return a * b
	}
	return a % b
}

func mutantNegate[T mutantNumber](id int, a T) T {
	if mutantOn(id) {
		return a
	}
	return -a
}

func mutantOne[T mutantNumber](id int, _ T) T {
	if mutantOn(id) {
		return T(0) - 1
	}
	return 1
}
`
