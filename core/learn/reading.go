package learn

import (
	"fmt"
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
		return fmt.Errorf("no column tells when jobs came; name it with --column submitted=NAME (the columns are %s)", r.names())
	case !r.has(roleWork) && !(r.has(roleStarted) && r.has(roleEnded)):
		return fmt.Errorf("no column tells how long jobs worked, and there are not both a start and an end; name one with "+
			"--column work=NAME (the columns are %s)", r.names())
	case !r.has(roleSubmitted) && !r.has(roleStarted) && !r.has(roleWork):
		return fmt.Errorf("only the end of jobs is known; name a column with --column submitted=NAME (the columns are %s)", r.names())
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
