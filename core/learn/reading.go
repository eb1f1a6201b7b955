package learn

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"
)

// A reading says how the columns of a job log are read.
type reading struct {
	o       *JobOptions
	columns []*column
	total   int            // rows
	at      [manyRoles]int // columns by role; −1 for none
	picked  []picked
	loc     *time.Location
	moment  [manyRoles]clockForm
	length  [manyRoles]lengthReader
	size    [manyRoles]sizeReader
	guesses []Guess
}

// has reports whether some column has a role.
func (r *reading) has(is role) bool { return r.at[is] >= 0 }

// A lengthReader reads the durations of a column.
type lengthReader struct {
	form    lengthForm
	decimal decimal
	unit    float64 // seconds of 1
	name    string  // of the unit
}

// read reads a duration in seconds.
func (l *lengthReader) read(s string) (float64, bool) {
	if x, ok := l.decimal.number(s); ok {
		return float64(x * l.unit), true
	}
	if l.form != lengthNumber {
		if x, ok := l.form.read(s); ok {
			return x, true
		}
	}
	if f, ok := lengthOf(s); ok {
		return f.read(s)
	}
	return 0, false
}

// A sizeReader reads the sizes of a column.
type sizeReader struct {
	decimal decimal
	unit    float64 // bytes of 1
	name    string
}

// read reads a size in bytes.
func (z *sizeReader) read(s string) (float64, bool) {
	if x, ok := z.decimal.number(s); ok {
		return float64(x * z.unit), x >= 0
	}
	return sizeOf(s)
}

// readingOf works out how a grid's columns are read; with an error, as far as it came.
func readingOf(g *grid, o *JobOptions) (*reading, error) {
	r := &reading{
		o: o, loc: o.Zone.Location(),
	}
	for is := range r.at {
		r.at[is] = -1
	}
	var err error
	if r.columns, r.total, err = columnsOf(g, o); err != nil {
		return r, err
	}
	if r.picked, err = pick(r.columns, o); err != nil {
		return r, err
	}
	for _, p := range r.picked {
		r.at[p.role] = p.at
	}
	if err := r.moments(g); err != nil {
		return r, err
	}
	for unit := range o.Units {
		if is, ok := roleOf(unit); !ok || !slices.Contains([]role{roleWork, roleWait, roleMemory, roleDisk}, is) {
			return r, fmt.Errorf("a unit is given for work, wait, memory or disk, not for %q", unit)
		}
	}
	for _, is := range []role{roleWork, roleWait} {
		if err := r.lengths(is, g); err != nil {
			return r, err
		}
	}
	for _, is := range []role{roleMemory, roleDisk} {
		if err := r.sizes(is); err != nil {
			return r, err
		}
	}
	return r, r.enough()
}

// enough refuses a log that does not say what is needed.
func (r *reading) enough() error {
	switch {
	case !r.has(roleSubmitted) && !r.has(roleStarted) && !r.has(roleEnded):
		return fmt.Errorf("no column tells when jobs came; name it with --column submitted=NAME (there are %s)", r.names())
	case !r.has(roleWork) && !(r.has(roleStarted) && r.has(roleEnded)):
		return fmt.Errorf("no column tells how long jobs worked, and there are not both a start and an end; name one with "+
			"--column work=NAME (there are %s)", r.names())
	case !r.has(roleSubmitted) && !r.has(roleStarted) && !r.has(roleWork):
		return fmt.Errorf("only the end of jobs is known; name a column with --column submitted=NAME (there are %s)", r.names())
	}
	return nil
}

func (r *reading) names() string {
	var names []string
	for i, c := range r.columns {
		if i == 30 {
			names = append(names, "...")
			break
		}
		names = append(names, c.name)
	}
	return strings.Join(names, ", ")
}

var momentRoles = []role{roleSubmitted, roleStarted, roleEnded}

