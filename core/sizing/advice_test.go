package sizing

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/units"

	"github.com/parquet-go/parquet-go"
)

// parsed reads one document.
func parsed(t testing.TB, text string) *document.Document {
	t.Helper()
	docs, faults := document.Parse("", []byte(text))
	if len(faults) > 0 || len(docs) != 1 {
		t.Fatal(faults)
	}
	return docs[0]
}

const littleCluster = `
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: little}
spec:
  currency: EUR
  nodeTypes:
    - {name: eight, cpu: 8, memory: 32Gi, disk: 100Gi, price: 0.80/h}
    - {name: large, cpu: 32, memory: 128Gi, disk: 100Gi, price: 3.20/h}
  pools:
    - {name: few, nodeType: large, max: 1}
    - {name: many, nodeType: eight, max: 9}
    - {name: shut, nodeType: eight, max: 20, taints: [{key: keep.example/out, effect: NoSchedule}]}
`

const littleTemplate = `
apiVersion: v1
kind: PodTemplate
metadata: {name: little, annotations: {tachyphor/offers: linux}}
template:
  spec:
    containers:
      - name: agent
        image: a
        resources:
          requests: {cpu: "2", memory: 6Gi}
          limits: {cpu: "3", memory: 6Gi}
`

func littleQuestion(t testing.TB) Question {
	return Question{Template: parsed(t, littleTemplate), Cluster: parsed(t, littleCluster)}
}

// alike makes runs of ten minutes an hour apart with one use of CPU and drawn memory.
func alike(n int, cores float32, memory func(i int) units.Bytes) []Run {
	out := make([]Run, n)
	for i := range out {
		out[i] = Run{
			Pod: "p", Began: 1.7e9 + 3600*float64(i), Wall: 10 * units.Minute, CPU: units.Duration(600 * float64(cores) * 1e9),
			Memory: memory(i), Disk: units.Bytes(1<<30 + i<<10), MeanCores: float64(cores), PeakCores: float64(cores), Parallel: math.NaN(),
			Interval: 15, Samples: 40, Curve: even(cores, 300, 300),
		}
	}
	return out
}

// Runs that all want one core: eight go on a node of eight, none is held up, and a run
// of ten minutes costs a sixth of an eighth of the node's price.
func TestAdviceByHand(t *testing.T) {
	a, err := Advise(littleQuestion(t), alike(400, 1, func(i int) units.Bytes { return units.Bytes(1000+i*149%400) << 20 }))
	if err != nil {
		t.Fatal(err)
	}
	// Of 400 values the 399th is the bound for 99 % with 95 % confidence: the chance that
	// 398 or fewer of 400 lie below the 99th percentile is 90.8 %, 399 or fewer 98.2 %.
	// CPU fills the node, so a quarter more than the largest peak, in steps of 64 MiB, is free.
	if a.Pool != "many" || a.Memory.Bound != 1399<<20 || a.Memory.Request != roundUp(1399<<20) || a.Best.Memory != 1728<<20 ||
		a.Memory.Roomy != a.Best.Memory {
		t.Errorf("%s, %s, %s", a.Pool, a.Memory.Bound, a.Best.Memory)
	}
	b := a.Best
	if b.CPU != 1000 || b.Agents != 8 || b.Expected != 1 || b.Guaranteed != 1 || b.Binds != "cpu" || math.Abs(b.PerHour-0.1) > 1e-12 ||
		math.Abs(b.PerRun-0.1/6) > 1e-12 || !a.Met {
		t.Errorf("%+v", b)
	}
	if n := a.Now; n.CPU != 2000 || n.Agents != 4 || n.Memory != 6<<30 || a.NowLimit.CPU != 3000 {
		t.Errorf("%+v", n)
	}
	text, err := document.Apply(littleTemplate, a.Edits)
	if err != nil {
		t.Fatal(err)
	}
	d := parsed(t, text)
	c := d.Value.(*document.PodTemplate).Template.Spec.Containers[0].Resources
	if c.Requests.Cpu().MilliValue() != 1000 || c.Limits.Memory().Value() != int64(b.Memory) || len(c.Limits) != 2 ||
		!strings.Contains(d.Value.(*document.PodTemplate).Annotations[SizedAnnotation], "400 runs") {
		t.Errorf("%s", text)
	}
	// What exploring may take of it: what today says, and what is advised.
	k, ok := a.Knob(littleQuestion(t).Template)
	if !ok || len(k.Together) != 3 || k.Name != "little requests" || k.Together[0].At != "PodTemplate/little/template/spec/containers/agent/resources/requests/cpu" ||
		fmt.Sprint(k.Together[0].Plain(), k.Together[1].Plain()) != "[2 1] [6Gi 1728Mi]" {
		t.Errorf("%v %+v", ok, k)
	}
	// Sized again it stays as it is.
	again := littleQuestion(t)
	again.Template = d
	if a, err := Advise(again, alike(400, 1, func(i int) units.Bytes { return units.Bytes(1000+i*149%400) << 20 })); err != nil ||
		len(a.Edits) != 0 || !strings.Contains(a.Words[0], "are right") {
		t.Errorf("%v %+v", err, a.Edits)
	}
	if _, err := json.Marshal(a); err != nil {
		t.Error(err)
	}
}

