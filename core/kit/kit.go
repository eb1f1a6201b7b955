// Package kit writes what a cluster needs before agents can run in it: a
// namespace, the rights of whoever makes agents, bounds, network rules and the
// Secrets that templates name. Every object says what it is for.
package kit

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/review"

	"k8s.io/apimachinery/pkg/util/validation"
)

// Account is the service account of whoever makes agents.
const Account = "agent-maker"

// Rights are what the account may do, in its namespace and nowhere else: verbs by
// resource.
var Rights = []Right{
	{"pods", "", []string{"create", "get", "list", "watch", "delete"}},
	{"pods", "log", []string{"get"}},
}

// A Right is what may be done with one resource of the core API group.
type Right struct {
	Resource, Subresource string
	Verbs                 []string
}

// A Manifest is one file of what is rendered.
type Manifest struct {
	File string `json:"file" doc:"Name of the file."`
	Part string `json:"part" enum:"template,pod,kit,shards" doc:"What it belongs to."`
	For  string `json:"for" doc:"What it is for."`
	Text string `json:"text" doc:"The manifest, as YAML."`
}

// Input is what a kit is made for.
type Input struct {
	Templates []*document.Document // PodTemplates of one namespace; of the scenario, all that it uses there
	Scenario  *document.Document   // gives ceilings; may be nil
	Cluster   *document.Document   // gives the controller and the ways out; may be nil
	Workload  *document.Document   // gives the projects that have a workspace; may be nil
}

type wayOut struct {
	For, CIDR string
	Ports     []int
}

// facts are what the parts are written from.
type facts struct {
	Namespace  string
	Scope      string   // what the kit covers: a scenario, or a template
	Scenario   string   // "" for none
	Templates  []string // that it covers
	Bounds     *bounds
	Labels     map[string]string // that all templates' pods share; nil: none
	Controller *controller
	Shared     bool // the controller lives in the namespace too
	Ways       []wayOut
	Secrets    []review.SecretUse
	Cache      *cache // nil: the scenario has none
	Prepull    []prepull
	Hosted     *hosted // nil: the controller is not rendered
}

// rule is the name of a network rule: of what the kit covers, so that kits for other
// agents of the namespace stand beside it and take nothing away.
func (f *facts) rule(what string) string {
	name := "agents-" + f.Scope + "-" + what
	if len(name) > 63 {
		sum := sha256.Sum256([]byte(f.Scope))
		name = "agents-" + hex.EncodeToString(sum[:8]) + "-" + what
	}
	return name
}

// covers says whom the kit is for.
func (f *facts) covers() string {
	who := "the agents of " + strings.Join(f.Templates, ", ")
	if f.Scenario != "" {
		who += ", all that scenario " + f.Scenario + " uses here"
	}
	return who
}

type controller struct {
	Address, Name, Namespace string
	Port                     int
	Inside                   bool // it is a service of the cluster
}

// Kit writes the access kit. The error says what it cannot be written without.
func Kit(in Input) ([]Manifest, error) {
	f, err := gather(in)
	if err != nil {
		return nil, err
	}
	var out []Manifest
	for _, p := range list {
		objects := p.write(&f)
		if len(objects) == 0 {
			continue
		}
		text, err := written(objects)
		if err != nil {
			return nil, err
		}
		out = append(out, Manifest{p.name + ".yaml", PartKit, p.says, text})
	}
	return out, nil
}

