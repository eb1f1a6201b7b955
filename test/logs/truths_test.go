package logs

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/learn"
)

// A log that is messy in every way gives the same workload in all of eight forms.
func TestEightForms(t *testing.T) {
	rows := [][]string{names(usualHead)}
	for i := range truth {
		rows = append(rows, at(plainTime)(&truth[i]))
	}
	rows = append(rows[:100], append([][]string{rows[99], rows[99], make([]string, 9), rows[0]}, rows[100:]...)...) // twice, blank, header
	rows[200][5] = "soon"                                                                                           // not to be read
	rows[210][4], rows[210][5] = rows[210][5], rows[210][4]                                                         // backwards
	rows[220][3] = "1971-01-01 00:00:00"                                                                            // out of time
	rows = append(rows, []string{"Sum", "", "", "", "", "", "", "", "12345"})
	write := func(comma rune, end string, value func(at int, s string) string) []byte {
		var out bytes.Buffer
		w := csv.NewWriter(&out)
		w.Comma = comma
		for _, row := range rows {
			row = slices.Clone(row)
			for i := range row {
				row[i] = value(i, row[i])
			}
			_ = w.Write(row)
		}
		w.Flush()
		return bytes.ReplaceAll(out.Bytes(), []byte("\n"), []byte(end))
	}
	same := func(_ int, s string) string { return s }
	moments := func(layout string) func(int, string) string {
		return func(i int, s string) string {
			if m, err := time.Parse(plainTime, s); err == nil && i >= 3 && i <= 5 {
				return m.Format(layout)
			}
			return s
		}
	}
	accented := func(_ int, s string) string { return strings.ReplaceAll(s, "swell", "swéll") }
	plain := write(',', "\n", same)
	forms := map[string][]byte{
		"CSV":           plain,
		"semicolons":    write(';', "\r\n", same),
		"tabs, UTF-16":  shapeNamed(t, "UTF-16").pack(write('\t', "\r\n", same)),
		"bars, marked":  before("\ufeff")(write('|', "\n", same)),
		"gzip":          gzipped(plain),
		"zstd, RFC":     zstandard(write(',', "\n", moments(time.RFC3339))),
		"the day first": write(';', "\n", moments("2.1.2006 15:04:05")),
		"Latin-1":       shapeNamed(t, "Latin-1").pack(write(',', "\n", accented)),
	}
	for _, skip := range []bool{false, true} {
		var want *learn.LearnedJobs
		for name, data := range forms {
			got, err := learn.Jobs([]learn.File{{Name: "log", Data: data}}, learn.JobOptions{Name: "messy", SkipBad: skip}, nil)
			if !skip {
				if err == nil || !strings.Contains(err.Error(), "3 rows cannot be used") {
					t.Errorf("%s: %v", name, err)
				}
				continue
			}
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			if want == nil {
				want = got
			}
			if got.Workload != want.Workload || !bytes.Equal(got.Log, want.Log) {
				t.Errorf("%s gives another workload", name)
			}
			counts := map[string]int{}
			for _, c := range got.Left {
				counts[c.What] = c.Rows
			}
			if counts["exactly as one before"] != 2 || counts["blank"] != 1 || counts["the header again"] != 1 || counts["totals"] != 1 ||
				counts["not to be read"] != 1 || counts["ended before they began"] != 1 || counts["out of any likely time"] != 1 {
				t.Errorf("%s: %+v", name, got.Left)
			}
			rows := got.Jobs
			for _, c := range got.Left {
				rows += c.Rows
			}
			for _, c := range got.Endings {
				if c.What == "never" {
					rows += c.Rows
				}
			}
			if rows != got.Rows {
				t.Errorf("%s: %d rows, of which %d are told of", name, got.Rows, rows)
			}
		}
	}
}

func shapeNamed(t *testing.T, name string) shape {
	t.Helper()
	i := slices.IndexFunc(shapes, func(s shape) bool { return s.name == name })
	if i < 0 {
		t.Fatal(name)
	}
	return shapes[i]
}

// A known is a class of a world whose facts are known.
type known struct {
	name          string
	median, p95   float64
	draw          func(*rand.Rand) float64
	day, night    float64 // jobs an hour on working days 07:00 to 19:00, and otherwise
	burst, minute int     // jobs that come together every night; when, in minutes of the day
	trunk         float64
}

func (k *known) perWeek() float64 {
	return 60*k.day + 108*k.night + 7*float64(k.burst)
}

