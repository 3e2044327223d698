package render_test

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/core/rendered"
	"harvik/internal/fetch"
	"harvik/internal/render"
)

// hostile are pages that do to a browser what they can, and how each may end.
var hostile = map[string]struct {
	page string
	ends string // outcomes, with | between
}{
	"loop":      {"<p>x</p><script>for(;;){}</script>", "stuck"},
	"loop-late": {"<p>x</p><script>setTimeout(()=>{for(;;){}},200)</script>", "stuck"},
	"loop-timers": {
		"<p>x</p><script>setInterval(()=>{const e=Date.now()+400;while(Date.now()<e);},0)</script>",
		"rendered|stuck",
	},
	"heap": {
		"<script>const a=[];for(;;)a.push(new Array(1e5).fill({x:1}).map(o=>({...o})))</script>",
		"crashed|stuck",
	},
	"buffers": {
		"<script>const a=[];setInterval(()=>{try{a.push(new Uint8Array(5e7).fill(1))}catch{}},10)</script>",
		"crashed|stuck|rendered",
	},
	"growth": {
		"<body><script>setInterval(()=>{document.body.append(...Array.from({length:500},()=>document.createElement('p')))},5)</script>",
		"rendered|stuck|too-large|crashed",
	},
	"large": {"<body><script>document.body.append('x'.repeat(3e7))</script>", "too-large|stuck"},
	"deep": {
		"<body><script>let e=document.body;for(let i=0;i<30000;i++){const d=document.createElement('div');e.append(d);e=d}</script>",
		"rendered|stuck|crashed",
	},
	"alerts":  {"<p>x</p><script>for(let i=0;i<50;i++)alert(i)</script>", "rendered|stuck"},
	"prompts": {"<p>x</p><script>setInterval(()=>{confirm('a');prompt('b')},1)</script>", "rendered|stuck"},
	"unload": {
		"<p>x</p><script>onbeforeunload=e=>{e.preventDefault();return 'stay'};onpagehide=()=>{for(;;){}}</script>",
		"rendered|stuck",
	},
	"windows": {"<p>x</p><script>for(let i=0;i<30;i++)open('/calm')</script>", "rendered"},
	"print":   {"<p>x</p><script>print();print()</script>", "rendered"},
	"download": {
		"<p>x</p><a id=a href=/file download>f</a><script>for(let i=0;i<20;i++)a.click()</script>",
		"rendered",
	},
	"away":      {"<p>x</p><script>location='/calm'</script>", "moved"},
	"away-late": {"<p>x</p><script>setTimeout(()=>location.href='/calm',300)</script>", "moved"},
	"refresh":   {"<meta http-equiv=refresh content='0;url=/calm'><p>x</p>", "moved"},
	"reload":    {"<p>x</p><script>setTimeout(()=>location.reload(),50)</script>", "rendered|stuck"},
	"history": {
		"<p>x</p><script>setInterval(()=>{for(let i=0;i<100;i++)history.pushState(0,'','#'+Math.random())},1)</script>",
		"rendered|stuck",
	},
	"submit": {
		"<form id=f method=post action=/calm></form><script>f.submit()</script>",
		"moved|rendered|no-answer",
	},
	"chatter": {
		"<p>x</p><script>setInterval(()=>{for(let i=0;i<2000;i++)console.error('x'.repeat(1000))},1)</script>",
		"rendered|stuck",
	},
	"throws": {
		"<p>x</p><script>setInterval(()=>{for(let i=0;i<50;i++)setTimeout(()=>{throw Error('x')})},1)</script>",
		"rendered|stuck",
	},
	"workers": {
		"<p>x</p><script>for(let i=0;i<30;i++)new Worker(URL.createObjectURL(new Blob(['for(;;){}'])))</script>",
		"rendered|stuck",
	},
	"itself": {"<p>x</p><iframe src=/itself></iframe><iframe src='/itself?2'></iframe>", "rendered|stuck"},
	"frames": {
		"<body><script>setInterval(()=>{const f=document.createElement('iframe');f.src='/calm?'+Math.random();document.body.append(f)},20)</script>",
		"rendered|stuck",
	},
	"never": {"<p>x</p><img src=/hangs><script src=/hangs async></script>", "rendered"},
	"hangs": {"", "stuck|no-answer"},
	"asks": {
		"<p>x</p><script>setInterval(()=>{for(let i=0;i<50;i++)fetch('/calm?'+Math.random())},1)</script>",
		"rendered|stuck",
	},
	"prototypes": {
		"<p>x</p><script>JSON.stringify=()=>{throw 1};Array.prototype.map=()=>{throw 1};window.PerformanceObserver=0;document.querySelector=()=>{throw 1};Object.defineProperty(document.documentElement,'outerHTML',{get(){return 'forged'}})</script>",
		"rendered",
	},
	"canvas": {
		"<canvas id=c width=16000 height=16000></canvas><script>for(let i=0;i<20;i++){const k=document.createElement('canvas');k.width=k.height=8000;k.getContext('2d').fillRect(0,0,8000,8000);document.body.append(k)}</script>",
		"rendered|stuck|crashed",
	},
	"document": {
		"<p>x</p><script>setInterval(()=>{document.open();document.write('<p>again<script>1<\\/script>');document.close()},5)</script>",
		"rendered|stuck",
	},
	"service":  {"<p>x</p><script>navigator.serviceWorker?.register('/worker')</script>", "rendered"},
	"video":    {"<p>x</p><video src=/hangs autoplay></video><audio src=/hangs autoplay></audio>", "rendered"},
	"fonts":    {"<style>@font-face{font-family:f;src:url(/hangs)}p{font-family:f}</style><p>x</p>", "rendered"},
	"not-html": {"\x00\x01\x02\xff\xfe", "rendered"},
}

