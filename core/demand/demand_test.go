package demand_test

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/parquet-go/parquet-go"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/units"
)

func workload(t testing.TB, text string) *document.WorkloadSpec {
	t.Helper()
	docs, faults := document.Parse("w.yaml", []byte("apiVersion: tachyphor/v1\nkind: Workload\nmetadata: {name: w}\nspec:\n"+text))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	return &docs[0].Value.(*document.Workload).Spec
}

// Rates hold in local time through the change to summer time (2026-03-29, when
// 02:00 to 03:00 does not exist in Oslo), bursts come at local hours.
func TestMadeDemandFollowsTheLocalWeek(t *testing.T) {
	spec := workload(t, `
  start: 2026-03-23T00:00:00+01:00
  zone: Europe/Oslo
  classes:
    - name: k
      wants: []
      work: {fixed: 1s}
      arrivals:
        hours: [{when: "Mon-Sun 08:00-09:00", perHour: 400}, {when: "Mon-Sun 20:05-20:10", perHour: 6000}]
        bursts: [{when: "Sun,Mon 12:00", count: 7, over: 30s}]
`)
	jobs, err := demand.Make(spec, 0, 14*units.Day, chance.Root(1, 0))
	if err != nil {
		t.Fatal(err)
	}
	zone := spec.Zone.Location()
	hours := map[string]int{}
	last := units.Duration(-1)
	for i, j := range jobs.List {
		if j.Submitted < last {
			t.Fatal("jobs are not in order")
		}
		last = j.Submitted
		at := spec.Start.Add(time.Duration(j.Submitted)).In(zone)
		hours[fmt.Sprintf("%02d", at.Hour())]++
		if at.Hour() == 20 && (at.Minute() < 5 || at.Minute() >= 10) {
			t.Errorf("job %d at %v", i, at)
		}
		if found, ok := jobs.Find(jobs.ID(i)); !ok || found != i {
			t.Fatalf("job %d is %s, which is job %d", i, jobs.ID(i), found)
		}
	}
	if len(hours) != 3 || hours["12"] != 7*4 {
		t.Errorf("jobs by local hour: %v", hours)
	}
	// 14 days of 400 and of 500: within 4.5 standard deviations.
	for hour, want := range map[string]float64{"08": 14 * 400, "20": 14 * 500} {
		if got := float64(hours[hour]); math.Abs(got-want) > 4.5*math.Sqrt(want) {
			t.Errorf("%v jobs at %s, want about %v", got, hour, want)
		}
	}
}

// One hour's rate moves no other hour's jobs.
func TestRatesAreIndependent(t *testing.T) {
	make := func(late int) []units.Duration {
		spec := workload(t, fmt.Sprintf(`
  start: 2026-03-23T00:00:00Z
  classes:
    - {name: k, wants: [], work: {fixed: 1s}, arrivals: {hours: [{when: "Mon-Sun 20:00-21:00", perHour: %d}, {when: "Mon-Sun 00:00-24:00", perHour: 30}]}}
`, late))
		jobs, err := demand.Make(spec, 0, units.Week, chance.Root(1, 0))
		if err != nil {
			t.Fatal(err)
		}
		var at []units.Duration
		for _, j := range jobs.List {
			if h := j.Submitted % units.Day / units.Hour; h != 20 {
				at = append(at, j.Submitted)
			}
		}
		return at
	}
	if a, b := make(5), make(500); !slices.Equal(a, b) {
		t.Errorf("%d jobs became %d others", len(a), len(b))
	}
}

func TestTooManyJobsIsAnError(t *testing.T) {
	spec := workload(t, `
  start: 2026-03-23T00:00:00Z
  classes: [{name: k, wants: [], work: {fixed: 1s}, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 1000000}]}}]
`)
	if _, err := demand.Make(spec, 0, 30*units.Day, chance.Root(1, 0)); err == nil {
		t.Error("720 million jobs are taken")
	}
}

const recordedSpec = `
  start: 2026-09-14T00:00:00Z
  jobs: {file: x.csv}
  classes:
    - {name: a, wants: [linux, go], work: {fixed: 60s}}
    - {name: b, wants: [linux], work: {}}
`

