package weigh

import (
	"math"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A reading is what one repeat of one plan came to.
type reading struct {
	sample  outcome.Sample
	classes []sim.ClassCache
	carried []float32 // by job: time in restoring, cold work and saving, ns; below 0 for one that did not end; nil where its builds are not followed
	held    [3]heldBy // of node time, by class: restoring, cold work, saving
	stored  []float64 // GB in the store over time
	// peak is the mean time that the workspace takes of a build of the busiest hour, and
	// peakAlone what it would with nobody else about, ns.
	peak, peakAlone float64
	leads           []stats.Spread // lead time of the window's jobs with a workspace, ns: of all, then by class
}

// heldBy is money for node time by class.
type heldBy []float64

// leadCells is how many lead times are kept of a class in a reading.
const leadCells = 512

// mostFollowed bounds the jobs, of all plans and repeats together, whose builds are
// followed one by one: four bytes each. The first repeat's always are.
const mostFollowed = 50_000_000

// followed is in how many repeats builds are followed, with so many jobs in each, under
// so many plans.
func followed(repeats, jobs, plans int) int {
	return min(repeats, max(1, mostFollowed/max(1, jobs*plans)))
}

// hour sums up what the workspace took of the builds of the busiest hour.
type hour struct {
	from, to units.Duration
	sum      units.Duration // in restoring, cold work and saving
	taken    units.Duration // of that, waiting for a volume that another job had
	jobs     int
}

// add adds job j, which has a workspace.
func (h *hour) add(t *sim.Trace, j int) {
	if at := t.Jobs.List[j].Submitted; at < h.from || at >= h.to || !t.World.HasWorkspace(int(t.Jobs.List[j].Class)) {
		return
	}
	h.jobs++
	t.EachStay(j, func(s sim.Stay) {
		d := s.To - s.From
		switch s.Cause {
		case sim.VolumeTaken:
			h.sum, h.taken = h.sum+d, h.taken+d
		case sim.Restoring, sim.ColdWork, sim.Saving:
			h.sum += d
		}
	})
}

// means are the mean time of a build, and the same without waiting for volumes, ns.
func (h *hour) means() (truth, alone float64) {
	n := math.Max(1, float64(h.jobs))
	return float64(h.sum) / n, float64(h.sum-h.taken) / n
}

// readAlone takes what is looked at where the store's link is not shared.
func readAlone(t *sim.Trace, h hour) *reading {
	r := &reading{}
	for j := range t.Records {
		if t.Records[j].Ended >= 0 {
			h.add(t, j)
		}
	}
	_, r.peakAlone = h.means()
	return r
}

// read takes a trace's reading; follow says whether its builds are followed.
func read(t *sim.Trace, repeat int, h hour, follow bool) *reading {
	w := t.World
	r := &reading{sample: outcome.Measure(t, repeat), classes: t.Cache.Classes}
	if follow {
		r.carried = make([]float32, len(t.Records))
	}
	for i := range r.held {
		r.held[i] = make(heldBy, len(w.Classes))
	}
	costs := outcome.JobCosts(t)
	r.sample.Lean()
	leads := make([][]int64, 1+len(w.Classes))
	for j := range t.Records {
		job, rec := &t.Jobs.List[j], &t.Records[j]
		if follow {
			r.carried[j] = -1
		}
		if rec.Ended < 0 || rec.Started < 0 {
			continue
		}
		var phases [sim.Phases]units.Duration
		var causes [sim.CauseCount]units.Duration
		t.EachStay(j, func(s sim.Stay) {
			phases[s.Cause.Phase()] += s.To - s.From
			causes[s.Cause] += s.To - s.From
		})
		parts := [3]units.Duration{phases[sim.Restore], causes[sim.ColdWork], phases[sim.Save]}
		if follow {
			r.carried[j] = float32(parts[0] + parts[1] + parts[2])
		}
		h.add(t, j)
		if job.Submitted < w.Plan.Warmup || job.Submitted >= w.Plan.Span {
			continue
		}
		if w.HasWorkspace(int(job.Class)) {
			for _, of := range []int{0, 1 + int(job.Class)} {
				leads[of] = append(leads[of], int64(rec.Ended-t.From(j)))
			}
		}
		on := phases[sim.Restore] + phases[sim.Work] + phases[sim.Save] + phases[sim.Wipe]
		if !rec.Stood { // its agent was started for it
			on += phases[sim.Image] + phases[sim.Setup] + phases[sim.Join]
		}
		if on > 0 {
			for i, d := range parts {
				r.held[i][job.Class] += units.Money(costs[j]).Float() * float64(d) / float64(on)
			}
		}
	}
	for _, list := range leads {
		r.leads = append(r.leads, stats.SpreadOf(list, leadCells))
	}
	r.peak, r.peakAlone = h.means()
	for b, area := range t.Lines.Stored.Area {
		in := min(units.Duration(b+1)*t.Lines.Width, w.Plan.Span) - units.Duration(b)*t.Lines.Width
		if in <= 0 {
			break
		}
		r.stored = append(r.stored, area.Float()*(1<<20)/float64(in)/float64(units.GB))
	}
	return r
}

// busiest is the hour in which most jobs with a workspace are submitted.
func busiest(w *world.World, jobs []units.Duration) (from units.Duration, n int) {
	if len(jobs) == 0 {
		return 0, 0
	}
	counts := make([]int, jobs[len(jobs)-1]/units.Hour+1)
	for _, at := range jobs {
		counts[at/units.Hour]++
	}
	for h, c := range counts {
		if c > n && units.Duration(h)*units.Hour >= w.Plan.Warmup {
			from, n = units.Duration(h)*units.Hour, c
		}
	}
	return from, n
}
