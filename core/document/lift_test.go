package document_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/document"

	corev1 "k8s.io/api/core/v1"
	"sigs.k8s.io/yaml"
)

// apiData returns the folder of the API's own fully populated manifests.
func apiData(t testing.TB) string {
	t.Helper()
	out, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "k8s.io/api").Output()
	if err != nil {
		t.Fatal(err)
	}
	return filepath.Join(strings.TrimSpace(string(out)), "testdata", "HEAD")
}

// whole are the API's manifests with a pod template, and where it is in them.
var whole = map[string][]string{
	"core.v1.PodTemplate": {"template"}, "core.v1.Pod": {}, "batch.v1.Job": {"spec", "template"},
	"batch.v1.CronJob": {"spec", "jobTemplate", "spec", "template"}, "apps.v1.Deployment": {"spec", "template"},
	"apps.v1.StatefulSet": {"spec", "template"}, "apps.v1.ReplicaSet": {"spec", "template"},
}

// Every field of every pod template among the API's own test data comes through:
// read, lifted, written and read again.
func TestEveryFieldComesThrough(t *testing.T) {
	dir := apiData(t)
	for name, at := range whole {
		for _, ending := range []string{".yaml", ".json"} {
			data, err := os.ReadFile(filepath.Join(dir, name+ending))
			if err != nil {
				t.Fatal(err)
			}
			source := strings.NewReplacer( // names that Kubernetes itself takes
				"nameValue", "name-value", "namespaceValue", "namespace-value", "serviceAccountNameValue", "account-value", "secretNameValue",
				"secret-value",
			).Replace(string(data))
			docs, faults := document.Parse(name+ending, []byte(source))
			if len(faults) > 0 || len(docs) != 1 {
				t.Fatalf("%s%s: %v", name, ending, faults)
			}
			var tree map[string]any
			if err := yaml.Unmarshal([]byte(source), &tree); err != nil {
				t.Fatal(err)
			}
			for _, step := range at {
				tree = tree[step].(map[string]any)
			}
			want := tree["spec"]
			if name == "core.v1.Pod" { // the node is one pod's own
				delete(tree["spec"].(map[string]any), "nodeName")
			}
			for round, text := range []string{docs[0].Text, again(t, docs[0].Text)} {
				got := docs[0]
				if round > 0 {
					got = one(t, text)
				}
				b, err := json.Marshal(got.Value.(*document.PodTemplate).Template.Spec)
				if err != nil {
					t.Fatal(err)
				}
				var have any
				if err := json.Unmarshal(b, &have); err != nil {
					t.Fatal(err)
				}
				if diff := difference("spec", want, have); diff != "" {
					t.Errorf("%s%s, round %d: %s", name, ending, round, diff)
				}
			}
			if at := docs[0].Lift.At; !slices.Equal(at, whole[name]) {
				t.Errorf("%s: lifted from %v", name, at)
			}
			if ending == ".json" && !json.Valid([]byte(docs[0].Text)) {
				t.Errorf("%s: JSON became something else", name)
			}
			for _, server := range []string{"uid:", "resourceVersion:", "managedFields:", `"status"`} {
				top, _, _ := strings.Cut(docs[0].Text, "template")
				if strings.Contains(top, server) {
					t.Errorf("%s%s: %s is still there", name, ending, server)
				}
			}
		}
	}
}

func one(t testing.TB, text string) *document.Document {
	t.Helper()
	docs, faults := document.Parse("", []byte(text))
	if len(faults) > 0 || len(docs) != 1 {
		t.Fatal(faults, len(docs))
	}
	return docs[0]
}

// again returns a document's text after it was read once more.
func again(t testing.TB, text string) string { return one(t, text).Text }

// difference names the first field in which two trees differ. Numbers and text of
// the same look are the same: quantities are read from either.
func difference(path string, a, b any) string {
	switch x := a.(type) {
	case map[string]any:
		y, ok := b.(map[string]any)
		if !ok {
			return path
		}
		for k := range x {
			if d := difference(path+"."+k, x[k], y[k]); d != "" {
				return d
			}
		}
		for k := range y {
			if _, ok := x[k]; !ok {
				return path + "." + k
			}
		}
		return ""
	case []any:
		y, ok := b.([]any)
		if !ok || len(x) != len(y) {
			return path
		}
		for i := range x {
			if d := difference(path+"[]", x[i], y[i]); d != "" {
				return d
			}
		}
		return ""
	}
	if !reflect.DeepEqual(a, b) {
		return path
	}
	return ""
}

