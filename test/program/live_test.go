package program

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/internal/standin/jobs"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// happened are so many jobs, one after the other by so much, each with what is told of it.
func happened(n int, apart time.Duration) []jobs.Happening {
	begin := time.Now().UTC().Add(-time.Duration(n)*apart - time.Hour).Truncate(time.Millisecond)
	var out []jobs.Happening
	for i := range n {
		h := jobs.Happening{
			ID: fmt.Sprint("job-", i), Class: []string{"compile", "test"}[i%2], Project: []string{"tide-charts", "hull-firmware", "shore-desk"}[i%3],
			Branch: "trunk", Wants: []string{"linux"}, Queued: begin.Add(time.Duration(i) * apart),
		}
		h.Step, h.At = jobs.Queued, h.Queued
		out = append(out, h)
		h.Step, h.At = jobs.Started, h.Queued.Add(time.Duration(1+i%7)*time.Second)
		h.Started, h.Pod = h.At, fmt.Sprint("compile-", i)
		out = append(out, h)
		h.Step, h.At, h.Result = jobs.Finished, h.Started.Add(time.Duration(10+i%90)*time.Second), []string{"success", "failure"}[i%5/4]
		out = append(out, h)
	}
	return out
}

// What is told of jobs is counted once and whole, by either protocol, though much of it comes
// twice or late and the service is killed in the middle, again and again.
func TestLiveRecordsOverKills(t *testing.T) {
	t.Parallel()
	n, rate, kills := 2000, 0.0, 3
	if os.Getenv("TACHYPHOR_VALIDATE") != "" { // five minutes of a thousand messages a second
		n, rate, kills = 75_000, 750, 10
	}
	for _, as := range []jobs.Protocol{jobs.AsEvents, jobs.AsSpans} {
		t.Run(string(as), func(t *testing.T) {
			ctx, state, address := context.Background(), t.TempDir(), running.FreeAddress(t)
			p, c := running.Serve(t, state, nil, "--listen", address)
			token, err := c.NewToken(ctx, wire.NewToken{Name: "sender", Role: wire.Events})
			if err != nil {
				t.Fatal(err)
			}
			list := happened(n, time.Second)
			type end struct {
				sent jobs.Sent
				err  error
			}
			ended, came := make(chan end, 1), make(chan int, 10_000)
			began := time.Now()
			go func() {
				sent, err := jobs.Send(ctx, list, jobs.Sending{
					Address: c.Address, Token: token.Secret, As: as, Rate: rate, Twice: 0.05, Late: 0.1, Tell: func(s jobs.Sent) { came <- s.Steps },
				})
				ended <- end{sent, err}
			}()
			for k := range kills {
				for steps := range came {
					if steps > (k+1)*len(list)/(kills+1) {
						break
					}
				}
				time.Sleep(time.Duration(3+k*5) * time.Millisecond) // in the middle of a request, likely
				p.Kill()
				p, c = running.Serve(t, state, nil, "--listen", address)
			}
			e := <-ended
			took := time.Since(began)
			if e.err != nil || e.sent.Steps != len(list) {
				t.Fatalf("%+v %v\n%s", e.sent, e.err, p.Log())
			}
			holds(t, c, list)
			l, err := c.Live(ctx)
			want := int64(4 * n) // queued, started, and the end of the run and of its pipeline
			if as == jobs.AsSpans {
				want = int64(2 * n)
			}
			if err != nil || l.Messages != want {
				t.Errorf("%d messages are counted of %d, %v", l.Messages, want, err)
			}
			t.Logf("%d messages in %v, those included that came twice; %d requests had to be sent again", e.sent.Messages, took.Round(time.Second), e.sent.Again)
		})
	}
}

// holds checks that the live records are just what happened.
func holds(t *testing.T, c *client.Client, list []jobs.Happening) {
	t.Helper()
	var b bytes.Buffer
	if err := c.LiveLog(context.Background(), client.Stretch{}, "csv", &b); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&b).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	at := map[string]int{}
	for i, name := range rows[0] {
		at[name] = i
	}
	is := map[string][]string{}
	for _, row := range rows[1:] {
		if is[row[at["id"]]] != nil {
			t.Fatalf("%s is there twice", row[at["id"]])
		}
		is[row[at["id"]]] = row
	}
	if len(is) != len(list)/3 {
		t.Errorf("%d jobs of %d are there", len(is), len(list)/3)
	}
	wrong := 0
	for _, h := range list {
		if h.Step != jobs.Finished {
			continue
		}
		row := is[h.ID]
		if row == nil {
			t.Fatalf("%s is lost", h.ID)
		}
		stamp := func(t time.Time) string { return t.Format(time.RFC3339Nano) }
		if row[at["submitted"]] != stamp(h.Queued) || row[at["started"]] != stamp(h.Started) || row[at["ended"]] != stamp(h.At) ||
			row[at["result"]] != h.Result || row[at["project"]] != h.Project || row[at["pod"]] != h.Pod || row[at["basis"]] == "start" {
			if wrong++; wrong < 4 {
				t.Errorf("%+v came out as %v", h, row)
			}
		}
	}
}

