// Package plan holds how a site is crawled and judged: every setting with its unit, its
// default and its bounds in one place. Its JSON Schema is made from the same declarations.
package plan

import (
	"reflect"
	"slices"

	"go.yaml.in/yaml/v3"

	"harvik/internal/core/version"
)

// A Plan is the settings of a crawl. The zero value of a field means its default. The tag
// "say" describes a setting to its user, "in" names its bounds or choices.
type Plan struct {
	Sources   Sources `json:"sources,omitzero" yaml:"sources" say:"where addresses come from"`
	Scope     Scope   `json:"scope,omitzero" yaml:"scope" say:"what counts as the site, and what of it is wanted"`
	Selection string  `json:"selection" yaml:"selection" say:"which addresses a limited crawl takes: breadth first, or spread evenly over sections and depths" in:"breadth|spread"`

	Pages     int      `json:"pages" yaml:"pages" say:"addresses fetched as pages at most" in:"1..5000000"`
	Depth     int      `json:"depth" yaml:"depth" say:"clicks from the start at most" in:"1..100000"`
	PageBytes int      `json:"pageBytes" yaml:"pageBytes" say:"bytes of a body at most, unpacked; the rest is cut" in:"1024..268435456"`
	Time      Duration `json:"time" yaml:"time" say:"time of the whole crawl at most; 0 is no limit" in:"0s..8760h"`

	Parallel  int      `json:"parallel" yaml:"parallel" say:"requests at once to a host" in:"1..64"`
	Pause     Duration `json:"pause" yaml:"pause" say:"time between the starts of two requests to a host" in:"0s..1h"`
	PerSecond float64  `json:"perSecond,omitempty" yaml:"perSecond" say:"requests a second to a host at most; 0 is no ceiling" in:"0..1000"`
	Steady    bool     `json:"steady,omitempty" yaml:"steady" say:"keep the pace even when the server struggles"`
	Timeout   Duration `json:"timeout" yaml:"timeout" say:"time of one request at most, its body included" in:"100ms..10m"`
	Timeouts  Timeouts `json:"timeouts,omitzero" yaml:"timeouts" say:"time of each phase of a request; 0 leaves it to timeout"`
	Retries   int      `json:"retries" yaml:"retries" say:"tries after the first, on 429, 5xx and broken connections; -1 for none" in:"-1..10"`

	Agent    string            `json:"agent" yaml:"agent" say:"User-Agent header, or the name of a known one"`
	RobotsAs string            `json:"robotsAs" yaml:"robotsAs" say:"product token whose robots.txt rules hold"`
	Language string            `json:"language,omitempty" yaml:"language" say:"Accept-Language header"`
	Headers  map[string]string `json:"headers,omitempty" yaml:"headers" say:"further request headers, sent to the site's own hosts; no secrets: they belong in gates"`

	Robots     string `json:"robots" yaml:"robots" say:"obey robots.txt; obey and report what was shut out; or disregard it, which needs a permission" in:"obey|report|disregard"`
	Permission string `json:"permission,omitempty" yaml:"permission" say:"why robots.txt may be disregarded, and by whom"`

	Gates []Gate `json:"gates,omitempty" yaml:"gates" say:"how the crawl gets past log-ins"`

	Hosts       map[string]string `json:"hosts,omitempty" yaml:"hosts" say:"host name to the address, or address:port, to connect to instead"`
	CA          string            `json:"ca,omitempty" yaml:"ca" say:"further certificate authorities to trust, as PEM"`
	Certificate string            `json:"certificate,omitempty" yaml:"certificate" say:"name of the secret that holds the client certificate and its key, as PEM"`
	IP          string            `json:"ip,omitempty" yaml:"ip" say:"which version of IP to use" in:"any|4|6"`
	Proxy       string            `json:"proxy,omitempty" yaml:"proxy" say:"address of an HTTP proxy"`

	Resources string `json:"resources" yaml:"resources" say:"what pages load is checked too: all of it, what lies inside the site, or none" in:"all|inside|none"`
	Outbound  bool   `json:"outbound,omitempty" yaml:"outbound" say:"check whether outbound links are alive"`
	Probes    *bool  `json:"probes,omitempty" yaml:"probes" say:"ask the site's front doors, a made-up address in each folder, and its certificate"`

	Render Render `json:"render,omitzero" yaml:"render" say:"which pages are made in a real browser, and how"`

	Keep Keep `json:"keep,omitzero" yaml:"keep" say:"what is kept of the pages besides their facts"`

	Limits   map[string]int `json:"limits,omitempty" yaml:"limits" say:"thresholds of checks, by name"`
	Checks   []CheckRule    `json:"checks,omitempty" yaml:"checks" say:"checks that are judged otherwise than the catalogue says, each with the reason"`
	Snippets []Snippet      `json:"snippets,omitempty" yaml:"snippets" say:"what has to stand in the HTML of every page, such as a measuring tag"`
	Fields   []Field        `json:"fields,omitempty" yaml:"fields" say:"facts of one's own, taken from pages"`
	Own      []OwnCheck     `json:"own,omitempty" yaml:"own" say:"checks of one's own, made from questions"`
	Kinds    []KindRule     `json:"kinds,omitempty" yaml:"kinds" say:"pages of a kind that is not told from the page itself; the first that matches holds"`
}

