package program

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// arrived is an event that came, with whether its signature holds.
type arrived struct {
	kind   string
	told   wire.Told
	signed bool
}

// listener takes events in, the first only when it comes again.
func listener(t *testing.T, key func() []byte) (address string, got chan arrived) {
	t.Helper()
	got = make(chan arrived, 10)
	first := true
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		if first {
			first = false
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		var e struct {
			Type, Specversion, Source string
			Data                      wire.Told
		}
		if err := json.Unmarshal(body, &e); err != nil || e.Specversion != "1.0" || e.Source != "/tachyphor/scenarios/weekday-lean" {
			t.Errorf("%s, %v", body, err)
		}
		digest := sha256.Sum256(body)
		params, _ := strings.CutPrefix(r.Header.Get("Signature-Input"), "tachyphor=")
		base := fmt.Sprintf("\"@method\": POST\n\"@target-uri\": http://%s%s\n\"content-type\": %s\n\"content-digest\": sha-256=:%s:\n\"@signature-params\": %s",
			r.Host, r.URL.Path, r.Header.Get("Content-Type"), base64.StdEncoding.EncodeToString(digest[:]), params)
		mac := hmac.New(sha256.New, key())
		mac.Write([]byte(base))
		want := "tachyphor=:" + base64.StdEncoding.EncodeToString(mac.Sum(nil)) + ":"
		got <- arrived{e.Type, e.Data, r.Header.Get("Signature") == want}
	}))
	t.Cleanup(s.Close)
	return s.URL, got
}

// A week that goes as the scenario says is no drift; one whose nodes boot in four times the time is, and is
// named, dated, told to who asked, and seen by those who scrape. The service is killed in between.
func TestDrift(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	state := t.TempDir()
	p, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	now := time.Now().In(oslo)
	monday := time.Date(now.Year(), now.Month(), now.Day()-int(now.Weekday()+6)%7-14, 0, 0, 0, 0, oslo)
	changes := map[string][]string{"scenarios/weekday-lean.yaml": {"span: 7d", "span: 5d"}, "workload.yaml": {"file: week-38.csv", "times: 0.4, file: week-38.csv"}}
	right := changedDemo(t, changes)
	changes["cluster.yaml"] = []string{"boot: {median: 85s, p95: 110s}", "boot: {median: 340s, p95: 440s}"}
	slow := changedDemo(t, changes)
	for week, folder := range []string{right, slow} {
		r := command(t, state, "pretend", "jobs", filepath.Join(folder, "scenarios", "weekday-lean.yaml"), "--at-once", "-q", "--seed", fmt.Sprint(week+21),
			"--begin", monday.AddDate(0, 0, 7*week).Format(time.RFC3339))
		if r.status != 0 {
			t.Fatalf("%+v", r)
		}
	}
	address, got := listener(t, func() []byte {
		b, err := os.ReadFile(filepath.Join(state, "tell.key"))
		if err != nil {
			t.Error(err)
		}
		return []byte(strings.TrimSpace(string(b)))
	})
	for _, x := range []struct {
		args   []string
		status int
		says   string
	}{
		{[]string{"drift"}, 0, "No scenario is followed"},
		{[]string{"drift", "weekday-lean"}, 1, "`tachyphor drift follow weekday-lean` begins"},
		{[]string{"drift", "leave", "weekday-lean"}, 1, "there is no followed scenario weekday-lean"},
		{[]string{"drift", "follow", "weekend"}, 1, "there is no scenario weekend"},
		{[]string{"drift", "follow", "weekday-lean", "--from", "yesterday"}, 1, "write it like 2026-11-02"},
		{[]string{"drift", "follow", "weekday-lean", "--from", "2020-01-01"}, 1, "more than 400 days back"},
		{[]string{"drift", "follow", "weekday-lean", "--tell", "https://hooks.brinewell.example/x"}, 1, "serve --tell-allow https://hooks.brinewell.example"},
		{[]string{"drift", "follow", "weekday-lean", "--from", monday.AddDate(0, 0, 4).Format(time.DateOnly), "--tell", address + "/drift"}, 0, "is followed from"},
	} {
		if r := command(t, state, x.args...); r.status != x.status || !strings.Contains(r.out+r.err, x.says) {
			t.Errorf("%v: %+v", x.args, r)
		}
	}
	p.Kill()
	_, c = running.Serve(t, state, nil)
	var f wire.FollowedDays
	eventually(t, "both weeks are looked at", func() bool {
		var err error
		f, err = c.FollowedDays(ctx, "weekday-lean")
		return err == nil && f.Standing.Days >= 6 || f.Trouble != ""
	})
	d := f.Standing.Drifted
	if d == nil || !d.Longer || d.Since.Before(monday.AddDate(0, 0, 6)) || d.Since.After(monday.AddDate(0, 0, 9)) || d.Observed < 1.15*d.Predicted || f.Trouble != "" {
		t.Fatalf("%+v, drifted %+v", f.Standing, d)
	}
	for i := range 6 {
		for _, x := range f.Days[i].Looked {
			if f.Days[i].Day.Weekday() != time.Weekday((i+5)%7) || x.Jobs < 10 {
				t.Errorf("%+v", f.Days[i])
			}
		}
	}
	if r := command(t, state, "drift", "weekday-lean"); r.status != 0 || !strings.Contains(r.out, "beyond all runs") || !strings.Contains(r.out, "backtest weekday-lean --live --from") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "drift"); r.status != 0 || !strings.Contains(r.out, "is predicted") {
		t.Errorf("%+v", r)
	}
	select {
	case e := <-got:
		if e.kind != "tachyphor.drift.found" || !e.signed || e.told.Scenario != "weekday-lean" || e.told.Says == "" || e.told.Drifted.Of != d.Of {
			t.Errorf("%+v", e)
		}
	case <-time.After(4 * time.Minute):
		t.Error("nobody was told")
	}
	all, err := c.Followed(ctx)
	if err != nil || len(all.Items) != 1 || all.Items[0].Says != f.Says {
		t.Errorf("%+v, %v", all, err)
	}
	req, _ := http.NewRequest(http.MethodGet, c.Address+"/metrics", nil)
	req.Header.Set("Authorization", "Bearer "+c.Token)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	b, _ := io.ReadAll(resp.Body)
	_ = resp.Body.Close()
	for _, line := range []string{`tachyphor_drift{scenario="weekday-lean"} 1`, `tachyphor_drift_evidence{scenario="weekday-lean"} `, `tachyphor_drift_trouble{scenario="weekday-lean"} 0`, "tachyphor_drift_events_waiting "} {
		if !strings.Contains(string(b), line) {
			t.Errorf("%s is not among the metrics", line)
		}
	}
	if in := time.Now().In(oslo); in.Weekday() != time.Monday || in.Hour() >= 3 {
		ahead(t, c, monday)
	}
	r := command(t, state, "forecast", "weekday-lean", "--live", "-q", "--week", monday.AddDate(0, 0, 8).Format(time.DateOnly))
	if r.status != 0 || !strings.Contains(r.out, "week of "+monday.AddDate(0, 0, 7).Format("2 January 2006")) || !strings.Contains(r.out, "How it came. ") ||
		!strings.Contains(r.out, "outside") || !strings.Contains(r.out, "jobs on Sunday") {
		t.Errorf("%+v", r)
	}
	// Followed again as before, nothing is lost; from another day on, it begins anew.
	if r := command(t, state, "drift", "follow", "weekday-lean"); r.status != 0 {
		t.Errorf("%+v", r)
	}
	if f, err := c.FollowedDays(ctx, "weekday-lean"); err != nil || f.Standing.Days < 6 || f.Tell != "" {
		t.Errorf("%+v, %v", f.Standing, err)
	}
	if err := c.Drop(ctx, "Scenario", "weekday-lean"); err != nil {
		t.Error(err)
	}
	if r := command(t, state, "drift", "leave", "weekday-lean"); r.status != 0 {
		t.Errorf("%+v", r)
	}
	if all, err := c.Followed(ctx); err != nil || len(all.Items) != 0 {
		t.Errorf("%+v, %v", all, err)
	}
}

