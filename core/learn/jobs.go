package learn

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/table"
	"tachyphor/core/units"
)

// A ColumnSeen is a column of a job log and what it was taken for.
type ColumnSeen struct {
	Name    string   `json:"name" doc:"Its name in the file, or its number."`
	Role    string   `json:"role,omitempty" doc:"What it says of a job; absent: it is left out."`
	Why     string   `json:"why,omitempty" doc:"Why it was taken for that."`
	Form    string   `json:"form,omitempty" doc:"How its values are written."`
	Filled  float64  `json:"filled" doc:"Share of the rows that have a value, 0 to 1."`
	Samples []string `json:"samples" doc:"A few of its values."`
	Flag    string   `json:"flag,omitempty" doc:"Flag that says otherwise."`
}

// A ClassSeen is a job class as it is proposed.
type ClassSeen struct {
	Name    string   `json:"name" doc:"Name of the class."`
	Jobs    int      `json:"jobs" doc:"Jobs in the log."`
	Wants   []string `json:"wants" doc:"Words that most of its jobs want."`
	Folded  int      `json:"folded,omitempty" doc:"Kinds of jobs that were too few for a class each and are in this one."`
	Work    *Sampled `json:"work,omitempty" doc:"How long its jobs worked, in seconds."`
	Cold    *Sampled `json:"cold,omitempty" doc:"How much longer they worked where they found no workspace, in seconds."`
	Memory  *Sampled `json:"memory,omitempty" doc:"Their peaks of memory, in bytes."`
	Disk    *Sampled `json:"disk,omitempty" doc:"Their peaks of disk, in bytes."`
	Trunk   *float64 `json:"trunk,omitempty" doc:"Share that built the trunk, 0 to 1."`
	Follows string   `json:"follows,omitempty" doc:"The class that its jobs come after, and how many."`
	Bursts  []string `json:"bursts,omitempty" doc:"When many came together, again and again."`
	Burst   float64  `json:"burst,omitempty" doc:"Share of its jobs that came in bursts, 0 to 1."`
	PerWeek float64  `json:"perWeek" doc:"Jobs a week."`
	// By the jobs of an hour, which may vary more than if each came by itself.
	PerWeekLow  float64   `json:"perWeekLow" doc:"A week has more than this on average, at 99.9 %."`
	PerWeekHigh float64   `json:"perWeekHigh" doc:"A week has less than this on average."`
	Likes       *Likeness `json:"likes,omitempty" doc:"How near a made workload is to the log."`
}

// LearnedJobs is what came of a job log: a workload, and everything that was taken for
// granted on the way.
type LearnedJobs struct {
	Name     string         `json:"name" doc:"Name of the workload."`
	Guesses  []Guess        `json:"guesses" doc:"What was taken for granted."`
	Columns  []ColumnSeen   `json:"columns" doc:"What the columns say."`
	Rows     int            `json:"rows" doc:"Rows in the file, those included that are no jobs."`
	Jobs     int            `json:"jobs" doc:"Jobs of the workload."`
	From     time.Time      `json:"from" doc:"When the first came."`
	To       time.Time      `json:"to" doc:"When the last came."`
	Left     []Count        `json:"left" doc:"Rows that make no job."`
	Endings  []Count        `json:"endings" doc:"How jobs ended."`
	BadRows  []table.BadRow `json:"badRows" doc:"The first of the rows that cannot be read."`
	Classes  []ClassSeen    `json:"classes" doc:"Classes, the largest first."`
	Hours    []float64      `json:"hours" doc:"Jobs an hour, by hour of the week from Monday 00:00 in the zone."`
	Made     []float64      `json:"made" doc:"Jobs an hour that a made workload has, likewise."`
	Likes    *Likeness      `json:"likes,omitempty" doc:"How near a made workload's arrivals are to the log's."`
	Notes    []string       `json:"notes" doc:"What else to know."`
	Workload string         `json:"workload" doc:"The document."`
	Log      []byte         `json:"-"`
	File     string         `json:"file" doc:"Name of the file of jobs that the document names."`
}

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

