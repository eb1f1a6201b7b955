package learn

import (
	"fmt"
	"strings"
)

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
		return fmt.Errorf("column %q is to be %s, but its values are not durations: %s", c.name, is, samples(c))
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
			return fmt.Errorf("%q is not a unit of time; give ns, us, ms, s, min, h or d", told)
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
