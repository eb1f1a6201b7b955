package kit

import (
	"fmt"
	"strconv"
	"strings"

	"tachyphor/core/review"

	corev1 "k8s.io/api/core/v1"
	networkingv1 "k8s.io/api/networking/v1"
	rbacv1 "k8s.io/api/rbac/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/util/intstr"
)

// part is one file of the kit.
type part struct {
	name, says string
	write      func(*facts) []object // none: it is not needed
}

var list = []part{
	{"namespace", "a place of their own for agents", namespaceOf},
	{"rights", "what whoever makes agents may do, and nothing more", rightsOf},
	{"quota", "the most that all agents together may request", quotaOf},
	{"limits", "bounds of a single container, and what it gets when it says nothing", limitsOf},
	{"network", "nothing in, and out only where agents must go", networkOf},
	{"outside", "what a controller outside the cluster needs", outsideObjects},
	{"controller", "the controller itself, its address and its volume", controllerObjects},
	{"images", "images on nodes before agents need them", prepullOfFacts},
	{"cache", "what the scenario's workspace caches need", cacheObjects},
	{"secrets", "the Secrets that templates name, to be filled by hand", secretsOf},
}

func kind(version, name string) metav1.TypeMeta {
	return metav1.TypeMeta{APIVersion: version, Kind: name}
}

func namespaceOf(f *facts) []object {
	return []object{{
		[]string{
			"A namespace of their own: rights, quotas and network rules are given to",
			"namespaces, so that what holds for agents holds for nothing else.",
		},
		corev1.Namespace{TypeMeta: kind("v1", "Namespace"), ObjectMeta: metav1.ObjectMeta{Name: f.Namespace}},
	}}
}

func rightsOf(f *facts) []object {
	never := false
	role := rbacv1.Role{TypeMeta: kind("rbac.authorization.k8s.io/v1", "Role"), ObjectMeta: f.meta(Account)}
	for _, r := range Rights {
		role.Rules = append(role.Rules, rbacv1.PolicyRule{
			APIGroups: []string{""}, Resources: []string{strings.TrimSuffix(r.Resource+"/"+r.Subresource, "/")}, Verbs: r.Verbs,
		})
	}
	return []object{
		{
			[]string{
				"Who makes agents. The controller uses this account's token; agents themselves run",
				"without one: whoever needs the token asks for it in its own pod.",
			},
			corev1.ServiceAccount{TypeMeta: kind("v1", "ServiceAccount"), ObjectMeta: f.meta(Account), AutomountServiceAccountToken: &never},
		},
		{
			[]string{
				"What it may do, in this namespace and nowhere else. An agent is a pod: made for a job,",
				"watched until it is ready and gone, taken away; and what it wrote, to see why it did not",
				"join.",
			},
			role,
		},
		{nil, rbacv1.RoleBinding{
			TypeMeta: kind("rbac.authorization.k8s.io/v1", "RoleBinding"), ObjectMeta: f.meta(Account),
			Subjects: []rbacv1.Subject{{Kind: "ServiceAccount", Name: Account, Namespace: f.Namespace}},
			RoleRef:  rbacv1.RoleRef{APIGroup: "rbac.authorization.k8s.io", Kind: "Role", Name: Account},
		}},
	}
}

// quantityOf reads an amount that was written here.
func quantityOf(s string) resource.Quantity { return resource.MustParse(s) }

func quotaOf(f *facts) []object {
	if f.Bounds == nil {
		return nil
	}
	says := []string{
		"The most that may be requested here at once: a controller gone wild stops here",
		"and not at the bill. It is for all agents of scenario " + f.Scenario + ", and comes of:",
	}
	for _, s := range f.Bounds.Sum {
		says = append(says, "  "+s)
	}
	return []object{{says, corev1.ResourceQuota{
		TypeMeta: kind("v1", "ResourceQuota"), ObjectMeta: f.meta("agents"),
		Spec: corev1.ResourceQuotaSpec{Hard: corev1.ResourceList{
			corev1.ResourcePods:                     quantityOf(strconv.Itoa(f.Bounds.Pods)),
			corev1.ResourceRequestsCPU:              quantityOf(f.Bounds.CPU),
			corev1.ResourceRequestsMemory:           quantityOf(f.Bounds.Memory),
			corev1.ResourceRequestsEphemeralStorage: quantityOf(f.Bounds.Disk),
		}},
	}}}
}

