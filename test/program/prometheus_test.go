package program

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"tachyphor/core/sizing"
	"tachyphor/demo"
	"tachyphor/internal/child"
	"tachyphor/internal/prometheus"
	"tachyphor/test/running"
)

// startPrometheus runs a real Prometheus on loopback over a folder with a
// configuration, until the test ends, and returns its address.
func startPrometheus(t *testing.T, dir, config string, more ...string) string {
	t.Helper()
	program, err := exec.LookPath("prometheus")
	if err != nil {
		t.Fatal("no prometheus; `make setup-test` installs it")
	}
	file := filepath.Join(dir, "prometheus.yml")
	if err := os.WriteFile(file, []byte(config), 0o600); err != nil {
		t.Fatal(err)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := l.Addr().String()
	_ = l.Close()
	cmd := exec.Command(program, append([]string{
		"--config.file=" + file, "--storage.tsdb.path=" + filepath.Join(dir, "data"), "--web.listen-address=" + address, "--log.level=error",
	}, more...)...)
	var log bytes.Buffer
	cmd.Stderr = &log
	wait, err := child.Start(cmd)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = cmd.Process.Kill()
		_ = wait()
	})
	for range 300 {
		resp, err := http.Get("http://" + address + "/-/ready")
		if err == nil {
			_ = resp.Body.Close()
			if resp.StatusCode == http.StatusOK {
				return "http://" + address
			}
		}
		time.Sleep(100 * time.Millisecond)
	}
	t.Fatal("prometheus did not start: " + log.String())
	return ""
}

// drawnUsage returns the demo's usage of a template.
func drawnUsage(t *testing.T, template string) demo.Usage {
	t.Helper()
	list, err := demo.DrawUsage()
	if err != nil {
		t.Fatal(err)
	}
	for _, u := range list {
		if u.Template == template {
			return u
		}
	}
	t.Fatal("no usage of " + template)
	return demo.Usage{}
}

// openMetrics writes series as Prometheus takes them in from elsewhere.
func openMetrics(list []sizing.Series) []byte {
	var b bytes.Buffer
	family := func(name, kind, metric string, of func(*sizing.Series, *sizing.Sample) float64) {
		fmt.Fprintf(&b, "# TYPE %s %s\n", name, kind)
		for i := range list {
			s := &list[i]
			for j := range s.Samples {
				if v := of(s, &s.Samples[j]); !math.IsNaN(v) {
					fmt.Fprintf(&b, "%s{namespace=\"slipway\",pod=%q,container=%q,id=\"/kube/%s\"} %v %.3f\n", metric, s.Pod, s.Container, s.Pod, v,
						s.Samples[j].At)
				}
			}
		}
	}
	family("container_cpu_usage_seconds", "counter", "container_cpu_usage_seconds_total",
		func(_ *sizing.Series, x *sizing.Sample) float64 { return x.CPU })
	family("container_memory_working_set_bytes", "gauge", "container_memory_working_set_bytes",
		func(_ *sizing.Series, x *sizing.Sample) float64 { return x.Memory })
	family("container_fs_usage_bytes", "gauge", "container_fs_usage_bytes", func(_ *sizing.Series, x *sizing.Sample) float64 { return x.Disk })
	family("container_spec_memory_limit_bytes", "gauge", "container_spec_memory_limit_bytes",
		func(s *sizing.Series, _ *sizing.Sample) float64 { return float64(s.Limit) })
	family("container_oom_events", "counter", "container_oom_events_total", func(s *sizing.Series, x *sizing.Sample) float64 {
		if s.Killed && x == &s.Samples[len(s.Samples)-1] {
			return 1
		}
		return 0
	})
	b.WriteString("# EOF\n")
	return b.Bytes()
}

