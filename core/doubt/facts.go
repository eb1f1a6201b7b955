// Package doubt says how much of an outcome hangs on facts that nobody measured, or that were
// measured long ago: each is tried at the ends of what it may be, on the same draws.
package doubt

import (
	"fmt"
	"math"
	"slices"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"
)

// Known is what is known of a fact.
type Known string

// What can be known of a fact.
const (
	Never     Known = "never measured"
	Old       Known = "old"
	Otherwise Known = "measured otherwise" // the document says another value than was measured
	Measured  Known = "measured"
	// Newer records, which are more recent than what was measured, tell it otherwise.
	Contradicted Known = "records say otherwise"
)

// OldAfter is the age from which on a fact is said to be old.
const OldAfter = 90 * 24 * time.Hour

// What a fact may be, as factors of what it is said to be, where nothing bounds it.
const (
	neverLow, neverHigh = 0.5, 2.0
	oldLow, oldHigh     = 0.75, 1.35
)

// A Fact is a fact of a cluster that a scenario rests on.
type Fact struct {
	Fact  string    `json:"fact" doc:"Field of the Cluster."`
	Says  string    `json:"says" doc:"What the document says."`
	Known Known     `json:"known" doc:"never measured, old, measured otherwise, or measured."`
	At    time.Time `json:"at,omitzero" doc:"When it was measured."`
	Count int       `json:"count,omitempty" doc:"How many observations it rests on."`
	Low   string    `json:"low" doc:"The least that it is tried at."`
	High  string    `json:"high" doc:"The most."`

	// Spread is what was measured and Stands what the document says, both where it is a time.
	Spread []float64 `json:"spreadNs,omitempty" doc:"What was measured: its 5th, 25th, 50th, 75th and 95th percentile."`
	Stands []float64 `json:"standsNs,omitempty" doc:"The same of what the document says."`

	Told *document.Measured `json:"told,omitempty" doc:"What newer records tell of it, where they were held against it."`

	path      string
	at        func(by float64) (any, string)
	low, high any
	is        float64 // its middle
	read      func(string) (float64, error)
}

// Path is where the fact stands in its document.
func (f *Fact) Path() string { return f.path }

// By is the fact by a factor of what it is said to be: as the document has it, and in words.
func (f *Fact) By(factor float64) (value any, says string) { return f.at(factor) }

// middle is the median of a distribution of times.
func middle(t document.Times) units.Duration { return units.Duration(t.Dist().Quantile(0.5)) }