// A CheckRule changes how checks judge, on all pages or on some.
type CheckRule struct {
	Check    string         `json:"check" yaml:"check,omitempty" say:"ID of the check; * stands for anything: data-*"`
	On       string         `json:"on,omitempty" yaml:"on,omitempty" say:"only on pages that match this pattern, as in scope"`
	Off      bool           `json:"off,omitempty" yaml:"off,omitempty" say:"do not judge at all"`
	Severity string         `json:"severity,omitempty" yaml:"severity,omitempty" say:"another severity" in:"error|warning|notice"`
	Factor   float64        `json:"factor,omitempty" yaml:"factor,omitempty" say:"another weight within its severity" in:"0.5..4"`
	Limits   map[string]int `json:"limits,omitempty" yaml:"limits,omitempty" say:"other thresholds, by name"`
	Because  string         `json:"because" yaml:"because,omitempty" say:"why; it is kept with every crawl"`
}

// A Field is a fact of the consultant's own: questions know it as fields.NAME.
type Field struct {
	Name      string `json:"name" yaml:"name,omitempty" say:"its name in questions: letters and digits, the first a small letter"`
	CSS       string `json:"css,omitempty" yaml:"css,omitempty" say:"selector of the elements that it stands in"`
	XPath     string `json:"xpath,omitempty" yaml:"xpath,omitempty" say:"XPath 1.0 expression, instead"`
	JSON      string `json:"json,omitempty" yaml:"json,omitempty" say:"JSON Pointer into the page's structured data, instead: /offers/price"`
	Header    string `json:"header,omitempty" yaml:"header,omitempty" say:"name of a response header, instead"`
	Pattern   string `json:"pattern,omitempty" yaml:"pattern,omitempty" say:"regular expression (RE2) over the source, instead; its first group counts, if it has one"`
	Attribute string `json:"attribute,omitempty" yaml:"attribute,omitempty" say:"attribute of what the selector finds; its text without one"`
	Take      string `json:"take,omitempty" yaml:"take,omitempty" say:"what is taken of it; the text by default" in:"text|number|count"`
	All       bool   `json:"all,omitempty" yaml:"all,omitempty" say:"all matches, as a list; the first one otherwise"`
}

// An OwnCheck is a check made from a question: it counts, ranks and reads like those of the catalogue.
type OwnCheck struct {
	ID       string           `json:"id" yaml:"id,omitempty" say:"its name: own- and small letters, digits and hyphens"`
	Group    string           `json:"group" yaml:"group,omitempty" say:"the group of checks that it counts in"`
	Severity string           `json:"severity,omitempty" yaml:"severity,omitempty" say:"how grave it is; a warning by default" in:"error|warning|notice"`
	Factor   float64          `json:"factor,omitempty" yaml:"factor,omitempty" say:"its weight within the severity, 1 by default" in:"0.5..4"`
	Effort   string           `json:"effort,omitempty" yaml:"effort,omitempty" say:"how much work one repair is; minutes by default" in:"minutes|hours|days"`
	Of       string           `json:"of,omitempty" yaml:"of,omitempty" say:"what the question is about; pages by default" in:"pages|resources|links|redirects|renderings"`
	Question string           `json:"question" yaml:"question,omitempty" say:"in CEL, over the facts of that table; the check fails where it holds"`
	Title    string           `json:"title" yaml:"title,omitempty" say:"what is wrong, as lists say it: small letters, no full stop"`
	Line     string           `json:"line,omitempty" yaml:"line,omitempty" say:"the same as a line of the fix list; {value}, {target} and {link} are filled in. By default the title"`
	What     string           `json:"what,omitempty" yaml:"what,omitempty" say:"what it looks for"`
	Why      string           `json:"why" yaml:"why,omitempty" say:"why it matters"`
	How      string           `json:"how" yaml:"how,omitempty" say:"how to put it right"`
	Cause    string           `json:"cause,omitempty" yaml:"cause,omitempty" say:"what one change mends: the places of a layout, a target, a shared value, or each page for itself. By default the place of pages, and the target of all else" in:"place|target|value|page"`
	Value    string           `json:"value,omitempty" yaml:"value,omitempty" say:"the fact that is shown as what is wrong, and shared where the cause is a value"`
	Fires    []map[string]any `json:"fires" yaml:"fires,omitempty" say:"examples that fail, each some facts with their values: {words: 20}"`
	Passes   []map[string]any `json:"passes" yaml:"passes,omitempty" say:"examples that pass, likewise"`
}

