package document

import (
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"
)

// A Lift says where a pod template was taken from.
type Lift struct {
	// From is the kind of the object that held it; PodTemplate where it was one
	// already.
	From string
	// At are the fields that lead to the template in that object; none for a Pod,
	// which is one itself.
	At []string
	// Left are the fields that a PodTemplate has no place for, or that only the API
	// server sets; they were left behind.
	Left []string
}

// A carrier is a kind of Kubernetes that holds a pod template.
type carrier struct {
	kind, version string
	at            []string // fields that lead to the template; nil for a Pod
}

var carriers = []carrier{
	{KindPodTemplate, "v1", []string{"template"}},
	{"Pod", "v1", nil},
	{"Job", "batch/v1", []string{"spec", "template"}},
	{"CronJob", "batch/v1", []string{"spec", "jobTemplate", "spec", "template"}},
	{"Deployment", "apps/v1", []string{"spec", "template"}},
	{"StatefulSet", "apps/v1", []string{"spec", "template"}},
	{"ReplicaSet", "apps/v1", []string{"spec", "template"}},
}

// Carriers lists the kinds of Kubernetes that a pod template is taken from.
func Carriers() []string {
	names := make([]string, len(carriers))
	for i, c := range carriers {
		names[i] = c.kind
	}
	return names
}

// serverSet are the fields of an object's metadata that the API server sets, and
// refuses or ignores in what it is sent.
var serverSet = []string{
	"creationTimestamp", "deletionGracePeriodSeconds", "deletionTimestamp", "generation",
	"managedFields", "ownerReferences", "resourceVersion", "selfLink", "uid",
}

// serverNotes are annotations that tools and controllers write for themselves.
var serverNotes = []string{
	"kubectl.kubernetes.io/last-applied-configuration", "deployment.kubernetes.io/revision",
	"deprecated.daemonset.template.generation", "kubernetes.io/config.seen", "kubernetes.io/config.hash",
}

// lift makes a PodTemplate of an object that holds one. The nodes are those of
// the source, with their places and comments; nothing of the source is changed.
// changed tells whether the result's text is another than the source's.
func (r *reader) lift(y *yaml.Node) (doc *yaml.Node, l Lift, changed bool) {
	top := y.Content[0]
	kind, version := scalarAt(top, "kind"), scalarAt(top, "apiVersion")
	i := slices.IndexFunc(carriers, func(c carrier) bool { return c.kind == kind && c.version == version })
	if i < 0 {
		return y, Lift{}, false
	}
	c := carriers[i]
	l = Lift{From: c.kind, At: c.at}
	switch c.kind {
	case KindPodTemplate:
		top, changed = l.bare(top)
	case "Pod":
		top, changed = l.pod(top), true
	default:
		top, changed = r.inner(&l, top), true
	}
	if top == nil {
		return nil, l, false
	}
	out := *y
	out.Content = []*yaml.Node{top}
	return &out, l, changed
}

// bare leaves what the API server sets out of a PodTemplate's metadata.
func (l *Lift) bare(top *yaml.Node) (*yaml.Node, bool) {
	meta := valueOf(top, "metadata")
	if meta == nil || meta.Kind != yaml.MappingNode {
		return top, false
	}
	kept := l.metadata(meta)
	if len(l.Left) == 0 {
		return top, false
	}
	return with(top, "metadata", kept), true
}

// metadata copies an object's metadata without what the API server and other
// tools set.
func (l *Lift) metadata(meta *yaml.Node) *yaml.Node {
	named := valueOf(meta, "name") != nil
	out := *meta
	out.Content = nil
	for i := 0; i+1 < len(meta.Content); i += 2 {
		k, v := meta.Content[i], meta.Content[i+1]
		switch {
		case slices.Contains(serverSet, k.Value), k.Value == "generateName" && named:
			l.Left = append(l.Left, "metadata."+k.Value)
			continue
		case k.Value == "annotations" && v.Kind == yaml.MappingNode:
			v = l.without(v, "metadata.annotations", func(key string, _ *yaml.Node) bool { return slices.Contains(serverNotes, key) })
			if len(v.Content) == 0 {
				continue
			}
		case k.Value == "generateName":
			renamed, trimmed := *k, *v
			renamed.Value, trimmed.Value = "name", strings.TrimRight(v.Value, "-.")
			k, v = &renamed, &trimmed
		}
		out.Content = append(out.Content, k, v)
	}
	return &out
}

// without copies an object without some of its fields, which are noted as left.
func (l *Lift) without(n *yaml.Node, path string, drop func(string, *yaml.Node) bool) *yaml.Node {
	out := *n
	out.Content = nil
	for i := 0; i+1 < len(n.Content); i += 2 {
		if drop(n.Content[i].Value, n.Content[i+1]) {
			l.Left = append(l.Left, join(path, n.Content[i].Value))
			continue
		}
		out.Content = append(out.Content, n.Content[i], n.Content[i+1])
	}
	return &out
}

