package stats_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"tachyphor/core/stats"
)

func spreads(most int, repeats ...[]int64) (out []stats.Spread) {
	for _, r := range repeats {
		out = append(out, stats.SpreadOf(r, most))
	}
	return out
}

// The percentile of all repeats is that of their values put together, however unlike in
// number they are, and what each adds is around it.
func TestPoolIsAllValuesTogether(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 200 {
		var repeats [][]int64
		var all []int64
		for range 1 + r.IntN(6) {
			values := make([]int64, r.IntN(40))
			for i := range values {
				values[i] = int64(r.IntN(30))
			}
			repeats, all = append(repeats, values), append(all, values...)
		}
		slices.Sort(all)
		pool := stats.PoolOf(spreads(1000, repeats...))
		if pool.Len() != len(all) {
			t.Fatalf("%d values, want %d", pool.Len(), len(all))
		}
		for _, q := range []float64{0, 1, 50, 90, 99, 100} {
			if got, want := pool.Percentile(q), stats.Percentile(all, q); got != want {
				t.Fatalf("%v of %v: %d, want %d", q, repeats, got, want)
			}
			mean := 0.0
			for _, x := range pool.ByRepeat(q) {
				mean += x / float64(len(repeats))
			}
			if want := float64(stats.Percentile(all, q)); math.Abs(mean-want) > 1e-6 {
				t.Fatalf("%v of %v: numbers around %v, want %v", q, repeats, mean, want)
			}
		}
	}
}

// Of many values few cells are kept; what they say of far percentiles is next to what all
// do, and the interval is too.
func TestSpreadsOfManyValues(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 1))
	var repeats [][]int64
	for range 4 {
		values := make([]int64, 50_000)
		for i := range values {
			values[i] = int64(1e9 * r.ExpFloat64())
		}
		repeats = append(repeats, values)
	}
	whole, few := stats.PoolOf(spreads(50_000, repeats...)), stats.PoolOf(spreads(256, repeats...))
	for _, q := range []float64{10, 50, 90, 95, 99, 99.5} {
		a, ok1 := whole.Figure(q)
		b, ok2 := few.Figure(q)
		if !ok1 || !ok2 || math.Abs(a.Mean-b.Mean) > 0.015*a.Mean || math.Abs(a.Half-b.Half) > 0.01*a.Mean+0.2*a.Half ||
			few.Len() != whole.Len() {
			t.Errorf("%v: %v of all, %v of 256 cells, of %d", q, a, b, few.Len())
		}
		truth := -1e9 * math.Log(1-q/100)
		if math.Abs(a.Mean-truth) > 2*a.Half || a.Half > 0.05*truth {
			t.Errorf("%v: %v, truth %v", q, a, truth)
		}
	}
}

// An interval has an upper end within what was seen, or there is none: bursts that came in
// one of four repeats do not say what the 95th percentile is.
func TestTooFewForAPercentile(t *testing.T) {
	calm, burst := make([]int64, 200), make([]int64, 200)
	for i := range calm {
		calm[i], burst[i] = int64(i%7), int64(i%7)
	}
	for i := range 60 {
		burst[i] = int64(100 + i)
	}
	pool := stats.PoolOf(spreads(1000, calm, calm, calm, burst))
	if f, ok := pool.Figure(95); ok {
		t.Errorf("the 95th percentile is %v", f)
	}
	if f, ok := pool.Figure(50); !ok || f.Mean != 3 || f.Half < 1 {
		t.Errorf("the median is %v, %v", f, ok)
	}
	if _, ok := stats.PoolOf(spreads(1000, calm[:99])).Figure(90); ok {
		t.Error("99 values say what the 90th percentile is")
	}
	if f, ok := stats.PoolOf(spreads(1000, calm)).Figure(90); !ok || f != (stats.Figure{Mean: 6, Runs: 1}) {
		t.Errorf("of one repeat the 90th percentile is %v, %v", f, ok)
	}
	same := make([]int64, 100)
	if f, ok := stats.PoolOf(spreads(1000, same, same)).Figure(90); !ok || f != (stats.Figure{Runs: 2}) {
		t.Errorf("of equal values: %v, %v", f, ok)
	}
	if _, ok := stats.PoolOf(nil).Figure(50); ok {
		t.Error("no values have a median")
	}
}

// Intervals hold the truth as often as they say, also where the values of a repeat hang
// together, and so do those of differences, repeat by repeat; those of amounts that are as
// skewed as queues' do where Student's alone do not.
func TestIntervalsHold(t *testing.T) {
	const trials, repeats, jobs = 2000, 8, 400
	r := rand.New(rand.NewPCG(3, 1))
	held := map[string]int{}
	note := func(what string, ok bool) {
		if ok {
			held[what]++
		}
	}
	within := func(f stats.Figure, truth float64) bool { return math.Abs(f.Mean-truth) <= f.Half }
	for range trials {
		var a, b [][]int64
		means := make([]float64, repeats)
		for k := range repeats {
			values, others := make([]int64, jobs), make([]int64, jobs)
			level := 0.0
			for i := range values {
				if i%8 == 0 {
					level = r.ExpFloat64()
				}
				values[i] = int64(1e9 * level)
				others[i] = int64(1e9 * (0.5*level + 0.5))
			}
			a, b = append(a, values), append(b, others)
			means[k] = math.Exp(0.6 * r.NormFloat64())
		}
		x, y := stats.PoolOf(spreads(jobs, a...)), stats.PoolOf(spreads(jobs, b...))
		for _, q := range []float64{50, 90, 95} {
			truth := -1e9 * math.Log(1-q/100)
			f, ok := x.Figure(q)
			note("percentiles", ok && within(f, truth))
			d := stats.Paired(x.ByRepeat(q), y.ByRepeat(q))
			note("differences", within(d, 0.5e9-0.5*truth))
		}
		truth := math.Exp(0.18)
		note("amounts", within(stats.OfAmounts(means), truth))
		note("means", within(stats.Of(means), truth))
	}
	for what, n := range map[string]int{"percentiles": 3 * trials, "differences": 3 * trials, "amounts": trials} {
		if share := float64(held[what]) / float64(n); share < 0.93 || share > 0.995 {
			t.Errorf("intervals of %s hold %.1f %% of the time", what, 100*share)
		}
	}
	if share := float64(held["means"]) / trials; share > 0.93 {
		t.Errorf("Student's intervals hold %.1f %% of the time: the case is too easy to show anything", 100*share)
	}
}

// Where every repeat has as many values at most a percentile as all others, it does not vary, whatever sums of shares
// leave behind: repeats of the same jobs of which half never wait are such.
func TestPercentileThatDoesNotVary(t *testing.T) {
	for many := 10; many < 3000; many += 7 {
		var repeats [][]int64
		for r := range 8 {
			var values []int64
			for i := range many {
				v := int64(2e9) // half of them as long as all others
				if i >= many-many/2 {
					v += int64(1e9 + 1e6*r + i)
				}
				values = append(values, v)
			}
			repeats = append(repeats, values)
		}
		p := stats.PoolOf(spreads(4096, repeats...))
		for _, q := range []float64{25, 50} {
			for r, v := range p.ByRepeat(q) {
				if v != 2e9 {
					t.Fatalf("%d values: the %v-th percentile of repeat %d is %v, want 2e9", many, q, r, v)
				}
			}
			if f, ok := p.Figure(q); ok && f.Half != 0 {
				t.Fatalf("%d values: the %v-th percentile is told to vary by %v", many, q, f.Half)
			}
		}
	}
}
