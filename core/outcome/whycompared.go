package outcome

import (
	"math"
	"slices"
	"strings"

	"tachyphor/core/stats"
)

const (
	everyRepeat = "Of each repeat, then the mean."
	nodeShares  = "Each moment of each node is shared out by what agents on it request; this part of the bill over the whole bill of nodes. " + everyRepeat
)

// howCompared says how what is compared is made, where no number of an outcome by itself says so.
var howCompared = map[string]string{
	"started":   "Jobs that reach their own first step. " + everyRepeat + " " + countsJobs,
	"lead-mean": "From submission, or the end of what the job comes after, to its end, whatever attempts that takes; the mean over jobs that ended. " + everyRepeat + " " + countsJobs,
	"lead-p95": "The lead times of all repeats are put in one row, and it is the one at that rank. Where fewer than ten jobs are expected beyond, " +
		"no figure is given. " + countsJobs,
	"cost-year":      "Twelve times the bill of a month of 730 h. " + everyRepeat,
	"always-month":   "As many nodes of each pool as there are at most at once, all the time, each at its pool's price; the rest of the bill as it is. " + everyRepeat,
	"hours-month":    "The same nodes, off outside the workload's working hours, at those hours' share of a week. " + everyRepeat,
	"outside-share":  "Jobs submitted outside the workload's working hours, over all. " + everyRepeat + " " + countsJobs,
	"waiting-month":  "The time that jobs wait, at what the scenario says an hour of it is worth, brought to a month of 730 h; nobody is billed for it. " + everyRepeat,
	"empty-share":    nodeShares,
	"idle-share":     nodeShares,
	"stranded-share": nodeShares,
	"lost-share":     nodeShares,
	"times-floor": "All that is paid, over the least that the work done could cost: its CPU and memory at the cheapest prices of nodes that could " +
		"hold it, and the fee. " + everyRepeat,
	"unfinished":   "Jobs that are waiting or at work when the run ends. " + everyRepeat + " " + countsJobs,
	"memory-kills": "Counted over the whole run, warm-up too. " + everyRepeat,
	"evictions":    "Counted over the whole run, warm-up too. " + everyRepeat,
	"stretch-mean": "How much longer work takes because its node has less CPU left than the job would use; the mean over jobs that ended. " + everyRepeat + " " + countsJobs,
	"lost":         "Attempts that end before their job does: nodes taken back or drained, agents killed or evicted. " + everyRepeat + " " + countsJobs,
}

// numberCompared names the number of an outcome that is the same figure.
var numberCompared = map[string]string{
	"delay-p95": "group/all/all jobs/p95", "delay-p50": "group/all/all jobs/p50", "delay-mean": "group/all/all jobs/mean",
	"wrong": "group/all/all jobs/wrong", "warm-share": "group/all/all jobs/warm", "cost-month": "bill/all", "cost-job": "bill/job",
}

// WhyOf answers for a figure that is compared, by its key, of one outcome of the list that was compared, and for its difference to
// the first. ok is false where nothing of that key is compared.
func (c *Comparison) WhyOf(list []*Outcome, key string, i int) (why Why, ok bool) {
	at := slices.IndexFunc(c.Metrics, func(m Metric) bool { return m.Key == key })
	if at < 0 {
		return Why{}, false
	}
	m, o := &c.Metrics[at], list[i]
	n := asked{m.Values[i], m.kind(), strings.ToUpper(m.Label[:1]) + m.Label[1:] + ".", howCompared[key]}
	if own, ok := o.number(numberCompared[key]); ok {
		n.what, n.how = own.what, own.how
	}
	why = o.answer("metric/"+key, n)
	if m.TooFew[i] {
		why.Interval = "Too few jobs say it: it is a guess, without an interval."
	}
	if i > 0 {
		why.Against = c.against(m, i, o.Cost.Currency)
	}
	return why, true
}

func (m *Metric) kind() numberKind {
	at := slices.IndexFunc(measures, func(x measure) bool { return x.key == m.Key })
	switch {
	case measures[at].percentile != nil:
		return percentileNumber
	case m.Unit == "ns":
		return timeNumber
	case m.Unit == "money":
		return moneyNumber
	case m.Unit == "share":
		return shareNumber
	default:
		return countNumber
	}
}

// against says how much a figure differs from the first outcome's, how that is made, and whether it is sure.
func (c *Comparison) against(m *Metric, i int, currency string) string {
	if m.TooFew[0] || m.TooFew[i] {
		return "With too few jobs in one of the two, nothing is said of a difference."
	}
	d := m.Differences[i]
	size := stats.Figure{Mean: math.Abs(d.Mean), Half: d.Half, Alike: d.Alike, Runs: d.Runs}
	text := written(size, m.kind(), currency)
	if m.Unit == "share" {
		text = strings.TrimSuffix(text, "%") + "points"
	}
	switch {
	case d.Mean == 0 && max(d.Half, d.Alike) == 0:
		return "The same as with " + c.Scenarios[0] + "."
	case d.Mean < 0:
		text += " less than with "
	default:
		text += " more than with "
	}
	text += c.Scenarios[0] + ". "
	if c.Paired {
		text += "Both have the same draws and jobs, so it is taken repeat by repeat, and what they share cancels. "
	} else {
		text += "The two differ in seed, repeats, span or jobs, so it is the difference of the means, with a wider interval. "
	}
	switch {
	case d.Runs < 2:
		return text + "Of one repeat: how sure it is cannot be said."
	case m.SureAlike[i]:
		return text + "It is sure: the 95 % interval leaves zero out."
	case m.Sure[i]:
		return text + "It is sure of the very week that was recorded, not of others like it."
	default:
		return text + "It is not sure: the 95 % interval has zero in it."
	}
}

// written writes a number with its interval.
func written(f stats.Figure, kind numberKind, currency string) string {
	switch kind {
	case timeNumber, percentileNumber:
		return Time(f)
	case moneyNumber:
		return Money(f, currency)
	case shareNumber:
		return withReach(100*f.Mean, 100*max(f.Half, f.Alike)) + " %"
	case hoursNumber:
		return withReach(f.Mean, max(f.Half, f.Alike)) + " job-hours"
	default:
		return withReach(f.Mean, max(f.Half, f.Alike))
	}
}
