package explore

import (
	"os"
	"slices"
	"testing"

	"tachyphor/core/aim"
	"tachyphor/core/outcome"
	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// No run has more jobs in time than its agents can carry, nor a smaller bill than what is paid for
// in any case; and where agents are short that says something.
func TestWhatCannotBeIsNot(t *testing.T) {
	says, pays, looked := 0, 0, 0
	try := func(name string, w *world.World) {
		t.Helper()
		for repeat := range 2 {
			_, err := paired.Run(w, paired.Draw{Repeat: repeat}, nil, func(tr *sim.Trace) (struct{}, error) {
				paid := outcome.Paid(tr)
				month := float64(units.AmountOf(paid)) * float64(units.Month) / float64(w.Plan.Span-w.Plan.Warmup)
				if floor := floorOf(w); floor > float64(month*(1+1e-9)) {
					t.Errorf("%s, repeat %d: %g is paid for in any case, and %g was paid", name, repeat, floor, month)
				} else if floor > 0 {
					pays++
				}
				for _, within := range []units.Duration{0, 5 * units.Second, units.Minute, 20 * units.Minute} {
					for _, moment := range []aim.Moment{aim.Start, aim.End} {
						a := aim.Aim{Kind: aim.Share, Share: 0.9, Within: within, Moment: moment}
						if !bounded(w, a) {
							continue
						}
						looked++
						l, err := loadOf(w, a, repeat)
						if err != nil {
							return struct{}{}, err
						}
						most, _ := l.share(w, within)
						count := outcome.CountOf([]aim.Aim{a}, w)
						for j := range tr.Records {
							if s := tr.Jobs.List[j].Submitted; s >= w.Plan.Warmup && s < w.Plan.Span {
								count.Add(tr, j)
							}
						}
						is := count.Tallies(0)[0]
						if is.N > 0 && is.X > float64(most*is.N)+1e-6 {
							t.Errorf("%s, repeat %d, %s: %g of %g jobs are in time, and at most %g can be", name, repeat, a, is.X, is.N, most*is.N)
						}
						if most < 1 {
							says++
						}
					}
				}
				return struct{}{}, nil
			})
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
		}
	}
	seeds := uint64(6)
	if os.Getenv("TACHYPHOR_VALIDATE") != "" {
		seeds = 120
	}
	for seed := range seeds {
		for _, text := range []string{worlds.WildText(seed), worlds.RandomText(seed)} {
			w, err := worlds.Parse(text, "")
			if err != nil {
				continue // it is no world
			}
			try("world "+w.Scenario, w)
			// The same with one agent, and with a node or none of each pool.
			few := *w
			few.AgentCeiling = 1
			try("few "+w.Scenario, &few)
			lean := *w
			lean.Pools = slices.Clone(w.Pools)
			for p := range lean.Pools {
				lean.Pools[p].Max, lean.Pools[p].Min, lean.Pools[p].MinSteps = min(1, lean.Pools[p].Max), min(1, lean.Pools[p].Min), nil
			}
			try("lean "+w.Scenario, &lean)
		}
	}
	if says < looked/20 || pays < 10 {
		t.Errorf("of %d questions %d were answered beforehand; %d bills have a floor", looked, says, pays)
	}
	t.Logf("of %d questions %d were answered beforehand; %d bills have a floor", looked, says, pays)
}
