package render

import (
	"cmp"
	"context"
	_ "embed"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
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
	rendered.Phone:   {390, 844, 2, true, "Linux; Android 14; Phone"},
	rendered.Desktop: {1350, 940, 1, false, "X11; Linux x86_64"},
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
	HTML    []byte // after scripts
	Picture []byte // of the first view, WebP
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
	changed  chan struct{}
}

// isolated is the name of the world that the page's scripts do not reach.
const isolated = "harvik"

// see renders the page of a visit.
func see(ctx context.Context, t *tab, v *visit, s *Settings, device string) (out Result) {
	out.Device, out.Outcome = device, rendered.Stuck
	d := devices[device]
	p := &seeing{tab: t, visit: v, settings: s, device: d, out: &out, changed: make(chan struct{}, 1)}
	t.listen(p.hear)
	begun := time.Now()
	err := p.prepare(ctx)
	if err == nil {
		err = p.go_(ctx)
	}
	out.Took = int(time.Since(begun).Milliseconds())
	if err == nil && out.Outcome == rendered.Rendered {
		if err = p.read(ctx); err == nil && s.Screen {
			p.take(ctx)
		}
	}
	p.settle(err)
	p.account()
	return out
}

// settle says how it ended.
func (p *seeing) settle(err error) {
	p.mu.Lock()
	defer p.mu.Unlock()
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

// go_ goes to the page and waits until it is done.
func (p *seeing) go_(ctx context.Context) error {
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

// what read.js gives.
type reading struct {
	TooLarge int    `json:"tooLarge"`
	HTML     string `json:"html"`
	Speed    struct {
		FirstByte      float64 `json:"firstByte"`
		Loaded         float64 `json:"loaded"`
		Paint          float64 `json:"paint"`
		Largest        float64 `json:"largest"`
		LargestElement string  `json:"largestElement"`
		Shifts         []struct {
			At       float64  `json:"at"`
			Value    float64  `json:"value"`
			Elements []string `json:"elements"`
		} `json:"shifts"`
		Tasks   []task   `json:"tasks"`
		Holding []string `json:"holding"`
	} `json:"speed"`
	Fit struct {
		Width     int      `json:"width"`
		Content   int      `json:"content"`
		Wide      string   `json:"wide"`
		Targets   int      `json:"targets"`
		Small     []string `json:"small"`
		SmallMore int      `json:"smallMore"`
		Text      int      `json:"text"`
		SmallText int      `json:"smallText"`
	} `json:"fit"`
	Images []struct {
		Address     string `json:"address"`
		Width       int    `json:"width"`
		Height      int    `json:"height"`
		Shown       int    `json:"shown"`
		ShownHeight int    `json:"shownHeight"`
	} `json:"images"`
	Covers string `json:"covers"`
}

// a task of the main thread, as the browser tells it.
type task struct {
	At    float64 `json:"at"`
	Took  float64 `json:"took"`
	By    string  `json:"by"`
	Frame bool    `json:"frame"`
}

// read takes what stands on the page.
func (p *seeing) read(ctx context.Context) error {
	var r reading
	if err := p.ask(ctx, fmt.Sprintf("(%s)(%d, %t)", strings.TrimSpace(read),
		p.settings.MaxBytes, p.device.Touch), &r); err != nil {
		return err
	}
	o := &p.out.Page
	if r.TooLarge > 0 {
		o.Outcome = rendered.TooLarge
		o.Detail = fmt.Sprintf("%d characters", r.TooLarge)
		return nil
	}
	p.out.HTML = []byte(r.HTML)
	s := &o.Speed
	s.FirstByte, s.FirstPaint, s.LargestAt, s.Loaded = r.Speed.FirstByte, r.Speed.Paint, r.Speed.Largest, r.Speed.Loaded
	s.Largest = rendered.Short(r.Speed.LargestElement)
	for _, h := range r.Speed.Holding {
		s.Holding = append(s.Holding, rendered.Short(h))
	}
	times, values := make([]float64, 0, len(r.Speed.Shifts)), make([]float64, 0, len(r.Speed.Shifts))
	moved := map[string]float64{}
	for _, shift := range r.Speed.Shifts {
		times, values = append(times, shift.At), append(values, shift.Value)
		for _, e := range shift.Elements {
			moved[rendered.Short(e)] += shift.Value
		}
	}
	s.Shift = rendered.WorstWindow(times, values)
	for e, v := range moved {
		s.Shifts = append(s.Shifts, rendered.Shift{Element: e, Value: round(v, 4)})
	}
	slices.SortFunc(s.Shifts, func(a, b rendered.Shift) int {
		return cmp.Or(cmp.Compare(b.Value, a.Value), strings.Compare(a.Element, b.Element))
	})
	s.Shifts = s.Shifts[:min(len(s.Shifts), rendered.MostKept)]
	p.tasks(r.Speed.Tasks)
	o.Fit = rendered.Fit{
		Width:     r.Fit.Width,
		Content:   r.Fit.Content,
		Wide:      rendered.Short(r.Fit.Wide),
		Targets:   r.Fit.Targets,
		Small:     r.Fit.Small,
		SmallMore: r.Fit.SmallMore,
		Text:      r.Fit.Text,
		SmallText: r.Fit.SmallText,
	}
	o.Covers = rendered.Short(r.Covers)
	p.visit.mu.Lock()
	defer p.visit.mu.Unlock()
	for _, i := range r.Images {
		one := rendered.Oversized{Address: i.Address, Width: i.Width, Height: i.Height, Shown: i.Shown,
			ShownHeight: i.ShownHeight, Bytes: p.visit.bytes[i.Address]}
		one.Spare = int(float64(one.Bytes) * (1 - float64(i.Shown*i.ShownHeight)/float64(i.Width*i.Height)))
		o.Large = append(o.Large, one)
	}
	return nil
}

func round(v float64, digits int) float64 {
	f := math.Pow10(digits)
	return math.Round(v*f) / f
}

// tasks adds up what long tasks keep the page from.
func (p *seeing) tasks(all []task) {
	s := &p.out.Speed
	by := map[string]float64{}
	for _, t := range all {
		over := t.Took - 50
		if over <= 0 || t.At+t.Took < s.FirstPaint {
			continue
		}
		if t.Frame {
			by[rendered.Short(t.By)] += over
		} else {
			s.Blocked += over
		}
	}
	s.Blocked = round(s.Blocked, 1)
	for who, blocked := range by {
		s.Tasks = append(s.Tasks, rendered.Task{By: who, Blocked: round(blocked, 1)})
	}
	slices.SortFunc(s.Tasks, func(a, b rendered.Task) int {
		return cmp.Or(cmp.Compare(b.Blocked, a.Blocked), strings.Compare(a.By, b.By))
	})
	s.Tasks = s.Tasks[:min(len(s.Tasks), rendered.MostKept)]
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

// account takes over what the page has asked for.
func (p *seeing) account() {
	v, o := p.visit, &p.out.Page
	v.mu.Lock()
	defer v.mu.Unlock()
	o.Speed.Requests, o.Speed.Transferred, o.Missing = v.requests, v.total, v.missing
	for _, w := range v.weights {
		o.Weight = append(o.Weight, *w)
	}
	slices.SortFunc(o.Weight, func(a, b rendered.Weight) int {
		return cmp.Or(cmp.Compare(b.Bytes, a.Bytes), strings.Compare(a.Kind, b.Kind))
	})
	for _, h := range v.hosts {
		o.Hosts = append(o.Hosts, *h)
	}
	slices.SortFunc(o.Hosts, func(a, b rendered.Host) int {
		return cmp.Or(cmp.Compare(b.Bytes, a.Bytes), strings.Compare(a.Name, b.Name))
	})
	o.Hosts = o.Hosts[:min(len(o.Hosts), rendered.MostKept)]
}
