package render

import (
	"context"
	"fmt"
	"strings"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/cdp/jsonv2"
	cdplog "github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/page"
	cdpruntime "github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/target"

	"harvik/internal/core/rendered"
)

// mostHeard bounds the messages of a page that are listened to.
const mostHeard = 300

// hear takes up what the page tells. It must not wait.
func (p *seeing) hear(method string, params jsonv2.Value) {
	switch method {
	case "Page.loadEventFired":
		p.mu.Lock()
		p.loaded = true
		p.mu.Unlock()
	case "Page.javascriptDialogOpening":
		go p.later(func(ctx context.Context) error {
			return do(ctx, p.tab.session, page.HandleJavaScriptDialog, page.HandleJavaScriptDialogParams{Accept: false})
		})
	case "Page.frameNavigated":
		p.navigated(params)
	case "Inspector.targetCrashed":
		p.mu.Lock()
		p.crashed = true
		p.mu.Unlock()
	case "Target.attachedToTarget":
		var e target.EventAttachedToTarget
		if jsonv2.Unmarshal(params, &e) == nil { // a window that the page opened
			go p.later(func(ctx context.Context) error {
				return do(ctx, p.tab.of.own, target.CloseTarget,
					target.CloseTargetParams{TargetID: e.TargetInfo.TargetID})
			})
		}
	case "CSS.styleSheetAdded":
		p.sheet(params)
		return
	case "Runtime.consoleAPICalled", "Runtime.exceptionThrown", "Log.entryAdded":
		p.said(method, params)
		return
	default:
		return
	}
	select {
	case p.changed <- struct{}{}:
	default:
	}
}

// later does what need not be waited for.
func (p *seeing) later(f func(context.Context) error) {
	ctx, cancel := context.WithTimeout(context.Background(), closeWithin)
	defer cancel()
	_ = f(ctx) // the page may be gone
}

// navigated notices a page that leads browsers on.
func (p *seeing) navigated(params jsonv2.Value) {
	var e struct {
		Frame cdp.Frame `json:"frame"`
	}
	if jsonv2.Unmarshal(params, &e) != nil || e.Frame.ParentID != "" {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.deaf {
		p.left = p.left || e.Frame.LoaderID != p.first
		return
	}
	if at := e.Frame.URL; p.first != "" && e.Frame.LoaderID != p.first && at != p.visit.address &&
		at != "about:blank" &&
		!strings.HasPrefix(at, "chrome-error:") {
		p.moved = rendered.Short(at)
	}
}

// said takes up what the console has.
func (p *seeing) said(method string, params jsonv2.Value) {
	p.mu.Lock()
	p.messages++
	n := p.messages
	p.mu.Unlock()
	if n > mostHeard {
		if n == mostHeard+1 {
			go p.later(func(ctx context.Context) error {
				_ = do(ctx, p.tab.session, cdplog.Disable, cdp.Empty{})
				return nil
			})
		}
		return
	}
	var m rendered.Message
	switch method {
	case "Runtime.consoleAPICalled":
		var e cdpruntime.EventConsoleAPICalled
		if jsonv2.Unmarshal(params, &e) != nil || e.Type != "error" {
			return
		}
		var words []string
		for _, a := range e.Args {
			words = append(words, strings.Trim(string(a.Value), `"`)+a.Description)
		}
		m.Text = strings.Join(words, " ")
		if e.StackTrace != nil && len(e.StackTrace.CallFrames) > 0 {
			f := e.StackTrace.CallFrames[0]
			m.At = fmt.Sprintf("%s:%d", f.URL, f.LineNumber+1)
		}
	case "Runtime.exceptionThrown":
		var e cdpruntime.EventExceptionThrown
		if jsonv2.Unmarshal(params, &e) != nil || e.ExceptionDetails == nil {
			return
		}
		d := e.ExceptionDetails
		m.Text, m.Thrown = d.Text, true
		if d.Exception != nil && d.Exception.Description != "" {
			m.Text, _, _ = strings.Cut(d.Exception.Description, "\n")
		}
		if d.URL != "" {
			m.At = fmt.Sprintf("%s:%d", d.URL, d.LineNumber+1)
		}
	default:
		var e cdplog.EventEntryAdded
		if jsonv2.Unmarshal(params, &e) != nil || e.Entry == nil || e.Entry.Source == "network" {
			return // requests that failed are told by the proxy
		}
		m.Mixed = strings.Contains(e.Entry.Text, "Mixed Content")
		if e.Entry.Level != "error" && !m.Mixed {
			return
		}
		m.Text = e.Entry.Text
		if e.Entry.URL != "" {
			m.At = fmt.Sprintf("%s:%d", e.Entry.URL, e.Entry.LineNumber+1)
		}
	}
	m.Text, m.At = rendered.Short(m.Text), rendered.Short(m.At)
	p.mu.Lock()
	defer p.mu.Unlock()
	if !p.deaf && len(p.out.Console) < rendered.MostKept {
		p.out.Console = append(p.out.Console, m)
	}
}
