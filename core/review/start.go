package review

import (
	"path"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/table"
	"tachyphor/core/template"

	corev1 "k8s.io/api/core/v1"
)

// startRules look at whether an agent starts at all, and ends.
var startRules = []Rule{
	{
		ID: "agent-unclear", Severity: WillNotWork, Title: "Which container is the agent cannot be told",
		Why: "With several containers, one of them runs the jobs and the others help it. Sizes, start times and findings depend on which it is.",
		Bad: `template:
  spec:
    containers:
      - {name: agent, $with: remove}
      - {name: builder, image: images.brinewell.example/agents/wide:2026.9}
      - {name: helper, image: images.brinewell.example/tools/log-tail:1.4}
`,
		Good: `metadata: {annotations: {tachyphor/agent-container: builder}}
template:
  spec:
    containers:
      - {name: agent, $with: remove}
      - name: builder
        image: images.brinewell.example/agents/steady:2026.9
        resources: {requests: {cpu: "2", memory: 6Gi}, limits: {memory: 6Gi}}
      - {name: helper, image: images.brinewell.example/tools/log-tail:1.4}
`,
		find: agentUnclear,
	},
	{
		ID: "start-asleep", Severity: WillNotWork, Title: "The agent's start command sleeps instead",
		Why: "Someone replaced the image's own start command to look around in the container. The pod runs, the agent in it never " +
			"starts, and the job waits for ever for an agent that seems to be there.",
		Bad: `template: {spec: {containers: [{name: agent, command: [sleep, infinity]}]}}
`,
		Good: `template: {spec: {containers: [{name: agent}]}}  # the image starts the agent itself
`,
		find: startAsleep,
	},
	{
		ID: "start-replaced", Severity: Risky, Title: "The agent's start command is replaced",
		Why: "A command in the template takes the place of the one that the image was made with. Unless it starts the agent at " +
			"its end, the pod runs and the agent never joins; and it goes stale when a new image starts its agent another way.",
		Bad: `template: {spec: {containers: [{name: agent, command: [/bin/sh, -c, "make warm"]}]}}
`,
		Good: `metadata: {annotations: {tachyphor/accepted: start-replaced}}  # looked at: it starts the agent
template: {spec: {containers: [{name: agent, command: [/opt/start, --keep-caches]}]}}
`,
		find: startReplaced,
	},
	{
		ID: "starts-again", Severity: Risky, Title: "A finished agent is started again in its pod",
		Why: "With any restart policy but Never, the kubelet starts the container again when the agent ends after its job. The " +
			"same pod comes back with the last job's leftovers and credentials, and counts as a new agent that nobody asked for.",
		Bad: `template: {spec: {restartPolicy: Always}}
`,
		Good: `template: {spec: {restartPolicy: Never}}
`,
		find: startsAgain,
	},
	{
		ID: "workspace-elsewhere", Severity: Risky, Title: "The agent works outside of its workspace volume",
		Why: "The working directory is not on the volume that was mounted for it. Builds then write into the container's own " +
			"layer: slower, not bounded by the volume's size, and not what a cache restores into.",
		Bad: `template: {spec: {containers: [{name: agent, workingDir: /home/agent}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, workingDir: /workspace}]}}
`,
		find: workspaceElsewhere,
	},
	{
		ID: "tty-unneeded", Severity: Advice, Title: "A terminal that nobody sits at",
		Why: "tty and stdin are for people who type. With a terminal, tools colour and wrap their output, line ends change in " +
			"logs, and some tools wait for an answer.",
		Bad: `template: {spec: {containers: [{name: agent, tty: true}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, tty: false}]}}
`,
		find: ttyUnneeded,
	},
}

func agentUnclear(x *subject) {
	if x.at >= 0 || len(x.spec.Containers) == 0 {
		return
	}
	var names []string
	for _, c := range x.spec.Containers {
		names = append(names, c.Name)
	}
	_, named := template.AgentContainer(x.p)
	if named == "" {
		x.say("template.spec.containers", "There are the containers "+listed(names)+", and none is called agent.",
			"Name the one that runs jobs with the annotation "+template.ContainerAnnotation+".")
		return
	}
	x.say(x.noted(template.ContainerAnnotation),
		"The annotation names "+named+" as the agent, and there is no such container; there are "+listed(names)+".",
		"Name one of them in "+template.ContainerAnnotation+".")
	if near, ok := table.Nearest(named, names); ok {
		x.found[len(x.found)-1].Fix = []document.Edit{x.annotate(template.ContainerAnnotation, near)}
	}
}

// noted is the path of an annotation where it stands.
func (x *subject) noted(key string) string {
	if _, ok := x.p.Annotations[key]; !ok {
		if _, ok := x.p.Template.Annotations[key]; ok {
			return "template.metadata.annotations[\"" + key + "\"]"
		}
	}
	return "metadata.annotations[\"" + key + "\"]"
}

// annotate is the edit that changes an annotation where it stands.
func (x *subject) annotate(key, value string) document.Edit {
	if _, ok := x.p.Annotations[key]; !ok {
		if _, ok := x.p.Template.Annotations[key]; ok {
			return set(value, []any{"template", "metadata", "annotations", key})
		}
	}
	return set(value, []any{"metadata", "annotations", key})
}

// idle are programs that wait without end and do nothing.
var idle = []string{"sleep", "pause", "cat", "yes"}

