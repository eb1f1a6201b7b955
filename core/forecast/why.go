package forecast

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/outcome"
	"tachyphor/core/units"
)

// WhyOf answers for a number of a forecast by its name: jobs and bill of the week; delay/P with a percentile; day/N/jobs and
// day/N/delay, from 1, Monday; hour/N/FIGURE, from 0, with jobs, delay, waiting, agents and nodes; queue/N/FIGURE, from 1, with jobs,
// delay and share; level, as the weeks before bear it; and of what came: came/N/expected and came/N/observed, from 1, and
// score/WHOSE with simulation, again and hour. ok is false where the forecast has no such number.
func (a *Forecast) WhyOf(of string) (why outcome.Why, ok bool) {
	steps := strings.Split(of, "/")
	n := -1
	if len(steps) == 3 {
		i, err := strconv.Atoi(steps[1])
		if err != nil {
			return why, false
		}
		n = i
	}
	switch {
	case of == "jobs":
		return a.expected(of, a.Jobs, "How many jobs come in the week.", "The jobs of each week drawn; then the middle of these.", counted), true
	case of == "bill":
		return a.expected(of, a.Bill, "What the week costs.", "Node time of each simulated week at each pool's price, by its rules of billing, and the fee; then the middle of these.", a.money), true
	case of == "level":
		return a.whyLevel(of), true
	case steps[0] == "delay" && len(steps) == 2:
		i := slices.IndexFunc(a.Delay, func(d PercentileForecast) bool { return strconv.FormatFloat(d.P, 'g', -1, 64) == steps[1] })
		if i < 0 {
			return why, false
		}
		return a.expected(of, a.Delay[i].Delay, fmt.Sprintf("The start delay that %g %% of the week's jobs stay within.", a.Delay[i].P),
			"The percentile of each simulated week; then the middle of these. "+waitsOn, short), true
	case steps[0] == "score" && len(steps) == 2:
		return a.whyScore(of, steps[1])
	case len(steps) != 3:
		return why, false
	case steps[0] == "day" && n >= 1 && n <= len(a.Days):
		return a.whyDay(of, &a.Days[n-1], steps[2])
	case steps[0] == "hour" && n >= 0 && n < len(a.Hours):
		return a.whyHour(of, n, steps[2])
	case steps[0] == "queue" && n >= 1 && n <= len(a.Queues):
		return a.whyQueue(of, &a.Queues[n-1], steps[2])
	case steps[0] == "came" && a.Came != nil && n >= 1 && n <= len(a.Came.Held):
		return a.whyCame(of, &a.Came.Held[n-1], steps[2])
	}
	return why, false
}

const waitsOn = "A job that had not started when its week ended counts with what it had waited until then; one that no template takes does not count."

func few(x float64) string { return units.Fixed(x, 1) }

// expected answers for what is expected of the week drawn: how names the figure of each week, and what is taken of these.
func (a *Forecast) expected(of string, b outcome.Band, what, how string, write func(float64) string) outcome.Why {
	from := "the week before"
	if a.Drawn != 1 {
		from = fmt.Sprintf("the last %d weeks that are like the others", a.Drawn)
	}
	return outcome.Why{
		Of: of, What: what, Value: fmt.Sprintf("%s (%s to %s)", write(b.Mid), write(b.Low), write(b.High)), Runs: a.Repeats,
		How: fmt.Sprintf("%d weeks are drawn, day by day, from %s, brought to the level that the weeks before bear, and simulated as the scenario is now. ", a.Repeats, from) + how,
		Interval: fmt.Sprintf("Nine in ten weeks should be between %s and %s: the 5th and the 95th percentile of the weeks drawn. It holds what the weeks before show of how days and weeks "+
			"differ, and what chance makes of jobs and machines; not holidays, nor another design. %s", write(b.Low), write(b.High), a.Level.Says),
	}
}

func (a *Forecast) whyLevel(of string) outcome.Why {
	l := &a.Level
	how := fmt.Sprintf("The middle of the %d whole weeks before that are like the others (the mean of their logarithms).", l.Weeks)
	switch {
	case l.Weeks < 2:
		how = "As many as came in the one whole week before."
	case l.Growth != 0:
		how = fmt.Sprintf("A line through the logarithms of the %d whole weeks before that are like the others, read at this week.", l.Weeks)
	}
	why := outcome.Why{
		Of: of, What: "How many jobs are expected in the week, by how many came in the weeks before.", How: how,
		Value:    fmt.Sprintf("%s (%s to %s)", counted(l.Expected), counted(l.Low), counted(l.High)),
		Interval: "One more such week is within these bounds in nine of ten, by Student's t over the weeks. " + l.Says,
	}
	if l.Weeks < 2 {
		why.Value, why.Interval = counted(l.Expected), l.Says
	}
	return why
}

func (a *Forecast) whyDay(of string, d *DayForecast, figure string) (outcome.Why, bool) {
	on := d.Day.Format("Monday, 2 January")
	switch figure {
	case "jobs":
		return a.expected(of, d.Jobs, "How many jobs come on "+on+".", "The jobs of that day of each week drawn; then the middle of these.", counted), true
	case "delay":
		return a.expected(of, d.Delay, "The start delay that 90 % of the jobs of "+on+" stay within.",
			"The percentile of that day of each simulated week in which jobs come; then the middle of these. "+waitsOn, short), true
	}
	return outcome.Why{}, false
}

