package review

import (
	"fmt"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"
)

// lifeRules look at where an agent lives and for how long.
var lifeRules = []Rule{
	{
		ID: "default-namespace", Severity: Risky, Title: "Agents without a namespace of their own",
		Why: "Rights, quotas and network rules are given to namespaces. In the default one, agents share them with whatever else " +
			"was put there, and what is allowed to agents is allowed to all.",
		Bad: `metadata: {namespace: default}
`,
		Good: `metadata: {namespace: slipway}
`,
		find: defaultNamespace,
	},
	{
		ID: "name-too-long", Severity: Advice, Title: "A name that is cut when pods are made from it",
		Why: "Pods get their template's name, a dash and five letters, within 63 letters in all; the rest is cut off. Two long " +
			"names that differ at their ends make pods that look alike, and a label with the whole pod name may be refused.",
		Bad: `metadata: {name: agents-for-the-nightly-regression-of-the-acoustic-suite-on-spot}
`,
		Good: `metadata: {name: suite-night}
`,
		find: nameTooLong,
	},
	{
		ID: "no-time-limit", Severity: Advice, Title: "A job that hangs holds its agent for ever",
		Why: "A test that waits for an answer, a prompt that nobody sees: without a limit the agent and its node are held until " +
			"someone notices, and with a ceiling everyone else waits behind it.",
		Bad: `kind: Workload
spec: {classes: [{name: relay-gateway, limit: null}]}
`,
		Good: `template: {spec: {activeDeadlineSeconds: 14400}}
`,
		find: noTimeLimit,
	},
	{
		ID: "grace-over-notice", Severity: Risky, Title: "More time to end than a spot node gives",
		Why: "When a spot node is taken back its pods get the shorter of their grace period and the notice. An agent that counts " +
			"on more is cut off in the middle of saving or handing its job back.",
		Bad: `template:
  spec:
    terminationGracePeriodSeconds: 600
    tolerations: [{key: brinewell.example/spot, operator: Exists}]
`,
		Good: `template:
  spec:
    terminationGracePeriodSeconds: 60
    tolerations: [{key: brinewell.example/spot, operator: Exists}]
`,
		find: graceOverNotice,
	},
	{
		ID: "never-fresh", Severity: Risky, Title: "Agents are never made afresh while jobs suffer from what others left",
		Why: "What a job leaves on its agent, beyond what is wiped, makes those after it longer or has them fail. An agent that is kept " +
			"while it is in use gathers more and more of it.",
		Bad: `kind: Workload
spec: {classes: [{name: relay-gateway, workspace: {leftovers: {fails: 0.01}}}]}
---
kind: Scenario
spec: {templates: [{template: small-steady, agents: {reuse: while-idle, ceiling: 20}}]}
`,
		Good: `kind: Workload
spec: {classes: [{name: relay-gateway, workspace: {leftovers: {fails: 0.01}}}]}
---
kind: Scenario
spec: {templates: [{template: small-steady, agents: {reuse: while-idle, ceiling: 20, mostJobs: 10}}]}
`,
		find: neverFresh,
	},
	{
		ID: "old-agents", Severity: Advice, Title: "Agents of the template's last revision are still there",
		Why: "A changed template is used for new agents only. Those that were kept go on as they were made, so a job may still " +
			"meet the mistake that was just mended.",
		Bad: `# changed 3m ago
kind: Scenario
spec: {templates: [{template: small-steady, agents: {reuse: while-idle, linger: 10m, ceiling: 20}}]}
`,
		Good: `# changed 3m ago
kind: Scenario
spec: {templates: [{template: small-steady, agents: {reuse: never, ceiling: 20}}]}
`,
		find: oldAgents,
	},
}

func defaultNamespace(x *subject) {
	switch x.p.Namespace {
	case "":
		x.say("metadata", "The template names no namespace: its agents go wherever whoever makes them happens to be, as a rule to default.",
			"Give agents a namespace of their own, in metadata.namespace.")
	case "default":
		x.say("metadata.namespace", "Agents live in the default namespace, beside whatever else is there.",
			"Give agents a namespace of their own.")
	}
}

// longestName is how long a name may be for pods to be made from it uncut: 63
// letters, less a dash and five.
const longestName = 57

