package sizing

import (
	"math"
	"math/rand/v2"
	"testing"

	"tachyphor/core/units"
)

var nan = math.NaN()

// counter makes samples of a CPU counter.
func counter(pairs ...float64) []Sample {
	var out []Sample
	for i := 0; i+1 < len(pairs); i += 2 {
		out = append(out, Sample{At: pairs[i], CPU: pairs[i+1], Memory: nan, Throttled: nan, Disk: nan})
	}
	return out
}

// Hand-made series: what a counter, a reset, a gap, a duplicate and a clock that was
// set back come to.
func TestReduceByHand(t *testing.T) {
	for _, c := range []struct {
		name       string
		samples    []Sample
		rate       bool
		cpu, wall  float64
		mean, peak float64
		odd        Oddities
	}{
		{"a counter", counter(0, 100, 30, 160, 60, 190, 90, 190), false, 90, 90, 1, 1.5, Oddities{}},
		// It falls from 40 to 10: 10 since it began anew. 30 + 10 + 30 = 70.
		{"a restart", counter(0, 10, 30, 40, 60, 10, 90, 40), false, 70, 90, 70.0 / 90, 70.0 / 90, Oddities{Resets: 1}},
		// 300 s without a sample: the counter says what was used in them.
		{"a gap in a counter", counter(0, 0, 30, 30, 60, 60, 360, 360, 390, 390), false, 390, 390, 1, 1, Oddities{Gaps: 1}},
		// A rate does not: 2 cores over 30 + 30 + 30 s.
		{"a gap in rates", counter(0, 2, 30, 2, 60, 2, 360, 2, 390, 2), true, 180, 390, 2, 2, Oddities{Gaps: 1}},
		{"twice the same moment", counter(0, 0, 30, 30, 30, 31, 60, 60), false, 60, 60, 1, 1, Oddities{Duplicates: 1}},
		// The clock goes back to 20 and on from there: what lies before the last good
		// moment is left out.
		{"a clock set back", counter(0, 0, 30, 30, 20, 35, 60, 60), false, 60, 60, 1, 1, Oddities{Steps: 1}},
		{
			"samples without CPU", append(counter(0, 0, 30, 30), Sample{At: 45, CPU: nan, Memory: 5, Throttled: nan, Disk: nan},
				Sample{At: 60, CPU: 90, Memory: nan, Throttled: nan, Disk: nan}, Sample{At: 75, CPU: nan, Memory: nan, Throttled: nan, Disk: nan}),
			false, 90, 60, 1.5, 1.5,
			Oddities{Missing: 1},
		},
		{"shorter than a window", counter(0, 0, 10, 40), false, 40, 10, 4, 4, Oddities{}},
	} {
		r, ok := Reduce(Series{Samples: c.samples, Rate: c.rate})
		if !ok || r.CPU != seconds(c.cpu) || r.Wall != seconds(c.wall) || math.Abs(r.MeanCores-c.mean) > 1e-9 ||
			math.Abs(r.PeakCores-c.peak) > 1e-9 || r.Oddities != c.odd {
			t.Errorf("%s: %+v", c.name, r)
		}
	}
	if _, ok := Reduce(Series{Samples: counter(5, 1, 5, 2, 4, 3)}); ok {
		t.Error("a run of one moment")
	}
}

// A kill censors the peak: it is at least the limit, whatever the last sample saw.
func TestKilledRunsReachTheirLimit(t *testing.T) {
	s := Series{Killed: true, Limit: 6 << 30, Samples: []Sample{
		{At: 0, CPU: 0, Memory: 1 << 30, Throttled: 3, Disk: 7}, {At: 15, CPU: 20, Memory: 4 << 30, Throttled: 5, Disk: 9},
	}}
	r, ok := Reduce(s)
	if !ok || r.Memory != 6<<30 || r.Disk != 9 || r.Throttled != 2*units.Second || !r.Killed {
		t.Errorf("%+v", r)
	}
	s.Killed = false
	if r, _ := Reduce(s); r.Memory != 4<<30 {
		t.Errorf("%+v", r)
	}
}

// However a true use is sampled, with restarts and gaps, its counter gives the CPU
// back to the last sample before each restart; and the same as rates without gaps.
func TestCountersGiveTheUseBack(t *testing.T) {
	r := rand.New(rand.NewPCG(10, 4))
	for range 300 {
		var asCounter, asRate []Sample
		at, count, want := 100.0, 0.0, 0.0
		sample := func(rate float64) {
			asCounter = append(asCounter, Sample{At: at, CPU: count, Memory: nan, Throttled: nan, Disk: nan})
			asRate = append(asRate, Sample{At: at, CPU: rate, Memory: nan, Throttled: nan, Disk: nan})
		}
		sample(0)
		resets := 0
		for range 2 + r.IntN(60) {
			rate, step := 8*r.Float64(), 10+5*r.Float64()
			at, count, want = at+step, count+rate*step, want+rate*step
			sample(rate)
			if r.IntN(20) == 0 { // the container starts again right after a sample
				count = 0
				resets++
			}
		}
		got, _ := Reduce(Series{Samples: asCounter})
		rates, _ := Reduce(Series{Samples: asRate, Rate: true})
		// A restart is seen when the counter is lower at the next sample; what it had is
		// not lost unless it had already grown past its old value.
		if math.Abs(rates.CPU.Seconds()-want) > 1e-6 || got.Oddities.Resets > resets ||
			resets == 0 && math.Abs(got.CPU.Seconds()-want) > 1e-6 || got.CPU.Seconds() > want+1e-6 {
			t.Fatalf("counter %v, rates %v, true %v, %d resets seen of %d", got.CPU, rates.CPU, want, got.Oddities.Resets, resets)
		}
		if got.PeakCores > 8+1e-9 || rates.PeakCores > 8+1e-9 || rates.PeakCores < rates.MeanCores-1e-9 {
			t.Fatalf("peaks %v and %v, mean %v", got.PeakCores, rates.PeakCores, rates.MeanCores)
		}
	}
}