func TestRecordedJobs(t *testing.T) {
	r, err := demand.Parse([]byte("\ufeffclass,submitted,id,wants,work,started,ended\n"+
		"a,2026-09-14T01:00:00+01:00,second,,90,,\n"+
		"a,0.5,first,\"x; y\",8m,,\n"+
		"b,3700,third,,,2026-09-14T02:00:00Z,2026-09-14T02:00:07.5Z\n"+
		"a,7200,fourth,,,,\n"), nil)
	if err != nil || r.Bads > 0 {
		t.Fatal(err, r)
	}
	spec := workload(t, recordedSpec)
	jobs, bad := r.Bind(spec)
	if len(bad) > 0 {
		t.Fatal(bad)
	}
	var got []string
	for i, j := range jobs.List {
		got = append(got, fmt.Sprintf("%s %v %v %v", jobs.ID(i), j.Submitted.Seconds(), j.Work.Seconds(), jobs.Wants[j.Wants]))
	}
	want := []string{"second 0 90 [linux go]", "first 0.5 480 [x y]", "third 3700 7.5 [linux]", "fourth 7200 -1e-09 [linux go]"}
	if !slices.Equal(got, want) {
		t.Errorf("jobs %q, want %q", got, want)
	}
}

// Every bad row is counted and told with line, column and reason; the good ones
// are there.
func TestBadRows(t *testing.T) {
	rows := map[string]string{
		"a,yesterday,1,,":                        "submitted: found \"yesterday\"",
		"a,-5,2,,":                               "submitted",
		"a,,3,,":                                 "submitted",
		"a,NaN,3b,,":                             "submitted",
		"a,1e300,3c,,":                           "submitted",
		",5,4,,":                                 "class: empty",
		"a,5,5,soon,":                            "work: found \"soon\"",
		"a,5,6,-3,":                              "work",
		"a,5,ok,,":                               "same id",
		"a,5,7,," + strings.Repeat("j ", 1001):   "more than 1000 jobs",
		"a,5,8":                                  "3 fields where the header has 5",
		"a,5,9,,,,,":                             "8 fields where the header has 5",
		"a,5,\"unclosed":                         "",
		"a,5," + strings.Repeat("x", 200) + ",,": "longer than 120",
	}
	for row, want := range rows {
		r, err := demand.Parse([]byte("class,submitted,id,work,after\na,1,ok,,\n"+row+"\n"), nil)
		if err != nil {
			t.Errorf("%q: %v", row, err)
			continue
		}
		if r.Bads != 1 || r.Len() != 1 || r.Bad[0].Line != 3 || !strings.Contains(r.Bad[0].String(), want) {
			t.Errorf("%q: %d bad, %d good, %v; want %q", row, r.Bads, r.Len(), r.Bad, want)
		}
	}
	for head, want := range map[string]string{
		"": "no header", "class\n": `"submitted" is missing`, "class,submited\n": `did you mean "submitted"?`,
		"class,submitted,class\n": "is there twice",
	} {
		if _, err := demand.Parse([]byte(head), nil); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("header %q: %v, want %q", head, err, want)
		}
	}
	spec := workload(t, recordedSpec)
	for row, want := range map[string]string{
		"c,5,x,":                    `the workload has no such class`,
		"a,2026-09-13T23:59:59Z,x,": "before the workload's start",
		"a,2029-09-13T23:59:59Z,x,": "more than 400 days",
		"b,5,x,":                    "no work time to draw from",
	} {
		r, err := demand.Parse([]byte("class,submitted,id,work\n"+row+"\n"), nil)
		if err != nil {
			t.Fatal(err)
		}
		if jobs, bad := r.Bind(spec); jobs != nil || len(bad) != 1 || !strings.Contains(bad[0].String(), want) {
			t.Errorf("%q: %v, want %q", row, bad, want)
		}
	}
}

// JSON Lines give the same jobs as CSV, and bad lines are told likewise.
func TestJSONLines(t *testing.T) {
	read := func(text string) (*demand.Recording, string) {
		r, err := demand.Parse([]byte(text), nil)
		if err != nil {
			t.Fatal(err)
		}
		jobs, bad := r.Bind(workload(t, recordedSpec))
		if len(bad) > 0 {
			t.Fatal(bad)
		}
		out := ""
		for i, j := range jobs.List {
			out += fmt.Sprintln(jobs.ID(i), j, jobs.Wants[j.Wants])
		}
		return r, out
	}
	_, want := read("id,class,submitted,work,wants\n1,a,2026-09-14T00:00:10Z,90,x y\n2,b,7.5,8m,\n")
	r, got := read(`
{"id": "1", "class": "a", "submitted": "2026-09-14T00:00:10Z", "work": 90, "wants": ["x", "y"]}

{"id": 2, "class": "b", "submitted": 7.5, "work": "8m", "branch": null}
{"class": "a", "submited": 5}
{"class": "a", "submitted": {"at": 5}}
{"class": "a", "submitted": 5, "work": [1]}
{"class": "a", "submitted": 5} {"class": "a"}
{"class": "a"
null
{"class": "a", "submitted": true}
`)
	if got != want {
		t.Errorf("jobs\n%s want\n%s", got, want)
	}
	reasons := []string{
		`did you mean "submitted"?`, "expected text or a number", "expected a single value", "more than one value",
		"not a JSON object", "not a JSON object", "expected text or a number",
	}
	if r.Bads != len(reasons) {
		t.Fatalf("%d bad lines: %v", r.Bads, r.Bad)
	}
	for i, b := range r.Bad {
		if !strings.Contains(b.String(), reasons[i]) || b.Line != i+4 {
			t.Errorf("line %d: %s; want %q", i+4, b, reasons[i])
		}
	}
	if _, err := demand.Parse([]byte("{\"class\": \""+strings.Repeat("x", 2<<20)+"\"}"), nil); err == nil {
		t.Error("an endless line is taken")
	}
}

