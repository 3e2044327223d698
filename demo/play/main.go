// Command play shows Harvik at work on Fernhollow: it serves the garden's site, starts the
// service, crawls, prints health and fix list, and serves on until Ctrl-C.
//
//	play -harvik bin/harvik [-edition spring] [-data DIR] [-once]
//
// Ports come from HARVIK_PORT and FERNHOLLOW_PORT; taken ones are replaced by free ones.
package main

import (
	"bufio"
	"context"
	"crypto/tls"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"mime"
	"net"
	"net/http"
	"net/mail"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"harvik/demo"
)

func main() {
	var (
		binary  = flag.String("harvik", "bin/harvik", "the harvik binary")
		edition = flag.String("edition", "spring", "spring or summer")
		data    = flag.String("data", filepath.Join(os.TempDir(), fmt.Sprintf("harvik-demo-%d", os.Getuid())),
			"data folder")
		once  = flag.Bool("once", false, "end after printing")
		bears = flag.Int("bears", 0, "requests at once that the garden's host bears; 0 for any number")
	)
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	err := play(ctx, *binary, demo.Edition(*edition), *data, *once, int32(*bears))
	interrupted := ctx.Err() != nil
	stop()
	if err != nil && !interrupted {
		fmt.Fprintln(os.Stderr, "demo:", err)
		os.Exit(1)
	}
}

func play(ctx context.Context, binary string, edition demo.Edition, data string, once bool, bears int32) error {
	if edition != demo.Spring && edition != demo.Summer {
		return fmt.Errorf("there is no edition %q: spring or summer", edition)
	}
	site, err := listen("FERNHOLLOW_PORT", "8421", "the site")
	if err != nil {
		return err
	}
	garden := demo.NewSeasons(edition)
	var handler http.Handler = garden
	if bears > 0 {
		handler = demo.Struggling(handler, bears)
	}
	handler = beside(handler, demo.Glasshouse())
	certificate, authority, err := demo.Certificate(300, demo.Host, demo.GlasshouseHost)
	if err != nil {
		return err
	}
	server := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, ErrorLog: log.New(io.Discard, "", 0)}
	go server.Serve(demo.OnePort(site,
		&tls.Config{Certificates: []tls.Certificate{certificate}, NextProtos: demo.Protocols,
			MinVersion: tls.VersionTLS12}))
	defer server.Close()
	console, err := listen("HARVIK_PORT", "8420", "the service")
	if err != nil {
		return err
	}
	address := console.Addr().String()
	console.Close()
	service, link, err := start(ctx, binary, data, address)
	if err != nil {
		return err
	}
	defer end(service)
	run := func(args ...string) error {
		fmt.Printf("\n$ harvik %s\n", strings.Join(args, " "))
		c := command(ctx, binary, data, args...)
		c.Stdout, c.Stderr = os.Stdout, os.Stderr
		return c.Run()
	}
	care := func(name, home, host string, settings ...string) error {
		if command(ctx, binary, data, "site", "show", name).Run() != nil {
			if err := run("site", "add", name, home); err != nil {
				return err
			}
		}
		if out, err := command(ctx, binary, data, "site", "allow", name, "127.0.0.0/8").CombinedOutput(); err != nil {
			return fmt.Errorf("allowing the site to be here: %w: %s", err, out)
		}
		plan := command(ctx, binary, data, append([]string{"plan", "set", name, "--retries", "1", "--parallel", "8",
			"--host", host + "=" + site.Addr().String(), "ca=" + strconv.Quote(authority)}, settings...)...)
		if out, err := plan.CombinedOutput(); err != nil {
			return fmt.Errorf("setting the plan: %w: %s", err, out)
		}
		return nil
	}
	if err := care("fernhollow", demo.Home, demo.Host, "--timeout", "4s",
		"snippets=[{name: consent, contains: "+demo.Consent+"}]"); err != nil {
		return err
	}
	box, mails, err := demo.NewMailbox()
	if err != nil {
		return err
	}
	defer mails.Close()
	box.OnMail = func(m *mail.Message) {
		subject, _ := new(mime.WordDecoder).DecodeHeader(m.Header.Get("Subject"))
		fmt.Printf("Mail to %s: %s\n", m.Header.Get("To"), subject)
	}
	if err := watching(run, box.Address); err != nil {
		return err
	}
	if err := run("crawl", "fernhollow"); err != nil {
		return err
	}
	if err := run("fixes", "fernhollow", "--limit", "12"); err != nil {
		return err
	}
	if err := care("glasshouse", demo.GlasshouseHome, demo.GlasshouseHost, "render.pages=all", "render.within=8s", "render.tap=["+demo.GlasshouseTaps+"]",
		"probes=false"); err != nil {
		return err
	}
	if err := run("crawl", "glasshouse"); err != nil {
		return err
	}
	if once {
		return nil
	}
	if err := season(ctx, run, garden, data); err != nil {
		return err
	}
	fmt.Printf("\nThe console is at http://%s\nSign in, once: %s\nThe command line: %s --data %s fixes fernhollow\n",
		address, link, binary, data)
	fmt.Println("Enter turns the garden to its other edition, to recheck, crawl again and see the drift. Ctrl-C ends the demo.")
	go turn(garden, os.Stdin, os.Stdout)
	gone := make(chan error, 1)
	go func() { gone <- service.Wait() }()
	select {
	case <-ctx.Done():
		return nil
	case err := <-gone:
		return fmt.Errorf("the service ended: %v", err)
	}
}

