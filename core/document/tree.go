package document

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"
)

// Limits on what is read, so that no document can exhaust the reader.
const (
	MaxBytes = 4 << 20 // of one file
	maxDepth = 64      // of nesting
	maxNodes = 200_000 // after aliases are written out
)

// field is one key of an object with its place.
type field struct {
	key       string
	line, col int
	value     *node
}

// node is a YAML or JSON value with its place and without aliases.
type node struct {
	kind      kind
	line, col int
	scalar    string // as written, for scalars
	quoted    bool
	fields    []field
	index     map[string]int // of fields by key, where there are many
	items     []*node
}

// many is from how many fields on an object has an index.
const many = 16

// put adds a field, which the node does not have yet.
func (n *node) put(f field) {
	n.fields = append(n.fields, f)
	switch {
	case n.index != nil:
		n.index[f.key] = len(n.fields) - 1
	case len(n.fields) >= many:
		n.index = make(map[string]int, 2*many)
		for i, f := range n.fields {
			n.index[f.key] = i
		}
	}
}

type kind uint8

const (
	nullNode kind = iota
	boolNode
	intNode
	floatNode
	textNode
	objectNode
	listNode
)

// what names a node for a message.
func (n *node) what() string {
	switch n.kind {
	case nullNode:
		return "nothing"
	case objectNode:
		return "an object"
	case listNode:
		return "a list"
	case textNode:
		return strconv.Quote(clip(n.scalar))
	default:
		return clip(n.scalar)
	}
}

func clip(s string) string {
	if r := []rune(s); len(r) > 60 {
		return string(r[:57]) + "..."
	}
	return s
}

// get returns the value of key, or nil.
func (n *node) get(key string) *node {
	if n.index != nil {
		if i, ok := n.index[key]; ok {
			return n.fields[i].value
		}
		return nil
	}
	for _, f := range n.fields {
		if f.key == key {
			return f.value
		}
	}
	return nil
}

// reader turns yaml.v3's tree into ours.
type reader struct {
	file   string
	count  int
	faults Faults
}

func (r *reader) fault(line, col int, path, found, expected string) {
	r.faults = append(r.faults, Fault{File: r.file, Line: line, Column: col, Path: path, Found: found, Expected: expected})
}

// convert copies y, writing aliases out, under the limits.
func (r *reader) convert(y *yaml.Node, depth int) *node {
	r.count++
	n := &node{line: y.Line, col: y.Column}
	if depth > maxDepth || r.count > maxNodes {
		if r.count <= maxNodes || r.count == maxNodes+1 {
			r.fault(y.Line, y.Column, "", "", fmt.Sprintf("too deep or too large; at most %d levels and %d values with aliases written out",
				maxDepth, maxNodes))
		}
		r.count = maxNodes + 1
		return n
	}
	switch y.Kind {
	case yaml.AliasNode:
		target := r.convert(y.Alias, depth+1)
		target.line, target.col = y.Line, y.Column
		return target
	case yaml.MappingNode:
		n.kind = objectNode
		for i := 0; i+1 < len(y.Content) && r.count <= maxNodes; i += 2 {
			k := y.Content[i]
			switch {
			case k.Kind != yaml.ScalarNode:
				r.fault(k.Line, k.Column, "", "a key that is not a word", "keys must be plain words")
			case k.Tag == "!!merge":
				r.fault(k.Line, k.Column, "", "a merge key (<<)", "write the fields out")
			case n.get(k.Value) != nil:
				r.fault(k.Line, k.Column, k.Value, "the same field twice", "keep one of them")
			default:
				n.put(field{k.Value, k.Line, k.Column, r.convert(y.Content[i+1], depth+1)})
			}
		}
	case yaml.SequenceNode:
		n.kind = listNode
		for _, c := range y.Content {
			if r.count > maxNodes {
				break
			}
			n.items = append(n.items, r.convert(c, depth+1))
		}
	default:
		n.scalar = y.Value
		n.quoted = y.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle) != 0
		switch y.Tag {
		case "!!null":
			n.kind = nullNode
		case "!!bool":
			n.kind = boolNode
		case "!!int":
			n.kind = intNode
		case "!!float":
			n.kind = floatNode
		default: // text, and times and binary, which JSON has only as text
			n.kind = textNode
		}
	}
	return n
}

