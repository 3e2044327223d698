// Mutate changes the code of a room, one thing at a time, and tells which changes no test notices.
//
// All changes of a room are compiled into one test binary, each behind a question "is it this one?", by an overlay:
// the tree stays as it is, nothing is compiled again for each change, and a change is tried by those tests alone that
// come past it. A room of a thousand changes takes minutes.
//
//	go run ./scripts/mutate core/drift core/booking+crawl:TestStored
//
// takes the changes of internal/core/drift to its own tests, and those of internal/core/booking to those of
// internal/crawl that a regular expression names, too; behind a stroke stands one for the tests within a test. A room
// of checks is tried by the fixtures of its own checks.
package main

import (
	"bytes"
	"context"
	"errors"
	"flag"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

func main() {
	root := flag.String("root", ".", "the folder of the service's module")
	known := flag.String("equivalent", "scripts/mutate/equivalent.txt", "changes that no test can notice, with why")
	workers := flag.Int("workers", runtime.NumCPU(), "processes at once")
	only := flag.String("only", "", "a regular expression for the names of files")
	flag.Parse()
	chosen, err := regexp.Compile(*only)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	equivalent, err := readEquivalent(filepath.Join(*root, *known))
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	failed := false
	for _, name := range flag.Args() {
		if err := try(*root, name, chosen, *workers, equivalent); err != nil {
			fmt.Fprintf(os.Stderr, "%s: %v\n", name, err)
			failed = true
		}
	}
	if failed {
		os.Exit(1)
	}
}

// Equivalents are changes that make no difference, as file, line of code and change.
type equivalents map[string]bool

// ReadEquivalent reads lines of "file | line of code | change | why"; lines in # are comments.
func readEquivalent(path string) (equivalents, error) {
	text, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) {
		return equivalents{}, nil
	}
	if err != nil {
		return nil, err
	}
	known := equivalents{}
	for number, line := range strings.Split(string(text), "\n") {
		if strings.TrimSpace(line) == "" || strings.HasPrefix(line, "#") {
			continue
		}
		parts := strings.Split(line, " ¦ ")
		if len(parts) != 4 {
			return nil, fmt.Errorf("%s:%d: want file ¦ code ¦ change ¦ why", path, number+1)
		}
		known[strings.Join(parts[:3], " ¦ ")] = true
	}
	return known, nil
}

func (e equivalents) has(m mutant) bool { return e[m.file+" ¦ "+m.line+" ¦ "+m.change] }

// A binary is the compiled tests of one package.
type binary struct {
	path, folder string
	within       string // which tests within its tests, "" for all
	work         string // where its tests put what they need
	tests        []test
}

// A test is one function of a binary, with the mutants that it comes past.
type test struct {
	name string
	took time.Duration
	seen map[int]bool
}

func try(root, name string, chosen *regexp.Regexp, workers int, equivalent equivalents) error {
	began := time.Now()
	packages := strings.Split(name, "+")
	if group, ok := strings.CutPrefix(name, "core/checks/"); ok && len(packages) == 1 {
		packages = append(packages, "core/checks:^TestFixtures$/^"+group+"$")
	}
	work, err := os.MkdirTemp("", "mutate")
	if err != nil {
		return err
	}
	defer os.RemoveAll(work)
	if err := os.Chmod(work, 0o755); err != nil {
		return err
	}
	room, err := change(root, "internal/"+packages[0], chosen, work)
	if err != nil {
		return err
	}
	var binaries []binary
	for i, proof := range packages {
		folder, named, _ := strings.Cut(proof, ":")
		named, within, _ := strings.Cut(named, "/")
		wanted, err := regexp.Compile(named)
		if err != nil {
			return err
		}
		b := binary{
			path:   filepath.Join(work, fmt.Sprintf("tests%d", i)),
			folder: filepath.Join(root, "internal", folder),
			within: within,
			work:   work,
		}
		build := exec.Command("go", "test", "-c", "-tags", "nomsgpack", "-vet", "off", "-ldflags", "-s -w",
			"-overlay", room.overlay, "-o", b.path, "./internal/"+folder)
		build.Dir = root
		if out, err := build.CombinedOutput(); err != nil {
			return fmt.Errorf("compile: %w\n%s", err, out)
		}
		if _, err := os.Stat(b.path); errors.Is(err, os.ErrNotExist) {
			continue // a room without tests of its own
		}
		if b.tests, err = listen(b, wanted, work); err != nil {
			return err
		}
		binaries = append(binaries, b)
	}
	report(packages[0], room.mutants, run(binaries, room.mutants, workers), equivalent, time.Since(began))
	return nil
}

