package sizing

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"tachyphor/core/chance"
)

func even(cores float32, seconds ...float32) Curve {
	var c Curve
	for _, s := range seconds {
		c = append(c, Level{s, cores})
	}
	return c
}

func ones(n int) []float64 { return slices.Repeat([]float64{1}, n) }

// What must hold to the last digit: work that wants the same all the time.
func TestContentionByHand(t *testing.T) {
	for _, c := range []struct {
		name  string
		curve Curve
		cores float64
		n     int
		want  float64
	}{
		{"room for all", even(2, 60, 30), 8, 4, 1},
		{"alone, with less than it wants", even(4, 60), 2, 1, 2},
		{"ten that want 1.5 of 12", even(1.5, 10, 20), 12, 10, 1.25},
		{"nothing wanted", even(0, 60), 1, 50, 1},
		{"nothing used", nil, 1, 50, 1},
	} {
		s := Contend([]Curve{c.curve}, ones(1), nil, c.cores, c.n, chance.Root(1, 0))
		if math.Abs(s.Mean-c.want) > 1e-6 || s.Low > s.Mean || s.High < s.Mean-1e-9 {
			t.Errorf("%s: %+v, expected %v", c.name, s, c.want)
		}
	}
	if s := Contend([]Curve{even(1, 5)}, ones(1), nil, 0, 2, 1); !math.IsInf(s.Mean, 1) {
		t.Errorf("without any CPU: %+v", s)
	}
	// Two that want 4 and 1 of 4 cores: water-filling leaves the small one alone and
	// gives the large one 3.
	s := Contend([]Curve{even(4, 60), even(1, 60)}, []float64{1, 0}, []int{0, 1}, 3, 1, 1)
	if math.Abs(s.Groups[0]-4.0/3) > 1e-6 || s.Groups[1] != 1 {
		t.Errorf("%+v", s)
	}
}

// Work that wants all of a node's CPU for exponentially long and nothing for
// exponentially long, on a node of n such agents, is the machine repair problem
// M/M/1//n: with k at work the node does one's work in all. Of n machines with mean
// work a and mean rest b
//
//	p(k) ∝ n!/(n−k)! (a/b)^k,  throughput x = (1 − p(0))/a,  stretch = n / (x (a+b))
func TestContentionIsTheMachineRepairProblem(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	const drawn = 20000
	a, b := 0.0, 0.0 // as they were drawn
	var curves []Curve
	for range drawn {
		work, rest := 40*r.ExpFloat64()+1e-6, 60*r.ExpFloat64()+1e-6
		a, b = a+work/drawn, b+rest/drawn
		curves = append(curves, Curve{{float32(work), 3}, {float32(rest), 0}})
	}
	misses := 0
	for n := 1; n <= 8; n++ {
		sum, term := 1.0, 1.0
		for k := 1; k <= n; k++ {
			term *= float64(n-k+1) * a / b
			sum += term
		}
		x := (1 - 1/sum) / a
		want := float64(n) / (x * (a + b))
		s := Contend(curves, ones(len(curves)), nil, 3, n, chance.Root(9, n))
		if s.Low > want+1e-9 || s.High < want-1e-9 {
			misses++
		}
		if math.Abs(s.Mean/want-1) > 0.03 {
			t.Errorf("%d agents: %+v, theory %v", n, s, want)
		}
	}
	if misses > 2 { // one in twenty is expected
		t.Errorf("%d of 8 intervals miss theory", misses)
	}
}

// Equal shares: however mixed the runs are, CPU is conserved and nobody gets more than
// an equal share while another wants more.
func TestFillSharesOut(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	for range 3000 {
		n := 1 + r.IntN(12)
		f := fullNode{cores: 16 * r.Float64(), slots: make([]slot, n)}
		for i := range f.slots {
			f.slots[i].curve = even(float32(r.IntN(5))*0.7, 1)
			f.order = append(f.order, i)
			f.settle(i)
		}
		f.fill()
		given, wanted, level := 0.0, 0.0, 0.0
		for _, s := range f.slots {
			if s.pace < 0 || s.pace > 1 {
				t.Fatal(s.pace)
			}
			given, wanted, level = given+s.pace*s.wants, wanted+s.wants, max(level, s.pace*s.wants)
		}
		if math.Abs(given-min(wanted, f.cores)) > 1e-9 {
			t.Fatalf("%v given of %v, %v wanted", given, f.cores, wanted)
		}
		for _, s := range f.slots {
			if s.pace < 1-1e-12 && s.pace*s.wants < level-1e-9 {
				t.Fatalf("one gets %v and is held up, another gets %v", s.pace*s.wants, level)
			}
		}
	}
}

// The curve's stretch is the model's: a parallel share p at c cores and the rest on one
// take p·c/r + (1−p)·min(1,c)/min(1,r) times as long with r cores.
func TestUnderIsTheModels(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	for range 500 {
		p, c := r.Float64(), 0.2+8*r.Float64()
		give := c * (0.05 + 0.95*r.Float64())
		curve := Curve{{float32(100 * p), float32(c)}, {float32(100 * (1 - p)), float32(min(1, c))}}
		want := p*c/give + (1-p)*min(1, c)/min(1, give)
		if got := curve.Under(give); math.Abs(got-want) > 1e-5 {
			t.Fatalf("p %v, c %v, r %v: %v, expected %v", p, c, give, got, want)
		}
	}
}

func TestCurves(t *testing.T) {
	var spans []span
	cpu := 0.0
	for i := range 1000 {
		s := span{float64(i) * 15, 15, float64(i%7) * 15}
		spans, cpu = append(spans, s), cpu+s.cpu
	}
	c := curveOf(spans)
	used := 0.0
	for _, l := range c {
		used += float64(l.Seconds) * float64(l.Cores)
	}
	if len(c) > mostLevels || math.Abs(c.Seconds()-15000) > 1e-3 || math.Abs(used/cpu-1) > 1e-6 {
		t.Errorf("%d levels, %v s, %v of %v CPU", len(c), c.Seconds(), used, cpu)
	}
	back, err := CurveOf(c.Bytes())
	if err != nil || !slices.Equal(back, c) {
		t.Error(err)
	}
	for _, bad := range [][]byte{
		{1, 2, 3},
		Curve{{0, 1}}.Bytes(), Curve{{1, -1}}.Bytes(), Curve{{1, float32(math.Inf(1))}}.Bytes(),
		Curve{{float32(math.NaN()), 1}}.Bytes(),
	} {
		if _, err := CurveOf(bad); err == nil {
			t.Errorf("%v was read", bad)
		}
	}
	if x := even(2, 10, 5).At(12); x != 2 || !math.IsNaN(even(2, 10).At(10)) {
		t.Error(x)
	}
}
