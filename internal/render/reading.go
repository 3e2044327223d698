package render

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"harvik/internal/core/rendered"
)

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
	Covers string   `json:"covers"`
	Seen   []string `json:"seen"`
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
	p.out.HTML, p.out.Seen = []byte(r.HTML), r.Seen
	p.speed(&r)
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

// speed takes over what the browser has measured.
func (p *seeing) speed(r *reading) {
	s := &p.out.Speed
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
	s.Shifts = most(s.Shifts, func(m *rendered.Shift) (float64, string) { return m.Value, m.Element })
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
	s.Tasks = most(s.Tasks, func(t *rendered.Task) (float64, string) { return t.Blocked, t.By })
}

// most are those of a list that weigh most, in that order; equal ones by their names.
func most[T any](list []T, weighs func(*T) (float64, string)) []T {
	slices.SortFunc(list, func(a, b T) int {
		x, of := weighs(&a)
		y, other := weighs(&b)
		return cmp.Or(cmp.Compare(y, x), strings.Compare(of, other))
	})
	return list[:min(len(list), rendered.MostKept)]
}

// account takes over what the page has asked for.
func (p *seeing) account() {
	v, o := p.visit, &p.out.Page
	v.mu.Lock()
	defer v.mu.Unlock()
	o.Speed.Requests, o.Speed.Transferred, o.Speed.Kept, o.Missing = v.requests, v.total, v.kept, v.missing
	for _, w := range v.weights {
		o.Weight = append(o.Weight, *w)
	}
	o.Weight = most(o.Weight, func(w *rendered.Weight) (float64, string) { return float64(w.Bytes), w.Kind })
	for _, h := range v.hosts {
		o.Hosts = append(o.Hosts, *h)
	}
	o.Hosts = most(o.Hosts, func(h *rendered.Host) (float64, string) { return float64(h.Bytes), h.Name })
}
