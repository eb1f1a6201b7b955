package document

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"
)

// source says where a document stands in the stream that it was read from.
type source struct {
	tree int // which of the stream's documents
	item int // which item of that List; −1: it is no List
	text string
	json bool
}

func looksLikeJSON(data []byte) bool {
	return bytes.HasPrefix(bytes.TrimSpace(data), []byte("{"))
}

// written returns a tree as text, in YAML or JSON as its source was. Comments and
// the order of fields stay.
func written(y *yaml.Node, asJSON bool) string {
	var b bytes.Buffer
	if asJSON {
		r := &reader{}
		writeIndented(&b, r.convert(y.Content[0], 0), "\n")
		return b.String() + "\n"
	}
	spellNulls(y, false)
	enc := yaml.NewEncoder(&b)
	enc.SetIndent(2)
	if err := safely(func() error { return enc.Encode(y) }); err != nil {
		panic("document: " + err.Error()) // what was read can be written
	}
	return b.String()
}

// spellNulls writes null out where it was left empty within braces or brackets:
// the encoder would make empty text of it there.
func spellNulls(y *yaml.Node, flow bool) {
	flow = flow || y.Style&yaml.FlowStyle != 0
	if y.Kind == yaml.ScalarNode && y.Tag == "!!null" && y.Value == "" && flow {
		y.Value = "null"
	}
	for _, c := range y.Content {
		spellNulls(c, flow)
	}
}

// writeIndented writes a value as JSON with its fields in their order.
func writeIndented(b *bytes.Buffer, n *node, line string) {
	list := func(open, close byte, count int, item func(int)) {
		b.WriteByte(open)
		for i := range count {
			if i > 0 {
				b.WriteByte(',')
			}
			b.WriteString(line + "  ")
			item(i)
		}
		if count > 0 {
			b.WriteString(line)
		}
		b.WriteByte(close)
	}
	switch n.kind {
	case objectNode:
		list('{', '}', len(n.fields), func(i int) {
			t, _ := json.Marshal(n.fields[i].key)
			b.Write(append(t, ':', ' '))
			writeIndented(b, n.fields[i].value, line+"  ")
		})
	case listNode:
		list('[', ']', len(n.items), func(i int) { writeIndented(b, n.items[i], line+"  ") })
	default:
		n.writeJSON(b)
	}
}

// sourcePath turns a field of a lifted PodTemplate into the field of the object
// that it came from.
func (l Lift) sourcePath(path string) string {
	rest, ok := strings.CutPrefix(path, "template")
	if !ok || l.From == "" || l.From == KindPodTemplate || rest != "" && rest[0] != '.' && rest[0] != '[' {
		return path
	}
	return strings.TrimPrefix(strings.Join(l.At, ".")+rest, ".")
}

// sourceSteps turns a JSON pointer into a lifted PodTemplate into one into the
// object that it came from.
func (l Lift) sourceSteps(pointer string) string {
	rest, ok := strings.CutPrefix(pointer, "/template")
	if !ok || l.From == "" || l.From == KindPodTemplate || rest != "" && rest[0] != '/' {
		return pointer
	}
	if len(l.At) == 0 {
		return rest
	}
	return "/" + strings.Join(l.At, "/") + rest
}

// Place returns the line and column, from 1, of a field of the document in its
// source, or of the nearest one above it that is there; and the field's path in
// that source.
func (d *Document) Place(path string) (line, column int, at string) {
	f := d.Fault(path, "", "")
	return f.Line, f.Column, f.Path
}

// Mend makes edits in the stream that a document was read from and returns the new
// stream; every other document of the stream stays as it is, byte for byte. The
// edits are those of the document as it was read, also where it was lifted out of
// another object. edits of several documents of one stream are made together.
func Mend(data []byte, edits map[*Document][]Edit) ([]byte, error) {
	trees, faults := split("", data)
	if len(faults) > 0 {
		return nil, faults
	}
	changed := map[int]bool{}
	for d, list := range edits {
		if d.source.tree >= len(trees) {
			return nil, fmt.Errorf("%s is not in the stream any more", d.Name)
		}
		root := trees[d.source.tree].Content[0]
		if d.source.item >= 0 {
			root = valueOf(root, "items").Content[d.source.item]
		}
		for _, e := range list {
			e.Path = d.Lift.sourceSteps(e.Path)
			if err := apply(root, e); err != nil {
				return nil, err
			}
		}
		changed[d.source.tree] = true
	}
	if len(trees) == 1 && !bytes.Contains(data, []byte("\n---")) {
		if !changed[0] {
			return data, nil
		}
		return []byte(written(trees[0], looksLikeJSON(data))), nil
	}
	lines := splitLines(string(data))
	order := make([]int, 0, len(changed))
	for i := range changed {
		order = append(order, i)
	}
	slices.Sort(order)
	slices.Reverse(order) // from the end, so that the lines before stay where they are
	for _, i := range order {
		from, to := extent(lines, trees, i)
		lines = slices.Concat(lines[:from], []string{written(trees[i], false)}, lines[to:])
	}
	return []byte(strings.Join(lines, "")), nil
}

// Pointer writes steps as a JSON pointer (RFC 6901).
func Pointer(steps ...any) string {
	var b strings.Builder
	for _, s := range steps {
		b.WriteByte('/')
		switch s := s.(type) {
		case int:
			b.WriteString(strconv.Itoa(s))
		case string:
			b.WriteString(strings.NewReplacer("~", "~0", "/", "~1").Replace(s))
		}
	}
	return b.String()
}

// Pod returns a pod as it is made from the PodTemplate, as text: its name begins
// with the template's, comments and the order of fields stay.
func (d *Document) Pod() string {
	trees, faults := split("", []byte(d.Text))
	if len(faults) > 0 || len(trees) != 1 {
		panic("document: " + d.Name + " was read and cannot be read again")
	}
	top := trees[0].Content[0]
	template := valueOf(top, "template")
	meta := &yaml.Node{Kind: yaml.MappingNode, Tag: "!!map"}
	meta.Content = append(meta.Content, word("generateName"), word(d.Name+"-"))
	if own := valueOf(top, "metadata"); own != nil {
		if ns := valueOf(own, "namespace"); ns != nil {
			meta.Content = append(meta.Content, word("namespace"), ns)
		}
	}
	pod := &yaml.Node{Kind: yaml.MappingNode, Tag: "!!map", HeadComment: "An agent of " + d.Name + "."}
	pod.Content = append(pod.Content, word("apiVersion"), word("v1"), word("kind"), word("Pod"), word("metadata"), meta)
	if template != nil && template.Kind == yaml.MappingNode {
		if inner := valueOf(template, "metadata"); inner != nil {
			for i := 0; i+1 < len(inner.Content); i += 2 {
				if k := inner.Content[i].Value; k == "labels" || k == "annotations" || k == "finalizers" {
					meta.Content = append(meta.Content, inner.Content[i], inner.Content[i+1])
				}
			}
		}
		for i := 0; i+1 < len(template.Content); i += 2 {
			if template.Content[i].Value == "spec" {
				pod.Content = append(pod.Content, template.Content[i], template.Content[i+1])
			}
		}
	}
	doc := &yaml.Node{Kind: yaml.DocumentNode, Content: []*yaml.Node{pod}}
	if hasAlias(doc) {
		doc = expanded(doc)
	}
	return written(doc, false)
}
