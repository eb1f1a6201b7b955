package kit_test

import (
	"encoding/json"
	"errors"
	"io"
	"io/fs"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/kit"
	"tachyphor/core/review"
	"tachyphor/demo"

	corev1 "k8s.io/api/core/v1"
	networkingv1 "k8s.io/api/networking/v1"
	rbacv1 "k8s.io/api/rbac/v1"
	utilyaml "k8s.io/apimachinery/pkg/util/yaml"
	"sigs.k8s.io/yaml"
)

func read(t *testing.T, path string) *document.Document {
	t.Helper()
	b, err := fs.ReadFile(demo.World, path)
	if err != nil {
		t.Fatal(err)
	}
	docs, faults := document.Parse(path, b)
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	return docs[0]
}

// changed is a document with something else in the place of a text.
func changed(t *testing.T, d *document.Document, from, to string) *document.Document {
	t.Helper()
	docs, faults := document.Parse("", []byte(strings.Replace(d.Text, from, to, 1)))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	return docs[0]
}

func demoInput(t *testing.T) kit.Input {
	return kit.Input{
		Templates: []*document.Document{
			read(t, "templates/compile-wide.yaml"), read(t, "templates/small-steady.yaml"),
			read(t, "templates/image-maker.yaml"),
		},
		Scenario: read(t, "scenarios/weekday-lean.yaml"), Cluster: read(t, "cluster.yaml"),
	}
}

// into reads every object of a kit that is of a kind, strictly.
func into[T any](t *testing.T, list []kit.Manifest, kind string) []T {
	t.Helper()
	var out []T
	for _, m := range list {
		for _, text := range strings.Split(m.Text, "\n---\n") {
			var head struct{ Kind string }
			if err := yaml.Unmarshal([]byte(text), &head); err != nil {
				t.Fatalf("%v in\n%s", err, text)
			}
			if head.Kind != kind {
				continue
			}
			var v T
			if err := yaml.UnmarshalStrict([]byte(text), &v); err != nil {
				t.Fatalf("%v in\n%s", err, text)
			}
			out = append(out, v)
		}
	}
	return out
}

// The kit's objects are read strictly by Kubernetes' own types, and hold together.
func TestKitOfTheDemo(t *testing.T) {
	list, err := kit.Kit(demoInput(t))
	if err != nil {
		t.Fatal(err)
	}
	roles := into[rbacv1.Role](t, list, "Role")
	if len(roles) != 1 || roles[0].Namespace != "slipway" || len(roles[0].Rules) != len(kit.Rights) {
		t.Fatalf("%+v", roles)
	}
	for i, r := range kit.Rights {
		rule := roles[0].Rules[i]
		resource := strings.TrimSuffix(r.Resource+"/"+r.Subresource, "/")
		if !slices.Equal(rule.Verbs, r.Verbs) || !slices.Equal(rule.Resources, []string{resource}) ||
			!slices.Equal(rule.APIGroups, []string{""}) {
			t.Errorf("the role says %+v, the rights are %+v", rule, r)
		}
	}
	binding := into[rbacv1.RoleBinding](t, list, "RoleBinding")[0]
	if binding.Subjects[0].Name != kit.Account || binding.RoleRef.Name != roles[0].Name ||
		into[corev1.ServiceAccount](t, list, "ServiceAccount")[0].Name != kit.Account {
		t.Errorf("%+v", binding)
	}
	// 24 wide at 6.55 CPU, 6 image makers at 3.5 and 20 steady at 2 are the largest 50;
	// 2 more wide, and 2 CPU for the controller: 157.2 + 21 + 40 + 13.1 + 2 = 233.3.
	quota := into[corev1.ResourceQuota](t, list, "ResourceQuota")[0]
	cpu, memory := quota.Spec.Hard["requests.cpu"], quota.Spec.Hard["requests.memory"]
	if pods := quota.Spec.Hard["pods"]; pods.Value() != 54 || cpu.MilliValue() != 233300 {
		t.Errorf("quota %v pods, %v CPU", pods.String(), cpu.String())
	}
	// 24·12.0625 + 6·8 + 20·6 + 2·12.0625 + 4 = 485.625 GiB.
	if memory.Value() != 485625<<20/1000*1024 {
		t.Errorf("quota of memory %v", memory.String())
	}
	policies := into[networkingv1.NetworkPolicy](t, list, "NetworkPolicy")
	if len(policies) != 2 || len(policies[0].Spec.Egress)+len(policies[0].Spec.Ingress) != 0 || len(policies[0].Spec.PolicyTypes) != 2 {
		t.Fatalf("%+v", policies)
	}
	if out := policies[1].Spec.Egress; len(out) != 4 || out[1].Ports[0].Port.IntValue() != 8080 ||
		out[2].To[0].IPBlock.CIDR != "10.40.0.0/16" || policies[1].Spec.PodSelector.MatchLabels["app"] != "slipway-agent" {
		t.Errorf("%+v", out)
	}
	if secrets := into[corev1.Secret](t, list, "Secret"); len(secrets) != 1 || secrets[0].Name != "slipway-join" ||
		len(secrets[0].Data)+len(secrets[0].StringData) != 0 {
		t.Errorf("%+v", secrets)
	}
}

