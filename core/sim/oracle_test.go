package sim

import (
	"cmp"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// The queue gives events in the order of a stable sort by time, kind and plan.
func FuzzEventsInOrder(f *testing.F) {
	f.Add([]byte{3, 1, 2, 1, 0xff, 0, 7})
	f.Add([]byte{9, 8, 7, 6, 5, 4, 3, 2, 1, 0xff, 90, 0xff, 0xff, 1, 0xff, 2, 2, 2})
	f.Fuzz(func(t *testing.T, plan []byte) {
		var q events
		var want []event
		take := func() {
			slices.SortStableFunc(want, func(a, b event) int {
				return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.kind(), b.kind()), cmp.Compare(a.subject, b.subject))
			})
			if at, any := q.next(); !any || at != want[0].at {
				t.Fatalf("the next is at %d (%v), want %d", at, any, want[0].at)
			}
			if got := q.pop(); got.subject != want[0].subject {
				t.Fatalf("got event %d, want %d", got.subject, want[0].subject)
			}
			want = want[1:]
		}
		for i, b := range plan {
			if b >= 0xf0 && len(want) > 0 {
				take()
				continue
			}
			q.plan(units.Duration(b>>3), eventKind(b&7), int32(i), 0)
			want = append(want, event{at: units.Duration(b >> 3), order: uint64(b&7)<<56 | uint64(i), subject: int32(i)})
		}
		for len(want) > 0 {
			take()
		}
		if _, any := q.next(); any {
			t.Fatal("the queue holds more than was planned")
		}
	})
}

// The link's virtual clock agrees with moving each flow by itself.
func TestOracleLink(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		total, each := 1+r.Float64()*200, 1+r.Float64()*100
		l := newLink(units.Rate(total*1e6), units.Rate(each*1e6))
		n := 1 + r.IntN(12)
		type arrival struct {
			at   units.Duration
			size units.Bytes
		}
		var list []arrival
		for range n {
			list = append(list, arrival{units.Duration(r.IntN(5e9)), units.Bytes(1 + r.IntN(500e6))})
		}
		slices.SortFunc(list, func(a, b arrival) int { return cmp.Compare(a.at, b.at) })
		var ends [12]units.Duration
		for i := 0; i < n || len(l.flows) > 0; {
			at, ok := l.next()
			if i < n && (!ok || list[i].at <= at) {
				l.add(list[i].at, list[i].size, int32(i), -1)
				i++
				continue
			}
			ends[l.end(at).owner] = at
		}
		left := make([]float64, n)
		for i, a := range list {
			left[i] = float64(a.size)
		}
		for now, open := 0.0, n; open > 0; {
			active, next := 0, math.Inf(1)
			for i, a := range list {
				if float64(a.at) > now {
					next = min(next, float64(a.at))
				} else if left[i] > 0 {
					active++
				}
			}
			rate := min(l.each, l.total/float64(max(1, active)))
			for i, a := range list {
				if float64(a.at) <= now && left[i] > 0 {
					next = min(next, now+left[i]/rate)
				}
			}
			for i, a := range list {
				if float64(a.at) <= now && left[i] > 0 {
					if left[i] -= rate * (next - now); left[i] < 1e-3 {
						left[i] = 0
						open--
						if diff := math.Abs(float64(ends[i]) - next); diff > 1000 {
							t.Fatalf("flow %d ends at %v, by itself at %.0f ns", i, ends[i], next)
						}
					}
				}
			}
			now = next
		}
	}
}

// oracleScore is the scheduler's formula written out for one node.
func oracleScore(cpuRoom, memRoom, cpuUsed, memUsed, cpu, mem int64, pack bool) int64 {
	one := func(used, room int64) int64 {
		if used > room {
			return 0
		}
		if pack {
			return used * 100 / room
		}
		return (room - used) * 100 / room
	}
	even := func(c, m int64) int64 {
		fc, fm := min(1, float64(c)/float64(cpuRoom)), min(1, float64(m)/float64(memRoom))
		return int64((1 - math.Abs((fc-fm)/2)) * 100)
	}
	c, m := cpuUsed+cpu, memUsed+mem
	score := (one(c, cpuRoom) + one(m, memRoom)) / 2
	if cpu > 0 || mem > 0 {
		score += 50 + (50+even(c, m)-even(cpuUsed, memUsed))/2
	}
	return score
}