// Listen runs each wanted test by itself and keeps which mutants it comes past.
func listen(b binary, wanted *regexp.Regexp, work string) ([]test, error) {
	out, err := b.run(context.Background(), nil, "-test.list", ".*")
	if err != nil {
		return nil, fmt.Errorf("list tests: %w", err)
	}
	var tests []test
	for name := range strings.Lines(string(out)) {
		name = strings.TrimSpace(name)
		if !strings.HasPrefix(name, "Test") && !strings.HasPrefix(name, "Fuzz") && !strings.HasPrefix(name, "Example") ||
			!wanted.MatchString(name) {
			continue
		}
		seen := filepath.Join(work, "seen")
		if err := os.WriteFile(seen, nil, 0o600); err != nil {
			return nil, err
		}
		began := time.Now()
		out, err := b.run(context.Background(), []string{"MUTANTS_SEEN=" + seen}, "-test.run", b.pattern(name))
		if err != nil {
			return nil, fmt.Errorf("%s fails without a change: %w\n%s", name, err, out)
		}
		t := test{name: name, took: time.Since(began), seen: map[int]bool{}}
		text, err := os.ReadFile(seen)
		if err != nil {
			return nil, err
		}
		for line := range bytes.Lines(text) {
			if id, err := strconv.Atoi(string(bytes.TrimSpace(line))); err == nil {
				t.seen[id] = true
			}
		}
		tests = append(tests, t)
	}
	return tests, nil
}

// Pattern is what -test.run wants to run these.
func (b binary) pattern(names ...string) string {
	pattern := "^(" + strings.Join(names, "|") + ")$"
	if b.within != "" {
		pattern += "/" + b.within
	}
	return pattern
}

// Run runs tests until they end or the context does, and answers what they wrote. What they leave behind, such as the
// database of a test that was ended, ends with them.
func (b binary) run(ctx context.Context, env []string, args ...string) ([]byte, error) {
	temp, err := os.MkdirTemp(b.work, "run")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(temp)
	defer endDatabases(temp)
	if err := os.Chmod(temp, 0o755); err != nil { // a database that a test starts runs as another user
		return nil, err
	}
	cmd := exec.CommandContext(ctx, b.path, args...)
	cmd.Dir = b.folder
	cmd.Env = append(append(os.Environ(), "TMPDIR="+temp), env...)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
	cmd.WaitDelay = 5 * time.Second
	return cmd.CombinedOutput()
}

// EndDatabases ends those whose folders are somewhere below one.
func endDatabases(folder string) {
	_ = filepath.WalkDir(folder, func(path string, _ fs.DirEntry, err error) error {
		if err != nil || filepath.Base(path) != "postmaster.pid" {
			return nil
		}
		text, err := os.ReadFile(path)
		if err != nil {
			return nil
		}
		number, _, _ := strings.Cut(string(text), "\n")
		if pid, err := strconv.Atoi(number); err == nil && pid > 1 {
			_ = syscall.Kill(pid, syscall.SIGQUIT) // at once, without tidying
		}
		return nil
	})
}

// Fate says what became of a mutant.
type fate int

const (
	uncovered fate = iota
	lived
	killed
)

// Run tries every mutant and answers their fates in their order.
func run(binaries []binary, mutants []mutant, workers int) []fate {
	fates := make([]fate, len(mutants))
	next := make(chan int)
	var group sync.WaitGroup
	for range workers {
		group.Go(func() {
			for i := range next {
				fates[i] = hunt(binaries, mutants[i].id)
			}
		})
	}
	for i := range mutants {
		next <- i
	}
	close(next)
	group.Wait()
	return fates
}

// Hunt runs the tests that come past a mutant until one fails. A test that does not end has noticed.
func hunt(binaries []binary, id int) fate {
	found := uncovered
	for _, b := range binaries {
		var names []string
		limit := 5 * time.Second
		for _, t := range b.tests {
			if t.seen[id] {
				names = append(names, t.name)
				limit += 5 * t.took
			}
		}
		if len(names) == 0 {
			continue
		}
		found = lived
		ctx, cancel := context.WithTimeout(context.Background(), limit)
		env := []string{"MUTANT=" + strconv.Itoa(id), "GOMEMLIMIT=1GiB"}
		_, err := b.run(ctx, env, "-test.failfast", "-test.run", b.pattern(names...))
		cancel()
		if err != nil {
			return killed
		}
	}
	return found
}

func report(name string, mutants []mutant, fates []fate, equivalent equivalents, took time.Duration) {
	var counts [3]int
	same := 0
	for i, m := range mutants {
		if fates[i] != killed && equivalent.has(m) {
			same++
			continue
		}
		counts[fates[i]]++
		if fates[i] != killed {
			word := "lived"
			if fates[i] == uncovered {
				word = "not run"
			}
			fmt.Printf("%s  %s:%d  %s  ¦ %s ¦ %s\n", word, m.file, m.row, m.function, m.line, m.change)
		}
	}
	tried := counts[killed] + counts[lived]
	fmt.Printf("== %s: %d of %d noticed, %.0f %%; %d not run by any test, %d make no difference; %s\n", name, counts[killed], tried,
		100*float64(counts[killed])/float64(max(tried, 1)), counts[uncovered], same, took.Round(time.Second))
}
