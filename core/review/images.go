package review

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/template"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// imageRules look at what agents are made of.
var imageRules = []Rule{
	{
		ID: "image-floats", Severity: Risky, Title: "An image that changes under its name",
		Why: "A tag that is moved, or none, gives whatever is behind it on the day. Two agents side by side may differ, " +
			"yesterday's build cannot be repeated, and a node with the old image and a node with the new one answer differently.",
		Bad: `template: {spec: {containers: [{name: agent, image: "images.brinewell.example/agents/steady:latest"}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, image: "images.brinewell.example/agents/steady:2026.9"}]}}
`,
		find: imageFloats,
	},
	{
		ID: "image-unknown", Severity: Advice, Title: "An image whose size nobody has written down",
		Why: "How long an agent takes to start depends on what has to be pulled. Without the image's size in the cluster " +
			"document, a scenario with this template cannot be simulated.",
		Bad: `template: {spec: {containers: [{name: agent, image: "images.brinewell.example/agents/steady:2026.10"}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, image: "images.brinewell.example/agents/steady:2026.9"}]}}
`,
		find: imageUnknown,
	},
	{
		ID: "image-platform", Severity: WillNotWork, Title: "An image for machines that the cluster does not have",
		Why: "A container image is made for an operating system and an architecture. On another, its first program cannot be " +
			"executed and the container ends at once, again and again.",
		Bad: `kind: Cluster
spec: {images: [{name: "images.brinewell.example/agents/steady:2026.9", platforms: [linux/arm64]}]}
`,
		Good: `kind: Cluster
spec: {images: [{name: "images.brinewell.example/agents/steady:2026.9", platforms: [linux/arm64, linux/amd64]}]}
`,
		find: imagePlatform,
	},
	{
		ID: "tools-missing", Severity: WillNotWork, Title: "Jobs need tools that no image of the agent has",
		Why: "The template's words match what the jobs want, so they come here, and fail at the first command that is not there. " +
			"Offers are a promise; the image has to keep it.",
		Bad: `kind: Workload
spec: {classes: [{name: relay-gateway, tools: [go, protoc]}]}
`,
		Good: `kind: Workload
spec: {classes: [{name: relay-gateway, tools: [go]}]}
`,
		find: toolsMissing,
	},
	{
		ID: "tools-at-boot", Severity: Wasteful, Title: "Tools installed at every boot",
		Why: "What is installed when the agent starts is installed again for every agent, from servers that may be slow or down, " +
			"in whatever version they have that day. Where it happens beside the agent, a job may start before the tools are there and fail.",
		Bad: `metadata: {annotations: {tachyphor/boot-tools: protoc}}
`,
		Good: `metadata: {annotations: {tachyphor/boot-tools: ""}}  # protoc is in the image
`,
		find: toolsAtBoot,
	},
	{
		ID: "joins-before-tools", Severity: Risky, Title: "Agents take jobs before their tools are there",
		Why: "An agent that joins while its boot tools are still being installed is given a job at once. One that needs a tool of those " +
			"waits for it, or fails at the first command that is not there, and the agent, quickly free again, takes the next.",
		Bad: `metadata: {annotations: {tachyphor/boot-tools: protoc, tachyphor/joins: before-tools}}
---
kind: Workload
spec: {classes: [{name: relay-gateway, tools: [go, protoc]}]}
`,
		Good: `metadata: {annotations: {tachyphor/boot-tools: protoc, tachyphor/joins: after-tools}}
---
kind: Workload
spec: {classes: [{name: relay-gateway, tools: [go, protoc]}]}
`,
		find: joinsBeforeTools,
	},
	{
		ID: "image-heavy", Severity: Wasteful, Title: "A heavy image where a lighter one would do",
		Why: "Every node that has not had the image yet pulls it before the first agent starts, and nodes that come and go pull " +
			"it again and again. People wait for bytes that their jobs never touch.",
		Bad: `template: {spec: {containers: [{name: agent, image: "images.brinewell.example/agents/wide:2026.9"}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, image: "images.brinewell.example/agents/steady:2026.9"}]}}
`,
		find: imageHeavy,
	},
}

// floating are tags that are made to be moved.
var floating = []string{"latest", "stable", "main", "master", "trunk", "edge", "nightly", "dev", "current", "head", "rolling", "lts"}

// tagOf cuts an image's reference into its repository and tag; a reference by
// digest has the digest as its tag.
func tagOf(image string) (repository, tag string) {
	if at := strings.IndexByte(image, '@'); at >= 0 {
		return image[:at], image[at+1:]
	}
	slash := strings.LastIndexByte(image, '/')
	if colon := strings.IndexByte(image[slash+1:], ':'); colon >= 0 {
		return image[:slash+1+colon], image[slash+1+colon+1:]
	}
	return image, ""
}

