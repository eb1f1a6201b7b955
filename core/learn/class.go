package learn

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"tachyphor/core/document"
)

// class makes a class of its jobs.
func (t *taking) class(k *kindOfJob, cal *calendar) (seen ClassSeen, class document.JobClass, p *profile, err error) {
	var at []moment
	var cores float64
	var measured, known, trunk, told int
	work, cold, warm := []float64{}, []float64{}, []float64{}
	var memory, disk []float64
	retries := 0
	var ended document.Ended
	for _, i := range k.rows {
		j := &t.rows[i]
		if j.ending == Never {
			continue
		}
		at = append(at, j.at)
		if j.work >= 0 {
			known++
			switch caches[j.cache] {
			case "none":
				cold = append(cold, j.work)
			case "warm":
				warm = append(warm, j.work)
			default:
				work = append(work, j.work)
			}
		}
		if j.memory > 0 {
			memory = append(memory, j.memory)
		}
		if j.disk > 0 {
			disk = append(disk, j.disk)
		}
		if j.cores >= 0 {
			cores, measured = cores+float64(j.cores), measured+1
		}
		if j.change >= 0 {
			if told++; j.change == 0 {
				trunk++
			}
		}
		switch j.ending {
		case Failed:
			ended.Failed++
		case Cut:
			ended.Cut++
		default:
		}
		retries = max(retries, int(j.attempt)-1)
	}
	slices.Sort(at)
	p = profileOf(cal, at)
	seen = ClassSeen{Name: k.name, Jobs: len(at), Wants: []string{}, Folded: k.folded, Burst: float64(p.burst) / float64(max(1, len(at)))}
	seen.PerWeek = rounded(float64(len(at))/max(cal.weeks(), 1./7), 3)
	seen.unsteady = unsteady(at, cal)
	reach := sure * math.Sqrt(float64(max(1, seen.unsteady)*float64(max(1, len(at))))) / max(cal.weeks(), 1./7)
	seen.PerWeekLow, seen.PerWeekHigh = rounded(max(0, seen.PerWeek-reach), 3), rounded(seen.PerWeek+reach, 3)
	class = document.JobClass{Name: k.name, Wants: []string{}}
	if ended.Failed+ended.Cut > 0 {
		ended.Jobs = len(at)
		class.Ended = ended
	}
	if k.wants > 0 {
		class.Wants = strings.Fields(t.words[k.wants])
		seen.Wants = class.Wants
	}
	if k.project > 0 && len(t.words[k.project]) <= mostText {
		class.Project = t.words[k.project]
	}
	if known == 0 {
		return seen, class, p, fmt.Errorf("class %s: of none of its %d jobs is known how long it worked, which is needed to draw it; "+
			"fold it with others with --least %d, or leave its rows out", k.name, len(at), len(at)+1)
	}
	if seen.Cold = coldWork(cold, warm); seen.Cold != nil {
		class.Workspace.Cold = seen.Cold.times()
		work = append(work, warm...)
	} else {
		work = append(append(work, warm...), cold...)
	}
	seen.Work = fitted(work)
	class.Work = seen.Work.times()
	if seen.Memory = fitted(memory); seen.Memory != nil {
		class.Memory = seen.Memory.sizes()
	}
	if seen.Disk = fitted(disk); seen.Disk != nil {
		class.Disk = seen.Disk.sizes()
	}
	if measured > 0 {
		class.Cores = rounded(cores/float64(measured), 3)
	}
	if told > 0 {
		share := rounded(float64(trunk)/float64(told), 3)
		seen.Trunk, class.TrunkShare = &share, &share
	}
	class.Retries = min(retries, 5)
	return seen, class, p, nil
}

// leastCold is how many cold and warm runs there must be to tell them apart.
const leastCold = 10

// coldWork is how much longer runs without a workspace took: the differences of their
// percentiles. nil where too few tell, or cold runs took no longer.
func coldWork(cold, warm []float64) *Sampled {
	if len(cold) < leastCold || len(warm) < leastCold {
		return nil
	}
	slices.Sort(cold)
	slices.Sort(warm)
	var more []float64
	for i := range samplesKept {
		q := (float64(i) + 0.5) / samplesKept
		a, b := cold[int(q*float64(len(cold)))], warm[int(q*float64(len(warm)))]
		more = append(more, max(0, a-b))
	}
	f := fitted(more)
	if f.Median <= 0 {
		return nil
	}
	f.Values = len(cold)
	f.Why = fmt.Sprintf("differences of percentiles of %d cold and %d warm runs; ", len(cold), len(warm)) + f.Why
	return f
}
