package sizing

import (
	"math"
	"math/rand/v2"
	"testing"

	"tachyphor/core/units"
)

func total(groups []Group) (cost float64, runs int, held units.Duration) {
	for _, g := range groups {
		cost, runs, held = cost+g.Cost, runs+g.Runs, held+g.Held
	}
	return cost, runs, held
}

// Nine hours at 1 GiB and one at 10 GiB, at 1 a GiB and hour: one size costs
// 10·10 = 100, two cost 9·1 + 1·10 = 19.
func TestTwoSizes(t *testing.T) {
	var runs []Use
	for range 9 {
		runs = append(runs, Use{1 << 30, units.Hour})
	}
	runs = append(runs, Use{10 << 30, units.Hour})
	price := func(b units.Bytes) float64 { return float64(b) / (1 << 30) }
	for k, want := range map[int]float64{1: 100, 2: 19, 3: 19} {
		got := Split(runs, k, price)
		if cost, n, held := total(got); cost != want || n != 10 || held != 10*units.Hour || len(got) != min(k, 2) {
			t.Errorf("%d sizes: %+v costs %v, want %v", k, got, cost, want)
		}
	}
	if Split(nil, 2, price) != nil || Split(runs, 0, price) != nil {
		t.Error("something of nothing")
	}
}

// The split is as cheap as the best of all ways to cut the sizes, also where the
// price is a stair, as it is on nodes; and every run goes where it has room.
func TestSplitAgainstAllCuts(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	for range 500 {
		n := 1 + r.IntN(9)
		runs := make([]Use, n)
		for i := range runs {
			runs[i] = Use{units.Bytes(1+r.IntN(200)) * grain / 3, units.Duration(r.IntN(5000)) * units.Second}
		}
		stair := func(b units.Bytes) float64 { return 1 / math.Floor(64*float64(1<<30)/float64(b)) }
		k := 1 + r.IntN(4)
		got := Split(runs, k, stair)
		cost, count, _ := total(got)
		sizes := bySize(runs)
		best := math.Inf(1)
		for cuts := range 1 << (len(sizes) - 1) { // bit i: a cut after size i
			groups, sum, held := 1, 0.0, 0.0
			for i, s := range sizes {
				held += s.Held.Hours()
				if i == len(sizes)-1 || cuts>>i&1 == 1 {
					sum += held * stair(s.Size)
					held = 0
					if i < len(sizes)-1 {
						groups++
					}
				}
			}
			if groups <= k {
				best = min(best, sum)
			}
		}
		if math.Abs(cost-best) > 1e-9*max(best, 1) || count != n || len(got) > k {
			t.Fatalf("%d runs in %d sizes: %+v costs %v, the best %v", n, k, got, cost, best)
		}
		for i, g := range got {
			if i > 0 && g.Size <= got[i-1].Size {
				t.Fatalf("sizes do not grow: %+v", got)
			}
		}
	}
}

// Very many different needs are rounded more coarsely, and none is forgotten or cut.
func TestSplitOfManyRuns(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	runs := make([]Use, 50_000)
	most := units.Bytes(0)
	for i := range runs {
		runs[i] = Use{units.Bytes(r.Float64() * (1 << 40)), units.Minute}
		most = max(most, runs[i].Memory)
	}
	got := Split(runs, 3, func(b units.Bytes) float64 { return float64(b) })
	if _, n, held := total(got); n != len(runs) || held != 50_000*units.Minute || got[len(got)-1].Size < most || len(got) != 3 {
		t.Errorf("%+v", got)
	}
}