// Three weeks of samples give the same runs, and the same advice, from a real
// Prometheus' API as from CSV.
func TestPrometheusAndCSVAgree(t *testing.T) {
	t.Parallel()
	usage := drawnUsage(t, "compile-wide")
	log, err := sizing.Read(bytes.NewReader(usage.Samples))
	if err != nil {
		t.Fatal(err)
	}
	var some []sizing.Series
	for i, s := range log.Series {
		r, ok := sizing.Reduce(s)
		// Prometheus itself takes no sample twice and none from before the last.
		if ok && (i%40 == 0 || r.Killed) && r.Oddities.Duplicates == 0 && r.Oddities.Steps == 0 {
			some = append(some, s)
		}
	}
	dir := t.TempDir()
	file := filepath.Join(dir, "samples.om")
	if err := os.WriteFile(file, openMetrics(some), 0o600); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("promtool", "tsdb", "create-blocks-from", "openmetrics", "--max-block-duration=1000h", file,
		filepath.Join(dir, "data")).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	address := startPrometheus(t, dir, "global: {scrape_interval: 1h}\n", "--storage.tsdb.retention.time=100y")

	first, last := math.Inf(1), 0.0
	for _, s := range some {
		first = min(first, s.Samples[0].At)
		last = max(last, s.Samples[len(s.Samples)-1].At)
	}
	at := func(sec float64) time.Time { return time.UnixMilli(int64(sec * 1000)) }
	told := 0.0
	got, err := prometheus.Ask(context.Background(), prometheus.Question{
		Address: address, Namespace: "slipway", Pods: "compile-wide-.+", Container: "agent", From: at(first - 3600), To: at(last + 3600),
	}, func(done float64) {
		if done < told || done > 1 {
			t.Errorf("progress from %v to %v", told, done)
		}
		told = done
	})
	if err != nil {
		t.Fatal(err)
	}
	if len(got.Series) != len(some) || told != 1 {
		t.Fatalf("%d series of %d, told %v", len(got.Series), len(some), told)
	}
	want := map[string]sizing.Run{}
	killed := 0
	for _, s := range some {
		r, _ := sizing.Reduce(s)
		want[s.Pod] = r
		if r.Killed {
			killed++
		}
	}
	for _, s := range got.Series {
		r, ok := sizing.Reduce(s)
		w := want[s.Pod]
		if !ok || r.CPU != w.CPU || r.Wall != w.Wall || r.Memory != w.Memory || r.Disk != w.Disk || r.Killed != w.Killed ||
			r.PeakCores != w.PeakCores || r.Oddities != w.Oddities || r.Samples != w.Samples {
			t.Fatalf("%s\n%+v\n%+v", s.Pod, r, w)
		}
	}
	if killed < 10 {
		t.Errorf("only %d killed runs were looked at", killed)
	}

	// The same on the command line, and from the file that it writes.
	state := t.TempDir()
	_, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	span := []string{"--since", at(first - 3600).UTC().Format(time.RFC3339), "--until", at(last + 3600).UTC().Format(time.RFC3339)}
	csv := filepath.Join(dir, "out.csv")
	if r := command(t, state, append([]string{"observe", "compile-wide", "--prometheus", address, "--write", csv},
		span...)...); r.status != 0 || !strings.Contains(r.err, "written to") {
		t.Fatalf("%+v", r)
	}
	if r := command(t, state, "observe", "compile-wide", csv); r.status != 0 || !strings.Contains(r.out, fmt.Sprintf("%d new", len(some))) {
		t.Fatalf("%+v", r)
	}
	fromCSV := command(t, state, "size", "compile-wide", "--half-life", "0s", "-o", "json")
	if r := command(t, state, append([]string{"observe", "compile-wide", "--prometheus", address}, span...)...); r.status != 0 ||
		!strings.Contains(r.out, fmt.Sprintf("0 new, 0 more complete than before, %d known", len(some))) {
		t.Fatalf("%+v", r)
	}
	if r := command(t, state, "drop", "usage", "compile-wide"); r.status != 0 {
		t.Fatalf("%+v", r)
	}
	if r := command(t, state, append([]string{"observe", "compile-wide", "--prometheus", address}, span...)...); r.status != 0 {
		t.Fatalf("%+v", r)
	}
	if fromAPI := command(t, state, "size", "compile-wide", "--half-life", "0s", "-o", "json"); fromAPI.out != fromCSV.out ||
		len(fromCSV.out) < 1000 {
		t.Errorf("the advice differs: %d and %d bytes", len(fromAPI.out), len(fromCSV.out))
	}

	// And from the answer to a range query, kept in a file; its step is that of the samples.
	q := url.Values{
		"query": {`{__name__=~"container_(cpu_usage_seconds_total|memory_working_set_bytes)",pod="` + some[0].Pod + `"}`},
		"start": {fmt.Sprint(some[0].Samples[0].At)}, "end": {fmt.Sprint(some[0].Samples[len(some[0].Samples)-1].At)}, "step": {"15"},
	}
	resp, err := http.Get(address + "/api/v1/query_range?" + q.Encode())
	if err != nil {
		t.Fatal(err)
	}
	answer, err := io.ReadAll(resp.Body)
	_ = resp.Body.Close()
	if err != nil {
		t.Fatal(err)
	}
	ranged, err := sizing.Read(bytes.NewReader(answer))
	if err != nil || len(ranged.Series) != 1 {
		t.Fatal(err, len(ranged.Series))
	}
	r, _ := sizing.Reduce(ranged.Series[0])
	w := want[some[0].Pod]
	if math.Abs(r.CPU.Seconds()-w.CPU.Seconds()) > 0.02*w.CPU.Seconds()+15*w.PeakCores || r.Memory > w.Memory {
		t.Errorf("from the range query %v and %s, from samples %v and %s", r.CPU, r.Memory, w.CPU, w.Memory)
	}
}