func FuzzRead(f *testing.F) {
	f.Add("class,submitted\na,5\nb,2026-09-14T00:00:00Z\n")
	f.Add("{\"class\":\"a\",\"submitted\":5,\"wants\":[\"x\"]}\n{}\n[]\n")
	f.Add("class,submitted\n\"")
	f.Add("id,class,submitted,work,started,ended\n\"a\"\"b\",x,1e3,90s,1,2\n")
	f.Fuzz(func(t *testing.T, s string) {
		r, err := demand.Parse([]byte(s), nil)
		if err == nil {
			jobs, bad := r.Bind(workload(t, recordedSpec))
			if jobs != nil && len(jobs.List) != r.Len() || jobs == nil && len(bad) == 0 {
				t.Errorf("%d rows became %v, %v", r.Len(), jobs, bad)
			}
		}
	})
}

func TestMatching(t *testing.T) {
	offers := []demand.Offer{{Words: []string{"cxx", "linux"}}, {Words: []string{"arm-cross", "cxx", "linux"}}, {Words: []string{"go", "linux"}}}
	for _, c := range []struct {
		wants    []string
		template int
		nearest  int
		missing  string
		meant    string
	}{
		{[]string{"linux"}, 0, 0, "", ""},
		{[]string{"linux", "arm-cross"}, 1, 1, "", ""},
		{nil, 0, 0, "", ""},
		{[]string{"linux", "cxx", "arm-corss"}, -1, 1, "arm-corss", "arm-cross"},
		{[]string{"linux", "cxx", "arm-cross", "gp"}, -1, 1, "gp", ""},
		{[]string{"lniux"}, -1, 0, "lniux", "linux"},
	} {
		m := demand.Matching(c.wants, offers)
		if m.Template != c.template || m.Nearest != c.nearest || strings.Join(m.Missing, " ") != c.missing ||
			strings.Join(m.Meant, " ") != c.meant {
			t.Errorf("%v: %+v", c.wants, m)
		}
	}
	// What takes only jobs that name it is passed over by those that want nothing.
	offers[0].Named = true
	if m := demand.Matching(nil, offers); m.Template != 1 {
		t.Errorf("%+v", m)
	}
	if m := demand.Matching([]string{"linux"}, offers); m.Template != 0 {
		t.Errorf("%+v", m)
	}
	offers[1].Named, offers[2].Named = true, true
	if m := demand.Matching(nil, offers); m.Template != -1 || m.Nearest != 0 || m.Missing == nil || len(m.Missing) != 0 {
		t.Errorf("%+v", m)
	}
}

func TestCalendarSteps(t *testing.T) {
	docs, faults := document.Parse("", []byte(`
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates:
    - template: t
      agents: {floor: 1, ceiling: 9, calendar: [{when: "Mon-Fri 07:00-18:00", floor: 3, spare: 2}, {when: "Mon-Fri 17:00-19:00", ceiling: 4}]}
`))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	a := docs[0].Value.(*document.Scenario).Spec.Templates[0].Agents
	oslo, _ := units.ParseZone("Europe/Oslo")
	// Monday 06:30 in Oslo, in winter.
	c := demand.NewCalendar(a, time.Date(2026, 1, 5, 5, 30, 0, 0, time.UTC), 24*units.Hour, oslo)
	var got []string
	for i := 0; ; i++ {
		n, next, more := c.At(i)
		got = append(got, fmt.Sprint(n))
		if !more {
			break
		}
		got = append(got, next.String())
	}
	want := []string{"{1 9 0}", "30m", "{3 9 2}", "11h30m", "{1 4 0}", "12h30m", "{1 9 0}"}
	if !slices.Equal(got, want) {
		t.Errorf("steps %v, want %v", got, want)
	}
}