// moments decides how times are written: by every row of the file where the first of them
// leave it open.
func (r *reading) moments(g *grid) error {
	forms := map[role][]clockForm{}
	for _, is := range momentRoles {
		if !r.has(is) {
			continue
		}
		c := r.columns[r.at[is]]
		if len(c.forms) == 0 || c.moments < 0.5 {
			return fmt.Errorf("column %q is to be %s, but its values are no times: %s", c.name, is, samples(c))
		}
		forms[is] = r.inOrder(c.forms)
		if len(forms[is]) == 0 {
			return fmt.Errorf("column %q: with %s no time in it can be read, as %s", c.name, r.o.Dates, samples(c))
		}
	}
	if open := r.open(forms); len(open) > 0 {
		if err := r.wholeColumns(g, forms, open); err != nil {
			return err
		}
	}
	// Columns of one file are written alike: one that is sure says it for the others.
	for _, list := range forms {
		if ambiguous(list) || len(list) == 0 || list[0].order == plainOrder {
			continue
		}
		for other, theirs := range forms {
			if ambiguous(theirs) {
				forms[other] = only(theirs, list[0].order)
			}
		}
	}
	for is, list := range forms {
		c := r.columns[r.at[is]]
		if ambiguous(list) {
			return Contradiction{
				fmt.Sprintf("column %q: %s could be read with the day or the month first, throughout", c.name, samples(c)),
				"say which with --dates day-first or --dates month-first",
			}
		}
		r.moment[is] = list[0]
	}
	zoneless := false
	for is := range forms {
		zoneless = zoneless || !r.moment[is].zoned && r.moment[is].layout != ""
	}
	if zoneless {
		why := "told"
		if !r.o.Zoned {
			why = "times say no zone, and none was told"
		}
		r.guesses = append(r.guesses, Guess{"zone", r.loc.String(), why, "--zone"})
	}
	return nil
}

// inOrder keeps the forms that --dates allows.
func (r *reading) inOrder(forms []clockForm) []clockForm {
	switch r.o.Dates {
	case "day-first":
		return only(forms, dayFirst)
	case "month-first":
		return only(forms, monthFirst)
	}
	return slices.Clone(forms)
}

// only keeps the forms of an order, and those that cannot be mistaken.
func only(forms []clockForm, o order) []clockForm {
	return slices.DeleteFunc(slices.Clone(forms), func(f clockForm) bool { return f.order != plainOrder && f.order != o })
}

// open lists the roles whose order of day and month is open.
func (r *reading) open(forms map[role][]clockForm) (out []role) {
	for _, is := range momentRoles {
		if ambiguous(forms[is]) {
			out = append(out, is)
		}
	}
	return out
}

// wholeColumns leaves, of the forms of columns that are open, those that read most of all
// rows.
func (r *reading) wholeColumns(g *grid, forms map[role][]clockForm, open []role) error {
	read := map[role][]int{}
	for _, is := range open {
		read[is] = make([]int, len(forms[is]))
	}
	err := g.each(func(cells []string, _ int) error {
		for _, is := range open {
			if at := r.at[is]; at < len(cells) && len(cells) == len(r.columns) {
				for i := range forms[is] {
					if _, ok := forms[is][i].read(cells[at], r.loc); ok {
						read[is][i]++
					}
				}
			}
		}
		return nil
	}, func(int, int, string) {})
	for _, is := range open {
		most := slices.Max(read[is])
		var left []clockForm
		for i, f := range forms[is] {
			if read[is][i] == most {
				left = append(left, f)
			}
		}
		forms[is] = left
	}
	return err
}

// samples shows a few values of a column.
func samples(c *column) string {
	var out []string
	for _, v := range c.values {
		if len(out) == 3 {
			break
		}
		if v = fmt.Sprintf("%q", clip(v)); !slices.Contains(out, v) {
			out = append(out, v)
		}
	}
	if len(out) == 0 {
		return "it is empty"
	}
	return strings.Join(out, ", ")
}

func clip(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:37]) + "..."
	}
	return s
}

