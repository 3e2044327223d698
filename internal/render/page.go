package render

import (
	"context"
	_ "embed"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/cdp/jsonv2"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/inspector"
	cdplog "github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	cdpruntime "github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/target"

	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
)

//go:embed observe.js
var observe string

//go:embed read.js
var read string

// A Device is what a page is rendered on.
type Device struct {
	Width, Height int64
	Ratio         float64
	Touch         bool
	Agent         string // what stands in the place of the device in User-Agent
}

// devices are those that there are.
var devices = map[string]Device{
	plan.Phone:   {390, 844, 2, true, "Linux; Android 14; Phone"},
	plan.Desktop: {1350, 940, 1, false, "X11; Linux x86_64"},
}

// A slow phone: its processor takes so many times as long, its network is as that of the fourth generation where it is
// slow.
const (
	slowProcessor = 4
	slowLatency   = 150               // ms
	slowDown      = 1_600_000.0 / 8.0 // bytes a second
	slowUp        = 750_000.0 / 8.0
)

// Settings are how pages are rendered.
type Settings struct {
	Within    time.Duration // of a page
	Wait      string        // selector of what a page is done with; "" for quiet
	Click     []string      // selectors of what is clicked away
	Tap       []string      // selectors of what is tapped, once all is read, to see how soon it answers
	Slow      bool          // as a slow phone
	NoScripts bool
	Screen    bool // take a picture
	MaxBytes  int  // of what is read
	Agent     string
	Language  string
}

// Quiet is how long network and document are to be quiet.
const quietFor = 500 * time.Millisecond

// A Result is what came of a page.
type Result struct {
	rendered.Page
	HTML    []byte   // after scripts; what components keep in shadow trees of their own stands where it is shown
	Seen    []string // texts that are to be seen, apart from menus and the like; nil where there are too many
	Picture []byte   // of the first view, WebP
}

// A seeing is one page being rendered.
type seeing struct {
	tab      *tab
	visit    *visit
	settings *Settings
	device   Device
	out      *Result
	world    cdpruntime.ExecutionContextID
	frame    cdp.FrameID

	mu       sync.Mutex
	loaded   bool
	crashed  bool
	moved    string // where the page leads browsers on to
	first    cdp.LoaderID
	messages int
	sheets   map[cdp.StyleSheetID]sheet
	deaf     bool // what comes now is not the page's own doing
	left     bool // a tap has led away from it
	changed  chan struct{}
}

// isolated is the name of the world that the page's scripts do not reach.
const isolated = "harvik"

// see renders the page of a visit.
func see(ctx context.Context, t *tab, v *visit, s *Settings, device string) (out Result) {
	out.Device, out.Outcome = device, rendered.Stuck
	d := devices[device]
	p := &seeing{tab: t, visit: v, settings: s, device: d, out: &out, changed: make(chan struct{}, 1),
		sheets: map[cdp.StyleSheetID]sheet{}}
	t.listen(p.hear)
	begun := time.Now()
	err := p.prepare(ctx)
	if err == nil {
		err = p.load(ctx)
	}
	out.Took = int(time.Since(begun).Milliseconds())
	if err == nil && out.Outcome == rendered.Rendered {
		if err = p.read(ctx); err == nil {
			p.unused(ctx)
			if s.Screen {
				p.take(ctx)
			}
		}
	}
	p.settle(err)
	p.account()
	if out.Found() {
		p.taps(ctx)
	}
	return out
}

// settle says how it ended.
func (p *seeing) settle(err error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.deaf = true
	o := &p.out.Page
	p.visit.mu.Lock()
	main := p.visit.main
	p.visit.mu.Unlock()
	switch {
	case p.crashed, errors.Is(err, errGone):
		o.Outcome, o.Detail = rendered.Crashed, p.tab.of.ended()
	case p.moved != "":
		o.Outcome, o.Detail = rendered.Moved, p.moved
	case main != nil && main.err != "":
		o.Outcome, o.Detail = rendered.Failed, main.err
	case main != nil && main.status >= 300 && main.status <= 399 && main.to != "":
		o.Outcome, o.Detail = rendered.Moved, main.to
	case main != nil && main.status >= 400:
		o.Outcome, o.Detail = rendered.Failed, fmt.Sprintf("it answers with status %d now", main.status)
	case err != nil && o.Outcome == rendered.Rendered:
		o.Outcome, o.Detail = rendered.Stuck, ""
	case err != nil && o.Detail == "":
		o.Detail = err.Error()
	}
	if o.Outcome != rendered.Rendered {
		p.out.HTML, p.out.Picture = nil, nil
	}
	if errors.Is(err, context.DeadlineExceeded) {
		o.Detail = ""
	}
}

