package render

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/chromedp/cdproto/input"

	"harvik/internal/core/rendered"
)

// answerWithin is how long the paint that answers a tap is waited for, beyond what the page's scripts take.
const answerWithin = time.Second

// taps taps what the plan names, one after the other, and tells how soon the page answers, until a tap leads away from
// it. All else has been read by then.
func (p *seeing) taps(ctx context.Context) {
	for _, selector := range p.settings.Tap {
		one := rendered.Tap{Selector: selector}
		if err := p.tapOn(ctx, &one); ctx.Err() != nil || errors.Is(err, errGone) {
			return
		}
		p.out.Taps = append(p.out.Taps, one)
		p.mu.Lock()
		left := p.left
		p.mu.Unlock()
		if left {
			return
		}
	}
}

// tapOn taps one element.
func (p *seeing) tapOn(ctx context.Context, t *rendered.Tap) error {
	var at struct {
		Name string  `json:"name"`
		X    float64 `json:"x"`
		Y    float64 `json:"y"`
	}
	if err := p.ask(ctx, `(() => { const e = document.querySelector(`+quoted(t.Selector)+`), none = { name: "", x: 0, y: 0 };
		if (!e || !e.getClientRects().length || !globalThis.harvik) return none;
		e.scrollIntoView({ block: "center", behavior: "instant" });
		const box = e.getBoundingClientRect(), view = window.visualViewport;
		harvik.answers.length = 0;
		harvik.tapped = e;
		return { name: harvik.name(e), x: ((box.left + box.right) / 2 - view.offsetLeft),
			y: ((box.top + box.bottom) / 2 - view.offsetTop) }; })()`, &at); err != nil {
		return err
	}
	if t.Element = rendered.Short(at.Name); at.Name == "" {
		return nil
	}
	if err := pause(ctx, 100*time.Millisecond); err != nil { // the browser finds what is there by what it has painted
		return err
	}
	for _, what := range []input.DispatchMouseEventType{input.DispatchMouseEventTypeMousePressed,
		input.DispatchMouseEventTypeMouseReleased} {
		if err := do(ctx, p.tab.session, input.DispatchMouseEvent, input.DispatchMouseEventParams{Type: what, X: at.X,
			Y: at.Y, Button: input.MouseButtonLeft, ClickCount: 1}); err != nil {
			return err
		}
	}
	for end := time.Now().Add(answerWithin); time.Now().Before(end); {
		if err := pause(ctx, 20*time.Millisecond); err != nil {
			return err
		}
		var answers []float64 // to the press and to the click
		if err := p.ask(ctx, `globalThis.harvik?.answers ?? []`, &answers); err != nil {
			return err
		}
		if len(answers) > 1 {
			t.Took = round(slices.Max(answers), 0)
			return nil
		}
	}
	t.Element = "" // something lies over it, or the page is gone
	return nil
}

// pause waits a little.
func pause(ctx context.Context, d time.Duration) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(d):
		return nil
	}
}
