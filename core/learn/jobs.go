package learn

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/table"
	"tachyphor/core/units"
)

// A File is a file of records.
type File struct {
	Name string
	Data []byte
}

// Jobs derives a workload from a job log in whatever form it is, in one file or several of
// one form, told some things about it. The files are taken over: their data is gone
// afterwards. progress may be nil. The error is a Contradiction or BadRows where something
// is to be decided first; what was understood up to there is returned with it.
func Jobs(files []File, o JobOptions, progress func(done float64)) (*LearnedJobs, error) {
	if progress == nil {
		progress = func(float64) {}
	}
	if o.Name == "" {
		o.Name = "learned"
	}
	out := &LearnedJobs{
		Name: o.Name, File: o.Name + ".csv", Guesses: []Guess{}, Columns: []ColumnSeen{},
		Left: []Count{}, Endings: []Count{}, BadRows: []table.BadRow{},
		Classes: []ClassSeen{}, Hours: []float64{}, Made: []float64{}, Notes: []string{},
	}
	g, err := readAll(files, &o)
	if err != nil {
		return out, err
	}
	out.Guesses = append(slices.Clone(g.text), g.form)
	progress(0.1)
	r, err := readingOf(g, &o)
	out.columns(r)
	if err != nil {
		out.Guesses = append(out.Guesses, r.guesses...)
		return out, err
	}
	progress(0.3)
	t, err := takeRows(g, r)
	if err != nil {
		return out, err
	}
	out.BadRows = append(out.BadRows, t.Bad...)
	if err := t.settled(); err != nil {
		return out, err
	}
	progress(0.6)
	for i := range files {
		files[i].Data = nil // it is all in t
	}
	g.each = nil
	if g.preamble > 0 {
		out.Left = append(out.Left, Count{"before the header", g.preamble, "left out"})
	}
	err = out.learn(t, progress)
	out.Guesses = append(out.Guesses, t.guesses...)
	return out, err
}

// learn makes the workload.
func (out *LearnedJobs) learn(t *taking, progress func(float64)) error {
	jobs := 0
	endings := map[Ending]int{}
	drawn := 0
	first, last := moment(0), moment(0)
	for i := range t.rows {
		j := &t.rows[i]
		if endings[j.ending]++; j.ending == Never {
			t.count[rowsNever]++
			continue
		}
		if jobs++; jobs == 1 {
			first, last = j.at, j.at
		}
		first, last = min(first, j.at), max(last, j.at)
		if j.work < 0 {
			drawn++
		}
	}
	if jobs == 0 {
		return errors.New("all its jobs never started; --result WORD=done says which words mean otherwise")
	}
	span := units.Duration(last - first)
	if span > 400*units.Day {
		return fmt.Errorf("its jobs come over %.0f days, from %s to %s; a workload has at most 400: cut it with --from and --until",
			span.Seconds()/86400, day(first), day(last))
	}
	for n, what := range t.count {
		if out.Rows += what; n != rowsNever { // they are among the endings
			out.Left = append(out.Left, Count{n, what, leftSays[n]})
		}
	}
	slices.SortFunc(out.Left, func(a, b Count) int { return cmp.Or(cmp.Compare(b.Rows, a.Rows), strings.Compare(a.What, b.What)) })
	out.Rows += jobs
	out.Jobs, out.From, out.To = jobs, time.Unix(0, first).In(t.loc), time.Unix(0, last).In(t.loc)
	out.endings(t, endings)
	kinds := t.classes()
	progress(0.7)
	links := t.link()
	if links.missing > 0 {
		out.Notes = append(out.Notes, fmt.Sprintf("%s name a job to come after that is not in the log, or came later; they come by themselves.",
			counted(links.missing, "reference", "references")))
	}
	cal := calendarOf(first, last, t.o.Zone)
	spec := document.WorkloadSpec{Zone: t.o.Zone, Jobs: &document.Recorded{File: out.File}}
	spec.Start = units.Instant{Time: midnight(time.Unix(0, first).In(t.loc))}
	follows := t.chains(kinds, links)
	var came [weekHours]float64
	for n, k := range kinds {
		if t.begun(k) == 0 {
			continue
		}
		t.firstRuns(k)
		seen, class, p, err := t.class(k, cal)
		if err != nil {
			return err
		}
		if c, ok := follows[n]; ok {
			seen.Follows = c.says(kinds)
			class.Follows = &document.Follows{Class: kinds[c.class].name, Count: c.count}
		} else {
			class.Arrivals = document.Arrivals{Hours: p.rates(), Bursts: p.bursts}
		}
		for _, b := range p.bursts {
			seen.Bursts = append(seen.Bursts, fmt.Sprintf("%s: %d", b.When, b.Count))
		}
		out.Classes, spec.Classes = append(out.Classes, seen), append(spec.Classes, class)
		for h, n := range p.came {
			came[h] += n
		}
	}
	if len(spec.Classes) == 0 {
		return errors.New("no class has a job")
	}
	progress(0.85)
	for h, n := range came {
		if cal.hours[h] > 0 {
			n /= cal.hours[h]
		}
		out.Hours = append(out.Hours, rounded(n, 4))
	}
	if drawn > 0 {
		out.Notes = append(out.Notes, fmt.Sprintf("%s did not tell how long they would have worked; it is drawn from their class.",
			counted(drawn, "job", "jobs")))
	}
	if cal.weeks() < 1 {
		out.Notes = append(out.Notes, fmt.Sprintf("The log covers %s: a made workload repeats what it has, and has no jobs at hours of the week "+
			"that it does not cover.", units.Duration(last-first).Short()))
	}
	if err := out.write(t, &spec, kinds); err != nil {
		return err
	}
	progress(0.95)
	return out.compare(t, &spec, kinds, cal)
}

func day(m moment) string { return time.Unix(0, m).UTC().Format("2006-01-02") }

// counted writes a number with its noun.
func counted(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return units.Count(int64(n)) + " " + many
}

// write writes the document and the log that it names, and reads both as anybody would.
func (out *LearnedJobs) write(t *taking, spec *document.WorkloadSpec, kinds []*kindOfJob) error {
	text, err := out.document(spec)
	if err != nil {
		return err
	}
	out.Workload = text
	out.Log = t.log(kinds)
	return out.check(len(t.after) > 0)
}