// Rules are the part of a plan that goes into judging alone: with other rules, the same answers are judged otherwise,
// and nothing need be fetched anew.
type Rules struct {
	Limits  map[string]int
	Checks  []CheckRule
	Kinds   []KindRule
	Staging []string
	Own     []OwnCheck
}

// Rules are the plan's own.
func (p Plan) Rules() Rules { return Rules{p.Limits, p.Checks, p.Kinds, p.Scope.Staging, p.Own} }

// Under is the plan with other rules.
func (p Plan) Under(r Rules) Plan {
	p.Limits, p.Checks, p.Kinds, p.Scope.Staging, p.Own = r.Limits, r.Checks, r.Kinds, r.Staging, r.Own
	return p
}

// A KindRule says of which kind pages are.
type KindRule struct {
	Pages string `json:"pages" yaml:"pages,omitempty" say:"address or pattern, as in scope"`
	Kind  string `json:"kind" yaml:"kind,omitempty" say:"the kind of page, such as list or contact"`
}

// A Snippet is a text that every page's HTML has to hold.
type Snippet struct {
	Name     string `json:"name" yaml:"name,omitempty" say:"what it is called in findings"`
	Contains string `json:"contains" yaml:"contains,omitempty" say:"the text, as it stands in the source"`
}

// Known answers what a plan may name.
type Known struct {
	Limit func(name string) bool
	Check func(pattern string) bool
	Kinds []string
	Own   func(*OwnCheck) []Fault // what is wrong with a check of one's own, by its fields
	Field func(*Field) []Fault    // likewise with a field
}

// Sources are where addresses come from; any mix.
type Sources struct {
	Links     *bool    `json:"links,omitempty" yaml:"links" say:"follow links from the home page"`
	Sitemaps  *bool    `json:"sitemaps,omitempty" yaml:"sitemaps" say:"fetch what the sitemaps list: those that robots.txt names, or the one at the usual place"`
	SitemapAt []string `json:"sitemapAt,omitempty" yaml:"sitemapAt" say:"addresses of sitemaps to read instead"`
	Addresses []string `json:"addresses,omitempty" yaml:"addresses" say:"addresses to fetch, absolute or relative to the home page"`
}

// Scope is what counts as the site, and what of it is wanted. A pattern is matched against
// path and query, or against the whole address where it has "://"; "*" stands for anything.
// One that begins with "re:" is a regular expression (RE2) on the whole address.
type Scope struct {
	Pair       *bool          `json:"pair,omitempty" yaml:"pair" say:"the host with and without www is one site"`
	Hosts      []string       `json:"hosts,omitempty" yaml:"hosts" say:"further hosts of the site; *.fernhollow.example for all subdomains"`
	Folders    []string       `json:"folders,omitempty" yaml:"folders" say:"only addresses in these folders"`
	Include    []string       `json:"include,omitempty" yaml:"include" say:"only addresses that match one of these patterns"`
	Exclude    []string       `json:"exclude,omitempty" yaml:"exclude" say:"no addresses that match one of these patterns"`
	Parameters Parameters     `json:"parameters,omitzero" yaml:"parameters" say:"what to make of query parameters"`
	Staging    []string       `json:"staging,omitempty" yaml:"staging" say:"hosts that no page may link to, such as a staging server; *.name for all subdomains"`
	AtMost     map[string]int `json:"atMost,omitempty" yaml:"atMost" say:"addresses fetched at most of those that match a pattern"`
}