// sleeps reports whether a container's command does nothing but wait.
func sleeps(c *corev1.Container) bool {
	words := slices.Concat(c.Command, c.Args)
	if len(words) == 0 {
		return false
	}
	first := path.Base(words[0])
	if slices.Contains(idle, first) {
		return first != "cat" || len(words) == 1
	}
	line := strings.Join(words, " ")
	if first == "tail" {
		return strings.Contains(line, "/dev/null")
	}
	if !shell(first) {
		return false
	}
	if len(words) == 1 {
		return true // a shell that reads from a terminal that is not there
	}
	last := lastCommand(line)
	return strings.Contains(last, "sleep ") || strings.Contains(last, "tail -f /dev/null") ||
		strings.Contains(line, "while true") && strings.Contains(line, "sleep")
}

func startAsleep(x *subject) {
	if x.c == nil || !sleeps(x.c) {
		return
	}
	var fix []document.Edit
	for _, f := range []struct {
		name string
		list []string
	}{{"command", x.c.Command}, {"args", x.c.Args}} {
		if len(f.list) > 0 {
			fix = append(fix, remove(x.ptr, f.name))
		}
	}
	at := x.path + ".command"
	if len(x.c.Command) == 0 {
		at = x.path + ".args"
	}
	x.say(at, "The container runs a command that only waits, so the agent of the image never starts: the pod will be Running "+
		"and no job will ever reach it.",
		"Leave command and args out; the image knows how to start its agent.", fix...)
}

// startsAgent reports whether a command looks as if it ended in starting the agent:
// it names one.
func startsAgent(c *corev1.Container) bool {
	words := slices.Concat(c.Command, c.Args)
	if !shell(words[0]) {
		return strings.Contains(words[0], "agent")
	}
	return strings.Contains(lastCommand(strings.Join(words, " ")), "agent")
}

func shell(program string) bool {
	return slices.Contains([]string{"sh", "bash", "ash", "dash", "busybox"}, path.Base(program))
}

// lastCommand returns the last of several commands on a shell's line.
func lastCommand(line string) string {
	line = strings.TrimRight(line, "; \n\"'")
	if i := strings.LastIndexAny(line, ";&|\n"); i >= 0 {
		line = line[i+1:]
	}
	return strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(line), "done"))
}

func startReplaced(x *subject) {
	if x.c == nil || sleeps(x.c) || len(x.c.Command) == 0 || startsAgent(x.c) {
		return
	}
	x.say(x.path+".command", "The container starts "+path.Base(x.c.Command[0])+
		" in place of what the image starts. If that does not end in starting the agent, the agent never joins.",
		"Leave command out, or, when it does start the agent, say so with the annotation "+accepted+": start-replaced.")
}

func startsAgain(x *subject) {
	p := x.spec.RestartPolicy
	if p == corev1.RestartPolicyNever {
		return
	}
	how := "the restart policy is " + string(p)
	if p == "" {
		how = "no restart policy is given, which means Always"
	}
	if from := x.d.Lift.From; slices.Contains([]string{"Deployment", "StatefulSet", "ReplicaSet"}, from) {
		x.say("template.spec.restartPolicy", "A "+from+
			" keeps its pods running, and the API server takes no other restart policy there: an agent that has done its job is "+
			"started again in the same pod.",
			"Keep agents in a PodTemplate, or let a Job or the controller make them: `tachyphor put` takes the template out of here, "+
				"and there restartPolicy: Never can stand.")
		return
	}
	x.say("template.spec.restartPolicy", "An agent that has done its job is started again in the same pod, since "+how+".",
		"Set restartPolicy: Never.", set(string(corev1.RestartPolicyNever), []any{"template", "spec", "restartPolicy"}))
}

// scratch lists the mounts of a container that jobs can write to: all but those
// of configuration, secrets and tokens.
func (x *subject) scratch(c *corev1.Container) []corev1.VolumeMount {
	var out []corev1.VolumeMount
	for _, m := range c.VolumeMounts {
		i := slices.IndexFunc(x.spec.Volumes, func(v corev1.Volume) bool { return v.Name == m.Name })
		if i < 0 || m.ReadOnly {
			continue
		}
		if v := x.spec.Volumes[i]; v.EmptyDir != nil || v.PersistentVolumeClaim != nil || v.Ephemeral != nil {
			out = append(out, m)
		}
	}
	return out
}

func workspaceElsewhere(x *subject) {
	if x.c == nil || x.c.WorkingDir == "" {
		return
	}
	mounts := x.scratch(x.c)
	within := func(m corev1.VolumeMount) bool {
		return x.c.WorkingDir == path.Clean(m.MountPath) ||
			strings.HasPrefix(x.c.WorkingDir, strings.TrimSuffix(path.Clean(m.MountPath), "/")+"/")
	}
	if len(mounts) == 0 || slices.ContainsFunc(mounts, within) {
		return
	}
	var at []string
	for _, m := range mounts {
		at = append(at, m.MountPath)
	}
	var fix []document.Edit
	if len(mounts) == 1 {
		fix = append(fix, set(mounts[0].MountPath, x.ptr, "workingDir"))
	}
	x.say(x.path+".workingDir", "The agent works in "+x.c.WorkingDir+", and the "+several(len(at), "volume is", "volumes are")+
		" mounted at "+listed(at)+": what builds write goes into the container's own layer.",
		"Let workingDir be the mount path of the workspace.", fix...)
}

func ttyUnneeded(x *subject) {
	if x.c == nil || !x.c.TTY && !x.c.Stdin {
		return
	}
	var fix []document.Edit
	at := ""
	for _, f := range []struct {
		name string
		on   bool
	}{{"tty", x.c.TTY}, {"stdin", x.c.Stdin}, {"stdinOnce", x.c.StdinOnce}} {
		if f.on {
			fix = append(fix, remove(x.ptr, f.name))
			if at == "" {
				at = x.path + "." + f.name
			}
		}
	}
	x.say(at, "The agent gets a terminal, though it talks to its controller and not to a person.", "Leave tty and stdin out.", fix...)
}
