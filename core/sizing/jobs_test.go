package sizing

import (
	"math"
	"strings"
	"testing"

	"tachyphor/core/demand"
	"tachyphor/core/units"
)

// A pod that served two jobs is cut into two runs; what lies between them counts for
// neither, and a counter's growth is shared out where a job begins between samples.
func TestPodsAreCutByJobs(t *testing.T) {
	log, err := Read(strings.NewReader(`pod,at,cpu_seconds,memory,killed,limit
a,1000,10,1Gi,,
a,1010,20,2Gi,,
a,1020,40,2Gi,,
a,1030,60,1Gi,,
a,1040,61,1Gi,,
a,1050,71,5Gi,,
a,1060,91,6Gi,memory,8Gi
b,1000,0,1Gi,,
b,1010,5,3Gi,,
c,1000,0,1Gi,,
c,1010,5,1Gi,,
`))
	if err != nil || log.Bads > 0 {
		t.Fatal(err, log.Bad)
	}
	m := log.Match([]demand.Ran{
		{Pod: "a", ID: "first", Class: "x", From: 1005, To: 1030},
		{Pod: "a", ID: "second", Class: "y", From: 1040, To: 1061},
		{Pod: "b", ID: "whole", Class: "x", From: math.NaN(), To: math.NaN()},
		{Pod: "gone", ID: "none", Class: "x", From: 1, To: 2},
	})
	if m != (Matched{Jobs: 3, Alone: 1, Between: 1}) {
		t.Errorf("%+v", m)
	}
	runs, _, short := log.Runs()
	if len(runs) != 4 || short != 0 {
		t.Fatalf("%d runs, %d short", len(runs), short)
	}
	first, second, whole, alone := runs[0], runs[1], runs[2], runs[3]
	// From 1005, where the counter stood at 15, to 1030, where it stood at 60.
	if first.Job != "first" || first.Class != "x" || first.CPU != seconds(45) || first.Wall != seconds(25) || first.Memory != 2<<30 ||
		first.Killed {
		t.Errorf("%+v", first)
	}
	if second.Job != "second" || second.CPU != seconds(30) || second.Wall != seconds(20) || !second.Killed || second.Memory != 8<<30 {
		t.Errorf("%+v", second)
	}
	if whole.Job != "whole" || whole.CPU != seconds(5) || alone.Job != "" || alone.Class != "" {
		t.Errorf("%+v %+v", whole, alone)
	}
}

// A counter that started over between a job's beginning and its first sample has what it
// shows.
func TestCutAcrossARestart(t *testing.T) {
	x := Sample{At: 10, CPU: 100, Throttled: 4, Memory: nan, Disk: nan}
	next := Sample{At: 20, CPU: 7, Throttled: 6}
	got := x.counters(next, 15)
	if len(got) != 1 || got[0].CPU != 0 || got[0].Throttled != 5 || got[0].At != 15 {
		t.Errorf("%+v", got)
	}
	if x.counters(next, 10) != nil || x.counters(next, 20) != nil || (Sample{At: 1, CPU: nan, Throttled: nan}).counters(next, 5) != nil {
		t.Error("a count where none can be told")
	}
}

// Amdahl's work tells its parallel share: the rest of the time runs on one core.
func TestParallelShare(t *testing.T) {
	for _, p := range []float64{0, 0.3, 0.85, 1} {
		const c = 6.0
		if got := parallel(p*c+(1-p), c); math.Abs(got-p) > 1e-12 {
			t.Errorf("%v: %v", p, got)
		}
	}
	if !math.IsNaN(parallel(0.9, 1)) {
		t.Error("a share of a run on one core")
	}
}