// What is not known is not made up: too few runs leave memory as it is, kills lead to a
// trial, and nothing at all is an error.
func TestAdviceFromLittle(t *testing.T) {
	q := littleQuestion(t)
	a, err := Advise(q, alike(20, 1, func(int) units.Bytes { return 1 << 30 }))
	if err != nil || a.Best.Memory != 6<<30 || slices.ContainsFunc(a.Edits,
		func(e document.Edit) bool { return strings.HasSuffix(e.Path, "memory") }) {
		t.Errorf("%v %+v", err, a)
	}
	// 25 of 120 runs used more than today's 6 GiB, the most 9.75: fewer runs than a bound
	// needs, and yet no less than that is asked for.
	a, err = Advise(q, alike(120, 1, func(i int) units.Bytes {
		if i%24 < 5 {
			return 9984<<20 - units.Bytes(i)<<20
		}
		return 3 << 30
	}))
	if err != nil || a.Memory.Request != 0 || a.Best.Memory < 9984<<20 ||
		!strings.Contains(strings.Join(a.Memory.Words, " "), "179 more are needed") ||
		!slices.ContainsFunc(a.Edits, func(e document.Edit) bool { return strings.HasSuffix(e.Path, "limits/memory") }) ||
		!strings.Contains(a.Note, "179 more are needed; 9.8 GiB was seen") {
		t.Errorf("%v %+v %+v %s", err, a.Memory, a.Best, a.Note)
	}
	killed := alike(500, 1, func(int) units.Bytes { return 4 << 30 })
	for i := range 50 {
		killed[10*i].Memory, killed[10*i].Killed = 6<<30, true
	}
	a, err = Advise(q, killed)
	// 7.5 GiB lets four on the node; four could have 8, which costs no more.
	if err != nil || a.Memory.Request != 0 || a.Memory.Trial != 8<<30 || a.Best.Memory != 8<<30 || a.Best.Agents != 4 {
		t.Errorf("%v %+v %+v", err, a.Memory, a.Best)
	}
	if _, err := Advise(q, nil); !errors.Is(err, ErrNoRuns) {
		t.Error(err)
	}
	q.Class = "none"
	if _, err := Advise(q, killed); !errors.Is(err, ErrNoRuns) {
		t.Error(err)
	}
	q.Class, q.Pool = "", "gone"
	if _, err := Advise(q, killed); err == nil || !strings.Contains(err.Error(), "no pool gone") {
		t.Error(err)
	}
	q.Pool = "shut" // named, it counts although a taint keeps its agents off
	if a, err := Advise(q, killed); err != nil || a.Pool != "shut" {
		t.Error(err)
	}
}

// The best request is the cheapest of those that are allowed, whatever the runs.
func TestBestIsTheCheapestAllowed(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 9))
	for range 60 {
		runs := alike(60, 1, func(int) units.Bytes { return units.Bytes(1+r.IntN(3)) << 30 })
		for i := range runs {
			runs[i].Class = []string{"x", "y"}[i%2]
			runs[i].Curve = Curve{{float32(10 + 100*r.Float64()), float32(4 * r.Float64())}, {float32(10 + 50*r.Float64()), 0.3}}
			runs[i].PeakCores = 4
		}
		q := littleQuestion(t)
		q.Stretch = 1 + r.Float64()/2
		a, err := Advise(q, runs)
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range a.Curve {
			if p.Agents > 0 && p.Slow <= q.Stretch && (!a.Met || p.PerRun < a.Best.PerRun*(1-1e-6)) {
				t.Fatalf("%+v is allowed and cheaper than %+v", p, a.Best)
			}
			if p.Expected > p.Slow+1e-9 || p.Expected > p.Guaranteed*1.05 && p.CPU > 0 {
				t.Fatalf("%+v: a full node gives less than the request", p)
			}
		}
		if a.Met != (a.Best.Slow <= q.Stretch) {
			t.Fatalf("%+v", a.Best)
		}
	}
}

