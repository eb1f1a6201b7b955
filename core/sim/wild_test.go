package sim_test

import (
	"fmt"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// FuzzWildWorlds holds whatever must be true of a world in which everything may be
// on: books that balance, jobs that end once, a run that repeats itself.
func FuzzWildWorlds(f *testing.F) {
	seeds := uint64(12)
	if long {
		seeds = 2000
	}
	for seed := range seeds {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, seed uint64) {
		w, err := worlds.Wild(seed)
		if err != nil {
			t.Skip(err) // an agent that fits on no node
		}
		trace, err := sim.Run(w, seed, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		if err := trace.Check(); err != nil {
			t.Error(err)
		}
		ended(t, trace)
		paid(t, trace)
		if again, err := sim.Run(w, seed, 0, nil); err != nil || digest(trace) != digest(again) {
			t.Errorf("two runs differ (%v)", err)
		}
	})
}

// ended checks that every job ended as its result says, and none before those it
// comes after.
func ended(t *testing.T, trace *sim.Trace) {
	t.Helper()
	lost := int64(0)
	for j, r := range trace.Records {
		lost += int64(r.Lost)
		switch {
		case r.Ended >= 0 && (r.Result == sim.Unfinished || r.Result.Never() || r.Started < 0):
			t.Errorf("job %d ended at %v with %v", j, r.Ended, r.Result)
		case r.Ended < 0 && r.Result != sim.Unfinished && !r.Result.Never() && r.Result != sim.Succeeded && r.Result != sim.TimedOut:
			t.Errorf("job %d has not ended, with %v", j, r.Result)
		}
		for _, b := range trace.Jobs.After(j) {
			before := trace.Records[b]
			if r.Started >= 0 && (before.Result != sim.Succeeded || worked(trace, int(b)) > r.Started) {
				t.Errorf("job %d started at %v, before the work of job %d was done at %v with %v", j, r.Started, b, worked(trace, int(b)),
					before.Result)
			}
		}
		if class := trace.World.Classes[trace.Jobs.List[j].Class]; int(r.Lost) > class.Retries+1 {
			t.Errorf("job %d lost %d attempts, and may be retried %d times", j, r.Lost, class.Retries)
		}
	}
	cut := int64(0)
	for _, n := range trace.Cut {
		cut += n
	}
	if cut != lost {
		t.Errorf("%d attempts lost by jobs, %d by cause", lost, cut)
	}
}

// worked is when the last of a job's work was done.
func worked(trace *sim.Trace, j int) (at units.Duration) {
	trace.EachStay(j, func(s sim.Stay) {
		if s.Cause.Phase() <= sim.Work {
			at = s.To
		}
	})
	return at
}

// paid checks that shares add up and stay within what they are shares of.
func paid(t *testing.T, trace *sim.Trace) {
	t.Helper()
	s := outcome.Measure(trace, 0)
	var sum units.Sum[units.Money]
	for _, p := range s.Cost.Pools {
		sum = sum.Plus(p.Nano)
	}
	for _, p := range s.Cost.Parts {
		if p.Nano.Sign() < 0 {
			t.Errorf("%s costs %v", p.Part, p.Nano)
		}
		sum = sum.Plus(p.Nano)
	}
	if sum != s.Cost.TotalNano {
		t.Errorf("pools and parts come to %v, the bill to %v", sum, s.Cost.TotalNano)
	}
	used := map[int32]int64{}
	for j, r := range trace.Records {
		if r.Used < 0 {
			t.Errorf("job %d used %d", j, r.Used)
		}
		used[r.Node] += r.Used
	}
	for n, life := range trace.Nodes {
		if most := life.Spent[sim.UseWork] + life.Spent[sim.UseStart]; used[int32(n)] > most {
			t.Errorf("jobs used %d of node %d, its agents %d", used[int32(n)], n, most)
		}
		if life.Gone < life.Asked || life.Billed > life.Gone-life.Asked+units.Nanosecond {
			t.Errorf("node %d lives from %v to %v and is billed for %v", n, life.Asked, life.Gone, life.Billed)
		}
	}
}

// The wild worlds try what they are there for: every cause of waiting, every way
// of being cut short and every way of finding a workspace comes up.
func TestWildWorldsAreWild(t *testing.T) {
	var cut [sim.Results]int64
	var cache sim.CacheCount
	var seen [sim.CauseCount]int
	dropped, holders := 0, 0
	lacks := func() (out []string) {
		for _, c := range sim.Causes() {
			if seen[c] == 0 && c != sim.NoAgentYet { // rare here; tried by hand
				out = append(out, "does anything wait for "+c.Label())
			}
		}
		for r := sim.OutOfMemory; r < sim.Dropped; r++ {
			if cut[r] == 0 && r != sim.TimedOut { // such a job ends, it is not cut
				out = append(out, "is an attempt "+r.String())
			}
		}
		if cache.Hits*cache.Stale*cache.Misses*cache.PushedOut*cache.Expired == 0 || dropped == 0 || holders == 0 {
			out = append(out, fmt.Sprintf("is there all of %+v, %d dropped, %d with spare room", cache, dropped, holders))
		}
		return out
	}
	for seed := range uint64(200) {
		if seed%20 == 0 && len(lacks()) == 0 {
			break
		}
		w, err := worlds.Wild(seed)
		if err != nil {
			continue
		}
		trace, err := sim.Run(w, seed, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		for i, n := range trace.Cut {
			cut[i] += n
		}
		cache.Hits, cache.Stale, cache.Misses = cache.Hits+trace.Cache.Hits, cache.Stale+trace.Cache.Stale, cache.Misses+trace.Cache.Misses
		cache.PushedOut, cache.Expired = cache.PushedOut+trace.Cache.PushedOut, cache.Expired+trace.Cache.Expired
		for j := range trace.Records {
			trace.EachStay(j, func(s sim.Stay) { seen[s.Cause]++ })
			if trace.Records[j].Result == sim.Dropped {
				dropped++
			}
		}
		if w.Growth.SpareRoom != nil {
			holders++
		}
	}
	for _, what := range lacks() {
		t.Errorf("in no wild world %s", what)
	}
}

// More of anything that costs nothing does not make jobs start later, but for what
// packing and pulling explain: another agent may take the room that a wider one
// would have had, on full nodes one template's gain is another's loss, and a node
// more may have jobs wait for its boot and its images
// over a slow link when an agent would have come free sooner. So most steps help or
// leave things alone, few harm, and none by much.
func TestMoreIsSeldomWorse(t *testing.T) {
	seeds := uint64(25)
	if long {
		seeds = 1000
	}
	tried, worse := 0, 0
	for seed := range seeds {
		w, err := worlds.Random(seed)
		if err != nil {
			t.Fatal(err)
		}
		before := meanDelay(t, w, seed)
		faster := *w
		faster.Links.Registry.Down *= 3
		variants := map[string]*world.World{
			"a faster registry": &faster, "one agent of the first template more": w.WithCeiling(0, 1),
			"one agent of the second more": w.WithCeiling(1, 1),
		}
		if grown, p := w.Grown(0, 1); p >= 0 {
			variants["one node more"] = grown
		}
		if w.AgentCeiling >= 0 {
			variants["one agent of all more"] = w.WithAgents(1)
		}
		for name, v := range variants {
			tried++
			after := meanDelay(t, v, seed)
			if after > before*1.01+0.5 {
				worse++
				t.Logf("seed %d, %s: mean start delay %.2f s, before %.2f s", seed, name, after, before)
			}
			if after > before*3+10 {
				t.Errorf("seed %d, %s: mean start delay %.2f s, before %.2f s", seed, name, after, before)
			}
		}
	}
	t.Logf("%d of %d steps make it worse by more than 1 %%", worse, tried)
	if worse*20 > tried {
		t.Errorf("%d of %d steps make it worse", worse, tried)
	}
}

func meanDelay(t *testing.T, w *world.World, seed uint64) float64 {
	t.Helper()
	trace, err := sim.Run(w, seed, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	n, sum := 0, 0.0
	for j, r := range trace.Records {
		if r.Started >= 0 {
			n++
			sum += (r.Started - trace.From(j)).Seconds()
		}
	}
	return sum / float64(max(1, n))
}