// Each thing that a kit cannot do without is asked for by name.
func TestKitAsksForWhatItNeeds(t *testing.T) {
	change := func(d *document.Document, from, to string) *document.Document { return changed(t, d, from, to) }
	for _, c := range []struct {
		name, want string
		make       func(*kit.Input)
	}{
		{"no namespace", "has no namespace of its own", func(in *kit.Input) {
			in.Templates[0] = change(in.Templates[0], "  namespace: slipway\n", "")
		}},
		{"two namespaces", "two namespaces, slipway and quay", func(in *kit.Input) {
			in.Templates[1] = change(in.Templates[1], "namespace: slipway", "namespace: quay")
		}},
		{"no shared label", "share no label", func(in *kit.Input) {
			in.Templates[1] = change(in.Templates[1], "app: slipway-agent", "app: other")
		}},
		{"a scenario without the template", "does not use template suite-night", func(in *kit.Input) {
			in.Templates = append(in.Templates, read(t, "templates/suite-night.yaml"))
		}},
	} {
		in := demoInput(t)
		c.make(&in)
		if _, err := kit.Kit(in); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v", c.name, err)
		}
	}
	in := demoInput(t)
	in.Scenario, in.Cluster = nil, nil
	list, err := kit.Kit(in)
	if err != nil || len(into[corev1.ResourceQuota](t, list, "ResourceQuota")) != 0 ||
		!strings.Contains(kit.Stream(list), "where the controller is, nobody said") {
		t.Errorf("%v\n%s", err, kit.Stream(list))
	}
}

// A pod is what the template says, under a name that begins with its own.
func TestPodOfATemplate(t *testing.T) {
	d := read(t, "templates/compile-wide.yaml")
	var pod corev1.Pod
	if err := yaml.UnmarshalStrict([]byte(d.Pod()), &pod); err != nil {
		t.Fatal(err)
	}
	want := d.Value.(*document.PodTemplate)
	a, _ := yaml.Marshal(pod.Spec)
	b, _ := yaml.Marshal(want.Template.Spec)
	if pod.GenerateName != "compile-wide-" || pod.Namespace != "slipway" || pod.Labels["size"] != "wide" || string(a) != string(b) {
		t.Errorf("%+v", pod)
	}
	k := kit.Kustomization(append(kit.Templates([]*document.Document{d}), kit.Pods([]*document.Document{d})...))
	if !strings.Contains(k, "template-compile-wide.yaml") || strings.Contains(k, "pod-") {
		t.Error(k)
	}
}

