package document

import (
	"reflect"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"
)

// An Other is an object of Kubernetes that is no document and holds no pod
// template: it is not stored, but what it says may bear on templates.
type Other struct {
	APIVersion, Kind, Namespace, Name string
	File                              string
	root                              *node
}

// String names it as Kubernetes' own tools do.
func (o Other) String() string { return o.Kind + "/" + o.Name }

// Decode fills into, a pointer to the object's Go type. What does not fit is
// passed over: the API server is the judge of these objects.
func (o Other) Decode(into any) {
	r := &reader{file: o.File}
	r.decode(o.root, reflect.ValueOf(into).Elem(), "")
}

// Place returns the line and column of the object.
func (o Other) Place() (line, column int) { return o.root.line, o.root.col }

// otherOf tells objects of Kubernetes apart from documents, misspelt ones among
// them, which are faults.
func otherOf(file string, r *reader, y *yaml.Node) (Other, bool) {
	top := y.Content[0]
	o := Other{
		APIVersion: scalarAt(top, "apiVersion"), Kind: scalarAt(top, "kind"),
		File: file,
	}
	if o.APIVersion == "" || o.Kind == "" || strings.HasPrefix(o.APIVersion, "tachyphor/") {
		return o, false
	}
	for _, known := range append(Kinds(), Carriers()...) {
		if d := editDistance(strings.ToLower(o.Kind), strings.ToLower(known)); d <= 2 && len(o.Kind) < 64 {
			return o, false
		}
	}
	if meta := valueOf(top, "metadata"); meta != nil {
		o.Name, o.Namespace = scalarAt(meta, "name"), scalarAt(meta, "namespace")
	}
	if o.Name == "" || len(o.Kind) > 64 {
		return o, false
	}
	o.root = r.convert(top, 0)
	return o, true
}

// hasAlias reports whether anything in the tree stands for something else.
func hasAlias(y *yaml.Node) bool {
	return y.Kind == yaml.AliasNode || slices.ContainsFunc(y.Content, hasAlias)
}

// expanded copies a tree with its aliases written out. Call it only on trees that
// convert has found within the limits.
func expanded(y *yaml.Node) *yaml.Node {
	if y.Kind == yaml.AliasNode {
		out := *expanded(y.Alias)
		out.Line, out.Column = y.Line, y.Column
		return &out
	}
	out := *y
	out.Anchor, out.Alias = "", nil
	out.Content = make([]*yaml.Node, len(y.Content))
	for i, c := range y.Content {
		out.Content[i] = expanded(c)
	}
	return &out
}