// prepare makes the tab the device.
func (p *seeing) prepare(ctx context.Context) error {
	s, d := p.settings, p.device
	yes := true
	agent := fmt.Sprintf(
		"Mozilla/5.0 (%s) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/%s%s Safari/537.36 (compatible; %s)",
		d.Agent,
		version,
		map[bool]string{true: " Mobile", false: ""}[d.Touch],
		s.Agent,
	)
	steps := []func() error{
		func() error { return do(ctx, p.tab.session, page.Enable, page.EnableParams{}) },
		func() error { return do(ctx, p.tab.session, cdpruntime.Enable, cdp.Empty{}) },
		func() error { return do(ctx, p.tab.session, cdplog.Enable, cdp.Empty{}) },
		func() error { return do(ctx, p.tab.session, inspector.Enable, cdp.Empty{}) },
		func() error {
			return do(ctx, p.tab.session, target.SetAutoAttach,
				target.SetAutoAttachParams{AutoAttach: true, Flatten: &yes,
					Filter: target.Filter{{Type: "page"}, {Exclude: true}}})
		},
		func() error {
			return do(ctx, p.tab.session, emulation.SetDeviceMetricsOverride, emulation.SetDeviceMetricsOverrideParams{
				Width: d.Width, Height: d.Height, DeviceScaleFactor: d.Ratio, Mobile: d.Touch,
				ScreenWidth: d.Width, ScreenHeight: d.Height})
		},
		func() error {
			return do(ctx, p.tab.session, emulation.SetTouchEmulationEnabled,
				emulation.SetTouchEmulationEnabledParams{Enabled: d.Touch})
		},
		func() error {
			return do(ctx, p.tab.session, emulation.SetUserAgentOverride,
				emulation.SetUserAgentOverrideParams{UserAgent: agent, AcceptLanguage: s.Language})
		},
		func() error {
			return do(ctx, p.tab.session, page.AddScriptToEvaluateOnNewDocument,
				page.AddScriptToEvaluateOnNewDocumentParams{Source: observe, WorldName: isolated})
		},
		func() error { // what would go past the proxy is not there
			return do(ctx, p.tab.session, page.AddScriptToEvaluateOnNewDocument,
				page.AddScriptToEvaluateOnNewDocumentParams{Source: closed})
		},
	}
	steps = append(steps, p.tracks(ctx)...)
	if s.NoScripts {
		steps = append(steps, func() error {
			return do(ctx, p.tab.session, emulation.SetScriptExecutionDisabled,
				emulation.SetScriptExecutionDisabledParams{Value: true})
		})
	}
	if s.Slow {
		steps = append(steps, func() error {
			return do(ctx, p.tab.session, emulation.SetCPUThrottlingRate,
				emulation.SetCPUThrottlingRateParams{Rate: slowProcessor})
		}, func() error {
			return do(ctx, p.tab.session, network.Enable, network.EnableParams{})
		}, func() error {
			return do(
				ctx,
				p.tab.session,
				network.EmulateNetworkConditionsByRule,
				network.EmulateNetworkConditionsByRuleParams{
					MatchedNetworkConditions: []*network.Conditions{{Latency: slowLatency, DownloadThroughput: slowDown,
						UploadThroughput: slowUp}}},
			)
		})
	}
	for _, step := range steps {
		if err := step(); err != nil {
			return fmt.Errorf("prepare: %w", err)
		}
	}
	p.out.Speed.Throttled = s.Slow
	return nil
}

// version stands in User-Agent where browsers have theirs.
const version = "156.0.0.0"

// closed takes away by what a page could speak past the proxy, and what would wait for somebody.
const closed = `(() => {
	for (const name of ["RTCPeerConnection", "webkitRTCPeerConnection", "RTCDataChannel", "WebTransport"]) {
		try { Object.defineProperty(window, name, { value: undefined, configurable: false, writable: false }); } catch {}
	}
	window.print = () => {};
})()`

