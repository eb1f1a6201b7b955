package sizing

import "tachyphor/core/units"

// MeanWall is how long runs take on average, of which a run counts half as much after each
// half-life, 0 for all alike. Ages count from the newest run: from which moment changes no
// mean. It is 0 without runs. Of each run only when it began and how long it took is
// looked at.
func MeanWall(runs []Run, halfLife units.Duration) units.Duration {
	newest := 0.0
	for i := range runs {
		newest = max(newest, runs[i].Began)
	}
	w := Wish{HalfLife: halfLife}
	sum, wall := 0.0, 0.0
	for i := range runs {
		weight := w.weight(&runs[i], newest)
		sum, wall = sum+weight, wall+float64(weight*runs[i].Wall.Seconds())
	}
	if sum == 0 {
		return 0
	}
	return units.Duration(wall / sum * float64(units.Second))
}
