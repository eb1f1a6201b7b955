package demand

import (
	"slices"

	"tachyphor/core/table"
)

// An Offer is which jobs a template takes: those that want nothing but its words, and where it takes
// only what names it, at least one of them.
type Offer struct {
	Words []string
	Named bool // jobs that want nothing are not taken
}

// A Match says which template a set of wants gets.
type Match struct {
	Template int // index of the first template that offers everything; -1 when none does
	// Where none does: the template with the fewest words missing (of equals the
	// one with most words like the missing ones, then the first), those words,
	// and for each the offered word that is most like it, empty where none is. No
	// word is missing where nothing is wanted and all take only what names them.
	Nearest int
	Missing []string
	Meant   []string
}

// Serves reports whether a template takes jobs that want something.
func (o Offer) Serves(wants []string) bool {
	return !(o.Named && len(wants) == 0) && !slices.ContainsFunc(wants, func(w string) bool { return !slices.Contains(o.Words, w) })
}

// Matching finds the template for wants: the first that takes them. offers are in the scenario's
// order of preference.
func Matching(wants []string, offers []Offer) Match {
	m, alike := Match{Template: -1, Nearest: -1, Missing: []string{}, Meant: []string{}}, 0
	for t, offered := range offers {
		missing := []string{}
		for _, w := range wants {
			if !slices.Contains(offered.Words, w) {
				missing = append(missing, w)
			}
		}
		if offered.Serves(wants) {
			return Match{Template: t, Nearest: t}
		}
		meant, like := make([]string, len(missing)), 0
		for i, w := range missing {
			if near, ok := table.Nearest(w, offered.Words); ok {
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