// lengths decides how durations of a role are written and in which unit.
func (r *reading) lengths(is role, g *grid) error {
	if !r.has(is) {
		return nil
	}
	c := r.columns[r.at[is]]
	l := lengthReader{unit: 1, name: "s", decimal: c.decimal}
	if c.unsure {
		return unsureDecimal(c)
	}
	told, toldUnit := r.o.Units[is.String()]
	best := c.numbers
	for f := lengthClock; f <= lengthWords; f++ {
		if c.lengths[f] > best {
			l.form, best = f, c.lengths[f]
		}
	}
	if !c.durable() {
		return fmt.Errorf("column %q is to be %s, but its values are no durations: %s", c.name, is, samples(c))
	}
	guess := Guess{What: "unit of " + is.String(), Flag: "--unit " + is.String() + "=UNIT"}
	switch {
	case l.form == lengthClock:
		guess.Is, guess.Why = l.form.says(), "its values"
		if told == "h:mm" {
			l.form, guess.Is, guess.Why = lengthHours, told, "told"
		} else if toldUnit && told != "h:mm:ss" && told != "mm:ss" {
			return fmt.Errorf("column %q is written as %s; its unit is h:mm or mm:ss", c.name, samples(c))
		}
	case l.form != lengthNumber:
		guess.Is, guess.Why = l.form.says(), "its values"
	case toldUnit:
		unit, ok := secondsOf[strings.ToLower(told)]
		if !ok {
			return fmt.Errorf("%q is no unit of durations; give ns, us, ms, s, min, h or d", told)
		}
		l.unit, l.name = unit, strings.ToLower(told)
		guess.Is, guess.Why = l.name, "told"
	case secondsOf[c.unit] != 0:
		l.unit, l.name = secondsOf[c.unit], c.unit
		guess.Is, guess.Why = l.name, "the name of the column"
	case c.median > mostLikely && !(r.has(roleStarted) && r.has(roleEnded)):
		l.unit, l.name = 1e-3, "ms"
		guess.Is, guess.Why = "ms", fmt.Sprintf("half of them are above %.4g, which as seconds would be %.3g hours", c.median, c.median/3600)
	default:
		guess.Is, guess.Why = "s", "nothing says otherwise"
	}
	r.guesses = append(r.guesses, guess)
	r.length[is] = l
	return r.contradiction(is, g, &l)
}

// mostLikely is the longest median in seconds that is taken for one without any other sign.
const mostLikely = 50_000

func unsureDecimal(c *column) error {
	return Contradiction{
		fmt.Sprintf("column %q: the comma in %s could part thousands or a fraction", c.name, samples(c)),
		"say which with --decimal point (thousands) or --decimal comma (a fraction)",
	}
}

// usual are the ratios that a wrong unit makes, with what the unit would be.
var usual = []struct {
	ratio float64
	unit  string
}{{1000, "ms"}, {1e6, "us"}, {1e9, "ns"}, {1. / 60, "min"}, {1. / 3600, "h"}, {60, ""}, {1e-3, ""}}

// errSeen ends a look at rows that has seen enough.
var errSeen = errors.New("seen enough")

// contradiction holds durations against the times that jobs began and ended, or were
// submitted and began.
func (r *reading) contradiction(is role, g *grid, l *lengthReader) error {
	from, to := roleStarted, roleEnded
	if is == roleWait {
		from, to = roleSubmitted, roleStarted
	}
	if !r.has(from) || !r.has(to) {
		return nil
	}
	a, b, at := r.at[from], r.at[to], r.at[is]
	f1, f2 := r.moment[from], r.moment[to]
	var ratios []float64
	err := g.each(func(cells []string, _ int) error {
		if len(ratios) >= mostLooked {
			return errSeen
		}
		if len(cells) != len(r.columns) {
			return nil
		}
		x, ok := l.read(plain(cells[at]))
		m1, ok1 := f1.read(cells[a], r.loc)
		m2, ok2 := f2.read(cells[b], r.loc)
		if took := float64(m2-m1) / 1e9; ok && ok1 && ok2 && took >= 5 && x > 0 {
			ratios = append(ratios, x/took)
		}
		return nil
	}, func(int, int, string) {})
	if err != nil && !errors.Is(err, errSeen) || len(ratios) < 3 {
		return err
	}
	slices.Sort(ratios)
	median := ratios[len(ratios)/2]
	for _, u := range usual {
		near := 0
		for _, x := range ratios {
			if math.Abs(x/u.ratio-1) < 0.25 {
				near++
			}
		}
		if 10*near < 9*len(ratios) {
			continue
		}
		times := fmt.Sprintf("%.4g times", u.ratio)
		if u.ratio < 1 {
			times = fmt.Sprintf("one %.4gth of", 1/u.ratio)
		}
		do := fmt.Sprintf("say which column is wrong: --column %s=-, or its unit with --unit %s=UNIT", is, is)
		if unit := r.unitFor(l, u.ratio); unit != "" {
			do = fmt.Sprintf("say --unit %s=%s if that is what it is in, or leave it out with --column %s=-", is, unit, is)
		}
		return Contradiction{
			fmt.Sprintf("column %q, in %s, is %s what %s − %s comes to", r.columns[at].name, l.name, times, r.columns[b].name, r.columns[a].name),
			do,
		}
	}
	if is == roleWork && (median > 1.5 || median < 0.67) {
		r.guesses = append(r.guesses, Guess{
			"work", fmt.Sprintf("column %q", r.columns[at].name), fmt.Sprintf("on the whole it is %.2g times %s − %s: what a job did "+
				"beside its work is not in it, or what is in it is no work", median, r.columns[b].name, r.columns[a].name),
			"--column work=-",
		})
	}
	return nil
}