// load goes to the page and waits until it is done.
func (p *seeing) load(ctx context.Context) error {
	nav, err := cdp.Call(ctx, p.tab.session, page.Navigate, page.NavigateParams{URL: p.visit.address})
	if err != nil {
		return err
	}
	p.frame = nav.FrameID
	p.mu.Lock()
	p.first = nav.LoaderID
	p.mu.Unlock()
	if nav.IsDownload {
		p.out.Outcome, p.out.Detail = rendered.Failed, "browsers save it as a file"
		return errors.New(p.out.Detail)
	}
	if nav.ErrorText != "" {
		p.out.Outcome = rendered.Failed
		return errors.New(nav.ErrorText)
	}
	if p.out.Done, err = p.await(ctx); err != nil {
		return err
	}
	for _, selector := range p.settings.Click {
		if clicked, err := p.click(ctx, selector); err == nil && clicked {
			if p.out.Done, err = p.await(ctx); err != nil {
				return err
			}
		}
	}
	p.out.Outcome = rendered.Rendered
	return nil
}

// await waits until the page is done, or what it has of time is nearly over.
func (p *seeing) await(ctx context.Context) (string, error) {
	deadline, _ := ctx.Deadline()
	deadline = deadline.Add(-p.settings.Within / 4) // reading takes some
	state, still := -1, time.Now()
	for {
		switch {
		case p.isOver():
			return "", errors.New("it has gone elsewhere")
		case time.Now().After(deadline):
			return rendered.TimeUp, nil
		}
		p.mu.Lock()
		loaded := p.loaded
		p.mu.Unlock()
		if loaded || p.settings.Wait != "" {
			var seen struct {
				Mutations int  `json:"mutations"`
				There     bool `json:"there"`
			}
			if err := p.ask(ctx, fmt.Sprintf("({mutations: globalThis.harvik?.mutations ?? 0, there: %s})", there(p.settings.Wait)),
				&seen); err != nil {
				return "", err
			}
			if seen.Mutations != state {
				state, still = seen.Mutations, time.Now()
			}
			switch {
			case p.settings.Wait != "" && seen.There:
				return rendered.Selector, nil
			case p.settings.Wait == "" && time.Since(still) >= quietFor && p.visit.quietFor() >= quietFor:
				return rendered.Settled, nil
			}
		}
		select {
		case <-ctx.Done():
			return "", ctx.Err()
		case <-p.tab.wire.closed:
			return "", errGone
		case <-p.changed:
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// there is an expression that tells whether something is on the page.
func there(selector string) string {
	if selector == "" {
		return "false"
	}
	return "document.querySelector(" + quoted(selector) + ") !== null"
}

func quoted(s string) string {
	text, _ := jsonv2.Marshal(s)
	return string(text)
}

func (p *seeing) isOver() bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.crashed || p.moved != ""
}

// click clicks something away that is on the page.
func (p *seeing) click(ctx context.Context, selector string) (clicked bool, err error) {
	err = p.ask(ctx, `(() => { const e = document.querySelector(`+quoted(selector)+`);
		if (!e || !e.getClientRects().length) return false; if (globalThis.harvik) harvik.clicked = true; e.click(); return true; })()`, &clicked)
	return clicked, err
}

// ask evaluates an expression in the world of its own.
func (p *seeing) ask(ctx context.Context, expression string, into any) error {
	yes := true
	for try := 0; ; try++ {
		if p.world == 0 {
			world, err := cdp.Call(ctx, p.tab.session, page.CreateIsolatedWorld,
				page.CreateIsolatedWorldParams{FrameID: p.frame, WorldName: isolated})
			if err != nil {
				return err
			}
			p.world = world.ExecutionContextID
		}
		got, err := cdp.Call(ctx, p.tab.session, cdpruntime.Evaluate, cdpruntime.EvaluateParams{
			Expression: expression, ContextID: p.world, ReturnByValue: &yes, Silent: &yes})
		switch {
		case err != nil && try < 3 && ctx.Err() == nil && !errors.Is(err, errGone): // another document has come
			p.world = 0
			continue
		case err != nil:
			return err
		case got.ExceptionDetails != nil:
			return fmt.Errorf("it cannot be read: %s", got.ExceptionDetails.Text)
		}
		return jsonv2.Unmarshal(got.Result.Value, into)
	}
}

// take takes a picture of the first view; without one there is none.
func (p *seeing) take(ctx context.Context) {
	quality := int64(60)
	shot, err := cdp.Call(ctx, p.tab.session, page.CaptureScreenshot, page.CaptureScreenshotParams{
		Format: page.CaptureScreenshotFormatWebp, Quality: &quality,
		Clip: &page.Viewport{Width: float64(p.device.Width), Height: float64(p.device.Height),
			Scale: map[bool]float64{true: 1, false: 0.6}[p.device.Touch] / p.device.Ratio}})
	if err == nil {
		p.out.Picture = shot.Data
	}
}
