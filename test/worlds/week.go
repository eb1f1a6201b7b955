package worlds

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"

	"tachyphor/core/chance"
	"tachyphor/core/world"
)

// A Week is a week of a few thousand jobs of three classes on nodes that come and go, with
// caching, spot nodes, shared CPU, bursts and calendars on.
type Week struct {
	Repeats int
	Seed    uint64
	Bare    bool // agents and nodes only
}

// Build returns the week as a world with made jobs.
func (k Week) Build() (*world.World, error) { return Parse(k.text("", true), "") }

// Recorded returns the week with jobs that were recorded in one of those weeks: submitted
// as a repeat of the made ones is, each with a time that it worked.
func (k Week) Recorded(week int) (*world.World, error) {
	made, err := k.Build()
	if err != nil {
		return nil, err
	}
	jobs, err := made.Jobs(k.Seed+1_000_000, week)
	if err != nil {
		return nil, err
	}
	var csv strings.Builder
	csv.WriteString("id,submitted,class,work\n")
	for i, j := range jobs.List {
		at := (j.Submitted - made.Plan.Warmup).Seconds()
		if at < 0 {
			continue
		}
		r := rand.New(rand.NewPCG(uint64(chance.Key(j.Key)), uint64(week)))
		work := weekClasses[j.Class].median * math.Exp(0.6*r.NormFloat64())
		fmt.Fprintf(&csv, "%s,%.3f,%s,%.3f\n", jobs.ID(i), at, weekClasses[j.Class].name, work)
	}
	return Parse(k.text("  jobs: {file: jobs.csv, cache: warm}\n", false), csv.String())
}

// weekClasses are the classes of a Week, with the median of their recorded work, s.
var weekClasses = []struct {
	name     string
	median   float64
	arrivals string
	more     string
}{
	{
		"wide", 420, `{hours: [{when: "Mon-Fri 07:00-19:00", perHour: 14}, {when: "Mon-Sun 00:00-24:00", perHour: 2}]}`,
		", cores: 5.5, parallel: 0.8",
	},
	{
		"small", 80, `{hours: [{when: "Mon-Fri 07:00-19:00", perHour: 60}, {when: "Mon-Sun 00:00-24:00", perHour: 8}]}`,
		", cores: 1.6, parallel: 0.7",
	},
	{
		"images", 180, `{hours: [{when: "Mon-Fri 07:00-19:00", perHour: 6}], bursts: [{when: "Mon-Sun 02:00", count: 12, over: 5m}]}`,
		", cores: 2.5",
	},
}

func (k Week) text(jobs string, made bool) string {
	x := full
	if k.Bare {
		x = bare
	}
	var classes strings.Builder
	for i, c := range weekClasses {
		fmt.Fprintf(&classes, "    - {name: %s, wants: [%s], work: {median: %gs, p95: %gs}", c.name, c.name, c.median, c.median*2.7)
		if !k.Bare {
			fmt.Fprintf(&classes, "%s, retries: 3, trunkShare: 0.3, workspace: {cold: {median: %gs, p95: %gs}, size: %dMB, changeRate: 0.03}",
				c.more, c.median/5, c.median/2, 200+200*i)
		}
		if made {
			classes.WriteString(", arrivals: " + c.arrivals)
		}
		classes.WriteString("}\n")
	}
	calendar := ""
	if !k.Bare {
		calendar = `, pools: {core: {calendar: [{when: "Mon-Fri 06:30-18:00", min: 2}]}}`
	}
	x.spot = strings.Replace(x.spot, "max: 16", "max: 3", 1)
	return x.busy("min: 1, max: 2", "max: 6") + strings.NewReplacer("@caching\n", x.caching,
		"@jobs\n", jobs, "@classes\n", classes.String(), "@calendar", calendar, "@repeats", fmt.Sprint(k.Repeats), "@seed",
		fmt.Sprint(k.Seed)).Replace(`---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-09-14T00:00:00+02:00
  zone: Europe/Oslo
@jobs
  classes:
@classes
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: week}
spec:
  cluster: c
  workload: w
  templates:
    - template: wide
      agents: {ceiling: 7, spare: 1, linger: 10m, settle: 2m}
    - template: small
      agents: {ceiling: 12, spare: 1, linger: 10m}
    - template: images
      agents: {reuse: never, ceiling: 8}
@caching
  nodes: {placement: pack, growth: {shrinkAfter: 8m}@calendar}
  run: {span: 7d, warmup: 6h, repeats: @repeats, seed: @seed}
`) + Template("wide", "wide", "6", "20Gi", "a") + Template("small", "small", "1500m", "5Gi", "b") +
		Template("images", "images", "3", "8Gi", "c")
}
