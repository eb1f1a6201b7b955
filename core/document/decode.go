package document

import (
	"encoding"
	"encoding/json"
	"fmt"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/table"
)

// An enumeration is a string type that takes only some values.
type enumeration interface{ Values() []string }

// A defaulter fills the fields that a document may leave out.
type defaulter interface{ Defaults() }

// A scalarForm may be written as a bare value, which stands for one of its
// fields.
type scalarForm interface{ Scalar() string }

// attribute is what a Go struct says of one document field.
type attribute struct {
	name     string
	index    []int
	required bool // no omitempty or omitzero in its json tag
	doc      string
}

// attributes lists the fields of a struct type as documents have them, with
// embedded structs opened up.
func attributes(t reflect.Type) []attribute {
	var out []attribute
	for i := range t.NumField() {
		f := t.Field(i)
		name, opts, _ := strings.Cut(f.Tag.Get("json"), ",")
		if name == "-" || !f.IsExported() {
			continue
		}
		if name == "" {
			if f.Anonymous {
				for _, a := range attributes(f.Type) {
					a.index = append([]int{i}, a.index...)
					out = append(out, a)
				}
			}
			continue
		}
		out = append(out, attribute{name, []int{i}, !strings.Contains(opts, "omit"), f.Tag.Get("doc")})
	}
	return out
}

// fill sets defaults in v and in the structs within it.
func fill(v reflect.Value) {
	if v.Kind() != reflect.Struct || !v.CanAddr() {
		return
	}
	for i := range v.NumField() {
		if v.Type().Field(i).IsExported() {
			fill(v.Field(i))
		}
	}
	if d, ok := v.Addr().Interface().(defaulter); ok {
		d.Defaults()
	}
}

// decode fills v from n. Faults are added for everything that does not fit; v
// then holds what did.
func (r *reader) decode(n *node, v reflect.Value, path string) {
	wrong := func(expected string) { r.fault(n.line, n.col, path, n.what(), expected) }
	if v.Kind() == reflect.Pointer {
		if n.kind == nullNode {
			return
		}
		v.Set(reflect.New(v.Type().Elem()))
		fill(v.Elem())
		r.decode(n, v.Elem(), path)
		return
	}
	switch u := v.Addr().Interface().(type) {
	case encoding.TextUnmarshaler:
		r.decodeText(n, u, path)
		return
	case json.Unmarshaler:
		if n.kind == nullNode {
			return
		}
		if err := u.UnmarshalJSON(n.json()); err != nil {
			wrong(wordFor(v.Type()))
		}
		return
	}
	switch v.Kind() {
	case reflect.Struct:
		r.decodeStruct(n, v, path)
	case reflect.Map:
		if n.kind == nullNode {
			return
		}
		if n.kind != objectNode {
			wrong("expected an object")
			return
		}
		v.Set(reflect.MakeMap(v.Type()))
		for _, f := range n.fields {
			e := reflect.New(v.Type().Elem()).Elem()
			fill(e)
			r.decode(f.value, e, join(path, f.key))
			v.SetMapIndex(reflect.ValueOf(f.key).Convert(v.Type().Key()), e)
		}
	case reflect.Slice:
		r.decodeList(n, v, path)
	case reflect.String:
		if n.kind != textNode {
			wrong("expected text" + map[bool]string{true: "; write it in quotes"}[n.scalar != ""])
			return
		}
		v.SetString(n.scalar)
		if e, ok := v.Interface().(enumeration); ok && !slices.Contains(e.Values(), n.scalar) {
			wrong("expected one of " + strings.Join(e.Values(), ", ") + meant(n.scalar, e.Values()))
		}
	case reflect.Bool:
		if n.kind != boolNode {
			wrong("expected true or false")
			return
		}
		v.SetBool(strings.EqualFold(n.scalar, "true"))
	case reflect.Int, reflect.Int32, reflect.Int64:
		i, err := strconv.ParseInt(n.scalar, 0, v.Type().Bits())
		if n.kind != intNode || err != nil {
			wrong("expected a whole number")
			return
		}
		v.SetInt(i)
	case reflect.Uint64, reflect.Uint32, reflect.Uint8:
		i, err := strconv.ParseUint(n.scalar, 0, v.Type().Bits())
		if n.kind != intNode || err != nil {
			wrong("expected a whole number, 0 or more")
			return
		}
		v.SetUint(i)
	case reflect.Float64:
		f, err := strconv.ParseFloat(n.scalar, 64)
		if n.kind != intNode && n.kind != floatNode || err != nil || math.IsNaN(f) || math.IsInf(f, 0) {
			wrong("expected a number")
			return
		}
		v.SetFloat(f)
	default:
		panic("document: no way to read a " + v.Type().String())
	}
}