// A log of a world whose facts are known gives them back, within the intervals that are
// told, in at least 95 of 100 worlds; and finds the bursts there are and no others.
func TestFactsComeBack(t *testing.T) {
	worlds := 10
	if os.Getenv("TACHYPHOR_VALIDATE") != "" {
		worlds = 100
	}
	wrong, bursts := 0, 0
	for seed := range uint64(worlds) {
		faults := worldOf(t, seed)
		if len(faults) > 0 {
			wrong++
			t.Logf("world %d: %s", seed, strings.Join(faults, "; "))
		}
		if strings.Contains(strings.Join(faults, " "), "burst") {
			bursts++
		}
	}
	if wrong > worlds/20 {
		t.Errorf("%d of %d worlds do not come back", wrong, worlds)
	}
	if bursts > 1 {
		t.Errorf("bursts are wrong in %d worlds", bursts)
	}
}

// worldOf makes a world, learns it from its log, and tells what is not as it was.
func worldOf(t *testing.T, seed uint64) (faults []string) {
	t.Helper()
	r := rand.New(rand.NewPCG(seed, 9))
	var classes []known
	for i := range 1 + r.IntN(4) {
		k := known{name: []string{"anchor", "beacon", "capstan", "davit"}[i], day: 1 + 12*r.Float64(), night: r.Float64(), trunk: r.Float64()}
		scale, sigma := 20*math.Exp(4*r.Float64()), 0.15+0.9*r.Float64()
		k.median, k.p95 = scale, scale*math.Exp(1.6448536269514722*sigma)
		k.draw = func(r *rand.Rand) float64 { return scale * math.Exp(sigma*r.NormFloat64()) }
		if r.IntN(3) == 0 { // Erlang's of three parts
			third := scale / 2.674060313754146
			k.median, k.p95 = scale, third*6.295793622210453
			k.draw = func(r *rand.Rand) float64 { return third * (r.ExpFloat64() + r.ExpFloat64() + r.ExpFloat64()) }
		}
		if r.IntN(3) == 0 {
			k.burst, k.minute = 15+r.IntN(40), 60*r.IntN(6)+7*r.IntN(8)
		}
		classes = append(classes, k)
	}
	begin := time.Date(2026, 8, 3, 0, 0, 0, 0, time.UTC)
	var rows [][]string
	weeks := 2 + r.IntN(4)
	add := func(k *known, at time.Time) {
		branch := "main"
		if r.Float64() >= k.trunk {
			branch = fmt.Sprintf("fix-%d", r.IntN(1000))
		}
		rows = append(rows, []string{
			fmt.Sprint(len(rows) + 1), fmt.Sprintf("%s #%d", k.name, len(rows)), branch, at.Format("2006-01-02T15:04:05.000Z07:00"),
			fmt.Sprintf("%.4f", k.draw(r)), "passed",
		})
	}
	for h := range weeks * 7 * 24 {
		hour := begin.Add(time.Duration(h) * time.Hour)
		for i := range classes {
			k, rate := &classes[i], classes[i].night
			if w := hour.Weekday(); w != time.Saturday && w != time.Sunday && hour.Hour() >= 7 && hour.Hour() < 19 {
				rate = k.day
			}
			for range poisson(r, rate) {
				add(k, hour.Add(time.Duration(r.Float64()*float64(time.Hour))))
			}
			if k.burst > 0 && k.minute/60 == hour.Hour() {
				for range k.burst {
					add(k, hour.Add(time.Duration(k.minute%60)*time.Minute+time.Duration(r.Float64()*40*float64(time.Second))))
				}
			}
		}
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	_ = w.Write(names("id,job,branch,submitted,duration_s,result"))
	_ = w.WriteAll(rows)
	got, err := learn.Jobs([]learn.File{{Name: "log", Data: out.Bytes()}}, learn.JobOptions{Name: "w", Least: 1}, nil)
	if err != nil {
		t.Fatal(err)
	}
	docs, bad := document.Parse("w", []byte(got.Workload))
	if len(bad) > 0 {
		t.Fatal(bad)
	}
	spec := docs[0].Value.(*document.Workload).Spec
	for i := range classes {
		k := &classes[i]
		at := slices.IndexFunc(got.Classes, func(c learn.ClassSeen) bool { return c.Name == k.name })
		if at < 0 {
			return append(faults, "no class "+k.name)
		}
		c := &got.Classes[at]
		inside := func(what string, low, x, high float64) {
			if x < low || x > high {
				faults = append(faults, fmt.Sprintf("%s: %s is %.4g, told as %.4g to %.4g", k.name, what, x, low, high))
			}
		}
		inside("the median", c.Work.MedianLow, k.median, c.Work.MedianHigh)
		inside("the 95th percentile", c.Work.P95Low, k.p95, c.Work.P95High)
		inside("a week", c.PerWeekLow, k.perWeek(), c.PerWeekHigh)
		// What the document says is as near, whatever family it chose.
		dist := spec.Classes[at].Work.Dist()
		inside("the document's median", 0.9*k.median, dist.Quantile(0.5)/1e9, 1.1*k.median)
		n := float64(c.Jobs)
		inside("the trunk's share", k.trunk-3*math.Sqrt(k.trunk*(1-k.trunk)/n)-0.001, *c.Trunk, k.trunk+3*math.Sqrt(k.trunk*(1-k.trunk)/n)+0.001)
		list := spec.Classes[at].Arrivals.Bursts
		switch {
		case (k.burst > 0) != (len(list) == 1):
			faults = append(faults, fmt.Sprintf("%s: bursts %v where there are %d", k.name, list, k.burst))
		case k.burst > 0:
			minute, daily := list[0].When.On(0)
			if !daily || minute < k.minute-1 || minute > k.minute+1 || math.Abs(float64(list[0].Count-k.burst)) > 3 {
				faults = append(faults, fmt.Sprintf("%s: burst %v of %d, where %d come at minute %d", k.name, list[0].When, list[0].Count,
					k.burst, k.minute))
			}
		}
	}
	return faults
}

// Chains, tries and caches are told from ids, attempts and a column of their own.
func TestChainsTriesAndCaches(t *testing.T) {
	var b strings.Builder
	b.WriteString("id,task,needs,created,seconds,cache,attempt,status\n")
	r := rand.New(rand.NewPCG(3, 3))
	start := time.Date(2026, 9, 7, 0, 0, 0, 0, time.UTC)
	for i := range 400 {
		at := start.Add(time.Duration(i) * 20 * time.Minute)
		found, work := "hit", 200+60*r.NormFloat64()
		if i%3 == 0 {
			found, work = "miss", work+90
		}
		fmt.Fprintf(&b, "c%d,compile,,%s,%.2f,%s,1,ok\n", i, at.Format(plainTime), max(20, work), found)
		for k := range 3 {
			needs, attempt := fmt.Sprintf("c%d", i), 1
			if i == 7 {
				needs = "c999999" // of another log
			}
			if k == 2 && i%40 == 0 {
				attempt = 3
			}
			fmt.Fprintf(&b, "t%d-%d,check,[%s],%s,%.2f,,%d,ok\n", i, k, needs, at.Add(time.Minute).Format(plainTime),
				100+20*r.NormFloat64(), attempt)
		}
	}
	o := learn.JobOptions{Name: "chained", Columns: map[string]string{"after": "needs"}}
	got, err := learn.Jobs([]learn.File{{Name: "log", Data: []byte(b.String())}}, o, nil)
	if err != nil {
		t.Fatal(err)
	}
	docs, _ := document.Parse("w", []byte(got.Workload))
	spec := docs[0].Value.(*document.Workload).Spec
	check, compile := spec.Classes[0], spec.Classes[1]
	if check.Name != "check" || check.Follows == nil || check.Follows.Class != "compile" || check.Follows.Count != 3 ||
		check.Arrivals.Any() || check.Retries != 2 {
		t.Errorf("%+v", check)
	}
	if cold := compile.Workspace.Cold.Dist().Mean() / 1e9; cold < 75 || cold > 105 || compile.Retries != 0 {
		t.Errorf("cold work of %.1f s, %+v", cold, compile)
	}
	if median := compile.Work.Dist().Quantile(0.5) / 1e9; median < 185 || median > 215 {
		t.Errorf("%.1f s of own work", median)
	}
	if !strings.Contains(strings.Join(got.Notes, " "), "3 references name a job") {
		t.Errorf("%q", got.Notes)
	}
	if !bytes.Contains(got.Log, []byte("t9-1")) || !bytes.Contains(got.Log, []byte(",c9,")) {
		t.Error("ids and what they come after are gone")
	}
}

// nightly is a log of three weeks in which agents go at night: the first run of each morning works
// more seconds than the others do. Every tenth run fails, every thirtieth is cut short.
func nightly(more float64) string {
	var b strings.Builder
	b.WriteString("task,created,seconds,status\n")
	r := rand.New(rand.NewPCG(5, 3))
	n := 0
	for day := range 21 {
		morning := time.Date(2026, 9, 7+day, 7, 0, 0, 0, time.UTC)
		for i := range 12 {
			work := 200 * math.Exp(0.2*r.NormFloat64())
			if i == 0 {
				work += more
			}
			status := "ok"
			switch n++; {
			case n%30 == 0:
				status = "aborted"
			case n%10 == 0:
				status = "failed"
			}
			fmt.Fprintf(&b, "compile,%s,%.2f,%s\n", morning.Add(time.Duration(i)*50*time.Minute).Format(plainTime), work, status)
		}
	}
	return b.String()
}

// Cold runs are told by pauses where a log has no column for it, if they take longer by more
// than chance; how jobs ended stands with their class.
func TestColdAfterPauses(t *testing.T) {
	learned := func(more float64, after string) (*learn.LearnedJobs, document.JobClass) {
		t.Helper()
		asked := learn.Asked{Name: "nightly", ColdAfter: after}
		o, err := asked.Options()
		if err != nil {
			t.Fatal(err)
		}
		got, err := learn.Jobs([]learn.File{{Name: "log", Data: []byte(nightly(more))}}, o, nil)
		if err != nil {
			t.Fatal(err)
		}
		docs, faults := document.Parse("w", []byte(got.Workload))
		if len(faults) > 0 {
			t.Fatal(faults)
		}
		return got, docs[0].Value.(*document.Workload).Spec.Classes[0]
	}
	got, class := learned(150, "")
	if cold := class.Workspace.Cold.Dist().Quantile(0.5) / 1e9; cold < 110 || cold > 190 {
		t.Errorf("cold work of %.0f s", cold)
	}
	if median := class.Work.Dist().Quantile(0.5) / 1e9; median < 185 || median > 215 {
		t.Errorf("%.0f s of own work", median)
	}
	if want := (document.Ended{Jobs: 252, Failed: 17, Cut: 8}); class.Ended != want {
		t.Errorf("%+v", class.Ended)
	}
	if !strings.Contains(fmt.Sprint(got.Guesses), "cold runs of compile the 20 that begin 6h or more after the one before") ||
		!bytes.Contains(got.Log, []byte("cache")) || bytes.Count(got.Log, []byte(",none")) != 20 {
		t.Errorf("%v", got.Guesses)
	}
	for _, x := range []struct {
		more  float64
		after string
	}{{0, ""}, {150, "no"}, {150, "20h"}} {
		if got, class := learned(x.more, x.after); !class.Workspace.Cold.IsZero() || bytes.Contains(got.Log, []byte("cache")) {
			t.Errorf("%v more, after %q: %+v", x.more, x.after, class.Workspace)
		}
	}
	bad := learn.Asked{ColdAfter: "soon"}
	if _, err := bad.Options(); err == nil || !strings.Contains(err.Error(), "is not a pause") {
		t.Error(err)
	}
}

// Several files are one log, whatever the order of their columns; files of other columns
// are not.
func TestSeveralFiles(t *testing.T) {
	var a, b strings.Builder
	a.WriteString("id,class,queued,duration_s\n")
	b.WriteString("duration_s,queued,class,id\n")
	for i := range 40 {
		at := time.Date(2026, 9, 7, i%24, i, 0, 0, time.UTC).Format(plainTime)
		fmt.Fprintf(&a, "a%d,x,%s,%d\n", i, at, 60+i)
		fmt.Fprintf(&b, "%d,%s,y,b%d\n", 100+i, at, i)
	}
	both := func(name, text string) (*learn.LearnedJobs, error) {
		files := []learn.File{{Name: "a.csv", Data: []byte(a.String())}, {Name: name, Data: []byte(text)}}
		return learn.Jobs(files, learn.JobOptions{}, nil)
	}
	got, err := both("b.csv", b.String())
	if err != nil || got.Jobs != 80 || len(got.Classes) != 2 {
		t.Fatalf("%v %+v", err, got)
	}
	_, err = both("c.csv", "id,class,queued,took\n1,x,2026-09-07,5\n")
	if err == nil || !strings.Contains(err.Error(), `c.csv has a column "took" that a.csv does not have`) {
		t.Error(err)
	}
	_, err = both("b.csv", b.String()+"x,y,z,w\n")
	if err == nil || !strings.Contains(err.Error(), "in b.csv") {
		t.Error(err)
	}
}

// Classes whose jobs come after each other in a circle cannot all follow: one begins, and
// always the same.
func TestCircle(t *testing.T) {
	var b strings.Builder
	b.WriteString("id,class,after,submitted,work\n")
	at := time.Date(2026, 9, 7, 0, 0, 0, 0, time.UTC)
	last := ""
	for i := range 300 {
		for _, class := range []string{"carve", "caulk", "launch"} {
			id := fmt.Sprintf("%s-%d", class, i)
			fmt.Fprintf(&b, "%s,%s,%s,%s,%d\n", id, class, last, at.Format(time.RFC3339), 100+i)
			at, last = at.Add(11*time.Minute), id
		}
	}
	first := ""
	for range 5 {
		got, err := learn.Jobs([]learn.File{{Name: "log", Data: []byte(b.String())}}, learn.JobOptions{}, nil)
		if err != nil {
			t.Fatal(err)
		}
		if first == "" {
			first = got.Workload
			docs, _ := document.Parse("w", []byte(first))
			follow := 0
			for _, k := range docs[0].Value.(*document.Workload).Spec.Classes {
				if k.Follows != nil {
					follow++
				}
			}
			if follow != 2 {
				t.Fatalf("%d of 3 classes follow others:\n%s", follow, first)
			}
		}
		if got.Workload != first {
			t.Fatal("the same log gives another workload")
		}
	}
}
