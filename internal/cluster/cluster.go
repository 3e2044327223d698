// Package cluster runs a PostgreSQL server of Harvik's own: its data in a folder, its
// address on loopback. PostgreSQL refuses to run as root; then it runs as the user postgres.
package cluster

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"
)

// A Cluster is a running server. Stop it after use.
type Cluster struct {
	URL  string // for store.Open
	Port int
	data string
	bin  string
	own  bool // started by this process
}

// account is who the server runs as.
const account = "postgres"

// Start starts the server whose data is in folder, making the data if there is none. A
// server left running there by a killed process is taken over.
func Start(ctx context.Context, folder string) (*Cluster, error) {
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	folder, err = filepath.Abs(folder)
	if err != nil {
		return nil, err
	}
	c := &Cluster{data: filepath.Join(folder, "postgres"), bin: bin}
	if err := c.prepare(ctx, folder); err != nil {
		return nil, err
	}
	port, running := c.running(ctx)
	if !running {
		if port, err = freePort(); err != nil {
			return nil, err
		}
		if err := c.start(ctx, port); err != nil {
			return nil, err
		}
	}
	c.own, c.Port = true, port
	c.URL = fmt.Sprintf("postgres://harvik@127.0.0.1:%d/postgres?sslmode=disable&password=%s", port, c.password())
	return c, nil
}

// Stop ends the server, letting running transactions end.
func (c *Cluster) Stop() error {
	if !c.own {
		return nil
	}
	_, err := c.run(context.Background(), "pg_ctl", "stop", "-D", c.data, "-m", "fast", "-w", "-t", "60")
	if err != nil {
		return fmt.Errorf("stopping PostgreSQL: %w", err)
	}
	return nil
}

// watchEvery is how often Watch looks.
const watchEvery = 500 * time.Millisecond

// Watch starts the server again whenever it has died, until ctx ends. Failed tries go to
// report, and are repeated.
func (c *Cluster) Watch(ctx context.Context, report func(error)) {
	ticker := time.NewTicker(watchEvery)
	defer ticker.Stop()
	for {
		select {
		case <-ticker.C:
		case <-ctx.Done():
			return
		}
		if c.isAlive() {
			continue
		}
		if _, running := c.running(ctx); running || ctx.Err() != nil {
			continue
		}
		report(c.start(ctx, c.Port))
	}
}

// isAlive is the cheap half of running: the server's process is there.
func (c *Cluster) isAlive() bool {
	data, err := os.ReadFile(filepath.Join(c.data, "postmaster.pid"))
	pid, _, _ := strings.Cut(string(data), "\n")
	return err == nil && !isDead(strings.TrimSpace(pid))
}

// binaries finds the newest PostgreSQL that Debian's packages installed, or one on the path.
func binaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	slices.SortFunc(found, func(a, b string) int { return version(b) - version(a) })
	if len(found) > 0 {
		return filepath.Dir(found[0]), nil
	}
	if at, err := exec.LookPath("initdb"); err == nil {
		return filepath.Dir(at), nil
	}
	return "", errors.New("PostgreSQL is not installed: install the Debian package postgresql, or name a database with --database")
}

func version(path string) int {
	n, _ := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path))))
	return n
}

func (c *Cluster) prepare(ctx context.Context, folder string) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return fmt.Errorf("making the data folder: %w", err)
	}
	secret, making := filepath.Join(folder, passwordFile), filepath.Join(folder, makingFile)
	_, unmade := os.Stat(making)
	if _, err := os.Stat(filepath.Join(c.data, "PG_VERSION")); err == nil && unmade != nil {
		return c.isOurs(secret)
	}
	// A first start that was cut short leaves a folder that initdb refuses. Only one that says so is removed.
	switch entries, err := os.ReadDir(c.data); {
	case errors.Is(err, os.ErrNotExist) || err == nil && len(entries) == 0:
	case err != nil:
		return err
	case unmade != nil:
		return fmt.Errorf("%s is there and is no database of Harvik's; choose another data folder with --data, or move it away", c.data)
	}
	if err := os.WriteFile(making,
		[]byte("A database of Harvik's is being made in the folder postgres beside this file.\n"), 0o600); err != nil {
		return err
	}
	if err := os.RemoveAll(c.data); err != nil {
		return err
	}
	if err := os.Mkdir(c.data, 0o700); err != nil {
		return err
	}
	if err := os.WriteFile(secret, []byte(newPassword()), 0o600); err != nil {
		return err
	}
	if err := c.giveAway(c.data, secret); err != nil {
		return err
	}
	if _, err := c.run(ctx, "initdb", "-D", c.data, "-U", "harvik", "-A", "scram-sha-256", "--pwfile", secret, "-E",
		"UTF8", "--locale=C.UTF-8", "--no-sync"); err != nil {
		return fmt.Errorf("making the database: %w", err)
	}
	return os.Remove(making)
}