// unitFor is the unit in which durations would not be so many times too long.
func (r *reading) unitFor(l *lengthReader, ratio float64) string {
	if l.form != lengthNumber {
		if l.form == lengthClock && math.Abs(float64(ratio*60)-1) < 0.1 {
			return "h:mm"
		}
		return ""
	}
	for _, unit := range []string{"ns", "us", "ms", "s", "min", "h", "d"} {
		if math.Abs(secondsOf[unit]/(l.unit/ratio)-1) < 0.01 {
			return unit
		}
	}
	return ""
}

// leastPeak is less memory than the peak of any job that builds something can be, and
// mostPeak more.
const (
	leastPeak = 256 << 10
	mostPeak  = 64 << 40
)

// sizes decides in which unit sizes of a role are: by what was told, by the column's name,
// or by which is likely for a job.
func (r *reading) sizes(is role) error {
	if !r.has(is) {
		return nil
	}
	c := r.columns[r.at[is]]
	if c.numbers+c.sizes < enough {
		return fmt.Errorf("column %q is to be %s, but its values are no sizes: %s", c.name, is, samples(c))
	}
	if c.unsure {
		return unsureDecimal(c)
	}
	z := sizeReader{unit: 1, name: "bytes", decimal: c.decimal}
	guess := Guess{What: "unit of " + is.String(), Flag: "--unit " + is.String() + "=UNIT"}
	told, toldUnit := r.o.Units[is.String()]
	switch {
	case toldUnit:
		unit, ok := bytesOf[strings.ToLower(told)]
		if !ok {
			return fmt.Errorf("%q is no unit of sizes; give B, KB, KiB, MB, MiB, GB or GiB", told)
		}
		z.unit, z.name, guess.Why = unit, told, "told"
	case c.sizes >= 0.5:
		guess.Why = "its values"
		z.name = "as written"
	case bytesOf[c.unit] != 0:
		z.unit, z.name, guess.Why = bytesOf[c.unit], unitName(c.unit), "the name of the column"
	default:
		z.unit, z.name = likelySize(c.median)
		guess.Why = fmt.Sprintf("half of them are above %.4g", c.median)
	}
	guess.Is = z.name
	r.guesses = append(r.guesses, guess)
	r.size[is] = z
	if middle := float64(c.median * z.unit); c.sizes < 0.5 && is == roleMemory && c.median > 0 && (middle < leastPeak || middle > mostPeak) {
		unit, name := likelySize(c.median)
		do := "leave it out with --column memory=-"
		if unit != z.unit {
			do = fmt.Sprintf("say --unit memory=%s if that is what it is in, or %s", name, do)
		}
		return Contradiction{fmt.Sprintf("column %q, in %s: half of the jobs would need less than %.3g KiB of memory or none could have it, "+
			"which no process does", c.name, z.name, middle/1024), do}
	}
	return nil
}

// unitName writes a unit of sizes as it is usually written.
func unitName(unit string) string {
	for _, name := range []string{"bytes", "KB", "KiB", "MB", "MiB", "GB", "GiB", "TB", "TiB"} {
		if bytesOf[strings.ToLower(name)] == bytesOf[unit] {
			return name
		}
	}
	return unit
}

// likelySize is the unit in which a median is likely for a job: of those in which it lies
// between 16 MiB and 64 GiB, the smallest that people write peaks in.
func likelySize(median float64) (unit float64, name string) {
	switch {
	case median >= 16<<20:
		return 1, "bytes"
	case median >= 64<<10:
		return 1 << 10, "KiB"
	case median >= 16:
		return 1 << 20, "MiB"
	}
	return 1 << 30, "GiB"
}
