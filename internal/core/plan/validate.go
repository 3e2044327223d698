package plan

import (
	"crypto/sha256"
	"crypto/x509"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/netip"
	"path"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"harvik/internal/core/weburl"
)

var (
	tokenShape  = regexp.MustCompile(`^[A-Za-z_-]+$|^\*$`)
	headerShape = regexp.MustCompile("^[!#$%&'*+.^_`|~0-9A-Za-z-]+$") // RFC 9110, 5.6.2
	nameShape   = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,63}$`)
)

// headersOfItsOwn are set by the client, or by settings of their own.
var headersOfItsOwn = map[string]string{
	"user-agent": "agent", "accept-language": "language", "authorization": "gates", "cookie": "gates",
	"host": "hosts", "content-length": "", "connection": "", "transfer-encoding": "", "accept-encoding": "", "proxy-authorization": "",
}

// IsName tells whether a text can name a secret or a view.
func IsName(name string) bool { return nameShape.MatchString(name) }

type validator struct{ faults Faults }

func (v *validator) fault(field, format string, args ...any) {
	if len(v.faults) > maxFaults {
		return // enough is wrong
	}
	v.faults = append(v.faults, Fault{Field: field, Reason: fmt.Sprintf(format, args...)})
}

// Validate checks bounds, names and contradictions.
func (p Plan) Validate(known Known) error {
	var v validator
	if v.lists(reflect.ValueOf(p), ""); len(v.faults) > 0 {
		return sorted(v.faults) // what is too long is not looked through
	}
	v.bounds(reflect.ValueOf(p), "")
	v.identity(&p)
	v.sources(&p)
	v.scope(&p.Scope)
	v.network(&p)
	for i := range p.Gates {
		v.gate(&p.Gates[i], fmt.Sprintf("gates[%d]", i))
	}
	switch {
	case p.Robots == Disregard && len(strings.TrimSpace(p.Permission)) < 10:
		v.fault(
			"permission",
			`robots: disregard needs a permission: say why, and by whom, such as "relaunch audit, asked for by the head of web"`,
		)
	case p.Robots != Disregard && p.Permission != "":
		v.fault(
			"permission",
			"robots.txt is obeyed, so there is nothing to permit; set robots: disregard, or leave this out",
		)
	}
	v.render(&p.Render)
	v.limits(p.Limits, "limits.", known)
	v.fields(p.Fields, known)
	v.own(p.Own, known)
	for i := range p.Checks {
		v.checkRule(&p.Checks[i], fmt.Sprintf("checks[%d]", i), known, p.Own)
	}
	for i, x := range p.Snippets {
		if strings.TrimSpace(x.Name) == "" || len(strings.TrimSpace(x.Contains)) < 3 {
			v.fault(
				fmt.Sprintf("snippets[%d]", i),
				"a snippet has a name, and a text of at least three letters that pages are to contain",
			)
		}
	}
	for i := range p.Kinds {
		k, field := &p.Kinds[i], fmt.Sprintf("kinds[%d]", i)
		v.pattern(field+".pages", k.Pages)
		if !slices.Contains(known.Kinds, k.Kind) {
			v.fault(field+".kind", "there is no kind %q of pages; there are %s", k.Kind, strings.Join(known.Kinds, ", "))
		}
	}
	if len(v.faults) == 0 {
		return nil
	}
	return sorted(v.faults)
}

// Longest lists and texts of a plan.
const (
	maxAddresses = 200_000 // of sources.addresses
	maxList      = 1000    // of any other list
	maxSetting   = 10_000  // bytes of a text
	maxPEM       = 200_000 // bytes of ca
	maxOwn       = 100     // checks of one's own, or fields
)

// lists holds lists and texts to their lengths.
func (v *validator) lists(s reflect.Value, path string) {
	for f, value := range s.Fields() {
		field := join(path, keyOf(f))
		most := maxList
		if field == "sources.addresses" {
			most = maxAddresses
		}
		switch value.Kind() {
		case reflect.Struct:
			v.lists(value, field)
		case reflect.String:
			v.length(field, value.String())
		case reflect.Slice, reflect.Map:
			if value.Len() > most {
				v.fault(field, "has %d entries; at most %d are taken", value.Len(), most)
				continue
			}
			v.entries(value, field)
		}
	}
}

func (v *validator) entries(list reflect.Value, field string) {
	each := func(name string, e reflect.Value) {
		if e.Kind() == reflect.Interface {
			e = e.Elem()
		}
		switch e.Kind() {
		case reflect.Slice, reflect.Map:
			if e.Len() > maxList {
				v.fault(name, "has %d entries; at most %d are taken", e.Len(), maxList)
			} else {
				v.entries(e, name)
			}
		case reflect.String:
			v.length(name, e.String())
		case reflect.Struct:
			v.lists(e, name)
		}
	}
	if list.Kind() == reflect.Map {
		for key, value := range list.Seq2() {
			v.length(field, key.String())
			each(field+"."+key.String(), value)
		}
		return
	}
	for i := range list.Len() {
		each(fmt.Sprintf("%s[%d]", field, i), list.Index(i))
	}
}

func (v *validator) length(field, text string) {
	most := maxSetting
	if field == "ca" {
		most = maxPEM
	}
	if len(field) > 100 {
		field = field[:100] + "…"
	}
	switch {
	case len(text) > most:
		v.fault(field, "has %d bytes; at most %d are taken", len(text), most)
	case strings.IndexByte(text, 0) >= 0:
		v.fault(field, "holds a NUL character")
	case !utf8.ValidString(text):
		v.fault(field, "is no UTF-8")
	}
}

func (v *validator) limits(limits map[string]int, prefix string, known Known) {
	for name, n := range limits {
		if !known.Limit(name) {
			v.fault(prefix+name, "there is no threshold of this name; `harvik check list` shows them")
		} else if n < 0 {
			v.fault(prefix+name, "%d is negative", n)
		}
	}
}

func (v *validator) fields(list []Field, known Known) {
	if len(list) > maxOwn {
		v.fault("fields", "has %d entries; at most %d are taken", len(list), maxOwn)
		return
	}
	for i := range list {
		at := fmt.Sprintf("fields[%d]", i)
		for _, f := range known.Field(&list[i]) {
			f.Field = strings.TrimSuffix(at+"."+f.Field, ".")
			v.faults = append(v.faults, f)
		}
		if slices.ContainsFunc(list[:i], func(f Field) bool { return f.Name == list[i].Name }) {
			v.fault(at+".name", "two fields are called %s", list[i].Name)
		}
	}
}

// own holds checks of one's own to be what whoever knows of questions says.
func (v *validator) own(checks []OwnCheck, known Known) {
	if len(checks) > maxOwn {
		v.fault("own", "has %d checks; at most %d are taken", len(checks), maxOwn)
		return
	}
	for i := range checks {
		field := fmt.Sprintf("own[%d]", i)
		for _, f := range known.Own(&checks[i]) {
			f.Field = join(field, f.Field)
			v.faults = append(v.faults, f)
		}
		if slices.ContainsFunc(checks[:i], func(c OwnCheck) bool { return c.ID == checks[i].ID }) {
			v.fault(field+".id", "two checks are called %s", checks[i].ID)
		}
	}
}

func (v *validator) checkRule(c *CheckRule, field string, known Known, own []OwnCheck) {
	named := slices.ContainsFunc(own, func(o OwnCheck) bool {
		ok, err := path.Match(c.Check, o.ID)
		return ok && err == nil
	})
	if !named && !known.Check(c.Check) {
		v.fault(field+".check", "no check is called %q; `harvik check list` shows them", c.Check)
	}
	if c.On != "" {
		v.pattern(field+".on", c.On)
	}
	if len(strings.TrimSpace(c.Because)) < 5 {
		v.fault(field+".because", "a check that is judged otherwise needs its reason")
	}
	v.limits(c.Limits, field+".limits.", known)
	if !c.Off && c.Severity == "" && c.Factor == 0 && len(c.Limits) == 0 {
		v.fault(field, "it changes nothing: say off, severity, factor or limits")
	}
	if c.Off && (c.Severity != "" || c.Factor != 0 || len(c.Limits) > 0) {
		v.fault(field, "a check that is off has no severity, factor or limits")
	}
}

// bounds holds values against their "in" tags. A zero is the default, and passes.
func (v *validator) bounds(s reflect.Value, path string) {
	for f, value := range s.Fields() {
		field, in := join(path, keyOf(f)), f.Tag.Get("in")
		if value.Kind() == reflect.Struct {
			v.bounds(value, field)
			continue
		}
		if value.Kind() == reflect.Slice && value.Type().Elem().Kind() == reflect.Struct {
			for i := range value.Len() {
				v.bounds(value.Index(i), fmt.Sprintf("%s[%d]", field, i))
			}
			continue
		}
		if in == "" || value.IsZero() {
			continue
		}
		low, high, ranged := strings.Cut(in, "..")
		switch x := value.Interface().(type) {
		case Duration:
			least, _ := time.ParseDuration(low)
			most, _ := time.ParseDuration(high)
			if d := time.Duration(x); d < least || d > most {
				v.fault(field, "%s is outside %s to %s", x, low, high)
			}
		case string:
			if choices := strings.Split(in, "|"); !ranged && !slices.Contains(choices, x) {
				v.fault(field, "%q is none of %s%s", x, strings.Join(choices, ", "), Meant(x, choices))
			}
		default:
			least, _ := strconv.ParseFloat(low, 64)
			most, _ := strconv.ParseFloat(high, 64)
			if n := number(value); n < least || n > most || n != n {
				v.fault(field, "%v is outside %s to %s", value.Interface(), low, high)
			}
		}
	}
}

// render looks at what the bounds do not say.
func (v *validator) render(r *Render) {
	for i, d := range r.Devices {
		if field := fmt.Sprintf("render.devices[%d]", i); !slices.Contains(Devices, d) {
			v.fault(field, "%q is none of %s%s", d, strings.Join(Devices, ", "), Meant(d, Devices))
		} else if slices.Contains(r.Devices[:i], d) {
			v.fault(field, "%s is there already", d)
		}
	}
	for field, selectors := range map[string][]string{"render.wait": {r.Wait}, "render.click": r.Click, "render.tap": r.Tap} {
		for _, s := range selectors {
			if len(s) > maxSelector {
				v.fault(field, "a selector has at most %d characters", maxSelector)
			}
		}
	}
}

// maxSelector bounds the selectors of what is waited for and clicked.
const maxSelector = 500

func number(v reflect.Value) float64 {
	if v.CanInt() {
		return float64(v.Int())
	}
	return v.Float()
}

const splits = "\r\n\x00"

func (v *validator) identity(p *Plan) {
	for field, value := range map[string]string{"agent": p.Agent, "language": p.Language} {
		if strings.ContainsAny(value, splits) {
			v.fault(field, "a header value cannot hold a line end")
		}
	}
	if p.RobotsAs != "" && !tokenShape.MatchString(p.RobotsAs) {
		v.fault("robotsAs", "%q is no product token: letters, hyphens and underscores (RFC 9309, 2.2.1)", p.RobotsAs)
	}
	for name, value := range p.Headers {
		field := "headers." + name
		own, reserved := headersOfItsOwn[strings.ToLower(name)]
		switch {
		case !headerShape.MatchString(name):
			v.fault(field, "not a header name")
		case strings.ContainsAny(value, splits):
			v.fault(field, "a header value cannot hold a line end")
		case reserved && own != "":
			v.fault(field, "this header is set by %s", own)
		case reserved:
			v.fault(field, "this header is set by the crawl itself")
		}
	}
}

func (v *validator) sources(p *Plan) {
	off := func(b *bool) bool { return b != nil && !*b }
	s := &p.Sources
	if off(s.Links) && off(s.Sitemaps) && len(s.SitemapAt) == 0 && len(s.Addresses) == 0 {
		v.fault("sources", "nothing is left to crawl: links and sitemaps are off, and no addresses are given")
	}
	if off(s.Sitemaps) && len(s.SitemapAt) > 0 {
		v.fault("sources.sitemapAt", "sitemaps are named here and switched off in sources.sitemaps")
	}
	base, _ := weburl.Parse("http://home.invalid/")
	for field, list := range map[string][]string{"sources.sitemapAt": s.SitemapAt, "sources.addresses": s.Addresses} {
		for i, one := range list {
			if u, err := base.Parse(one); err != nil || !u.IsHTTP() {
				v.fault(fmt.Sprintf("%s[%d]", field, i), "%q is no web address", one)
			}
		}
	}
}

func (v *validator) scope(s *Scope) {
	for i, h := range s.Hosts {
		if !isHost(strings.TrimPrefix(h, "*.")) {
			v.fault(
				fmt.Sprintf("scope.hosts[%d]", i),
				"%q is no host name; write it without scheme and port, *.name for its subdomains",
				h,
			)
		}
	}
	for i, h := range s.Staging {
		if !isHost(strings.TrimPrefix(h, "*.")) {
			v.fault(
				fmt.Sprintf("scope.staging[%d]", i),
				"%q is no host name; write it without scheme and port, *.name for its subdomains",
				h,
			)
		}
	}
	for i, f := range s.Folders {
		if !strings.HasPrefix(f, "/") {
			v.fault(fmt.Sprintf("scope.folders[%d]", i), "%q is no folder; it begins with a slash, such as /plants/", f)
		}
	}
	for field, list := range map[string][]string{"scope.include": s.Include, "scope.exclude": s.Exclude} {
		for i, pattern := range list {
			v.pattern(fmt.Sprintf("%s[%d]", field, i), pattern)
		}
	}
	for pattern, n := range s.AtMost {
		v.pattern("scope.atMost."+pattern, pattern)
		if n < 1 {
			v.fault("scope.atMost."+pattern, "%d is less than 1; to leave addresses out, use scope.exclude", n)
		}
	}
	if len(s.Parameters.Ignore) > 0 && len(s.Parameters.Keep) > 0 {
		v.fault(
			"scope.parameters.keep",
			"all parameters but these are taken out, so scope.parameters.ignore has no meaning beside it",
		)
	}
}

func (v *validator) pattern(field, pattern string) {
	if err := CheckPattern(pattern); err != nil {
		v.fault(field, "%s", err)
	}
}

// maxPattern is the longest pattern, in bytes: matching takes time in proportion to it.
const maxPattern = 2000

// CheckPattern tells what is wrong with a pattern for addresses: a regular expression (RE2) behind "re:",
// or a text in which * stands for anything.
func CheckPattern(pattern string) error {
	if len(pattern) > maxPattern {
		return fmt.Errorf(
			"a pattern has at most %d characters, and this one has %d; part it in several",
			maxPattern,
			len(pattern),
		)
	}
	if !utf8.ValidString(pattern) {
		return errors.New("a pattern is UTF-8, and this one is not")
	}
	if expression, ok := strings.CutPrefix(pattern, "re:"); ok {
		if _, err := regexp.Compile(expression); err != nil {
			return fmt.Errorf(
				"not a regular expression (RE2): %s",
				strings.TrimPrefix(err.Error(), "error parsing regexp: "),
			)
		}
		return nil
	}
	if !strings.HasPrefix(pattern, "/") && !strings.HasPrefix(pattern, "*") && !strings.Contains(pattern, "://") {
		return fmt.Errorf(
			"%q would match nothing: a pattern begins with a slash, a star, a scheme, or re: for a regular expression",
			pattern,
		)
	}
	return nil
}

// CheckPatterns tells which pattern of the scope cannot be read, if any.
func (p Plan) CheckPatterns() error {
	for field, list := range map[string][]string{
		"scope.include": p.Scope.Include, "scope.exclude": p.Scope.Exclude, "scope.atMost": slices.Collect(maps.Keys(p.Scope.AtMost)),
	} {
		for _, pattern := range list {
			if err := CheckPattern(pattern); err != nil {
				return fmt.Errorf("%s: %w", field, err)
			}
		}
	}
	return nil
}

func isHost(h string) bool {
	u, err := weburl.Parse("http://" + h + "/")
	return err == nil && u.Hostname() == strings.ToLower(h) && u.Host() == u.Hostname()
}

// portOf is what stands behind the last colon of "address:port", where an address of IPv6 stands in brackets.
func portOf(s string) (port string, ok bool) {
	i := strings.LastIndexByte(s, ':')
	if i < 1 {
		return "", false
	}
	inner := strings.TrimSuffix(strings.TrimPrefix(s[:i], "["), "]")
	return s[i+1:], !strings.Contains(inner, ":") || len(inner)+2 == i
}

func (v *validator) network(p *Plan) {
	for host, to := range p.Hosts {
		if !isHost(host) {
			v.fault("hosts."+host, "not a host name; write it without scheme and port")
		}
		if _, err := netip.ParseAddr(to); err == nil {
			continue
		}
		if port, ok := portOf(to); !ok {
			v.fault("hosts."+host, "%q is neither an IP address nor address:port", to)
		} else if n, err := strconv.Atoi(port); err != nil || n < 1 || n > 65535 {
			v.fault("hosts."+host, "%q is no port", port)
		}
	}
	if p.CA != "" && !x509.NewCertPool().AppendCertsFromPEM([]byte(p.CA)) {
		v.fault("ca", "no certificate in PEM is in it")
	}
	if p.Certificate != "" && !IsName(p.Certificate) {
		v.fault("certificate", "%q is no name of a secret: small letters, digits and hyphens", p.Certificate)
	}
	if p.Proxy != "" {
		u, err := weburl.Parse(p.Proxy)
		switch {
		case err != nil || !u.IsHTTP():
			v.fault("proxy", "%q is no address of an HTTP proxy, such as http://10.0.0.1:3128", p.Proxy)
		case strings.Contains(p.Proxy, "@"):
			v.fault("proxy", "a plan holds no secrets; a proxy with a password is not supported")
		}
	}
}

// wants says which settings a kind of gate needs.
var wants = map[string][]string{
	"basic": {"user", "secret"}, "digest": {"user", "secret"}, "bearer": {"secret"}, "header": {"name", "secret"},
	"cookie": {"name", "secret"}, "form": {"address", "fields", "proof"},
}

func (v *validator) gate(g *Gate, path string) {
	if g.Kind == "" {
		v.fault(path+".kind", "say what kind of gate it is: basic, digest, bearer, header, cookie or form")
		return
	}
	has := map[string]bool{
		"user": g.User != "", "secret": g.Secret != "", "name": g.Name != "", "address": g.Address != "",
		"fields": len(g.Fields) > 0, "proof": g.Proof != "",
	}
	needed := map[string]bool{}
	for _, field := range wants[g.Kind] {
		needed[field] = true
		if !has[field] {
			v.fault(path+"."+field, "a gate of kind %s needs it", g.Kind)
		}
	}
	for field, there := range has {
		if there && !needed[field] && wants[g.Kind] != nil {
			v.fault(path+"."+field, "a gate of kind %s has no use for it", g.Kind)
		}
	}
	if g.Host != "" && !isHost(g.Host) {
		v.fault(path+".host", "%q is no host name; write it without scheme and port", g.Host)
	}
	if g.Secret != "" && !IsName(g.Secret) {
		v.fault(
			path+".secret",
			"not the name of a secret: small letters, digits and hyphens. The secret itself goes in with `harvik secret set`",
		)
	}
	if g.Name != "" && !headerShape.MatchString(g.Name) {
		v.fault(path+".name", "%q is no name of a header or cookie", g.Name)
	}
	if strings.ContainsAny(g.User, splits+":") {
		v.fault(path+".user", "a user name holds no colon and no line end (RFC 7617)")
	}
	for name, value := range g.Fields {
		if secret, ok := strings.CutPrefix(value, "secret:"); ok && !IsName(secret) {
			v.fault(path+".fields."+name, "%q is no name of a secret: small letters, digits and hyphens", secret)
		}
	}
}

// Network names how the plan's network settings lead to a host: the address that it is reached at, the
// authority that vouches for it, the proxy in between. A secret holds for the ones that it was given under.
func (p Plan) Network(host string) string {
	data, _ := json.Marshal([]string{p.address(host), p.CA, p.Proxy})
	return fmt.Sprintf("%x", sha256.Sum256(data))
}

// Route is Network in words.
func (p Plan) Route(host string) string {
	parts := []string{"as its name says"}
	if to := p.address(host); to != "" {
		parts[0] = "at " + to
	}
	if p.Proxy != "" {
		parts = append(parts, "through the proxy "+p.Proxy)
	}
	if p.CA != "" {
		parts = append(parts, "trusting the plan's ca")
	}
	return strings.Join(parts, ", ")
}

// address is what hosts says of a host, "" for nothing.
func (p Plan) address(host string) string {
	for name, to := range p.Hosts {
		if strings.EqualFold(name, host) {
			return to
		}
	}
	return ""
}

// HoldsSession tells whether a gate gives a session, which following a link can end.
func (p Plan) HoldsSession() bool {
	return slices.ContainsFunc(p.Gates, func(g Gate) bool {
		return g.Kind == "form" || g.Kind == "cookie" || strings.EqualFold(g.Name, "Cookie")
	})
}

// Secrets are the names of the secrets that the plan uses, each with its host; "" is the home
// page's.
func (p Plan) Secrets() map[string]string {
	out := map[string]string{}
	for _, g := range p.Gates {
		if g.Secret != "" {
			out[g.Secret] = g.Host
		}
		for _, value := range g.Fields {
			if name, ok := strings.CutPrefix(value, "secret:"); ok {
				out[name] = g.Host
			}
		}
	}
	if p.Certificate != "" {
		out[p.Certificate] = ""
	}
	return out
}
