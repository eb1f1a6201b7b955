package review

import (
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/document"

	corev1 "k8s.io/api/core/v1"
	networkingv1 "k8s.io/api/networking/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/labels"
)

// networkRules look at how agents and their controller reach each other.
var networkRules = []Rule{
	{
		ID: "controller-outside", Severity: Risky, Title: "Agents call their controller by its outside address",
		Why: "The address that people use goes out of the cluster and back in, through a gateway that may ask for a sign-in, cut " +
			"long connections or be closed to the cluster itself. Inside, the service's own name is shorter and always there.",
		Bad: `template: {spec: {containers: [{name: agent, env: [{name: CONTROLLER_URL, value: "https://dispatch.brinewell.example"}]}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, env: [{name: CONTROLLER_URL, value: "http://dispatch.slipway.svc:8080"}]}]}}
`,
		find: controllerOutside,
	},
	{
		ID: "controller-port", Severity: WillNotWork, Title: "Agents knock at a port where the controller is not",
		Why: "The name is right and the port is not: the connection is refused, or hangs, and the agent tries again for ever " +
			"while its job waits.",
		Bad: `template: {spec: {containers: [{name: agent, env: [{name: CONTROLLER_URL, value: "http://dispatch.slipway.svc:8088"}]}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, env: [{name: CONTROLLER_URL, value: "http://dispatch.slipway.svc:8080"}]}]}}
`,
		find: controllerPort,
	},
	{
		ID: "way-out-closed", Severity: WillNotWork, Title: "A network rule keeps agents from their controller",
		Why: "Once a network policy that names egress selects a pod, everything it does not allow is closed: looking names up " +
			"too. The agent starts, resolves nothing, and never joins.",
		Bad: `apiVersion: networking.k8s.io/v1
kind: NetworkPolicy
metadata: {name: closed, namespace: slipway}
spec: {podSelector: {}, policyTypes: [Egress], egress: [{ports: [{port: 443}]}]}
`,
		Good: `apiVersion: networking.k8s.io/v1
kind: NetworkPolicy
metadata: {name: agents, namespace: slipway}
spec: {podSelector: {}, policyTypes: [Egress], egress: [{ports: [{port: 53, protocol: UDP}, {port: 8080}]}]}
`,
		find: wayOutClosed,
	},
	{
		ID: "controller-forgets", Severity: Risky, Title: "The controller forgets its jobs when its node goes",
		Why: "A controller that lives in the cluster is a pod like others: its node is replaced, updated, lost. What it keeps in its pod " +
			"or on the node's disk goes with that: the queue, jobs at work, their history and its settings.",
		Bad: `kind: Cluster
spec: {controller: {pool: core, cpu: 500m, memory: 1Gi, volume: {size: 20GB, persistent: false}}}
---
kind: Cluster
spec: {pools: [{name: core, min: 1}]}
`,
		Good: `kind: Cluster
spec: {controller: {pool: core, cpu: 500m, memory: 1Gi, volume: {size: 20GB, persistent: true}}}
---
kind: Cluster
spec: {pools: [{name: core, min: 1}]}
`,
		find: controllerForgets,
	},
	{
		ID: "controller-unrequested", Severity: Risky, Title: "The controller asks for nothing of its node",
		Why: "A pod that requests nothing is the first to be evicted when its node is short of memory, and gets what CPU its neighbours " +
			"leave. Beside large agents that is when most is going on, and then all of them wait for it.",
		Bad: `kind: Cluster
spec: {controller: {pool: core, volume: {size: 20GB, persistent: true}}, pools: [{name: core, min: 1}]}
`,
		Good: `kind: Cluster
spec: {controller: {pool: core, cpu: 500m, memory: 1Gi, volume: {size: 20GB, persistent: true}}, pools: [{name: core, min: 1}]}
`,
		find: controllerUnrequested,
	},
	{
		ID: "port-inbound", Severity: Advice, Title: "A port that nobody calls",
		Why: "Agents call their controller; nothing calls them. A port in the template promises a service that is not there, and " +
			"a host port keeps a second agent off the node.",
		Bad: `template: {spec: {containers: [{name: agent, ports: [{containerPort: 50022, hostPort: 50022}]}]}}
`,
		Good: `template: {spec: {containers: [{name: agent}]}}
`,
		find: portInbound,
	},
}

// An address is a URL in a container's environment.
type address struct {
	url  *url.URL
	name string
	path string
	ptr  []any
}

// addresses lists the URLs in the environment of all containers.
func (x *subject) addresses() []address {
	var out []address
	x.each(func(c *corev1.Container, path string, ptr []any) {
		for i, e := range c.Env {
			if u, err := url.Parse(strings.TrimSpace(e.Value)); err == nil && u.Scheme != "" && u.Hostname() != "" {
				out = append(out, address{u, e.Name, index(path+".env", i) + ".value", slices.Concat(ptr, []any{"env", i, "value"})})
			}
		}
	})
	return out
}

// controller returns where the controller is reached from inside and outside the
// cluster; nil where nobody said.
func (x *subject) controller() (inside, outside *url.URL) {
	if x.facts == nil {
		return nil, nil
	}
	read := func(s string) *url.URL {
		if s == "" {
			return nil
		}
		u, _ := url.Parse(s) // looked at when the document was read
		return u
	}
	return read(x.facts.Controller.Inside), read(x.facts.Controller.Outside)
}

// Port returns a URL's port, the scheme's own where none is given.
func Port(u *url.URL) int {
	if n, err := strconv.Atoi(u.Port()); err == nil {
		return n
	}
	return map[string]int{"http": 80, "https": 443, "ws": 80, "wss": 443}[u.Scheme]
}

