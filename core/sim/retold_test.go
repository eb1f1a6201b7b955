package sim_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/retold"
	"tachyphor/test/worlds"
)

// part is one entry of a template's calendar, in minutes of the first day.
type part struct {
	from, to int
	retold.Numbers
}

// told draws a world from a seed for both writings of the controller's rules: several
// templates with rounds of their own, calendars, ceilings over all, and more.
func told(seed uint64) (text, jobs string, w retold.World) {
	r := rand.New(rand.NewPCG(seed, 21))
	pick := func(list ...int) int { return list[r.IntN(len(list))] }
	w = retold.World{AgentCeiling: -1, Pods: -1, Start: pick(1, 5, 40, 200), Wipe: pick(0, 3, 30), Span: 4 * 3600}
	w.Last = 36 * 3600 // what is not over by then is compared up to there
	var b strings.Builder
	fmt.Fprintf(&b, `
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 10000, memory: 10Ti, pods: 10000, price: 1/h}]
  pools: [{name: p, nodeType: n, min: 1, max: 1}]
  images: [{name: "i:1", size: 1}]
  agents: {start: %ds, wipe: %ds}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  run: {span: 4h, repeats: 1}
`, w.Start, w.Wipe)
	if r.IntN(2) == 0 {
		w.AgentCeiling = 1 + r.IntN(8)
		fmt.Fprintf(&b, "  agentCeiling: %d\n", w.AgentCeiling)
	}
	if r.IntN(4) == 0 {
		w.Pods = 1 + r.IntN(8)
		fmt.Fprintf(&b, "  quota: {pods: %d}\n", w.Pods)
	}
	n := 1 + r.IntN(3)
	limits := rand.New(rand.NewPCG(seed, 22)) // other draws, so that the rest stays as it was
	for k := range limits.IntN(3) {
		l := retold.Limit{Agents: limits.IntN(7)}
		names := ""
		for i := range n {
			if limits.IntN(3) > 0 {
				l.Templates, names = append(l.Templates, i), names+fmt.Sprintf("t%d, ", i)
			}
		}
		if len(l.Templates) == 0 {
			continue
		}
		if len(w.Limits) == 0 {
			b.WriteString("  limits:\n")
		}
		w.Limits = append(w.Limits, l)
		fmt.Fprintf(&b, "    - {name: l%d, templates: [%s], agents: %d}\n", k, strings.TrimSuffix(names, ", "), l.Agents)
	}
	type raise struct{ minute, template, floor, ceiling int } // by hand; floor below 0: as before
	var raises []raise
	for range limits.IntN(3) {
		x := raise{limits.IntN(5 * 60), limits.IntN(n), limits.IntN(4) - 1, 1 + limits.IntN(8)}
		if len(raises) == 0 {
			b.WriteString("  changes:\n")
		}
		raises = append(raises, x)
		floor := ""
		if x.floor = min(x.floor, x.ceiling); x.floor >= 0 {
			floor = fmt.Sprintf(", floor: %d", x.floor)
		}
		fmt.Fprintf(&b, "    - {at: \"%s\", template: t%d, ceiling: %d%s}\n",
			time.Date(2026, 1, 5, 0, x.minute, 0, 0, time.UTC).Format(time.RFC3339), x.template, x.ceiling, floor)
	}
	var gone [][2]int // in minutes
	for range limits.IntN(3) {
		from := limits.IntN(5 * 60)
		gone = append(gone, [2]int{from, from + 1 + limits.IntN(30)})
	}
	w.Gone = func(second int) bool {
		return slices.ContainsFunc(gone, func(g [2]int) bool { return second/60 >= g[0] && second/60 < g[1] })
	}
	for i, g := range gone {
		if i == 0 {
			b.WriteString("  events:\n")
		}
		at := func(minute int) string { return time.Date(2026, 1, 5, 0, minute, 0, 0, time.UTC).Format(time.RFC3339) }
		fmt.Fprintf(&b, "    - {from: %q, to: %q, controllerAway: true}\n", at(g[0]), at(g[1]))
	}
	slices.SortStableFunc(raises, func(x, y raise) int { return x.minute - y.minute })
	b.WriteString("  templates:\n")
	classes, templates := "", ""
	patience := map[int]int{}
	priority := map[int]int{}
	for i := range n {
		t := retold.Template{
			Every: pick(0, 1, 5, 7, 10, 13), Linger: pick(0, 30, 300, 7200), Settle: pick(0, 0, 100, 600),
			Once: r.IntN(3) == 0, Oldest: r.IntN(3) == 0,
		}
		if t.Every > 0 {
			t.Step = pick(0, 0, 1, 3)
		}
		usual := retold.Numbers{Floor: pick(0, 0, 1, 3), Ceiling: pick(-1, 1, 2, 5, 9), Spare: pick(0, 0, 1, 3)}
		if usual.Ceiling >= 0 {
			usual.Floor = min(usual.Floor, usual.Ceiling)
		}
		if r.IntN(4) == 0 {
			t.NeedsOne, t.Within = true, pick(0, 60, 600)
		}
		var parts []part
		for range r.IntN(3) {
			p := part{from: r.IntN(5 * 60), Numbers: retold.Numbers{Floor: r.IntN(4), Ceiling: pick(0, 2, 4, 9), Spare: r.IntN(3)}}
			p.to = p.from + 1 + r.IntN(120)
			p.Floor = min(p.Floor, p.Ceiling)
			parts = append(parts, p)
		}
		t.At = func(second int) retold.Numbers {
			now := usual
			for _, p := range parts {
				if minute := second / 60 % (7 * 24 * 60); minute >= p.from && minute < p.to {
					now = p.Numbers
					break
				}
			}
			for _, x := range raises {
				if x.template != i || second < 60*x.minute {
					continue
				}
				if now.Ceiling = x.ceiling; x.floor >= 0 {
					now.Floor = x.floor
				}
				now.Floor = min(now.Floor, now.Ceiling)
			}
			return now
		}
		reuse := "while-idle"
		if t.Once {
			reuse = "never"
		}
		prefer := "newest"
		if t.Oldest {
			prefer = "oldest"
		}
		ceiling := ""
		if usual.Ceiling >= 0 {
			ceiling = fmt.Sprintf(", ceiling: %d", usual.Ceiling)
		}
		var away [][2]int // in minutes of the first day
		for range limits.IntN(3) {
			from := limits.IntN(5 * 60)
			away = append(away, [2]int{from, from + 1 + limits.IntN(90)})
		}
		t.Away = func(second int) bool {
			minute := second / 60 % (7 * 24 * 60)
			return slices.ContainsFunc(away, func(a [2]int) bool { return minute >= a[0] && minute < a[1] })
		}
		fmt.Fprintf(&b, "    - template: t%d\n      outOfService: [", i)
		for _, a := range away {
			fmt.Fprintf(&b, `{when: "Mon %02d:%02d-%02d:%02d", reason: tests}, `, a[0]/60, a[0]%60, a[1]/60, a[1]%60)
		}
		b.WriteString("]\n")
		if !t.Once && limits.IntN(3) == 0 {
			t.MostJobs = 1 + limits.IntN(4)
		}
		if !t.Once && limits.IntN(3) == 0 {
			t.MostAge = 20 + limits.IntN(1500)
		}
		fmt.Fprintf(&b, "      agents: {mostJobs: %d, mostAge: %ds, ", t.MostJobs, t.MostAge)
		fmt.Fprintf(&b, "every: %ds, linger: %ds, settle: %ds, step: %d, reuse: %s, floor: "+
			"%d, spare: %d, needsOneAgent: %v, oneAgentWithin: %ds, prefer: %s%s, calendar: [",
			t.Every, t.Linger, t.Settle, t.Step, reuse, usual.Floor, usual.Spare, t.NeedsOne, t.Within, prefer, ceiling)
		for _, p := range parts {
			fmt.Fprintf(&b, `{when: "Mon %02d:%02d-%02d:%02d", floor: %d, ceiling: %d, spare: %d}, `, p.from/60, p.from%60, p.to/60, p.to%60,
				p.Floor, p.Ceiling, p.Spare)
		}
		b.WriteString("]}\n")
		w.Templates = append(w.Templates, t)
		patience[i], priority[i] = pick(0, 0, 90, 1800), pick(0, 0, 1)
		classes += fmt.Sprintf("    - {name: k%d, wants: [w%d], work: 1s, giveUpAfter: %ds, priority: %d}\n", i, i, patience[i], priority[i])
		templates += worlds.Template(fmt.Sprint("t", i), fmt.Sprint("w", i), "1", "1Gi", "i:1")
	}
	b.WriteString("---\napiVersion: tachyphor/v1\nkind: Workload\nmetadata: {name: w}\nspec:\n  start: 2026-01-05T00:00:00Z\n  " +
		"jobs: {file: jobs.csv}\n  classes:\n" + classes + templates)
	csv := "id,submitted,class,work\n"
	at, busy := 0, pick(20, 100, 400)
	for j := range 30 + r.IntN(120) {
		if at += r.IntN(busy); at >= w.Span {
			break
		}
		job := retold.Job{Template: r.IntN(len(w.Templates)), Submitted: at, Work: 1 + r.IntN(pick(10, 200, 1500))}
		job.GivesUp, job.Priority = patience[job.Template], priority[job.Template]
		w.Jobs = append(w.Jobs, job)
		csv += fmt.Sprintf("j%d,%d,k%d,%d\n", j, job.Submitted, job.Template, job.Work)
	}
	return b.String(), csv, w
}