// What caches need: an empty Secret and a rule for the store, or that a way out has it;
// volumes for each project that no other rule has.
func TestKitOfCaches(t *testing.T) {
	with := func(caching, store string) []kit.Manifest {
		in := demoInput(t)
		text, err := document.Apply(in.Scenario.Text, []document.Edit{{Op: "add", Path: "/spec/caching", Value: []any{}}})
		if err != nil {
			t.Fatal(err)
		}
		docs, faults := document.Parse("", []byte(strings.Replace(text, "caching: []", "caching: "+caching, 1)))
		if len(faults) > 0 {
			t.Fatal(faults)
		}
		in.Scenario, in.Workload = docs[0], read(t, "workload.yaml")
		in.Cluster = changed(t, in.Cluster, "http://10.41.8.4:9000/workspaces", store)
		list, err := kit.Kit(in)
		if err != nil {
			t.Fatal(err)
		}
		return list
	}
	toCache := func(list []kit.Manifest) *networkingv1.NetworkPolicy {
		for _, p := range into[networkingv1.NetworkPolicy](t, list, "NetworkPolicy") {
			if strings.HasPrefix(p.Name, "agents-") && strings.HasSuffix(p.Name, "-to-cache") {
				return &p
			}
		}
		return nil
	}
	secret := func(list []kit.Manifest) bool {
		return slices.ContainsFunc(into[corev1.Secret](t, list, "Secret"), func(s corev1.Secret) bool {
			return s.Name == kit.CacheSecret && len(s.Data) == 0 && s.Namespace == "slipway"
		})
	}
	covered := with("[{plan: archive}]", "http://10.41.8.4:9000/workspaces")
	if !secret(covered) || toCache(covered) != nil {
		t.Error("the way out for the cache store covers it")
	}
	inside := with("[{plan: archive}]", "http://caches.tide.svc:9000/w")
	if p := toCache(inside); p == nil || p.Spec.Egress[0].To[0].NamespaceSelector.MatchLabels["kubernetes.io/metadata.name"] != "tide" ||
		p.Spec.Egress[0].Ports[0].Port.IntValue() != 9000 {
		t.Errorf("%+v", p)
	}
	elsewhere := with("[{plan: archive}]", "http://10.99.0.7/w")
	if p := toCache(elsewhere); p == nil || p.Spec.Egress[0].To[0].IPBlock.CIDR != "10.99.0.7/32" ||
		p.Spec.Egress[0].Ports[0].Port.IntValue() != 80 {
		t.Errorf("%+v", p)
	}
	volumes := with("[{classes: [hull-firmware], plan: archive}, {plan: volume, size: 20Gi, copies: 2}]", "http://10.41.8.4:9000/workspaces")
	claims := into[corev1.PersistentVolumeClaim](t, volumes, "PersistentVolumeClaim")
	if len(claims) != 10 || claims[0].Name != "workspace-tide-charts-1" || claims[0].Spec.Resources.Requests.Storage().Value() != 20<<30 {
		t.Errorf("%d claims, %+v", len(claims), claims[0].ObjectMeta)
	}
	if list := with("[]", "http://10.41.8.4:9000/workspaces"); slices.ContainsFunc(list,
		func(m kit.Manifest) bool { return m.File == "cache.yaml" }) {
		t.Error("a scenario without caches needs nothing for them")
	}
}

