package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"time"
)

// Names of what the runtime writes when the service crashes: now, and kept from earlier crashes.
const (
	crashFile  = "crash.log"
	crashFiles = "crash-*.log"
	crashForm  = "crash-20060102-150405.000.log"
	keptCrash  = 5
)

// watchCrash has the runtime write down in the data folder what makes it end: a panic outside of all that
// catches them, memory that cannot be had, a stack without end. It tells whether that happened to the
// service before, and keeps what was written then.
func watchCrash(data string) (before string, err error) {
	name := filepath.Join(data, crashFile)
	if info, err := os.Stat(name); err == nil && info.Size() > 0 {
		before = filepath.Join(data, time.Now().UTC().Format(crashForm))
		if err := os.Rename(name, before); err != nil {
			return "", fmt.Errorf("keeping the last crash: %w", err)
		}
		old, _ := filepath.Glob(filepath.Join(data, crashFiles))
		slices.Sort(old)
		for _, o := range old[:max(0, len(old)-keptCrash)] {
			_ = os.Remove(o)
		}
	} else if err != nil && !errors.Is(err, os.ErrNotExist) {
		return "", err
	}
	f, err := os.OpenFile(name, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return "", fmt.Errorf("making the file for crashes: %w", err)
	}
	defer f.Close() // the runtime has a descriptor of its own
	return before, debug.SetCrashOutput(f, debug.CrashOptions{})
}
