package live_test

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/core/learn"
	"tachyphor/core/live"
)

var monday = time.Date(2026, 9, 14, 6, 0, 0, 0, time.UTC)

func at(minutes float64) time.Time {
	return monday.Add(time.Duration(minutes * float64(time.Minute)))
}

// told takes messages in some order.
func told(list []live.Message, order []int) map[live.RunID]*live.Run {
	out := map[live.RunID]*live.Run{}
	for _, i := range order {
		r := out[list[i].Run]
		if r == nil {
			r = new(live.Run)
			out[list[i].Run] = r
		}
		r.Take(&list[i])
	}
	return out
}

// Any order, any repetition: the same runs.
func TestOrderAndRepetitionChangeNothing(t *testing.T) {
	for seed := range uint64(200) {
		draw := rand.New(rand.NewPCG(seed, 17))
		var list []live.Message
		for n := range 40 {
			m := live.Message{
				Key: fmt.Sprint(n), Run: live.RunID{Source: "s", ID: fmt.Sprint("run-", draw.IntN(6))}, Kind: []string{live.Task, live.Pipeline}[draw.IntN(2)],
				At: at(float64(draw.IntN(20))), Facts: map[string]string{},
			}
			switch draw.IntN(3) {
			case 0:
				m.Queued = m.At
			case 1:
				m.Started = m.At
			default:
				m.Ended = m.At
				m.Facts[live.Result] = []string{"success", "failure"}[draw.IntN(2)]
			}
			if draw.IntN(2) == 0 {
				m.Facts[live.Project] = fmt.Sprint("p", draw.IntN(3))
			}
			if draw.IntN(3) == 0 {
				m.Parent = live.RunID{Source: "s", ID: fmt.Sprint("run-", draw.IntN(6))}
			}
			list = append(list, m)
		}
		order := make([]int, len(list))
		for i := range order {
			order[i] = i
		}
		want := told(list, order)
		for range 5 {
			twice := append(slices.Clone(order), order[:draw.IntN(len(order))]...)
			draw.Shuffle(len(twice), func(i, j int) { twice[i], twice[j] = twice[j], twice[i] })
			if got := told(list, twice); !reflect.DeepEqual(got, want) {
				t.Fatalf("seed %d: %v\n%v", seed, got, want)
			}
		}
	}
}

// What a pipeline's parts waited for, by what is told of it; itself is no job.
func TestWhenPartsAsked(t *testing.T) {
	id := func(s string) live.RunID { return live.RunID{Source: "s", ID: s} }
	whole := &live.Run{RunID: id("whole"), Kind: live.Pipeline, Queued: at(0), Started: at(1), Heard: at(30), Facts: map[string]live.Fact{
		live.Project: {Is: "tide-charts", At: at(0)}, live.Branch: {Is: "trunk", At: at(0)},
	}}
	part := func(name string, queued, from, to float64) *live.Run {
		r := &live.Run{RunID: id(name), Kind: live.Task, Parent: whole.RunID, Heard: at(max(queued, from, to))}
		for _, x := range []struct {
			into *time.Time
			is   float64
		}{{&r.Queued, queued}, {&r.Started, from}, {&r.Ended, to}} {
			if x.is >= 0 {
				*x.into = at(x.is)
			}
		}
		return r
	}
	compile, lint := part("compile", -1, 2, 10), part("lint", -1, 3, 5)
	lint.Facts = map[string]live.Fact{live.Branch: {Is: "lint-only", At: at(3)}}
	test, publish, sign := part("test", -1, 12, -1), part("publish", 11, -1, -1), part("sign", -1, -1, 9)
	alone := &live.Run{RunID: id("alone"), Kind: live.Pipeline, Started: at(4), Heard: at(4)}
	jobs := live.Jobs([]*live.Run{test, sign, whole, lint, publish, compile, alone}, at(40), time.Hour)
	var got []string
	for _, j := range jobs {
		waited, known := j.Waited(at(40))
		got = append(got, fmt.Sprintf("%s %s %s %s %v %v", j.ID, j.Asked.Sub(monday), j.Basis, j.State, waited, known))
	}
	want := []string{
		"compile 0s pipeline ended 2m0s true", "lint 0s pipeline ended 3m0s true", "alone 4m0s start running 0s false",
		"sign 5m0s sibling ended 0s false", "test 10m0s sibling running 2m0s true", "publish 11m0s queue waiting 29m0s true",
	}
	if !slices.Equal(got, want) {
		t.Errorf("%s", strings.Join(got, "\n"))
	}
	if lint := jobs[1]; lint.Is(live.Project) != "tide-charts" || lint.Is(live.Branch) != "lint-only" || len(whole.Facts) != 2 {
		t.Errorf("%+v", lint)
	}
	// Nothing was heard for longer than that: closed by rule, and open again when it is.
	for _, j := range live.Jobs([]*live.Run{test, publish}, at(200), time.Hour) {
		if j.State != live.Silent {
			t.Errorf("%s is %s", j.ID, j.State)
		}
	}
	test.Take(&live.Message{Run: test.RunID, At: at(190), Ended: at(190)})
	if j := live.Jobs([]*live.Run{test}, at(200), time.Hour)[0]; j.State != live.Ended || !j.Ended.Equal(at(190)) {
		t.Errorf("%+v", j)
	}
	states, bases := map[live.State]int{}, map[live.Basis]int{}
	for _, j := range live.Jobs([]*live.Run{whole, compile, lint, part("test", -1, 12, -1), publish, alone}, at(40), time.Hour) {
		states[j.State]++
		bases[j.Basis]++
	}
	if states[live.Waiting] != 1 || states[live.Running] != 2 || states[live.Ended] != 2 || bases[live.ByStart] != 1 {
		t.Errorf("%v %v", states, bases)
	}
	if len(live.Jobs(nil, at(0), time.Hour)) != 0 {
		t.Error("jobs of nothing")
	}
	// A run that says it is a part of itself is a job.
	odd := part("odd", 1, -1, -1)
	odd.Parent = odd.RunID
	if list := live.Jobs([]*live.Run{odd}, at(2), time.Hour); len(list) != 1 || list[0].State != live.Waiting {
		t.Errorf("%+v", list)
	}
}

