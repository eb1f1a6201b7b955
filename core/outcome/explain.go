package outcome

import (
	"fmt"
	"strconv"
	"time"

	"tachyphor/core/sim"
	"tachyphor/core/units"
)

// An Explanation is one job's time, cause by cause.
type Explanation struct {
	JobBrief
	Agent     string  `json:"agent" doc:"Agent that ran it, empty if none did."`
	Node      string  `json:"node" doc:"Node it ran on, empty if none."`
	LeadNs    int64   `json:"leadNs" doc:"Lead time; the stays add up to it. Below 0 when it did not end."`
	Stays     []Stay  `json:"stays" doc:"What it waited for, in order, without gaps."`
	Result    string  `json:"result" doc:"How the job ended." enum:"unfinished,succeeded,out-of-memory,evicted,out-of-disk,timed-out,taken-back,dropped,gave-up,preempted,spoiled,no-tool,forgotten,orphaned"`
	Lost      int     `json:"lost" doc:"Attempts that were cut short."`
	Cost      float64 `json:"cost" doc:"Its share of the node cost within the window."`
	Warmup    bool    `json:"warmup" doc:"It was submitted in the warm-up, which no figure counts: its cost is that of its time within the window alone."`
	Workspace string  `json:"workspace,omitempty" doc:"Which build had saved the workspace that it read, and who read the one that it saved; empty without."`
	Summary   string  `json:"summary" doc:"The explanation in a sentence."`
}

// A Stay is one part of a job's time.
type Stay struct {
	Phase  string `json:"phase" doc:"Phase of the ribbon."`
	Cause  string `json:"cause" doc:"Short name of the cause."`
	FromNs int64  `json:"fromNs" doc:"From, since the job's submission."`
	ToNs   int64  `json:"toNs" doc:"To, since the job's submission."`
	Text   string `json:"text" doc:"What the job waited for, and on whom."`
}

// Brief says in a line how job j fared.
func Brief(t *sim.Trace, j int) JobBrief {
	job, r := t.Jobs.List[j], t.Records[j]
	b := JobBrief{
		ID: t.Jobs.ID(j), Class: t.World.Classes[job.Class].Name,
		Submitted: t.World.Start.Add(time.Duration(t.From(j))), DelayNs: -1, Warm: r.Warm,
	}
	if r.Template < 0 {
		b.Phase, b.Reason = sim.Held.String(), "no template offers all it wants"
		return b
	}
	b.Template = t.World.Templates[r.Template].Name
	if r.Started < 0 {
		b.Phase, b.Reason = sim.Held.String(), "a job before it that did not end"
		if c, ok := t.Kept(j); ok {
			b.Phase, b.Reason = c.Phase().String(), standing(t.World, c, int(r.Template))
		}
		return b
	}
	b.DelayNs = int64(r.Started - t.From(j))
	b.Phase, b.Reason = sim.Held.String(), "nothing: an idle agent took it at once"
	longest := units.Duration(0)
	for _, s := range t.Stays(j) {
		if d := s.To - s.From; s.Cause.Phase() < sim.Restore && d > longest {
			longest = d
			b.Phase, b.Reason = s.Cause.Phase().String(), reason(t, s)
		}
	}
	return b
}

// reason says what a stay waited for, and on whom.
func reason(t *sim.Trace, s sim.Stay) string {
	text := s.Cause.Label()
	if s.By < 0 {
		return text
	}
	switch s.Cause {
	case sim.Stretched, sim.LostWork:
		return text + " on " + t.NodeName(s.By)
	case sim.AwaitsRound:
		return text + "; it took the agent that " + t.Jobs.ID(int(s.By)) + " had left"
	}
	switch s.Cause.Phase() {
	case sim.Held:
		return text + "; an agent came free when " + t.Jobs.ID(int(s.By)) + " ended" + savedLong(t, int(s.By))
	case sim.Placing:
		return text + ". " + t.Verdicts[s.By].Words(t.World.Extended)
	case sim.Node:
		return text + ": " + t.NodeName(s.By)
	case sim.Image:
		return text + " on " + t.NodeName(s.By)
	}
	return text
}

// savedLong says how long a job kept its agent for its save, where that was worth
// saying.
func savedLong(t *sim.Trace, j int) string {
	var save, whole units.Duration
	t.EachStay(j, func(s sim.Stay) {
		whole += s.To - s.From
		if s.Cause == sim.Saving {
			save += s.To - s.From
		}
	})
	if save < 5*units.Second || 20*save < whole {
		return ""
	}
	return ", whose save had taken " + save.Short()
}

// Explain tells job j's time cause by cause.
func Explain(t *sim.Trace, j int) Explanation {
	r, submitted := t.Records[j], t.From(j)
	e := Explanation{JobBrief: Brief(t, j), LeadNs: -1, Stays: []Stay{}}
	if r.Ended >= 0 {
		e.LeadNs = int64(r.Ended - submitted)
	}
	if r.Started >= 0 {
		e.Agent = agentName(t, j)
		e.Node = t.NodeName(r.Node)
	}
	for _, s := range t.Stays(j) {
		text := reason(t, s)
		if r.Started < 0 && r.Template >= 0 {
			text = standing(t.World, s.Cause, int(r.Template))
		}
		e.Stays = append(e.Stays, Stay{
			Phase: s.Cause.Phase().String(), Cause: s.Cause.String(),
			FromNs: int64(s.From - submitted), ToNs: int64(s.To - submitted), Text: text,
		})
	}
	e.Result, e.Lost = r.Result.String(), int(r.Lost)
	e.Warmup = t.Jobs.List[j].Submitted < t.World.Plan.Warmup
	e.Workspace = workspaceOf(t, j)
	e.Cost = units.Money(JobCosts(t)[j]).Float()
	switch {
	case r.Result == sim.GaveUp:
		e.Summary = "It gave up: nobody had started it within " + t.World.Classes[t.Jobs.List[j].Class].GiveUp.Short() +
			". It waited longest for this: " + e.Reason + "."
	case r.Result == sim.Dropped:
		e.Summary = "It was dropped: a job that it comes after did not end well."
	case r.Template < 0:
		m := t.World.Match([][]string{t.Jobs.Wants[t.Jobs.List[j].Wants]})[0]
		u := Unmatched{Class: e.Class, Jobs: 1, Nearest: t.World.Templates[m.Nearest].Name, Missing: m.Missing, Meant: m.Meant}
		e.Summary = u.Sentence()
	case r.Started < 0:
		e.Summary = "It never started, and waited longest for this: " + e.Reason + "."
	default:
		e.Summary = fmt.Sprintf("It started after %s on %s; it waited longest for %s.",
			units.Duration(e.DelayNs).Short(), e.Agent, e.Reason)
		if e.Lost > 0 {
			e.Summary += fmt.Sprintf(" %s cut short.", attempts(e.Lost))
		}
		if r.Result > sim.Succeeded {
			e.Summary += " It failed for good: " + e.Result + "."
		}
	}
	if e.Warmup {
		e.Summary += " It came in the warm-up, which no figure counts."
	}
	return e
}

func attempts(n int) string {
	if n == 1 {
		return "One attempt was"
	}
	return fmt.Sprintf("%d attempts were", n)
}

// agentName names the agent that ran job j last.
func agentName(t *sim.Trace, j int) string {
	r := &t.Records[j]
	return t.World.Templates[r.Template].Name + "-" + strconv.Itoa(int(r.Agent))
}
