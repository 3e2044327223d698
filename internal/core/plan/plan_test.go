package plan

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"
)

var known = Known{
	Limit: func(name string) bool { return name == "title-characters" },
	Check: func(pattern string) bool { return pattern == "copy-thin" },
	Kinds: []string{"list"},
}

func TestRead(t *testing.T) {
	for _, c := range []struct{ name, text, fault string }{
		{"yaml", "pages: 500\npause: 200ms\nhosts:\n  fernhollow.example: 127.0.0.1:80\n", ""},
		{"json", `{"pages": 500, "pause": "200ms"}`, ""},
		{"empty", "", ""},
		{"unknown key, with line and suggestion", "pages: 500\nparalel: 3\n",
			`line 2, column 1: there is no setting "paralel"; did you mean "parallel"?`},
		{"wrong unit", "pages: 5\npause: 200\n",
			`line 2, column 8: pause: "200" is no duration; write a number and a unit`},
		{"wrong type", "pages: many\n", `line 1, column 8: pages: a whole number is wanted, not "many"`},
		{"a setting of another place", "exclude: [/x]\n",
			`there is no setting "exclude"; did you mean "scope.exclude"?`},
		{"a nested unknown key", "scope:\n  excluded: [/x]\n",
			`line 2, column 3: there is no setting "scope.excluded"; did you mean "scope.exclude"?`},
		{"a key twice", "pages: 1\npages: 2\n", `line 2, column 1: "pages" stands here twice`},
		{"no list", "scope: {exclude: /x}\n", "scope.exclude: a list is wanted"},
		{"all faults at once", "pages: x\ndepth: y\n", "depth: a whole number"},
		{"a choice", "robots: ignore\n", `robots: "ignore" is none of obey, report, disregard`},
		{"disregard without permission", "robots: disregard\n", "permission: robots: disregard needs a permission"},
		{"disregard with permission", "robots: disregard\npermission: relaunch audit, asked for by the head of web\n",
			""},
		{"permission for nothing", "permission: because I may do so\n", "permission: robots.txt is obeyed"},
		{"nothing to crawl", "sources: {links: false, sitemaps: false}\n", "sources: nothing is left to crawl"},
		{"sitemaps off and named", "sources: {sitemaps: false, sitemapAt: [/s.xml]}\n",
			"switched off in sources.sitemaps"},
		{"no address", "sources: {addresses: [\"mailto:x@fernhollow.example\"]}\n", "sources.addresses[0]: "},
		{"a pattern without a start", "scope: {exclude: [shop]}\n", `"shop" would match nothing`},
		{"a bad regular expression", "scope:\n  exclude:\n    - /ok\n    - 're:('\n",
			"line 4, column 7: scope.exclude[1]: not a regular expression"},
		{"ignore and keep", "scope: {parameters: {ignore: [a], keep: [b]}}\n", "scope.parameters.keep"},
		{"a gate without a secret", "gates: [{kind: basic, user: anna}]\n",
			"gates[0].secret: a gate of kind basic needs it"},
		{"a gate with too much", "gates: [{kind: bearer, secret: key, proof: x}]\n",
			"gates[0].proof: a gate of kind bearer has no use for it"},
		{"a password in place of a name", "gates: [{kind: bearer, secret: \"Hunter 2!\"}]\n",
			"not the name of a secret"},
		{"a secret in a header", "headers: {Authorization: Basic eA==}\n",
			"headers.Authorization: this header is set by gates"},
		{"no certificate", "ca: nonsense\n", "no certificate in PEM"},
		{"a proxy with a password", "proxy: http://u:p@10.0.0.1/\n", "a plan holds no secrets"},
		{"not a number", "perSecond: .nan\n", "is outside 0 to 1000"},
		{"two plans", "pages: 1\n---\npages: 2\n", "more than one plan"},
		{"no plan at all", "[1, 2", "line 1"},
		{"too many pages", "pages: 6000000\n", "line 1, column 8: pages: 6000000 is outside 1 to 5000000"},
		{"negative pause", "pause: -1s\n", "line 1, column 8: pause: -1s is outside 0s to 1h"},
		{"a timeout that is too short", "timeout: 1ms\n", "timeout: 1ms is outside"},
		{"a header that would split", "agent: \"a\\r\\nX: y\"\n", "agent: a header value cannot hold a line end"},
		{"a robots token", "robotsAs: a bot\n", "robotsAs: \"a bot\" is no product token"},
		{"a host with scheme", "hosts: {\"http://x\": 127.0.0.1}\n", "write it without scheme and port"},
		{"a host's target", "hosts: {fernhollow.example: nowhere}\n", "neither an IP address nor address:port"},
		{"a host's port", "hosts: {fernhollow.example: \"127.0.0.1:99999\"}\n", "is no port"},
		{"a threshold", "limits: {title-charcters: 3}\n", "limits.title-charcters: there is no threshold"},
		{"a rule without a reason", "checks: [{check: copy-thin, off: true}]\n",
			"checks[0].because: a check that is judged otherwise needs its reason"},
		{"a rule for no check", "checks: [{check: copy-thick, off: true, because: too many}]\n",
			"checks[0].check: no check is called \"copy-thick\""},
		{"a rule that changes nothing", "checks: [{check: copy-thin, because: too many}]\n", "it changes nothing"},
		{"a kind that there is not", "kinds: [{pages: /x/*, kind: lost}]\n",
			"kinds[0].kind: there is no kind \"lost\" of pages"},
		{"rules", "checks: [{check: copy-thin, on: /shop/*, severity: notice, because: cards are short}]\nkinds: [{pages: /x/*, kind: list}]\n", ""},
		{"a negative threshold", "limits: {title-characters: -3}\n", "limits.title-characters: -3 is negative"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := ReadValid([]byte(c.text), Plan{}, known)
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
	if err := json.Unmarshal([]byte(`{"pause": 3}`), &back); err == nil ||
		!strings.Contains(err.Error(), "text with a unit") {
		t.Errorf("a number as a duration gives %v", err)
	}
	if n := Nearest("seperate", Fields); n == "pages" {
		t.Errorf("%q is near nothing", n)
	}
}

// TestReadLeavesBase holds that a refused text changes nothing of what it was read onto.
func TestReadLeavesBase(t *testing.T) {
	base := Plan{Hosts: map[string]string{"a.example": "127.0.0.1"}}
	if _, err := Read([]byte("hosts: {b.example: 127.0.0.2}\n"), base); err != nil || len(base.Hosts) != 1 {
		t.Errorf("%v, %v", base.Hosts, err)
	}
}

func TestProfiles(t *testing.T) {
	if len(Profiles) != 6 {
		t.Fatalf("%d profiles", len(Profiles))
	}
	for _, p := range Profiles {
		got, _, ok := ProfileNamed(p.Name)
		if !ok || got.Pages == 0 || p.Say == "" {
			t.Errorf("%+v", p)
		}
		if err := got.Validate(Known{Limit: func(string) bool { return true }}); err != nil {
			t.Errorf("%s: %v", p.Name, err)
		}
	}
	if _, near, ok := ProfileNamed("shops"); ok || near != "shop" {
		t.Errorf("shops is near %q", near)
	}
}

// TestSchema holds the schema to what Read takes and refuses.
func TestSchema(t *testing.T) {
	data, err := json.Marshal(Schema())
	if err != nil {
		t.Fatal(err)
	}
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	c := jsonschema.NewCompiler()
	if err := c.AddResource("plan.json", doc); err != nil {
		t.Fatal(err)
	}
	schema, err := c.Compile("plan.json")
	if err != nil {
		t.Fatal(err)
	}
	filled, err := json.Marshal(Plan{Gates: []Gate{{Kind: "basic", User: "anna", Secret: "members"}},
		Pause: Duration(time.Second)}.WithDefaults())
	if err != nil {
		t.Fatal(err)
	}
	for text, sound := range map[string]bool{
		string(filled): true, `{"pages": 5, "pause": "200ms"}`: true, `{"pages": "many"}`: false, `{"pagse": 5}`: false,
		`{"robots": "ignore"}`: false, `{"pause": "fast"}`: false, `{"scope": {"exclude": ["/x"]}}`: true,
		`{"scope": {"excluded": []}}`: false,
		`{"pages": 6000000}`:          false,
	} {
		value, err := jsonschema.UnmarshalJSON(strings.NewReader(text))
		if err != nil {
			t.Fatal(err)
		}
		if err := schema.Validate(value); (err == nil) != sound {
			t.Errorf("%s: %v", text, err)
		}
		if _, err := ReadValid([]byte(text), Plan{}, known); (err == nil) != sound {
			t.Errorf("Read, %s: %v", text, err)
		}
	}
}