// From what happened to a workload; who may do what; what is refused.
func TestLiveRecords(t *testing.T) {
	t.Parallel()
	ctx, state := context.Background(), t.TempDir()
	_, c := running.Serve(t, state, nil)
	r := command(t, state, "token", "new", "collector", "--days", "30")
	secret := strings.TrimSpace(r.out)
	if r.status != 0 || !strings.HasPrefix(secret, "tph_") {
		t.Fatalf("%+v", r)
	}
	if r := command(t, state, "live", "jobs"); r.status != 0 || !strings.Contains(r.out, "No jobs have been reported yet") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "live", "cut"); r.status != 1 || !strings.Contains(r.err, "no jobs were reported") {
		t.Errorf("%+v", r)
	}
	list := happened(600, time.Minute)
	sending := jobs.Sending{Address: c.Address, Token: secret, As: jobs.AsEvents}
	n := len(list) // the last has not begun, and the one before is not over
	if _, err := jobs.Send(ctx, slices.Concat(list[:n-4], list[n-3:n-2]), sending); err != nil {
		t.Fatal(err)
	}
	r = command(t, state, "live", "jobs", "--limit", "3")
	if r.status != 0 || !strings.Contains(r.out, "job-599") || !strings.Contains(r.out, "waiting") || !strings.Contains(r.out, "running") {
		t.Errorf("%+v", r)
	}
	if _, err := jobs.Send(ctx, list, sending); err != nil {
		t.Fatal(err)
	}
	holds(t, c, list)

	// As a log, in every form, and as a workload.
	for form, begins := range map[string]string{"csv": "id,submitted,started", "jsonl": `{"id":"job-0"`, "parquet": "PAR1"} {
		if r := command(t, state, "live", "export", "--form", form); r.status != 0 || !strings.HasPrefix(r.out, begins) {
			t.Errorf("%s: %d %.80q %s", form, r.status, r.out, r.err)
		}
	}
	r = command(t, state, "live", "cut", "--project", "tide-charts", "--into", "tides")
	if r.status != 0 || !strings.Contains(r.err, "Workload tides: revision 1") || !strings.Contains(r.out, "compile") {
		t.Errorf("%+v", r)
	}
	d, err := c.Get(ctx, "Workload", "tides", 0)
	if err != nil || !strings.Contains(d.Text, "project: tide-charts") || strings.Contains(d.Text, "hull-firmware") {
		t.Errorf("%v %s", err, d.Text)
	}
	r = command(t, state, "live", "cut", "--until", "2020-01-01")
	if r.status != 1 || !strings.Contains(r.err, "no jobs were reported in that time") {
		t.Errorf("%+v", r)
	}
	got, err := c.CutLive(ctx, wire.Cut{Zone: "Europe/Oslo"})
	if err != nil || got.Refused != "" || got.Stored != nil || got.Jobs != 600 || got.BadRows == nil || len(got.BadRows) != 0 {
		t.Errorf("%v %+v", err, got)
	}

	// A token for events lets nothing else in, and can be ended.
	narrow := &client.Client{Address: c.Address, Token: secret}
	if _, err := narrow.Live(ctx); !client.IsStatus(err, 403) {
		t.Error(err)
	}
	if _, err := narrow.NewToken(ctx, wire.NewToken{Name: "another", Role: wire.Events}); !client.IsStatus(err, 403) {
		t.Error(err)
	}
	tokens, err := c.Tokens(ctx)
	if err != nil || len(tokens) != 2 {
		t.Fatalf("%v %+v", err, tokens)
	}
	for _, x := range tokens {
		if x.Role != wire.Events {
			continue
		}
		if err := c.EndToken(ctx, x.ID); err != nil {
			t.Errorf("%+v: %v", x, err)
		}
	}
	refused := (*jobs.Refused)(nil)
	if _, err := jobs.Send(ctx, list, sending); !errors.As(err, &refused) || refused.Status != http.StatusUnauthorized {
		t.Error(err)
	}
	sending.As = jobs.AsSpans
	if _, err := jobs.Send(ctx, list, sending); !errors.As(err, &refused) || refused.Status != http.StatusUnauthorized {
		t.Error(err)
	}

	// What is forgotten is gone, and no more.
	if r := command(t, state, "live", "forget"); r.status != 2 || !strings.Contains(r.err, "--before TIME, or --all") {
		t.Errorf("%+v", r)
	}
	if n, err := c.ForgetLive(ctx, list[300*3].Queued.Format(time.RFC3339Nano)); err != nil || n < 599 || n > 601 {
		t.Errorf("%d went, %v", n, err)
	}
	if r := command(t, state, "live", "forget", "--all"); r.status != 0 || !strings.Contains(r.err, " runs went") {
		t.Errorf("%+v", r)
	}
	if l, err := c.Live(ctx); err != nil || l.Runs != 0 || l.Messages == 0 {
		t.Errorf("%v %+v", err, l)
	}
}

