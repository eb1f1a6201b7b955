package explore

import (
	"cmp"
	"math"
	"slices"
)

// A Matter is how much of the spread of the variants a knob accounts for.
type Matter struct {
	Knob  string  `json:"knob" doc:"What the knob is called."`
	With  string  `json:"with,omitempty" doc:"Together with which other knob, beyond what each does by itself; absent: by itself."`
	Delay float64 `json:"delay" doc:"Share of the spread of the start delay's 95th percentile, 0 to 1."`
	Bill  float64 `json:"bill" doc:"Share of the spread of the bill, 0 to 1."`
}

// From which share on two knobs together are told, and how many such pairs at most.
const (
	leastMatter = 0.02
	mostPairs   = 6
)

// matters tells which knobs account for the spread of delays and bills over the variants that
// were run: the variance of means by value as a share of all (the correlation ratio), and of
// pairs what is beyond that. Of some of all variants, as a search spreads them, it is an estimate:
// what chance alone would account for is taken off.
func (q *Question) matters(r *runner, lanes []*lane, some bool) []Matter {
	type point struct {
		v           variant
		delay, bill float64
	}
	var points []point
	for _, l := range lanes {
		if runs := r.of(l.v, 0); len(runs) >= firstRepeats {
			runs = runs[:firstRepeats]
			v := append(variant(nil), l.v...)
			for k, x := range v {
				if x < 0 {
					v[k] = q.knobs[k].base
				}
			}
			points = append(points, point{v, mean(runs, func(x *Run) float64 { return x.P95 }), mean(runs, func(x *Run) float64 { return x.Bill })})
		}
	}
	share := func(of func(*point) float64, cell func(*point) int) float64 {
		sum, all := map[int]float64{}, 0.0
		count := map[int]float64{}
		for i := range points {
			c := cell(&points[i])
			sum[c] += of(&points[i])
			count[c]++
			all += of(&points[i])
		}
		m, total, between := all/float64(max(1, len(points))), 0.0, 0.0
		for i := range points {
			d := of(&points[i]) - m
			total += float64(d * d)
			c := cell(&points[i])
			e := sum[c]/count[c] - m
			between += float64(e * e)
		}
		if total <= 0 {
			return 0
		}
		if n, cells := float64(len(points)), float64(len(count)); some && n > cells {
			return math.Max(0, 1-float64((1-between/total)*(n-1))/(n-cells))
		}
		return between / total
	}
	delay, bill := func(p *point) float64 { return p.delay }, func(p *point) float64 { return p.bill }
	out := make([]Matter, len(q.knobs))
	for k := range q.knobs {
		at := func(p *point) int { return p.v[k] }
		out[k] = Matter{Knob: q.knobs[k].name, Delay: share(delay, at), Bill: share(bill, at)}
	}
	var pairs []Matter
	for a := range q.knobs {
		for b := a + 1; b < len(q.knobs); b++ {
			cells := len(q.knobs[a].values) * len(q.knobs[b].values)
			enough := 3 * cells // a cell of its own for each says nothing
			if some {
				enough = 20 * cells
			}
			if len(points) < enough {
				continue
			}
			at := func(p *point) int { return p.v[a]*1_000_000 + p.v[b] }
			m := Matter{
				Knob: q.knobs[a].name, With: q.knobs[b].name,
				Delay: math.Max(0, share(delay, at)-out[a].Delay-out[b].Delay), Bill: math.Max(0, share(bill, at)-out[a].Bill-out[b].Bill),
			}
			if max(m.Delay, m.Bill) >= leastMatter {
				pairs = append(pairs, m)
			}
		}
	}
	most := func(a, b Matter) int { return cmp.Compare(max(b.Delay, b.Bill), max(a.Delay, a.Bill)) }
	slices.SortStableFunc(pairs, most)
	out = append(out, pairs[:min(len(pairs), mostPairs)]...)
	slices.SortStableFunc(out, most)
	return out
}
