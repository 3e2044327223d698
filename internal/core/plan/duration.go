package plan

import (
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"go.yaml.in/yaml/v3"
)

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
func (d *Duration) UnmarshalYAML(n *yaml.Node) error { return d.parse(n.Value) }

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
