package explore

import "tachyphor/core/aim"

// readings are what runs say of the aims, with a chance of being wrong in each: of several
// workloads, on that on which an aim stands worst.
func (q *Question) readings(runs []Run, chance float64) []aim.Reading {
	out := make([]aim.Reading, len(q.aims))
	list := make([]aim.Tally, len(runs))
	for i, a := range q.aims {
		for k, in := range q.ins {
			for n := range runs {
				list[n] = runs[n].of(k)[i]
			}
			r := a.Judge(list, chance/float64(len(q.ins)))
			if len(q.ins) > 1 {
				r.On = in.Workload.Name
			}
			if k == 0 || graver(a, &r, &out[i]) {
				out[i] = r
			}
		}
	}
	return out
}

// graver reports whether an aim stands worse by x than by y.
func graver(a aim.Aim, x, y *aim.Reading) bool {
	switch gx, gy := x.Verdict.Grave(), y.Verdict.Grave(); {
	case gx != gy:
		return gx > gy
	case x.Nobody || y.Nobody:
		return y.Nobody && !x.Nobody
	}
	if _, least := a.Bound(); least {
		return x.Is < y.Is
	}
	return x.Is > y.Is
}

// worst is the gravest verdict of readings, and which has it first; of none it is kept.
func worst(list []aim.Reading) (aim.Verdict, int) {
	at, v := -1, aim.Kept
	for i, r := range list {
		if r.Verdict.Grave() > v.Grave() {
			at, v = i, r.Verdict
		}
	}
	return v, at
}
