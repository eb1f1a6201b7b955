package document

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"reflect"
	"regexp"
	"strconv"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
)

// The kinds of documents.
const (
	KindPodTemplate = "PodTemplate"
	KindCluster     = "Cluster"
	KindWorkload    = "Workload"
	KindScenario    = "Scenario"
	KindSweep       = "Sweep"
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
	{KindSweep, Version, func() any { return new(Sweep) }},
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
	Text       string // this document alone: as written, or as lifted out of another object
	// Digest is the sha256 of the content in canonical form (hex): the same for
	// two documents that differ in comments, order and layout only.
	Digest string
	Value  any  // *PodTemplate, *Cluster, *Workload, *Scenario or *Sweep
	Lift   Lift // of a PodTemplate: where it was taken from
	source source
	root   *node // with places in the source
}

// A Reading is what a stream of documents holds.
type Reading struct {
	Documents []*Document
	Others    []Other
	Faults    Faults
}

// Parse reads every document in data, a stream of YAML or JSON. When there is
// any fault the documents that had none are still returned. file is named in
// the faults. A stream in which nothing is a document is a fault.
func Parse(file string, data []byte) ([]*Document, Faults) {
	r := ReadDocuments(file, data)
	return r.Documents, r.Faults
}

// ReadDocuments is Read for which a stream without a document is a fault.
func ReadDocuments(file string, data []byte) Reading {
	r := Read(file, data)
	if len(r.Documents) == 0 && len(r.Faults) == 0 {
		found := "nothing"
		if len(r.Others) > 0 {
			found = r.Others[0].String()
		}
		r.Faults = Faults{{File: file, Found: found, Expected: "expected a document: one of " + strings.Join(Kinds(), ", ") +
			", or a pod template within one of " + strings.Join(Carriers()[1:], ", ")}}
	}
	return r
}

// Read is Parse that keeps Kubernetes' other objects too.
func Read(file string, data []byte) Reading {
	var out Reading
	data, err := plain(data)
	if err != nil {
		out.Faults = Faults{{File: file, Expected: err.Error()}}
		return out
	}
	trees, faults := split(file, data)
	out.Faults = faults
	json, lines := looksLikeJSON(data), splitLines(string(data))
	for i, y := range trees {
		text := section(lines, trees, i)
		for j, part := range parts(y) {
			out.add(file, part, source{tree: i, item: j - 1, text: text, json: json})
		}
	}
	out.Faults = out.Faults.settle()
	return out
}

// parts opens a List: its items follow the tree itself, which is nil then.
func parts(y *yaml.Node) []*yaml.Node {
	top := y.Content[0]
	items := valueOf(top, "items")
	if scalarAt(top, "kind") != "List" || scalarAt(top, "apiVersion") != "v1" || items == nil || items.Kind != yaml.SequenceNode {
		return []*yaml.Node{y}
	}
	out := []*yaml.Node{nil}
	for _, n := range items.Content {
		out = append(out, &yaml.Node{
			Kind: yaml.DocumentNode, Line: n.Line, Column: n.Column, HeadComment: n.HeadComment,
			Content: []*yaml.Node{n},
		})
	}
	return out
}

// add reads one object.
func (out *Reading) add(file string, y *yaml.Node, src source) {
	if y == nil {
		return
	}
	r := &reader{file: file}
	if hasAlias(y) {
		if r.convert(y.Content[0], 0); len(r.faults) > 0 { // too much to be written out
			out.Faults = append(out.Faults, r.faults...)
			return
		}
		y = expanded(y)
	}
	if o, ok := otherOf(file, r, y); ok {
		out.Others = append(out.Others, o)
		return
	}
	lifted, lift, changed := r.lift(y)
	if lifted == nil {
		out.Faults = append(out.Faults, r.faults...)
		return
	}
	d, faults := parseOne(file, lifted)
	if len(faults) > 0 {
		for i := range faults {
			faults[i].Path = lift.sourcePath(faults[i].Path)
		}
		out.Faults = append(out.Faults, faults...)
		return
	}
	d.Lift, d.source, d.Text = lift, src, src.text
	if changed || src.item >= 0 {
		d.Text = written(lifted, src.json)
	}
	out.Documents = append(out.Documents, d)
}

// section cuts the text of document i out of the stream, with the comments that
// stand before it and without the line that parts it from its neighbours.
func section(lines []string, all []*yaml.Node, i int) string {
	from, to := extent(lines, all, i)
	return strings.Join(lines[from:to], "")
}

// splitLines cuts text after every line break that YAML knows, so that places
// count alike.
func splitLines(s string) []string {
	var out []string
	from := 0
	for i, r := range s {
		end := i + 1
		switch r {
		case '\n':
		case '\r':
			if i+1 < len(s) && s[i+1] == '\n' {
				continue // the break is the pair
			}
		case '\u0085', '\u2028', '\u2029':
			end = i + utf8.RuneLen(r)
		default:
			continue
		}
		out, from = append(out, s[from:end]), end
	}
	return append(out, s[from:])
}

// extent returns the lines of document i, from and up to.
func extent(lines []string, all []*yaml.Node, i int) (from, to int) {
	from, to = min(max(all[i].Content[0].Line-1, 0), len(lines)), len(lines)
	if i+1 < len(all) {
		to = min(all[i+1].Content[0].Line-1, len(lines))
	}
	for from > 0 && !strings.HasPrefix(lines[from-1], "---") {
		from--
	}
	for j := from; j < to; j++ {
		if strings.HasPrefix(lines[j], "---") || strings.HasPrefix(lines[j], "...") {
			to = j
		}
	}
	return from, to
}

func parseOne(file string, y *yaml.Node) (*Document, Faults) {
	r := &reader{file: file}
	root := r.convert(y.Content[0], 0)
	if len(r.faults) > 0 {
		return nil, r.faults
	}
	return read(file, root)
}

// read fills in, from a tree, what the document says.
func read(file string, root *node) (*Document, Faults) {
	r := &reader{file: file}
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
	for _, c := range carriers {
		if v := root.get("apiVersion"); c.kind == k.scalar && v != nil { // of another version than is taken
			r.fault(v.line, v.col, "apiVersion", v.what(), "for a "+c.kind+" it is "+c.version)
			return kindInfo{}, false
		}
	}
	known := append(Kinds(), Carriers()[1:]...)
	r.fault(k.line, k.col, "kind", k.what(), "expected one of "+strings.Join(known, ", ")+meant(k.scalar, known))
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
	r.faults[0].Path = d.Lift.sourcePath(path)
	return r.faults[0]
}

// Says reports whether the document has a field, whatever its value; path is as in
// faults. What it does not say is its default, which may be nobody's measurement.
func (d *Document) Says(path string) bool {
	n := d.root
	for path != "" && n != nil {
		var step string
		step, path = nextStep(path)
		if !strings.HasPrefix(step, "[") || n.kind != listNode {
			n = n.get(strings.Trim(step, `[]"`))
			continue
		}
		i, err := strconv.Atoi(strings.Trim(step, "[]"))
		if err != nil || i < 0 || i >= len(n.items) {
			return false
		}
		n = n.items[i]
	}
	return n != nil && n.kind != nullNode
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
