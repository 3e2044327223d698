// Package plan holds how a site is crawled and judged: every setting with its unit, its
// default and its bounds in one place.
package plan

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"harvik/internal/core/weburl"
)

// A Plan is the settings of a crawl. The zero value of a field means its default.
type Plan struct {
	Pages     int               `json:"pages" yaml:"pages"`         // addresses fetched at most
	Depth     int               `json:"depth" yaml:"depth"`         // clicks from the start at most
	PageBytes int               `json:"pageBytes" yaml:"pageBytes"` // of a body, unpacked; the rest is cut
	Time      Duration          `json:"time" yaml:"time"`           // of the whole crawl; 0 is no limit
	Parallel  int               `json:"parallel" yaml:"parallel"`   // requests at once
	Pause     Duration          `json:"pause" yaml:"pause"`         // between the starts of two requests
	Timeout   Duration          `json:"timeout" yaml:"timeout"`     // of one request, its body included
	Retries   int               `json:"retries" yaml:"retries"`     // after the first try, on 429, 5xx and broken connections; −1 for none
	Agent     string            `json:"agent" yaml:"agent"`         // User-Agent header
	RobotsAs  string            `json:"robotsAs" yaml:"robotsAs"`   // product token whose robots.txt rules hold
	Language  string            `json:"language" yaml:"language"`   // Accept-Language header; none by default
	Hosts     map[string]string `json:"hosts,omitempty" yaml:"hosts"`
	Limits    map[string]int    `json:"limits,omitempty" yaml:"limits"` // thresholds of checks, by name
}

// Defaults of a plan's fields.
const (
	DefaultPages     = 1000
	DefaultDepth     = 50
	DefaultPageBytes = 5 << 20
	DefaultParallel  = 4
	DefaultTimeout   = Duration(20 * time.Second)
	DefaultRetries   = 2
	DefaultAgent     = "Harvik/0.1 (site audit)"
	DefaultRobotsAs  = "harvik"
)

// WithDefaults returns a filled copy.
func (p Plan) WithDefaults() Plan {
	fill(&p.Pages, DefaultPages)
	fill(&p.Depth, DefaultDepth)
	fill(&p.PageBytes, DefaultPageBytes)
	fill(&p.Parallel, DefaultParallel)
	fill(&p.Timeout, DefaultTimeout)
	fill(&p.Retries, DefaultRetries)
	fill(&p.Agent, DefaultAgent)
	fill(&p.RobotsAs, DefaultRobotsAs)
	return p
}

func fill[T comparable](field *T, value T) {
	var zero T
	if *field == zero {
		*field = value
	}
}

// A Fault is one thing wrong with a plan.
type Fault struct {
	Field  string `json:"field"`
	Reason string `json:"reason"`
}

// Faults is the error of Validate and Read: all that is wrong.
type Faults []Fault

func (f Faults) Error() string {
	parts := make([]string, len(f))
	for i, one := range f {
		parts[i] = one.Reason
		if one.Field != "" {
			parts[i] = one.Field + ": " + one.Reason
		}
	}
	return strings.Join(parts, "; ")
}

var tokenShape = regexp.MustCompile(`^[A-Za-z_-]+$|^\*$`)

// Validate checks the bounds. KnownLimit answers whether a threshold of that name exists.
func (p Plan) Validate(knownLimit func(string) bool) error {
	var faults Faults
	fault := func(field, format string, args ...any) {
		faults = append(faults, Fault{field, fmt.Sprintf(format, args...)})
	}
	between := func(field string, n, low, high int) {
		if n != 0 && (n < low || n > high) {
			fault(field, "%d is outside %d to %d", n, low, high)
		}
	}
	between("pages", p.Pages, 1, 5_000_000)
	between("depth", p.Depth, 1, 1000)
	between("pageBytes", p.PageBytes, 1024, 256<<20)
	between("parallel", p.Parallel, 1, 64)
	between("retries", p.Retries, -1, 10)
	for field, d := range map[string]Duration{"time": p.Time, "pause": p.Pause} {
		if d < 0 {
			fault(field, "%s is negative", d)
		}
	}
	if t := time.Duration(p.Timeout); t != 0 && (t < 100*time.Millisecond || t > 10*time.Minute) {
		fault("timeout", "%s is outside 100ms to 10m", p.Timeout)
	}
	if strings.ContainsAny(p.Agent+p.Language, "\r\n\x00") {
		fault("agent", "a header value cannot hold a line end")
	}
	if p.RobotsAs != "" && !tokenShape.MatchString(p.RobotsAs) {
		fault("robotsAs", "%q is no product token: letters, hyphens and underscores (RFC 9309, 2.2.1)", p.RobotsAs)
	}
	for host, to := range p.Hosts {
		if u, err := weburl.Parse("http://" + host + "/"); err != nil || u.Hostname() != strings.ToLower(host) {
			fault("hosts."+host, "not a host name; write it without scheme and port")
		}
		if _, port, err := net.SplitHostPort(to); err != nil && net.ParseIP(to) == nil {
			fault("hosts."+host, "%q is neither an IP address nor address:port", to)
		} else if n, perr := strconv.Atoi(port); err == nil && (perr != nil || n < 1 || n > 65535) {
			fault("hosts."+host, "%q is no port", port)
		}
	}
	for name, n := range p.Limits {
		if !knownLimit(name) {
			fault("limits."+name, "there is no threshold of this name; `harvik check list` shows them")
		} else if n < 0 {
			fault("limits."+name, "%d is negative", n)
		}
	}
	if len(faults) == 0 {
		return nil
	}
	slices.SortFunc(faults, func(a, b Fault) int { return strings.Compare(a.Field, b.Field) })
	return faults
}

