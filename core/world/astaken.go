package world

import (
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/document"
)

// AsTaken returns the world with its recorded jobs taking just as long as they were recorded to
// take: what stretches work, what it is spared or has to do by a cache, what it fetches meanwhile,
// and what makes it fail is in that time already.
func (w *World) AsTaken() *World {
	c := *w
	c.Sharing, c.HeldCold = false, 0
	c.Classes = slices.Clone(w.Classes)
	none := chance.NewFixed(0)
	for i := range c.Classes {
		k := &c.Classes[i]
		k.Speeds, k.Network, k.Limit, k.Leftovers = nil, nil, 0, document.Leftovers{}
		k.Cold, k.RecordedCold, k.Archive, k.Memory, k.Disk = none, none, none, none, none
	}
	if w.Log != nil {
		log := *w.Log
		log.Memory, log.Disk = nil, nil
		c.Log = &log
	}
	return &c
}