// TestHostile renders pages that would take the browser with them; it is there afterwards, and nothing is left.
func TestHostile(t *testing.T) {
	if testing.Short() {
		t.Skip("it takes a minute")
	}
	folder := t.TempDir()
	if _, err := render.Program(); err != nil {
		t.Skip(err)
	}
	p := render.NewPool(folder, 4)
	closed := sync.OnceFunc(p.Close)
	defer closed()
	ending := make(chan struct{})
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := strings.Trim(r.URL.Path, "/")
		switch name {
		case "hangs":
			select {
			case <-r.Context().Done():
			case <-ending:
			}
			return
		case "file":
			w.Header().Set("Content-Disposition", "attachment")
		case "worker":
			w.Header().Set("Content-Type", "text/javascript")
			fmt.Fprint(w, "onfetch=e=>{for(;;){}}")
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, "<!doctype html><title>", name, "</title>", hostile[name].page)
	}))
	defer s.Close()
	defer close(ending)
	set := settings()
	set.Within = 5 * time.Second
	var group sync.WaitGroup
	names := make(chan string)
	for range 4 {
		group.Go(func() {
			for name := range names {
				begun := time.Now()
				got, err := p.Render(t.Context(), s.URL+"/"+name, plan.Phone, traffic(t, fetch.Settings{}), set)
				took := time.Since(begun)
				if err != nil {
					t.Errorf("%s: %v", name, err)
					continue
				}
				t.Logf("%-12s %-10s %-9s %5d ms  %s", name, got.Outcome, got.Done, took.Milliseconds(), got.Detail)
				if !strings.Contains("|"+hostile[name].ends+"|", "|"+string(got.Outcome)+"|") {
					t.Errorf("%s ends as %s (%s), want %s", name, got.Outcome, got.Detail, hostile[name].ends)
				}
				if took > 3*set.Within+10*time.Second {
					t.Errorf("%s takes %v", name, took)
				}
				if strings.Contains(string(got.HTML), "forged") && !strings.Contains(string(got.HTML), "defineProperty") {
					t.Errorf("%s tells what it is", name)
				}
			}
		})
	}
	for name := range hostile {
		names <- name
	}
	close(names)
	group.Wait()
	got, err := p.Render(t.Context(), s.URL+"/calm", plan.Desktop, traffic(t, fetch.Settings{}), set)
	if err != nil || got.Outcome != rendered.Rendered {
		t.Errorf("afterwards: %v %+v", err, got.Page)
	}
	closed()
	if left := processes(t, folder); left != "" {
		t.Errorf("processes are left:\n%s", left)
	}
	if entries, err := os.ReadDir(folder); err != nil || len(entries) > 0 {
		t.Errorf("profiles are left: %v (%v)", entries, err)
	}
}

// processes are those that know a folder.
func processes(t *testing.T, folder string) string {
	t.Helper()
	out, _ := exec.Command("pgrep", "-af", "user-data-dir="+folder).Output() // it fails where there is none
	return string(out)
}

