package wire

import (
	"slices"

	"harvik/internal/api"
	"harvik/internal/core/rendered"
)

// Rendering is what a browser made of a page on one device.
func Rendering(in *rendered.Page) api.Rendering {
	s, f := &in.Speed, &in.Fit
	return api.Rendering{
		Device: in.Device, Outcome: string(in.Outcome), Says: in.Outcome.Says(), Detail: in.Detail, Done: in.Done,
		Took: in.Took, Differs: Each(in.Differs, renderingDifference), Words: in.Words, SourceWords: in.Source,
		ScriptedLinks: in.Links, LostLinks: in.Lost,
		Speed: api.RenderingSpeed{FirstByte: max(0, s.FirstByte), FirstPaint: max(0, s.FirstPaint),
			LargestPaint: max(0, s.LargestAt), Largest: s.Largest, Loaded: max(0, s.Loaded), Shift: s.Shift,
			Shifts: Each(s.Shifts, func(m *rendered.Shift) api.RenderingMeasure {
				return api.RenderingMeasure{Of: m.Element, Value: m.Value}
			}),
			Blocked: s.Blocked, Tasks: Each(s.Tasks, func(m *rendered.Task) api.RenderingMeasure {
				return api.RenderingMeasure{Of: m.By, Value: m.Blocked}
			}),
			Requests: s.Requests, Transferred: s.Transferred, Holding: texts(s.Holding), Throttled: s.Throttled},
		Fit: api.RenderingFit{Width: f.Width, Content: f.Content, Wide: f.Wide, Targets: f.Targets,
			Small:     texts(f.Small),
			SmallMore: f.SmallMore, Letters: f.Text, SmallLetters: f.SmallText},
		Weights: Each(in.Weight, func(w *rendered.Weight) api.RenderingPart {
			return api.RenderingPart{Name: w.Kind, Requests: w.Requests, Bytes: w.Bytes}
		}),
		Hosts: Each(in.Hosts, func(h *rendered.Host) api.RenderingPart {
			return api.RenderingPart{Name: h.Name, Requests: h.Requests, Bytes: h.Bytes, Blocked: h.Blocked}
		}),
		Console: Each(in.Console, func(m *rendered.Message) api.ConsoleMessage {
			return api.ConsoleMessage{Text: m.Text, At: m.At, Mixed: m.Mixed, Thrown: m.Thrown}
		}),
		Missing: Each(in.Missing, func(m *rendered.Missing) api.MissingRequest {
			return api.MissingRequest{Address: m.Address, Status: m.Status, Why: m.Why}
		}),
		Oversized: Each(in.Large, func(i *rendered.Oversized) api.OversizedImage {
			return api.OversizedImage{Address: i.Address, Width: i.Width, Height: i.Height, Shown: i.Shown,
				ShownHeight: i.ShownHeight, Bytes: i.Bytes, Spare: i.Spare}
		}),
		Covers: in.Covers, Screen: in.Screen,
	}
}

func renderingDifference(in *rendered.Difference) api.RenderingDifference {
	label := in.What
	if i := slices.IndexFunc(rendered.Differences, func(k rendered.Kind) bool { return k.Name == in.What }); i >= 0 {
		label = rendered.Differences[i].Say
	}
	return api.RenderingDifference{What: in.What, Label: label, Source: texts(in.Source), Built: texts(in.Built),
		More: in.More}
}

// texts are a list that is never null.
func texts(in []string) []string { return append([]string{}, in...) }
