package runs

import (
	"tachyphor/core/outcome"
	"tachyphor/wire"
)

func summarize(o *outcome.Outcome) wire.Gist {
	all := o.Groups[0]
	s := wire.Gist{
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
