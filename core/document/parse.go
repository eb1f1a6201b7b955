package document

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"reflect"
	"regexp"
	"strings"

	"go.yaml.in/yaml/v3"
)

// The kinds of documents.
const (
	KindPodTemplate = "PodTemplate"
	KindCluster     = "Cluster"
	KindWorkload    = "Workload"
	KindScenario    = "Scenario"
)

// A kindInfo is how one kind is read.
type kindInfo struct {
	name, version string
	empty         func() any // a new pointer to the kind's type
}

var kinds = []kindInfo{
	{KindPodTemplate, "v1", func() any { return new(PodTemplate) }},
	{KindCluster, Version, func() any { return new(Cluster) }},
	{KindWorkload, Version, func() any { return new(Workload) }},
	{KindScenario, Version, func() any { return new(Scenario) }},
}

// Kinds lists the kinds in the order in which they build on each other.
func Kinds() []string {
	names := make([]string, len(kinds))
	for i, k := range kinds {
		names[i] = k.name
	}
	return names
}

// FindKind returns the kind's proper name for any spelling of its case, in the
// singular or plural.
func FindKind(s string) (string, bool) {
	for _, k := range kinds {
		if strings.EqualFold(s, k.name) || strings.EqualFold(s, k.name+"s") {
			return k.name, true
		}
	}
	return "", false
}

// A Document is one document that was read without a fault.
type Document struct {
	Kind, Name string
	File       string
	Text       string // as written, this document alone
	// Digest is the sha256 of the content in canonical form (hex): the same for
	// two documents that differ in comments, order and layout only.
	Digest string
	Value  any // *PodTemplate, *Cluster, *Workload or *Scenario
	root   *node
}

// Parse reads every document in data, a stream of YAML or JSON. When there is
// any fault the documents that had none are still returned. file is named in
// the faults.
func Parse(file string, data []byte) ([]*Document, Faults) {
	trees, faults := split(file, data)
	var docs []*Document
	for i, y := range trees {
		d, fs := parseOne(file, y)
		if len(fs) > 0 {
			faults = append(faults, fs...)
			continue
		}
		d.Text = section(data, y, trees, i)
		docs = append(docs, d)
	}
	if len(trees) == 0 && len(faults) == 0 {
		faults = Faults{{File: file, Found: "nothing", Expected: "expected a document with apiVersion, kind and metadata"}}
	}
	return docs, faults.settle()
}

// section cuts the text of document i out of the stream, with the comments that
// stand before it and without the line that parts it from its neighbours.
func section(data []byte, y *yaml.Node, all []*yaml.Node, i int) string {
	if len(all) == 1 && !bytes.Contains(data, []byte("\n---")) {
		return strings.TrimPrefix(string(data), "---\n")
	}
	lines := strings.SplitAfter(string(data), "\n")
	from, to := max(y.Content[0].Line-1, 0), len(lines)
	if i+1 < len(all) {
		to = all[i+1].Content[0].Line - 1
	}
	for from > 0 && !strings.HasPrefix(lines[from-1], "---") {
		from--
	}
	for j := from; j < to; j++ {
		if strings.HasPrefix(lines[j], "---") || strings.HasPrefix(lines[j], "...") {
			to = j
		}
	}
	return strings.Join(lines[from:to], "")
}

func parseOne(file string, y *yaml.Node) (*Document, Faults) {
	r := &reader{file: file}
	root := r.convert(y.Content[0], 0)
	if len(r.faults) > 0 {
		return nil, r.faults
	}
	if root.kind != objectNode {
		r.fault(root.line, root.col, "", root.what(), "expected an object with apiVersion, kind and metadata")
		return nil, r.faults
	}
	info, ok := r.kindOf(root)
	if !ok {
		return nil, r.faults
	}
	value := info.empty()
	v := reflect.ValueOf(value).Elem()
	fill(v)
	r.decode(root, v, "")
	d := &Document{Kind: info.name, File: file, Value: value, root: root}
	if meta := root.get("metadata"); meta != nil {
		if name := meta.get("name"); name != nil {
			d.Name = name.scalar
		}
	}
	c := checker{r, root}
	c.name(d.Name)
	if len(r.faults) == 0 { // what follows may trust the types
		c.kind(value)
	}
	sum := sha256.Sum256(root.json())
	d.Digest = hex.EncodeToString(sum[:])
	return d, r.faults
}

// kindOf finds the kind by kind and apiVersion.
func (r *reader) kindOf(root *node) (kindInfo, bool) {
	k := root.get("kind")
	if k == nil {
		r.fault(root.line, root.col, "kind", "", "missing; it must be one of "+strings.Join(Kinds(), ", "))
		return kindInfo{}, false
	}
	for _, info := range kinds {
		if info.name != k.scalar {
			continue
		}
		switch v := root.get("apiVersion"); {
		case v == nil:
			r.fault(root.line, root.col, "apiVersion", "", "missing; for a "+info.name+" it is "+info.version)
		case v.scalar != info.version:
			r.fault(v.line, v.col, "apiVersion", v.what(), "for a "+info.name+" it is "+info.version)
		default:
			return info, true
		}
		return kindInfo{}, false
	}
	r.fault(k.line, k.col, "kind", k.what(), "expected one of "+strings.Join(Kinds(), ", ")+meant(k.scalar, Kinds()))
	return kindInfo{}, false
}

// nameForm is what Kubernetes takes as a name (RFC 1123 subdomain).
var nameForm = regexp.MustCompile(`^[a-z0-9]([a-z0-9.-]{0,61}[a-z0-9])?$`)

// checker holds a document's values against what they must be.
type checker struct {
	*reader
	root *node
}

// at adds a fault at the field that path names, or where it would stand.
func (c checker) at(path, found, expected string) {
	n := c.root
	rest := path
	for rest != "" && n != nil {
		var step string
		step, rest = nextStep(rest)
		var next *node
		if strings.HasPrefix(step, "[") && n.kind == listNode {
			var i int
			if _, err := fmt.Sscanf(step, "[%d]", &i); err == nil && i >= 0 && i < len(n.items) {
				next = n.items[i]
			}
		} else {
			next = n.get(strings.Trim(step, `[]"`))
		}
		if next == nil {
			break
		}
		n = next
	}
	c.fault(n.line, n.col, path, found, expected)
}

// nextStep cuts the first step off a path.
func nextStep(path string) (step, rest string) {
	path = strings.TrimPrefix(path, ".")
	if strings.HasPrefix(path, "[") {
		end := strings.IndexByte(path, ']')
		return path[:end+1], path[end+1:]
	}
	if i := strings.IndexAny(path, ".["); i >= 0 {
		return path[:i], path[i:]
	}
	return path, ""
}

func (c checker) name(name string) {
	if !nameForm.MatchString(name) {
		c.at("metadata.name", fmt.Sprintf("%q", clip(name)), "expected a name of lower-case letters, digits, dashes and dots, at most 63 long")
	}
}

// Fault makes a fault about a field of a document that was read without one,
// for what can only be seen when several documents come together.
func (d *Document) Fault(path, found, expected string) Fault {
	r := &reader{file: d.File}
	if r.file == "" {
		r.file = d.Kind + "/" + d.Name
	}
	checker{r, d.root}.at(path, found, expected)
	return r.faults[0]
}

// Note returns the comment at the head of the document, without its marks.
func (d *Document) Note() string {
	var lines []string
	for line := range strings.Lines(d.Text) {
		text, ok := strings.CutPrefix(strings.TrimSpace(line), "#")
		if !ok {
			break
		}
		lines = append(lines, strings.TrimSpace(text))
	}
	return strings.Join(lines, " ")
}