// watching has the garden watched, crawled by itself, and mail sent to a stand-in.
func watching(run func(args ...string) error, mailbox string) error {
	host, port, err := net.SplitHostPort(mailbox)
	if err != nil {
		return err
	}
	for _, args := range [][]string{
		{"way", "mail", "--host", host, "--port", port, "--from", "Harvik <harvik@" + demo.Host + ">", "--secure", "plain"},
		{"way", "set", "ash", "--mail", "ash@" + demo.Host},
		{"schedule", "set", "fernhollow", "weekdays", "03:00", "--zone", "Europe/Berlin", "--jitter", "30"},
		{"watch", "set", "fernhollow", "/", "--every", "1", "--must", "Opening hours"},
		{"watch", "set", "fernhollow", "/shop/", "--every", "5", "--slow", "2000"},
	} {
		if err := run(args...); err != nil {
			return err
		}
	}
	return nil
}

// beside serves the glasshouse on its own host, and the garden on all others.
func beside(garden, glasshouse http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if host, _, _ := strings.Cut(r.Host, ":"); host == demo.GlasshouseHost {
			glasshouse.ServeHTTP(w, r)
			return
		}
		garden.ServeHTTP(w, r)
	})
}

// turn changes the edition at each line that it reads.
func turn(garden *demo.Seasons, in io.Reader, out io.Writer) {
	for lines := bufio.NewScanner(in); lines.Scan(); {
		fmt.Fprintf(out, "It is %s in the garden.\n", garden.Turn())
	}
}

// listen takes the port that the environment names, or the usual one, or any that is free.
func listen(variable, usual, what string) (net.Listener, error) {
	port := os.Getenv(variable)
	if port == "" {
		port = usual
	}
	l, err := net.Listen("tcp", "127.0.0.1:"+port)
	if err == nil {
		return l, nil
	}
	if !errors.Is(err, syscall.EADDRINUSE) {
		return nil, fmt.Errorf("%s=%s: %w", variable, port, err)
	}
	if l, err = net.Listen("tcp", "127.0.0.1:0"); err == nil {
		fmt.Printf("Port %s is taken; %s gets %s.\n", port, what, l.Addr())
	}
	return l, err
}

func command(ctx context.Context, binary, data string, args ...string) *exec.Cmd {
	return exec.CommandContext(ctx, binary, append([]string{"--data", data}, args...)...)
}

// start runs the service until it says that it runs, and has a link made that signs in. It ends with this process, even
// if that is killed.
func start(ctx context.Context, binary, data, address string) (*exec.Cmd, string, error) {
	if err := os.MkdirAll(data, 0o755); err != nil {
		return nil, "", err
	}
	log, err := os.Create(filepath.Join(data, "service.log"))
	if err != nil {
		return nil, "", err
	}
	defer log.Close()
	c := exec.Command(binary, "--data", data, "start", "--listen", address)
	c.Stderr = log
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	out, err := c.StdoutPipe()
	if err != nil {
		return nil, "", err
	}
	if err := c.Start(); err != nil {
		return nil, "", fmt.Errorf("starting %s: %w; `make build` makes it", binary, err)
	}
	stop := context.AfterFunc(ctx, func() { _ = c.Process.Signal(syscall.SIGTERM) })
	defer stop()
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if strings.HasPrefix(lines.Text(), "Harvik runs at ") {
			go io.Copy(io.Discard, out)
			link, err := command(ctx, binary, data, "link").Output()
			return c, strings.TrimSpace(string(link)), err
		}
	}
	_ = c.Wait()
	tail, _ := os.ReadFile(filepath.Join(data, "service.log"))
	return nil, "", fmt.Errorf("the service did not start:\n%s", tail[max(0, len(tail)-800):])
}

// end stops the service and waits until it has put everything away.
func end(c *exec.Cmd) {
	if c.ProcessState == nil {
		_ = c.Process.Signal(syscall.SIGTERM)
		_ = c.Wait()
	}
}
