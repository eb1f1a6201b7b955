package document

import (
	"reflect"
	"slices"
	"strings"

	"tachyphor/core/table"

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
func (o Other) String() string {
	if o.Name == "" {
		return o.Kind
	}
	return o.Kind + "/" + o.Name
}

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
	if len(o.Kind) > 64 || misspelt(o.APIVersion, o.Kind) {
		return o, false
	}
	if meta := valueOf(top, "metadata"); meta != nil {
		o.Name, o.Namespace = scalarAt(meta, "name"), scalarAt(meta, "namespace")
	}
	o.root = r.convert(top, 0)
	return o, true
}

// misspelt reports whether an object is meant to be one that is read here: its kind is
// almost one of those, and neither another of Kubernetes' own nor in somebody else's API
// group.
func misspelt(version, kind string) bool {
	if slices.Contains(coreKinds, kind) {
		return false
	}
	group, _, _ := strings.Cut(version, "/")
	if strings.Contains(group, ".") && !strings.HasSuffix(group, ".k8s.io") || strings.HasSuffix(group, ".x-k8s.io") {
		return false // somebody else's, whatever they call it
	}
	for _, known := range append(Kinds(), Carriers()...) {
		far := 2
		if len(known) < 5 {
			far = 1
		}
		if table.Letters(strings.ToLower(kind), strings.ToLower(known)) <= far {
			return true
		}
	}
	return false
}

// coreKinds are the kinds of Kubernetes' core API that hold no pod template.
var coreKinds = []string{
	"Binding", "ComponentStatus", "ConfigMap", "Endpoints", "Event", "LimitRange", "Namespace", "Node", "PersistentVolume",
	"PersistentVolumeClaim", "ResourceQuota", "Secret", "Service", "ServiceAccount",
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