// Keep is what is kept of the pages besides their facts.
type Keep struct {
	Source    *bool `json:"source,omitempty" yaml:"source" say:"keep the pages' source: to search in it, and to read facts and fields from it anew"`
	Days      int   `json:"days,omitempty" yaml:"days" say:"days after a crawl's end for which its source is kept; 0 as long as the crawl" in:"0..36500"`
	Megabytes int   `json:"megabytes,omitempty" yaml:"megabytes" say:"megabytes that a crawl's source takes at most, packed; pages beyond go without" in:"1..10000000"`
}

// Render is which pages are made in a real browser, and how.
type Render struct {
	Pages     string   `json:"pages,omitempty" yaml:"pages" say:"none; a sample, or some of each template, beside the source; or all, which are judged as the browser built them, and whose links are followed" in:"none|sample|templates|all"`
	Devices   []string `json:"devices,omitempty" yaml:"devices" say:"phone, desktop or both; of all pages, those of the first are judged"`
	Sample    int      `json:"sample,omitempty" yaml:"sample" say:"pages of a sample" in:"1..100000"`
	Each      int      `json:"each,omitempty" yaml:"each" say:"pages of each template" in:"1..1000"`
	Within    Duration `json:"within,omitempty" yaml:"within" say:"time of one page at most" in:"2s..5m"`
	Wait      string   `json:"wait,omitempty" yaml:"wait" say:"CSS selector of what a page is done with; without one, once network and document are quiet"`
	Click     []string `json:"click,omitempty" yaml:"click" say:"CSS selectors of what is clicked away first, such as a banner that asks for consent"`
	Tap       []string `json:"tap,omitempty" yaml:"tap" say:"CSS selectors of what is tapped once all is read, such as the button of a menu, to see how soon it answers"`
	Times     int      `json:"times,omitempty" yaml:"times" say:"loads of each page, of whose measures the medians count; 3 makes them steadier, and takes as much longer" in:"1..9"`
	Block     []string `json:"block,omitempty" yaml:"block" say:"hosts that nothing is asked of; *.name for all subdomains"`
	Others    *bool    `json:"others,omitempty" yaml:"others" say:"load what pages load from other hosts"`
	Sends     bool     `json:"sends,omitempty" yaml:"sends" say:"let requests through that send something, such as a query by POST, to the site itself"`
	Throttle  string   `json:"throttle,omitempty" yaml:"throttle" say:"measure phones as slow ones are: a quarter of the processor, 1.6 megabits a second, 150 ms away. By default unless all pages are rendered" in:"phones|none"`
	NoScripts bool     `json:"noScripts,omitempty" yaml:"noScripts" say:"do not run scripts, to compare"`
	Screens   *bool    `json:"screens,omitempty" yaml:"screens" say:"keep a picture of each page's first view"`
}

// Devices that pages can be rendered on.
const (
	Phone   = "phone"
	Desktop = "desktop"
)

// Devices are all, in the order in which they are shown.
var Devices = []string{Phone, Desktop}

// Renders tells whether any page is rendered.
func (p *Plan) Renders() bool { return p.Render.Pages != None }

// Parameters say how a query is rewritten before addresses are compared.
type Parameters struct {
	Ignore []string `json:"ignore,omitempty" yaml:"ignore" say:"parameters to take out; * stands for anything"`
	Keep   []string `json:"keep,omitempty" yaml:"keep" say:"take out all but these"`
	Sort   bool     `json:"sort,omitempty" yaml:"sort" say:"put parameters in order of name"`
}

// Timeouts bound the phases of a request.
type Timeouts struct {
	Resolve   Duration `json:"resolve,omitempty" yaml:"resolve" say:"finding the host's address" in:"0s..10m"`
	Connect   Duration `json:"connect,omitempty" yaml:"connect" say:"making the connection" in:"0s..10m"`
	TLS       Duration `json:"tls,omitempty" yaml:"tls" say:"the TLS handshake" in:"0s..10m"`
	FirstByte Duration `json:"firstByte,omitempty" yaml:"firstByte" say:"waiting for the response's header once the request is sent" in:"0s..10m"`
}

// A Gate is how the crawl gets past one log-in. Secrets are named here and kept elsewhere.
type Gate struct {
	Host    string            `json:"host,omitempty" yaml:"host,omitempty" say:"the host it is for; by default the home page's"`
	Kind    string            `json:"kind" yaml:"kind,omitempty" say:"what kind of gate" in:"basic|digest|bearer|header|cookie|form"`
	User    string            `json:"user,omitempty" yaml:"user,omitempty" say:"user name, for basic and digest"`
	Secret  string            `json:"secret,omitempty" yaml:"secret,omitempty" say:"name of the secret: password, token, header value or cookie value"`
	Name    string            `json:"name,omitempty" yaml:"name,omitempty" say:"name of the header or cookie"`
	Address string            `json:"address,omitempty" yaml:"address,omitempty" say:"address of the log-in page, for form"`
	Fields  map[string]string `json:"fields,omitempty" yaml:"fields,omitempty" say:"form fields; a value secret:NAME stands for that secret"`
	Proof   string            `json:"proof,omitempty" yaml:"proof,omitempty" say:"text that stands on pages only while logged in"`
}

