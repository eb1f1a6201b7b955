package live

import (
	"context"
	"encoding/json"
	"flag"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/kit"
	"tachyphor/core/review"
	"tachyphor/core/shelf"
	"tachyphor/demo"
	"tachyphor/internal/kube"
	"tachyphor/internal/standin/cluster"
	"tachyphor/wire"

	appsv1 "k8s.io/api/apps/v1"
	authenticationv1 "k8s.io/api/authentication/v1"
	batchv1 "k8s.io/api/batch/v1"
	corev1 "k8s.io/api/core/v1"
	discoveryv1 "k8s.io/api/discovery/v1"
	rbacv1 "k8s.io/api/rbac/v1"
	apierrors "k8s.io/apimachinery/pkg/api/errors"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/client-go/kubernetes"
	"k8s.io/client-go/rest"
	"k8s.io/client-go/tools/clientcmd"
	"sigs.k8s.io/yaml"
)

var record = flag.Bool("record", false, "write what the real control plane answers to testdata")

const namespace = "slipway"

// A place is a cluster to try things on.
type place struct {
	name   string
	path   string // of the kubeconfig
	real   bool
	conn   *kube.Cluster
	config *rest.Config
	client kubernetes.Interface
	facts  *document.Document
}

func demoDocument(t *testing.T, path string) *document.Document {
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

// everywhere runs a test on the stand-in, and on a real control plane where there
// is one.
func everywhere(t *testing.T, test func(t *testing.T, p *place)) {
	open := func(t *testing.T, name, config string) *place {
		t.Helper()
		p := &place{name: name, path: config, real: name == "real", facts: demoDocument(t, "cluster.yaml")}
		var err error
		if p.conn, err = kube.Connect(kube.Options{Kubeconfig: config}); err != nil {
			t.Fatal(err)
		}
		if p.config, err = clientcmd.BuildConfigFromFlags("", config); err != nil {
			t.Fatal(err)
		}
		p.config.QPS, p.config.Burst, p.config.ContentType = 200, 400, "application/json"
		if p.client, err = kubernetes.NewForConfig(p.config); err != nil {
			t.Fatal(err)
		}
		return p
	}
	t.Run("standin", func(t *testing.T) {
		facts := demoDocument(t, "cluster.yaml")
		c, err := cluster.Start(cluster.Options{Facts: &facts.Value.(*document.Cluster).Spec, Speed: 50, Name: "brinewell-north"})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() {
			if err := c.Close(); err != nil {
				t.Error(err)
			}
		})
		config := filepath.Join(t.TempDir(), "config.yaml")
		if err := c.Kubeconfig(config); err != nil {
			t.Fatal(err)
		}
		test(t, open(t, "standin", config))
	})
	t.Run("real", func(t *testing.T) { test(t, open(t, "real", controlPlane(t))) })
}

// plan is a preflight of the demo's templates.
func (p *place) plan(t *testing.T) kube.Plan {
	t.Helper()
	in := kit.Input{
		Templates: []*document.Document{
			demoDocument(t, "templates/compile-wide.yaml"), demoDocument(t, "templates/small-steady.yaml"),
			demoDocument(t, "templates/image-maker.yaml"),
		},
		Scenario: demoDocument(t, "scenarios/weekday-lean.yaml"), Cluster: p.facts,
	}
	list, err := kit.Kit(in)
	if err != nil {
		t.Fatal(err)
	}
	return kube.Plan{Templates: in.Templates, Kit: list, Controller: p.facts.Value.(*document.Cluster).Spec.Controller.Inside}
}

// apply applies the access kit.
func (p *place) apply(t *testing.T, list []kit.Manifest) {
	t.Helper()
	objects, err := kube.Objects(list)
	if err != nil {
		t.Fatal(err)
	}
	for _, o := range objects {
		if err := p.conn.Apply(context.Background(), o, false); err != nil {
			t.Fatalf("%s %s: %v", o.GetKind(), o.GetName(), err)
		}
	}
}

