package plan

import (
	"reflect"
	"strconv"
	"strings"
)

// Schema is the plan's JSON Schema (draft 2020-12), as a value to write as JSON.
func Schema() map[string]any {
	defaults := reflect.ValueOf(Plan{}.WithDefaults())
	s := object(defaults)
	s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	s["title"] = "Harvik plan"
	s["description"] = "How a site is crawled and judged. What is left out has its default."
	return s
}

func object(defaults reflect.Value) map[string]any {
	properties := map[string]any{}
	for f, value := range defaults.Fields() {
		s := schemaOf(f.Type, value, f.Tag.Get("in"))
		s["description"] = f.Tag.Get("say")
		properties[keyOf(f)] = s
	}
	return map[string]any{"type": "object", "additionalProperties": false, "properties": properties}
}

// keyOf is the name of a setting in a text.
func keyOf(f reflect.StructField) string {
	name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
	return name
}

const durationPattern = `^(0|([0-9]+(\.[0-9]+)?(ns|us|µs|ms|s|m|h))+)$`

func schemaOf(t reflect.Type, standard reflect.Value, in string) map[string]any {
	s := map[string]any{}
	low, high, ranged := strings.Cut(in, "..")
	switch {
	case t == reflect.TypeFor[Duration]():
		s["type"], s["pattern"] = "string", durationPattern
		s["examples"] = []string{"200ms", "2h"}
		if d := standard.Interface().(Duration); d != 0 {
			s["default"] = d.String()
		}
		return s
	case t.Kind() == reflect.Struct:
		return object(standard)
	case t.Kind() == reflect.Pointer:
		s["type"], s["default"] = "boolean", standard.Elem().Bool()
		return s
	case t.Kind() == reflect.Map:
		s["type"] = "object"
		s["additionalProperties"] = schemaOf(t.Elem(), reflect.Zero(t.Elem()), "")
		return s
	case t.Kind() == reflect.Slice:
		s["type"] = "array"
		s["items"] = schemaOf(t.Elem(), reflect.Zero(t.Elem()), "")
		return s
	}
	if t.Kind() == reflect.Interface {
		s["type"] = []string{"string", "number", "boolean", "array"}
		return s
	}
	s["type"] = map[reflect.Kind]string{
		reflect.Int: "integer", reflect.Float64: "number", reflect.Bool: "boolean", reflect.String: "string",
	}[t.Kind()]
	if ranged {
		s["minimum"], s["maximum"] = parsed(low), parsed(high)
	} else if in != "" {
		s["enum"] = strings.Split(in, "|")
	}
	if !standard.IsZero() {
		s["default"] = standard.Interface()
	}
	return s
}

func parsed(s string) float64 {
	n, _ := strconv.ParseFloat(s, 64)
	return n
}