// Under a scenario a kit is for all its templates of a namespace, whichever was named, so
// that applying one never takes from another; without one the rules of two templates stand
// beside each other.
func TestKitsDoNotTakeFromEachOther(t *testing.T) {
	shelf := &review.Shelf{}
	for _, path := range []string{
		"templates/compile-wide.yaml", "templates/small-steady.yaml", "templates/image-maker.yaml", "scenarios/weekday-lean.yaml",
		"cluster.yaml", "workload.yaml",
	} {
		shelf.Put(read(t, path))
	}
	render := func(scenario string, docs ...*document.Document) kit.Rendered {
		out, err := kit.Render(shelf, docs, scenario, []string{kit.PartKit})
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	all := render("weekday-lean", shelf.All()[:3]...)
	for _, d := range shelf.All()[:3] {
		if one := render("weekday-lean", d); one.Stream != all.Stream {
			t.Errorf("the kit for %s is not that for all:\n%s", d.Name, one.Stream)
		}
	}
	if !strings.Contains(all.Stream, "compile-wide, small-steady, image-maker, all that scenario weekday-lean uses here") {
		t.Error("it does not say whom it is for")
	}
	seen := map[string]string{}
	for _, d := range shelf.All()[:3] {
		one := render("", d)
		for _, p := range into[networkingv1.NetworkPolicy](t, one.Items, "NetworkPolicy") {
			if other, ok := seen[p.Name]; ok {
				t.Errorf("the rule %s of %s is that of %s too", p.Name, d.Name, other)
			}
			seen[p.Name] = d.Name
		}
	}
	// Where the controller lives beside agents, its containers are not bounded.
	item := into[corev1.LimitRange](t, all.Items, "LimitRange")[0].Spec.Limits[0]
	if len(item.Default)+len(item.Max) != 0 || item.DefaultRequest.Memory().Value() != 256<<20 {
		t.Errorf("%+v", item)
	}
	in := demoInput(t)
	in.Cluster = changed(t, in.Cluster, "dispatch.slipway.svc", "dispatch.harbour.svc")
	list, err := kit.Kit(in)
	if err != nil {
		t.Fatal(err)
	}
	item = into[corev1.LimitRange](t, list, "LimitRange")[0].Spec.Limits[0]
	if item.Max.Memory().IsZero() || item.Default.Memory().IsZero() {
		t.Errorf("%+v", item)
	}
}

// Whatever a document has in its names, what is rendered holds the objects that were asked
// for, in their namespace, and nothing more.
func FuzzKit(f *testing.F) {
	evil := "slipway\n---\napiVersion: rbac.authorization.k8s.io/v1\nkind: ClusterRoleBinding\nmetadata: {name: x}\nroleRef: " +
		"{apiGroup: rbac.authorization.k8s.io, kind: ClusterRole, name: cluster-admin}\nsubjects: []\n---\nx: y"
	f.Add(evil, "s", "k", "v", "http://a.b.svc:80", "store")
	f.Add("slipway", evil, "k", "v", "http://a.b.svc:80", "store")
	f.Add("slipway", "s", evil, evil, "http://a."+evil, evil)
	f.Add("slipway", "s", "app", "x", "http://dispatch.slipway.svc:8080", "source\u2028kind: Pod")
	f.Fuzz(func(t *testing.T, namespace, secret, label, value, address, way string) {
		q := func(s string) string { b, _ := json.Marshal(s); return string(b) }
		text := "apiVersion: v1\nkind: PodTemplate\nmetadata: {name: t, namespace: " + q(namespace) + "}\ntemplate:\n  metadata: {labels: {" +
			q(label) + ": " + q(value) + "}}\n" +
			"  spec:\n    containers:\n    - {name: agent, image: i, env: [{name: E, valueFrom: {secretKeyRef: {name: " + q(secret) +
			", key: k}}}]}\n"
		docs, faults := document.Parse("t", []byte(text))
		if len(faults) > 0 {
			return
		}
		in := kit.Input{Templates: docs}
		cluster := "apiVersion: tachyphor/v1\nkind: Cluster\nmetadata: {name: c}\nspec:\n  nodeTypes: [{name: n, cpu: 4, memory: " +
			"8Gi, price: 1/h}]\n  pools: [{name: p, nodeType: n, min: 0, max: 3}]\n" +
			"  controller: {inside: " + q(address) + "}\n  waysOut: [{for: " + q(way) + ", cidr: 10.0.0.0/8}]\n"
		if docs, faults := document.Parse("c", []byte(cluster)); len(faults) == 0 {
			in.Cluster = docs[0]
		}
		list, err := kit.Kit(in)
		if err != nil {
			return
		}
		want := map[string]int{"Namespace": 1, "ServiceAccount": 1, "Role": 1, "RoleBinding": 1, "NetworkPolicy": 2, "Secret": 1}
		dec := utilyaml.NewYAMLOrJSONDecoder(strings.NewReader(kit.Stream(list)), 4096)
		for {
			var o struct {
				Kind     string
				Metadata struct{ Name, Namespace string }
			}
			err := dec.Decode(&o)
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				t.Fatalf("%v in\n%s", err, kit.Stream(list))
			}
			if o.Kind == "" {
				continue
			}
			want[o.Kind]--
			if o.Kind != "Namespace" && o.Metadata.Namespace != namespace || o.Kind == "Namespace" && o.Metadata.Name != namespace ||
				o.Kind == "Secret" && o.Metadata.Name != secret {
				t.Errorf("%+v in\n%s", o, kit.Stream(list))
			}
		}
		for kind, n := range want {
			if n != 0 {
				t.Errorf("%d of kind %s are missing in\n%s", n, kind, kit.Stream(list))
			}
		}
	})
}