// The same jobs as CSV under the file's own names, and as Parquet with Parquet's
// own types, lists and times.
func TestMappedAndParquetJobs(t *testing.T) {
	type theirs struct {
		Key    string    `parquet:"key"`
		Queued time.Time `parquet:"queued,timestamp(millisecond)"`
		Kind   string    `parquet:"kind"`
		Needs  []string  `parquet:"needs,list"`
		Took   float64   `parquet:"took"`
		Memory int64     `parquet:"memory"`
		Behind []string  `parquet:"behind"`
		Extra  *int32    `parquet:"extra,optional"`
	}
	columns := map[string]string{"id": "key", "submitted": "queued", "class": "kind", "wants": "needs", "work": "took", "after": "behind"}
	start := time.Date(2026, 9, 14, 0, 0, 0, 0, time.UTC)
	rows := []theirs{
		{
			Key: "one", Queued: start.Add(1500 * time.Millisecond), Kind: "a", Needs: []string{"x", "y"}, Took: 12.5, Memory: 3 << 30,
			Behind: nil, Extra: nil,
		},
		{Key: "two", Queued: start.Add(time.Hour), Kind: "b", Needs: nil, Took: 7, Memory: 1, Behind: []string{"one"}, Extra: new(int32)},
	}
	var file bytes.Buffer
	if err := parquet.Write(&file, rows); err != nil {
		t.Fatal(err)
	}
	text := "key,queued,kind,needs,took,memory,behind,extra\none,2026-09-14T00:00:01.5Z,a,x " +
		"y,12.5,3Gi,,\ntwo,2026-09-14T01:00:00Z,b,,7s,1,one,0\n"
	spec := workload(t, recordedSpec)
	var list []*demand.Jobs
	for _, data := range [][]byte{file.Bytes(), []byte(text)} {
		r, err := demand.Parse(data, columns)
		if err != nil || r.Bads > 0 || r.Len() != 2 {
			t.Fatal(err, r)
		}
		jobs, bad := r.Bind(spec)
		if len(bad) > 0 {
			t.Fatal(bad)
		}
		list = append(list, jobs)
	}
	if !reflect.DeepEqual(list[0], list[1]) || len(list[0].After(1)) != 1 || list[0].Memory[0] != 3<<30 {
		t.Errorf("Parquet %+v, CSV %+v", list[0], list[1])
	}
	for name, data := range map[string]string{
		"cut short": file.String()[:file.Len()/2], "no end": "PAR1 and nothing", "a column that is promised": "key,kind\n1,a\n",
	} {
		if _, err := demand.Parse([]byte(data), columns); err == nil {
			t.Errorf("%s: no error", name)
		}
	}
	if _, err := demand.Parse([]byte(text), map[string]string{"id": "key", "class": "key"}); err == nil ||
		!strings.Contains(err.Error(), "both class and id") {
		t.Errorf("a column mapped twice: %v", err)
	}
	if _, err := demand.Parse(file.Bytes(), nil); err == nil || !strings.Contains(err.Error(), `unknown column "key"`) {
		t.Errorf("without the names: %v", err)
	}
}

// Jobs that come after ones that are not there, or after themselves.
func TestChainsThatCannotBe(t *testing.T) {
	for text, want := range map[string]string{
		"a,1,a,lost\n":                "no job of that id",
		"a,1,a,b\nb,1,a,c\nc,1,a,a\n": "in a circle",
		"a,1,a,a\n":                   "in a circle",
	} {
		r, err := demand.Parse([]byte("id,submitted,class,after\n"+text), nil)
		if err != nil || r.Bads > 0 {
			t.Fatal(err, r)
		}
		if _, bad := r.Bind(workload(t, recordedSpec)); len(bad) == 0 || !strings.Contains(bad[0].String(), want) {
			t.Errorf("%q: %v, want %q", text, bad, want)
		}
	}
}

