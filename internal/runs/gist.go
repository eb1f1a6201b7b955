package runs

import (
	"tachyphor/core/outcome"
)

// A Gist is what lists show of an outcome.
type Gist struct {
	Headline     string   `json:"headline"`
	P95DelayNs   *float64 `json:"p95DelayNs,omitempty"`
	MeanDelayNs  float64  `json:"meanDelayNs"`
	CostPerMonth float64  `json:"costPerMonth"`
	Currency     string   `json:"currency"`
	RibbonNs     []int64  `json:"ribbonNs"`
	Jobs         float64  `json:"jobs"`
	Unmatched    int      `json:"unmatched"`
	Wrong        float64  `json:"wrong" doc:"Jobs that went wrong for good, in a repeat."`
	Started      float64  `json:"started" doc:"Jobs that started, in a repeat; delays are of these."`
}

func summarize(o *outcome.Outcome) Gist {
	all := o.Groups[0]
	s := Gist{
		Headline: o.Headline, MeanDelayNs: all.Delay.Mean.Mean, CostPerMonth: o.Cost.PerMonth.Mean,
		Currency: o.Cost.Currency, Jobs: all.Jobs.Mean, Wrong: all.Wrong.Mean, Started: all.Started.Mean,
	}
	if all.Delay.P95 != nil {
		s.P95DelayNs = &all.Delay.P95.Mean
	}
	for _, f := range all.Ribbon {
		s.RibbonNs = append(s.RibbonNs, int64(f.Mean))
	}
	for _, u := range o.Unmatched {
		s.Unmatched += u.Jobs
	}
	return s
}