func imageFloats(x *subject) {
	x.each(func(c *corev1.Container, path string, _ []any) {
		_, tag := tagOf(c.Image)
		if tag != "" && !slices.Contains(floating, strings.ToLower(tag)) {
			return
		}
		says := fmt.Sprintf("Container %s names its image by the tag %s, which is made to be moved.", c.Name, tag)
		if tag == "" {
			says = "Container " + c.Name + " names its image without a tag, which means latest: another image from one day to the next."
		}
		x.say(path+".image", says, "Name a tag that stays, or the digest.")
	})
}

func imageUnknown(x *subject) {
	if x.facts == nil {
		return
	}
	told := map[string]bool{}
	x.each(func(c *corev1.Container, path string, _ []any) {
		if x.image(c.Image) != nil || told[c.Image] {
			return
		}
		told[c.Image] = true
		repository, _ := tagOf(c.Image)
		known := ""
		for _, i := range x.facts.Images {
			if r, _ := tagOf(i.Name); r == repository {
				known = "; it knows " + i.Name
			}
		}
		x.say(path+".image", "The cluster document does not know "+c.Image+known+".",
			"Add it with its size to spec.images of the cluster, or name one that is there.")
	})
}

func imagePlatform(x *subject) {
	sites := x.sites(false)
	if len(sites) == 0 {
		return
	}
	var have []string
	for _, s := range sites {
		l := s.Labels
		if p := l[corev1.LabelOSStable] + "/" + l[corev1.LabelArchStable]; !slices.Contains(have, p) {
			have = append(have, p)
		}
	}
	x.each(func(c *corev1.Container, path string, _ []any) {
		i := x.image(c.Image)
		if i == nil || len(i.Platforms) == 0 || slices.ContainsFunc(have, func(p string) bool { return slices.Contains(i.Platforms, p) }) {
			return
		}
		x.say(path+".image", fmt.Sprintf("%s is made for %s, and the nodes that agents may go to are %s.", c.Image, listed(i.Platforms),
			listed(have)),
			"Name an image for these nodes, or send the agents to nodes of the image's kind with nodeSelector.")
	})
}

// tools returns what the template's images and its boot have together; known is
// false when that cannot be told.
func (x *subject) tools() (have []string, known bool) {
	for i := range x.spec.Containers {
		image := x.image(x.spec.Containers[i].Image)
		if image == nil || image.Tools == nil {
			if i == x.at {
				return nil, false
			}
			continue
		}
		have = append(have, image.Tools...)
	}
	return append(have, x.agent.Tools...), x.at >= 0
}

