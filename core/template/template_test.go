package template

import (
	"slices"
	"strings"
	"testing"

	"tachyphor/core/document"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	"sigs.k8s.io/yaml"
)

func box(cpu, memory string) corev1.Container {
	list := corev1.ResourceList{}
	if cpu != "" {
		list["cpu"] = resource.MustParse(cpu)
	}
	if memory != "" {
		list["memory"] = resource.MustParse(memory)
	}
	return corev1.Container{Resources: corev1.ResourceRequirements{Requests: list}}
}

func sidecar(cpu, memory string) corev1.Container {
	c, always := box(cpu, memory), corev1.ContainerRestartPolicyAlways
	c.RestartPolicy = &always
	return c
}

// The sums were read off a real scheduler.
func TestEffectiveRequest(t *testing.T) {
	one := box("500m", "256Mi")
	for _, c := range []struct {
		name string
		spec corev1.PodSpec
		want Request
	}{
		{"two containers add", corev1.PodSpec{Containers: []corev1.Container{one, box("250m", "256Mi")}}, Request{CPU: 750, Memory: 512 << 20}},
		{"init containers take their largest", corev1.PodSpec{
			Containers:     []corev1.Container{one},
			InitContainers: []corev1.Container{box("1", "128Mi"), box("200m", "600Mi")},
		}, Request{CPU: 1000, Memory: 600 << 20}},
		{"sidecar before an init adds to both", corev1.PodSpec{
			Containers:     []corev1.Container{one},
			InitContainers: []corev1.Container{sidecar("100m", "64Mi"), box("1", "128Mi")},
		}, Request{CPU: 1100, Memory: 320 << 20}},
		{
			"sidecar after an init adds to containers",
			corev1.PodSpec{Containers: []corev1.Container{one}, InitContainers: []corev1.Container{box("1", "128Mi"), sidecar("100m", "64Mi")}},
			Request{CPU: 1000, Memory: 320 << 20},
		},
		{"overhead comes on top", corev1.PodSpec{
			Containers: []corev1.Container{one}, InitContainers: []corev1.Container{box("1", "")},
			Overhead: box("50m", "32Mi").Resources.Requests,
		}, Request{CPU: 1050, Memory: 288 << 20}},
		{"a thousandth of a byte is a byte", corev1.PodSpec{Containers: []corev1.Container{box("0.1m", "1500m")}}, Request{CPU: 1, Memory: 2}},
		{"nothing asked, nothing charged", corev1.PodSpec{Containers: []corev1.Container{box("", "")}}, Request{}},
	} {
		if got := Effective(&c.spec, Request{}); got != c.want {
			t.Errorf("%s: %+v, want %+v", c.name, got, c.want)
		}
	}
	if got := Effective(&corev1.PodSpec{Containers: []corev1.Container{box("", "1Gi")}},
		Request{CPU: scoringCPU, Memory: scoringMemory}); got != (Request{CPU: 100, Memory: 1 << 30}) {
		t.Errorf("for scoring: %+v", got)
	}
}

const manifest = `apiVersion: v1
kind: PodTemplate
metadata:
  name: t
  annotations: {tachyphor/offers: "go, linux linux"ANN}
template:
  spec:
    containers:
      - {name: main, image: a}
      - {name: side, image: b}
      - {name: more, image: a}
`

func TestReadFindsTheAgent(t *testing.T) {
	read := func(text string) (Agent, document.Faults) {
		docs, faults := document.Parse("t.yaml", []byte(text))
		if len(faults) > 0 {
			t.Fatal(faults)
		}
		return Read(docs[0])
	}
	a, faults := read(strings.Replace(manifest, "ANN", ", tachyphor/agent-container: side", 1))
	if len(faults) > 0 || a.Container != "side" || !slices.Equal(a.Offers, []string{"go", "linux"}) ||
		!slices.Equal(a.Images, []string{"a", "b"}) {
		t.Errorf("agent %+v, faults %v", a, faults)
	}
	for ann, want := range map[string]string{"": "cannot tell which", ", tachyphor/agent-container: x": "no container of that name"} {
		if _, faults := read(strings.Replace(manifest, "ANN", ann, 1)); len(faults) != 1 || !strings.Contains(faults[0].String(), want) ||
			faults[0].Line == 0 {
			t.Errorf("with %q: faults %v", ann, faults)
		}
	}
	low := strings.Replace(manifest, "name: main, image: a",
		"name: agent, image: a, resources: {requests: {memory: 2Gi, cpu: 1}, limits: {memory: 1Gi}}", 1)
	if _, faults := read(strings.Replace(low, "ANN", "", 1)); len(faults) != 1 ||
		!strings.Contains(faults[0].String(), "resources.limits.memory: found 1Gi; must not be below the request of 2Gi") {
		t.Errorf("limit below request: %v", faults)
	}
	if _, faults := read(strings.Replace(strings.Replace(manifest, "go, linux linux", "", 1), "ANN", "", 1)); len(faults) != 2 {
		t.Errorf("no offers: %v", faults)
	}
}

