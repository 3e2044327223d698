package e2e

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	cdpbrowser "github.com/chromedp/cdproto/browser"
	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"harvik/internal/testkit"
)

// browser is a headless Chromium that a test looks through. Elements are found by role and
// name, as a person finds them.
type browser struct {
	t   testing.TB
	ctx context.Context
}

// chromium is Debian's headless shell, or its full browser.
func chromium(t testing.TB) string {
	t.Helper()
	for _, name := range []string{"chromium-headless-shell", "chromium"} {
		if at, err := exec.LookPath(name); err == nil {
			return at
		}
	}
	t.Fatal("no Chromium: install Debian's chromium-headless-shell (`make debian` does)")
	return ""
}

func openBrowser(t testing.TB, more ...chromedp.ExecAllocatorOption) *browser {
	t.Helper()
	flags := append([]chromedp.ExecAllocatorOption{
		chromedp.ExecPath(chromium(t)), chromedp.UserDataDir(t.TempDir()), chromedp.WindowSize(1280, 800),
		chromedp.Headless, chromedp.NoSandbox, chromedp.DisableGPU, chromedp.NoFirstRun,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true),
		chromedp.Flag("host-resolver-rules", "MAP * ~NOTFOUND, EXCLUDE 127.0.0.1, EXCLUDE localhost"),
	}, more...)
	ctx, cancel := chromedp.NewExecAllocator(context.Background(), flags...)
	t.Cleanup(cancel)
	ctx, cancel = chromedp.NewContext(ctx)
	t.Cleanup(cancel)
	ctx, cancel = context.WithTimeout(ctx, 11*time.Minute)
	t.Cleanup(cancel)
	b := &browser{t, ctx}
	if _, err := chromedp.Call(ctx, cdppage.AddScriptToEvaluateOnNewDocument,
		cdppage.AddScriptToEvaluateOnNewDocumentParams{Source: still}); err != nil {
		t.Fatal(err)
	}
	return b
}

// still ends movements before they begin: nobody watches, and each frame is painted by the processor. It notes what the
// policy of a page keeps it from.
const still = `addEventListener('securitypolicyviolation', e => {
	(window.violations ||= []).push(e.violatedDirective + ' ' + e.blockedURI + ' ' + e.sourceFile + ':' + e.lineNumber);
});
addEventListener('DOMContentLoaded', () => {
	const s = new CSSStyleSheet();
	s.replaceSync('*, *::before, *::after { animation-duration: 1ms !important; animation-delay: 0s !important; animation-iteration-count: 1 !important; transition-duration: 1ms !important; transition-delay: 0s !important }');
	document.adoptedStyleSheets = [...document.adoptedStyleSheets, s];
})`

func (b *browser) do(steps ...chromedp.Action[chromedp.Void]) {
	b.t.Helper()
	if err := chromedp.Do(b.ctx, steps...); err != nil {
		b.t.Fatalf("browser: %v", err)
	}
}

func (b *browser) visit(url string) {
	b.t.Helper()
	b.do(chromedp.Navigate(url))
}

// finder is the script that finds elements by role and name.
const finder = `(role, name) => {
	const tags = {button: 'button', link: 'a[href]', textbox: 'input,textarea', combobox: 'select', row: '[role=row]', heading: 'h1,h2,h3', status: '[role=status]', table: '[role=table],table', region: 'section'};
	const label = e => (e.getAttribute('aria-label') || (e.labels && e.labels[0] && e.labels[0].textContent) || e.textContent || e.placeholder || '').trim();
	const all = [...document.querySelectorAll((tags[role] || '') + ',[role=' + role + ']')].filter(e => e.getClientRects().length);
	return all.find(e => label(e) === name) || all.find(e => label(e).includes(name));
}`

// pollEvery is long, since asking a page what it shows costs it more than being patient.
const pollEvery = 120 * time.Millisecond

// wait polls a script until it gives true.
func (b *browser) wait(what, script string) {
	b.t.Helper()
	deadline := time.Now().Add(60 * time.Second)
	for time.Now().Before(deadline) {
		ok, err := chromedp.Run(b.ctx, chromedp.Evaluate[bool]("!!("+script+")"))
		if err == nil && ok {
			return
		}
		if b.ctx.Err() != nil {
			break
		}
		time.Sleep(pollEvery)
	}
	body, _ := chromedp.Run(b.ctx,
		chromedp.Evaluate[string]("location.href + '\\n' + document.body.innerText.slice(0, 12000)"))
	b.t.Fatalf("never saw %s; the page shows:\n%s", what, body)
}

// see waits for a text.
func (b *browser) see(text string) {
	b.t.Helper()
	b.wait(fmt.Sprintf("%q", text),
		fmt.Sprintf("document.body.textContent.includes(%[1]q) || document.body.innerText.includes(%[1]q)", text))
}

// click waits for an element by role and name, and clicks it.
func (b *browser) click(role, name string) {
	b.t.Helper()
	b.wait(role+" "+name, fmt.Sprintf("(e => e && (e.click(), true))((%s)(%q, %q))", finder, role, name))
}

