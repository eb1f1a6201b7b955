package stats

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// A worked case: seen at 1, 3, 5, at least 2 and 4.
// S(1) = 4/5; S(3) = 4/5·2/3 = 8/15; S(5) = 8/15·0 = 0.
func TestKaplanMeierByHand(t *testing.T) {
	values := []Observed{{5, false}, {2, true}, {1, false}, {4, true}, {3, false}}
	for p, want := range map[float64]float64{10: 1, 20: 1, 21: 3, 46: 3, 47: 5, 99: 5} {
		if got := KaplanMeier(values, p); got != want {
			t.Errorf("percentile %v: %v, want %v", p, got, want)
		}
	}
	values[0].AtLeast = true // the largest is open: no more than 7/15 can be said
	if got := KaplanMeier(values, 50); !math.IsInf(got, 1) {
		t.Errorf("beyond what is known: %v", got)
	}
	if got := KaplanMeier(nil, 50); !math.IsInf(got, 1) {
		t.Errorf("of nothing: %v", got)
	}
	// At the same value what was seen counts first.
	if got := KaplanMeier([]Observed{{1, true}, {1, false}}, 50); got != 1 {
		t.Errorf("tied: %v", got)
	}
}

// Without open values it is the percentile by nearest rank; with values that were cut
// at a limit below, the percentiles under the limit are found all the same.
func TestKaplanMeierAgainstTheWhole(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	var whole, cut []Observed
	var plain []float64
	for range 4000 {
		v := math.Exp(1 + 0.5*r.NormFloat64())
		limit := 3 + 6*r.Float64() // an agent's limit, not always the same
		plain, whole = append(plain, v), append(whole, Observed{v, false})
		if v > limit {
			cut = append(cut, Observed{limit, true})
		} else {
			cut = append(cut, Observed{v, false})
		}
	}
	slices.Sort(plain)
	rank := func(p float64) float64 { return plain[int(math.Ceil(p/100*float64(len(plain))-1e-9))-1] }
	for _, p := range []float64{10, 50, 90, 95} {
		if got, want := KaplanMeier(whole, p), rank(p); math.Abs(got-want) > 1e-12 {
			t.Errorf("whole, percentile %v: %v, want %v", p, got, want)
		}
		if got, want := KaplanMeier(cut, p), rank(p); math.Abs(got/want-1) > 0.05 {
			t.Errorf("cut, percentile %v: %v, of the whole %v", p, got, want)
		}
	}
}

// The interval of a trend holds the truth about as often as it says, and a level
// series is seldom said to grow.
func TestGrowth(t *testing.T) {
	if got := Growth([]float64{0, 1, 2, 3}, []float64{1, 1.1, 1.21, 1.331}); math.Abs(got.Growth-0.1) > 1e-9 || !got.Sure() {
		t.Errorf("%+v", got)
	}
	for _, none := range []Trend{
		Growth(nil, nil), Growth([]float64{1, 1, 1, 1}, []float64{1, 2, 3, 4}),
		Growth([]float64{1, 2, 3}, []float64{0, -1, 5}),
	} {
		if none != (Trend{}) {
			t.Errorf("%+v of too little", none)
		}
	}
	r := rand.New(rand.NewPCG(7, 3))
	for _, truth := range []float64{0, 0.08} {
		held := 0
		const sets = 1000
		for range sets {
			var x, y []float64
			for range 60 {
				at := 6 * r.Float64()
				x, y = append(x, at), append(y, math.Exp(at*math.Log1p(truth)+0.3*r.NormFloat64()))
			}
			if g := Growth(x, y); g.Low <= truth && truth <= g.High {
				held++
			}
		}
		if held < 925 || held > 975 { // 950 within four standard errors, 28
			t.Errorf("growth of %v: the interval held it in %d of %d", truth, held, sets)
		}
	}
}
