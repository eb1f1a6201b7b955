package learn

import (
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
	began := func(j *jobRow) moment {
		if j.started > 0 {
			return j.started
		}
		return j.at
	}
	runs := make([]*jobRow, 0, len(k.rows))
	for _, i := range k.rows {
		if j := &t.rows[i]; j.ending != Never {
			runs = append(runs, j)
		}
	}
	slices.SortStableFunc(runs, func(a, b *jobRow) int { return int(min(1, max(-1, began(a)-began(b)))) })
	var first, rest []float64
	isFirst := make([]bool, len(runs))
	for n, j := range runs {
		isFirst[n] = n > 0 && began(j)-began(runs[n-1]) >= int64(pause)
		switch {
		case j.work < 0 || n == 0: // of the first of the log nothing is known
		case isFirst[n]:
			first = append(first, j.work)
		default:
			rest = append(rest, j.work)
		}
	}
	if len(first) < leastCold || len(rest) < leastCold {
		return
	}
	slices.Sort(first)
	slices.Sort(rest)
	cold, warm := first[len(first)/2], rest[len(rest)/2]
	if _, chance := smirnovOf(first, rest); chance > colderSure || cold < colderBy*warm {
		return
	}
	for n, j := range runs {
		j.cache = uint8(slices.Index(caches, "warm"))
		if isFirst[n] {
			j.cache = uint8(slices.Index(caches, "none"))
		}
	}
	t.cold = true
	t.guesses = append(t.guesses, Guess{
		"cold runs of " + k.name, fmt.Sprintf("the %s that begin %s or more after the one before", units.Count(int64(len(first))), units.Duration(pause)),
		fmt.Sprintf("half of them work more than %s, half of the others more than %s", roundTime(cold), roundTime(warm)), "--cold-after",
	})
}