const deployment = `# The agents of old.
apiVersion: apps/v1
kind: Deployment
metadata:
  # Named after the size.
  name: wide
  namespace: slipway
  uid: 7f1d
  annotations: {tachyphor/offers: "linux, cxx", deployment.kubernetes.io/revision: "4"}
spec:
  replicas: 6
  selector: {matchLabels: {app: wide}}
  template:
    metadata: {labels: {app: wide}}
    spec:
      containers:
        # Runs the jobs.
        - name: agent
          image: images.brinewell.example/agents/wide:2026.9 # monthly
`

// What is lifted keeps comments, order and its places in the source; what had to
// be left behind is named.
func TestLiftKeepsCommentsAndPlaces(t *testing.T) {
	d := one(t, deployment)
	for _, want := range []string{
		"# The agents of old.", "# Named after the size.", "# Runs the jobs.", "# monthly", "kind: PodTemplate",
		"apiVersion: v1\n",
	} {
		if !strings.Contains(d.Text, want) {
			t.Errorf("the text lacks %q:\n%s", want, d.Text)
		}
	}
	if want := []string{
		"spec.replicas", "spec.selector", "metadata.uid",
		`metadata.annotations["deployment.kubernetes.io/revision"]`,
	}; !slices.Equal(d.Lift.Left, want) {
		t.Errorf("left %q, want %q", d.Lift.Left, want)
	}
	if line, column, at := d.Place("template.spec.containers[0].image"); line != 19 || column != 18 ||
		at != "spec.template.spec.containers[0].image" {
		t.Errorf("%d:%d %s", line, column, at)
	}
	if _, faults := document.Parse("d.yaml", []byte(strings.Replace(deployment, "image:", "imago:", 1))); len(faults) == 0 ||
		faults[0].String() != `d.yaml:19:11: spec.template.spec.containers[0].imago: found an unknown field; the fields here are name, image, command, args, workingDir, ports, envFrom, env, resources, resizePolicy, restartPolicy, restartPolicyRules and 13 more; did you mean "image"?` {
		t.Errorf("%v", faults)
	}
	if _, faults := document.Parse("d.yaml", []byte(strings.Replace(deployment, "  template:", "  templat:", 1))); len(faults) != 1 ||
		!strings.Contains(faults[0].String(), "spec.template: missing; a Deployment has its pod template here") {
		t.Errorf("%v", faults)
	}
}

const running = `apiVersion: v1
kind: List
items:
- apiVersion: v1
  kind: Pod
  metadata: {generateName: wide-, labels: {app: wide}, resourceVersion: "88"}
  spec:
    nodeName: core-001
    containers:
    - name: agent
      image: &image images.brinewell.example/agents/wide:2026.9
      volumeMounts: [{name: kube-api-access-x7, mountPath: /var/run/secrets/kubernetes.io/serviceaccount}]
    - {name: more, image: *image, volumeMounts: [{name: work, mountPath: /workspace}, {name: kube-api-access-x7, mountPath: /x}]}
    volumes: [{name: work, emptyDir: {}}, {name: kube-api-access-x7, projected: {}}]
  status: {phase: Running}
- apiVersion: v1
  kind: Service
  metadata: {name: dispatch}
`

