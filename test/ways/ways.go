// Package ways lists the ways in which an agent comes up, sticks or dies, and what is to be said of
// each. They are tried on real nodes, and what those did is kept as test data.
package ways

import (
	"fmt"
	"slices"
	"strings"

	corev1 "k8s.io/api/core/v1"
	"sigs.k8s.io/yaml"
)

// Namespace is where the pods of the ways live.
const Namespace = "slipway"

// Crowded is a namespace whose quota leaves room for no pod.
const Crowded = "crowded"

// Image is one with a shell and its usual tools, which the registry has.
const Image = "images.brinewell.example/agents/wide:2026.9"

// A Way is what one agent does.
type Way struct {
	Name string
	spec string // of the pod, behind what all have
	// Until is when enough was seen.
	Until func(p *corev1.Pod) bool
	// Ask takes the pod away once it is at work.
	Ask bool
	// After is how much later than the last that was seen it is looked at, in seconds.
	After int
	// Says and Do are parts of what is to be said.
	Says, Do string
	Worked   bool
	// Refused: the server does not take the pod, and says so.
	Refused bool
}

// Pod is the way's pod.
func (w *Way) Pod() (*corev1.Pod, error) {
	p := new(corev1.Pod)
	namespace := Namespace
	if w.Refused {
		namespace = Crowded
	}
	text := fmt.Sprintf("apiVersion: v1\nkind: Pod\nmetadata: {name: %s, namespace: %s}\nspec:\n", w.Name, namespace)
	for _, common := range []string{"restartPolicy: Never", "terminationGracePeriodSeconds: 3", "automountServiceAccountToken: false"} {
		if key, _, _ := strings.Cut(common, ":"); !strings.Contains(w.spec, key) {
			text += "  " + common + "\n"
		}
	}
	if err := yaml.UnmarshalStrict([]byte(text+w.spec), p); err != nil {
		return nil, fmt.Errorf("%s: %w\n%s", w.Name, err, text+w.spec)
	}
	return p, nil
}

// agent is the container of an agent that runs a line of shell.
func agent(line string, more ...string) string {
	out := "  containers:\n  - name: agent\n    image: " + Image + "\n    command: [sh, -c, '" + line + "']\n"
	for _, m := range more {
		out += "    " + m + "\n"
	}
	return out
}

func over(p *corev1.Pod) bool {
	return p.Status.Phase == corev1.PodFailed || p.Status.Phase == corev1.PodSucceeded
}

func states(p *corev1.Pod, is func(s *corev1.ContainerStatus) bool) bool {
	return slices.ContainsFunc(slices.Concat(p.Status.InitContainerStatuses, p.Status.ContainerStatuses),
		func(s corev1.ContainerStatus) bool { return is(&s) })
}

func waits(reason string) func(p *corev1.Pod) bool {
	return func(p *corev1.Pod) bool {
		return states(p, func(s *corev1.ContainerStatus) bool {
			return s.State.Waiting != nil && s.State.Waiting.Reason == reason
		})
	}
}

// Works reports whether a pod's agent is at work.
func Works(p *corev1.Pod) bool {
	return states(p, func(s *corev1.ContainerStatus) bool { return s.State.Running != nil })
}

func unplaced(p *corev1.Pod) bool {
	return slices.ContainsFunc(p.Status.Conditions, func(c corev1.PodCondition) bool {
		return c.Type == corev1.PodScheduled && c.Status == corev1.ConditionFalse
	})
}

const hog = "dd if=/dev/zero of=/dev/null bs=200M count=1"