// Two classes of which one needs four times the memory, on nodes where memory binds:
// two templates save what theory says.
func TestDivision(t *testing.T) {
	q := littleQuestion(t)
	runs := alike(800, 0.5, func(i int) units.Bytes { return []units.Bytes{2 << 30, 8 << 30}[i%2] })
	for i := range runs {
		runs[i].Class = []string{"small", "large"}[i%2]
	}
	a, err := Advise(q, runs)
	if err != nil || len(a.Splits) != 2 {
		t.Fatal(err, a.Splits)
	}
	// One: 8 GiB, four on a node, 0.2 an hour. Two: 16 of the small and 4 of the large,
	// (0.05 + 0.2)/2 an hour.
	one, two := a.Splits[0], a.Splits[1]
	if math.Abs(one.PerRun-0.2/6) > 1e-9 || math.Abs(two.PerRun-0.125/6) > 1e-9 || math.Abs(two.Saves-0.375) > 1e-9 ||
		!strings.Contains(a.Verdict, "2 templates would save 38 %") {
		t.Errorf("%+v %+v %s", one, two, a.Verdict)
	}
	if math.Abs(a.Bound-0.375) > 1e-9 {
		t.Errorf("the cut by memory alone saves %v", a.Bound)
	}
	// Half of the runs need no more than 2 GiB: requesting that, sixteen go on a node,
	// and half of them at 8 GiB are too much for it.
	if len(a.Below) != 1 || a.Below[0].Agents != 16 || a.Below[0].Over < 0.99 {
		t.Errorf("%+v", a.Below)
	}
}

// There are as many partitions as Stirling's numbers of the second kind say.
func TestPartitions(t *testing.T) {
	want := map[[2]int]int{{1, 1}: 1, {3, 2}: 3, {4, 2}: 7, {4, 3}: 6, {5, 2}: 15, {5, 3}: 25, {5, 5}: 1}
	for at, n := range want {
		seen := map[string]bool{}
		partitions(uint(1)<<at[0]-1, at[1], func(parts []uint) {
			all := uint(0)
			for _, p := range parts {
				if p == 0 || all&p != 0 {
					t.Fatalf("%v", parts)
				}
				all |= p
			}
			sorted := slices.Sorted(slices.Values(parts))
			key, _ := json.Marshal(sorted)
			if all != uint(1)<<at[0]-1 || seen[string(key)] {
				t.Fatalf("%v", parts)
			}
			seen[string(key)] = true
		})
		if len(seen) != n {
			t.Errorf("%v: %d", at, len(seen))
		}
	}
}

// The same samples as CSV and as Parquet are the same log.
func TestParquetSamples(t *testing.T) {
	type row struct {
		Pod     string   `parquet:"pod"`
		At      int64    `parquet:"at,timestamp(millisecond)"`
		CPU     float64  `parquet:"cpu_seconds"`
		Memory  int64    `parquet:"memory"`
		Disk    *float64 `parquet:"disk,optional"`
		Killed  bool     `parquet:"killed"`
		Unknown string   `parquet:"-"`
	}
	var b bytes.Buffer
	five := 5.0
	if err := parquet.Write(&b, []row{
		{"p", 1_700_000_000_000, 0, 1 << 30, nil, false, ""},
		{"p", 1_700_000_015_000, 30, 2 << 30, &five, true, ""},
		{"", 1_700_000_015_000, 30, 2 << 30, nil, false, ""},
	}); err != nil {
		t.Fatal(err)
	}
	got, err := Read(&b)
	if err != nil || got.Bads != 1 || got.Bad[0].Column != "pod" || got.Bad[0].Line != 3 {
		t.Fatal(err, got.Bad)
	}
	want, _ := Read(strings.NewReader("pod,at,cpu_seconds,memory,disk,killed\np,2023-11-14T22:13:20Z,0,1073741824,,no\np,2023-11-14T22:13:35Z,30,2147483648,5,true\n"))
	g, _, _ := got.Runs()
	w, _, _ := want.Runs()
	if len(g) != 1 || g[0].CPU != w[0].CPU || g[0].Memory != w[0].Memory || g[0].Disk != 5 || !g[0].Killed || g[0].Began != w[0].Began {
		t.Errorf("%+v %+v", g, w)
	}
	for _, bad := range []string{"PAR1", "PAR1 and then nothing", "PAR1\x00\x00\x00\x00PAR1"} {
		if _, err := Read(strings.NewReader(bad)); err == nil {
			t.Errorf("%q was read", bad)
		}
	}
}

// Ten thousand runs of two hundred samples, as a large shop has them.
func BenchmarkSizeTenThousand(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 2))
	series := make([]Series, 10_000)
	for i := range series {
		s := Series{Pod: "p", Samples: make([]Sample, 200)}
		cpu, mem := 0.0, 1e9*math.Exp(0.3*r.NormFloat64())
		for j := range s.Samples {
			s.Samples[j] = Sample{At: 1.7e9 + float64(i)*60 + float64(j)*15, CPU: cpu, Memory: mem * float64(j) / 200, Throttled: nan, Disk: nan}
			cpu += 15 * 3 * r.Float64()
		}
		series[i] = s
	}
	log := Log{Series: series}
	q := littleQuestion(b)
	b.ReportAllocs()
	for b.Loop() {
		runs, _, _ := log.Runs()
		if _, err := Advise(q, runs); err != nil {
			b.Fatal(err)
		}
	}
}
