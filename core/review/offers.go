package review

import (
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/table"
	"tachyphor/core/template"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// offerRules look at which work comes to a template, and on what terms.
var offerRules = []Rule{
	{
		ID: "offers-nothing", Severity: WillNotWork, Title: "The template offers nothing",
		Why: "A job goes to a template that offers everything it wants. One that offers nothing gets no job, or those that want nothing.",
		Bad: `metadata: {annotations: {tachyphor/offers: ""}}
`,
		Good: `metadata: {annotations: {tachyphor/offers: "linux, web, go"}}
`,
		find: offersNothing,
	},
	{
		ID: "offers-misspelt", Severity: WillNotWork, Title: "An offer that differs from what jobs want by a letter",
		Why: "Offers and wants are compared letter by letter. With one letter wrong the jobs wait for ever, and the message " +
			"speaks of a missing agent, not of a slip.",
		Bad: `metadata: {annotations: {tachyphor/offers: "linux, wbe, go"}}
`,
		Good: `metadata: {annotations: {tachyphor/offers: "linux, web, go"}}
`,
		find: offersMisspelt,
	},
	{
		ID: "offers-twice", Severity: Wasteful, Title: "Another template takes all of its work",
		Why: "A job goes to the first template that offers everything it wants. A template behind one that offers the same, or " +
			"more, gets nothing; its floor and spare agents run for nobody.",
		Bad: `kind: Scenario
spec: {templates: [{template: take-all}, {template: small-steady}]}
`,
		Good: `kind: Scenario
spec: {templates: [{template: small-steady}, {template: take-all}]}
`,
		find: offersTwice,
	},
	{
		ID: "class-unserved", Severity: Risky, Title: "Jobs that no template serves",
		Why: "A class that wants a word which no template of the scenario offers waits for ever, and so does one that wants nothing where " +
			"all templates take only what names them (tachyphor/takes: named). This template comes nearest to it.",
		Bad: `kind: Workload
spec: {classes: [{name: relay-gateway, wants: [linux, go, protobuf]}]}
`,
		Good: `kind: Workload
spec: {classes: [{name: relay-gateway, wants: [linux, go]}]}
`,
		find: classUnserved,
	},
	{
		ID: "workspace-kept", Severity: Risky, Title: "The next job finds what the last one left",
		Why: "An agent that takes several jobs has to wipe its workspace between them. Otherwise files, credentials and " +
			"half-built products of one project are there for the next, and a build that passes here fails elsewhere.",
		Bad: `template: {spec: {volumes: [{name: workspace, emptyDir: null, persistentVolumeClaim: {claimName: one-for-all}}]}}
---
kind: Scenario
spec: {templates: [{template: small-steady, agents: {reuse: while-idle}}]}
`,
		Good: `kind: Scenario
spec: {templates: [{template: small-steady, agents: {reuse: while-idle}}]}
`,
		find: workspaceKept,
	},
	{
		ID: "floor-zero", Severity: WillNotWork, Title: "No agent to begin with, and none comes without one",
		Why: "A controller that takes no job for a template unless it sees an agent of it never asks for the first one. With a " +
			"floor of zero the jobs are refused or wait for ever.",
		Bad: `kind: Scenario
spec: {templates: [{template: small-steady, agents: {needsOneAgent: true, floor: 0}}]}
`,
		Good: `kind: Scenario
spec: {templates: [{template: small-steady, agents: {needsOneAgent: true, floor: 1}}]}
`,
		find: floorZero,
	},
	{
		ID: "spot-no-retries", Severity: Risky, Title: "Long jobs on nodes that are taken back, without a second try",
		Why: "The longer a job, the likelier its spot node goes before it ends. Without retries it fails, and someone has to " +
			"notice and start it again.",
		Bad: `template: {spec: {tolerations: [{key: brinewell.example/spot, operator: Exists}]}}
---
kind: Workload
spec: {classes: [{name: relay-gateway, work: {fixed: 50m}, retries: 0}]}
`,
		Good: `template: {spec: {tolerations: [{key: brinewell.example/spot, operator: Exists}]}}
---
kind: Workload
spec: {classes: [{name: relay-gateway, work: {fixed: 50m}, retries: 2}]}
`,
		find: spotNoRetries,
	},
}

func offersNothing(x *subject) {
	if len(x.agent.Offers) == 0 {
		x.say(x.noted(template.OffersAnnotation), "The annotation "+template.OffersAnnotation+
			" is missing or empty: no job that wants anything comes here.",
			"Say what the agent can do, as in "+template.OffersAnnotation+": linux, go.")
	}
}

func offersMisspelt(x *subject) {
	var wanted []string // by any class of a workload that this template is used with
	var others [][]string
	workloads := map[*document.WorkloadSpec]bool{}
	for _, u := range x.uses {
		if u.partly {
			return // one of the others may offer what is missing
		}
		if u.workload != nil {
			workloads[u.workload] = true
		}
		for i, a := range u.agents {
			if i != u.at {
				others = append(others, a.Offers)
			}
		}
	}
	for _, d := range x.shelf.OfKind(document.KindWorkload) {
		if w := d.Value.(*document.Workload); len(x.uses) == 0 || workloads[&w.Spec] {
			for _, k := range w.Spec.Classes {
				wanted = append(wanted, k.Wants...)
			}
		}
	}
	if len(wanted) == 0 {
		return
	}
	var open []string // wanted, and offered by nobody
	for _, w := range wanted {
		if !slices.Contains(x.agent.Offers, w) && !slices.Contains(open, w) &&
			!slices.ContainsFunc(others, func(o []string) bool { return slices.Contains(o, w) }) {
			open = append(open, w)
		}
	}
	for _, o := range x.agent.Offers {
		if slices.Contains(wanted, o) {
			continue
		}
		meant, ok := table.Nearest(o, open)
		if !ok {
			continue
		}
		words := template.Words(template.Annotated(x.p, template.OffersAnnotation)) // in their author's order
		words[slices.Index(words, o)] = meant
		mended := strings.Join(words, ", ")
		x.say(x.noted(template.OffersAnnotation), fmt.Sprintf("%s is offered and no job wants it; jobs want %s, which nobody "+
			"offers. They will wait for ever.", o, meant),
			"Write "+meant+".", x.annotate(template.OffersAnnotation, mended))
	}
}

func offersTwice(x *subject) {
	for i := range x.uses {
		u := &x.uses[i]
		if len(u.gets) > 0 || len(u.could) == 0 {
			continue
		}
		var before []string
		for _, a := range u.agents[:u.at] {
			if slices.ContainsFunc(u.could, func(k int) bool { return offerOf(&a).Serves(u.workload.Classes[k].Wants) }) {
				before = append(before, a.Name)
			}
		}
		x.say(x.noted(template.OffersAnnotation), fmt.Sprintf("It could do the work of %s, and gets none: %s, listed before it, %s it.",
			counted(len(u.could), "class", "classes"), listed(before), several(len(before), "takes", "take")),
			"List it first, or let it offer a word that sets it apart, or leave it out of the scenario.")
		x.in(u)
	}
}

func counted(n int, one, more string) string {
	return units.Count(int64(n)) + " " + several(n, one, more)
}

func classUnserved(x *subject) {
	for i := range x.uses {
		u := &x.uses[i]
		for _, c := range u.unserved {
			if u.partly {
				break // one of the others may serve it
			}
			if slices.ContainsFunc(c.meant, func(m string) bool { return m != "" }) {
				continue // the class has slipped, or the template has: both are said elsewhere
			}
			if len(c.missing) == 0 {
				x.say(x.noted(template.TakesAnnotation), fmt.Sprintf("Class %s wants nothing, and every template of the scenario takes only jobs that "+
					"name something it offers%s.", u.workload.Classes[c.class].Name, perWeek(u, c.class)),
					"Write "+template.TakesAnnotation+": "+template.TakesAny+" on one of them, or let these jobs say what they want.",
					x.annotate(template.TakesAnnotation, template.TakesAny))
				x.in(u)
				continue
			}
			x.say(x.noted(template.OffersAnnotation), fmt.Sprintf("Class %s wants %s, which no template of the scenario offers%s; "+
				"this one lacks only that.", u.workload.Classes[c.class].Name, listed(c.missing), perWeek(u, c.class)),
				"Offer "+listed(c.missing)+" here if the image can do it, or make a template that does.")
			x.in(u)
		}
	}
}

// perWeek says how many jobs of a class there are, where that is known.
func perWeek(u *use, class int) string {
	n := u.perWeek[u.workload.Classes[class].Name]
	if n == 0 {
		return ""
	}
	return fmt.Sprintf(" (%s jobs a week)", units.Count(int64(n+0.5)))
}

func workspaceKept(x *subject) {
	if x.c == nil {
		return
	}
	for i := range x.uses {
		u := &x.uses[i]
		if u.numbers.Reuse != document.WhileIdle {
			continue
		}
		if u.cluster != nil && u.cluster.Agents.Wipe.Dist().Quantile(0.99) == 0 {
			x.say("template.spec", "Agents take one job after the other, and the cluster document says that wiping the workspace "+
				"takes no time: nothing seems to wipe it.",
				"Wipe the workspace after each job and write down how long that takes (spec.agents.wipe), or let agents take one job each.")
			x.in(u)
		}
		for _, m := range x.c.VolumeMounts {
			at := slices.IndexFunc(x.spec.Volumes, func(v corev1.Volume) bool { return v.Name == m.Name })
			if at < 0 || !covers(m.MountPath, x.c.WorkingDir) {
				continue
			}
			if v := x.spec.Volumes[at]; v.PersistentVolumeClaim != nil || v.HostPath != nil {
				x.say(index("template.spec.volumes", at),
					"The workspace is on "+v.Name+", which outlives the agent, and agents take one job after the other: what one leaves, "+
						"the next one finds.",
					"Put the workspace on an emptyDir, and keep what is worth keeping with a cache plan.")
				x.in(u)
			}
		}
	}
}

// covers reports whether a mount holds a directory.
func covers(mount, dir string) bool {
	mount = strings.TrimSuffix(mount, "/")
	return dir != "" && (dir == mount || strings.HasPrefix(dir, mount+"/"))
}

func floorZero(x *subject) {
	for i := range x.uses {
		u := &x.uses[i]
		if !u.numbers.NeedsOneAgent || u.numbers.Floor > 0 {
			continue
		}
		x.say("metadata.name", "The controller takes no job for this template unless it sees an agent of it, and the floor is 0: "+
			"the first agent never comes.",
			"Give it a floor of 1 in the scenario.")
		x.in(u)
	}
}

// longJob is the time from which losing a job to a spot node hurts.
const longJob = 20 * units.Minute

func spotNoRetries(x *subject) {
	for _, s := range x.sites(false) {
		if s.pool.Spot == nil {
			continue
		}
		for _, k := range x.classes() {
			work := units.Duration(k.Work.Dist().Quantile(0.95))
			if k.Retries > 0 || work < longJob {
				continue
			}
			lost := work.Hours() * s.pool.Spot.PerHour
			x.say("template.spec.tolerations", fmt.Sprintf("Jobs of class %s take up to %v and may run on spot nodes of pool %s, "+
				"where about one in %s of that length is cut off; they have no retries.", k.Name, work.Short(), s.pool.Name, oneIn(lost)),
				"Give the class retries, or keep these agents off spot nodes.")
		}
		return
	}
}

// oneIn writes a small share as one in so many.
func oneIn(share float64) string {
	if share <= 0 {
		return "very many"
	}
	return units.Count(int64(max(1, 1/share+0.5)))
}
