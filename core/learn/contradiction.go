package learn

import (
	"errors"
	"fmt"
	"math"
	"slices"
)

// usual are the ratios that a wrong unit makes.
var usual = []float64{1000, 1e6, 1e9, 1. / 60, 1. / 3600, 60, 1e-3}

// errSeen ends a look at rows that has seen enough.
var errSeen = errors.New("seen enough")

// contradiction holds durations against the times that jobs began and ended, or were
// submitted and began.
func (r *reading) contradiction(is role, g *grid, l *lengthReader) error {
	from, to := roleStarted, roleEnded
	if is == roleWait {
		from, to = roleSubmitted, roleStarted
	}
	if !r.has(from) || !r.has(to) {
		return nil
	}
	a, b, at := r.at[from], r.at[to], r.at[is]
	f1, f2 := r.moment[from], r.moment[to]
	var ratios []float64
	err := g.each(func(cells []string, _ int) error {
		if len(ratios) >= mostLooked {
			return errSeen
		}
		if len(cells) != len(r.columns) {
			return nil
		}
		x, ok := l.read(plain(cells[at]))
		m1, ok1 := f1.read(cells[a], r.loc)
		m2, ok2 := f2.read(cells[b], r.loc)
		if took := float64(m2-m1) / 1e9; ok && ok1 && ok2 && took >= 5 && x > 0 {
			ratios = append(ratios, x/took)
		}
		return nil
	}, func(int, int, string) {})
	if err != nil && !errors.Is(err, errSeen) || len(ratios) < 3 {
		return err
	}
	slices.Sort(ratios)
	median := ratios[len(ratios)/2]
	for _, ratio := range usual {
		near := 0
		for _, x := range ratios {
			if math.Abs(x/ratio-1) < 0.25 {
				near++
			}
		}
		if 10*near < 9*len(ratios) {
			continue
		}
		times := fmt.Sprintf("%.4g times", ratio)
		if ratio < 1 {
			times = fmt.Sprintf("one %.4gth of", 1/ratio)
		}
		do := fmt.Sprintf("say which column is wrong: --column %s=-, or its unit with --unit %s=UNIT", is, is)
		if unit := r.unitFor(l, ratio); unit != "" {
			do = fmt.Sprintf("say --unit %s=%s if that is what it is in, or leave it out with --column %s=-", is, unit, is)
		}
		return Contradiction{
			fmt.Sprintf("column %q, in %s, is %s what %s − %s comes to", r.columns[at].name, l.name, times, r.columns[b].name, r.columns[a].name),
			do,
		}
	}
	if is == roleWork && (median > 1.5 || median < 0.67) {
		r.guesses = append(r.guesses, Guess{
			"work", fmt.Sprintf("column %q", r.columns[at].name), fmt.Sprintf("on the whole it is %.2g times %s − %s: what a job did "+
				"beside its work is not in it, or what is in it is no work", median, r.columns[b].name, r.columns[a].name),
			"--column work=-",
		})
	}
	return nil
}

// unitFor is the unit in which durations would not be so many times too long.
func (r *reading) unitFor(l *lengthReader, ratio float64) string {
	if l.form != lengthNumber {
		if l.form == lengthClock && math.Abs(float64(ratio*60)-1) < 0.1 {
			return "h:mm"
		}
		return ""
	}
	for _, unit := range []string{"ns", "us", "ms", "s", "min", "h", "d"} {
		if math.Abs(secondsOf[unit]/(l.unit/ratio)-1) < 0.01 {
			return unit
		}
	}
	return ""
}
