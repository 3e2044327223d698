package plan

import (
	"fmt"
	"reflect"
	"strings"
)

// A Setting is one key of a plan, described.
type Setting struct {
	Path    string // "scope.exclude"
	Kind    string
	Default string // "" for none
	In      string // bounds or choices
	Say     string
}

// Settings are all keys of a plan, in order; those of a gate come as "gates[].kind".
func Settings() []Setting {
	return describe(reflect.ValueOf(Plan{}.WithDefaults()), "")
}

func describe(v reflect.Value, prefix string) (out []Setting) {
	for f, value := range v.Fields() {
		path := join(prefix, keyOf(f))
		t := f.Type
		switch {
		case t.Kind() == reflect.Struct:
			out = append(out, describe(value, path)...)
			continue
		case t.Kind() == reflect.Slice && t.Elem().Kind() == reflect.Struct:
			out = append(out, describe(reflect.Zero(t.Elem()), path+"[]")...)
			continue
		}
		s := Setting{Path: path, Kind: kindOf(t), In: f.Tag.Get("in"), Say: f.Tag.Get("say")}
		if t.Kind() == reflect.Pointer {
			if !value.IsNil() {
				s.Default = fmt.Sprint(value.Elem().Interface())
			}
		} else if !value.IsZero() {
			s.Default = fmt.Sprint(value.Interface())
		}
		out = append(out, s)
	}
	return out
}

func kindOf(t reflect.Type) string {
	switch {
	case t == reflect.TypeFor[Duration]():
		return "duration"
	case t.Kind() == reflect.Pointer:
		return kindOf(t.Elem())
	case t.Kind() == reflect.Slice:
		return "list of " + strings.TrimSuffix(kindOf(t.Elem()), "s") + "s"
	case t.Kind() == reflect.Map:
		return "name: " + kindOf(t.Elem())
	}
	return map[reflect.Kind]string{
		reflect.Interface: "value",
		reflect.Int:       "whole number", reflect.Float64: "number", reflect.Bool: "true or false", reflect.String: "text",
	}[t.Kind()]
}