// An exporter of ours tells of containers as a kubelet does: one that begins anew, one
// that is killed for memory, and a while in which it does not answer.
type exporter struct {
	mu     sync.Mutex
	asked  int
	cpu    map[string]float64   // by life of a container
	seen   map[string][]float64 // CPU that was told, by life
	peak   map[string]float64   // memory that was told, by pod
	silent bool
	last   time.Time     // when it was asked last
	pause  time.Duration // the longest between two questions
}

func (e *exporter) ServeHTTP(w http.ResponseWriter, _ *http.Request) {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.asked++
	n := e.asked
	if now := time.Now(); n > 1 {
		e.pause, e.last = max(e.pause, now.Sub(e.last)), now
	} else {
		e.last = now
	}
	if n >= 14 && n < 20 {
		http.Error(w, "not now", http.StatusInternalServerError)
		return
	}
	if n > 40 || e.silent {
		e.silent = true
		return // the pods are gone
	}
	tell := func(pod, life string, cores, memory float64, kills int) {
		e.cpu[life] += cores * 0.2
		e.seen[life] = append(e.seen[life], e.cpu[life])
		e.peak[pod] = max(e.peak[pod], memory)
		labels := fmt.Sprintf("namespace=\"slipway\",pod=%q,container=\"agent\",id=%q", pod, life)
		fmt.Fprintf(w, "container_cpu_usage_seconds_total{%s,cpu=\"total\"} %v\n", labels, e.cpu[life])
		fmt.Fprintf(w, "container_memory_working_set_bytes{%s} %v\n", labels, memory)
		fmt.Fprintf(w, "container_fs_usage_bytes{%s,device=\"/dev/a\"} %v\n", labels, 1000*n)
		fmt.Fprintf(w, "container_cpu_cfs_throttled_seconds_total{%s} %v\n", labels, 0.01*float64(n))
		fmt.Fprintf(w, "container_spec_memory_limit_bytes{%s} 4e9\n", labels)
		fmt.Fprintf(w, "container_oom_events_total{%s} %d\n", labels, kills)
	}
	life := "/a-1"
	if n > 26 {
		life = "/a-2"
	}
	tell("small-steady-a", life, 2, 1e9+float64(n)*1e7, 0)
	if n > 5 && n < 34 {
		kills := 0
		if n == 33 {
			kills = 1
		}
		tell("small-steady-b", "/b-1", 1, 3e9+float64(n)*1e6, kills)
	}
	fmt.Fprintln(w, `container_memory_working_set_bytes{namespace="slipway",pod="small-steady-a",container="",id="/pod"} 9e9`)
}

