// Package brief tells what was found to who was not there: a page with the question, the answer,
// what it costs and buys, how sure that is, what it rests on, the change, and what to watch. It is
// written as Markdown, or as one HTML file without scripts and without anything beside it.
package brief

import (
	"fmt"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/shelf"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Brief is what is told, part by part; what there is none of is left out.
type Brief struct {
	Title    string
	Question []string
	Answer   []string // the sentence first
	Costs    *Table   // what it costs and buys
	Sure     []string // how sure it is
	Pictures []Picture
	Tables   []Table  // more to look at
	Rests    *Table   // facts that it rests on
	Known    string   // what is known of them, in a sentence
	Change   string   // as a unified diff
	Watch    []string // afterwards
	Made     string   // of what, when
}

// A Table is a table with a title.
type Table struct {
	Title string
	Head  []Cell
	Rows  [][]string
	Note  string
}

// A Cell is the head of a column.
type Cell struct {
	Says  string
	Right bool
}

// A Picture is a drawing with what it shows in words.
type Picture struct {
	Title string
	Says  string // for who cannot see it
	SVG   string
}

// About is what is told about.
type About struct {
	Named     shelf.Named // the documents, as they were used
	Revisions []string    // as in "Scenario weekday-lean, revision 3"; empty where they are files
	Now       time.Time
	Diff      string // what is recommended changes in them
}

// head begins a table.
func head(left string, right ...string) []Cell {
	out := []Cell{{Says: left}}
	for _, x := range right {
		out = append(out, Cell{x, true})
	}
	return out
}

// within writes a figure with its interval.
func within(f stats.Figure, say func(float64) string) string {
	half := max(f.Half, f.Alike)
	if half == 0 {
		return say(f.Mean)
	}
	return say(f.Mean) + " ± " + say(half)
}

// change writes a difference with its sign, or that chance may have made it.
func change(f stats.Figure, say func(float64) string) string {
	switch {
	case f.Mean == 0 && f.Half == 0:
		return "none"
	case f.Runs > 1 && f.Half >= f.Mean && f.Half >= -f.Mean:
		return "no sure change"
	case f.Mean < 0:
		return "−" + say(-f.Mean)
	}
	return "+" + say(f.Mean)
}

func times(ns float64) string { return units.Duration(ns).Short() }

func money(currency string) func(float64) string {
	return func(x float64) string { return units.Amount(x).Short(currency) }
}

// rests tells which facts of the cluster it rests on: what was measured, how old that is, and what
// nobody measured.
func (b *Brief) rests(a About) {
	if a.Named.Cluster == nil {
		return
	}
	spec := &a.Named.Cluster.Value.(*document.Cluster).Spec
	var images []string
	if w, faults := world.Assemble(world.Input{Named: a.Named, Jobless: true}); len(faults) == 0 {
		images = w.ImageNames()
	}
	facts := doubt.Facts(spec, images, a.Now)
	if len(facts) == 0 {
		return
	}
	t := Table{Title: "What it rests on", Head: []Cell{{"fact of " + a.Named.Cluster.Name, false}, {"says", true}, {"known", false}, {"age", true}}}
	measured, assumed := 0, 0
	var oldest time.Duration
	for _, f := range facts {
		age := "–"
		if !f.At.IsZero() {
			since := a.Now.Sub(f.At)
			age = units.Duration(since).Short()
			oldest = max(oldest, since)
		}
		if f.Known == doubt.Measured {
			measured++
		} else {
			assumed++
		}
		t.Rows = append(t.Rows, []string{f.Fact, f.Says, string(f.Known), age})
	}
	b.Rests = &t
	switch {
	case measured == 0:
		b.Known = fmt.Sprintf("Nobody measured any of the %d facts of the cluster that delays and the bill may hang on: they are assumed. "+
			"`tachyphor doubt` says which of them matter.", assumed)
	case assumed == 0:
		b.Known = fmt.Sprintf("All %d facts of the cluster that delays and the bill may hang on were measured, the oldest %s ago.", measured,
			units.Duration(oldest).Short())
	default:
		b.Known = fmt.Sprintf("Of the %d facts of the cluster that delays and the bill may hang on %d were measured, the oldest %s ago; %d are assumed "+
			"or old. `tachyphor doubt` says which of them matter.", measured+assumed, measured, units.Duration(oldest).Short(), assumed)
	}
}

// made says of what and when it was made.
func (b *Brief) made(a About, more string) {
	of := "from files"
	if len(a.Revisions) > 0 {
		of = "of " + strings.Join(a.Revisions, ", ")
	}
	b.Made = fmt.Sprintf("Made %s %s. %s", a.Now.UTC().Format("2006-01-02 15:04 UTC"), of, more)
}
