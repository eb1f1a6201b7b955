package outcome

import (
	"fmt"
	"strconv"
	"strings"

	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// Why says of one number of an outcome what it is, how it is made, and how sure it is.
type Why struct {
	Of       string `json:"of" doc:"The number that is meant, as in group/class/lint/p95."`
	What     string `json:"what" doc:"What it is."`
	Value    string `json:"value" doc:"The number, with its interval where there is one."`
	How      string `json:"how" doc:"How it is made."`
	Interval string `json:"interval" doc:"How sure it is, and what that is of."`
	Runs     int    `json:"runs" doc:"Repeats behind it."`
	Against  string `json:"against,omitempty" doc:"Of a figure that is compared: its difference to the other outcome's, how that is made, and whether it is sure."`
}

// a number that can be asked for.
type asked struct {
	f         stats.Figure
	kind      numberKind
	what, how string
}

type numberKind int

const (
	timeNumber numberKind = iota
	percentileNumber
	moneyNumber
	hoursNumber
	countNumber
	shareNumber
)

// WhyOf answers for a number by its name: group/BY/NAME/FIGURE with the figures mean, p50, p90, p95, p99, max, jobs, warm,
// wrong and cost; cause/CAUSE; bill/all, bill/job, bill/floor, bill/pool/NAME, bill/use/NAME, bill/part/NAME; aim/N, from 1. ok is false
// where the outcome has no such number.
func (o *Outcome) WhyOf(of string) (why Why, ok bool) {
	if n, ok := strings.CutPrefix(of, "aim/"); ok {
		if i, err := strconv.Atoi(n); err == nil && i >= 1 && i <= len(o.Aims) {
			return o.Aims[i-1].Why(of, len(o.Aims)), true
		}
		return Why{}, false
	}
	n, ok := o.number(of)
	if !ok {
		return Why{}, false
	}
	return o.answer(of, n), true
}

func (o *Outcome) answer(of string, n asked) Why { return whyOf(of, n, o.Cost.Currency) }

func whyOf(of string, n asked, currency string) Why {
	return Why{Of: of, What: n.what, How: n.how, Runs: n.f.Runs, Value: written(n.f, n.kind, currency), Interval: interval(n.f, n.kind)}
}

// WhyTime answers for a time, in ns.
func WhyTime(of, what, how string, f stats.Figure) Why {
	return whyOf(of, asked{f, timeNumber, what, how}, "")
}

// WhyPercentile answers for a percentile of times, in ns, of all runs together.
func WhyPercentile(of, what, how string, f stats.Figure) Why {
	return whyOf(of, asked{f, percentileNumber, what, how}, "")
}

// WhyMoney answers for an amount in a currency.
func WhyMoney(of, what, how string, f stats.Figure, currency string) Why {
	return whyOf(of, asked{f, moneyNumber, what, how}, currency)
}

// WhyShare answers for a share, 0 to 1.
func WhyShare(of, what, how string, f stats.Figure) Why {
	return whyOf(of, asked{f, shareNumber, what, how}, "")
}

// WhyCount answers for a number of things.
func WhyCount(of, what, how string, f stats.Figure) Why {
	return whyOf(of, asked{f, countNumber, what, how}, "")
}

func withReach(mean, reach float64) string {
	if reach == 0 {
		return units.Fixed(mean, 1)
	}
	return units.Fixed(mean, 1) + " ± " + units.Fixed(reach, 1)
}

// interval says how sure a figure is.
func interval(f stats.Figure, kind numberKind) string {
	if f.Runs < 2 {
		return "It is of one repeat: nothing is known of how it varies. Ask for more (run.repeats)."
	}
	how := "by Student's t over the repeats"
	if kind == percentileNumber {
		how = "by Woodruff's method: how far the share of jobs beyond it varies from repeat to repeat"
	}
	if f.Alike > 0 {
		return fmt.Sprintf("The interval holds the figure of 95 of 100 weeks like the recorded one, %s, of jobs drawn anew at the rates of the log. For that very "+
			"week it is surer: %d repeats of its own jobs.", how, f.Runs)
	}
	if f.Half == 0 {
		return fmt.Sprintf("It did not vary over %d repeats.", f.Runs)
	}
	return fmt.Sprintf("The interval holds the true mean in 95 of 100 cases, %s (%d).", how, f.Runs)
}

func (o *Outcome) number(of string) (n asked, ok bool) {
	steps := strings.Split(of, "/")
	switch {
	case steps[0] == "group" && len(steps) >= 4:
		name, figure := strings.Join(steps[2:len(steps)-1], "/"), steps[len(steps)-1]
		for i := range o.Groups {
			if g := &o.Groups[i]; g.By == steps[1] && g.Name == name {
				return g.number(figure)
			}
		}
	case steps[0] == "cause" && len(steps) == 2:
		for _, c := range o.Causes {
			if c.Cause == steps[1] {
				return asked{
					c.Hours, hoursNumber, "How long jobs waited for " + c.Label + ", added up.",
					"Each job's time before its own first step is cut into stretches with one cause each, without gaps or overlaps; those with this " +
						"cause are added up over all jobs of a repeat that ended, then the mean of the repeats is taken.",
				}, true
			}
		}
	case steps[0] == "bill" && len(steps) >= 2:
		return o.Cost.number(steps[1], strings.Join(steps[2:], "/"))
	}
	return asked{}, false
}

const countsJobs = "Jobs submitted after the warm-up and before the end of the span count."

func (g *Group) number(figure string) (asked, bool) {
	of, ofThem := "all jobs", "all jobs"
	if g.By != "all" {
		of = "jobs of " + g.By + " " + g.Name
		ofThem = "the " + of
	}
	percentile := func(f *stats.Figure, share string) (asked, bool) {
		if f == nil {
			return asked{}, false
		}
		return asked{
			*f, percentileNumber, fmt.Sprintf("The start delay that %s of %s that started stay within.", share, ofThem),
			"The delays of all repeats are put in one row, and it is the one at that rank. Where fewer than ten jobs are expected beyond, no figure is given. " + countsJobs,
		}, true
	}
	switch figure {
	case "mean":
		return asked{
			g.Delay.Mean, timeNumber, "Start delay of " + of + ", on average: from submission, or the end of what it comes after, to the job's own first step.",
			"The mean over jobs that started, of each repeat; then the mean of these. " + countsJobs,
		}, true
	case "p50":
		return percentile(g.Delay.P50, "half")
	case "p90":
		return percentile(g.Delay.P90, "90 %")
	case "p95":
		return percentile(g.Delay.P95, "95 %")
	case "p99":
		return percentile(g.Delay.P99, "99 %")
	case "max":
		return asked{
			g.Delay.Max, timeNumber, "The longest start delay of " + of + ".",
			"The longest of each repeat, then the mean of these. One job makes it: it says little of another week.",
		}, true
	case "jobs":
		return asked{g.Jobs, countNumber, "How many " + of + " are submitted.", countsJobs + " Of a recorded workload it is the same in every repeat."}, true
	case "warm":
		return asked{
			g.Warm, shareNumber, "Share of " + ofThem + " that started on an agent which stood idle when they came.",
			"Of each repeat, then the mean.",
		}, true
	case "wrong":
		return asked{
			g.Wrong, countNumber, "How many " + of + " never start, or do not end well, all attempts told.",
			"Of each repeat, then the mean. " + countsJobs,
		}, true
	case "cost":
		return asked{
			g.NodeCost, moneyNumber, "What a job's own share of node cost is, on average, of " + of + ".",
			"Each node's bill is shared among the agents on it by what they request over their time; an agent's share over its jobs by their time. What is left is nobody's.",
		}, true
	}
	return asked{}, false
}

const monthly = "Node time within the window at each pool's price, by its rules of billing, brought to a month of 730 h; of each repeat, then the mean."

func (c *Cost) number(what, name string) (asked, bool) {
	switch what {
	case "all":
		return asked{c.PerMonth, moneyNumber, "All that is paid in a month.", monthly + " The fee and what is no node time are added."}, true
	case "job":
		return asked{c.PerJob, moneyNumber, "What is paid for each job submitted.", "The bill of the window over the jobs submitted in it; of each repeat, then the mean."}, true
	case "floor":
		return asked{
			c.Floor, moneyNumber, "The least that the work done could cost: no bill is below it.",
			"The CPU and memory that the work done within the window needs, at the cheapest prices of nodes that could hold it, and the fee.",
		}, true
	case "pool":
		for _, p := range c.Pools {
			if p.Pool == name {
				return asked{p.PerMonth, moneyNumber, "What the nodes of pool " + name + " cost a month.", monthly}, true
			}
		}
	case "use":
		for _, u := range c.Uses {
			if u.Use == name {
				return asked{
					u.PerMonth, moneyNumber, "Node cost that went to this: " + useWords(name) + ".",
					"Each moment of each node is shared out by what agents on it request: at work, starting, idle, room that fits none, room nobody asked for. The shares add up to the node's bill.",
				}, true
			}
		}
	case "part":
		for _, p := range c.Parts {
			if p.Part == name {
				return asked{p.PerMonth, moneyNumber, "What is paid for " + name + " a month.", "By the amounts of each repeat at the cluster's prices, brought to a month; then the mean."}, true
			}
		}
	}
	return asked{}, false
}

// useWords says what node time goes to.
func useWords(use string) string {
	for u, name := range sim.UseNames {
		if name == use {
			return UseMeanings[u]
		}
	}
	return use
}
