package learn

import (
	"fmt"
	"slices"

	"tachyphor/core/units"
)

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
			return fmt.Errorf("column %q is to be %s, but its values are not times: %s", c.name, is, samples(c))
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
		if r.o.Zone == (units.Zone{}) {
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