var yamlLine = regexp.MustCompile(`^yaml: (?:line (\d+): )?`)

// split reads a stream of YAML or JSON documents. Empty ones are left out.
func split(file string, data []byte) ([]*yaml.Node, Faults) {
	if len(data) > MaxBytes {
		return nil, Faults{{
			File: file, Found: fmt.Sprintf("%d bytes", len(data)),
			Expected: fmt.Sprintf("at most %d bytes in one file", MaxBytes),
		}}
	}
	var docs []*yaml.Node
	dec := yaml.NewDecoder(bytes.NewReader(data))
	for {
		var y yaml.Node
		err := safely(func() error { return dec.Decode(&y) })
		if errors.Is(err, io.EOF) {
			return docs, nil
		}
		if err != nil {
			f := Fault{File: file, Expected: "not readable as YAML or JSON: " + yamlLine.ReplaceAllString(err.Error(), "") + looksLike(data)}
			if m := yamlLine.FindStringSubmatch(err.Error()); m != nil && m[1] != "" {
				f.Line, _ = strconv.Atoi(m[1])
				f.Column = 1
			}
			return nil, Faults{f}
		}
		if len(y.Content) == 1 && y.Content[0].Tag != "!!null" {
			docs = append(docs, &y)
		}
	}
}

// safely turns a panic of the YAML reader into an error.
func safely(f func() error) (err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("yaml: %v", p)
		}
	}()
	return f()
}

// writeJSON writes n as canonical JSON: fields in the order of their names, no
// white space, numbers in their shortest form.
func (n *node) writeJSON(b *bytes.Buffer) {
	switch n.kind {
	case nullNode:
		b.WriteString("null")
	case boolNode:
		b.WriteString(strconv.FormatBool(strings.EqualFold(n.scalar, "true")))
	case intNode, floatNode:
		b.Write(n.number())
	case textNode:
		t, _ := json.Marshal(n.scalar)
		b.Write(t)
	case listNode:
		b.WriteByte('[')
		for i, c := range n.items {
			if i > 0 {
				b.WriteByte(',')
			}
			c.writeJSON(b)
		}
		b.WriteByte(']')
	case objectNode:
		b.WriteByte('{')
		for i, f := range n.sorted() {
			if i > 0 {
				b.WriteByte(',')
			}
			t, _ := json.Marshal(f.key)
			b.Write(t)
			b.WriteByte(':')
			f.value.writeJSON(b)
		}
		b.WriteByte('}')
	}
}

// number returns a numeric scalar in JSON's form; what JSON cannot say (.inf,
// .nan) becomes text, which no numeric field takes.
func (n *node) number() []byte {
	if i, err := strconv.ParseInt(n.scalar, 0, 64); err == nil {
		return strconv.AppendInt(nil, i, 10)
	}
	if f, err := strconv.ParseFloat(n.scalar, 64); err == nil && !math.IsInf(f, 0) && !math.IsNaN(f) {
		return strconv.AppendFloat(nil, f, 'g', -1, 64)
	}
	t, _ := json.Marshal(n.scalar)
	return t
}

func (n *node) json() []byte {
	var b bytes.Buffer
	n.writeJSON(&b)
	return b.Bytes()
}

// AsWritten returns what the first document of a text says, as it is written: nothing is filled in, and what is wrong
// stays. ok is false where the text cannot be taken apart.
func AsWritten(text string) (value any, ok bool) {
	trees, faults := split("", []byte(text))
	if len(faults) > 0 || len(trees) == 0 {
		return nil, false
	}
	r := &reader{}
	n := r.convert(trees[0].Content[0], 0)
	if len(r.faults) > 0 {
		return nil, false
	}
	return value, json.Unmarshal(n.json(), &value) == nil
}