// Facts lists what a cluster says that a scenario's delays or bill may hang on, as of a
// moment: boots of pools that can grow, the links, the steps of agents, and the images that
// are named, all of them where images is nil.
func Facts(c *document.ClusterSpec, images []string, now time.Time) []Fact {
	var out []Fact
	add := func(fact, path, says string, is float64, read func(string) (float64, error), at func(by float64) (any, string)) {
		f := Fact{Fact: fact, Says: says, Known: Never, path: path, at: at, is: is, read: read}
		low, high := neverLow, neverHigh
		for _, m := range c.Measured {
			if m.Fact != fact {
				continue
			}
			f.Known, f.At, f.Count = Measured, m.At.UTC(), m.Count
			if len(m.Spread) == len(document.SpreadAt) {
				f.Spread = nil
				for _, x := range m.Spread {
					f.Spread = append(f.Spread, float64(x))
				}
			}
			low, high = bounds(m, is, read)
			switch {
			case now.Sub(m.At.Time) > OldAfter:
				f.Known, low, high = Old, min(low, oldLow), max(high, oldHigh)
			case otherwise(m, is, read):
				f.Known = Otherwise
			}
		}
		f.low, f.Low = at(low)
		f.high, f.High = at(high)
		out = append(out, f)
	}
	times := func(fact, path string, t document.Times) {
		if !t.IsZero() {
			add(fact, path, middle(t).Short(), float64(middle(t)), number(units.ParseDuration), func(by float64) (any, string) {
				x := t.Scaled(by)
				return x, middle(x).Short()
			})
			f, d := &out[len(out)-1], t.Dist()
			for _, q := range document.SpreadAt {
				f.Stands = append(f.Stands, d.Quantile(q))
			}
		}
	}
	rate := func(fact, path string, r units.Rate) {
		if r > 0 {
			add(fact, path, units.Decimal(float64(r))+"/s", float64(r), number(units.ParseRate), func(by float64) (any, string) {
				x := units.Rate(float64(r)*by) / 1000 * 1000
				return x, units.Decimal(float64(x)) + "/s"
			})
		}
	}
	for i, p := range c.Pools {
		if p.Max > p.Min {
			times("pools."+p.Name+".boot", fmt.Sprintf("/spec/pools/%d/boot", i), p.Boot)
		}
	}
	rate("links.registry.down", "/spec/links/registry/down", c.Links.Registry.Down)
	rate("links.registry.perFlow", "/spec/links/registry/perFlow", c.Links.Registry.PerFlow)
	rate("links.store.down", "/spec/links/store/down", c.Links.Store.Down)
	rate("links.store.perFlow", "/spec/links/store/perFlow", c.Links.Store.PerFlow)
	rate("store.pack", "/spec/store/pack", c.Store.Pack)
	rate("store.unpack", "/spec/store/unpack", c.Store.Unpack)
	times("agents.start", "/spec/agents/start", c.Agents.Start)
	times("agents.join", "/spec/agents/join", c.Agents.Join)
	times("agents.wipe", "/spec/agents/wipe", c.Agents.Wipe)
	for i, x := range c.Images {
		if x.Size > 0 && (images == nil || slices.Contains(images, x.Name)) {
			path, size := fmt.Sprintf("/spec/images/%d/size", i), float64(x.Size)
			add("images."+x.Name, path, x.Size.Short(), size, number(units.ParseBytes), func(by float64) (any, string) {
				n := units.Bytes(size * by)
				return n, n.Short()
			})
		}
	}
	return out
}

// Against holds facts against what records of the cluster tell, where they are newer than what
// was measured: a fact is contradicted that is outside the bounds of the records, or, where they
// have none, more than a tenth off.
func Against(facts []Fact, records []document.Measured) {
	for i := range facts {
		f := &facts[i]
		for _, m := range records {
			if m.Fact != f.Fact || !f.At.IsZero() && !m.At.After(f.At) {
				continue
			}
			f.Told = &m
			low, err1 := f.read(m.Low)
			high, err2 := f.read(m.High)
			if err1 != nil || err2 != nil {
				x, err := f.read(m.Value)
				if err != nil {
					continue
				}
				low, high = 0.9*x, 1.1*x
			}
			if f.is < low || f.is > high {
				f.Known = Contradicted
			}
		}
	}
}

// number reads a quantity as a number.
func number[Q ~int64](parse func(string) (Q, error)) func(string) (float64, error) {
	return func(s string) (float64, error) {
		q, err := parse(s)
		return float64(q), err
	}
}

// otherwise reports whether what was measured is not what a document says: by more than what
// three digits leave open, or, of a distribution, beyond its bounds.
func otherwise(m document.Measured, is float64, read func(string) (float64, error)) bool {
	if was, err := read(m.Value); err == nil {
		return math.Abs(was-is) > 0.01*is
	}
	low, err1 := read(m.Low)
	high, err2 := read(m.High)
	return err1 == nil && err2 == nil && (is < low || is > high)
}

// bounds are the factors that a measured fact's own bounds leave it; of one without bounds
// a tenth either way.
func bounds(m document.Measured, is float64, read func(string) (float64, error)) (low, high float64) {
	l, err1 := read(m.Low)
	h, err2 := read(m.High)
	if err1 != nil || err2 != nil || is <= 0 || h < l {
		return 0.9, 1.1
	}
	return max(0.05, l/is), h / is
}