// tellings is how many worlds a second writing is held against: all of them in make
// validate, which takes minutes.
func tellings(all uint64) uint64 {
	if long {
		return all
	}
	return all / 10
}

// retell runs worlds that are drawn from seeds, each with what its second writing is told, and
// stops at the first that differ says is not the same. It returns how many there were:
// those in which some pods fit nowhere are passed over.
func retell[W any](t *testing.T, seeds uint64, draw func(seed uint64) (text, csv string, w W), differ func(*sim.Trace,
	W) string,
) (tried int) {
	t.Helper()
	for seed := range seeds {
		text, csv, w := draw(seed)
		world, err := worlds.Parse(text, csv)
		if err != nil && strings.Contains(err.Error(), "fits no node of any pool") {
			continue
		}
		if err != nil {
			t.Fatalf("seed %d: %v\n%s", seed, err, text)
		}
		trace, err := sim.Run(world, 1, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		if fault := differ(trace, w); fault != "" {
			t.Fatalf("seed %d: %s\n%s%s", seed, fault, text, csv)
		}
		tried++
	}
	return tried
}

// The controller's rules, written twice: job by job, agent by agent, second by second.
func TestOracleControllerRetold(t *testing.T) {
	ended, gaveUp, warm := 0, 0, 0
	retell(t, tellings(500), told, func(trace *sim.Trace, w retold.World) string {
		want := retold.Controller(w)
		for _, f := range want.Fates {
			if f.Ended >= 0 {
				ended++
			}
			if f.GaveUp {
				gaveUp++
			}
			if f.Warm {
				warm++
			}
		}
		return disagrees(trace, w, want)
	})
	t.Logf("%d jobs ended, %d of them warm; %d gave up", ended, warm, gaveUp)
	if ended == 0 || gaveUp == 0 || warm == 0 {
		t.Error("the worlds do not try what they are there for")
	}
}

// disagrees says where a run is not what the rules say first.
func disagrees(trace *sim.Trace, w retold.World, want retold.Telling) string {
	last, over := units.Duration(w.Last)*units.Second, true
	for j, f := range want.Fates {
		r := &trace.Records[j]
		got := retold.Fate{Started: retold.Never, Ended: retold.Never, Agent: int(r.Agent), Warm: r.Warm, GaveUp: r.Result == sim.GaveUp}
		if r.Started >= 0 && r.Started <= last {
			got.Started = int(r.Started / units.Second)
		}
		if r.Ended >= 0 && r.Ended <= last {
			got.Ended = int(r.Ended / units.Second)
		}
		over = over && (got.Ended != retold.Never || got.GaveUp)
		if got.Started == retold.Never && r.Started >= 0 { // after the last second that is told
			got.Agent, got.Warm = 0, false
		}
		if got != f {
			return fmt.Sprintf("job %d of template %d at %d: the engine says %+v, the rules %+v", j, w.Jobs[j].Template, w.Jobs[j].Submitted, got, f)
		}
	}
	for group, seconds := range map[int][]int{sim.GroupIdle: want.Idle, sim.GroupStarting: want.Starting, sim.GroupWorking: want.Working} {
		line := &trace.Lines.Agents[group]
		bins := make([]int, len(line.Area))
		for s, n := range seconds {
			bins[units.Duration(s)*units.Second/trace.Lines.Width] += n
		}
		for b, a := range line.Area {
			if a != units.SumOf(units.Duration(bins[b])*units.Second) {
				return fmt.Sprintf("%s agents in bin %d: the engine says %v ns, the rules %d s", sim.GroupNames[group], b, a, bins[b])
			}
		}
	}
	if over && trace.AgentsMade != int64(want.Made) {
		return fmt.Sprintf("%d agents, the rules make %d", trace.AgentsMade, want.Made)
	}
	return ""
}
