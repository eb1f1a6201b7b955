package fleet

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"tachyphor/core/template"
	"tachyphor/core/units"
)

func agent(name string, cpu units.MilliCPU, memory units.Bytes) template.Agent {
	return template.Agent{Name: name, Request: template.Request{CPU: cpu, Memory: memory}}
}

func site(cpu units.MilliCPU, memory units.Bytes, pods int) *Site {
	price, _ := units.ParsePrice("0.60/h")
	return &Site{
		Name: "p", Type: "t", Room: Room{Request: template.Request{CPU: cpu, Memory: memory, Disk: unlimited}, Pods: pods},
		Price: price,
	}
}

// Eight cores less what is reserved hold three agents of 2.3 cores; with 375m less
// a fourth fits, and each costs a quarter less.
func TestOneMore(t *testing.T) {
	s := site(7700, 60<<30, 100)
	f := s.FitOn(agent("a", 2300, 4<<30), nil)
	if f.Agents != 3 || f.Binds != "cpu" || f.Left.CPU != 800 || math.Abs(f.PerHour-0.2) > 1e-9 {
		t.Errorf("%+v", f)
	}
	if m := f.OneMore; m == nil || m.Agents != 4 || m.CPU != 1925 || m.LessCPU != 375 || m.LessMem != 0 || math.Abs(m.Cheaper-0.25) > 1e-9 {
		t.Errorf("%+v", f.OneMore)
	}
	if f := s.FitOn(agent("a", 4000, 4<<30), nil); f.Agents != 1 || f.OneMore == nil || f.OneMore.LessCPU != 150 {
		t.Errorf("%+v", f)
	}
	if f := s.FitOn(agent("a", 7000, 4<<30), nil); f.OneMore != nil {
		t.Errorf("half as much is not a little less: %+v", f.OneMore)
	}
	if f := s.FitOn(agent("a", 9000, 70<<30), nil); f.Agents != 0 ||
		!slices.Equal(f.Why, []string{"short of 1300m CPU", "short of 10 GiB of memory"}) || len(f.Steps) == 0 {
		t.Errorf("%+v", f)
	}
	if f := s.FitOn(agent("a", 0, 0), nil); f.Agents != 100 || f.Binds != "pods" || f.PerHour != 0 {
		t.Errorf("%+v", f)
	}
}

// Each step of the curve is the largest request with so many agents: it holds them,
// and a thousandth of a core or a byte more does not.
func TestStepsAreTheEdges(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 1))
	for range 300 {
		s := site(units.MilliCPU(500+r.IntN(30000)), units.Bytes(1+r.IntN(1<<30)), 1+r.IntN(60))
		f := s.FitOn(agent("a", units.MilliCPU(1+r.IntN(4000)), units.Bytes(1+r.IntN(1<<28))), nil)
		for _, x := range f.Steps {
			need := &Need{Request: template.Request{CPU: x.CPU, Memory: x.Memory}}
			if n, _, _ := s.Room.Holds(need); n < x.Agents {
				t.Fatalf("%d agents with %+v: %d", x.Agents, need.Request, n)
			}
			need.CPU++
			if n, _, _ := s.Room.Holds(need); n >= x.Agents {
				t.Fatalf("one more thousandth and still %d agents with %+v", n, need.Request)
			}
		}
	}
}

// The best mix is the one that exhaustive search finds.
func TestBestMixAgainstAllMixes(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	for range 400 {
		s := site(units.MilliCPU(2000+r.IntN(14000)), units.Bytes(4+r.IntN(60))<<30, 1+r.IntN(14))
		var agents []template.Agent
		var worth []float64
		for range 1 + r.IntN(3) {
			agents = append(agents, agent("a", units.MilliCPU(500+r.IntN(6000)), units.Bytes(1+r.IntN(20))<<30))
			worth = append(worth, 0.05+r.Float64())
			if near := &agents[len(agents)-1].Near; r.IntN(3) == 0 { // ports keep some apart from others, or from their like
				near.Ports = []template.HostPort{{Address: "0.0.0.0", Protocol: "TCP", Number: int32(9000 + r.IntN(2))}}
			}
		}
		got := s.BestMix(agents, nil, worth)
		best := 0.0
		var try func(i int, room Room, sum float64)
		count := make([]int, len(agents))
		allowed := func(count []int) bool {
			for i := range agents {
				for j := range agents[:i+1] {
					if agents[i].Near.Clashes(&agents[j].Near) && (i != j && count[i]*count[j] > 0 || i == j && count[i] > 1) {
						return false
					}
				}
			}
			return true
		}
		try = func(i int, room Room, sum float64) {
			if !allowed(count) {
				return
			}
			best = max(best, sum)
			if i == len(agents) {
				return
			}
			need := s.Need(agents[i], nil)
			for count[i] = 0; ; count[i]++ {
				try(i+1, room, sum)
				if room.Lacks(&need).Short() {
					count[i] = 0
					return
				}
				room.Take(&need, 1)
				sum += worth[i]
			}
		}
		try(0, s.Room, 0)
		sum, room := 0.0, s.Room
		for i, n := range got.Agents {
			need := s.Need(agents[i], nil)
			for range n {
				if room.Lacks(&need).Short() {
					t.Fatalf("%+v does not go on %+v", got, s.Room)
				}
				room.Take(&need, 1)
				sum += worth[i]
			}
		}
		if !allowed(got.Agents) {
			t.Fatalf("%v are together, whose ports are %+v", got.Agents, agents)
		}
		if math.Abs(got.Worth-best) > 1e-9 || math.Abs(sum-best) > 1e-9 || !got.Proven {
			t.Fatalf("%+v is worth %v, the best %v", got, sum, best)
		}
	}
}

// Twenty templates on fifty node types, with the best mix of each.
func BenchmarkFit(b *testing.B) {
	r := rand.New(rand.NewPCG(2, 2))
	var sites []*Site
	for range 50 {
		sites = append(sites, site(units.MilliCPU(4000+r.IntN(60000)), units.Bytes(16+r.IntN(240))<<30, 110))
	}
	var agents []template.Agent
	for range 20 {
		agents = append(agents, agent("a", units.MilliCPU(500+r.IntN(7500)), units.Bytes(1+r.IntN(30))<<30))
	}
	for b.Loop() {
		for _, s := range sites {
			for _, a := range agents {
				if f := s.FitOn(a, nil); f.Agents < 0 {
					b.Fatal(f)
				}
			}
		}
	}
}
