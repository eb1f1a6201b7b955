// Package kit writes what a cluster needs before agents can run in it: a
// namespace, the rights of whoever makes agents, bounds, network rules and the
// Secrets that templates name. Every object says what it is for.
package kit

import (
	"bytes"
	"embed"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"text/template"

	"tachyphor/core/document"
	"tachyphor/core/review"
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
	Part string `json:"part" enum:"template,pod,kit" doc:"What it belongs to."`
	For  string `json:"for" doc:"What it is for."`
	Text string `json:"text" doc:"The manifest, as YAML."`
}

// Input is what a kit is made for.
type Input struct {
	Templates []*document.Document // PodTemplates of one namespace
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
	Namespace, Account string
	Bounds             *bounds
	Labels             map[string]string // that all templates' pods share; nil: none
	Controller         *controller
	Ways               []wayOut
	Secrets            []review.SecretUse
	Cache              *cache // nil: the scenario has none
	CacheSecret        string
}

type controller struct {
	Address, Namespace string
	Port               int
	Inside             bool // it is a service of the cluster
}

//go:embed parts
var parts embed.FS

// part is one file of the kit.
type part struct {
	name, says string
	when       func(facts) bool
}

var list = []part{
	{"namespace", "a place of their own for agents", nil},
	{"rights", "what whoever makes agents may do, and nothing more", nil},
	{"quota", "the most that all agents together may request", func(f facts) bool { return f.Bounds != nil }},
	{"limits", "bounds of a single container, and what it gets when it says nothing", func(f facts) bool { return f.Bounds != nil }},
	{"network", "nothing in, and out only where agents must go", nil},
	{"cache", "what the scenario's workspace caches need", func(f facts) bool { return f.Cache != nil }},
	{"secrets", "the Secrets that templates name, to be filled by hand", func(f facts) bool { return len(f.Secrets) > 0 }},
}

// Kit writes the access kit. The error says what it cannot be written without.
func Kit(in Input) ([]Manifest, error) {
	f, err := gather(in)
	if err != nil {
		return nil, err
	}
	t, err := template.New("").Funcs(template.FuncMap{
		"quote":  strconv.Quote,
		"sorted": func(m map[string]string) []string { return slices.Sorted(maps.Keys(m)) },
	}).ParseFS(parts, "parts/*.yaml")
	if err != nil {
		return nil, err
	}
	var out []Manifest
	for _, p := range list {
		if p.when != nil && !p.when(f) {
			continue
		}
		var b bytes.Buffer
		if err := t.ExecuteTemplate(&b, p.name+".yaml", f); err != nil {
			return nil, err
		}
		out = append(out, Manifest{p.name + ".yaml", "kit", p.says, b.String()})
	}
	return out, nil
}

func gather(in Input) (facts, error) {
	f := facts{Account: Account, Cache: cacheOf(in), CacheSecret: CacheSecret}
	for i, d := range in.Templates {
		p := d.Value.(*document.PodTemplate)
		if p.Namespace == "" || p.Namespace == "default" {
			return f, fmt.Errorf("template %s has no namespace of its own; give it one in metadata.namespace, for rights and bounds are given to namespaces", d.Name)
		}
		if f.Namespace != "" && p.Namespace != f.Namespace {
			return f, fmt.Errorf("templates %s and %s live in two namespaces, %s and %s; render a kit for each", in.Templates[0].Name, d.Name, f.Namespace, p.Namespace)
		}
		f.Namespace = p.Namespace
		f.Labels = shared(f.Labels, p.Template.Labels, i == 0)
		for _, s := range review.Secrets(&p.Template.Spec) {
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
	same := f.Controller != nil && f.Controller.Namespace == f.Namespace
	if same && len(f.Labels) == 0 {
		return f, fmt.Errorf("the controller lives in namespace %s too, and the templates' pods share no label by which network rules could tell agents from it; give every template the same label, as in app: build-agent", f.Namespace)
	}
	var err error
	f.Bounds, err = boundsOf(in, same)
	return f, err
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
	_, c.Namespace, c.Inside = Service(u.Hostname())
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