// settle puts the rest there that agents need: the token, the controller's Service
// with a ready endpoint, and the default service account.
func (p *place) settle(t *testing.T) {
	t.Helper()
	ctx := context.Background()
	if _, err := p.client.CoreV1().Secrets(namespace).Create(ctx,
		&corev1.Secret{ObjectMeta: metav1.ObjectMeta{Name: "slipway-join"}, StringData: map[string]string{"token": "made-up"}},
		metav1.CreateOptions{}); apierrors.IsAlreadyExists(err) {
		if err := p.client.CoreV1().Secrets(namespace).Delete(ctx, "slipway-join", metav1.DeleteOptions{}); err != nil {
			t.Fatal(err)
		}
		p.settle(t)
		return
	} else if err != nil {
		t.Fatal(err)
	}
	if _, err := p.client.CoreV1().Services(namespace).Create(ctx,
		&corev1.Service{ObjectMeta: metav1.ObjectMeta{Name: "dispatch"}, Spec: corev1.ServiceSpec{Ports: []corev1.ServicePort{{Port: 8080}}}},
		metav1.CreateOptions{}); err != nil {
		t.Fatal(err)
	}
	port, yes, tcp := int32(8080), true, corev1.ProtocolTCP
	if _, err := p.client.DiscoveryV1().EndpointSlices(namespace).Create(ctx, &discoveryv1.EndpointSlice{
		ObjectMeta:  metav1.ObjectMeta{Name: "dispatch-1", Labels: map[string]string{discoveryv1.LabelServiceName: "dispatch"}},
		AddressType: discoveryv1.AddressTypeIPv4, Ports: []discoveryv1.EndpointPort{{Port: &port, Protocol: &tcp}},
		Endpoints: []discoveryv1.Endpoint{{Addresses: []string{"10.9.0.7"}, Conditions: discoveryv1.EndpointConditions{Ready: &yes}}},
	}, metav1.CreateOptions{}); err != nil {
		t.Fatal(err)
	}
	eventually(t, "the default service account", func() bool {
		if !p.real {
			return true
		}
		_, err := p.client.CoreV1().ServiceAccounts(namespace).Get(ctx, "default", metav1.GetOptions{})
		return err == nil
	})
}

func eventually(t *testing.T, what string, is func() bool) {
	t.Helper()
	for deadline := time.Now().Add(2 * time.Minute); time.Now().Before(deadline); time.Sleep(50 * time.Millisecond) {
		if is() {
			return
		}
	}
	t.Fatalf("waited in vain for %s", what)
}

// line is a check as recordings have it.
type line struct {
	Name  string          `json:"name"`
	State wire.CheckState `json:"state"`
	Says  string          `json:"says"`
}