// What would change where agents go and is not simulated, or that Kubernetes would
// refuse, is refused with its place rather than passed over.
func TestUnknownWishesAreRefused(t *testing.T) {
	required := "requiredDuringSchedulingIgnoredDuringExecution: "
	for field, text := range map[string]string{
		"nodeName": "nodeName: core-001",
		"affinity.nodeAffinity": "affinity: {nodeAffinity: {" + required +
			"{nodeSelectorTerms: [{matchFields: [{key: metadata.name, operator: In, values: [a]}]}]}}}",
		"affinity.podAffinity." + strings.TrimSuffix(required, ": ") +
			"[0].namespaceSelector: found team=a": "affinity: {podAffinity: {" + required +
			"[{topologyKey: zone, namespaceSelector: {matchLabels: {team: a}}}]}}",
		"[0].topologyKey: must name": "affinity: {podAntiAffinity: {" + required +
			"[{topologyKey: \"\", labelSelector: {}}]}}",
		"[0].labelSelector: \"resembles\" is not": "affinity: {podAntiAffinity: {" + required +
			"[{topologyKey: zone, labelSelector: {matchExpressions: [{key: a, operator: resembles, values: [b]}]}}]}}",
		"[0].weight: found 0": "affinity: {podAffinity: " +
			"{preferredDuringSchedulingIgnoredDuringExecution: [{weight: 0, podAffinityTerm: {topologyKey: zone}}]}}",
		"topologySpreadConstraints[0].maxSkew: found 0": "topologySpreadConstraints: [{maxSkew: " +
			"0, topologyKey: zone, whenUnsatisfiable: DoNotSchedule}]",
		"topologySpreadConstraints[0].whenUnsatisfiable: found Perhaps": "topologySpreadConstraints: [{maxSkew: " +
			"1, topologyKey: zone, whenUnsatisfiable: Perhaps}]",
		"topologySpreadConstraints[0].minDomains: found 2; must be at least 1, with when": "topologySpreadConstraints: [{maxSkew: " +
			"1, topologyKey: zone, minDomains: 2, whenUnsatisfiable: ScheduleAnyway}]",
		"hostPort: found 70000": "initContainers: [{name: i, image: a, " +
			"restartPolicy: Always, ports: [{containerPort: 80, hostPort: 70000}]}]",
	} {
		docs, faults := document.Parse("t.yaml", []byte(strings.Replace(strings.Replace(manifest, "ANN", ", tachyphor/agent-container: side",
			1), "    containers:", "    "+text+"\n    containers:", 1)))
		if len(faults) > 0 {
			t.Fatal(faults)
		}
		if _, faults := Read(docs[0]); len(faults) != 1 || !strings.Contains(faults[0].String(), field) || faults[0].Line != 8 {
			t.Errorf("%s: %v", field, faults)
		}
	}
}

func TestExtendedRequests(t *testing.T) {
	const card = "brinewell.example/card"
	with := func(n string) corev1.Container {
		return corev1.Container{Resources: corev1.ResourceRequirements{Requests: corev1.ResourceList{
			card:                resource.MustParse(n),
			"ephemeral-storage": resource.MustParse("1Gi"),
		}}}
	}
	a := FromSpec("t", &corev1.PodSpec{Containers: []corev1.Container{with("1"), with("2")}, InitContainers: []corev1.Container{with("4")}})
	if a.Extended[card] != 4 || a.Request.Disk != 2<<30 {
		t.Errorf("%v, disk %v", a.Extended, a.Request.Disk)
	}
	if none := FromSpec("t", &corev1.PodSpec{Containers: []corev1.Container{with("0")}}); len(none.Extended) != 0 {
		t.Errorf("nothing asked: %v", none.Extended)
	}
}