// What a real Prometheus scraped is read back as it was told.
func TestScrapedUsage(t *testing.T) {
	t.Parallel() // it waits most of its time
	e := &exporter{cpu: map[string]float64{}, seen: map[string][]float64{}, peak: map[string]float64{}}
	web := httptest.NewServer(e)
	defer web.Close()
	began := time.Now()
	address := startPrometheus(t, t.TempDir(), `
global: {scrape_interval: 500ms, scrape_timeout: 500ms}
scrape_configs:
  - job_name: kubelets
    honor_labels: true
    static_configs: [{targets: ["`+strings.TrimPrefix(web.URL, "http://")+`"]}]
`)
	for range 600 {
		e.mu.Lock()
		over := e.asked > 43
		e.mu.Unlock()
		if over {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	log, err := prometheus.Ask(context.Background(),
		prometheus.Question{
			Address: address, Pods: "small-steady-.+", Container: "agent", From: began.Add(-time.Minute),
			To: time.Now().Add(time.Second),
		}, func(float64) {})
	if err != nil {
		t.Fatal(err)
	}
	runs, odd, _ := log.Runs()
	if len(runs) != 2 {
		t.Fatalf("%+v", runs)
	}
	a, b := runs[0], runs[1]
	grew := func(life string, fromZero bool) float64 {
		s := e.seen[life]
		if fromZero {
			return s[len(s)-1]
		}
		return s[len(s)-1] - s[0]
	}
	if want := grew("/a-1", false) + grew("/a-2", true); math.Abs(a.CPU.Seconds()-want) > 1e-6 ||
		float64(a.Memory) != e.peak["small-steady-a"] || a.Killed {
		t.Errorf("%+v, CPU %v", a, want)
	}
	if want := grew("/b-1", false); math.Abs(b.CPU.Seconds()-want) > 1e-6 || !b.Killed || b.Memory != 4e9 {
		t.Errorf("%+v, CPU %v", b, want)
	}
	// Both pods were not heard of for a while. A machine that stood still makes gaps of
	// its own, which are none of the program's.
	if odd.Restarts != 1 || odd.Resets != 0 || odd.Gaps < 2 || (odd.Gaps > 2 && e.pause < time.Second) {
		t.Errorf("%+v, asked after %v at the latest", odd, e.pause)
	}
	if a.Throttled.Seconds() <= 0 || a.Disk != 40_000 {
		t.Errorf("throttled %v, disk %v", a.Throttled, a.Disk)
	}
}

// What cannot be answered is said with its reason.
func TestPrometheusThatSaysNo(t *testing.T) {
	t.Parallel() // it waits most of its time
	ask := func(q prometheus.Question) error {
		if q.Pods == "" {
			q.Pods = ".+"
		}
		q.Container, q.From, q.To = "agent", time.Now().Add(-time.Hour), time.Now()
		_, err := prometheus.Ask(context.Background(), q, func(float64) {})
		return err
	}
	answer := func(status int, body string) string {
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.Header.Get("Authorization") == "Bearer sesame" {
				status, body = 200, `{"status":"success","data":{"resultType":"matrix","result":[]}}`
			}
			w.Header().Set("Content-Type", "application/json")
			w.WriteHeader(status)
			_, _ = io.WriteString(w, body)
		}))
		t.Cleanup(s.Close)
		return s.URL
	}
	shut := answer(401, "")
	for _, c := range []struct {
		q    prometheus.Question
		want string
	}{
		{prometheus.Question{Address: "prometheus"}, "write it as in http"},
		{prometheus.Question{Address: "http://127.0.0.1:1"}, "does not answer"},
		{prometheus.Question{Address: "http://127.0.0.1:1", Pods: "("}, "pods"},
		{prometheus.Question{Address: shut}, "TACHYPHOR_PROMETHEUS_TOKEN"},
		{prometheus.Question{Address: shut, Token: "sesame"}, "no samples of container agent"},
		{prometheus.Question{Address: answer(404, "")}, "404"},
		{prometheus.Question{Address: answer(200, `{"status":"success","data":{"resultType":"scalar","result":[1,"2"]}}`)}, "not a matrix"},
		{prometheus.Question{Address: answer(422, `{"status":"error","errorType":"execution","error":"query processing would load too many samples"}`)}, "too many samples"},
		{prometheus.Question{Address: answer(200, `<html>`)}, "does not answer"},
	} {
		if err := ask(c.q); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%+v: %v", c.q, err)
		}
	}
}
