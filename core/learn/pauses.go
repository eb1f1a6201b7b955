package learn

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"tachyphor/core/units"
)

// usualPause is the pause of a class after which its next run is thought to find no workspace:
// long enough that agents are gone, as after a night.
const usualPause = 6 * time.Hour

// When runs after a pause count as cold: their median is so many times that of the others, and
// the two differ by more than a chance that leaves a log of a hundred classes without a false
// alarm.
const (
	colderBy   = 1.2
	colderSure = 1e-5
)

// firstRuns tells cold runs from warm ones in a log that has no column for it: those of a class
// that begin after a pause, if they take longer than the others by more than chance.
func (t *taking) firstRuns(k *kindOfJob) {
	pause := t.o.ColdAfter
	if pause == 0 {
		pause = usualPause
	}
	if pause < 0 || t.has(roleCache) {
		return
	}
	type run struct {
		began moment
		row   int32
	}
	runs := make([]run, 0, len(k.rows))
	for _, i := range k.rows {
		j := &t.rows[i]
		if j.ending == Never {
			continue
		}
		began := j.started
		if began <= 0 {
			began = j.at
		}
		runs = append(runs, run{began, int32(i)})
	}
	slices.SortFunc(runs, func(a, b run) int { return cmp.Or(cmp.Compare(a.began, b.began), cmp.Compare(a.row, b.row)) })
	var first, rest []float64
	isFirst := func(n int) bool { return n > 0 && runs[n].began-runs[n-1].began >= int64(pause) }
	for n := range runs {
		if isFirst(n) {
			if work := t.rows[runs[n].row].work; work >= 0 {
				first = append(first, work)
			}
		}
	}
	if len(first) < leastCold {
		return
	}
	for n := range runs {
		if work := t.rows[runs[n].row].work; work >= 0 && n > 0 && !isFirst(n) { // of the first of the log nothing is known
			rest = append(rest, work)
		}
	}
	if len(rest) < leastCold {
		return
	}
	slices.Sort(first)
	slices.Sort(rest)
	cold, warm := first[len(first)/2], rest[len(rest)/2]
	if _, chance := smirnovOf(first, rest); chance > colderSure || cold < colderBy*warm {
		return
	}
	for n := range runs {
		found := "warm"
		if isFirst(n) {
			found = "none"
		}
		t.rows[runs[n].row].cache = uint8(slices.Index(caches, found))
	}
	t.cold = true
	t.guesses = append(t.guesses, Guess{
		"cold runs of " + k.name,
		fmt.Sprintf("the %s that begin %s or more after the one before", units.Count(int64(len(first))), units.Duration(pause)),
		fmt.Sprintf("half of them work more than %s, half of the others more than %s", roundTime(cold), roundTime(warm)), "--cold-after",
	})
}