// Followers are submitted with the job they come after and build its branch; the
// trunk's share is drawn; another class's numbers move no draw.
func TestFollowersAndBranches(t *testing.T) {
	const text = `
  start: 2026-09-14T00:00:00Z
  classes:
    - {name: publish, wants: [x], work: 5s, follows: {class: check, count: 2}}
    - {name: build, wants: [x], work: 5s, trunkShare: 0.25, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 200}]}}
    - {name: check, wants: [x], work: 5s, follows: {class: build}}
`
	jobs, err := demand.Make(workload(t, text), 0, units.Day, chance.Root(3, 0))
	if err != nil {
		t.Fatal(err)
	}
	count, trunk := [3]int{}, 0
	for i, j := range jobs.List {
		count[j.Class]++
		if j.Class == 1 {
			if !j.Change {
				trunk++
			}
			continue
		}
		after := jobs.After(i)
		if len(after) != 1 {
			t.Fatalf("job %s comes after %v", jobs.ID(i), after)
		}
		if lead := jobs.List[after[0]]; lead.Submitted != j.Submitted || lead.Change != j.Change ||
			lead.Class != map[int32]int32{0: 2, 2: 1}[j.Class] {
			t.Fatalf("job %s follows %s", jobs.ID(i), jobs.ID(int(after[0])))
		}
	}
	if count[2] != count[1] || count[0] != 2*count[1] || count[1] < 4500 {
		t.Errorf("counts %v", count)
	}
	if share := float64(trunk) / float64(count[1]); share < 0.22 || share > 0.28 {
		t.Errorf("%.3f build the trunk, want 0.25", share)
	}
}

// A window over the night in which clocks go back is an hour longer.
func TestStretchesAcrossAClockChange(t *testing.T) {
	var w document.Window
	if err := w.When.UnmarshalText([]byte("Sun 01:00-05:00")); err != nil {
		t.Fatal(err)
	}
	zone, err := units.ParseZone("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	start := time.Date(2026, 10, 24, 0, 0, 0, 0, zone.Location()) // the clocks go back on the 25th
	got := demand.Stretches(w, start, 9*units.Day, zone)
	if len(got) != 2 || got[0].From != 25*units.Hour || got[0].To-got[0].From != 5*units.Hour || got[1].To-got[1].From != 4*units.Hour {
		t.Errorf("%v", got)
	}
	// One that runs at the start, and one that has not ended by the end.
	start = time.Date(2026, 10, 18, 2, 0, 0, 0, zone.Location())
	if got := demand.Stretches(w, start, units.Hour, zone); len(got) != 1 || got[0].From != 0 || got[0].To != units.Hour {
		t.Errorf("%v", got)
	}
}

// A calendar against a look at every minute, in zones that set their clocks by an hour,
// by half an hour and not at all, over months in which they do.
func TestCalendarsMissNoMinute(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	zones := []string{"Europe/Oslo", "America/Halifax", "Australia/Lord_Howe", "Asia/Kathmandu", "UTC"}
	days := []string{"Mon-Fri", "Sat,Sun", "Sun", "Mon-Sun", "Fri-Mon"}
	for range 60 {
		var windows []document.Window
		for range 1 + r.IntN(3) {
			w := document.Window{}
			text := fmt.Sprintf("%s %02d:%02d-%02d:%02d", days[r.IntN(len(days))], r.IntN(24), r.IntN(60), r.IntN(25), 0)
			if err := w.When.UnmarshalText([]byte(text)); err != nil {
				t.Fatal(err)
			}
			if r.IntN(3) > 0 {
				w.Zone, _ = units.ParseZone(zones[r.IntN(len(zones))])
			}
			windows = append(windows, w)
		}
		zone, _ := units.ParseZone(zones[r.IntN(len(zones))])
		start := time.Date(2026, time.Month(3+r.IntN(8)), 1+r.IntN(28), r.IntN(24), r.IntN(60), r.IntN(60), 0, time.UTC)
		length := units.Duration(r.IntN(60)) * units.Day
		covers := func(w document.Window, at units.Duration) bool {
			z := w.Zone
			if z == (units.Zone{}) {
				z = zone
			}
			return w.When.Covers(z.MinuteOfWeek(start.Add(time.Duration(at))))
		}
		edges := demand.Edges(windows, start, length, zone)
		if !slices.IsSorted(edges) {
			t.Fatalf("%v is not in order", edges)
		}
		for _, w := range windows {
			first := units.Duration(start.Truncate(time.Minute).Add(time.Minute).Sub(start))
			last := covers(w, 0)
			for at := first; at < length; at += units.Minute {
				now := covers(w, at)
				if _, known := slices.BinarySearch(edges, at); now != last && !known {
					t.Fatalf("%v in %v from %v: a change at %v is not among the edges", w.When, w.Zone, start, at)
				}
				last = now
			}
		}
	}
}

// Windows that overlap or touch are one.
func TestTogether(t *testing.T) {
	s := func(from, to units.Duration) demand.Stretch { return demand.Stretch{From: from, To: to} }
	got := demand.Together([]demand.Stretch{s(5, 9), s(1, 3), s(3, 4), s(6, 7), s(20, 30)})
	if !slices.Equal(got, []demand.Stretch{s(1, 4), s(5, 9), s(20, 30)}) {
		t.Errorf("%v", got)
	}
}
