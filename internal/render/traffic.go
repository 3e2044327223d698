package render

import (
	"context"
	"io"
	"log"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"harvik/internal/core/page"
	"harvik/internal/core/rendered"
	"harvik/internal/core/weburl"
	"harvik/internal/fetch"
)

// quiet is for servers that hear a browser's broken connections all day.
var quiet = log.New(io.Discard, "", 0)

// A Carrier passes requests of a browser on.
type Carrier interface {
	Carry(ctx context.Context, u *weburl.URL, r *http.Request) (*http.Response, error)
}

// Traffic says what a page may ask for, and by whom it is answered.
type Traffic struct {
	Carrier Carrier
	Inside  func(address string) bool
	// Allowed tells why an address is not asked for: "" where it is.
	Allowed func(u *weburl.URL) string
	// Turn waits until a host may be asked, and gives what is to be called when it has answered.
	Turn func(ctx context.Context, u *weburl.URL) (done func(*fetch.Answer), err error)
	// Sends lets requests through that send something, to inside addresses.
	Sends    bool
	MaxBytes int // of one body
}

// mostRequests bounds what one page may ask for.
const mostRequests = 3000

// A visit is what one page asks for while it is rendered.
type visit struct {
	ctx     context.Context //nolint:containedctx // of the rendering: the proxy's requests have another
	traffic *Traffic
	address string // of the page

	active atomic.Int32
	asked  atomic.Int32

	mu       sync.Mutex
	last     time.Time // when something last began or ended
	main     *mainAnswer
	weights  map[string]*rendered.Weight
	hosts    map[string]*rendered.Host
	missing  []rendered.Missing
	bytes    map[string]int // by address
	requests int
	total    int
	kept     int // of the total, what a browser may keep for a day
}

// mainAnswer is how the page itself answered.
type mainAnswer struct {
	status int
	to     string // where it leads on
	err    string
}

func newVisit(ctx context.Context, t *Traffic, address string) *visit {
	return &visit{ctx: ctx, traffic: t, address: address, last: time.Now(), weights: map[string]*rendered.Weight{},
		hosts: map[string]*rendered.Host{}, bytes: map[string]int{}}
}

// quietFor is how long nothing has been asked for, 0 while something is.
func (v *visit) quietFor() time.Duration {
	if v.active.Load() > 0 {
		return 0
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	return time.Since(v.last)
}

func (v *visit) touch() {
	v.mu.Lock()
	v.last = time.Now()
	v.mu.Unlock()
}

// answer implements answerer.
func (v *visit) answer(w http.ResponseWriter, r *http.Request, u *weburl.URL) {
	v.active.Add(1)
	v.touch()
	defer func() {
		v.touch()
		v.active.Add(-1)
	}()
	ctx, cancel := context.WithCancel(v.ctx)
	defer cancel()
	defer context.AfterFunc(r.Context(), cancel)()
	if why := v.refuses(u, r); why != "" {
		v.refused(u, why)
		http.Error(w, why, http.StatusForbidden)
		return
	}
	done, err := v.traffic.Turn(ctx, u)
	if err != nil {
		http.Error(w, "the page's time is over", http.StatusGatewayTimeout)
		return
	}
	resp, err := v.traffic.Carrier.Carry(ctx, u, r)
	a := fetch.Told(resp, err)
	if ctx.Err() != nil { // the page wants it no more, which says nothing of the host
		a = fetch.Answer{Outcome: page.Answered}
	}
	if err != nil {
		done(&a)
		v.failed(u, &a)
		panic(http.ErrAbortHandler) // so that the browser sees what it would have seen: no answer
	}
	defer resp.Body.Close()
	for name, values := range resp.Header {
		w.Header()[name] = values
	}
	w.WriteHeader(resp.StatusCode)
	n, err := io.Copy(flushing{w}, io.LimitReader(resp.Body, int64(v.traffic.MaxBytes)))
	done(&a)
	v.answered(u, r, resp, int(n))
	if err != nil {
		panic(http.ErrAbortHandler)
	}
}

// flushing sends on what has come, so that a browser can begin with it.
type flushing struct{ w http.ResponseWriter }

func (f flushing) Write(p []byte) (int, error) {
	n, err := f.w.Write(p)
	if flusher, ok := f.w.(http.Flusher); ok && err == nil {
		flusher.Flush()
	}
	return n, err
}

// refuses says why a request goes nowhere.
func (v *visit) refuses(u *weburl.URL, r *http.Request) string {
	if v.asked.Add(1) > mostRequests {
		return "the page asks for too much"
	}
	switch r.Method {
	case http.MethodGet, http.MethodHead, http.MethodOptions:
	default:
		if !v.traffic.Sends || !v.traffic.Inside(u.Key()) {
			return "it would send something (" + r.Method + "); the plan does not let that through"
		}
	}
	if u.Key() == v.address {
		return ""
	}
	return v.traffic.Allowed(u)
}

func (v *visit) refused(u *weburl.URL, why string) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if !v.traffic.Inside(u.Key()) {
		v.host(u).Blocked = true
		return
	}
	v.miss(u, 0, why)
}