// Defaults of a plan's fields.
const (
	DefaultPages     = 1000
	DefaultDepth     = 1000
	DefaultPageBytes = 5 << 20
	DefaultParallel  = 4
	DefaultTimeout   = Duration(20e9)
	DefaultRetries   = 2
	DefaultAgent     = "Harvik/" + version.Number + " (site audit)"
	DefaultRobotsAs  = "harvik"
	DefaultMegabytes = 2000
	DefaultSample    = 50
	DefaultEach      = 3
	DefaultWithin    = Duration(20e9)
)

// Choices of settings that code asks for.
const (
	Breadth, Spread         = "breadth", "spread"
	Obey, Report, Disregard = "obey", "report", "disregard"
	All, Inside, None       = "all", "inside", "none"
	Sample, Templates       = "sample", "templates"
	Phones                  = "phones"
)

// WithDefaults returns a filled copy.
func (p Plan) WithDefaults() Plan {
	yes := true
	for _, field := range []**bool{&p.Sources.Links, &p.Sources.Sitemaps, &p.Scope.Pair, &p.Probes, &p.Keep.Source,
		&p.Render.Others, &p.Render.Screens} {
		fill(field, &yes)
	}
	fill(&p.Selection, Breadth)
	fill(&p.Pages, DefaultPages)
	fill(&p.Depth, DefaultDepth)
	fill(&p.PageBytes, DefaultPageBytes)
	fill(&p.Parallel, DefaultParallel)
	fill(&p.Timeout, DefaultTimeout)
	fill(&p.Retries, DefaultRetries)
	fill(&p.Agent, DefaultAgent)
	if a, ok := agentNamed(p.Agent); ok {
		fill(&p.RobotsAs, a.Token)
	}
	fill(&p.RobotsAs, DefaultRobotsAs)
	fill(&p.Robots, Obey)
	fill(&p.Resources, All)
	fill(&p.Keep.Megabytes, DefaultMegabytes)
	fill(&p.Render.Pages, None)
	fill(&p.Render.Sample, DefaultSample)
	fill(&p.Render.Each, DefaultEach)
	fill(&p.Render.Times, 1)
	fill(&p.Render.Within, DefaultWithin)
	if len(p.Render.Devices) == 0 {
		p.Render.Devices = slices.Clone(Devices)
	}
	if p.Render.Pages == All {
		fill(&p.Render.Throttle, None)
	}
	fill(&p.Render.Throttle, Phones)
	return p
}

func fill[T comparable](field *T, value T) {
	var zero T
	if *field == zero {
		*field = value
	}
}

// Differences is a plan without what is as its default says, in the order of the settings.
func Differences(p Plan) *yaml.Node {
	return node(reflect.ValueOf(p.WithDefaults()), reflect.ValueOf(Plan{}.WithDefaults()))
}

// Shown is a plan as people read it: filled in, without what is empty.
func Shown(p Plan) *yaml.Node { return node(reflect.ValueOf(p.WithDefaults()), reflect.Value{}) }

// node writes the fields of a struct that are not empty and, where there is a standard, differ
// from it.
func node(v, standard reflect.Value) *yaml.Node {
	out := &yaml.Node{Kind: yaml.MappingNode}
	for f, value := range v.Fields() {
		var same reflect.Value
		if standard.IsValid() {
			same = standard.FieldByIndex(f.Index)
		}
		one := new(yaml.Node)
		switch {
		case value.Kind() == reflect.Struct:
			if one = node(value, same); len(one.Content) == 0 {
				continue
			}
		case value.IsZero() && (!same.IsValid() || same.IsZero()), same.IsValid() &&
			reflect.DeepEqual(value.Interface(), same.Interface()):
			continue
		default:
			if one.Encode(value.Interface()) != nil {
				continue // cannot be: these are plain values
			}
		}
		out.Content = append(out.Content, &yaml.Node{Kind: yaml.ScalarNode, Value: keyOf(f)}, one)
	}
	return out
}

// No is a setting that is on by default, switched off.
func No() *bool { return new(bool) }