// columns tells what the columns were taken for.
func (out *LearnedJobs) columns(r *reading) {
	for at, c := range r.columns {
		seen := ColumnSeen{Name: c.name, Filled: c.filled, Samples: []string{}}
		for _, v := range c.values {
			if v = clip(v); !slices.Contains(seen.Samples, v) && len(seen.Samples) < 3 {
				seen.Samples = append(seen.Samples, v)
			}
		}
		for _, p := range r.picked {
			if p.at != at {
				continue
			}
			seen.Role, seen.Why, seen.Flag = p.role.String(), p.why, fmt.Sprintf("--column %s=NAME", p.role)
			switch p.role {
			case roleSubmitted, roleStarted, roleEnded:
				seen.Form = r.moment[p.role].says()
			case roleWork, roleWait:
				l := &r.length[p.role]
				if seen.Form = l.form.says(); l.form == lengthNumber {
					seen.Form = l.name
				}
			case roleMemory, roleDisk:
				seen.Form = r.size[p.role].name
			}
		}
		out.Columns = append(out.Columns, seen)
	}
}

// leftSays is what rows that make no job mean.
var leftSays = map[string]string{
	rowsBlank: "left out", rowsTotals: "left out", rowsHeader: "left out", rowsTwice: "each counts once",
	rowsBroken: "left out, told below", rowsUnread: "left out, told below", rowsBackwards: "left out, told below",
	rowsOutside: "left out, told below", rowsBefore: "left out", rowsBehind: "left out",
}