func (v *visit) miss(u *weburl.URL, status int, why string) {
	if len(v.missing) < rendered.MostKept {
		v.missing = append(v.missing, rendered.Missing{Address: u.Key(), Status: status, Why: why})
	}
}

func (v *visit) failed(u *weburl.URL, a *fetch.Answer) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if u.Key() == v.address && v.main == nil {
		v.main = &mainAnswer{err: a.Detail}
		return
	}
	if a.Outcome == page.Forbidden {
		v.host(u).Blocked = true
		if !v.traffic.Inside(u.Key()) {
			return
		}
	}
	v.miss(u, 0, a.Detail)
}

func (v *visit) host(u *weburl.URL) *rendered.Host {
	name := u.Host()
	if v.hosts[name] == nil {
		if len(v.hosts) >= 10*rendered.MostKept {
			return new(rendered.Host) // of which there are enough
		}
		v.hosts[name] = &rendered.Host{Name: name}
	}
	return v.hosts[name]
}

func (v *visit) answered(u *weburl.URL, r *http.Request, resp *http.Response, n int) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if u.Key() == v.address && v.main == nil {
		v.main = &mainAnswer{status: resp.StatusCode, to: resp.Header.Get("Location")}
	} else if resp.StatusCode >= 400 {
		v.miss(u, resp.StatusCode, "")
	}
	v.requests++
	v.total += n
	if u.Key() != v.address && keeps(resp.Header) {
		v.kept += n
	}
	v.bytes[u.Key()] += n
	kind := kindOf(r.Header.Get("Sec-Fetch-Dest"), resp.Header.Get("Content-Type"))
	if v.weights[kind] == nil {
		v.weights[kind] = &rendered.Weight{Kind: kind}
	}
	v.weights[kind].Requests++
	v.weights[kind].Bytes += n
	if !v.traffic.Inside(u.Key()) {
		h := v.host(u)
		h.Requests++
		h.Bytes += n
	}
}

// keeps tells whether a browser may keep an answer for a day without asking (RFC 9111, 4.2.1).
func keeps(h http.Header) bool {
	const day = 24 * time.Hour
	f := page.Facts{Header: []page.Field{{Name: "Cache-Control", Value: h.Get("Cache-Control")}}}
	if seconds, told := f.CacheSeconds(); told {
		return time.Duration(seconds)*time.Second >= day
	}
	until, err := http.ParseTime(h.Get("Expires"))
	if err != nil {
		return false
	}
	from, err := http.ParseTime(h.Get("Date"))
	if err != nil {
		from = time.Now()
	}
	return until.Sub(from) >= day
}

// kindOf is what a resource is, by what it is asked for and what it says to be.
func kindOf(dest, contentType string) string {
	switch dest {
	case "document", "script", "style", "image", "font", "video", "audio":
		return dest
	case "iframe", "frame":
		return "frame"
	}
	mediaType, _, _ := strings.Cut(strings.ToLower(contentType), ";")
	first, second, _ := strings.Cut(strings.TrimSpace(mediaType), "/")
	switch {
	case first == "image" || first == "font" || first == "video" || first == "audio":
		return first
	case strings.Contains(second, "javascript"):
		return "script"
	case second == "css":
		return "style"
	case second == "html":
		return "document"
	case strings.Contains(second, "json"), strings.Contains(second, "xml"):
		return "data"
	}
	return "other"
}