// ahead waits for what the service says by itself of this week.
func ahead(t *testing.T, c *client.Client, monday time.Time) {
	t.Helper()
	ctx := context.Background()
	var id uint64
	eventually(t, "the service looks ahead", func() bool {
		done := false
		err := c.EachWork(ctx, client.Which{Kinds: client.Forecasts}, func(w wire.WorkBrief) bool {
			id, done = w.ID, w.State == wire.Done && w.By == "the service"
			return false
		})
		return err == nil && done
	})
	f, err := c.Forecasted(ctx, id)
	if err != nil || f.Result == nil || !f.Result.Monday.Equal(monday.AddDate(0, 0, 14)) || f.Result.Came != nil || f.Result.Drawn != 2 || f.Result.Jobs.Mid < 3500 {
		t.Errorf("%+v, %v", f.Result, err)
	}
}

// What files alone say of a week to come, and what is refused.
func TestForecast(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	file := filepath.Join(demoFolder, "scenarios", "weekday-lean.yaml")
	r := command(t, state, "forecast", file, "-q")
	for _, words := range []string{"week of 21 September 2026", "about 9,", "It rests on one week", "The week costs EUR", "every day 02:00 to 03:00", "Mon 21 Sep"} {
		if r.status != 0 || !strings.Contains(r.out, words) {
			t.Errorf("%q is not told: %+v", words, r)
		}
	}
	if r := command(t, state, "forecast", file, "-q", "-o", "csv"); r.status != 0 || strings.Count(r.out, "\n") < 8 {
		t.Errorf("%+v", r)
	}
	for _, x := range []struct {
		args   []string
		status int
		says   string
	}{
		{[]string{file, "--live"}, 2, "--live is of the service's records"},
		{[]string{file, "--week", "soon"}, 2, "expected a day"},
		{[]string{file, "--week", "2026-09-16"}, 1, "no whole week"},
		{[]string{file, "--until", "2026-09-17"}, 1, "no whole week"},
		{[]string{"weekday-lean", "--with", "x"}, 2, "--with is for files"},
		{[]string{"weekday-lean", "--project", "x"}, 2, "--project goes with --live"},
		{[]string{"weekday-lean", "--live", "--from", "2026-09-14"}, 2, "--week says which week"},
	} {
		if r := command(t, state, append([]string{"forecast"}, x.args...)...); r.status != x.status || !strings.Contains(r.err, x.says) {
			t.Errorf("%v: %+v", x.args, r)
		}
	}
}
