package plan

import (
	"encoding/json"
	"strings"
	"testing"
	"time"
)

func known(name string) bool { return name == "title-characters" }

func TestRead(t *testing.T) {
	for _, c := range []struct{ name, text, fault string }{
		{"yaml", "pages: 500\npause: 200ms\nhosts:\n  fernhollow.example: 127.0.0.1:80\n", ""},
		{"json", `{"pages": 500, "pause": "200ms"}`, ""},
		{"empty", "", ""},
		{"unknown key, with line and suggestion", "pages: 500\nparalel: 3\n", `line 2: there is no setting "paralel", did you mean "parallel"?`},
		{"wrong unit", "pages: 5\npause: 200\n", `line 2: "200" is no duration; write a number and a unit`},
		{"wrong type", "pages: many\n", "line 1"},
		{"two plans", "pages: 1\n---\npages: 2\n", "more than one plan"},
		{"no plan at all", "[1, 2", "line 1"},
		{"too many pages", "pages: 6000000\n", "pages: 6000000 is outside 1 to 5000000"},
		{"negative pause", "pause: -1s\n", "pause: -1s is negative"},
		{"a timeout that is too short", "timeout: 1ms\n", "timeout: 1ms is outside"},
		{"a header that would split", "agent: \"a\\r\\nX: y\"\n", "agent: a header value cannot hold a line end"},
		{"a robots token", "robotsAs: a bot\n", "robotsAs: \"a bot\" is no product token"},
		{"a host with scheme", "hosts: {\"http://x\": 127.0.0.1}\n", "write it without scheme and port"},
		{"a host's target", "hosts: {fernhollow.example: nowhere}\n", "neither an IP address nor address:port"},
		{"a host's port", "hosts: {fernhollow.example: \"127.0.0.1:99999\"}\n", "is no port"},
		{"a threshold", "limits: {title-charcters: 3}\n", "limits.title-charcters: there is no threshold"},
		{"a negative threshold", "limits: {title-characters: -3}\n", "limits.title-characters: -3 is negative"},
	} {
		t.Run(c.name, func(t *testing.T) {
			p, err := Read([]byte(c.text), Plan{})
			if err == nil {
				err = p.Validate(known)
			}
			switch {
			case c.fault == "" && err != nil:
				t.Errorf("refused: %v", err)
			case c.fault != "" && (err == nil || !strings.Contains(err.Error(), c.fault)):
				t.Errorf("error %v, want %q", err, c.fault)
			}
		})
	}
}

func TestReadKeepsBase(t *testing.T) {
	p, err := Read([]byte("depth: 3"), Plan{Pages: 7, Parallel: 2})
	if err != nil || p.Pages != 7 || p.Parallel != 2 || p.Depth != 3 {
		t.Errorf("%+v, %v", p, err)
	}
}

func TestDefaultsAndJSON(t *testing.T) {
	p := Plan{Retries: -1, Pause: Duration(time.Second)}.WithDefaults()
	if p.Pages != DefaultPages || p.Retries != -1 || p.Agent != DefaultAgent {
		t.Errorf("defaults %+v", p)
	}
	data, err := json.Marshal(p)
	if err != nil {
		t.Fatal(err)
	}
	var back Plan
	if err := json.Unmarshal(data, &back); err != nil || back.Pause != p.Pause || back.Timeout != DefaultTimeout {
		t.Errorf("%s becomes %+v (%v)", data, back, err)
	}
	if err := json.Unmarshal([]byte(`{"pause": 3}`), &back); err == nil || !strings.Contains(err.Error(), "text with a unit") {
		t.Errorf("a number as a duration gives %v", err)
	}
	if n := Nearest("seperate", Fields); n == "pages" {
		t.Errorf("%q is near nothing", n)
	}
}