// fill types into a field found by its label.
func (b *browser) fill(name, value string) {
	b.t.Helper()
	b.wait("field "+name, fmt.Sprintf("(%s)('textbox', %q)", finder, name))
	b.eval(fmt.Sprintf("(%s)('textbox', %q).focus()", finder, name))
	b.do(chromedp.KeyEvent(value))
}

// replace puts a text into a field found by its label, in place of what is there.
func (b *browser) replace(name, value string) {
	b.t.Helper()
	b.wait("field "+name, fmt.Sprintf("(%s)('textbox', %q)", finder, name))
	b.eval(fmt.Sprintf(`(e => { Object.getOwnPropertyDescriptor(Object.getPrototypeOf(e), 'value').set.call(e, %q); e.dispatchEvent(new Event('input', {bubbles: true})) })((%s)('textbox', %q))`, value, finder, name))
}

// holds waits until a field has a text.
func (b *browser) holds(name, part string) {
	b.t.Helper()
	b.wait(fmt.Sprintf("%q in the field %s", part, name),
		fmt.Sprintf("((%s)('textbox', %q) || {value: ''}).value.includes(%q)", finder, name, part))
}

// choose picks an option of a list found by its label.
func (b *browser) choose(name, value string) {
	b.t.Helper()
	b.wait("list "+name+" with "+value,
		fmt.Sprintf("(e => e && [...e.options].some(o => o.value === %q))((%s)('combobox', %q))", value, finder, name))
	b.eval(fmt.Sprintf(`(e => { Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(e, %q); e.dispatchEvent(new Event('change', {bubbles: true})) })((%s)('combobox', %q))`, value, finder, name))
}

func (b *browser) eval(script string) {
	b.t.Helper()
	if _, err := chromedp.Run(b.ctx, chromedp.Evaluate[any]("("+script+", null)")); err != nil {
		b.t.Fatalf("browser: %s: %v", script, err)
	}
}

// part is the text of the first element that a selector names.
func (b *browser) part(selector string) string {
	b.t.Helper()
	b.wait(selector, fmt.Sprintf("document.querySelector(%q)", selector))
	said, err := chromedp.Run(b.ctx, chromedp.Evaluate[string](fmt.Sprintf("document.querySelector(%q).innerText", selector)))
	if err != nil {
		b.t.Fatal(err)
	}
	return said
}

// text is what the page shows.
func (b *browser) text() string {
	b.t.Helper()
	s, err := chromedp.Run(b.ctx, chromedp.Evaluate[string]("document.body.innerText"))
	if err != nil {
		b.t.Fatal(err)
	}
	return s
}

func (b *browser) address() string {
	b.t.Helper()
	s, err := chromedp.Run(b.ctx, chromedp.Location())
	if err != nil {
		b.t.Fatal(err)
	}
	return s
}

// picture keeps what the page looks like, where HARVIK_PICTURES names a folder for it.
func (b *browser) picture(name string) {
	b.t.Helper()
	folder := os.Getenv("HARVIK_PICTURES")
	if folder == "" {
		return
	}
	if !filepath.IsAbs(folder) {
		folder = filepath.Join(testkit.Root(b.t), folder)
	}
	time.Sleep(400 * time.Millisecond) // fonts and transitions
	png, err := chromedp.Run(b.ctx, chromedp.CaptureScreenshot())
	if err != nil {
		b.t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(folder, name+".png"), png, 0o644); err != nil {
		b.t.Fatal(err)
	}
}

// size changes the window.
func (b *browser) size(width, height int64) {
	b.t.Helper()
	b.do(chromedp.EmulateViewport(width, height))
}

func (b *browser) has(part string) bool { return strings.Contains(b.text(), part) }

// keys types into what has the focus.
func (b *browser) keys(keys string) {
	b.t.Helper()
	b.do(chromedp.KeyEvent(keys))
	time.Sleep(100 * time.Millisecond) // the focus moves with the next frame
}

// fetch clicks a button that has the browser fetch a file, and gives the file.
func (b *browser) fetch(name string) []byte {
	b.t.Helper()
	folder := b.t.TempDir()
	if _, err := chromedp.CallBrowser(b.ctx, cdpbrowser.SetDownloadBehavior,
		cdpbrowser.SetDownloadBehaviorParams{Behavior: cdpbrowser.SetDownloadBehaviorBehaviorAllow,
			DownloadPath: folder}); err != nil {
		b.t.Fatal(err)
	}
	b.click("button", name)
	for deadline := time.Now().Add(60 * time.Second); time.Now().Before(deadline); time.Sleep(50 * time.Millisecond) {
		files, _ := filepath.Glob(filepath.Join(folder, "*"))
		if len(files) != 1 || strings.HasSuffix(files[0], ".crdownload") {
			continue
		}
		data, err := os.ReadFile(files[0])
		if err != nil {
			b.t.Fatal(err)
		}
		if len(data) > 0 {
			return data
		}
	}
	b.t.Fatalf("%s gives no file; the page shows:\n%s", name, b.text())
	return nil
}