func limitsOf(f *facts) []object {
	if f.Bounds == nil {
		return nil
	}
	item := corev1.LimitRangeItem{Type: corev1.LimitTypeContainer, DefaultRequest: corev1.ResourceList{
		corev1.ResourceCPU:              quantityOf(defaultCPU.String()),
		corev1.ResourceMemory:           quantityOf(quantity(defaultMemory)),
		corev1.ResourceEphemeralStorage: quantityOf(quantity(defaultDisk)),
	}}
	says := []string{
		"What a container gets that says nothing, so that the quota can count it. No default CPU",
		"limit: it would slow work on idle nodes.",
	}
	if f.Shared {
		says = append(says, "The controller lives here too, and its containers are its own business: nobody's memory", "is limited from here.")
	} else {
		says = append(says, "And the most that one may have: the largest of the templates'.")
		item.Default = corev1.ResourceList{corev1.ResourceMemory: quantityOf(f.Bounds.DefaultMemory)}
		item.Max = corev1.ResourceList{corev1.ResourceMemory: quantityOf(f.Bounds.MostMemory)}
	}
	return []object{{says, corev1.LimitRange{
		TypeMeta: kind("v1", "LimitRange"), ObjectMeta: f.meta("agents"),
		Spec: corev1.LimitRangeSpec{Limits: []corev1.LimitRangeItem{item}},
	}}}
}

// policy is a network rule for the agents.
func (f *facts) policy(name string, types []networkingv1.PolicyType,
	out []networkingv1.NetworkPolicyEgressRule,
) networkingv1.NetworkPolicy {
	return networkingv1.NetworkPolicy{
		TypeMeta: kind("networking.k8s.io/v1", "NetworkPolicy"), ObjectMeta: f.meta(name),
		Spec: networkingv1.NetworkPolicySpec{PodSelector: metav1.LabelSelector{MatchLabels: f.Labels}, PolicyTypes: types, Egress: out},
	}
}

// ports are the ports of a rule, over a protocol.
func ports(protocol corev1.Protocol, numbers ...int) []networkingv1.NetworkPolicyPort {
	var out []networkingv1.NetworkPolicyPort
	for _, n := range numbers {
		port := intstr.FromInt32(int32(n))
		out = append(out, networkingv1.NetworkPolicyPort{Protocol: &protocol, Port: &port})
	}
	return out
}

// toNamespace are the pods of a namespace.
func toNamespace(name string) []networkingv1.NetworkPolicyPeer {
	return []networkingv1.NetworkPolicyPeer{{NamespaceSelector: &metav1.LabelSelector{MatchLabels: map[string]string{corev1.LabelMetadataName: name}}}}
}

func toCIDR(cidr string) []networkingv1.NetworkPolicyPeer {
	return []networkingv1.NetworkPolicyPeer{{IPBlock: &networkingv1.IPBlock{CIDR: cidr}}}
}

func networkOf(f *facts) []object {
	says := []string{"The few ways out. Agents call; nobody calls them. In order:", "  looking names up;"}
	out := []networkingv1.NetworkPolicyEgressRule{{
		To:    toNamespace("kube-system"),
		Ports: append(ports(corev1.ProtocolUDP, 53), ports(corev1.ProtocolTCP, 53)...),
	}}
	switch c := f.Controller; {
	case c == nil:
		says = append(says, "  where the controller is, nobody said (spec.controller of the cluster document): add",
			"  it here, or agents will not join;")
	case c.Inside:
		says = append(says, "  the controller, "+c.Address+"; this is the Service's port: where its pods listen on", "  another, name that one;")
		out = append(out, networkingv1.NetworkPolicyEgressRule{To: toNamespace(c.Namespace), Ports: ports(corev1.ProtocolTCP, c.Port)})
	default:
		says = append(says, "  the controller, "+c.Address+", which is no Service of this cluster: narrow this to", "  its addresses;")
		out = append(out, networkingv1.NetworkPolicyEgressRule{Ports: ports(corev1.ProtocolTCP, c.Port)})
	}
	for _, w := range f.Ways {
		says = append(says, "  "+w.For+";")
		out = append(out, networkingv1.NetworkPolicyEgressRule{To: toCIDR(w.CIDR), Ports: ports(corev1.ProtocolTCP, w.Ports...)})
	}
	says[len(says)-1] = strings.TrimSuffix(says[len(says)-1], ";") + "."
	both := []networkingv1.PolicyType{networkingv1.PolicyTypeIngress, networkingv1.PolicyTypeEgress}
	return []object{
		{
			[]string{"Nothing reaches an agent, and an agent reaches nothing, but for what follows. It is for", f.covers() + "."},
			f.policy(f.rule("closed"), both, nil),
		},
		{says, f.policy(f.rule("ways-out"), both[1:], out)},
	}
}