// pod makes a PodTemplate of a Pod: labels and annotations go to the template,
// what one running pod has of its own stays behind.
func (l *Lift) pod(top *yaml.Node) *yaml.Node {
	var own, inner []*yaml.Node // of the PodTemplate's metadata and of its template's
	meta := valueOf(top, "metadata")
	if meta != nil && meta.Kind == yaml.MappingNode {
		meta = l.metadata(meta)
		for i := 0; i+1 < len(meta.Content); i += 2 {
			if k := meta.Content[i].Value; k == "labels" || k == "annotations" {
				inner = append(inner, meta.Content[i], meta.Content[i+1])
			} else {
				own = append(own, meta.Content[i], meta.Content[i+1])
			}
		}
	}
	template := &yaml.Node{Kind: yaml.MappingNode, Tag: "!!map", Line: top.Line, Column: top.Column}
	if len(inner) > 0 {
		template.Content = append(template.Content, word("metadata"),
			&yaml.Node{Kind: yaml.MappingNode, Tag: "!!map", Line: meta.Line, Column: meta.Column, Content: inner})
	}
	out := *top
	out.Content = nil
	for i := 0; i+1 < len(top.Content); i += 2 {
		k, v := top.Content[i], top.Content[i+1]
		switch k.Value {
		case "kind":
			kind := *v
			kind.Value = KindPodTemplate
			out.Content = append(out.Content, k, &kind)
		case "metadata":
			m := *v
			m.Content = own
			out.Content = append(out.Content, k, &m)
		case "spec":
			if v.Kind == yaml.MappingNode {
				v = l.podSpec(v)
			}
			template.Content = append(template.Content, k, v)
		case "status":
			l.Left = append(l.Left, "status")
		default:
			out.Content = append(out.Content, k, v)
		}
	}
	out.Content = append(out.Content, word("template"), template)
	return &out
}

// accessVolume begins the names of the volumes through which the API server
// gives running pods a token.
const accessVolume = "kube-api-access-"

// podSpec copies a pod's spec without what the scheduler and the API server put
// into it: the node, and the volume of a token.
func (l *Lift) podSpec(spec *yaml.Node) *yaml.Node {
	token := func(item *yaml.Node) bool { return strings.HasPrefix(scalarAt(item, "name"), accessVolume) }
	out := l.without(spec, "spec", func(key string, v *yaml.Node) bool {
		return key == "nodeName" || key == "volumes" && len(v.Content) > 0 &&
			!slices.ContainsFunc(v.Content, func(n *yaml.Node) bool { return !token(n) })
	})
	for i := 0; i+1 < len(out.Content); i += 2 {
		k, list := out.Content[i].Value, out.Content[i+1]
		switch {
		case k == "volumes" && slices.ContainsFunc(list.Content, token):
			out.Content[i+1] = filtered(list, token)
			l.Left = append(l.Left, "spec.volumes of the API server's token")
		case k == "containers" || k == "initContainers":
			out.Content[i+1] = mapped(list, func(c *yaml.Node) *yaml.Node {
				mounts := valueOf(c, "volumeMounts")
				if mounts == nil || !slices.ContainsFunc(mounts.Content, token) {
					return c
				}
				if kept := filtered(mounts, token); len(kept.Content) > 0 {
					return with(c, "volumeMounts", kept)
				}
				return (&Lift{}).without(c, "", func(key string, _ *yaml.Node) bool { return key == "volumeMounts" })
			})
		}
	}
	return out
}

// inner makes a PodTemplate of the template within another object.
func (r *reader) inner(l *Lift, top *yaml.Node) *yaml.Node {
	at, path := top, ""
	for _, step := range l.At {
		next := valueOf(at, step)
		path = join(path, step)
		if next == nil || next.Kind != yaml.MappingNode {
			r.fault(at.Line, at.Column, path, "", "missing; a "+l.From+" has its pod template here")
			return nil
		}
		l.leaveBeside(at, step, strings.TrimSuffix(strings.TrimSuffix(path, step), "."))
		at = next
	}
	out := *top
	out.Content = nil
	for i := 0; i+1 < len(top.Content); i += 2 {
		k, v := top.Content[i], top.Content[i+1]
		switch k.Value {
		case "apiVersion", "kind":
			value := *v
			value.Value = map[string]string{"apiVersion": "v1", "kind": KindPodTemplate}[k.Value]
			out.Content = append(out.Content, k, &value)
		case "metadata":
			if v.Kind == yaml.MappingNode {
				v = l.metadata(v)
			}
			out.Content = append(out.Content, k, v)
		}
	}
	out.Content = append(out.Content, word("template"), at)
	return &out
}

// leaveBeside notes the fields that stand beside the way to the template.
func (l *Lift) leaveBeside(n *yaml.Node, step, path string) {
	for i := 0; i+1 < len(n.Content); i += 2 {
		k := n.Content[i].Value
		if k == step || path == "" && (k == "apiVersion" || k == "kind" || k == "metadata") {
			continue
		}
		l.Left = append(l.Left, join(path, k))
	}
}

// word makes a key that stands nowhere in the source.
func word(s string) *yaml.Node { return &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Value: s} }

func valueOf(n *yaml.Node, key string) *yaml.Node {
	if n.Kind != yaml.MappingNode {
		return nil
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == key {
			return n.Content[i+1]
		}
	}
	return nil
}

func scalarAt(n *yaml.Node, key string) string {
	if v := valueOf(n, key); v != nil && v.Kind == yaml.ScalarNode {
		return v.Value
	}
	return ""
}

// with copies an object with another value for a field that it has.
func with(n *yaml.Node, key string, value *yaml.Node) *yaml.Node {
	out := *n
	out.Content = slices.Clone(n.Content)
	for i := 0; i+1 < len(out.Content); i += 2 {
		if out.Content[i].Value == key {
			out.Content[i+1] = value
		}
	}
	return &out
}

func filtered(list *yaml.Node, drop func(*yaml.Node) bool) *yaml.Node {
	out := *list
	out.Content = slices.DeleteFunc(slices.Clone(list.Content), drop)
	return &out
}

func mapped(list *yaml.Node, f func(*yaml.Node) *yaml.Node) *yaml.Node {
	out := *list
	out.Content = make([]*yaml.Node, len(list.Content))
	for i, n := range list.Content {
		out.Content[i] = f(n)
	}
	return &out
}
