package cli

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/forecast"
	"tachyphor/core/outcome"
	"tachyphor/core/paired"
	"tachyphor/core/units"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

// forecastFlags are the flags of forecast.
type forecastFlags struct {
	recordsFlags
	week string
}

func (p *program) forecastCommand() *cobra.Command {
	var f forecastFlags
	c := &cobra.Command{
		Use: "forecast SCENARIO|FILE", Short: "Forecast a week: jobs, long queues and the bill, each between bounds",
		Long: `Draw weeks like those before, day by day, at the level that these bear (with a trend where they show
one), simulate them under the scenario, and say what to expect: how many jobs come, when jobs wait long,
what the week costs, each with what it is between nine times in ten. Of a week that is over, in part at
least, it says too how far that came true, beside forecasts that know nothing of the design.

Weeks before are those of --log, of the live records (--live), or the workload's own recorded jobs: one
whole week at least, from Monday on; six tell a trend. SCENARIO is a stored one and the service computes
it; FILE is the scenario's, with what it names beside it, as for simulate --here. For scenarios that are
followed (drift follow) the service does so every Monday.`,
		Example: "  tachyphor forecast weekday-lean --live\n  tachyphor forecast weekday-lean --log autumn.csv.gz --zone Europe/Oslo --week 2026-11-30\n" +
			"  tachyphor forecast demo/scenarios/weekday-lean.yaml --log demo/week-38.csv",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if f.live && (f.From != "" || f.Until != "") {
				return errors.New("--from and --until are of a log; --week says which week is looked ahead to")
			}
			if err := f.check(args[0]); err != nil {
				return err
			}
			if isFile(args[0]) {
				return p.forecastHere(c.Context(), args[0], f)
			}
			return p.forecastThere(c.Context(), args[0], f)
		},
	}
	f.add(c)
	c.Flags().StringVar(&f.week, "week", "", "a day of the week that is looked ahead to, as in 2026-11-30; default: the week after the last job, with --live this one until Wednesday, then the next")
	return c
}

func (p *program) forecastHere(ctx context.Context, file string, f forecastFlags) error {
	in, err := p.cameHere(file, &f.recordsFlags)
	if err != nil {
		return err
	}
	o := forecast.Options{}
	if f.week != "" {
		zone := in.Workload.Value.(*document.Workload).Spec.Zone.Location()
		if o.Monday, err = time.ParseInLocation(time.DateOnly, f.week, zone); err != nil {
			return fmt.Errorf("--week %s: expected a day such as 2026-11-30", f.week)
		}
	}
	question, err := forecast.Ask(in, o)
	if err != nil {
		return no(err)
	}
	workers, err := room(max(1, f.workers), question.Need)
	if err != nil {
		return err
	}
	var a *forecast.Forecast
	err = p.compute(ctx, "forecast of "+in.Scenario.Name, f.quiet, seedOf(in), func(progress paired.Progress) (err error) {
		a, err = question.Try(workers, progress)
		return err
	})
	if err != nil {
		return err
	}
	return p.forecast(a)
}

func (p *program) forecastThere(ctx context.Context, scenario string, f forecastFlags) error {
	c := p.client()
	ask := wire.AskForecast{Scenario: scenario, Live: f.live, Project: f.project, Week: f.week}
	var err error
	if ask.Log, err = p.cameThere(ctx, c, scenario, &f.recordsFlags); err != nil {
		return err
	}
	asked, err := c.Forecast(ctx, ask)
	if err != nil {
		return unknown(err, "scenarios")
	}
	if err := p.watch(ctx, c, "forecast of "+asked.About, f.quiet, asked.ID); err != nil {
		return err
	}
	return p.printForecast(ctx, c, asked.ID)
}

// printForecast prints a stored forecast.
func (p *program) printForecast(ctx context.Context, c *client.Client, id uint64) error {
	w, err := c.Forecasted(ctx, id)
	if err != nil {
		return err
	}
	if w.Result == nil {
		return notDone("forecast", w.WorkBrief)
	}
	return p.forecast(w.Result)
}

func forecastsListing(list []wire.WorkBrief) listing {
	l := listing{columns: []column{{"forecast", true}, {"scenario", false}, {"week of", false}, {"asked", false}, {"state", false}, {"jobs", true}, {"answer", false}}, value: list}
	for _, w := range list {
		l.rows = append(l.rows, []string{
			strconv.FormatUint(w.ID, 10), w.About, dayOf(w.Forecast.Monday), here(w.Asked), string(w.State), units.Count(int64(w.Forecast.Jobs)), clipped(w.Forecast.Says, 90),
		})
	}
	return l
}

// forecast writes what to expect of a week.
func (p *program) forecast(a *forecast.Forecast) error {
	between := func(b outcome.Band, say func(float64) string) string { return say(b.Low) + " to " + say(b.High) }
	count := func(x float64) string { return units.Count(int64(x)) }
	days := listing{columns: []column{{"day", false}, {"jobs", true}, {"between", true}, {"90 % within", true}, {"between", true}}, value: a, main: "days"}
	for _, d := range a.Days {
		days.rows = append(days.rows, []string{
			dayOf(d.Day), count(d.Jobs.Mid), between(d.Jobs, count), shortly(d.Delay.Mid), between(d.Delay, shortly),
		})
	}
	if !p.lines() {
		return p.show(days)
	}
	fmt.Fprintln(p.out, p.strong(a.Scenario)+p.faint(fmt.Sprintf("  week of %s (%s), %d weeks drawn of the days of %s", a.Monday.Format("2 January 2006"), a.Zone, a.Repeats,
		map[bool]string{true: "one week before", false: fmt.Sprintf("%d weeks before", a.Drawn)}[a.Drawn == 1])))
	fmt.Fprintln(p.out)
	for i, s := range a.Says {
		if i == 0 {
			s = p.strong(s)
		}
		fmt.Fprintln(p.out, p.wrap(s))
	}
	for _, x := range a.Queues[min(1, len(a.Queues)):] {
		fmt.Fprintln(p.out, p.wrap("And "+x.Says))
	}
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.table(days))
	if a.Came == nil {
		return nil
	}
	held := listing{columns: []column{{"what", false}, {"expected", true}, {"came", true}, {"", false}}}
	for _, h := range a.Came.Held {
		say, note := count, ""
		if h.Unit == "ns" {
			say = shortly
		}
		if !h.Within {
			note = p.bad("outside")
		}
		held.rows = append(held.rows, []string{h.What, between(h.Expected, say), say(h.Observed), note})
	}
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.wrap(p.strong("How it came. ")+strings.TrimSpace(a.Came.Says)))
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.table(held))
	return nil
}