func cacheObjects(f *facts) []object {
	c := f.Cache
	if c == nil {
		return nil
	}
	out := []object{{says: append([]string{"What the scenario's workspace caches need."}, c.Notes...)}}
	if c.Archive {
		at := ""
		if c.Store != "" {
			at = ", " + c.Store
		}
		out = append(out, object{
			[]string{
				"The keys of the cache store" + at + ", made empty: what is in them never stands",
				"in a file. Give agents that build change requests a key that may only read where change",
				"requests do not save.", fill(f.Namespace, CacheSecret, "--from-file=access=./access", "--from-file=secret=./secret"),
			},
			f.secret(CacheSecret),
		})
		switch {
		case c.Way != nil:
			to := toCIDR(c.Way.CIDR)
			if c.Way.Namespace != "" {
				to = toNamespace(c.Way.Namespace)
			}
			out = append(out, object{
				[]string{"Agents reach the cache store."},
				f.policy(f.rule("to-cache"), []networkingv1.PolicyType{networkingv1.PolicyTypeEgress},
					[]networkingv1.NetworkPolicyEgressRule{{To: to, Ports: ports(corev1.ProtocolTCP, c.Way.Port)}}),
			})
		case c.Covered != "":
			out = append(out, object{says: []string{"Agents reach the store by the way out for " + c.Covered + "."}})
		default:
			out = append(out, object{says: []string{
				"Where the cache store is, nobody said in a way that a network rule can hold",
				"(spec.store.address of the cluster document): agents need a way out to it.",
			}})
		}
	}
	for _, k := range c.Claims {
		out = append(out, object{
			[]string{"A volume for the workspace of " + k.Scope + "; one agent has it at a time."},
			corev1.PersistentVolumeClaim{
				TypeMeta: kind("v1", "PersistentVolumeClaim"), ObjectMeta: f.meta(k.Name),
				Spec: corev1.PersistentVolumeClaimSpec{
					AccessModes: []corev1.PersistentVolumeAccessMode{corev1.ReadWriteOncePod},
					Resources:   corev1.VolumeResourceRequirements{Requests: corev1.ResourceList{corev1.ResourceStorage: *resource.NewQuantity(int64(k.Size), resource.BinarySI)}},
				},
			},
		})
	}
	return out
}

// secret is one that is made empty. Applied again it takes nothing away that was filled in
// by a patch, which what is applied does not remember.
func (f *facts) secret(name string) corev1.Secret {
	return corev1.Secret{TypeMeta: kind("v1", "Secret"), ObjectMeta: f.meta(name), Type: corev1.SecretTypeOpaque}
}

// fill is the command that fills a Secret.
func fill(namespace, name string, from ...string) string {
	return fmt.Sprintf("  kubectl -n %s patch secret %s --patch-file <(kubectl create secret generic %s %s --dry-run=client -o yaml)",
		namespace, name, name, strings.Join(from, " "))
}

func secretsOf(f *facts) []object {
	var out []object
	for _, s := range f.Secrets {
		if s.Pull {
			out = append(out, object{says: []string{
				s.Name + ", for pulling images, cannot be made empty:",
				fmt.Sprintf("  kubectl -n %s create secret docker-registry %s --docker-server=... --docker-username=... --docker-password=...",
					f.Namespace, s.Name),
			}})
			continue
		}
		out = append(out, object{[]string{
			"Made empty: what is in it never stands in a file, and pods wait until its keys are there.",
			"Fill it from files, so that nothing stays in the shell's history; applying this again", "leaves what was filled in:",
			fill(f.Namespace, s.Name, sources(s)...),
		}, f.secret(s.Name)})
	}
	return out
}

// sources are the files that a Secret is filled from.
func sources(s review.SecretUse) []string {
	var out []string
	for _, k := range s.Keys {
		out = append(out, fmt.Sprintf("--from-file=%s=./%s", k, k))
	}
	if out == nil {
		out = append(out, "--from-env-file=./"+s.Name+".env")
	}
	return out
}
