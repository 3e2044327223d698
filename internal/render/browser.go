package render

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/target"
)

// ErrNoBrowser is that of a machine without one.
var ErrNoBrowser = errors.New("pages cannot be rendered: there is no browser on this machine; " +
	"`apt-get install chromium-headless-shell` brings one")

// programs are those that can render, the lightest first.
var programs = []string{"chromium-headless-shell", "chromium"}

// Program is the browser of this machine. The error is ErrNoBrowser.
func Program() (string, error) {
	for _, name := range programs {
		if path, err := exec.LookPath(name); err == nil {
			return path, nil
		}
	}
	return "", ErrNoBrowser
}

// Bounds of a browser.
const (
	mostMemory  = 1200 << 20 // bytes of all its processes, beyond which it is ended
	mostHeap    = 384        // MB of a page's scripts
	mostVisits  = 400        // pages after which a new one is begun
	startWithin = 30 * time.Second
)

// running is a browser with its processes.
type running struct {
	cmd    *exec.Cmd
	wire   *wire
	own    *session // the browser's own
	folder string
	gone   chan struct{}
	visits int // pages begun; this and users are guarded by the pool
	users  int // pages under way

	mu  sync.Mutex
	why string // it was ended
}

// start begins a browser that reaches nothing but loopback, and of that nothing but its gateway.
func start(ctx context.Context, folder, pin string) (*running, error) {
	program, err := Program()
	if err != nil {
		return nil, err
	}
	profile, err := os.MkdirTemp(folder, "profile-")
	if err != nil {
		return nil, err
	}
	in, toBrowser, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	fromBrowser, out, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	cmd := exec.Command(
		program,
		"--headless",
		"--no-sandbox",
		"--disable-gpu",
		"--disable-quic",
		"--no-first-run",
		"--mute-audio",
		"--disable-background-networking",
		"--disable-component-update",
		"--disable-sync",
		"--disable-breakpad",
		"--disable-default-apps",
		"--disable-extensions",
		"--disable-client-side-phishing-detection",
		"--disable-domain-reliability",
		"--no-pings",
		"--disable-dev-shm-usage",
		"--no-default-browser-check",
		"--disable-background-timer-throttling",
		"--disable-backgrounding-occluded-windows",
		"--disable-renderer-backgrounding",
		"--disable-hang-monitor",
		"--disable-prompt-on-repost",
		"--disable-features=Translate,OptimizationHints,MediaRouter,AsyncDns,DnsOverHttps,InterestFeedContentSuggestions,"+
			"Prerender2,PaintHolding,AutofillServerCommunication,CertificateTransparencyComponentUpdater",
		"--force-color-profile=srgb",
		"--hide-scrollbars",
		"--password-store=basic",
		"--metrics-recording-only",
		"--force-webrtc-ip-handling-policy=disable_non_proxied_udp",
		"--webrtc-ip-handling-policy=disable_non_proxied_udp",
		"--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1",
		"--proxy-server=http://127.0.0.1:1",
		"--proxy-bypass-list=<-loopback>",
		"--ignore-certificate-errors-spki-list="+pin,
		fmt.Sprintf("--js-flags=--max-old-space-size=%d", mostHeap),
		"--remote-debugging-pipe",
		"--user-data-dir="+profile,
		"about:blank",
	)
	cmd.ExtraFiles = []*os.File{in, out}
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	cmd.Env = append(os.Environ(), "TMPDIR="+profile, "HOME="+profile)
	r := &running{cmd: cmd, folder: profile, gone: make(chan struct{})}
	started := make(chan error)
	go func() {
		// The signal at the parent's death is bound to the thread that began the process: it stays as long as that,
		// and goes on afterwards, since others may have been begun by it.
		runtime.LockOSThread()
		defer runtime.UnlockOSThread()
		err := cmd.Start()
		in.Close()
		out.Close()
		started <- err
		if err != nil {
			return
		}
		_ = cmd.Wait() // how it ended is of no use
		fromBrowser.Close()
		toBrowser.Close()
		killGroup(cmd.Process.Pid, profile)
		os.RemoveAll(profile)
		close(r.gone)
	}()
	if err := <-started; err != nil {
		os.RemoveAll(profile)
		return nil, fmt.Errorf("the browser does not start: %w", err)
	}
	r.wire = newWire(fromBrowser, toBrowser)
	r.own = &session{wire: r.wire}
	ctx, cancel := context.WithTimeout(ctx, startWithin)
	defer cancel()
	if _, err := cdp.Call(ctx, r.own, browser.GetVersion, cdp.Empty{}); err != nil {
		r.kill("it does not answer")
		return nil, fmt.Errorf("the browser does not start: %w", err)
	}
	go r.watch()
	return r, nil
}

