package sim_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/retold"
	"tachyphor/test/worlds"
)

// kept draws a world from a seed for both writings of how archives are saved and found.
func kept(seed uint64) (text, jobs string, s retold.Store) {
	r := rand.New(rand.NewPCG(seed, 41))
	pick := func(list ...int) int { return list[r.IntN(len(list))] }
	word := func(list ...string) string { return list[r.IntN(len(list))] }
	s = retold.Store{
		Span: 4 * 3600, Room: pick(0, 0, 4, 7, 12), Latency: pick(0, 1, 3), Pack: pick(0, 1, 2), Unpack: pick(0, 1, 4),
		Wipe: pick(0, 2),
	}
	const start = 2
	var rules, classes strings.Builder
	for range 1 + r.IntN(2) {
		s.Rules = append(s.Rules, retold.Rule{
			Save: word("every-success", "when-changed", "when-changed", "every", "never"), Every: pick(60, 600), ByAll: r.IntN(2) == 0,
			ByClass: r.IntN(2) == 0, Expires: pick(0, 0, 50, 900),
		})
	}
	named := make([][]string, len(s.Rules))
	for i := range 1 + r.IntN(5) {
		c := retold.Class{
			Project: word("", "p", "p", "q"), Changes: r.IntN(2) == 0, Cold: 2 * r.IntN(40), Size: 1 + r.IntN(5), Limit: pick(0, 0, 60),
			Rule: r.IntN(len(s.Rules)+1) - 1,
		}
		name := string(rune('z'-i)) + "-class"
		s.Classes, s.Names = append(s.Classes, c), append(s.Names, name)
		if c.Rule != retold.Never {
			named[c.Rule] = append(named[c.Rule], name)
		}
		fmt.Fprintf(&classes, "    - {name: %s, project: %q, wants: [x], work: 1s, limit: %ds, workspace: {cold: %ds, size: %dGB, "+
			"changeRate: %d, partial: 0.5}}\n",
			name, c.Project, c.Limit, c.Cold, c.Size, map[bool]int{true: 1}[c.Changes])
	}
	for i, rule := range s.Rules {
		if len(named[i]) == 0 {
			named[i] = []string{"other-class"}
		}
		savedBy, scope, every := "trunk", "project", ""
		if rule.Save == "every" {
			every = fmt.Sprintf(", every: %ds", rule.Every)
		}
		if rule.ByAll {
			savedBy = "all"
		}
		if rule.ByClass {
			scope = "class"
		}
		fmt.Fprintf(&rules, "    - {classes: [%s], plan: archive, save: %s%s, savedBy: %s, scope: %s, expires: %ds}\n",
			strings.Join(named[i], ", "), rule.Save, every, savedBy, scope, rule.Expires)
	}
	rate := func(secondsPerGB int) string {
		return fmt.Sprintf("%dMB/s", 1000/max(1, secondsPerGB))
	}
	store := ""
	if s.Room > 0 {
		store += fmt.Sprintf(", size: %dGB", s.Room)
	}
	if s.Pack > 0 {
		store += ", pack: " + rate(s.Pack)
	}
	if s.Unpack > 0 {
		store += ", unpack: " + rate(s.Unpack)
	}
	text = fmt.Sprintf(`
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 10000, memory: 10Ti, pods: 10000, price: 1/h}]
  pools: [{name: p, nodeType: n, min: 1, max: 1}]
  images: [{name: "i:1", size: 1}]
  links: {store: {perFlow: 1GB/s, perFlowUp: 1GB/s, latency: %ds}}
  store: {price: 0/GB-month%s}
  agents: {start: %ds, wipe: %ds}
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-01-05T00:00:00Z
  jobs: {file: jobs.csv, cache: warm}
  classes:
    - {name: none-class, wants: [x], work: 1s}
    - {name: other-class, wants: [x], work: 1s}
%s---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates: [{template: t, agents: {every: 0s, reuse: never}}]
  caching:
%s  run: {span: 4h, repeats: 1}
`, s.Latency, store, start, s.Wipe, classes.String(), rules.String()) + worlds.Template("t", "x", "1", "1Gi", "i:1")
	csv := "id,submitted,class,work,branch\n"
	at, busy := 10, pick(10, 60, 300)
	csv += "warm-up,0,none-class,1,trunk\n" // the image is there from now on
	for j := range 20 + r.IntN(80) {
		at += r.IntN(busy)
		if at >= 4*3600 {
			break
		}
		b := retold.Build{Class: r.IntN(len(s.Classes)), Begins: at + start, Work: 1 + r.IntN(pick(10, 100)), Change: r.IntN(2) == 0}
		s.Builds = append(s.Builds, b)
		csv += fmt.Sprintf("j%d,%d,%s,%d,%s\n", j, at, s.Names[b.Class], b.Work, map[bool]string{true: "change", false: "trunk"}[b.Change])
	}
	return text, csv, s
}

// How archives are saved, found, pushed out and outlived, written twice.
func TestOracleArchivesRetold(t *testing.T) {
	var all retold.StoreTold
	retell(t, tellings(1000), kept, func(trace *sim.Trace, s retold.Store) string {
		want := retold.Archives(s)
		all.Fresh, all.Stale, all.Missed, all.Saves = all.Fresh+want.Fresh, all.Stale+want.Stale, all.Missed+want.Missed, all.Saves+want.Saves
		all.PushedOut, all.Refused, all.Expired = all.PushedOut+want.PushedOut, all.Refused+want.Refused, all.Expired+want.Expired
		return archivesDiffer(trace, s, want)
	})
	t.Logf("%d fresh, %d stale, %d missed; %d saved, %d pushed out, %d refused, %d expired", all.Fresh, all.Stale, all.Missed, all.Saves,
		all.PushedOut, all.Refused, all.Expired)
	if min(all.Fresh, all.Stale, all.Missed, all.Saves, all.PushedOut, all.Refused, all.Expired) == 0 {
		t.Error("the worlds do not try what they are there for")
	}
}

// archivesDiffer says where a run is not what the second writing says first.
func archivesDiffer(trace *sim.Trace, s retold.Store, want retold.StoreTold) string {
	for j := range s.Builds {
		r := &trace.Records[j+1]
		if got := int(r.Ended / units.Second); units.Duration(got)*units.Second != r.Ended || got != want.Ended[j] ||
			(r.Result == sim.TimedOut) != want.Stopped[j] {
			return fmt.Sprintf("job %d of %s at %d: the engine has it end at %v (%v), the second writing at %d (stopped: %v); %s",
				j, s.Names[s.Builds[j].Class], s.Builds[j].Begins, r.Ended.Seconds(), r.Result, want.Ended[j], want.Stopped[j], story(trace, j+1))
		}
	}
	c := &trace.Cache
	got := [...]int64{c.Hits, c.Stale, c.Misses, c.Saves + c.Refused, c.PushedOut, c.Refused, c.Expired}
	if told := [...]int64{
		int64(want.Fresh), int64(want.Stale), int64(want.Missed), int64(want.Saves), int64(want.PushedOut),
		int64(want.Refused), int64(want.Expired),
	}; got != told {
		return fmt.Sprintf("fresh, stale, missed, sent, pushed out, refused, expired: the engine counts %v, the second writing %v", got, told)
	}
	return ""
}
