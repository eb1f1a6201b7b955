package demand

import (
	"slices"

	"tachyphor/core/table"
)

// A Match says which template a set of wants gets.
type Match struct {
	Template int // index of the first template that offers everything; -1 when none does
	// Where none does: the template with the fewest words missing (of equals the
	// one with most words like the missing ones, then the first), those words,
	// and for each the offered word that is most like it, empty where none is.
	Nearest int
	Missing []string
	Meant   []string
}

// Serves reports whether offers hold everything that is wanted.
func Serves(offers, wants []string) bool {
	return !slices.ContainsFunc(wants, func(w string) bool { return !slices.Contains(offers, w) })
}

// Matching finds the template for wants: the first whose offers hold them all.
// offers are in the scenario's order of preference.
func Matching(wants []string, offers [][]string) Match {
	m, alike := Match{Template: -1, Nearest: -1}, 0
	for t, offered := range offers {
		var missing []string
		for _, w := range wants {
			if !slices.Contains(offered, w) {
				missing = append(missing, w)
			}
		}
		if len(missing) == 0 {
			return Match{Template: t, Nearest: t}
		}
		meant, like := make([]string, len(missing)), 0
		for i, w := range missing {
			if near, ok := table.Nearest(w, offered); ok {
				meant[i] = near
				like++
			}
		}
		if m.Nearest < 0 || len(missing) < len(m.Missing) || len(missing) == len(m.Missing) && like > alike {
			m.Nearest, m.Missing, m.Meant, alike = t, missing, meant, like
		}
	}
	return m
}
