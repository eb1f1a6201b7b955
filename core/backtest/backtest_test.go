package backtest_test

import (
	"errors"
	"fmt"
	"math"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"tachyphor/core/backtest"
	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

var now = time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)

// lived runs a world once, with draws that no backtest uses, and tells what happened to its jobs.
func lived(t testing.TB, in world.Input, seed uint64) map[string]demand.Observed {
	t.Helper()
	w, faults := world.Assemble(in)
	if err := faults.Err(); err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w, seed, 1000, nil)
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]demand.Observed{}
	for j := range trace.Records {
		r := &trace.Records[j]
		if r.Started < 0 {
			continue
		}
		x := demand.Observed{Waited: r.Started - trace.From(j), Took: -1}
		if over := trace.Over(j); over >= 0 {
			x.Took = over - r.Started
		}
		out[trace.Jobs.ID(j)] = x
	}
	return out
}

// changed is a world with a fact of its cluster at another value.
func changed(t testing.TB, in world.Input, path string, value any) world.Input {
	t.Helper()
	named, faults, err := in.Named.With([]document.Changes{{
		Kind: document.KindCluster, Name: in.Cluster.Name, Edits: []document.Edit{{Op: "replace", Path: path, Value: value}},
	}})
	if err == nil {
		err = faults.Err()
	}
	if err != nil {
		t.Fatal(err)
	}
	in.Named = named
	return in
}

// A log that tells whole seconds is held beside what such a log would tell.
func TestWholeSeconds(t *testing.T) {
	text, jobs, err := worlds.DemoText("weekday-lean")
	if err != nil {
		t.Fatal(err)
	}
	w, err := worlds.Parse(text, jobs)
	if err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w.AsTaken(), 7, 1000, nil)
	if err != nil {
		t.Fatal(err)
	}
	observed := map[string]demand.Observed{}
	for j := range trace.Records {
		if r := &trace.Records[j]; r.Started >= 0 {
			observed[trace.Jobs.ID(j)] = demand.Observed{Waited: r.Started/units.Second*units.Second - trace.From(j)/units.Second*units.Second, Took: -1}
		}
	}
	in, err := worlds.Read(text, regexp.MustCompile(`\.\d+Z`).ReplaceAllString(jobs, "Z"))
	if err != nil {
		t.Fatal(err)
	}
	q, err := backtest.Ask([]backtest.Design{{In: in}}, observed, backtest.Options{Now: now})
	if err != nil {
		t.Fatal(err)
	}
	b, err := q.Try(2, nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range b.Groups[0].Delay[:3] {
		if p.Off || math.Abs(p.Predicted-p.Observed) > 0.1*p.Observed {
			t.Errorf("%g %%: predicted %v, observed %v", p.P, units.Duration(p.Predicted).Short(), units.Duration(p.Observed).Short())
		}
	}
	if len(b.Groups[0].Lead) != 0 {
		t.Errorf("lead times of jobs whose end nobody knows: %+v", b.Groups[0].Lead)
	}
}

// recorded is a random world whose jobs come as they came once, each with the time that it
// worked; ok is false where it is none, or has too few.
func recorded(t testing.TB, seed uint64) (in world.Input, ok bool) {
	t.Helper()
	text := strings.Replace(worlds.RandomText(seed), "span: 30h", "span: 96h", 1)
	made, err := worlds.Parse(text, "")
	if err != nil {
		return in, false
	}
	jobs, err := made.Jobs(seed, 77)
	if err != nil {
		t.Fatal(err)
	}
	var csv strings.Builder
	csv.WriteString("id,submitted,class,work\n")
	n := 0
	for i, j := range jobs.List {
		at := j.Submitted - made.Plan.Warmup
		if at < 0 {
			continue
		}
		n++
		work := made.Classes[j.Class].Work.Draw(chance.Key(j.Key).For(chance.Work, 77, 0))
		fmt.Fprintf(&csv, "%s,%.3f,%s,%.3f\n", jobs.ID(i), at.Seconds(), made.Classes[j.Class].Name, work/1e9)
	}
	in, err = worlds.Read(strings.Replace(text, "  zone: Europe/Oslo\n", "  zone: Europe/Oslo\n  jobs: {file: jobs.csv}\n", 1), csv.String())
	if err != nil {
		t.Fatal(err)
	}
	return in, n >= 300
}

