package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"tachyphor/client"
	"tachyphor/core/backtest"
	"tachyphor/core/units"
	"tachyphor/wire"
)

// printBacktest prints a stored backtest.
func (p *program) printBacktest(ctx context.Context, c *client.Client, id uint64) error {
	w, err := c.Backtested(ctx, id)
	if err != nil {
		return err
	}
	if w.Result == nil {
		return notDone("backtest", w.WorkBrief)
	}
	return p.backtest(w.Result)
}

func backtestsListing(list []wire.WorkBrief) listing {
	l := listing{columns: []column{{"backtest", true}, {"scenario", false}, {"asked", false}, {"state", false}, {"jobs", true}, {"answer", false}}, value: list}
	for _, w := range list {
		l.rows = append(l.rows, []string{
			strconv.FormatUint(w.ID, 10), w.About, here(w.Asked), string(w.State), units.Count(int64(w.Backtest.Jobs)), clipped(w.Backtest.Says, 90),
		})
	}
	return l
}

// backtest writes whether it came true.
func (p *program) backtest(b *backtest.Backtest) error {
	groups := listing{columns: []column{
		{"jobs", false}, {"", true}, {"", false}, {"predicted", true}, {"observed", true}, {"ratio", true}, {"by chance", true}, {"", false},
	}, value: b, main: "groups"}
	for _, g := range b.Groups {
		name, count := g.Name, units.Count(int64(g.Jobs))
		if g.By == "all" {
			name = "all"
		}
		for _, x := range []struct {
			what string
			list []backtest.Percentile
		}{{"start delay", g.Delay}, {"lead time", g.Lead}} {
			for _, q := range x.list {
				if !q.Judged || g.By != "all" && (q.P == 50 || q.P == 99 || x.what == "lead time") {
					continue
				}
				note := ""
				if q.Off {
					note = p.bad("off")
				}
				groups.rows = append(groups.rows, []string{
					name, count, fmt.Sprintf("%s, %g %%", x.what, q.P), shortly(q.Predicted), shortly(q.Observed), fmt.Sprintf("%.2f", q.Ratio),
					fmt.Sprintf("%.2f to %.2f", q.Low, q.High), note,
				})
				name, count = "", ""
			}
		}
	}
	if !p.lines() {
		return p.show(groups)
	}
	fmt.Fprintln(p.out, p.strong(b.Scenario)+p.faint(fmt.Sprintf("  %s, %s to %s (%s), %d repeats", counted(b.Jobs, "job"), b.From.Format("2006-01-02 15:04"),
		b.Until.Format("2006-01-02 15:04"), b.Zone, b.Repeats)))
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.wrap(p.strong(b.Verdict.Says)))
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.table(groups))
	fmt.Fprintln(p.out)
	if len(b.Phases) > 0 {
		phases := listing{columns: []column{{"waiting for", false}, {"jobs", true}, {"predicted", true}, {"observed", true}, {"by chance", true}, {"", false}}}
		for _, x := range b.Phases {
			note := ""
			if x.Off {
				note = p.bad("off")
			}
			phases.rows = append(phases.rows, []string{
				x.Phase, units.Count(int64(x.Jobs)), shortly(x.Predicted), shortly(x.Observed), shortly(x.Low) + " to " + shortly(x.High), note,
			})
		}
		fmt.Fprintln(p.out, p.table(phases))
		fmt.Fprintln(p.out)
	}
	for _, c := range b.Counted {
		p.besideLine(c.Says, c.Off)
	}
	if b.Paid != nil {
		p.besideLine(b.Paid.Says, b.Paid.Off)
	}
	if len(b.Counted) > 0 || b.Paid != nil {
		fmt.Fprintln(p.out)
	}
	if len(b.Tried) > 0 {
		money := inCurrency(b.Currency)
		tried := listing{columns: []column{
			{"fact", false}, {"says", true}, {"nearest as", true}, {"between", true}, {"explains", true}, {"95 % of delays", true}, {"a month", true}, {"", false},
		}}
		for _, x := range b.Tried[:min(6, len(b.Tried))] {
			if !x.Sure {
				continue
			}
			note := ""
			if x.Like {
				note = "not told apart from the first"
			}
			tried.rows = append(tried.rows, []string{
				x.Fact, x.Says, x.Would, x.Low + " to " + x.High, fmt.Sprintf("%.0f %%", 100*x.Share), signed(x.P95, shortly), signed(x.Cost, money), note,
			})
		}
		if len(tried.rows) > 0 && b.Fact != nil {
			fmt.Fprintln(p.out, p.table(tried.filled()))
			fmt.Fprintln(p.out)
		}
	}
	if b.Split.Overlaps {
		fmt.Fprintln(p.out, p.wrap(p.warn(b.Split.Says)))
	} else {
		fmt.Fprintln(p.out, p.faint(p.wrap(b.Split.Says)))
	}
	if left := leftOut(b.Left); left != "" {
		fmt.Fprintln(p.out, p.faint(p.wrap(left)))
	}
	fmt.Fprintln(p.out, p.wrap(b.Next))
	return nil
}

// besideLine writes what was held beside each other in a line.
func (p *program) besideLine(says string, off bool) {
	if off {
		says = p.bad(says)
	}
	fmt.Fprintln(p.out, p.wrap(says))
}

// signed writes a change with its sign.
func signed(x float64, say func(float64) string) string {
	if x < 0 {
		return "-" + say(-x)
	}
	return "+" + say(x)
}

// leftOut says which jobs are not scored.
func leftOut(l backtest.Left) string {
	var parts []string
	for _, x := range []struct {
		n    int
		says string
	}{
		{l.Unknown, "whose wait the log does not say"},
		{l.Before, "that came before the score begins"},
		{l.Unfit, "that fit no template"},
		{l.Beyond, "that came after the span"},
	} {
		if x.n > 0 {
			parts = append(parts, counted(x.n, "job")+" "+x.says)
		}
	}
	if len(parts) == 0 {
		return ""
	}
	return "Not scored: " + strings.Join(parts, "; ") + "."
}
