package review

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"tachyphor/core/document"

	corev1 "k8s.io/api/core/v1"
	rbacv1 "k8s.io/api/rbac/v1"
)

// rightRules look at what an agent may do to its node and its cluster.
var rightRules = []Rule{
	{
		ID: "rights-cluster-wide", Severity: Risky, Title: "Rights beyond the agents' namespace",
		Why: "A ClusterRoleBinding gives its rights in every namespace. A job that gets hold of such a token reaches everything " +
			"that runs in the cluster.",
		Bad: `apiVersion: rbac.authorization.k8s.io/v1
kind: ClusterRoleBinding
metadata: {name: agents}
subjects: [{kind: ServiceAccount, name: default, namespace: slipway}]
roleRef: {apiGroup: rbac.authorization.k8s.io, kind: ClusterRole, name: cluster-admin}
`,
		Good: `apiVersion: rbac.authorization.k8s.io/v1
kind: RoleBinding
metadata: {name: agents, namespace: slipway}
subjects: [{kind: ServiceAccount, name: agent-maker, namespace: slipway}]
roleRef: {apiGroup: rbac.authorization.k8s.io, kind: Role, name: agent-maker}
`,
		find: rightsClusterWide,
	},
	{
		ID: "privileged", Severity: Risky, Title: "Jobs may do anything to the node",
		Why: "A privileged container sees the node's devices and may load kernel code. Whoever gets a job onto such an agent owns " +
			"the node and all that runs on it.",
		Bad: `template: {spec: {containers: [{name: agent, securityContext: {privileged: true}}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, securityContext: {privileged: false}}]}}
`,
		find: privileged,
	},
	{
		ID: "node-socket", Severity: Risky, Title: "The node's container socket in a job's hands",
		Why: "Over the socket of the node's container runtime a job can start any container with any rights on the node, beside " +
			"Kubernetes and unseen by it: no request, no limit, no cleaning up. It is the same as root on the node.",
		Bad: `template:
  spec:
    volumes: [{name: runtime, hostPath: {path: /var/run/docker.sock}}]
`,
		Good: `template:
  spec:
    volumes: [{name: runtime, emptyDir: {sizeLimit: 100Mi}}]  # an image builder without privileges keeps its state here
`,
		find: nodeSocket,
	},
	{
		ID: "host-path", Severity: Risky, Title: "A folder of the node in a job's hands",
		Why: "What jobs write there outlives them, is seen by every agent on the node, and counts against no limit. With the " +
			"right folder a job changes the node itself.",
		Bad: `template: {spec: {volumes: [{name: deps, hostPath: {path: /srv/deps}}]}}
`,
		Good: `template: {spec: {volumes: [{name: deps, emptyDir: {sizeLimit: 4Gi}}]}}
`,
		find: hostPath,
	},
	{
		ID: "host-shared", Severity: Risky, Title: "Jobs live in the node's own network or process list",
		Why: "With the node's network a job can reach what listens on the node only, and two agents that open the same port " +
			"cannot share a node. With its processes a job sees, and as root ends, everything that runs there.",
		Bad: `template: {spec: {hostNetwork: true}}
`,
		Good: `template: {spec: {hostNetwork: false}}
`,
		find: hostShared,
	},
	{
		ID: "root-needless", Severity: Risky, Title: "Running as root though the image need not",
		Why: "The image is made to run as an ordinary user. As root, a flaw in a tool or a build script reaches further, and " +
			"files in shared caches become unreadable for other agents.",
		Bad: `template: {spec: {securityContext: {runAsUser: 0}}}
---
kind: Cluster
spec: {images: [{name: "images.brinewell.example/agents/steady:2026.9", user: 1000}]}
`,
		Good: `template: {spec: {securityContext: {runAsNonRoot: true}}}
---
kind: Cluster
spec: {images: [{name: "images.brinewell.example/agents/steady:2026.9", user: 1000}]}
`,
		find: rootNeedless,
	},
}

// binds tells whether any of a binding's subjects is a service account of the
// template's namespace, and which.
func (x *subject) binds(subjects []rbacv1.Subject) string {
	for _, s := range subjects {
		switch {
		case s.Kind == rbacv1.ServiceAccountKind && s.Namespace == x.p.Namespace:
			return "service account " + s.Name
		case s.Kind == rbacv1.GroupKind && (s.Name == "system:serviceaccounts" || s.Name == "system:serviceaccounts:"+x.p.Namespace):
			return "every service account of the namespace"
		}
	}
	return ""
}

