package outcome

import (
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// A CacheSample is what the workspace cache did in one repeat.
type CacheSample struct {
	Hits      int64                  `json:"hits" doc:"Jobs that found their workspace up to date."`
	Stale     int64                  `json:"stale" doc:"Jobs that found one out of date."`
	Misses    int64                  `json:"misses" doc:"Jobs that found none."`
	Saves     int64                  `json:"saves" doc:"Archives saved."`
	KeptBytes float64                `json:"keptBytes" doc:"In the store on average, within the window."`
	DownBytes units.Sum[units.Bytes] `json:"downBytes" doc:"Brought from the store within the window."`
	UpBytes   units.Sum[units.Bytes] `json:"upBytes" doc:"Sent to the store within the window."`
}

// Cache is what the workspace cache did.
type Cache struct {
	Found  stats.Figure `json:"found" doc:"Share of jobs with a cache plan that found their workspace up to date, 0 to 1."`
	Stale  stats.Figure `json:"stale" doc:"Share that found it out of date."`
	Saves  stats.Figure `json:"saves" doc:"Archives saved in a repeat."`
	KeptGB stats.Figure `json:"keptGB" doc:"In the store, on average."`
	DownGB stats.Figure `json:"downGB" doc:"Brought from the store in a repeat."`
	UpGB   stats.Figure `json:"upGB" doc:"Sent to the store in a repeat."`
	// Entries are those of the first repeat.
	Entries []Entry `json:"entries,omitempty" doc:"Workspaces in the store that most jobs of the first repeat read, with the builds that saved them."`
}

// cache sums up what the workspace cache did; nil when no class has a plan.
func (s *Sum) cache() *Cache {
	if len(s.world.Scopes) == 0 {
		return nil
	}
	fig := func(of func(*CacheSample) float64) stats.Figure {
		return s.figure(func(x *Sample) float64 { return of(&x.Cache) })
	}
	tried := func(c *CacheSample) float64 { return float64(max(1, c.Hits+c.Stale+c.Misses)) }
	gb := float64(units.GB)
	return &Cache{
		Found:  fig(func(c *CacheSample) float64 { return float64(c.Hits) / tried(c) }),
		Stale:  fig(func(c *CacheSample) float64 { return float64(c.Stale) / tried(c) }),
		Saves:  fig(func(c *CacheSample) float64 { return float64(c.Saves) }),
		KeptGB: fig(func(c *CacheSample) float64 { return c.KeptBytes / gb }),
		DownGB: fig(func(c *CacheSample) float64 { return c.DownBytes.Float() / gb }),
		UpGB:   fig(func(c *CacheSample) float64 { return c.UpBytes.Float() / gb }),

		Entries: entriesOf(s.first),
	}
}