func lacking(need, have []string) []string {
	var out []string
	for _, n := range need {
		if !slices.Contains(have, n) && !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	return out
}

func toolsMissing(x *subject) {
	have, known := x.tools()
	if !known {
		return
	}
	for _, k := range x.classes() {
		if missing := lacking(k.Tools, have); len(missing) > 0 {
			x.say(x.path+".image", fmt.Sprintf("Jobs of class %s come here and need %s, which %s does not have: they will fail.", k.Name,
				listed(missing), x.c.Image),
				"Build "+listed(missing)+" into the image, or offer words that keep these jobs away.")
		}
	}
}

// installs finds commands that fetch tools.
var installs = regexp.MustCompile(`\b(apt-get|apt|apk|dnf|yum|microdnf|zypper)\s+(-\S+\s+)*(install|add)\b|\b(pip3?|npm|gem|cargo|go)\s+install\b|\b(curl|wget)\b[^|;&]*\|\s*(sudo\s+)?(ba)?sh\b`)

func toolsAtBoot(x *subject) {
	if len(x.agent.Tools) > 0 {
		says := "Every agent installs " + listed(x.agent.Tools) + " when it boots" + x.bootTime() + x.howOften() + "."
		x.say(x.noted(template.ToolsAnnotation), says, "Build the tools into the image.")
	}
	x.each(func(c *corev1.Container, path string, _ []any) {
		if m := installs.FindString(strings.Join(slices.Concat(c.Command, c.Args), " ")); m != "" {
			x.say(path+".command", fmt.Sprintf("%s runs %q when it starts%s: people wait for it each time, and a server that is down "+
				"stops every agent.", c.Name, m, x.howOften()),
				"Build the tools into the image.")
		}
		if c.Lifecycle == nil || c.Lifecycle.PostStart == nil || c.Lifecycle.PostStart.Exec == nil {
			return
		}
		if m := installs.FindString(strings.Join(c.Lifecycle.PostStart.Exec.Command, " ")); m != "" {
			x.say(path+".lifecycle.postStart", fmt.Sprintf("%s runs %q after its start%s, beside the agent: a job may begin before "+
				"the tools are there, and then it fails.", c.Name, m, x.howOften()),
				"Build the tools into the image.")
		}
	})
}

// bootTime says how long the tools take to install, where the cluster knows.
func (x *subject) bootTime() string {
	if x.facts == nil {
		return ""
	}
	var installs []chance.Dist
	for _, name := range x.agent.Tools {
		i := slices.IndexFunc(x.facts.Agents.Tools, func(t document.Tool) bool { return t.Name == name })
		if i < 0 {
			return ""
		}
		installs = append(installs, x.facts.Agents.Tools[i].Install.Dist())
	}
	takes := chance.SumQuantiles(installs, 0.5, 0.95)
	half, most := takes[0], takes[1]
	if half == most {
		return fmt.Sprintf(", which takes %v", units.Duration(half).Short())
	}
	return fmt.Sprintf(", which takes %v as a rule and over %v once in twenty times", units.Duration(half).Short(),
		units.Duration(most).Short())
}

// howOften says how many agents boot in a week, where that can be told.
func (x *subject) howOften() string {
	for _, u := range x.uses {
		if u.numbers.Reuse != document.Never || u.perWeek == nil {
			continue
		}
		n := 0.0
		for _, k := range u.gets {
			n += u.perWeek[u.workload.Classes[k].Name]
		}
		return fmt.Sprintf(", some %s times a week in scenario %s", units.Count(int64(n+0.5)), u.scenario.Name)
	}
	return ""
}

// sizeOf returns the bytes of an image, its layers together where it has some.
func sizeOf(i *document.Image) units.Bytes {
	n := i.Size
	for _, l := range i.Layers {
		n += l.Size
	}
	return n
}

func imageHeavy(x *subject) {
	if x.c == nil {
		return
	}
	mine := x.image(x.c.Image)
	if mine == nil || sizeOf(mine) == 0 {
		return
	}
	var need []string
	for _, k := range x.classes() {
		if k.Tools == nil {
			return // what these jobs need is not known
		}
		need = append(need, k.Tools...)
	}
	if len(need) == 0 {
		return
	}
	var best *document.Image
	for i := range x.facts.Images {
		o := &x.facts.Images[i]
		if len(mine.Platforms) > 0 && len(o.Platforms) > 0 &&
			!slices.ContainsFunc(mine.Platforms, func(p string) bool { return slices.Contains(o.Platforms, p) }) {
			continue // it would not run where this one does
		}
		if n := sizeOf(o); n > 0 && n <= sizeOf(mine)/2 && len(lacking(need, o.Tools)) == 0 && (best == nil || n < sizeOf(best)) {
			best = o
		}
	}
	if best == nil {
		return
	}
	longer := ""
	if r := x.facts.Links.Registry.Down; r > 0 {
		longer = fmt.Sprintf(", which is %v of pulling more on a node that has neither", (r.Time(sizeOf(mine)) - r.Time(sizeOf(best))).Short())
	}
	x.say(x.path+".image", fmt.Sprintf("%s is %s; %s is %s and has all the tools that its jobs need%s.", mine.Name, sizeOf(mine).Short(),
		best.Name, sizeOf(best).Short(), longer),
		"Use "+best.Name+" for this template, or split off the jobs that need more.")
}

func joinsBeforeTools(x *subject) {
	if !x.agent.Early || len(x.agent.Tools) == 0 {
		return
	}
	var inImage []string
	for i := range x.spec.Containers {
		if image := x.image(x.spec.Containers[i].Image); image != nil {
			inImage = append(inImage, image.Tools...)
		}
	}
	becomes := "it waits"
	if x.agent.Gropes {
		becomes = "it fails"
	}
	for _, k := range x.classes() {
		var needs []string
		for _, tool := range k.Tools {
			if slices.Contains(x.agent.Tools, tool) && !slices.Contains(inImage, tool) {
				needs = append(needs, tool)
			}
		}
		if len(needs) == 0 {
			continue
		}
		x.say(x.noted(template.JoinsAnnotation), fmt.Sprintf("Agents join before %s is there%s. A job of class %s needs it: on an agent that "+
			"has just come %s, and where it cannot be installed every such job fails.", listed(needs), x.bootTime(), k.Name, becomes),
			"Let agents join once their tools are there, or build them into the image.", x.annotate(template.JoinsAnnotation, template.AfterTools))
		return
	}
}