func nameTooLong(x *subject) {
	if n := len(x.d.Name); n > longestName {
		x.say("metadata.name", fmt.Sprintf("The name has %d letters; pods are made from its first %d.", n, longestName+1),
			fmt.Sprintf("Choose a name of at most %d letters.", longestName))
	}
}

func noTimeLimit(x *subject) {
	if x.spec.ActiveDeadlineSeconds != nil {
		return
	}
	classes := x.classes()
	for _, k := range classes {
		if k.Limit == 0 {
			x.say("template.spec", "Neither the pod nor class "+k.Name+
				" has a time limit: a job that hangs keeps its agent and its node until someone sees it.",
				"Give the classes a limit; where each agent does one job, activeDeadlineSeconds does it too.")
			return
		}
	}
	if len(classes) == 0 {
		x.say("template.spec", "The pod has no time limit: a job that hangs keeps its agent and its node until someone sees it.",
			"Where each agent does one job, set activeDeadlineSeconds; otherwise let the controller end jobs that take too long.")
	}
}

func graceOverNotice(x *subject) {
	grace := 30 * units.Second // Kubernetes' own, where none is given
	if g := x.spec.TerminationGracePeriodSeconds; g != nil {
		grace = units.Duration(*g) * units.Second
	}
	for _, s := range x.sites(false) {
		if s.pool.Spot == nil || s.pool.Spot.Notice == 0 || grace <= s.pool.Spot.Notice {
			continue
		}
		x.say("template.spec.terminationGracePeriodSeconds",
			fmt.Sprintf("The agent may take %v to end, and nodes of pool %s go %v after their notice.", grace, s.pool.Name, s.pool.Spot.Notice),
			fmt.Sprintf("Let the grace period be at most %v, and the agent end within it.", s.pool.Spot.Notice))
		return
	}
}

func oldAgents(x *subject) {
	change, ok := x.shelf.Changes[x.d.Name]
	if !ok || x.shelf.Now.IsZero() {
		return
	}
	since := units.Duration(x.shelf.Now.Sub(change.At))
	for i := range x.uses {
		u := &x.uses[i]
		if u.numbers.Reuse != document.WhileIdle || u.workload == nil {
			continue
		}
		longest := 0.0
		for _, k := range u.gets {
			longest = max(longest, u.workload.Classes[k].Work.Dist().Quantile(0.95))
		}
		goes := units.Duration(longest) + u.numbers.Linger + u.numbers.Settle
		kept, most := u.numbers.Floor+u.numbers.Spare, "any number"
		for _, p := range u.numbers.Calendar {
			floor, spare, _ := u.numbers.In(p)
			kept = max(kept, floor+spare)
		}
		if u.numbers.Ceiling != nil {
			most = units.Count(int64(*u.numbers.Ceiling))
		}
		if since > goes && (kept == 0 || since > 30*units.Day) {
			continue
		}
		says := fmt.Sprintf("Revision %d came %v ago. In this scenario agents are kept while idle: %s of revision %d may go on",
			change.Revision, since.Short(), most, change.Revision-1)
		if since <= goes {
			says += ", most of them until " + change.At.Add(time.Duration(goes)).UTC().Format("2006-01-02 15:04 UTC")
		}
		if kept > 0 {
			says += fmt.Sprintf("; up to %d, the floor and spare, as long as nothing takes them away", kept)
		}
		x.say("metadata.name", says+".", "Take the idle agents away by hand once, or lower the floor for a moment.")
		x.in(u)
	}
}

func neverFresh(x *subject) {
	for i := range x.uses {
		u := &x.uses[i]
		if u.numbers.Reuse != document.WhileIdle || u.numbers.MostJobs > 0 || u.numbers.MostAge > 0 || u.workload == nil {
			continue
		}
		for _, k := range u.gets {
			c := &u.workload.Classes[k]
			if c.Workspace.Leftovers == (document.Leftovers{}) {
				continue
			}
			x.say("metadata.name", fmt.Sprintf("Jobs of class %s suffer from what earlier jobs left on their agent, and in this scenario an agent is "+
				"kept for as long as there are jobs.", c.Name), "Give agents a most number of jobs or a most age: mostJobs, mostAge.")
			x.in(u)
			break
		}
	}
}
