package backtest

import (
	"errors"
	"fmt"

	"tachyphor/core/units"
)

// A Paid is what was paid, beside what is predicted.
type Paid struct {
	Paid      float64 `json:"paid" doc:"What was paid, in the currency."`
	Predicted float64 `json:"predicted" doc:"What the runs say, in the middle."`
	Low       float64 `json:"low" doc:"As far as chance goes, it is above this at 95 %."`
	High      float64 `json:"high" doc:"And below this."`
	Ratio     float64 `json:"ratio" doc:"Predicted by paid."`
	Off       bool    `json:"off" doc:"It is further off than chance explains, and by more than a twentieth."`
	Says      string  `json:"says" doc:"The same in words."`
}

// errPaid says that a bill is of one design.
var errPaid = errors.New("what was paid can be held beside one design alone, not beside revisions one after the other")

// paidBeside holds what was paid for the log's whole time beside what the runs say.
func (q *Question) paidBeside(read [][]reading, currency string) *Paid {
	if q.paid <= 0 {
		return nil
	}
	plan := &q.designs[0].w.Plan
	part := float64(plan.Span-plan.Warmup) / float64(units.Month)
	costs := make([]float64, len(read[0]))
	for r := range costs {
		costs[r] = read[0][r].cost * part
	}
	out := &Paid{Paid: q.paid}
	out.Predicted, out.Low, out.High = ranged(costs, 0.95)
	out.Ratio = out.Predicted / out.Paid
	out.Off = beyond(out.Paid, out.Predicted, out.Low, out.High)
	money := func(x float64) string { return units.Amount(x).Short(currency) }
	out.Says = fmt.Sprintf("%s was paid where %s is predicted (by chance %s to %s)", money(out.Paid), money(out.Predicted), money(out.Low), money(out.High))
	if out.Off {
		out.Says += ", more than chance explains: look at prices, at what else ran on these nodes, and at how long they stay empty"
	}
	out.Says += "."
	return out
}