// TestGuarded: whatever a page tries, nothing reaches what its traffic may not, by any way that browsers have.
func TestGuarded(t *testing.T) {
	p := pool(t, 1)
	var reached atomic.Int32
	var ways sync.Map
	secret := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		reached.Add(1)
		ways.Store(r.URL.String(), true)
		w.Header().Set("Access-Control-Allow-Origin", "*")
	}))
	defer secret.Close()
	udp, err := net.ListenPacket("udp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer udp.Close()
	go func() {
		buf := make([]byte, 1500)
		for {
			if _, _, err := udp.ReadFrom(buf); err != nil {
				return
			}
			reached.Add(1)
			ways.Store("udp", true)
		}
	}()
	inner := secret.Listener.Addr().String()
	var lets http.Header
	mux := http.NewServeMux()
	mux.HandleFunc("/away", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, "http://"+inner+"/redirect", http.StatusFound)
	})
	mux.HandleFunc("/worker.js", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/javascript")
		fmt.Fprintf(
			w,
			"fetch('http://%[1]s/worker').catch(()=>{});try{importScripts('http://%[1]s/import')}catch{};new WebSocket('ws://%[1]s/ws-worker')",
			inner,
		)
	})
	mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) {
		lets = r.Header
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(
			w,
			`<!doctype html><title>x</title><link rel=dns-prefetch href=//%[1]s><link rel=preconnect href=http://%[1]s>
			<link rel=prefetch href=http://%[1]s/prefetch><link rel=prerender href=http://%[1]s/prerender>
			<link rel=modulepreload href=http://%[1]s/module><link rel=stylesheet href=http://%[1]s/style>
			<link rel=icon href=http://%[1]s/icon><img src=http://%[1]s/img><img src=/away><iframe src=http://%[1]s/frame></iframe>
			<iframe srcdoc="<img src=http://%[1]s/srcdoc>"></iframe><object data=http://%[1]s/object></object><embed src=http://%[1]s/embed>
			<video src=http://%[1]s/video></video><video poster=http://%[1]s/poster></video><a ping=http://%[1]s/ping href=#x id=a>x</a>
			<script type=speculationrules>{"prefetch":[{"source":"list","urls":["http://%[1]s/speculation"]}]}</script>
			<style>body{background:url(http://%[1]s/css)}@import url(http://%[1]s/import-css);@font-face{font-family:f;src:url(http://%[1]s/font)}*{font-family:f}</style>
			<form id=f action=http://%[1]s/form target=i></form><iframe name=i></iframe><svg><image href=http://%[1]s/svg /></svg>
			<script src=http://%[1]s/script></script><script>
			const at='http://%[1]s';a.click();f.submit();fetch(at+'/fetch',{mode:'no-cors'}).catch(()=>{});navigator.sendBeacon(at+'/beacon','x');
			const x=new XMLHttpRequest();x.open('GET',at+'/xhr');x.send();new WebSocket('ws://%[1]s/ws');new EventSource(at+'/events');
			new Worker('/worker.js');new SharedWorker('/worker.js');new Image().src=at+'/image';open(at+'/open');
			try{new WebTransport('https://%[1]s/transport')}catch{};
			try{const r=new RTCPeerConnection({iceServers:[{urls:'stun:%[2]s'}]});r.createDataChannel('x');r.createOffer().then(o=>r.setLocalDescription(o))}catch{};
			const g=document.createElement('iframe');document.body.append(g);
			try{const r=new g.contentWindow.RTCPeerConnection({iceServers:[{urls:'stun:%[2]s'}]});r.createDataChannel('x');r.createOffer().then(o=>r.setLocalDescription(o))}catch{};
			new Notification?.('x',{icon:at+'/notify'});navigator.serviceWorker?.register('/worker.js');import(at+'/dynamic').catch(()=>{});
			new Audio(at+'/audio').play().catch(()=>{});document.body.insertAdjacentHTML('beforeend','<portal src='+at+'/portal>');
			fetch('http://localhost:'+at.split(':')[2]+'/localhost').catch(()=>{});fetch('http://[::1]:1/').catch(()=>{});
			</script>`,
			inner,
			udp.LocalAddr(),
		)
	})
	outer := httptest.NewServer(mux)
	defer outer.Close()
	// The site lies where it is allowed; everything else on loopback is not.
	own := strings.TrimPrefix(outer.URL, "http://")
	tr := traffic(t, fetch.Settings{Hosts: map[string]string{"fernhollow.example": own},
		Headers: map[string]string{
			"X-Own": "word",
		}, Inside: func(a string) bool { return strings.HasPrefix(a, "http://fernhollow.example/") }})
	tr.Inside = func(a string) bool { return strings.HasPrefix(a, "http://fernhollow.example/") }
	set := settings()
	set.Within = 6 * time.Second
	got, err := p.Render(t.Context(), "http://fernhollow.example/", plan.Desktop, tr, set)
	if err != nil || got.Outcome != rendered.Rendered {
		t.Fatalf("%v %+v", err, got.Page)
	}
	time.Sleep(300 * time.Millisecond)
	if n := reached.Load(); n > 0 {
		ways.Range(func(way, _ any) bool { t.Errorf("reached by %v", way); return true })
	}
	if lets.Get("X-Own") != "word" || !strings.Contains(lets.Get("User-Agent"), "Harvik") {
		t.Errorf("the site was asked with %v", lets)
	}
	if len(got.Hosts) == 0 {
		t.Error("it is not told what was asked of others")
	}
}

// TestEnds: a context that ends ends the rendering.
func TestEnds(t *testing.T) {
	p, at := pool(t, 1), site(t, map[string]string{"/": "<p>x<script>for(;;){}</script>"})
	ctx, cancel := context.WithTimeout(t.Context(), 3*time.Second)
	defer cancel()
	begun := time.Now()
	set := settings()
	set.Within = time.Minute
	if _, err := p.Render(ctx, at+"/", plan.Phone, traffic(t, fetch.Settings{}), set); err == nil ||
		time.Since(begun) > 10*time.Second {
		t.Errorf("after %v: %v", time.Since(begun), err)
	}
}
