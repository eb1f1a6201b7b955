package sim

import "tachyphor/core/units"

// at is how long work takes at a speed.
func at(work units.Duration, speed float64) units.Duration {
	if speed == 1 {
		return work
	}
	return units.Duration(float64(work) / speed)
}