func TestCheck(t *testing.T) {
	good := func() live.Message {
		return live.Message{Key: "k", Run: live.RunID{Source: "s", ID: "r"}, At: at(0), Queued: at(0), Facts: map[string]string{live.Project: "p"}}
	}
	m := good()
	if err := m.Check(at(0)); err != nil {
		t.Error(err)
	}
	for want, edit := range map[string]func(*live.Message){
		"no id":                  func(m *live.Message) { m.Run.ID = "" },
		"control characters":     func(m *live.Message) { m.Facts[live.Project] = "a\nb" },
		"256 bytes":              func(m *live.Message) { m.Run.ID = strings.Repeat("x", 256) },
		"not UTF-8":              func(m *live.Message) { m.Parent.ID = "\xff" },
		"more than a day ahead":  func(m *live.Message) { m.Queued = at(24*60 + 1) },
		"never set":              func(m *live.Message) { m.At = time.Unix(3, 0) },
		"nothing of when":        func(m *live.Message) { m.Queued = time.Time{} },
		"id and source have 0":   func(m *live.Message) { m.Key = "" },
		"id and source have 900": func(m *live.Message) { m.Key = strings.Repeat("k", 900) },
	} {
		m := good()
		edit(&m)
		if err := m.Check(at(0)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
}

// A row has a value for each column; what was closed by rule counts as cut short.
func TestRows(t *testing.T) {
	r := &live.Run{RunID: live.RunID{Source: "s", ID: "r"}, Queued: at(0), Started: at(1), Heard: at(1), Facts: map[string]live.Fact{
		live.Wants: {Is: "linux amd64", At: at(0)},
	}}
	for _, x := range []struct {
		now  float64
		want string
	}{{2, "running"}, {100, "lost"}} {
		j := live.Jobs([]*live.Run{r}, at(x.now), time.Hour)[0]
		is := j.Row()
		if !is.Submitted.Equal(at(0)) || is.Started == nil || !is.Started.Equal(at(1)) || is.Ended != nil || is.Result != x.want ||
			is.Wants != "linux amd64" || is.Basis != "queue" || is.Name != "job" {
			t.Errorf("%+v", is)
		}
	}
}

// What senders tell is what columns of a job log say, by the same names.
func TestFactsAreRolesOfAJobLog(t *testing.T) {
	for _, f := range live.Facts {
		if !slices.ContainsFunc(learn.JobRoles(), func(r learn.JobRole) bool { return r.Name == f }) {
			t.Errorf("no column of a job log says %q", f)
		}
	}
}