// planted are facts that are changed, and by how much.
var planted = []struct{ fact, path string }{
	{"pools.wide.boot", "boot"},
	{"links.registry.down", "/spec/links/registry/down"},
	{"agents.start", "/spec/agents/start"},
	{"agents.join", "/spec/agents/join"},
	{"images.a", "/spec/images/0/size"},
}

// A simulation of a world on its own records is no further off than chance explains, and one fact
// that is another is the one that is named, or said not to be told apart from it.
func TestTruths(t *testing.T) {
	tries, seed := 1, uint64(18) // in this world it shows; from the first on there are many in which it does not
	if n, err := strconv.Atoi(os.Getenv("TRIES")); err == nil {
		tries = n
	}
	if os.Getenv("TACHYPHOR_VALIDATE") != "" {
		tries, seed = 100, 0
	}
	own, right, shown, named, first, inside := 0, 0, 0, 0, 0, 0
	for ; own < tries || shown < tries; seed++ {
		in, ok := recorded(t, seed)
		if !ok {
			continue
		}
		ask := func(truth world.Input, facts bool) *backtest.Backtest {
			q, err := backtest.Ask([]backtest.Design{{In: in}}, lived(t, truth, seed+1), backtest.Options{Now: now, Facts: facts})
			if errors.Is(err, backtest.ErrTooFew) {
				return nil
			}
			if err != nil {
				t.Fatal(err)
			}
			b, err := q.Try(2, nil)
			if errors.Is(err, backtest.ErrTooFew) {
				return nil
			}
			if err != nil {
				t.Fatal(err)
			}
			return b
		}
		if own < tries {
			b := ask(in, false)
			if b == nil {
				continue
			}
			if own++; b.Verdict.Agrees {
				right++
			} else {
				t.Logf("world %d on its own records: %s", seed, b.Verdict.Says)
			}
		}
		if shown >= tries {
			continue
		}
		p := planted[seed%uint64(len(planted))]
		factor := []float64{0.5, 0.65, 1.6, 2.2}[seed/5%4]
		facts := doubt.Facts(&in.Cluster.Value.(*document.Cluster).Spec, nil, now)
		at := slices.IndexFunc(facts, func(f doubt.Fact) bool { return f.Fact == p.fact })
		if at < 0 {
			continue
		}
		value, says := facts[at].By(factor)
		b := ask(changed(t, in, facts[at].Path(), document.Plain(value)), true)
		if b == nil || b.Verdict.Agrees || b.Fact == nil && slices.Contains(b.Moot, p.fact) {
			continue // it does not show
		}
		shown++
		askEvery(t, b)
		is := slices.IndexFunc(b.Tried, func(x backtest.Explained) bool { return x.Fact == p.fact })
		switch {
		case b.Fact != nil && b.Fact.Fact == p.fact:
			first++
			named++
			if by := b.Fact.Factor / factor; by > 0.8 && by < 1.25 {
				inside++
			}
		case b.Fact != nil && is >= 0 && b.Tried[is].Like:
			named++
		default:
			t.Logf("world %d, %s by %g as %s: %s %s", seed, p.fact, factor, says, b.Verdict.Says, b.Next)
			for _, x := range b.Tried {
				t.Logf("  %s %s→%s gain sure %v share %.2f like %v", x.Fact, x.Says, x.Would, x.Sure, x.Share, x.Like)
			}
		}
	}
	t.Logf("of %d worlds on their own records %d came true; of %d with one fact changed it was named in %d (first in %d, there within a quarter of its value in %d)",
		own, right, shown, named, first, inside)
	if right*100 < own*90 || named*100 < shown*90 {
		t.Error("too often wrong")
	}
}
