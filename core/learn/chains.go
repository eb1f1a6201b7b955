package learn

import (
	"fmt"
	"hash/maphash"
	"maps"
	"math"
	"slices"
)

// A chain is what jobs of a class come after.
type chain struct {
	class int // whose jobs are followed
	count int // how many follow each
}

// linked tells which ids that jobs come after are ids of the log; the others are dropped,
// as those jobs are not in it.
type linked struct {
	at      map[uint64]int32 // rows by id
	missing int
	jobs    int // that come after some other
	seed    maphash.Seed
}

// link finds the jobs that others come after.
func (t *taking) link() *linked {
	l := &linked{at: map[uint64]int32{}, seed: t.seed}
	if len(t.after) == 0 {
		return l
	}
	ids := t.ids.String()
	for i := range t.rows {
		if j := &t.rows[i]; j.ending != Never && j.id.to > j.id.from {
			l.at[maphash.String(t.seed, ids[j.id.from:j.id.to])] = int32(i)
		}
	}
	for i := range t.rows {
		j := &t.rows[i]
		if j.after < 0 || j.ending == Never {
			continue
		}
		kept := t.after[j.after][:0]
		for _, id := range t.after[j.after] {
			if other, ok := l.at[maphash.String(t.seed, id)]; ok && other != int32(i) && t.rows[other].at <= j.at {
				kept = append(kept, id)
			} else {
				l.missing++
			}
		}
		if t.after[j.after] = kept; len(kept) > 0 {
			l.jobs++
		}
	}
	return l
}

// chains tells which classes follow others: nearly all of their jobs come after a job of
// one other class, and as many after each.
func (t *taking) chains(kinds []*kindOfJob, l *linked) map[int]chain {
	out := map[int]chain{}
	if l.jobs == 0 {
		return out
	}
	for n, k := range kinds {
		after := map[int]int{}
		jobs := 0
		for _, i := range k.rows {
			j := &t.rows[i]
			if j.ending == Never {
				continue
			}
			jobs++
			if j.after < 0 || len(t.after[j.after]) == 0 {
				continue
			}
			after[int(t.rows[l.at[maphash.String(t.seed, t.after[j.after][0])]].class)]++
		}
		for lead, rows := range after {
			if lead == n || 5*rows < 4*jobs {
				continue
			}
			each := float64(rows) / float64(t.begun(kinds[lead]))
			if count := math.Round(each); count >= 1 && math.Abs(each/count-1) < 0.2 && count <= 1000 {
				out[n] = chain{lead, int(count)}
			}
		}
	}
	for _, n := range slices.Sorted(maps.Keys(out)) { // a circle is none: its first link goes
		at := n
		for range len(out) {
			c, ok := out[at]
			if at = c.class; !ok {
				break
			}
			if at == n {
				delete(out, n)
				break
			}
		}
	}
	return out
}

// begun counts the jobs of a class that began.
func (t *taking) begun(k *kindOfJob) (n int) {
	for _, i := range k.rows {
		if t.rows[i].ending != Never {
			n++
		}
	}
	return n
}

func (c chain) says(kinds []*kindOfJob) string {
	if c.count == 1 {
		return fmt.Sprintf("one after each of %s", kinds[c.class].name)
	}
	return fmt.Sprintf("%d after each of %s", c.count, kinds[c.class].name)
}