func (a *Forecast) whyHour(of string, n int, figure string) (outcome.Why, bool) {
	h, within := &a.Hours[n], fmt.Sprintf("%s %02d:00 to %02d:00", a.Monday.AddDate(0, 0, n/24).Format("Monday"), n%24, n%24+1)
	const mean = "The mean over the hour of each simulated week; then the middle of these."
	switch figure {
	case "jobs":
		return a.expected(of, h.Jobs, "How many jobs come "+within+".", "The jobs of that hour of each week drawn; then the middle of these.", counted), true
	case "delay":
		return a.expected(of, h.Delay, "Start delay of the jobs that come "+within+", on average.",
			"The mean over these jobs of each simulated week in which any come; then the middle of these. "+waitsOn, short), true
	case "waiting":
		return a.expected(of, h.Waiting, "Jobs submitted and not started, "+within+", on average.", mean, few), true
	case "agents":
		return a.expected(of, h.Agents, "Agents that there are, "+within+", on average.", mean, few), true
	case "nodes":
		return a.expected(of, h.Nodes, "Nodes, booting ones included, "+within+", on average.", mean, few), true
	}
	return outcome.Why{}, false
}

func (a *Forecast) whyQueue(of string, q *LongQueue, figure string) (outcome.Why, bool) {
	within := fmt.Sprintf("%s %02d:00 to %02d:00", daysInWords(q.Days), q.From, q.Until)
	found := fmt.Sprintf(" It is a stretch of hours in which, in the middle of the weeks drawn, jobs wait %s or longer on average and at least %d come.", short(longWait), fewJobs)
	switch figure {
	case "jobs":
		return a.expected(of, q.Jobs, "How many jobs come "+within+", a day.", "The jobs of these hours of each week drawn, over the days; then the middle of these."+found, counted), true
	case "delay":
		return a.expected(of, q.Delay, "Start delay of the jobs that come "+within+", on average.",
			"The mean over these jobs of each simulated week in which any come; then the middle of these. "+waitsOn+found, short), true
	case "share":
		why := a.expected(of, outcome.Band{}, "Part of the week's waiting that falls into "+within+".", "The waiting of the jobs of these hours, over that of all jobs, of all weeks together."+found, few)
		why.Value, why.Interval = fmt.Sprintf("%.0f %%", 100*q.Share), "It is of all weeks drawn together, and no interval is worked out for it."
		return why, true
	}
	return outcome.Why{}, false
}

// until says of which days what came is.
func (c *CameAhead) until() string {
	return " It is of the days until " + c.Until.Format("2006-01-02") + ", which are over."
}

func (a *Forecast) whyCame(of string, h *HeldAhead, figure string) (outcome.Why, bool) {
	write := counted
	if h.Unit == "ns" {
		write = short
	}
	days := a.Came.until()
	if strings.HasPrefix(h.What, "jobs on ") {
		days = ""
	}
	came := "It came within the band, as nine in ten should."
	if !h.Within {
		came = "It came outside the band, as one in ten should."
	}
	what := strings.ToUpper(h.What[:1]) + h.What[1:]
	switch figure {
	case "expected":
		why := a.expected(of, h.Expected, what+", as expected.", "The figure of each simulated week; then the middle of these."+days, write)
		why.Interval += " What came: " + write(h.Observed) + ". " + came
		return why, true
	case "observed":
		return outcome.Why{
			Of: of, What: what + ", as it came.", Value: write(h.Observed),
			How:      "It is told by the records of the jobs that came." + days,
			Interval: fmt.Sprintf("It is what happened: nothing of it is drawn. Expected was %s to %s. %s", write(h.Expected.Low), write(h.Expected.High), came),
		}, true
	}
	return outcome.Why{}, false
}

func (a *Forecast) whyScore(of, whose string) (outcome.Why, bool) {
	c := a.Came
	if c == nil || c.Scored == 0 {
		return outcome.Why{}, false
	}
	how := fmt.Sprintf("For each hour, how far the forecast is off the mean start delay that came: the pinball loss, the mean over all shares from 0 to 100 %%; then the mean over the %d "+
		"hours for which all three forecasts say something and at least %d jobs were expected.", c.Scored, leastHour) + c.until()
	why := outcome.Why{Of: of, Interval: "It is of these very hours, and has no interval of its own: less is nearer to what came."}
	switch whose {
	case "simulation":
		why.Value, why.What, why.Runs = short(c.Model), "How far the forecast is off, hour by hour.", a.Repeats
		why.How = how + " The forecast of an hour is what the weeks drawn say of it."
	case "again":
		why.Value, why.What = short(c.Again), "How far a forecast is off that knows nothing of the design: each hour as in the week before."
		why.How = how
	case "hour":
		why.Value, why.What = short(c.ByHour), "How far a forecast is off that knows nothing of the design: each hour as in one of the weeks before."
		why.How = how + " The forecast of an hour is what it was in each of these weeks."
	default:
		return outcome.Why{}, false
	}
	return why, true
}