// Pods go where a search over every node, with nothing kept from one pod to the
// next, would put them; a refusal counts every node's reasons.
func TestOraclePlacement(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 300 {
		w := &world.World{
			Placement: document.Spread, Images: []document.Image{{Name: "none"}},
			Plan: document.RunPlan{Span: units.Hour, Repeats: 1},
		}
		if r.IntN(2) == 0 {
			w.Placement = document.Pack
		}
		for range 1 + r.IntN(4) {
			w.Pools = append(w.Pools, world.Pool{
				Min: r.IntN(5), Max: 10,
				Site: fleet.Site{Name: string(rune('a' + len(w.Pools))), Room: fleet.Room{
					Request: template.Request{CPU: units.MilliCPU(1000 + r.IntN(15000)), Memory: units.Bytes(1+r.IntN(64)) << 30}, Pods: 1 + r.IntN(6),
				}},
			})
		}
		for range 3 {
			q := template.Request{CPU: units.MilliCPU(r.IntN(4000)), Memory: units.Bytes(r.IntN(16)) << 29}
			w.Templates = append(w.Templates, world.Template{
				Agent:   template.Agent{Request: q, Scoring: q, Containers: []int{0}},
				ImageAt: []int32{0}, Needs: fleet.Need{Request: q},
			})
		}
		e := newEngine(w, chance.Root(1, 0), &demand.Jobs{})
		e.firstNodes()
		var log []placed
		for range 60 {
			tm := r.IntN(3)
			want, best := oraclePlace(w, e, log, tm)
			e.agents = append(e.agents, agent{template: int32(tm), node: -1, waitNode: -1, verdict: -1})
			a := int32(len(e.agents) - 1)
			ok := e.tryPlace(a)
			g := &e.agents[a]
			if ok != (len(best) > 0) {
				t.Fatalf("placed %v, the search finds %v", ok, best)
			}
			if !ok {
				if got := e.trace.Verdicts[g.verdict]; got.By != want.By || got.Nodes != want.Nodes {
					t.Fatalf("verdict %+v, the search says %+v", got, want)
				}
				continue
			}
			if g.node != best[0] {
				t.Fatalf("placed on %s, the best are %v", nodeName(w, e.nodes[g.node].pool, e.nodes[g.node].ordinal), best)
			}
			log = append(log, placed{int(g.node), tm})
		}
	}
}

// placed is one line of a placement log.
type placed struct{ node, template int }

// oraclePlace finds the nodes that score best, first by name first, from the log
// of what was placed; or counts why none has room.
func oraclePlace(w *world.World, e *engine, log []placed, tm int) (fleet.Verdict, []int32) {
	var v fleet.Verdict
	q := w.Templates[tm].Request
	top := int64(-1)
	var best []int32
	for n := range e.nodes {
		room := w.Pools[e.nodes[n].pool].Room
		var cpu, mem, pods int64
		for _, l := range log {
			if l.node == n {
				cpu += int64(w.Templates[l.template].Request.CPU)
				mem += int64(w.Templates[l.template].Request.Memory)
				pods++
			}
		}
		v.Nodes++
		fits := true
		if q.CPU > 0 && cpu+int64(q.CPU) > int64(room.CPU) {
			v.Add(fleet.NoCPU)
			fits = false
		}
		if q.Memory > 0 && mem+int64(q.Memory) > int64(room.Memory) {
			v.Add(fleet.NoMemory)
			fits = false
		}
		if pods >= int64(room.Pods) {
			v.Add(fleet.NoPods)
			fits = false
		}
		if !fits {
			continue
		}
		s := oracleScore(int64(room.CPU), int64(room.Memory), cpu, mem, int64(q.CPU), int64(q.Memory), w.Placement == document.Pack)
		if s > top {
			top, best = s, nil
		}
		if s == top {
			best = append(best, int32(n))
		}
	}
	return v, best
}