// Read takes a plan in YAML or JSON on top of the values in base. Unknown keys are
// refused with their line and the key that was probably meant.
func Read(data []byte, base Plan) (Plan, error) {
	d := yaml.NewDecoder(bytes.NewReader(data))
	d.KnownFields(true)
	p := base
	err := d.Decode(&p)
	if err == nil {
		if d.Decode(new(any)) != io.EOF {
			return base, Faults{{"", "the text holds more than one plan"}}
		}
		return p, nil
	}
	if errors.Is(err, io.EOF) {
		return base, nil
	}
	return base, Faults{{"", explain(err)}}
}

var unknownField = regexp.MustCompile(`field (\S+) not found in type plan.Plan`)

// explain turns the decoder's words into the user's.
func explain(err error) string {
	s := strings.TrimPrefix(err.Error(), "yaml: ")
	s = strings.ReplaceAll(s, "unmarshal errors:\n  ", "")
	s = strings.ReplaceAll(s, "\n  ", "; ")
	return unknownField.ReplaceAllStringFunc(s, func(m string) string {
		name := unknownField.FindStringSubmatch(m)[1]
		out := fmt.Sprintf("there is no setting %q", name)
		if near := Nearest(name, Fields); near != "" {
			out += fmt.Sprintf(", did you mean %q?", near)
		}
		return out
	})
}

// Fields are the keys of a plan.
var Fields = []string{
	"pages", "depth", "pageBytes", "time", "parallel", "pause", "timeout", "retries",
	"agent", "robotsAs", "language", "hosts", "limits",
}

// Nearest is the word of a list that a mistyped one most likely meant, or "".
func Nearest(word string, list []string) string {
	best, least := "", len(word)/2+1
	for _, w := range list {
		if d := distance(strings.ToLower(word), strings.ToLower(w)); d < least {
			best, least = w, d
		}
	}
	return best
}

// distance is the number of letters to put in, take out, change, or swap with a neighbour
// (optimal string alignment).
func distance(a, b string) int {
	rows := make([][]int, len(a)+1)
	for i := range rows {
		rows[i] = make([]int, len(b)+1)
		rows[i][0] = i
	}
	for j := range b {
		rows[0][j+1] = j + 1
	}
	for i := 1; i <= len(a); i++ {
		for j := 1; j <= len(b); j++ {
			change := rows[i-1][j-1]
			if a[i-1] != b[j-1] {
				change++
			}
			rows[i][j] = min(change, rows[i][j-1]+1, rows[i-1][j]+1)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				rows[i][j] = min(rows[i][j], rows[i-2][j-2]+1)
			}
		}
	}
	return rows[len(a)][len(b)]
}

// Duration is a time.Duration that reads and writes as "1m30s".
type Duration time.Duration

func (d Duration) String() string { return time.Duration(d).String() }

// MarshalJSON writes it as text.
func (d Duration) MarshalJSON() ([]byte, error) { return json.Marshal(d.String()) }

// MarshalYAML writes it as text.
func (d Duration) MarshalYAML() (any, error) { return d.String(), nil }

// UnmarshalJSON reads text such as "200ms".
func (d *Duration) UnmarshalJSON(data []byte) error {
	var s string
	if err := json.Unmarshal(data, &s); err != nil {
		return errors.New(`a duration is text with a unit, such as "200ms" or "2h"`)
	}
	return d.parse(s)
}

// UnmarshalYAML reads text such as 200ms.
func (d *Duration) UnmarshalYAML(n *yaml.Node) error {
	if err := d.parse(n.Value); err != nil {
		return fmt.Errorf("line %d: %w", n.Line, err)
	}
	return nil
}

func (d *Duration) parse(s string) error {
	if s == "0" {
		*d = 0
		return nil
	}
	v, err := time.ParseDuration(s)
	if err != nil {
		return fmt.Errorf("%q is no duration; write a number and a unit, such as 200ms or 2h", s)
	}
	*d = Duration(v)
	return nil
}