// Files beside the data: the password of a database that Harvik has made, and the mark of one that it is
// making.
const (
	passwordFile = "postgres.password"
	makingFile   = "postgres.making"
)

// isOurs refuses a database that somebody else made.
func (c *Cluster) isOurs(secret string) error {
	data, err := os.ReadFile(secret)
	switch {
	case errors.Is(err, os.ErrNotExist):
		return fmt.Errorf("%s is a database that Harvik did not make: there is no %s beside it; choose another data folder with --data, or name that database by HARVIK_DATABASE", c.data, passwordFile)
	case err != nil:
		return fmt.Errorf("reading the database's password: %w", err)
	case len(bytes.TrimSpace(data)) == 0:
		return fmt.Errorf("%s is empty, so the database cannot be opened; put it back from a copy of the data folder",
			secret)
	}
	return nil
}

func (c *Cluster) password() string {
	data, _ := os.ReadFile(filepath.Join(filepath.Dir(c.data), passwordFile))
	return strings.TrimSpace(string(data))
}

// giveAway hands files to the account that the server runs as, if that is another.
func (c *Cluster) giveAway(paths ...string) error {
	if os.Geteuid() != 0 {
		return nil
	}
	u, err := user.Lookup(account)
	if err != nil {
		return fmt.Errorf("as root PostgreSQL has to run as the user %s: %w", account, err)
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	for _, p := range paths {
		if err := os.Chown(p, uid, gid); err != nil {
			return err
		}
	}
	return c.reachable(uid)
}

// reachable sees that the account can enter every folder above the data.
func (c *Cluster) reachable(uid int) error {
	for dir := filepath.Dir(c.data); ; dir = filepath.Dir(dir) {
		info, err := os.Stat(dir)
		if err != nil {
			return err
		}
		if info.Mode().Perm()&0o001 == 0 {
			return fmt.Errorf("the user %s cannot enter %s, so PostgreSQL cannot keep its data below it; choose another folder with --data, or allow it: chmod o+x %s", account, dir, dir)
		}
		if dir == filepath.Dir(dir) {
			return nil
		}
	}
}

// running tells the port of a server that already runs on the data. A killed server that
// nobody has waited for still has its process number: its lock is taken away, since
// PostgreSQL would take it for alive.
func (c *Cluster) running(ctx context.Context) (port int, ok bool) {
	lock := filepath.Join(c.data, "postmaster.pid")
	data, err := os.ReadFile(lock)
	lines := strings.Split(string(data), "\n")
	if err != nil || len(lines) < 4 {
		return 0, false
	}
	if isDead(strings.TrimSpace(lines[0])) {
		os.Remove(lock)
		return 0, false
	}
	if _, err := c.run(ctx, "pg_ctl", "status", "-D", c.data); err != nil {
		return 0, false
	}
	port, err = strconv.Atoi(strings.TrimSpace(lines[3]))
	return port, err == nil
}

func (c *Cluster) start(ctx context.Context, port int) error {
	log := filepath.Join(c.data, "server.log")
	options := fmt.Sprintf("-p %d -c listen_addresses=127.0.0.1 -c unix_socket_directories='%s' -c shared_buffers=256MB -c max_wal_size=4GB -c checkpoint_timeout=15min -c wal_level=minimal -c max_wal_senders=0", port, c.data)
	_, err := c.run(ctx, "pg_ctl", "start", "-D", c.data, "-l", log, "-w", "-t", "60", "-o", options)
	if err == nil {
		return nil
	}
	tail, _ := os.ReadFile(log)
	if len(tail) > 600 {
		tail = tail[len(tail)-600:]
	}
	return fmt.Errorf("starting PostgreSQL: %w\n%s", err, tail)
}

// run calls one of PostgreSQL's programs, as its account.
func (c *Cluster) run(ctx context.Context, program string, args ...string) (string, error) {
	ctx, cancel := context.WithTimeout(ctx, 90*time.Second)
	defer cancel()
	program = filepath.Join(c.bin, program)
	if os.Geteuid() == 0 {
		args = append([]string{"-u", account, "--", program}, args...)
		program = "runuser"
	}
	cmd := exec.CommandContext(ctx, program, args...)
	cmd.Dir = "/"
	cmd.SysProcAttr = ownGroup()
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &out
	cmd.WaitDelay = time.Second // the server inherits the pipe and keeps it open
	err := cmd.Run()
	if err != nil && !errors.Is(err, exec.ErrWaitDelay) {
		return out.String(), fmt.Errorf("%s: %w: %s", filepath.Base(program), err, strings.TrimSpace(out.String()))
	}
	return out.String(), nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}
