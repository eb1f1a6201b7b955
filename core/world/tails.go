package world

import (
	"fmt"
	"strings"

	"tachyphor/core/chance"
)

// fewSamples is below how many measured values it is said what they cannot hold: one in a
// hundred that comes later is longer than all of a hundred.
const fewSamples = 100

// tails says which times are drawn from few measured values: of n values that come from the
// same source one in n + 1 that comes later is larger than all of them, and is never drawn.
// Source: Wilks, Determination of sample sizes for setting tolerance limits (1941).
func (w *World) tails() []string {
	var few []string
	least := fewSamples
	look := func(d chance.Dist, what string) {
		if n := len(d.Samples); d.Form == chance.Empirical && n < fewSamples {
			few, least = append(few, fmt.Sprintf("%s (%d)", what, n)), min(least, n)
		}
	}
	for i := range w.Classes {
		c := &w.Classes[i]
		if !c.Comes {
			continue
		}
		look(c.Work, "work of "+c.Name)
		look(c.Cold, "cold work of "+c.Name)
		look(c.Memory, "memory of "+c.Name)
		look(c.Disk, "disk of "+c.Name)
	}
	for i := range w.Pools {
		look(w.Pools[i].BootTime, "boot of pool "+w.Pools[i].Name)
	}
	look(w.StartTime, "start of containers")
	look(w.JoinTime, "joining of agents")
	look(w.WipeTime, "wiping of agents")
	if len(few) == 0 {
		return nil
	}
	return []string{fmt.Sprintf("Drawn from few measured values: %s. Of %d, one in %d that comes later is larger than all and "+
		"is never drawn: what hangs on large ones comes out too good. Give more, or a median and a p95.",
		strings.Join(few, ", "), least, least+1)}
}