// kill ends the browser with all its processes.
func (r *running) kill(why string) {
	r.mu.Lock()
	if r.why == "" {
		r.why = why
	}
	r.mu.Unlock()
	_ = syscall.Kill(-r.cmd.Process.Pid, syscall.SIGKILL)
	<-r.gone
}

// ended is why the browser was ended, "" where it ended by itself.
func (r *running) ended() string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.why
}

// isGone tells whether the browser has ended.
func (r *running) isGone() bool {
	select {
	case <-r.gone:
		return true
	case <-r.wire.closed:
		return true
	default:
		return false
	}
}

// watch ends a browser that takes too much.
func (r *running) watch() {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for {
		select {
		case <-r.gone:
			return
		case <-tick.C:
			if used := memoryOf(r.folder); used > mostMemory {
				r.kill(fmt.Sprintf("it took %d MB of memory", used>>20))
				return
			}
		}
	}
}

// processesOf are those of a browser, by its folder, which all of them are told.
func processesOf(folder string) (out []int) {
	entries, err := os.ReadDir("/proc")
	if err != nil {
		return nil
	}
	for _, e := range entries {
		pid, err := strconv.Atoi(e.Name())
		if err != nil {
			continue
		}
		line, err := os.ReadFile(filepath.Join("/proc", e.Name(), "cmdline"))
		if err == nil && bytes.Contains(line, []byte("--user-data-dir="+folder)) {
			out = append(out, pid)
		}
	}
	return out
}

// memoryOf is what a browser's processes take by themselves, with their part of what they share.
func memoryOf(folder string) (bytes int) {
	for _, pid := range processesOf(folder) {
		rollup, err := os.ReadFile(fmt.Sprintf("/proc/%d/smaps_rollup", pid))
		if err != nil {
			continue
		}
		for line := range strings.Lines(string(rollup)) {
			if f := strings.Fields(line); len(f) >= 2 && f[0] == "Pss:" {
				n, _ := strconv.Atoi(f[1])
				bytes += n << 10
			}
		}
	}
	return bytes
}

// killGroup ends what is left of a browser.
func killGroup(pid int, folder string) {
	_ = syscall.Kill(-pid, syscall.SIGKILL)
	for range 50 {
		left := processesOf(folder)
		if len(left) == 0 {
			return
		}
		for _, one := range left {
			_ = syscall.Kill(one, syscall.SIGKILL)
		}
		time.Sleep(10 * time.Millisecond)
	}
}

// tab is a page of the browser in a context of its own.
type tab struct {
	*session
	of      *running
	context cdp.BrowserContextID
	target  target.ID
}

// open makes a tab whose requests go through a door.
func (r *running) open(ctx context.Context, through string) (*tab, error) {
	yes := true
	made, err := cdp.Call(ctx, r.own, target.CreateBrowserContext, target.CreateBrowserContextParams{
		DisposeOnDetach: &yes, ProxyServer: through, ProxyBypassList: "<-loopback>"})
	if err != nil {
		return nil, err
	}
	t := &tab{of: r, context: made.BrowserContextID}
	if err := do(ctx, r.own, browser.SetDownloadBehavior, browser.SetDownloadBehaviorParams{
		Behavior: browser.SetDownloadBehaviorBehaviorDeny, BrowserContextID: t.context}); err != nil {
		t.close()
		return nil, err
	}
	page, err := cdp.Call(ctx, r.own, target.CreateTarget,
		target.CreateTargetParams{URL: "about:blank", BrowserContextID: t.context})
	if err != nil {
		t.close()
		return nil, err
	}
	t.target = page.TargetID
	attached, err := cdp.Call(ctx, r.own, target.AttachToTarget,
		target.AttachToTargetParams{TargetID: t.target, Flatten: &yes})
	if err != nil {
		t.close()
		return nil, err
	}
	t.session = &session{r.wire, attached.SessionID}
	return t, nil
}

// closeWithin is how long a tab may take to go.
const closeWithin = 3 * time.Second

// close ends the tab with all that it opened. A browser that does not let it go is ended.
func (t *tab) close() {
	if t.session != nil {
		t.listen(nil)
	}
	ctx, cancel := context.WithTimeout(context.Background(), closeWithin)
	defer cancel()
	err := do(ctx, t.of.own, target.DisposeBrowserContext,
		target.DisposeBrowserContextParams{BrowserContextID: t.context})
	if err != nil && !t.of.isGone() {
		t.of.kill("a page kept it from ending")
	}
}