// What an agent may have and does at its start, beside what it requests.
func TestLimitsPullsToolsAndClaims(t *testing.T) {
	docs, faults := document.Parse("t.yaml", []byte(`
apiVersion: v1
kind: PodTemplate
metadata: {name: t, annotations: {tachyphor/offers: x, tachyphor/boot-tools: "jq, cmake"}}
template:
  spec:
    priorityClassName: high
    volumes:
      - {name: a, persistentVolumeClaim: {claimName: shared}}
      - {name: b, emptyDir: {}}
    containers:
      - name: agent
        image: registry.example:5000/agents/wide
        resources: {requests: {cpu: 500m, memory: 1Gi}, limits: {cpu: 2, memory: 3Gi, ephemeral-storage: 9Gi}}
      - {name: a, image: "one:latest"}
      - {name: b, image: "two:1.4"}
      - {name: c, image: "three@sha256:0000000000000000000000000000000000000000000000000000000000000000"}
      - {name: d, image: "four:1.0", imagePullPolicy: Always}
      - {name: e, image: "five", imagePullPolicy: IfNotPresent}
      - {name: f, image: "two:1.4", imagePullPolicy: Always}
`))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	a, faults := Read(docs[0])
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	if want := (Request{CPU: 2000, Memory: 3 << 30, Disk: 9 << 30}); a.Limit != want || a.Weight != 500 {
		t.Errorf("limit %+v, weight %v", a.Limit, a.Weight)
	}
	if want := []bool{true, true, true, false, true, false}; !slices.Equal(a.Always, want) {
		t.Errorf("asked for always: %v of %v, want %v", a.Always, a.Images, want)
	}
	if !slices.Equal(a.Tools, []string{"jq", "cmake"}) || !slices.Equal(a.Claims, []string{"shared"}) || a.Class != "high" {
		t.Errorf("tools %v, claims %v, class %s", a.Tools, a.Claims, a.Class)
	}
}

// Pods are near one another as Kubernetes says; ports clash by address and protocol.
func TestNeighbours(t *testing.T) {
	read := func(labels map[string]string, spec string) Neighbours {
		t.Helper()
		var p corev1.PodSpec
		if err := yaml.Unmarshal([]byte(spec), &p); err != nil {
			t.Fatal(err)
		}
		n, wrong := NeighboursOf("slipway", labels, &p)
		if len(wrong) > 0 {
			t.Fatal(wrong)
		}
		return n
	}
	port := func(text string) Neighbours {
		return read(nil, "containers: [{name: a, ports: [{containerPort: 80, "+text+"}]}]")
	}
	for _, c := range []struct {
		a, b    string
		clashes bool
	}{
		{"hostPort: 9000", "hostPort: 9000", true},
		{"hostPort: 9000", "hostPort: 9001", false},
		{"hostPort: 9000", "hostPort: 9000, protocol: UDP", false},
		{"hostPort: 9000, hostIP: 10.0.0.1", "hostPort: 9000, hostIP: 10.0.0.2", false},
		{"hostPort: 9000, hostIP: 10.0.0.1", "hostPort: 9000", true},
		{"name: http", "name: http", false},
	} {
		x, y := port(c.a), port(c.b)
		if x.Clashes(&y) != c.clashes || y.Clashes(&x) != c.clashes {
			t.Errorf("%s and %s: clashes is %v", c.a, c.b, x.Clashes(&y))
		}
	}
	own := read(nil, "{hostNetwork: true, containers: [{name: a, ports: [{containerPort: 80}]}]}")
	if !own.Single(nil) {
		t.Error("two pods listen on port 80 of one node's own network")
	}
	if init := read(nil, "{initContainers: [{name: i, ports: [{containerPort: 80, hostPort: 80}]}], containers: "+
		"[{name: a}]}"); init.Single(nil) {
		t.Error("a port is taken by a container that has ended")
	}
	apart := read(map[string]string{"app": "t", "tide": "ebb"},
		"{affinity: {podAntiAffinity: {requiredDuringSchedulingIgnoredDuringExecution: [{topologyKey: zone, labelSelector: "+
			"{matchLabels: {app: t}}, mismatchLabelKeys: [tide]}]}}}")
	flood := Neighbours{Namespace: "slipway", Labels: map[string]string{"app": "t", "tide": "flood"}}
	away := Neighbours{Namespace: "elsewhere", Labels: flood.Labels}
	zone := map[string]string{"zone": "a"}
	if apart.Single(zone) || !apart.Alone(&flood, zone) || !flood.Alone(&apart, zone) || apart.Alone(&flood, nil) || apart.Alone(&away, zone) {
		t.Error("a pod keeps apart from those of its app and another tide, in its namespace, where nodes have a zone")
	}
	near := read(nil, "{affinity: {podAffinity: {requiredDuringSchedulingIgnoredDuringExecution: [{topologyKey: zone}]}}, "+
		"topologySpreadConstraints: [{maxSkew: 1, topologyKey: rack, whenUnsatisfiable: DoNotSchedule}, {maxSkew: 1, topologyKey: "+
		"row, whenUnsatisfiable: ScheduleAnyway}, {maxSkew: 1, topologyKey: kubernetes.io/hostname, whenUnsatisfiable: DoNotSchedule}]}")
	if got := near.Missing(zone); !slices.Equal(got, []string{"rack"}) {
		t.Errorf("missing: %v", got)
	}
}
