package world

import (
	"fmt"
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/units"
)

// Assemble puts a scenario and what it names together; none of that is nil. The faults name
// what does not go together, all at once.
func Assemble(in Input) (*World, document.Faults) {
	s := &in.Scenario.Value.(*document.Scenario).Spec
	c := &in.Cluster.Value.(*document.Cluster).Spec
	l := &in.Workload.Value.(*document.Workload).Spec
	w := &World{
		Scenario: in.Scenario.Name, Currency: c.Currency, Start: l.Start.Time, Zone: l.Zone,
		Images: slices.Clone(c.Images), Links: c.Links, Store: c.Store, Volumes: c.Volumes, Claims: c.Claims, Rules: s.Caching,
		StartTime: c.Agents.Start.Dist(), JoinTime: c.Agents.Join.Dist(), WipeTime: c.Agents.Wipe.Dist(),
		UpdateTime: c.Agents.Update.Dist(), AttachTime: c.Volumes.Attach.Dist(), DetachTime: c.Volumes.Detach.Dist(),
		AgentCeiling: -1, Quota: s.Quota, Growth: s.Nodes.Growth, Placement: s.Nodes.Placement,
		Fee: c.Fee, AgentFee: c.Agents.Fee, Waiting: s.Waiting, Workload: l,
	}
	if b := c.Scheduler.Backoff; b != nil {
		w.Backoff = *b
	}
	w.Preempts = c.Scheduler.Preemption
	if s.AgentCeiling != nil {
		w.AgentCeiling = *s.AgentCeiling
	}
	for _, t := range c.Agents.Tools {
		w.Tools = append(w.Tools, Tool{chance.Name(t.Name), t.Install.Dist(), t.Fails})
	}
	a := assembly{w: w, in: in}
	w.Lay()
	a.classes(s, l)
	if l.Jobs != nil {
		a.record()
	}
	w.Notes = append(w.spanOf(&s.Run), w.warmUp(in.Bound)...)
	if w.Plan.Warmup >= w.Plan.Span {
		a.fault(in.Scenario, "spec.run.warmup", w.Plan.Warmup.String(),
			"must be shorter than the "+w.Plan.Span.String()+" that the log covers: of less than a day it is the first part")
	}
	a.agents(s, c)
	for i := range s.Limits {
		x := &s.Limits[i]
		l := Limit{Name: x.Called(), Agents: x.Agents, Seat: x.Seat}
		for k := range s.Templates {
			if slices.Contains(x.Templates, s.Templates[k].Template) {
				l.Templates = append(l.Templates, int32(k))
			}
		}
		w.Limits = append(w.Limits, l)
	}
	a.pools(s, c)
	a.host(c)
	a.events(s.Events, c)
	a.prepull(s.Nodes.Prepull)
	a.network(l, c)
	a.speeds(l, c)
	w.missing = missing(in.Cluster, c, w.Pools)
	a.fits()
	a.coming(l)
	if i := slices.IndexFunc(w.Rules, func(r document.CacheRule) bool { return r.Plan == document.Baked }); i >= 0 && len(w.Later) > 0 {
		a.fault(in.Scenario, fmt.Sprintf("spec.caching[%d].plan", i), string(document.Baked),
			"the workspace is part of the image, and a template becomes another one; try the two in scenarios of their own")
	}
	if len(a.faults) == 0 {
		w.plans()
		w.Notes = append(w.Notes, w.tails()...)
		if n := w.People(); n > 0 {
			w.Notes = append(w.Notes, fmt.Sprintf("People who submit their next job only when they have the result of the last: %s. "+
				"A design that makes them wait is asked for less, so compare what a job costs and how many start beside the bill.",
				units.Count(int64(n))))
		}
		if w.ExpectedJobs() <= mostJobsEarlier {
			w.origin = &origin{in, w}
		}
	}
	return w, a.faults
}

// Changed puts the world together with changes made in its documents first. The error is of a
// change that cannot be made, the faults are of what came of them.
func (in Input) Changed(list []document.Changes) (*World, document.Faults, error) {
	named, faults, err := in.Named.With(list)
	if err != nil || len(faults) > 0 {
		return nil, faults, err
	}
	in.Named = named
	w, faults := Assemble(in)
	return w, faults, nil
}

type assembly struct {
	w      *World
	in     Input
	faults document.Faults
}

func (a *assembly) fault(d *document.Document, path, found, expected string) {
	a.faults = append(a.faults, d.Fault(path, found, expected))
}
