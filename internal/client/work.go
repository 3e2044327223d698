package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"

	"harvik/internal/core/drift"
	"harvik/internal/core/fixlist"
	"harvik/internal/core/gate"
	"harvik/internal/record"
)

// Move does with fixes of a site's newest crawl what is wished.
func (c *Client) Move(ctx context.Context, site string, wish record.Wish) (m record.Moves, err error) {
	err = c.call(ctx, http.MethodPost, sitePath(site)+"/fixes", wish, &m)
	return m, err
}

// Undo takes back what was done at once.
func (c *Client) Undo(ctx context.Context, site string, batch int64, by string) (m record.Moves, err error) {
	err = c.call(ctx, http.MethodPost, sitePath(site)+"/undo", map[string]any{"batch": batch, "by": by}, &m)
	return m, err
}

// Tasks are the fixes of a site that anyone has touched; state "" is any.
func (c *Client) Tasks(ctx context.Context, site, state string) ([]record.Task, error) {
	out, err := get[struct{ Tasks []record.Task }](ctx, c, sitePath(site)+"/fixes?"+query("state", state).Encode())
	return out.Tasks, err
}

// Task is the work at one fix with its history, the newest first.
func (c *Client) Task(ctx context.Context, site, fix string) (record.Task, []record.TaskEvent, error) {
	out, err := get[struct {
		Task    record.Task
		History []record.TaskEvent
	}](ctx, c, sitePath(site)+"/fixes/"+url.PathEscape(fix))
	return out.Task, out.History, err
}

// Waivers are those of a site, the newest first.
func (c *Client) Waivers(ctx context.Context, site string) ([]record.Waiver, error) {
	out, err := get[struct{ Waivers []record.Waiver }](ctx, c, sitePath(site)+"/waivers")
	return out.Waivers, err
}

// Waive leaves something as it is.
func (c *Client) Waive(ctx context.Context, site string, w record.Waiver) (out record.Waiver, err error) {
	in := map[string]any{"scope": w.Scope, "check": w.Check, "on": w.On, "reason": w.Reason, "by": w.By}
	if w.Until != nil {
		in["until"] = w.Until.String()
	}
	err = c.call(ctx, http.MethodPost, sitePath(site)+"/waivers", in, &out)
	return out, err
}

// EndWaiver lets what a waiver covered count again.
func (c *Client) EndWaiver(ctx context.Context, site string, id int64, by string) (out record.Waiver, err error) {
	err = c.call(ctx, http.MethodDelete, fmt.Sprintf("%s/waivers/%d?%s", sitePath(site), id, query("by", by).Encode()), nil, &out)
	return out, err
}

// Recheck looks again at what some fixes concern; it returns at once.
func (c *Client) Recheck(ctx context.Context, site string, fixes []string, by string) (r record.Recheck, err error) {
	err = c.call(ctx, http.MethodPost, sitePath(site)+"/rechecks", map[string]any{"fixes": fixes, "by": by}, &r)
	return r, err
}

// RecheckOf is a recheck as it stands.
func (c *Client) RecheckOf(ctx context.Context, site string, crawl, number int) (record.Recheck, error) {
	return get[record.Recheck](ctx, c, fmt.Sprintf("%s/rechecks/%d", crawlPath(site, crawl), number))
}

// Drift is what changed between two crawls.
type Drift struct {
	Before int          `json:"before"`
	After  int          `json:"after"`
	Drift  drift.Report `json:"drift"`
}

// Drift sets a crawl and an earlier one side by side; 0 is the newest, and the one before it.
func (c *Client) Drift(ctx context.Context, site string, number, from int) (Drift, error) {
	return get[Drift](ctx, c, crawlPath(site, number)+"/drift?"+fromQuery(from))
}

func fromQuery(from int) string {
	if from == 0 {
		return ""
	}
	return "from=" + strconv.Itoa(from)
}

// Trend is how a site went, the oldest crawl first.
func (c *Client) Trend(ctx context.Context, site string, limit int) ([]record.TrendPoint, error) {
	out, err := get[struct{ Points []record.TrendPoint }](ctx, c, fmt.Sprintf("%s/trend?limit=%d", sitePath(site), limit))
	return out.Points, err
}

// Gate holds a crawl against conditions; new findings are told by the crawl from, or the one before.
func (c *Client) Gate(ctx context.Context, site string, number, from int, in gate.Conditions) (v gate.Verdict, err error) {
	err = c.call(ctx, http.MethodPost, crawlPath(site, number)+"/gate?"+fromQuery(from), in, &v)
	return v, err
}

// ImportFigures takes figures by address, as CSV, as of a day ("" for today).
func (c *Client) ImportFigures(ctx context.Context, site, taken string, csv io.Reader) (out record.Import, err error) {
	data, err := io.ReadAll(csv)
	if err != nil {
		return out, err
	}
	err = c.call(ctx, http.MethodPost, sitePath(site)+"/figures?"+query("taken", taken).Encode(), data, &out)
	return out, err
}

// Figures are a site's own figures, and the one that weighs its pages.
func (c *Client) Figures(ctx context.Context, site string) (sets []record.FigureSet, importance string, err error) {
	out, err := get[struct {
		Figures    []record.FigureSet
		Importance string
	}](ctx, c, sitePath(site)+"/figures")
	return out.Figures, out.Importance, err
}

// RemoveFigure forgets a figure.
func (c *Client) RemoveFigure(ctx context.Context, site, name string) error {
	return c.call(ctx, http.MethodDelete, sitePath(site)+"/figures/"+url.PathEscape(name), nil, nil)
}

// SetImportance chooses the figure that weighs a site's pages; "" for none.
func (c *Client) SetImportance(ctx context.Context, site, name string) error {
	return c.call(ctx, http.MethodPut, sitePath(site)+"/importance", map[string]string{"figure": name}, nil)
}

// Export writes a crawl's results in a form into w, as the service streams them.
func (c *Client) Export(ctx context.Context, site string, number int, q url.Values, w io.Writer) error {
	resp, err := c.send(ctx, http.MethodGet, crawlPath(site, number)+"/export?"+q.Encode(), nil)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	_, err = io.Copy(w, resp.Body)
	return err
}

// Map counts failing checks by section and group.
type Map struct {
	fixlist.Map
	Groups []string `json:"groups"`
}

// Map is where a crawl's sore spots are.
func (c *Client) Map(ctx context.Context, site string, number int) (Map, error) {
	return get[Map](ctx, c, crawlPath(site, number)+"/map")
}
