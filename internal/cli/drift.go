package cli

import (
	"context"
	"fmt"
	"time"

	"tachyphor/core/drift"
	"tachyphor/core/units"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

func (p *program) driftCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "drift [SCENARIO]", Short: "Watch whether what happens departs from what a scenario predicts, day by day",
		Long: `Every day of the live records is compared with the scenarios that are followed: percentiles of start
delays, of all jobs and of each class, beside those of 40 runs of the same jobs. Once they are off for
longer than chance explains, that is drift: a simulation that is right is called wrong at most once in
1,000 days. Days are looked at three hours after their end.

Without a word behind it, drift lists what is followed; with a SCENARIO it tells each day.`,
		Example: "  tachyphor drift follow weekday-lean --from 2026-11-02\n  tachyphor drift\n  tachyphor drift weekday-lean",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if len(args) == 0 {
				return p.followed(c.Context())
			}
			f, err := p.client().FollowedDays(c.Context(), args[0])
			if err != nil {
				return notFollowed(err, args[0])
			}
			return p.followedDays(f)
		},
	}
	c.AddCommand(p.followCommand(), p.unfollowCommand())
	return c
}

// notFollowed says what to do where a scenario is not followed.
func notFollowed(err error, scenario string) error {
	return fmt.Errorf("%w; `tachyphor drift follow %s` begins", no(err), scenario)
}

func (p *program) followCommand() *cobra.Command {
	var ask wire.Follow
	c := &cobra.Command{
		Use: "follow SCENARIO", Short: "Compare every day of the live records with a scenario, from now on",
		Long: `Compare every day of the live records with a scenario, night after night. With --from days that are
over are looked at at once, 400 days back at most. With --tell a CloudEvent (tachyphor.drift.found,
tachyphor.drift.over) is sent there, signed as RFC 9421 has it, and again until it arrives; the service
must have been started with serve --tell-allow.`,
		Example: "  tachyphor drift follow weekday-lean --from 2026-11-02\n  tachyphor drift follow weekday-lean --tell https://hooks.brinewell.example/drift",
		Args:    cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			f, err := p.client().Follow(c.Context(), args[0], ask)
			if err != nil {
				return unknown(err, "scenarios")
			}
			if !p.lines() {
				return p.value(f)
			}
			fmt.Fprintf(p.out, "%s is followed from %s on. `tachyphor drift %s` shows each day.\n", f.Scenario, f.From, f.Scenario)
			return nil
		},
	}
	fl := c.Flags()
	fl.StringVar(&ask.From, "from", "", "the first day, as in 2026-11-02; default: yesterday, or as it is followed already")
	fl.StringVar(&ask.Project, "project", "", "only jobs of this project")
	fl.StringVar(&ask.Tell, "tell", "", "address that is told when something drifts, and when it is back")
	return c
}

func (p *program) unfollowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "leave SCENARIO", Short: "Stop following a scenario; what was said of its days is deleted", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := p.client().Unfollow(c.Context(), args[0]); err != nil {
				return no(err)
			}
			fmt.Fprintf(p.err, "%s is not followed any more\n", args[0])
			return nil
		},
	}
}

func (p *program) followed(ctx context.Context) error {
	all, err := p.client().Followed(ctx)
	if err != nil {
		return err
	}
	if p.lines() && len(all.Items) == 0 {
		fmt.Fprintln(p.out, "No scenario is followed. `tachyphor drift follow SCENARIO` begins.")
		return nil
	}
	l := listing{columns: []column{{"scenario", false}, {"from", false}, {"days", true}, {"last", false}, {"evidence", true}, {"how it stands", false}}, value: all, main: "items"}
	for _, f := range all.Items {
		says := f.Says
		switch {
		case f.Trouble != "":
			says = p.bad("No more days can be looked at: " + f.Trouble)
		case f.Standing.Drifted != nil:
			says = p.bad(says)
		}
		l.rows = append(l.rows, []string{
			f.Scenario, f.From, units.Count(int64(f.Standing.Days)), dayOf(f.Standing.Last), evidence(f.Standing.Evidence), says,
		})
	}
	if err := p.show(l); err != nil || !p.lines() {
		return err
	}
	if all.Waiting > 0 {
		fmt.Fprintf(p.out, "%s\n", p.warn(fmt.Sprintf("%d events have not arrived where they are told to: %s", all.Waiting, all.Failure)))
	}
	return nil
}

func dayOf(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Format("Mon 2 Jan")
}

// evidence writes evidence: it counts as drift from 1,000 on.
func evidence(x float64) string {
	if x < 10 {
		return fmt.Sprintf("%.1f", x)
	}
	return units.Count(int64(min(x, 1e9)))
}

// followedDays tells each day: of all jobs, and of what has drifted.
func (p *program) followedDays(f wire.FollowedDays) error {
	l := listing{columns: []column{
		{"day", false}, {"jobs of", false}, {"jobs", true}, {"", false}, {"observed", true}, {"usual", true}, {"", false},
	}, value: f, main: "days"}
	empty := 0 // days without anything to tell, in a row
	for i, d := range f.Days {
		told := false
		for _, x := range d.Looked {
			drifted := f.Standing.Drifted
			if x.Of != "" && (drifted == nil || drifted.Of != x.Of || drifted.P != x.P) {
				continue
			}
			name, note := x.Of, ""
			if name == "" {
				name = "all"
			}
			if x.Above == 0 || x.Below == 0 {
				note = p.bad("beyond all runs")
			}
			l.rows = append(l.rows, []string{
				dayOf(d.Day), name, units.Count(int64(x.Jobs)), fmt.Sprintf("%g %% within", x.P), shortly(x.Observed),
				shortly(x.Low) + " to " + shortly(x.High), note,
			})
			told = true
		}
		switch last := len(l.rows) - 1; {
		case told:
			empty = 0
		case empty == 0:
			l.rows = append(l.rows, []string{dayOf(d.Day), "", "", "too few jobs", "", "", ""})
			empty++
		default: // one row for all of them
			l.rows[last][0] = f.Days[i-empty].Day.Format("2 Jan") + " to " + d.Day.Format("2 Jan")
			empty++
		}
	}
	if !p.lines() {
		return p.show(l)
	}
	if f.Trouble != "" {
		fmt.Fprintln(p.out, p.bad("No more days can be looked at: "+f.Trouble))
	}
	says := f.Says
	if f.Standing.Drifted != nil {
		says = p.bad(says) + fmt.Sprintf(" Ask `tachyphor backtest %s --live --from %s` which fact would explain it.", f.Scenario, f.Standing.Drifted.Since.Format(time.DateOnly))
	}
	fmt.Fprintf(p.out, "%s %s\n", says, p.faint(fmt.Sprintf("(evidence %s; drift from %s on)", evidence(f.Standing.Evidence), units.Count(drift.Nights))))
	if len(l.rows) == 0 {
		return nil
	}
	fmt.Fprintln(p.out)
	return p.show(l)
}