func controllerOutside(x *subject) {
	inside, outside := x.controller()
	if inside == nil || outside == nil {
		return
	}
	for _, a := range x.addresses() {
		if a.url.Hostname() != outside.Hostname() {
			continue
		}
		to := *inside
		to.Path, to.RawQuery = strings.TrimSuffix(inside.Path, "/")+a.url.Path, a.url.RawQuery
		x.say(a.path, fmt.Sprintf("%s is the controller's address for people outside, %s; from inside the cluster it is %s.", a.name,
			outside.Host, inside),
			"Use the address inside the cluster.", set(to.String(), a.ptr))
	}
}

// sameService reports whether two host names of services are the same: with or
// without svc and the cluster's domain.
func sameService(a, b string) bool {
	bare := func(h string) string {
		h = strings.TrimSuffix(h, ".")
		if i := strings.Index(h, ".svc"); i >= 0 {
			h = h[:i]
		}
		return h
	}
	return bare(a) == bare(b)
}

func controllerPort(x *subject) {
	inside, _ := x.controller()
	if inside == nil {
		return
	}
	for _, a := range x.addresses() {
		if !sameService(a.url.Hostname(), inside.Hostname()) || Port(a.url) == Port(inside) {
			continue
		}
		to := *a.url
		to.Scheme, to.Host = inside.Scheme, inside.Host
		x.say(a.path, fmt.Sprintf("%s goes to port %d of the controller, which listens on %d.", a.name, Port(a.url), Port(inside)),
			"Use the port at which it listens.", set(to.String(), a.ptr))
	}
}

func wayOutClosed(x *subject) {
	inside, _ := x.controller()
	var selecting []document.Other
	var rules []networkingv1.NetworkPolicyEgressRule
	for _, o := range x.shelf.Others {
		if o.Kind != "NetworkPolicy" || !strings.HasPrefix(o.APIVersion, "networking.k8s.io/") || o.Namespace != x.p.Namespace {
			continue
		}
		var p networkingv1.NetworkPolicy
		o.Decode(&p)
		s, err := metav1.LabelSelectorAsSelector(&p.Spec.PodSelector)
		if err != nil || !s.Matches(labels.Set(x.p.Template.Labels)) {
			continue
		}
		if slices.Contains(p.Spec.PolicyTypes, networkingv1.PolicyTypeEgress) || len(p.Spec.Egress) > 0 {
			selecting, rules = append(selecting, o), append(rules, p.Spec.Egress...)
		}
	}
	if len(selecting) == 0 {
		return
	}
	open := func(port int, protocol corev1.Protocol) bool {
		return slices.ContainsFunc(rules, func(r networkingv1.NetworkPolicyEgressRule) bool {
			return len(r.Ports) == 0 || slices.ContainsFunc(r.Ports, func(p networkingv1.NetworkPolicyPort) bool {
				if p.Protocol != nil && *p.Protocol != protocol || p.Protocol == nil && protocol != corev1.ProtocolTCP {
					return false
				}
				if p.Port == nil || p.Port.IntVal == 0 && p.Port.StrVal != "" { // by name: which one, only the pods there know
					return true
				}
				last := p.Port.IntVal
				if p.EndPort != nil {
					last = *p.EndPort
				}
				return int32(port) >= p.Port.IntVal && int32(port) <= last
			})
		})
	}
	var closed []string
	if !open(53, corev1.ProtocolUDP) {
		closed = append(closed, "looking names up (port 53, UDP)")
	}
	if inside != nil && !open(Port(inside), corev1.ProtocolTCP) {
		closed = append(closed, fmt.Sprintf("the controller (port %d)", Port(inside)))
	}
	if len(closed) == 0 {
		return
	}
	x.say("metadata.namespace", fmt.Sprintf("%s selects the agents and leaves them no way out for %s: they start and never join.",
		selecting[0], listed(closed)),
		"Allow it in the policy; `tachyphor render` writes one with the ways that agents need.")
	x.elsewhere(selecting[0])
}

func portInbound(x *subject) {
	if x.c == nil || len(x.c.Ports) == 0 {
		return
	}
	var ports []string
	host := ""
	for _, p := range x.c.Ports {
		ports = append(ports, strconv.Itoa(int(p.ContainerPort)))
		if p.HostPort != 0 {
			host = fmt.Sprintf(" Port %d is taken on the node itself, so only one agent goes there.", p.HostPort)
		}
	}
	x.say(x.path+".ports", fmt.Sprintf("The agent names the %s %s; it calls its controller and nobody calls it.%s",
		several(len(ports), "port", "ports"), listed(ports), host),
		"Leave ports out.", remove(x.ptr, "ports"))
}

// controllerForgets looks at a controller of which the cluster says on which nodes it lives.
func controllerForgets(x *subject) {
	if x.facts == nil || x.facts.Controller.Pool == "" || x.facts.Controller.Keeps() {
		return
	}
	where := "in its pod"
	if x.facts.Controller.Volume != nil {
		where = "on its node's disk"
	}
	x.say("metadata.name", "The controller that these agents join keeps what it knows "+where+": when the node goes, jobs that wait and jobs at "+
		"work go with it.", "Give it a persistent volume, and say so in the cluster's document: spec.controller.volume. "+
		"An event with controllerAway and nodeGone says what it would cost.")
}

func controllerUnrequested(x *subject) {
	if x.facts == nil || x.facts.Controller.Pool == "" || x.facts.Controller.CPU > 0 && x.facts.Controller.Memory > 0 {
		return
	}
	x.say("metadata.name", "The controller that these agents join requests no CPU, or no memory, of the node that it shares with them.",
		"Give its pod requests of both, and say them in the cluster's document: spec.controller.")
}