func (r *reader) decodeText(n *node, u encoding.TextUnmarshaler, path string) {
	if n.kind == objectNode || n.kind == listNode || n.kind == nullNode {
		r.fault(n.line, n.col, path, n.what(), "expected a single value")
		return
	}
	if err := u.UnmarshalText([]byte(n.scalar)); err != nil {
		r.fault(n.line, n.col, path, "", err.Error())
	}
}

func (r *reader) decodeList(n *node, v reflect.Value, path string) {
	if v.Type().Elem().Kind() == reflect.Uint8 {
		if err := json.Unmarshal(n.json(), v.Addr().Interface()); err != nil {
			r.fault(n.line, n.col, path, n.what(), "expected base64 text")
		}
		return
	}
	if n.kind == nullNode {
		return
	}
	if n.kind != listNode {
		r.fault(n.line, n.col, path, n.what(), "expected a list")
		return
	}
	v.Set(reflect.MakeSlice(v.Type(), len(n.items), len(n.items)))
	for i, c := range n.items {
		fill(v.Index(i))
		r.decode(c, v.Index(i), fmt.Sprintf("%s[%d]", path, i))
	}
}

func (r *reader) decodeStruct(n *node, v reflect.Value, path string) {
	if n.kind == nullNode {
		return
	}
	known := attributes(v.Type())
	if s, ok := v.Interface().(scalarForm); ok && n.kind != objectNode && n.kind != listNode {
		i := slices.IndexFunc(known, func(a attribute) bool { return a.name == s.Scalar() })
		r.decode(n, v.FieldByIndex(known[i].index), path)
		return
	}
	if n.kind != objectNode {
		r.fault(n.line, n.col, path, n.what(), "expected an object")
		return
	}
	names := make([]string, len(known))
	for i, a := range known {
		names[i] = a.name
	}
	for _, f := range n.fields {
		i := slices.Index(names, f.key)
		if i < 0 {
			r.fault(f.line, f.col, join(path, f.key), "an unknown field", "the fields here are "+listed(names)+meant(f.key, names))
			continue
		}
		r.decode(f.value, v.FieldByIndex(known[i].index), join(path, f.key))
	}
	for _, a := range known {
		if a.required && n.get(a.name) == nil {
			r.fault(n.line, n.col, join(path, a.name), "", "missing; it must be given")
		}
	}
}

// meant suggests the nearest of words.
func meant(word string, words []string) string {
	if near, ok := table.Nearest(word, words); ok {
		return fmt.Sprintf("; did you mean %q?", near)
	}
	return ""
}

// listed names up to a dozen fields.
func listed(names []string) string {
	if len(names) > 12 {
		return fmt.Sprintf("%s and %d more", strings.Join(names[:12], ", "), len(names)-12)
	}
	return strings.Join(names, ", ")
}

func join(path, key string) string {
	if strings.ContainsAny(key, "./[ ") {
		key = strconv.Quote(key)
		return path + "[" + key + "]"
	}
	if path == "" {
		return key
	}
	return path + "." + key
}

// wordFor says what a Kubernetes type with a reader of its own expects.
func wordFor(t reflect.Type) string {
	switch t.Name() {
	case "Quantity":
		return "expected a quantity such as 500m, 2 or 3Gi"
	case "IntOrString":
		return "expected a whole number or text"
	case "Time", "MicroTime":
		return "expected a time such as 2026-09-14T06:00:00Z"
	default:
		return "expected a " + t.Name()
	}
}

func (n *node) sorted() []field {
	s := slices.Clone(n.fields)
	slices.SortFunc(s, func(a, b field) int { return strings.Compare(a.key, b.key) })
	return s
}