// compare holds checks against those of the real control plane: recorded by it,
// matched by the stand-in. Certificates, which each makes anew, are left out, and what the port of the controller does: there
// is nobody behind it.
func (p *place) compare(t *testing.T, name string, checks []wire.Check) {
	t.Helper()
	var lines []line
	for _, c := range checks {
		if !strings.HasPrefix(c.Name, "port ") && c.Name != "cluster reached" && c.Name != "version" && c.Name != "server's certificate" {
			lines = append(lines, line{c.Name, c.State, c.Says})
		}
	}
	path := filepath.Join("testdata", name+".json")
	if p.real && *record {
		b, err := json.MarshalIndent(lines, "", "  ")
		if err == nil {
			err = os.WriteFile(path, append(b, '\n'), 0o644)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	b, err := os.ReadFile(path)
	if err != nil {
		t.Fatalf("%v; make test-cluster RECORD=1 writes it", err)
	}
	var want []line
	if err := json.Unmarshal(b, &want); err != nil {
		t.Fatal(err)
	}
	for i := range max(len(want), len(lines)) {
		switch {
		case i >= len(lines):
			t.Errorf("%s: missing %+v", name, want[i])
		case i >= len(want):
			t.Errorf("%s: not in the recording: %+v", name, lines[i])
		case want[i].Name != lines[i].Name || want[i].State != lines[i].State:
			t.Errorf("%s: %+v, the recording has %+v", name, lines[i], want[i])
		}
	}
}

func failed(checks []wire.Check) []string {
	var out []string
	for _, c := range checks {
		if c.State != wire.CheckPassed && !strings.HasPrefix(c.Name, "port ") {
			out = append(out, c.Name+": "+c.Says)
		}
	}
	return out
}

// Before the kit is applied a preflight says what is missing, to the end; after it
// all passes; with each single right taken away it names that right; and the
// account may do what it must and nothing else.
func TestPreflightAndRights(t *testing.T) {
	everywhere(t, func(t *testing.T, p *place) {
		ctx := context.Background()
		plan := p.plan(t)
		told := 0
		before := p.conn.Preflight(ctx, plan, func(wire.Check) { told++ })
		if told != len(before) {
			t.Errorf("told %d of %d checks", told, len(before))
		}
		p.compare(t, "before", before)
		p.apply(t, plan.Kit)
		p.settle(t)
		if p.real {
			eventually(t, "the quota's figures", func() bool {
				q, err := p.client.CoreV1().ResourceQuotas(namespace).Get(ctx, "agents", metav1.GetOptions{})
				return err == nil && len(q.Status.Used) > 0
			})
		}
		after := p.conn.Preflight(ctx, plan, func(wire.Check) {})
		if bad := failed(after); len(bad) > 0 {
			t.Errorf("after the kit: %q", bad)
		}
		p.compare(t, "after", after)
		p.takesTemplates(t)
		p.eachRight(t, plan)
		p.nothingElse(t)
		p.asTheAccount(t, plan)
	})
}

// asTheAccount runs a preflight with the account's own rights, as a controller in
// the cluster has them: it sees each of its rights, and what it may not look at could
// not be told.
func (p *place) asTheAccount(t *testing.T, plan kube.Plan) {
	t.Helper()
	ctx := context.Background()
	config, err := clientcmd.LoadFromFile(p.path)
	if err != nil {
		t.Fatal(err)
	}
	for _, a := range config.AuthInfos {
		if !p.real { // which has no tokens of its own
			a.Impersonate = "system:serviceaccount:" + namespace + ":" + kit.Account
			continue
		}
		token, err := p.client.CoreV1().ServiceAccounts(namespace).CreateToken(ctx, kit.Account, &authenticationv1.TokenRequest{},
			metav1.CreateOptions{})
		if err != nil {
			t.Fatal(err)
		}
		a.Token = token.Status.Token
	}
	path := filepath.Join(t.TempDir(), "account.yaml")
	if err := clientcmd.WriteToFile(*config, path); err != nil {
		t.Fatal(err)
	}
	conn, err := kube.Connect(kube.Options{Kubeconfig: path})
	if err != nil {
		t.Fatal(err)
	}
	rights := 0
	for _, c := range conn.Preflight(ctx, plan, func(wire.Check) {}) {
		switch {
		case strings.HasPrefix(c.Name, kit.Account+" may "), strings.HasPrefix(c.Name, "agent of "):
			rights++
			if c.State != wire.CheckPassed {
				t.Errorf("as the account: %+v", c)
			}
		case c.State == wire.CheckFailed:
			t.Errorf("as the account something failed that could not be told: %+v", c)
		}
	}
	if rights != 7+len(plan.Templates) {
		t.Errorf("%d rights were looked at", rights)
	}
}

// takesTemplates sends the demo's templates to the server as they are rendered,
// mended drafts that were taken out of other objects among them: it takes them
// unchanged, every field known to it.
func (p *place) takesTemplates(t *testing.T) {
	t.Helper()
	var docs []*document.Document
	for _, name := range []string{
		"compile-wide", "small-steady", "image-maker", "suite-night", "drafts/compile-wide-draft",
		"drafts/small-steady-draft",
	} {
		d := demoDocument(t, "templates/"+name+".yaml")
		shelf := &review.Shelf{Shelf: shelf.Of(d, p.facts)}
		var edits []document.Edit
		for _, f := range shelf.Check(d) {
			edits = append(edits, f.Fix...)
		}
		text, err := document.Apply(d.Text, edits)
		if err != nil {
			t.Fatal(err)
		}
		mended, faults := document.Parse(name, []byte(text))
		if len(faults) > 0 {
			t.Fatal(faults)
		}
		docs = append(docs, mended...)
	}
	p.apply(t, kit.Templates(docs))
	got, err := p.client.CoreV1().PodTemplates(namespace).Get(context.Background(), "compile-wide", metav1.GetOptions{})
	if err != nil || got.Annotations["tachyphor/agent-container"] != "agent" || got.Template.Spec.Containers[0].Image == "" {
		t.Errorf("%+v, %v", got, err)
	}
}

// eachRight takes one right away after the other, and looks that a preflight names
// it and that the account really lacks it.
func (p *place) eachRight(t *testing.T, plan kube.Plan) {
	t.Helper()
	ctx := context.Background()
	roles := p.client.RbacV1().Roles(namespace)
	for _, r := range kit.Rights {
		for _, verb := range r.Verbs {
			role, err := roles.Get(ctx, kit.Account, metav1.GetOptions{})
			if err != nil {
				t.Fatal(err)
			}
			whole := role.DeepCopy()
			resource := strings.TrimSuffix(r.Resource+"/"+r.Subresource, "/")
			for i := range role.Rules {
				if role.Rules[i].Resources[0] == resource {
					role.Rules[i].Verbs = slices.DeleteFunc(role.Rules[i].Verbs, func(v string) bool { return v == verb })
				}
			}
			role.Rules = slices.DeleteFunc(role.Rules, func(x rbacv1.PolicyRule) bool { return len(x.Verbs) == 0 })
			if _, err := roles.Update(ctx, role, metav1.UpdateOptions{}); err != nil {
				t.Fatal(err)
			}
			name := kit.Account + " may " + verb + " " + resource
			var bad []string
			eventually(t, "the right to be gone", func() bool {
				bad = failed(p.conn.Preflight(ctx, plan, func(wire.Check) {}))
				return len(bad) > 0
			})
			if len(bad) != 1 || !strings.HasPrefix(bad[0], name) {
				t.Errorf("without %s %s: %q", verb, resource, bad)
			}
			now, err := roles.Get(ctx, kit.Account, metav1.GetOptions{})
			if err != nil {
				t.Fatal(err)
			}
			whole.ResourceVersion = now.ResourceVersion
			if _, err := roles.Update(ctx, whole, metav1.UpdateOptions{}); err != nil {
				t.Fatal(err)
			}
		}
	}
	eventually(t, "the rights to be back", func() bool { return len(failed(p.conn.Preflight(ctx, plan, func(wire.Check) {}))) == 0 })
}

// nothingElse does as the account what it must be able to do, and tries what it
// must not.
func (p *place) nothingElse(t *testing.T) {
	t.Helper()
	ctx := context.Background()
	config := rest.CopyConfig(p.config)
	config.Impersonate.UserName = "system:serviceaccount:" + namespace + ":" + kit.Account
	as, err := kubernetes.NewForConfig(config)
	if err != nil {
		t.Fatal(err)
	}
	agent := &corev1.Pod{ObjectMeta: metav1.ObjectMeta{Name: "tried", Namespace: namespace}, Spec: corev1.PodSpec{
		NodeSelector: map[string]string{"no": "such-node"},
		Containers:   []corev1.Container{{Name: "agent", Image: "images.brinewell.example/agents/steady:2026.9"}},
	}}
	pods := as.CoreV1().Pods(namespace)
	may := map[string]func() error{
		"create pods": func() error { _, err := pods.Create(ctx, agent, metav1.CreateOptions{}); return err },
		"get pods":    func() error { _, err := pods.Get(ctx, "tried", metav1.GetOptions{}); return err },
		"list pods":   func() error { _, err := pods.List(ctx, metav1.ListOptions{}); return err },
		"watch pods": func() error {
			w, err := pods.Watch(ctx, metav1.ListOptions{})
			if err == nil {
				w.Stop()
			}
			return err
		},
		"get pods/log": func() error {
			_, err := pods.GetLogs("tried", &corev1.PodLogOptions{Container: "agent"}).DoRaw(ctx)
			if !apierrors.IsForbidden(err) {
				return nil // there is no node to ask, which is not about rights
			}
			return err
		},
		"delete pods": func() error { return pods.Delete(ctx, "tried", metav1.DeleteOptions{}) },
	}
	for _, name := range []string{"create pods", "get pods", "list pods", "watch pods", "get pods/log", "delete pods"} {
		if err := may[name](); err != nil {
			t.Errorf("the account may not %s: %v", name, err)
		}
	}
	must := map[string]func() error{
		"read secrets": func() error {
			_, err := as.CoreV1().Secrets(namespace).Get(ctx, "slipway-join", metav1.GetOptions{})
			return err
		},
		"make pods elsewhere": func() error {
			other := agent.DeepCopy()
			other.Namespace = "default"
			_, err := as.CoreV1().Pods("default").Create(ctx, other, metav1.CreateOptions{})
			return err
		},
		"list all pods": func() error { _, err := as.CoreV1().Pods("").List(ctx, metav1.ListOptions{}); return err },
		"change pods": func() error {
			_, err := pods.Patch(ctx, "tried", "application/merge-patch+json", []byte(`{}`), metav1.PatchOptions{})
			return err
		},
		"see nodes": func() error { _, err := as.CoreV1().Nodes().List(ctx, metav1.ListOptions{}); return err },
		"give rights": func() error {
			_, err := as.RbacV1().Roles(namespace).List(ctx, metav1.ListOptions{})
			return err
		},
		"change the quota": func() error {
			return as.CoreV1().ResourceQuotas(namespace).Delete(ctx, "agents", metav1.DeleteOptions{})
		},
	}
	for name, try := range must {
		if err := try(); !apierrors.IsForbidden(err) {
			t.Errorf("the account could %s: %v", name, err)
		}
	}
}

// A scenario whose workspaces lie on volumes has claims in its kit, which a preflight tries
// as it tries the rest.
func TestPreflightWithVolumes(t *testing.T) {
	everywhere(t, func(t *testing.T, p *place) {
		in := kit.Input{Cluster: p.facts, Scenario: demoDocument(t, "scenarios/weekday-lean.yaml"), Workload: demoDocument(t, "workload.yaml")}
		docs, faults := document.Parse("", []byte(in.Scenario.Text+"\n  caching: [{plan: volume, size: 20Gi}]\n"))
		if len(faults) > 0 {
			t.Fatal(faults)
		}
		in.Scenario = docs[0]
		for _, u := range docs[0].Value.(*document.Scenario).Spec.Templates {
			in.Templates = append(in.Templates, demoDocument(t, "templates/"+u.Template+".yaml"))
		}
		list, err := kit.Kit(in)
		if err != nil {
			t.Fatal(err)
		}
		plan := kube.Plan{Templates: in.Templates, Kit: list}
		p.apply(t, list)
		p.settle(t)
		claims := 0
		for _, c := range p.conn.Preflight(context.Background(), plan, func(wire.Check) {}) {
			if strings.HasPrefix(c.Name, "kit: PersistentVolumeClaim ") {
				claims++
				if c.State != wire.CheckPassed {
					t.Errorf("%+v", c)
				}
			}
		}
		if claims < 5 {
			t.Errorf("%d claims were tried", claims)
		}
	})
}

// What --fix makes of a template is taken by the real server in every kind of object that
// templates come out of.
func TestFixesAreTaken(t *testing.T) {
	everywhere(t, func(t *testing.T, p *place) {
		if !p.real {
			t.Skip("the stand-in knows pods alone")
		}
		ctx, dry := context.Background(), metav1.CreateOptions{DryRun: []string{metav1.DryRunAll}, FieldValidation: metav1.FieldValidationStrict}
		p.apply(t, p.plan(t).Kit)
		p.settle(t)
		meta := `"metadata": {"name": "x", "namespace": "` + namespace + `"}`
		for kind, c := range map[string]struct {
			around string // with the template in place of %s
			create func([]byte) error
		}{
			"Pod": {"", func(b []byte) error {
				var o corev1.Pod
				if err := yaml.UnmarshalStrict(b, &o); err != nil {
					return err
				}
				_, err := p.client.CoreV1().Pods(namespace).Create(ctx, &o, dry)
				return err
			}},
			"PodTemplate": {`{"apiVersion": "v1", "kind": "PodTemplate", ` + meta + `, "template": %s}`, func(b []byte) error {
				var o corev1.PodTemplate
				if err := yaml.UnmarshalStrict(b, &o); err != nil {
					return err
				}
				_, err := p.client.CoreV1().PodTemplates(namespace).Create(ctx, &o, dry)
				return err
			}},
			"Job": {`{"apiVersion": "batch/v1", "kind": "Job", ` + meta + `, "spec": {"template": %s}}`, func(b []byte) error {
				var o batchv1.Job
				if err := yaml.UnmarshalStrict(b, &o); err != nil {
					return err
				}
				_, err := p.client.BatchV1().Jobs(namespace).Create(ctx, &o, dry)
				return err
			}},
			"CronJob": {`{"apiVersion": "batch/v1", "kind": "CronJob", ` + meta +
				`, "spec": {"schedule": "0 3 * * *", "jobTemplate": {"spec": {"template": %s}}}}`, func(b []byte) error {
				var o batchv1.CronJob
				if err := yaml.UnmarshalStrict(b, &o); err != nil {
					return err
				}
				_, err := p.client.BatchV1().CronJobs(namespace).Create(ctx, &o, dry)
				return err
			}},
			"Deployment": {`{"apiVersion": "apps/v1", "kind": "Deployment", ` + meta +
				`, "spec": {"selector": {"matchLabels": {"app": "x"}}, "template": %s}}`, func(b []byte) error {
				var o appsv1.Deployment
				if err := yaml.UnmarshalStrict(b, &o); err != nil {
					return err
				}
				_, err := p.client.AppsV1().Deployments(namespace).Create(ctx, &o, dry)
				return err
			}},
			"StatefulSet": {`{"apiVersion": "apps/v1", "kind": "StatefulSet", ` + meta +
				`, "spec": {"serviceName": "x", "selector": {"matchLabels": {"app": "x"}}, "template": %s}}`, func(b []byte) error {
				var o appsv1.StatefulSet
				if err := yaml.UnmarshalStrict(b, &o); err != nil {
					return err
				}
				_, err := p.client.AppsV1().StatefulSets(namespace).Create(ctx, &o, dry)
				return err
			}},
			"ReplicaSet": {`{"apiVersion": "apps/v1", "kind": "ReplicaSet", ` + meta +
				`, "spec": {"selector": {"matchLabels": {"app": "x"}}, "template": %s}}`, func(b []byte) error {
				var o appsv1.ReplicaSet
				if err := yaml.UnmarshalStrict(b, &o); err != nil {
					return err
				}
				_, err := p.client.AppsV1().ReplicaSets(namespace).Create(ctx, &o, dry)
				return err
			}},
		} {
			for _, draft := range []string{"compile-wide-draft", "small-steady-draft"} { // the third is privileged, which check does not mend
				d := demoDocument(t, "templates/drafts/"+draft+".yaml")
				template := d.Value.(*document.PodTemplate).Template.DeepCopy()
				template.Labels = map[string]string{"app": "x"}
				template.Spec.RestartPolicy = "" // Always, which Jobs do not take and check mends there
				if template.Annotations = maps.Clone(template.Annotations); template.Annotations == nil {
					template.Annotations = map[string]string{}
				}
				template.Annotations["tachyphor/offers"] = "linux"
				inner, err := json.Marshal(template)
				if err != nil {
					t.Fatal(err)
				}
				text := strings.Replace(c.around, "%s", string(inner), 1)
				if kind == "Pod" {
					var whole map[string]any
					if err := json.Unmarshal(inner, &whole); err != nil {
						t.Fatal(err)
					}
					whole["apiVersion"], whole["kind"] = "v1", "Pod"
					whole["metadata"].(map[string]any)["name"] = "x"
					b, err := json.Marshal(whole)
					if err != nil {
						t.Fatal(err)
					}
					text = string(b)
				}
				data := []byte(text)
				for range 4 {
					docs, faults := document.Parse(kind, data)
					if len(faults) > 0 {
						t.Fatal(faults)
					}
					shelf := &review.Shelf{Shelf: shelf.Of(docs[0], p.facts)}
					var edits []document.Edit
					for _, f := range shelf.Check(docs[0]) {
						edits = append(edits, f.Fix...)
					}
					if len(edits) == 0 {
						break
					}
					if data, err = document.Mend(data, map[*document.Document][]document.Edit{docs[0]: edits}); err != nil {
						t.Fatalf("%s of %s: %v", draft, kind, err)
					}
				}
				if err := c.create(data); err != nil {
					t.Errorf("%s in a %s, mended: %v\n%s", draft, kind, err, data)
				}
			}
		}
	})
}
