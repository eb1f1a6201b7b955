package main

import (
	"fmt"
	"runtime"
	"time"

	"tachyphor/core/weigh"
	"tachyphor/test/worlds"
)

// measureWeighing weighs the demo's week with every plan, on all cores.
func measureWeighing(cores int) error {
	w, err := worlds.Demo("cached-naive")
	if err != nil {
		return err
	}
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(cores))
	var took []float64
	plans := 0
	for range 3 {
		began := time.Now()
		o, err := weigh.Weigh(weigh.Question{World: w}, cores, nil)
		if err != nil {
			return err
		}
		took, plans = append(took, time.Since(began).Seconds()), len(o.Plans)
	}
	fmt.Printf("weigh: the demo's week, %d plans of %d repeats, break-evens and map, %d cores\n  weighing                      "+
		"%7.3f s\n\n", plans, w.Plan.Repeats, cores, median(took))
	return nil
}