// learn makes the workload.
func (out *LearnedJobs) learn(t *taking, progress func(float64)) error {
	var kept []int32
	endings := map[Ending]int{}
	drawn := 0
	first, last := moment(0), moment(0)
	for i := range t.rows {
		j := &t.rows[i]
		if endings[j.ending]++; j.ending == Never {
			t.count[rowsNever]++
			continue
		}
		if kept = append(kept, int32(i)); len(kept) == 1 {
			first, last = j.at, j.at
		}
		first, last = min(first, j.at), max(last, j.at)
		if j.work < 0 {
			drawn++
		}
	}
	if len(kept) == 0 {
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
	out.Rows += len(kept)
	out.Jobs, out.From, out.To = len(kept), time.Unix(0, first).In(t.loc), time.Unix(0, last).In(t.loc)
	out.endings(t, endings)
	kinds := t.classes()
	progress(0.7)
	links := t.link()
	if links.missing > 0 {
		out.Notes = append(out.Notes, fmt.Sprintf("%s name a job to come after that is not in the log, or came later; they come by themselves.",
			counted(links.missing, "reference", "references")))
	}
	cal := calendarOf(first, last, t.loc)
	spec := document.WorkloadSpec{Zone: t.o.Zone, Jobs: &document.Recorded{File: out.File}}
	spec.Start = units.Instant{Time: midnight(time.Unix(0, first).In(t.loc))}
	follows := t.chains(kinds, links)
	whole := &profile{cal: cal}
	for n, k := range kinds {
		if t.begun(k) == 0 {
			continue
		}
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
		for _, i := range k.rows {
			if j := &t.rows[i]; j.ending != Never {
				whole.hours[hourOf(time.Unix(0, j.at).In(t.loc))]++
			}
		}
	}
	if len(spec.Classes) == 0 {
		return errors.New("no class has a job")
	}
	progress(0.85)
	for h, n := range whole.hours {
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

// endings tells how jobs ended, and what that means for the workload.
func (out *LearnedJobs) endings(t *taking, count map[Ending]int) {
	says := map[Ending]string{
		Unsaid: "taken as done", Done: "as recorded", Failed: "as recorded: an agent worked on them until they failed",
		Cut:      "they come as recorded; how long they would have worked is drawn from their class",
		Never:    "left out: they took no agent; say that their word means cut to count them",
		Underway: "they come as recorded; how long they work is drawn from their class",
	}
	for _, e := range []Ending{Done, Failed, Cut, Never, Underway, Unsaid} {
		if n := count[e]; n > 0 && (e != Unsaid || t.has(roleResult)) {
			what := e.String()
			if e == Unsaid {
				what = "not said"
			}
			out.Endings = append(out.Endings, Count{what, n, says[e]})
		}
	}
}

func day(m moment) string { return time.Unix(0, m).UTC().Format("2006-01-02") }

// counted writes a number with its noun.
func counted(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return units.Count(int64(n)) + " " + many
}

// class makes a class of its jobs.
func (t *taking) class(k *kindOfJob, cal *calendar) (seen ClassSeen, class document.JobClass, p *profile, err error) {
	var at []moment
	var cores float64
	var measured, known, trunk, told int
	work, cold, warm := []float64{}, []float64{}, []float64{}
	var memory, disk []float64
	retries := 0
	for _, i := range k.rows {
		j := &t.rows[i]
		if j.ending == Never {
			continue
		}
		at = append(at, j.at)
		if j.work >= 0 {
			known++
			switch caches[j.cache] {
			case "none":
				cold = append(cold, j.work)
			case "warm":
				warm = append(warm, j.work)
			default:
				work = append(work, j.work)
			}
		}
		if j.memory > 0 {
			memory = append(memory, j.memory)
		}
		if j.disk > 0 {
			disk = append(disk, j.disk)
		}
		if j.cores >= 0 {
			cores, measured = cores+float64(j.cores), measured+1
		}
		if j.change >= 0 {
			if told++; j.change == 0 {
				trunk++
			}
		}
		retries = max(retries, int(j.attempt)-1)
	}
	slices.Sort(at)
	p = profileOf(cal, at)
	seen = ClassSeen{Name: k.name, Jobs: len(at), Wants: []string{}, Folded: k.folded, Burst: float64(p.burst) / float64(max(1, len(at)))}
	seen.PerWeek = rounded(float64(len(at))/max(cal.weeks(), 1./7), 3)
	reach := sure * math.Sqrt(float64(max(1, unsteady(at, cal))*float64(max(1, len(at))))) / max(cal.weeks(), 1./7)
	seen.PerWeekLow, seen.PerWeekHigh = rounded(max(0, seen.PerWeek-reach), 3), rounded(seen.PerWeek+reach, 3)
	class = document.JobClass{Name: k.name, Wants: []string{}}
	if k.wants > 0 {
		class.Wants = strings.Fields(t.words[k.wants])
		seen.Wants = class.Wants
	}
	if k.project > 0 && len(t.words[k.project]) <= mostText {
		class.Project = t.words[k.project]
	}
	if known == 0 {
		return seen, class, p, fmt.Errorf("class %s: of none of its %d jobs is known how long it worked, which is needed to draw it; "+
			"fold it with others with --least %d, or leave its rows out", k.name, len(at), len(at)+1)
	}
	if seen.Cold = coldWork(cold, warm); seen.Cold != nil {
		class.Workspace.Cold = seen.Cold.times()
		work = append(work, warm...)
	} else {
		work = append(append(work, warm...), cold...)
	}
	seen.Work = fitted(work)
	class.Work = seen.Work.times()
	if seen.Memory = fitted(memory); seen.Memory != nil {
		class.Memory = seen.Memory.sizes()
	}
	if seen.Disk = fitted(disk); seen.Disk != nil {
		class.Disk = seen.Disk.sizes()
	}
	if measured > 0 {
		class.Cores = rounded(cores/float64(measured), 3)
	}
	if told > 0 {
		share := rounded(float64(trunk)/float64(told), 3)
		seen.Trunk, class.TrunkShare = &share, &share
	}
	class.Retries = min(retries, 5)
	return seen, class, p, nil
}

// leastCold is how many cold and warm runs there must be to tell them apart.
const leastCold = 10

// coldWork is how much longer runs without a workspace took: the differences of their
// percentiles. nil where too few tell, or cold runs took no longer.
func coldWork(cold, warm []float64) *Sampled {
	if len(cold) < leastCold || len(warm) < leastCold {
		return nil
	}
	slices.Sort(cold)
	slices.Sort(warm)
	var more []float64
	for i := range samplesKept {
		q := (float64(i) + 0.5) / samplesKept
		a, b := cold[int(q*float64(len(cold)))], warm[int(q*float64(len(warm)))]
		more = append(more, max(0, a-b))
	}
	f := fitted(more)
	if f.Median <= 0 {
		return nil
	}
	f.Values = len(cold)
	f.Why = fmt.Sprintf("differences of percentiles of %d cold and %d warm runs; ", len(cold), len(warm)) + f.Why
	return f
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

// log writes the jobs as our own readers take them.
func (t *taking) log(kinds []*kindOfJob) []byte {
	columns := []string{"submitted", "class"}
	has := map[string]bool{}
	use := func(name string, there bool) {
		if there {
			columns, has[name] = append(columns, name), true
		}
	}
	use("id", t.ids.Len() > 0)
	use("project", t.has(roleProject))
	use("wants", t.has(roleWants))
	use("branch", t.has(roleBranch) || t.has(roleChange))
	use("after", len(t.after) > 0)
	use("work", true)
	use("cores", t.has(roleCores))
	use("memory", t.has(roleMemory))
	use("disk", t.has(roleDisk))
	use("cache", t.has(roleCache))
	pods := t.has(rolePod) && t.has(roleStarted) && t.has(roleEnded)
	use("pod", pods)
	use("started", pods)
	use("ended", pods)
	b := make([]byte, 0, 64+80*len(t.rows))
	b = append(append(b, strings.Join(columns, ",")...), '\n')
	ids := t.ids.String()
	stamp := func(m moment) { b = time.Unix(0, m).UTC().AppendFormat(b, time.RFC3339Nano) }
	for i := range t.rows {
		j := &t.rows[i]
		if j.ending == Never {
			continue
		}
		k := kinds[j.class]
		stamp(j.at)
		b = append(append(b, ','), k.name...)
		if has["id"] {
			b = appendField(append(b, ','), ids[j.id.from:j.id.to])
		}
		if has["project"] {
			b = appendField(append(b, ','), t.words[j.project])
		}
		if has["wants"] {
			if b = append(b, ','); j.wants != k.wants {
				b = appendField(b, t.words[j.wants])
			}
		}
		if has["branch"] {
			switch b = append(b, ','); j.change {
			case 0:
				b = append(b, "trunk"...)
			case 1:
				b = append(b, "change"...)
			}
		}
		if has["after"] {
			if b = append(b, ','); j.after >= 0 {
				b = appendField(b, strings.Join(t.after[j.after], " "))
			}
		}
		if b = append(b, ','); j.work >= 0 {
			b = strconv.AppendFloat(b, rounded(j.work, 9), 'f', -1, 64)
		}
		if has["cores"] {
			if b = append(b, ','); j.cores >= 0 {
				b = strconv.AppendFloat(b, rounded(float64(j.cores), 3), 'f', -1, 64)
			}
		}
		for _, x := range []struct {
			name string
			size float64
		}{{"memory", j.memory}, {"disk", j.disk}} {
			if has[x.name] {
				if b = append(b, ','); x.size > 0 {
					b = strconv.AppendInt(b, int64(x.size), 10)
				}
			}
		}
		if has["cache"] {
			b = append(append(b, ','), caches[j.cache]...)
		}
		if pods {
			b = appendField(append(b, ','), t.words[j.pod])
			for _, m := range []moment{j.started, j.ended} {
				if b = append(b, ','); m > 0 {
					stamp(m)
				}
			}
		}
		b = append(b, '\n')
	}
	return b
}

// appendField writes a field of CSV.
func appendField(b []byte, s string) []byte {
	if !strings.ContainsAny(s, "\",\n\r") {
		return append(b, s...)
	}
	return append(append(append(b, '"'), strings.ReplaceAll(s, `"`, `""`)...), '"')
}