// Running pods, as the API gives them in a list, become templates; other objects
// are told apart.
func TestRunningPodsBecomeTemplates(t *testing.T) {
	r := document.Read("pods.yaml", []byte(running))
	if len(r.Faults) > 0 || len(r.Documents) != 1 || len(r.Others) != 1 || r.Others[0].String() != "Service/dispatch" {
		t.Fatalf("%+v", r)
	}
	d := r.Documents[0]
	spec := d.Value.(*document.PodTemplate).Template.Spec
	if d.Name != "wide" || spec.NodeName != "" || len(spec.Volumes) != 1 || len(spec.Containers[0].VolumeMounts) != 0 ||
		len(spec.Containers[1].VolumeMounts) != 1 ||
		spec.Containers[1].Image != spec.Containers[0].Image || d.Value.(*document.PodTemplate).Template.Labels["app"] != "wide" {
		t.Errorf("%s: %+v", d.Name, spec)
	}
	if again := one(t, d.Text); again.Digest != d.Digest {
		t.Errorf("read again it is another:\n%s", d.Text)
	}
	if _, faults := document.Parse("s.yaml", []byte("apiVersion: v1\nkind: Service\nmetadata: {name: a}\n")); len(faults) != 1 ||
		!strings.Contains(faults[0].String(), "found Service/a; expected a document") {
		t.Errorf("%v", faults)
	}
	for _, slip := range []string{"Deploymnt", "PodTemplates", "pod"} {
		if _, faults := document.Parse("s.yaml", []byte("apiVersion: v1\nkind: "+slip+"\nmetadata: {name: a}\n")); len(faults) != 1 ||
			!strings.Contains(faults[0].String(), "did you mean") {
			t.Errorf("%s: %v", slip, faults)
		}
	}
}

// Edits of a lifted template are made in the object that it came from, and the
// rest of the stream stays byte for byte.
func TestMendEditsTheSource(t *testing.T) {
	const before = "# First.\napiVersion: v1\nkind: Service\nmetadata:   {name: a}\n"
	stream := before + "---\n" + deployment + "---\n" + running
	r := document.Read("x.yaml", []byte(stream))
	if len(r.Documents) != 2 {
		t.Fatal(r.Faults)
	}
	edits := map[*document.Document][]document.Edit{
		r.Documents[0]: {
			{Op: "add", Path: "/template/spec/automountServiceAccountToken", Value: false},
			{Op: "replace", Path: "/template/spec/containers/0/name", Value: "main"},
		},
	}
	out, err := document.Mend([]byte(stream), edits)
	if err != nil {
		t.Fatal(err)
	}
	got := string(out)
	if !strings.HasPrefix(got, before+"---\n# The agents of old.") || !strings.HasSuffix(got, "---\n"+running) {
		t.Errorf("the rest changed:\n%s", got)
	}
	again := document.Read("x.yaml", out)
	if len(again.Documents) != 2 || len(again.Faults) > 0 {
		t.Fatal(again.Faults, got)
	}
	spec := again.Documents[0].Value.(*document.PodTemplate).Template.Spec
	if spec.AutomountServiceAccountToken == nil || *spec.AutomountServiceAccountToken || spec.Containers[0].Name != "main" ||
		!strings.Contains(got, "# Runs the jobs.") || !strings.Contains(got, "replicas: 6") {
		t.Errorf("%s", got)
	}
	items := strings.ReplaceAll(strings.ReplaceAll(running, "&image ", ""), "*image", "other")
	r = document.Read("x.yaml", []byte(items))
	out, err = document.Mend([]byte(items), map[*document.Document][]document.Edit{
		r.Documents[0]: {
			{Op: "add", Path: "/template/spec/restartPolicy", Value: string(corev1.RestartPolicyNever)},
			{Op: "add", Path: "/metadata/annotations/tachyphor~1offers", Value: "linux"},
		},
	})
	if err != nil || !strings.Contains(string(out), "restartPolicy: Never") || !strings.Contains(string(out), "tachyphor/offers: linux") ||
		!strings.Contains(string(out), "kind: Service") {
		t.Errorf("%v\n%s", err, out)
	}
}

// An edit keeps the quotes and the comment of what it replaces.
func TestEditsKeepQuotesAndComments(t *testing.T) {
	const text = "apiVersion: v1\nkind: PodTemplate\nmetadata: {name: a}\ntemplate:\n  spec:\n    containers:\n      - {name: " +
		"agent, image: \"a: 1\"} # monthly\n"
	got, err := document.Apply(text, []document.Edit{{
		Op: "replace", Path: document.Pointer("template", "spec", "containers", 0, "image"),
		Value: "b: 2",
	}})
	if want := strings.Replace(text, `"a: 1"`, `"b: 2"`, 1); err != nil || got != want {
		t.Errorf("%v\n%s", err, got)
	}
}