// What Prometheus tells of containers: a restart, a metric for each device, a kill, a
// limit, and what is no container.
const answered = `{"status":"success","data":{"resultType":"matrix","result":[
 {"metric":{"__name__":"container_cpu_usage_seconds_total","pod":"p-1","container":"agent","id":"/one"},"values":[[100,"5"],[115,"20"],[130,"35"]]},
 {"metric":{"__name__":"container_cpu_usage_seconds_total","pod":"p-1","container":"agent","id":"/two"},"values":[[145,"1"],[160,"16"]]},
 {"metric":{"__name__":"container_memory_working_set_bytes","pod":"p-1","container":"agent","id":"/one"},"values":[[100,"1000"],[115,"3000"]]},
 {"metric":{"__name__":"container_memory_working_set_bytes","pod":"p-1","container":"agent","id":"/two"},"values":[[145,"2000"],[160,"2500"]]},
 {"metric":{"__name__":"container_memory_working_set_bytes","pod":"p-1","container":"","id":"/all"},"values":[[100,"9999999"]]}]}}
{"status":"success","data":{"resultType":"matrix","result":[
 {"metric":{"__name__":"container_fs_usage_bytes","pod":"p-1","container":"agent","id":"/two","device":"a"},"values":[[145,"100"],[160,"150"]]},
 {"metric":{"__name__":"container_fs_usage_bytes","pod":"p-1","container":"agent","id":"/two","device":"b"},"values":[[145,"10"],[160,"20"]]},
 {"metric":{"__name__":"container_oom_events_total","pod":"p-1","container":"agent"},"values":[[100,"0"],[160,"1"]]},
 {"metric":{"__name__":"container_spec_memory_limit_bytes","pod":"p-1","container":"agent"},"values":[[100,"4000"]]},
 {"metric":{"__name__":"something_else","pod":"p-1","container":"agent"},"values":[[100,"1"]]},
 {"metric":{"__name__":"container_fs_usage_bytes"},"values":[[100,"1"]]}]}}`

func TestAnswersOfPrometheus(t *testing.T) {
	log, err := Read(strings.NewReader(answered))
	if err != nil || len(log.Series) != 1 || log.Bads != 2 {
		t.Fatalf("%v, %d series, refused %v", err, len(log.Series), log.Bad)
	}
	if got := log.Bad[0].String() + "; " + log.Bad[1].String(); !strings.Contains(got,
		`series something_else{container="agent",pod="p-1"}: not one that is read`) ||
		!strings.Contains(got, "series container_fs_usage_bytes{}: it names no pod") {
		t.Error(got)
	}
	runs, odd, _ := log.Runs()
	// 30 s before the restart, and 16 after it: the counter of the second life began at 0.
	r := runs[0]
	if r.CPU != seconds(46) || r.Memory != 4000 || r.Disk != 170 || !r.Killed || r.Wall != seconds(60) || odd.Restarts != 1 ||
		odd.Resets != 0 {
		t.Errorf("%+v, %+v", r, odd)
	}
	// The same from the CSV that is written of it.
	var b strings.Builder
	if err := log.WriteCSV(&b); err != nil {
		t.Fatal(err)
	}
	again, err := Read(strings.NewReader(b.String()))
	if err != nil || again.Bads > 0 {
		t.Fatal(err, again.Bad)
	}
	back, _, _ := again.Runs()
	if len(back) != 1 || back[0].CPU != r.CPU || back[0].Memory != r.Memory || back[0].Disk != r.Disk || !back[0].Killed ||
		back[0].Oddities != r.Oddities {
		t.Errorf("%+v", back)
	}
}

func TestBrokenAnswers(t *testing.T) {
	for text, want := range map[string]string{
		`{"status":"error","error":"too many"}`:               "too many",
		`{"status":"success","data":{"resultType":"vector"}}`: "expected matrix",
		`{"status":`: "not what Prometheus gives",
		`{"status":"success","data":{"resultType":"matrix","result":[{"metric":{"__name__":"container_fs_usage_bytes"},"values":[[1,"many"]]}]}}`: "not [seconds",
	} {
		if _, err := Read(strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", text, err)
		}
	}
}

// Rates and counters in one log cannot be written to one file.
func TestMixedLogsAreNotWritten(t *testing.T) {
	l := Log{Series: []Series{{Pod: "a", Rate: true}, {Pod: "b"}}}
	if err := l.WriteCSV(&strings.Builder{}); err == nil {
		t.Error("written")
	}
	l.Series = l.Series[:1]
	l.Series[0].Samples = []Sample{{At: 1, CPU: 2, Memory: nan, Throttled: nan, Disk: float64(units.Bytes(5))}}
	var b strings.Builder
	if err := l.WriteCSV(&b); err != nil || !strings.Contains(b.String(), "a,,1,2,,,5,") {
		t.Error(err, b.String())
	}
}
