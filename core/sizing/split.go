// Package sizing turns what jobs really used into requests and limits: how sure a
// bound is, what each choice costs, and whether one size or several serve a
// template's runs.
package sizing

import (
	"math"
	"slices"

	"tachyphor/core/units"
)

// A Use is a run as splitting sees it: the memory that it needs and the time for
// which it holds an agent.
type Use struct {
	Memory units.Bytes    // ≥ 0
	Held   units.Duration // ≥ 0
}

// A Group is the runs that one size of agent serves.
type Group struct {
	Size units.Bytes    // request of memory: the most that any run of the group needs, rounded up to the grain
	Runs int            // how many
	Held units.Duration // how long in all
	Cost float64        // what their agents cost
}

// grain is what requests are rounded up to.
const grain = units.Bytes(64 << 20)

// mostSizes bounds how many sizes are looked at; with more the grain is doubled until
// there are no more.
const mostSizes = 2048

// Split divides runs into k groups by memory so that their agents cost least. Each
// group's agents are as large as its largest run needs; price is what an agent of a
// size costs an hour, and must not fall as sizes grow. With fewer than k different
// sizes there are as many groups as sizes.
//
// With sizes s₁ < … < sₙ and held times h, the least cost of the first j sizes in g
// groups is
//
//	C(j, g) = min over i < j of  C(i, g−1) + price(sⱼ) · (h(i+1) + … + h(j))
//
// which is exact: a group is always a stretch of neighbouring sizes, for a run served
// by a larger agent than another group has could move there and cost no more.
func Split(runs []Use, k int, price func(units.Bytes) float64) []Group {
	if len(runs) == 0 || k < 1 {
		return nil
	}
	sizes := bySize(runs)
	n := len(sizes)
	k = min(k, n)
	before := make([]float64, n+1) // hours held by the sizes before one
	for i, s := range sizes {
		before[i+1] = before[i] + s.Held.Hours()
	}
	each := make([]float64, n)
	for i, s := range sizes {
		each[i] = price(s.Size)
	}
	cost := make([]float64, n+1) // of the first j sizes in the groups so far
	for j := 1; j <= n; j++ {
		cost[j] = each[j-1] * before[j]
	}
	from := make([][]int, k)
	for g := 1; g < k; g++ {
		next := make([]float64, n+1)
		from[g] = make([]int, n+1)
		for j := 0; j <= n; j++ {
			next[j], from[g][j] = cost[j], -1 // no more groups than help
			for i := 1; i < j; i++ {
				if c := cost[i] + float64(each[j-1]*(before[j]-before[i])); c < next[j] {
					next[j], from[g][j] = c, i
				}
			}
		}
		cost = next
	}
	var out []Group
	for j, g := n, k-1; j > 0; g-- {
		i := 0
		if g > 0 {
			if i = from[g][j]; i < 0 {
				continue
			}
		}
		group := Group{Size: sizes[j-1].Size, Cost: each[j-1] * (before[j] - before[i])}
		for _, s := range sizes[i:j] {
			group.Runs, group.Held = group.Runs+s.Runs, group.Held+s.Held
		}
		out = append(out, group)
		j = i
	}
	slices.Reverse(out)
	return out
}

// bySize gathers runs by the size of agent that each needs, ascending.
func bySize(runs []Use) []Group {
	for g := grain; ; g *= 2 {
		at := map[units.Bytes]int{}
		var out []Group
		for _, r := range runs {
			size := max(units.Bytes(math.Ceil(float64(r.Memory)/float64(g)))*g, g)
			i, ok := at[size]
			if !ok {
				if len(out) >= mostSizes {
					break
				}
				i = len(out)
				at[size] = i
				out = append(out, Group{Size: size})
			}
			out[i].Runs, out[i].Held = out[i].Runs+1, out[i].Held+r.Held
		}
		if len(out) < mostSizes {
			slices.SortFunc(out, func(a, b Group) int { return int(a.Size/g - b.Size/g) })
			return out
		}
	}
}
