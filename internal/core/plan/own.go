package plan

import (
	"errors"
	"reflect"
	"slices"
	"strings"
)

// ownFile is a file of checks that sites can share.
type ownFile struct {
	Checks []OwnCheck `json:"checks" yaml:"checks" say:"checks made from questions"`
}

// ReadOwn reads a file of checks, in YAML or JSON, with the place in the text of every fault.
func ReadOwn(data []byte, known Known) ([]OwnCheck, error) {
	var file ownFile
	root, err := decode(data, &file, "list of checks")
	if err != nil {
		return nil, err
	}
	if len(file.Checks) == 0 {
		return nil, Faults{{Field: "checks", Reason: "the file has no checks; `harvik check schema` tells what one has"}}
	}
	var faults Faults
	if err := (Plan{Own: file.Checks}).Validate(known); errors.As(err, &faults) {
		for i := range faults {
			if rest, ok := strings.CutPrefix(faults[i].Field, "own"); ok {
				faults[i].Field = "checks" + rest
			}
			faults[i].Line, faults[i].Column = find(root, faults[i].Field)
		}
		return nil, faults
	}
	return file.Checks, nil
}

// OwnSchema is the JSON Schema (draft 2020-12) of such files, as a value to write as JSON.
func OwnSchema() map[string]any {
	s := object(reflect.ValueOf(ownFile{}))
	s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	s["title"] = "Harvik checks"
	s["description"] = "Checks of one's own, made from questions."
	one := s["properties"].(map[string]any)["checks"].(map[string]any)["items"].(map[string]any)
	one["required"] = []string{"id", "group", "question", "title", "why", "how", "fires", "passes"}
	return s
}

// WithOwn is the plan with further checks; those of a name that it has stand in the place of what had it.
func (p Plan) WithOwn(checks []OwnCheck) Plan {
	p.Own = slices.Clone(p.Own)
	for _, c := range checks {
		if at := p.ownAt(c.ID); at >= 0 {
			p.Own[at] = c
		} else {
			p.Own = append(p.Own, c)
		}
	}
	return p
}

// WithoutOwn is the plan without a check, and the rules that name it alone; it tells whether there was one.
func (p Plan) WithoutOwn(id string) (Plan, bool) {
	at := p.ownAt(id)
	if at < 0 {
		return p, false
	}
	p.Own = slices.Delete(slices.Clone(p.Own), at, at+1)
	p.Checks = slices.DeleteFunc(slices.Clone(p.Checks), func(c CheckRule) bool { return c.Check == id })
	return p, true
}

func (p Plan) ownAt(id string) int {
	return slices.IndexFunc(p.Own, func(c OwnCheck) bool { return c.ID == id })
}