func gather(in Input) (facts, error) {
	f := facts{Cache: cacheOf(in)}
	if in.Scenario != nil {
		f.Scenario, f.Scope = in.Scenario.Name, named(in.Scenario.Name)
	}
	for i, d := range in.Templates {
		p := d.Value.(*document.PodTemplate)
		if p.Namespace == "" || p.Namespace == "default" {
			return f, fmt.Errorf("template %s has no namespace of its own; give it one in metadata.namespace, for rights and bounds "+
				"are given to namespaces", d.Name)
		}
		if f.Namespace != "" && p.Namespace != f.Namespace {
			return f, fmt.Errorf("templates %s and %s live in two namespaces, %s and %s; render a kit for each", in.Templates[0].Name, d.Name,
				f.Namespace, p.Namespace)
		}
		if err := label("the namespace", p.Namespace); err != nil {
			return f, fmt.Errorf("template %s: %w", d.Name, err)
		}
		f.Namespace = p.Namespace
		f.Templates = append(f.Templates, d.Name)
		f.Labels = shared(f.Labels, p.Template.Labels, i == 0)
		for _, s := range review.Secrets(&p.Template.Spec) {
			if err := subdomain("the Secret", s.Name); err != nil {
				return f, fmt.Errorf("template %s: %w", d.Name, err)
			}
			for _, k := range s.Keys {
				if len(validation.IsConfigMapKey(k)) > 0 {
					return f, fmt.Errorf("template %s: %q is not a key of a Secret: letters, digits, dashes, dots and underlines", d.Name, k)
				}
			}
			f.addSecret(s)
		}
	}
	if in.Cluster != nil {
		spec := &in.Cluster.Value.(*document.Cluster).Spec
		f.Controller = controllerOf(spec.Controller.Inside)
		for _, w := range spec.WaysOut {
			f.Ways = append(f.Ways, wayOut(w))
		}
	}
	if f.Scope == "" {
		f.Scope = scopeOf(f.Templates)
	}
	if c := f.Controller; c != nil && c.Inside {
		if err := label("the controller's namespace", c.Namespace); err != nil {
			return f, err
		}
	}
	f.Shared = f.Controller != nil && f.Controller.Namespace == f.Namespace
	if f.Shared && len(f.Labels) == 0 {
		return f, fmt.Errorf("the controller lives in namespace %s too, and the templates' pods share no label by which network "+
			"rules could tell agents from it; give every template the same label, as in app: build-agent", f.Namespace)
	}
	f.Hosted = hostedOf(in, f.Controller)
	var err error
	if f.Prepull, err = prepullOf(in); err != nil {
		return f, err
	}
	f.Bounds, err = boundsOf(in, f.Shared)
	return f, err
}

// scopeOf names a few templates without a scenario.
func scopeOf(templates []string) string {
	sorted := slices.Sorted(slices.Values(templates))
	if len(sorted) == 1 {
		return named(sorted[0])
	}
	sum := sha256.Sum256([]byte(strings.Join(sorted, " ")))
	return hex.EncodeToString(sum[:4])
}

// shared keeps the labels that are the same in both.
func shared(a, b map[string]string, first bool) map[string]string {
	if first {
		return maps.Clone(b)
	}
	out := map[string]string{}
	for k, v := range a {
		if w, ok := b[k]; ok && v == w {
			out[k] = v
		}
	}
	return out
}

func (f *facts) addSecret(s review.SecretUse) {
	i := slices.IndexFunc(f.Secrets, func(o review.SecretUse) bool { return o.Name == s.Name })
	if i < 0 {
		f.Secrets = append(f.Secrets, s)
		return
	}
	o := &f.Secrets[i]
	for _, k := range s.Keys {
		if !slices.Contains(o.Keys, k) {
			o.Keys = append(o.Keys, k)
		}
	}
	o.Pull = o.Pull || s.Pull
}

// controllerOf reads the controller's address inside the cluster.
func controllerOf(address string) *controller {
	u, err := url.Parse(address)
	if address == "" || err != nil {
		return nil
	}
	c := &controller{Address: address, Port: review.Port(u)}
	c.Name, c.Namespace, c.Inside = Service(u.Hostname())
	return c
}

// Service reads the name of a Service as it is inside a cluster: name.namespace,
// with or without svc and the cluster's domain.
func Service(host string) (name, namespace string, ok bool) {
	words := strings.Split(strings.TrimSuffix(host, "."), ".")
	if len(words) < 2 || len(words) > 2 && words[2] != "svc" || words[0] == "" {
		return "", "", false
	}
	return words[0], words[1], true
}
