package outcome_test

import (
	"os"
	"strings"
	"testing"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// need is a scenario of demo/needs in the demo's world, put together; what replaces in its text goes by pairs.
func need(t *testing.T, name string, replace ...string) *world.World {
	t.Helper()
	b, err := os.ReadFile("../../demo/needs/" + name + ".yaml")
	if err != nil {
		t.Fatal(err)
	}
	docs, jobs, err := worlds.DemoText("none")
	if err != nil {
		t.Fatal(err)
	}
	w, err := worlds.Parse(docs+"---\n"+strings.NewReplacer(replace...).Replace(string(b)), jobs)
	if err != nil {
		t.Fatal(err)
	}
	return w
}

// once is its outcome in one repeat.
func once(t *testing.T, w *world.World) *outcome.Outcome {
	t.Helper()
	w.Plan.Repeats = 1
	o, _ := simulate(t, w, 2)
	return o
}

func TestBadDay(t *testing.T) {
	o := once(t, need(t, "bad-day"))
	var told []string
	for _, x := range o.Story {
		told = append(told, x.Says)
	}
	says := strings.Join(told, "\n")
	for _, want := range []string{
		"Wed 16 Sep 01:30 to 03:30: spot nodes of pool burst-spot are taken back every 30 min 00 s: ", "nodes went",
		"link registry carries 10 % of what it does (a mirror is down)", "pool burst can give no node: ", "asked for in vain",
		"15:00 to 15:10: the controller is away (an update). At its end ", "the queue is gone after",
	} {
		if !strings.Contains(says, want) {
			t.Errorf("nothing tells %q:\n%s", want, says)
		}
	}
	if len(o.Beside) != 1 {
		t.Fatalf("%+v", o.Beside)
	}
	q := o.Beside[0]
	if q.What != "without-events" || q.MoreLost < 5 || q.MoreHours < 1 || q.MeanDelayNs <= 0 || !strings.HasPrefix(q.Says, "Without the events, ") {
		t.Errorf("%+v", q)
	}
	// Without the events it is what a scenario without them gives.
	w := need(t, "bad-day")
	quiet := once(t, w.Quiet())
	if quiet.Groups[0].Delay.Mean.Mean != q.MeanDelayNs || len(quiet.Beside) != 0 || len(quiet.Story) != 0 {
		t.Errorf("%v, told %v", quiet.Groups[0].Delay.Mean.Mean, q.MeanDelayNs)
	}
}

func TestShortLives(t *testing.T) {
	o := once(t, need(t, "short-lives"))
	if len(o.Lives) != 3 {
		t.Fatalf("%+v", o.Lives)
	}
	for _, l := range o.Lives {
		if l.Agents.Mean == 0 || l.Jobs.Mean <= 0.5 || l.Jobs.Mean > 12 || l.Age.Mean > 5*3600e9 {
			t.Errorf("%+v", l)
		}
	}
	if l := o.Lives[1]; l.ByJobs.Mean == 0 || l.ByAge.Mean == 0 {
		t.Errorf("%+v", l)
	}
	// What is left behind hurts the more the longer an agent is kept.
	wrong := func(most string) float64 {
		w := need(t, "short-lives", "mostJobs: 12", "mostJobs: "+most, "mostAge: 4h", "mostAge: 0s")
		for i := range w.Classes {
			w.Classes[i].Leftovers.Fails = 0.002
		}
		return once(t, w).Groups[0].Wrong.Mean
	}
	if one, few, all := wrong("1"), wrong("12"), wrong("0"); !(one < few && few < all) {
		t.Errorf("%v jobs go wrong on agents of one job, %v of twelve, %v of any number", one, few, all)
	}
}

func TestPackedAgain(t *testing.T) {
	o := once(t, need(t, "packed-again"))
	if len(o.Beside) != 1 || o.Beside[0].What != "nodes-left" || o.Beside[0].CostNano.Sign() >= 0 || o.Beside[0].MoreHours <= 0 ||
		!strings.Contains(o.Beside[0].Says, "nodes were emptied") {
		t.Fatalf("%+v", o.Beside)
	}
	left := once(t, need(t, "packed-again", ", drainBelow: 0.5", ""))
	if left.Groups[0].Delay.Mean.Mean != o.Beside[0].MeanDelayNs || left.Samples[0].Cost.TotalNano.Compare(o.Samples[0].Cost.TotalNano) <= 0 {
		t.Errorf("%v", left.Groups[0].Delay.Mean)
	}
}

func TestRolledOut(t *testing.T) {
	for recycle, want := range map[string]string{
		"none": "small-steady becomes small-steady-next. Of before there are ",
		"idle": "small-steady becomes small-steady-next, idle agents are taken away. Of before there are ",
		"all":  "No job begins on them afterwards; the last is gone after ",
	} {
		o := once(t, need(t, "rolled-out", "recycle: idle", "recycle: "+recycle))
		if len(o.Story) != 1 || !strings.Contains(o.Story[0].Says, want) {
			t.Errorf("%s: %+v", recycle, o.Story)
		}
		bin := int(int64(time.Date(2026, 9, 16, 8, 0, 0, 0, time.UTC).Sub(o.Start)) / o.Lines.BinNs)
		if o.Lines.Before == nil || o.Lines.Before[bin-1] != 0 || o.Lines.Before[bin] <= 0 || o.Lines.Before[len(o.Lines.Before)-1] != 0 {
			t.Errorf("%s: agents of before: %v", recycle, o.Lines.Before[bin-1:bin+3])
		}
	}
	if o := once(t, need(t, "packed-again")); o.Lines.Before != nil {
		t.Error("agents of before where nothing changes")
	}
	// A template that takes other jobs is another design.
	b, err := os.ReadFile("../../demo/needs/rolled-out.yaml")
	if err != nil {
		t.Fatal(err)
	}
	docs, jobs, err := worlds.DemoText("none")
	if err != nil {
		t.Fatal(err)
	}
	for _, bad := range [][3]string{
		{"tachyphor/offers: linux, web, go", "tachyphor/offers: linux, web", "so that other jobs would come to it"},
		{"becomes: small-steady-next", "becomes: nobody", "nobody"},
		{"recycle: idle", "recycle: some", "none, idle, all"},
		{"cpu: 1500m", "cpu: 90", "fits no node"},
		{"becomes: small-steady-next, ", "", "say floor, ceiling or spare, or what it becomes"},
	} {
		_, err := worlds.Parse(docs+"---\n"+strings.Replace(string(b), bad[0], bad[1], 1), jobs)
		if err == nil || !strings.Contains(err.Error(), bad[2]) {
			t.Errorf("%s: %v", bad[1], err)
		}
	}
}

// The three ways of building images, with the same jobs and draws: what the node keeps, or the store, spares
// work that a privileged builder without a cache does every time.
func TestBuildsThreeWays(t *testing.T) {
	cold := map[string]float64{}
	for _, way := range []string{"privileged", "socket", "rootless"} {
		o := once(t, need(t, "builds-"+way))
		for _, g := range o.Groups {
			if g.By != "class" || g.Name != "probe-images" {
				continue
			}
			for _, p := range g.WorkParts {
				if p.Cause == "cold" {
					cold[way] = p.Ns.Mean
				}
			}
			if g.Wrong.Mean != 0 {
				t.Errorf("%s: %v go wrong", way, g.Wrong.Mean)
			}
		}
	}
	if !(cold["rootless"] < cold["socket"] && cold["socket"] < cold["privileged"]) {
		t.Errorf("cold work %v", cold)
	}
}
