package document

import (
	"encoding"
	"encoding/json"
	"reflect"
	"strings"
)

// textForms say how each unit is written, for schemas.
var textForms = map[string]struct{ pattern, example string }{
	"Duration":   {`^([0-9.]+(ns|us|µs|ms|s|m|h|d|w))+$`, "10m"},
	"MilliCPU":   {`^[0-9.]+m?$`, "1500m"},
	"Bytes":      {`^[0-9.]+(m|[kKMGTP]?B?|[KMGTP]i)$`, "3Gi"},
	"Rate":       {`^[0-9.]+([kKMGTP]?B?|[KMGTP]i)/s$`, "120MB/s"},
	"PerGB":      {`^[0-9.]+/GB$`, "0.05/GB"},
	"PerGBMonth": {`^[0-9.]+/GB-month$`, "0.02/GB-month"},
	"PerRequest": {`^[0-9.]+/1000$`, "0.005/1000"},
	"Price":      {`^[0-9.]+/h$`, "0.19/h"},
	"Period":     {`^[A-Z][A-Za-z,-]+ [0-9]{2}:[0-9]{2}-[0-9]{2}:[0-9]{2}$`, "Mon-Fri 07:00-19:00"},
	"Moment":     {`^[A-Z][A-Za-z,-]+ [0-9]{2}:[0-9]{2}$`, "Mon-Sun 02:00"},
	"Zone":       {`^[A-Za-z0-9_+/-]+$`, "Europe/Oslo"},
	"Instant":    {`^[0-9]{4}-[0-9]{2}-[0-9]{2}T`, "2026-09-14T00:00:00+02:00"},
}

// A documented type describes its fields; Kubernetes' types do.
type documented interface{ SwaggerDoc() map[string]string }

type object = map[string]any

// Schema returns the JSON Schema (2020-12) of a kind, made from the type by
// which documents of the kind are read. ok is false for an unknown kind.
func Schema(kind string) (schema json.RawMessage, ok bool) {
	for _, k := range kinds {
		if k.name != kind {
			continue
		}
		w := schemaWriter{defs: object{}}
		value := reflect.ValueOf(k.empty()).Elem()
		fill(value)
		s := w.structure(value)
		s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
		s["title"] = kind
		s["$defs"] = w.defs
		p := s["properties"].(object)
		p["apiVersion"] = object{"const": k.version}
		p["kind"] = object{"const": k.name}
		s["required"] = []string{"apiVersion", "kind", "metadata"}
		if k.version == Version {
			s["required"] = []string{"apiVersion", "kind", "metadata", "spec"}
		}
		b, err := json.MarshalIndent(s, "", "  ")
		if err != nil {
			panic("document: schema of " + kind + ": " + err.Error())
		}
		return b, true
	}
	return nil, false
}

type schemaWriter struct{ defs object }

// of returns the schema of a value's type; the value carries the defaults.
func (w schemaWriter) of(v reflect.Value) object {
	t := v.Type()
	if t.Kind() == reflect.Pointer {
		e := reflect.New(t.Elem()).Elem()
		return w.of(e)
	}
	ptr := v.Interface()
	if v.CanAddr() {
		ptr = v.Addr().Interface()
	}
	switch ptr.(type) {
	case encoding.TextUnmarshaler:
		s := object{"type": []string{"string", "number"}}
		if f, ok := textForms[t.Name()]; ok {
			s["pattern"], s["examples"] = f.pattern, []string{f.example}
		}
		return s
	case json.Unmarshaler:
		switch t.Name() {
		case "Value":
			return object{}
		case "Time", "MicroTime":
			return object{"type": "string", "format": "date-time"}
		case "FieldsV1":
			return object{"type": "object"}
		}
		return object{"type": []string{"string", "number"}}
	}
	switch t.Kind() {
	case reflect.Struct:
		name := nameOf(t)
		if _, done := w.defs[name]; !done {
			w.defs[name] = object{} // breaks the circle of a type that holds itself
			e := reflect.New(t).Elem()
			fill(e)
			w.defs[name] = w.structure(e)
			if s, ok := e.Interface().(scalarForm); ok {
				bare := w.defs[name].(object)["properties"].(object)[s.Scalar()]
				w.defs[name] = object{"anyOf": []any{bare, w.defs[name]}}
			}
		}
		return object{"$ref": "#/$defs/" + name}
	case reflect.Map:
		return object{"type": "object", "additionalProperties": w.of(reflect.New(t.Elem()).Elem())}
	case reflect.Slice:
		if t.Elem().Kind() == reflect.Uint8 {
			return object{"type": "string", "contentEncoding": "base64"}
		}
		return object{"type": "array", "items": w.of(reflect.New(t.Elem()).Elem())}
	case reflect.Bool:
		return object{"type": "boolean"}
	case reflect.Float64:
		return object{"type": "number"}
	case reflect.String:
		s := object{"type": "string"}
		if e, ok := v.Interface().(enumeration); ok {
			s["enum"] = e.Values()
		}
		return s
	case reflect.Uint64, reflect.Uint32, reflect.Uint8:
		return object{"type": "integer", "minimum": 0}
	default:
		return object{"type": "integer"}
	}
}

// nameOf names a type's schema; our distributions go by what they are of.
func nameOf(t reflect.Type) string {
	switch t {
	case reflect.TypeFor[Times]():
		return "Times"
	case reflect.TypeFor[Sizes]():
		return "Sizes"
	}
	return strings.ReplaceAll(t.PkgPath()[strings.LastIndexByte(t.PkgPath(), '/')+1:]+"."+t.Name(), "document.", "")
}

func (w schemaWriter) structure(v reflect.Value) object {
	docs := map[string]string{}
	if d, ok := v.Addr().Interface().(documented); ok {
		docs = d.SwaggerDoc()
	}
	properties, required := object{}, []string{}
	for _, a := range attributes(v.Type()) {
		f := v.FieldByIndex(a.index)
		s := w.of(f)
		if a.doc == "" {
			a.doc = docs[a.name]
		}
		if a.doc != "" {
			s["description"] = a.doc
		}
		if !f.IsZero() && f.Kind() != reflect.Struct {
			s["default"] = f.Interface()
		}
		if a.required {
			required = append(required, a.name)
		}
		properties[a.name] = s
	}
	s := object{"type": "object", "additionalProperties": false, "properties": properties}
	if len(required) > 0 {
		s["required"] = required
	}
	return s
}