func rightsClusterWide(x *subject) {
	wide := func(rules []rbacv1.PolicyRule) bool {
		return slices.ContainsFunc(rules, func(r rbacv1.PolicyRule) bool {
			return slices.Contains(r.Verbs, "*") || slices.Contains(r.Resources, "*")
		})
	}
	var broad []string // Roles of the namespace that give everything in it
	for _, o := range x.shelf.Others {
		if o.Kind == "Role" && o.Namespace == x.p.Namespace {
			var r rbacv1.Role
			if o.Decode(&r); wide(r.Rules) {
				broad = append(broad, o.Name)
			}
		}
	}
	for _, o := range x.shelf.Others {
		switch o.Kind {
		case "ClusterRoleBinding":
			var b rbacv1.ClusterRoleBinding
			o.Decode(&b)
			if who := x.binds(b.Subjects); who != "" {
				x.say("metadata.namespace", fmt.Sprintf("%s gives %s the rights of %s in every namespace of the cluster.", o, who, b.RoleRef.Name),
					"Bind a Role of the agents' namespace that may create, read, watch and delete pods and read their logs; "+
						"`tachyphor render` writes one.")
				x.elsewhere(o)
			}
		case "RoleBinding":
			var b rbacv1.RoleBinding
			o.Decode(&b)
			if who := x.binds(b.Subjects); who != "" && o.Namespace == x.p.Namespace &&
				(slices.Contains(broad, b.RoleRef.Name) || slices.Contains([]string{"cluster-admin", "admin"}, b.RoleRef.Name)) {
				x.say("metadata.namespace", fmt.Sprintf("%s gives %s every right in the namespace, its Secrets among them.", o, who),
					"Bind a Role that may create, read, watch and delete pods and read their logs; `tachyphor render` writes one.")
				x.elsewhere(o)
			}
		}
	}
}

func privileged(x *subject) {
	x.each(func(c *corev1.Container, at string, _ []any) {
		s := c.SecurityContext
		if s == nil {
			return
		}
		if s.Privileged != nil && *s.Privileged {
			x.say(at+".securityContext.privileged", "Container "+c.Name+" is privileged: a job in its pod can take over the node.",
				"Leave it out; images can be built without privileges.")
		}
		if s.Capabilities == nil {
			return
		}
		for _, add := range s.Capabilities.Add {
			if slices.Contains([]string{"SYS_ADMIN", "ALL", "SYS_MODULE", "SYS_PTRACE", "NET_ADMIN"}, strings.TrimPrefix(string(add), "CAP_")) {
				x.say(at+".securityContext.capabilities",
					"Container "+c.Name+" gets the capability "+string(add)+", with which it can take over the node or what runs there.", "Leave it out.")
			}
		}
	})
}

// sockets are the paths at which container runtimes listen on a node.
var sockets = []string{"docker.sock", "containerd.sock", "crio.sock", "podman.sock", "dockershim.sock", "buildkitd.sock"}

func isSocket(p string) bool { return slices.Contains(sockets, path.Base(p)) }

func nodeSocket(x *subject) {
	for i, v := range x.spec.Volumes {
		if v.HostPath != nil && isSocket(v.HostPath.Path) {
			x.say(index("template.spec.volumes", i)+".hostPath",
				"The volume "+v.Name+" is the socket of the node's container runtime: a job can start anything on the node with it, beside Kubernetes.",
				"Build images with a tool that needs neither the socket nor privileges.")
		}
	}
}

func hostPath(x *subject) {
	for i, v := range x.spec.Volumes {
		if v.HostPath != nil && !isSocket(v.HostPath.Path) {
			x.say(index("template.spec.volumes", i)+".hostPath",
				"The volume "+v.Name+" is the node's own folder "+v.HostPath.Path+", which jobs of every agent on the node share and fill.",
				"Use an emptyDir with a size limit, or a cache plan.")
		}
	}
}

func hostShared(x *subject) {
	for _, f := range []struct {
		on         bool
		name, what string
	}{
		{x.spec.HostNetwork, "hostNetwork", "network"},
		{x.spec.HostPID, "hostPID", "process list"},
		{x.spec.HostIPC, "hostIPC", "shared memory"},
	} {
		if f.on {
			x.say("template.spec."+f.name, "The agent uses the node's own "+f.what+".", "Leave "+f.name+" out.")
		}
	}
}

func rootNeedless(x *subject) {
	if x.c == nil {
		return
	}
	var user *int64
	at, steps := "template.spec.securityContext.runAsUser", []any{"template", "spec", "securityContext", "runAsUser"}
	if x.spec.SecurityContext != nil {
		user = x.spec.SecurityContext.RunAsUser
	}
	if s := x.c.SecurityContext; s != nil && s.RunAsUser != nil {
		user, at, steps = s.RunAsUser, x.path+".securityContext.runAsUser", slices.Concat(x.ptr, []any{"securityContext", "runAsUser"})
	}
	if user == nil || *user != 0 {
		return
	}
	image := x.image(x.c.Image)
	if image == nil || image.User == nil || *image.User == 0 {
		return
	}
	x.say(at, fmt.Sprintf("The agent runs as root; its image is made to run as user %d.", *image.User),
		"Leave runAsUser out and set runAsNonRoot: true.",
		remove(steps), document.Edit{
			Op: "add", Path: document.Pointer(append(slices.Clone(steps[:len(steps)-1]), "runAsNonRoot")...),
			Value: true,
		})
}

// Regarded reports whether other objects of a kind belong beside templates: rules look at
// them, or they are of what is rendered for templates.
func Regarded(kind string) bool {
	return slices.Contains([]string{
		"Secret", "NetworkPolicy", "Role", "RoleBinding", "ClusterRole", "ClusterRoleBinding",
		"ServiceAccount", "Namespace", "ResourceQuota", "LimitRange",
	}, kind)
}