// What cannot be taken is refused in the words of the protocol that it came in.
func TestEventsRefusedOverHTTP(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t)
	post := func(path, kind, encoding, body string, token string) (int, string, http.Header) {
		req, err := http.NewRequest(http.MethodPost, s.Access.Address+path, strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", kind)
		if encoding != "" {
			req.Header.Set("Content-Encoding", encoding)
		}
		if token != "" {
			req.Header.Set("Authorization", "Bearer "+token)
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = resp.Body.Close() }()
		var b bytes.Buffer
		_, _ = b.ReadFrom(resp.Body)
		return resp.StatusCode, b.String(), resp.Header
	}
	const batch = "application/cloudevents-batch+json"
	for _, x := range []struct {
		path, kind, encoding, body string
		status                     int
		says                       string
	}{
		{"/api/v1/events", batch, "", "{", 400, "not a list of CloudEvents"},
		{"/api/v1/events", "text/plain", "", "hello", 400, "neither ce- headers"},
		{"/api/v1/events", batch, "gzip", "hello", 400, "not packed with gzip"},
		{"/api/v1/events", batch, "br", "hello", 415, "packed with gzip, or not at all"},
		{"/api/v1/events", batch, "", "[" + strings.Repeat(" ", 9<<20) + "]", 413, ""},
		{"/api/v1/events", batch, "gzip", zipped(t, "["+strings.Repeat(" ", 9<<20)+"]"), 413, "8 MiB"},
		{"/api/v1/events", batch, "", "[]", 200, `"counted":0`},
		{"/v1/traces", "application/json", "", "[]", 400, `"code":3`},
		{"/v1/traces", "application/json", "", "{}", 200, "{}"},
		{"/v1/traces", "application/x-protobuf", "", "\xff", 400, "\x08\x03"},
		{"/v1/traces", "application/x-protobuf", "", "", 200, ""},
		{"/v1/traces", "text/plain", "", "x", 415, "application/x-protobuf"},
		{"/v1/traces", "application/x-protobuf", "gzip", zipped(t, strings.Repeat("\x00", 9<<20)), 413, "8 MiB"},
	} {
		status, said, _ := post(x.path, x.kind, x.encoding, x.body, c.Token)
		if status != x.status || !strings.Contains(said, x.says) {
			t.Errorf("%s %s %.20q: %d %.200q", x.path, x.kind, x.body, status, said)
		}
	}
	for _, path := range []string{"/api/v1/events", "/v1/traces"} {
		if status, _, _ := post(path, batch, "", "[]", ""); status != 401 {
			t.Errorf("%s without a token: %d", path, status)
		}
	}
	// A sender that asks whether it may send.
	req, err := http.NewRequest(http.MethodOptions, s.Access.Address+"/api/v1/events", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+c.Token)
	req.Header.Set("WebHook-Request-Origin", "events.example.org")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	_ = resp.Body.Close()
	if resp.StatusCode != 200 || resp.Header.Get("WebHook-Allowed-Origin") != "events.example.org" {
		t.Errorf("%d %v", resp.StatusCode, resp.Header)
	}
}

// zipped packs a text with gzip.
func zipped(t *testing.T, s string) string {
	t.Helper()
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	if _, err := z.Write([]byte(s)); err != nil {
		t.Fatal(err)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// In a pipe, a line is written for each change of an agent; no letter steers a terminal.
func TestWatchInAPipe(t *testing.T) {
	t.Parallel()
	state, config := t.TempDir(), filepath.Join(t.TempDir(), "cluster.yaml")
	running.Cluster(t, config, 40)
	_, c := running.Serve(t, state, nil, "--kubeconfig", config, "--pods-in", "slipway")
	putDemo(t, c, state)
	done := make(chan ran, 1)
	go func() {
		done <- command(t, state, "watch", "slipway", "--kubeconfig", config, "--for", "12s", "--every", "100ms", "--beside",
			filepath.Join(demoFolder, "scenarios", "weekday-lean.yaml"))
	}()
	time.Sleep(3 * time.Second) // it is connected by then, or sees the agent as it is later
	if r := command(t, state, "rehearse", "compile-wide"); r.status != 0 {
		t.Fatalf("%+v", r)
	}
	r := <-done
	for _, words := range []string{"slipway/compile-wide-", " work on core-", " gone", "agents 1 (usual", "nodes 2 (usual", "agents on 1"} {
		if r.status != 0 || !strings.Contains(r.out, words) || strings.Contains(r.out, "\x1b") {
			t.Errorf("%q is not told: %+v", words, r)
		}
	}
	for _, x := range []struct {
		args   []string
		status int
		says   string
	}{
		{[]string{"watch"}, 2, "accepts 1 arg"},
		{[]string{"watch", "slipway", "--every", "1ns"}, 2, "--every"},
		{[]string{"watch", "slipway", "--kubeconfig", filepath.Join(t.TempDir(), "gone")}, 1, "kubeconfig"},
		{[]string{"watch", "slipway", "--kubeconfig", config, "--context", "south"}, 1, `no context "south"`},
	} {
		if r := command(t, state, x.args...); r.status != x.status || !strings.Contains(r.err, x.says) {
			t.Errorf("%v: %+v", x.args, r)
		}
	}
}