// All are the ways, by name.
func All() []Way {
	limit := "resources: {limits: {memory: 32Mi}}"
	return []Way{
		{Name: "well", spec: agent("echo up; sleep 1"), Until: over, Says: "came up, did its job and went", Worked: true},
		{Name: "at-work", spec: agent("sleep 60"), Until: Works, After: 2, Says: "It has been at work for", Worked: true},
		{
			Name: "no-image", spec: strings.Replace(agent("true"), "2026.9", "2026.99", 1), Until: waits("ImagePullBackOff"),
			Says: "agents/wide:2026.99, cannot be pulled: not found.", Do: "name and tag",
		},
		{
			Name: "no-registry", spec: strings.Replace(agent("true"), "images.brinewell.example", "10.77.0.1:1", 1), Until: waits("ImagePullBackOff"),
			Says: "connection refused.", Do: "registry",
		},
		{
			Name: "wrong-name", spec: strings.Replace(agent("true"), Image, "Agents/Wide:2026", 1), Until: waits("InvalidImageName"),
			Says: "The image of agent, Agents/Wide:2026, cannot be pulled", Do: "pull policy",
		},
		{Name: "killed-for-memory", spec: agent("exec "+hog, limit), Until: over, Says: "The agent was killed for memory: it went above its limit of 32Mi.", Do: "tachyphor size"},
		{
			Name: "child-killed", spec: agent(hog+"; echo on; exit 0", limit), Until: over,
			Says: "A process within the agent was killed for memory, above the limit of 32Mi, and the agent went on and ended well", Do: "job's own log",
		},
		// An agent that ends at once after may be told as any other that failed: the word of the kill comes too late.
		{Name: "child-killed-failed", spec: agent(hog+"; sleep 1; exit 3", limit), Until: over, Says: "and the agent ended with status 3", Do: "job's own log"},
		{
			Name: "out-of-disk", spec: agent("dd if=/dev/zero of=/tmp/big bs=1M count=80; sleep 300", "resources: {limits: {ephemeral-storage: 20Mi}}"), Until: over,
			Says: "ephemeral local storage usage exceeds the total limit of containers 20Mi", Do: "requests and limits of ephemeral-storage",
		},
		{
			Name: "volume-full", spec: agent("dd if=/dev/zero of=/w/big bs=1M count=50; sleep 300", "volumeMounts: [{name: w, mountPath: /w}]") +
				"  volumes: [{name: w, emptyDir: {sizeLimit: 10Mi}}]\n", Until: over,
			Says: `Usage of EmptyDir volume "w" exceeds the limit "10Mi"`, Do: "sizeLimit",
		},
		{
			Name: "no-command", spec: strings.Replace(agent("true"), "[sh, -c, 'true']", "[/opt/agent/run]", 1), Until: over,
			Says: "cannot run its command (status 128)", Do: "Mend command",
		},
		{Name: "no-directory", spec: agent("true", "workingDir: /bin/busybox"), Until: over, Says: "not a directory", Do: "workingDir"},
		{
			Name: "no-secret", spec: agent("true", "env: [{name: T, valueFrom: {secretKeyRef: {name: slipway-jion, key: token}}}]"),
			Until: waits("CreateContainerConfigError"), Says: `cannot be made: secret "slipway-jion" not found.`, Do: "Make what it names",
		},
		{
			Name: "no-map", spec: agent("true", "volumeMounts: [{name: m, mountPath: /m}]") + "  volumes: [{name: m, configMap: {name: settings}}]\n",
			Until: func(p *corev1.Pod) bool { return waits("ContainerCreating")(p) }, After: 90,
			Says: `A volume cannot be mounted: MountVolume.SetUp failed for volume "m" : configmap "settings" not found.`, Do: "config map",
		},
		{
			Name: "as-root", spec: agent("true", "securityContext: {runAsNonRoot: true}"), Until: waits("CreateContainerConfigError"),
			Says: "runAsNonRoot and image will run as root", Do: "runAsUser",
		},
		{Name: "too-long", spec: "  activeDeadlineSeconds: 2\n" + agent("sleep 60"), Until: over, Says: "DeadlineExceeded", Do: "activeDeadlineSeconds"},
		{
			Name: "again-and-again", spec: "  restartPolicy: Always\n" + agent("exit 4"), Until: waits("CrashLoopBackOff"),
			Says: "with status 4", Do: "--previous",
		},
		{
			Name: "first-fails", spec: "  initContainers: [{name: fetch, image: " + Image + ", command: [sh, -c, exit 5]}]\n" + agent("true"), Until: over,
			Says: "Container fetch, which runs before the agent, ended with status 5", Do: "-c fetch",
		},
		{
			Name: "no-room", spec: agent("true", `resources: {requests: {cpu: "120"}}`), Until: unplaced, After: 300,
			Says: "no node has enough CPU left", Do: "Lower the request",
		},
		{Name: "no-such-node", spec: "  nodeSelector: {size: wide}\n" + agent("true"), Until: unplaced, After: 300, Says: "No node has the labels", Do: "nodeSelector"},
		{Name: "over-quota", spec: agent("true"), Refused: true, Says: "exceeded quota: agents", Do: "quota"},
		{Name: "heeds", spec: agent(`trap "exit 0" TERM; while :; do sleep 0.1; done`), Ask: true, Until: over, Says: "ended as it was asked to (status 0)", Worked: true},
		{
			Name: "deaf", spec: agent(`trap "" TERM; while :; do sleep 0.1; done`), Ask: true, Until: over,
			Says: "did not heed it, and was killed after the 3 s", Do: "terminationGracePeriodSeconds",
		},
	}
}
