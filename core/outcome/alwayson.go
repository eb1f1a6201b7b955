package outcome

import (
	"cmp"
	"slices"
	"time"

	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// An AlwaysSample is what the nodes and agents that one repeat has at most at once would cost if
// they did not come and go.
type AlwaysSample struct {
	AllNano   units.Sum[units.Money] `json:"allNano" doc:"The bill with as many nodes of each pool, and as many agents, as there are at most at once, all the time."`
	HoursNano units.Sum[units.Money] `json:"hoursNano" doc:"Likewise, with those off outside working hours; of short runs their share of a whole week is taken."`
	Nodes     int                    `json:"nodes" doc:"Those nodes: most at once, pool by pool."`
	Outside   int                    `json:"outside" doc:"Jobs that were submitted outside working hours."`
}

// AlwaysOn holds coming and going beside agents that stay.
type AlwaysOn struct {
	Hours   string       `json:"hours" doc:"Working hours."`
	All     stats.Figure `json:"allPerMonth" doc:"A month's bill with as many nodes and agents as there are at most at once, all the time."`
	InHours stats.Figure `json:"inHoursPerMonth" doc:"A month's bill with those off outside working hours."`
	Nodes   stats.Figure `json:"nodes" doc:"Nodes at most at once, pool by pool."`
	Outside float64      `json:"outside" doc:"Part of the jobs that are submitted outside working hours, 0 to 1: with agents off they would wait for the morning."`
}

// usualHours are working hours where nothing else is said.
var usualHours = func() units.Period {
	p, err := units.ParsePeriod("Mon-Fri 07:00-19:00")
	if err != nil {
		panic(err)
	}
	return p
}()

// WorkingHours are those of a world's workload.
func WorkingHours(w *world.World) units.Period {
	if h := w.Workload.Hours; h != nil {
		return *h
	}
	return usualHours
}

// StayingOn reckons what a run's nodes and agents would cost if they stayed. Node prices, the fee
// and everything that is moved or stored are as they are; the agents' licence is paid for as many
// as there are at most at once.
func StayingOn(t *sim.Trace) AlwaysSample { return stayingOn(t, parts(t)) }

// stayingOn is StayingOn where what is not node time is known already.
func stayingOn(t *sim.Trace, parts []PartSample) AlwaysSample {
	w := t.World
	window := w.Plan.Span - w.Plan.Warmup
	hours := WorkingHours(w)
	var out AlwaysSample
	stay := func(price units.Price, n int) {
		whole := price.For(window)
		out.AllNano.AddTimes(whole, int64(n))
		out.HoursNano.AddTimes(whole.Part(int64(hours.Minutes()), units.WeekMinutes), int64(n))
	}
	for p, n := range mostNodes(t) {
		out.Nodes += n
		stay(w.Pools[p].Price, n)
	}
	for _, p := range parts {
		if p.Part == PartAgents {
			stay(w.AgentFee, t.MostAgents)
			continue
		}
		out.AllNano, out.HoursNano = out.AllNano.Plus(p.Nano), out.HoursNano.Plus(p.Nano)
	}
	clock := weekClock{zone: w.Zone, start: w.Start, in: -1}
	for j := range t.Records {
		if at := t.Jobs.List[j].Submitted; at >= w.Plan.Warmup && at < w.Plan.Span && !hours.Covers(clock.minute(at)) {
			out.Outside++
		}
	}
	return out
}

// alwaysOn tells the repeats' together; money is an amount of the window scaled to a month.
func (s *Sum) alwaysOn(money func(units.Sum[units.Money]) float64) *AlwaysOn {
	jobs, outside := 0, 0
	for i := range s.samples {
		jobs, outside = jobs+s.samples[i].Groups[0].Jobs, outside+s.samples[i].Cost.Always.Outside
	}
	return &AlwaysOn{
		Hours:   WorkingHours(s.world).String(),
		All:     s.figure(func(x *Sample) float64 { return money(x.Cost.Always.AllNano) }),
		InHours: s.figure(func(x *Sample) float64 { return money(x.Cost.Always.HoursNano) }),
		Nodes:   s.figure(func(x *Sample) float64 { return float64(x.Cost.Always.Nodes) }),
		Outside: float64(outside) / float64(max(1, jobs)),
	}
}

// mostNodes counts by pool how many nodes there are at most at once within the window. One that
// is asked for at the moment at which another goes takes its place.
func mostNodes(t *sim.Trace) []int {
	type edge struct {
		pool int32
		at   units.Duration
		by   int
	}
	w := t.World
	edges := make([]edge, 0, 2*len(t.Nodes))
	for _, n := range t.Nodes {
		if n.Gone > w.Plan.Warmup && n.Asked < w.Plan.Span && n.Gone > n.Asked {
			edges = append(edges, edge{n.Pool, n.Asked, 1}, edge{n.Pool, n.Gone, -1})
		}
	}
	slices.SortFunc(edges, func(x, y edge) int { return cmp.Or(cmp.Compare(x.at, y.at), cmp.Compare(x.by, y.by)) })
	most, now := make([]int, len(w.Pools)), make([]int, len(w.Pools))
	for _, e := range edges {
		now[e.pool] += e.by
		most[e.pool] = max(most[e.pool], now[e.pool])
	}
	return most
}

// A weekClock tells local minutes of the week. Offsets of zones change at whole quarters of an
// hour, so one look a quarter is enough.
type weekClock struct {
	zone  units.Zone
	start time.Time
	in    units.Duration // the quarter that was looked at last
	first int            // its minute of the week
}

// minute is the minute of the week, from Monday 00:00, at a moment of simulated time.
func (c *weekClock) minute(at units.Duration) int {
	const quarter = 15 * units.Minute
	unix := units.Duration(c.start.UnixNano()) + at
	if q := unix / quarter; q != c.in {
		c.in, c.first = q, c.zone.MinuteOfWeek(time.Unix(0, int64(q*quarter)))
	}
	return (c.first + int(unix%quarter/units.Minute)) % units.WeekMinutes
}
