package program

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/internal/api"
	"tachyphor/internal/service"
	"tachyphor/test/running"
	"tachyphor/test/worlds"
	"tachyphor/wire"
)

// exchange is one plain HTTP request and its answer.
type exchange struct {
	method, path, body string
	header             map[string]string
}

// send sends it, to an address by a way; an error is the connection's.
func (x exchange) send(t *testing.T, address string, by *http.Client) (*http.Response, string, error) {
	t.Helper()
	req, err := http.NewRequest(x.method, address+x.path, strings.NewReader(x.body))
	if err != nil {
		t.Fatal(err)
	}
	for k, v := range x.header {
		if k == "Host" {
			req.Host = v
			continue
		}
		req.Header.Set(k, v)
	}
	resp, err := by.Do(req)
	if err != nil {
		return nil, "", err
	}
	defer func() { _ = resp.Body.Close() }()
	b, err := io.ReadAll(resp.Body)
	return resp, string(b), err
}

// with is the exchange with a token, where it says no other way to be let in.
func (x exchange) with(token string) exchange {
	header := map[string]string{"Authorization": "Bearer " + token}
	maps.Copy(header, x.header)
	x.header = header
	return x
}

func (x exchange) do(t *testing.T, c *client.Client) (*http.Response, string) {
	t.Helper()
	resp, body, err := x.with(c.Token).send(t, c.Address, http.DefaultClient)
	if err != nil {
		t.Fatal(err)
	}
	return resp, body
}

func scenarioText(name string, seed int) string {
	return fmt.Sprintf("apiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: %s}\nspec: {cluster: c, workload: w, "+
		"templates: [{template: t, agents: {spare: 1}}], run: {seed: %d}} # why\n", name, seed)
}

func TestDocumentsOverHTTP(t *testing.T) {
	t.Parallel()
	_, c := running.Start(t)
	ctx := context.Background()
	yaml := map[string]string{"Content-Type": "application/yaml"}
	put := func(name string, seed int, header map[string]string) (*http.Response, string) {
		h := map[string]string{"Content-Type": "application/yaml"}
		for k, v := range header {
			h[k] = v
		}
		return exchange{"PUT", "/api/v1/documents/Scenario/" + name, scenarioText(name, seed), h}.do(t, c)
	}
	if r, body := put("s", 1, map[string]string{"If-None-Match": "*"}); r.StatusCode != 200 || r.Header.Get("ETag") != `"r1"` ||
		!strings.Contains(body, `"new"`) {
		t.Fatalf("%d %s", r.StatusCode, body)
	}
	if r, _ := put("s", 1, map[string]string{"If-None-Match": "*"}); r.StatusCode != 412 {
		t.Errorf("made twice: %d", r.StatusCode)
	}
	if r, body := put("s", 1, nil); r.Header.Get("ETag") != `"r1"` || !strings.Contains(body, `"same"`) {
		t.Errorf("the same content: %s %s", r.Header.Get("ETag"), body)
	}
	if r, _ := put("s", 2, map[string]string{"If-Match": `"r1"`}); r.StatusCode != 200 || r.Header.Get("ETag") != `"r2"` {
		t.Errorf("changed: %d %s", r.StatusCode, r.Header.Get("ETag"))
	}
	if r, body := put("s", 3, map[string]string{"If-Match": `"r1"`}); r.StatusCode != 412 || !strings.Contains(body, "someone else") {
		t.Errorf("a lost race: %d %s", r.StatusCode, body)
	}
	if r, _ := put("s", 3, map[string]string{"If-Match": `nonsense`}); r.StatusCode != 400 {
		t.Errorf("a nonsense ETag: %d", r.StatusCode)
	}
	edit := exchange{
		"PATCH", "/api/v1/documents/Scenario/s", `[{"op":"replace","path":"/spec/templates/0/agents/spare","value":4}]`,
		map[string]string{"Content-Type": "application/json-patch+json", "If-Match": `"r2"`},
	}
	if r, body := edit.do(t, c); r.StatusCode != 200 {
		t.Errorf("edit: %d %s", r.StatusCode, body)
	}
	if r, _ := edit.do(t, c); r.StatusCode != 412 {
		t.Errorf("the edit again: %d", r.StatusCode)
	}
	d, err := c.Get(ctx, document.KindScenario, "s", 0)
	if err != nil || !strings.Contains(d.Text, "spare: 4") || !strings.Contains(d.Text, "# why") || d.Revision != 3 {
		t.Errorf("after the edit: %+v, %v", d, err)
	}
	edit.header["If-Match"] = ""
	edit.body = `[{"op":"replace","path":"/spec/templates/0/agents/spare","value":"many"}]`
	if r, body := edit.do(t, c); r.StatusCode != 422 || !strings.Contains(body, "body.spec.templates[0].agents.spare") {
		t.Errorf("a bad edit: %d %s", r.StatusCode, body)
	}
	// All or none: one fault, nothing stored.
	if r, body := (exchange{"POST", "/api/v1/documents?file=two.yaml", scenarioText("good", 1) + "---\nkind: Scenario\n", yaml}).do(t,
		c); r.StatusCode != 422 || !strings.Contains(body, "two.yaml:6:1") {
		t.Errorf("one of two broken: %d %s", r.StatusCode, body)
	}
	if _, err := c.Get(ctx, document.KindScenario, "good", 0); !client.IsStatus(err, 404) {
		t.Errorf("a document of a refused stream is there: %v", err)
	}
	// Pages.
	var stream strings.Builder
	for i := range 230 {
		stream.WriteString("---\n" + scenarioText(fmt.Sprintf("page-%03d", i), i))
	}
	if _, err := c.Put(ctx, "", []byte(stream.String()), false); err != nil {
		t.Fatal(err)
	}
	list, err := c.List(ctx, document.KindScenario)
	if err != nil || len(list) != 231 || list[0].Name != "page-000" || list[230].Name != "s" {
		t.Errorf("%d documents, %v", len(list), err)
	}
	if err := c.Drop(ctx, document.KindScenario, "s"); err != nil {
		t.Fatal(err)
	}
	if stored, err := c.Put(ctx, "", []byte(scenarioText("s", 2)), false); err != nil || stored[0].Revision != 4 || stored[0].Change != "new" {
		t.Errorf("after a drop: %+v, %v", stored, err)
	}
}

// Whatever is sent, the answer is a problem that says what is wrong, never a
// defect.
func TestHostileRequests(t *testing.T) {
	t.Parallel()
	_, c := running.Start(t)
	yaml := map[string]string{"Content-Type": "application/yaml"}
	js := map[string]string{"Content-Type": "application/json"}
	for _, x := range []struct {
		exchange
		status int
	}{
		{exchange{"POST", "/api/v1/documents", strings.Repeat("a: 1\n", document.MaxBytes/4), yaml}, 413},
		{exchange{"POST", "/api/v1/documents", "\x00\xff", yaml}, 422},
		{exchange{"POST", "/api/v1/documents", "", yaml}, 400},
		{exchange{"POST", "/api/v1/outcomes", `{"scenario": 5}`, js}, 422},
		{exchange{"POST", "/api/v1/outcomes", `{"scenario": "x", "repeats": 100000}`, js}, 422},
		{exchange{"POST", "/api/v1/outcomes", `{`, js}, 400},
		{exchange{"POST", "/api/v1/outcomes", `{"scenario": "nothing"}`, js}, 404},
		{exchange{"POST", "/api/v1/outcomes", `{"scenario": "` + strings.Repeat("x", 2<<20) + `"}`, js}, 413},
		{exchange{"GET", "/api/v1/outcomes/0", "", nil}, 422},
		{exchange{"GET", "/api/v1/outcomes/-1", "", nil}, 422},
		{exchange{"GET", "/api/v1/outcomes/99999999999999999999", "", nil}, 422},
		{exchange{"GET", "/api/v1/outcomes/7", "", nil}, 404},
		{exchange{"GET", "/api/v1/outcomes/7/jobs/%00", "", nil}, 404},
		{exchange{"POST", "/api/v1/work/7/cancel", "", nil}, 404},
		{exchange{"GET", "/api/v1/work/7", "", nil}, 404},
		{exchange{"GET", "/api/v1/work?kind=weighing,dream", "", nil}, 422},
		{exchange{"GET", "/api/v1/work?kind=weighing&kind=preflight", "", nil}, 422},
		{exchange{"DELETE", "/api/v1/work/7?kind=preflight", "", nil}, 404},
		{exchange{"GET", "/api/v1/compare?ids=1", "", nil}, 422},
		{exchange{"GET", "/api/v1/compare?ids=1,2,3,4,5,6,7", "", nil}, 422},
		{exchange{"GET", "/api/v1/compare?ids=a,b", "", nil}, 422},
		{exchange{"GET", "/api/v1/compare", "", nil}, 422},
		{exchange{"GET", "/api/v1/documents?limit=5000", "", nil}, 422},
		{exchange{"GET", "/api/v1/documents/Nothing/x", "", nil}, 422},
		{exchange{"GET", "/api/v1/documents/Scenario/%27%3B%20DROP%20TABLE", "", nil}, 404},
		{exchange{"GET", "/api/v1/schemas/Nothing", "", nil}, 404},
		{exchange{"GET", "/api/v1/nothing", "", nil}, 404},
		{exchange{"DELETE", "/api/v1/outcomes", "", nil}, 405},
		{exchange{"POST", "/api/v1/recordings", "no,such,columns\n", map[string]string{"Content-Type": "text/csv"}}, 422},
		{exchange{"POST", "/api/v1/recordings", "class,submitted\na,never\n", map[string]string{"Content-Type": "text/csv"}}, 422},
		{exchange{"POST", "/api/v1/recordings", "class,submitted\n", map[string]string{"Content-Type": "text/csv"}}, 422},
	} {
		r, body := x.do(t, c)
		if r.StatusCode != x.status || !strings.Contains(r.Header.Get("Content-Type"), "application/problem+json") || len(body) < 20 {
			t.Errorf("%s %.60s: %d %s %.200s; want %d", x.method, x.path, r.StatusCode, r.Header.Get("Content-Type"), body, x.status)
		}
	}
	if r, _ := (exchange{"GET", "/readyz", "", nil}).do(t, c); r.StatusCode != 200 {
		t.Error("the service is not ready any more")
	}
}

func TestAccess(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t)
	anonymous := &client.Client{Address: c.Address}
	for _, x := range []struct {
		who    *client.Client
		path   string
		header map[string]string
		method string
		status int
	}{
		{anonymous, "/healthz", nil, "GET", 200},
		{anonymous, "/readyz", nil, "GET", 200},
		{anonymous, "/api/v1/openapi.json", nil, "GET", 200},
		{anonymous, "/welcome", nil, "GET", 200},
		{anonymous, "/metrics", nil, "GET", 401},
		{anonymous, "/api/v1/documents", nil, "GET", 401},
		{anonymous, "/api/v1/documents/Scenario/x", nil, "DELETE", 401},
		{&client.Client{Address: c.Address, Token: "tph_wrong"}, "/api/v1/documents", nil, "GET", 401},
		{c, "/metrics", nil, "GET", 200},
		{c, "/api/v1/documents", nil, "GET", 200},
		{c, "/api/v1/documents", map[string]string{"Host": "elsewhere.example"}, "GET", 421},
		{c, "/healthz", map[string]string{"Host": "elsewhere.example:7420"}, "GET", 421},
		{c, "/api/v1/session/link", map[string]string{"Origin": "http://elsewhere.example"}, "POST", 403},
		{c, "/api/v1/session/link", map[string]string{"Origin": "null"}, "POST", 403},
		{c, "/api/v1/session/link", map[string]string{"Origin": c.Address}, "POST", 200},
	} {
		if r, body := (exchange{x.method, x.path, "", x.header}).do(t, x.who); r.StatusCode != x.status {
			t.Errorf("%s %s %v: %d %.100s; want %d", x.method, x.path, x.header, r.StatusCode, body, x.status)
		}
	}
	// The link signs in once; the cookie is for this site's own pages only.
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	browser := &http.Client{Jar: jar}
	get := func(address string) int {
		t.Helper()
		r, err := browser.Get(address)
		if err != nil {
			t.Fatal(err)
		}
		_ = r.Body.Close()
		for _, k := range r.Cookies() {
			if !k.HttpOnly || k.SameSite != http.SameSiteStrictMode || k.MaxAge <= 0 {
				t.Errorf("cookie %+v", k)
			}
		}
		return r.StatusCode
	}
	link := running.Link(t, s)
	if get(link) != 200 || get(c.Address+"/api/v1/documents") != 200 {
		t.Error("the link does not sign in")
	}
	other := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	r, err := other.Get(link)
	if err != nil {
		t.Fatal(err)
	}
	_ = r.Body.Close()
	if r.StatusCode != http.StatusSeeOther || len(r.Cookies()) > 0 {
		t.Errorf("the link works twice: %d", r.StatusCode)
	}
	// A cookie's token is no bearer's, and is worth nothing after signing out.
	home, _ := url.Parse(c.Address)
	cookie := jar.Cookies(home)[0]
	thief := &client.Client{Address: c.Address, Token: cookie.Value}
	if _, err := thief.List(context.Background(), ""); !client.IsStatus(err, 401) {
		t.Errorf("a session's token as a bearer: %v", err)
	}
	req, _ := http.NewRequest("DELETE", c.Address+"/api/v1/session", nil)
	if r, err := browser.Do(req); err != nil || r.StatusCode != 204 {
		t.Fatal(r, err)
	}
	again, _ := http.NewRequest("GET", c.Address+"/api/v1/documents", nil)
	again.AddCookie(cookie)
	if r, err := http.DefaultClient.Do(again); err != nil || r.StatusCode != 401 {
		t.Errorf("after signing out: %v %v", r.StatusCode, err)
	}
}

func TestOutcomesOverHTTP(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t)
	ctx := context.Background()
	loadDemo(t, s)
	resp, body := exchange{
		"POST", "/api/v1/outcomes", `{"scenario":"on-demand"}`,
		map[string]string{"Content-Type": "application/json"},
	}.do(t, c)
	if resp.StatusCode != 202 || resp.Header.Get("Location") != "/api/v1/work/1" {
		t.Fatalf("%d %s %s", resp.StatusCode, resp.Header.Get("Location"), body)
	}
	var seen []float64
	end, err := c.Watch(ctx, 1, func(o wire.WorkBrief) { seen = append(seen, o.Progress) })
	if err != nil || end.State != "done" || len(seen) == 0 {
		t.Fatalf("%+v, %v", end, err)
	}
	for i := 1; i < len(seen); i++ {
		if seen[i] < seen[i-1] {
			t.Errorf("progress goes back: %v", seen)
		}
	}
	o, err := c.Outcome(ctx, 1, true)
	if err != nil || len(o.Result.Samples) != 8 || end.Simulation.Digest != expected(t, "on-demand", 8) {
		t.Errorf("%d samples, digest %s, %v", len(o.Result.Samples), end.Simulation.Digest, err)
	}
	brief, err := c.Outcome(ctx, 1, false)
	if err != nil || brief.Result.Samples != nil {
		t.Errorf("samples without being asked for: %v", err)
	}
	// The scenario knows that its outcome is of an older state once it changes.
	sc, err := c.Scenario(ctx, "on-demand")
	if err != nil || !sc.Current || sc.Last == nil || len(sc.Templates) != 3 || len(sc.Pools) != 3 || len(sc.Faults) != 0 {
		t.Errorf("scenario %+v, %v", sc, err)
	}
	if _, err := c.Edit(ctx, document.KindScenario, "on-demand", 1,
		[]document.Edit{{Op: "add", Path: "/spec/agentCeiling", Value: 20}}); err != nil {
		t.Fatal(err)
	}
	if sc, err = c.Scenario(ctx, "on-demand"); err != nil || sc.Current || *sc.Spec.AgentCeiling != 20 {
		t.Errorf("after the edit: current %v, %v", sc.Current, err)
	}
	// A scenario that names what is not there is refused with the place.
	if _, err := c.Put(ctx, "", []byte(scenarioText("lost", 1)), false); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Simulate(ctx, "lost", wire.Run{}); !client.IsStatus(err, 422) || !strings.Contains(err.Error(), "spec.cluster") ||
		!strings.Contains(err.Error(), "no PodTemplate") {
		t.Errorf("lost: %v", err)
	}
	// A workload whose recording is not stored is refused.
	if _, err := c.Put(ctx, "", []byte("apiVersion: tachyphor/v1\nkind: Workload\nmetadata: {name: x}\nspec: {start: "+
		"2026-01-01T00:00:00Z, classes: [{name: k, wants: [], work: {fixed: 1s}}], jobs: {file: x.csv, digest: abc}}"), false); err == nil ||
		!strings.Contains(err.Error(), "no recording has this digest") {
		t.Errorf("a lost recording: %v", err)
	}
}

// loadDemo stores the demo world in a service of this process.
func loadDemo(t *testing.T, s *service.Service) {
	t.Helper()
	dir := t.TempDir()
	b, err := json.Marshal(s.Access)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "access.json"), b, 0o600); err != nil {
		t.Fatal(err)
	}
	putDemo(t, nil, dir)
}

// The description in the repository, from which the console's types are made, is
// the one that the code gives: run `make generate` after a change.
func TestDescriptionIsCurrent(t *testing.T) {
	t.Parallel()
	kept, err := os.ReadFile("../../docs/openapi.json")
	if err != nil {
		t.Fatal(err)
	}
	made, err := api.OpenAPI("v1")
	if err != nil {
		t.Fatal(err)
	}
	var a, b any
	if err := json.Unmarshal(kept, &a); err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal(made, &b); err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(a, b) {
		t.Error("docs/openapi.json is out of date")
	}
}

// Who has no token cannot make the service grow or hold up those who have one.
func TestStrangersHoldNothingUp(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	s, c := running.Start(t)
	address := strings.TrimPrefix(s.Access.Address, "http://")
	for i := range 2000 {
		req, err := http.NewRequest(fmt.Sprintf("X%d", i), s.Access.Address+"/api/v1/documents", nil)
		if err != nil {
			t.Fatal(err)
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		_ = resp.Body.Close()
	}
	req, _ := http.NewRequest(http.MethodGet, s.Access.Address+"/metrics", nil)
	req.Header.Set("Authorization", "Bearer "+s.Access.Token)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	b, _ := io.ReadAll(resp.Body)
	_ = resp.Body.Close()
	if n := strings.Count(string(b), "tachyphor_request_duration_seconds_count"); n == 0 || n > 20 ||
		!strings.Contains(string(b), `method="other"`) {
		t.Errorf("%d series of requests", n)
	}
	for range 80 { // sign-ins that never come to their end
		conn, err := net.Dial("tcp", address)
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = conn.Close() }()
		if _, err := fmt.Fprintf(conn, "POST /api/v1/session HTTP/1.1\r\nHost: %s\r\nContent-Type: "+
			"application/json\r\nTransfer-Encoding: chunked\r\n\r\n1\r\n{\r\n", address); err != nil {
			t.Fatal(err)
		}
	}
	began := time.Now()
	if _, err := c.PutRecording(ctx, strings.NewReader("id,class,submitted,work\na,k,2026-09-14T08:00:00Z,60s\n"), nil, false); err != nil {
		t.Error(err)
	}
	if took := time.Since(began); took > 4*time.Second {
		t.Errorf("a file of one row took %s beside them", took)
	}
}

// A job's name may have anything in it: what is asked for by it is found.
func TestJobsByOddNames(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	_, c := running.Start(t)
	names := []string{"group/project-17", "a b", "ä/ö?x=1&y#z", "..", "100%", "%2F", `"quoted"`}
	var file strings.Builder
	file.WriteString("id,class,submitted,work\n")
	for i, name := range names {
		fmt.Fprintf(&file, "%q,k,%d,60s\n", strings.ReplaceAll(name, `"`, `""`), i)
	}
	text := strings.ReplaceAll(file.String(), `\"\"`, `""`)
	r, err := c.PutRecording(ctx, strings.NewReader(text), nil, false)
	if err != nil {
		t.Fatal(err)
	}
	world := worlds.Small("  jobs: {file: x.csv, digest: "+r.Digest+"}\n", "", "{span: 1h, repeats: 1}")
	if _, err := c.Put(ctx, "", []byte(world), false); err != nil {
		t.Fatal(err)
	}
	first, err := c.Simulate(ctx, "s", wire.Run{})
	if err != nil {
		t.Fatal(err)
	}
	if end, err := c.Watch(ctx, first.ID, func(wire.WorkBrief) {}); err != nil || end.State != "done" {
		t.Fatalf("%+v, %v", end, err)
	}
	for _, name := range names {
		if e, err := c.Explain(ctx, first.ID, name); err != nil || e.ID != name {
			t.Errorf("%s: %+v, %v", name, e.ID, err)
		}
	}
	// However many tries with changes came later, the outcome of the scenario as it is
	// stored is found by its name.
	seed := []document.Changes{{Kind: document.KindScenario, Name: "s", Edits: []document.Edit{{Op: "add", Path: "/spec/run/seed", Value: 7}}}}
	var last uint64
	for range 120 {
		o, err := c.Simulate(ctx, "s", wire.Run{Changes: seed})
		if err != nil {
			t.Fatal(err)
		}
		last = o.ID
	}
	if _, err := c.Watch(ctx, last, func(wire.WorkBrief) {}); err != nil {
		t.Fatal(err)
	}
	n := 0
	which := client.Which{Kinds: client.Simulations, About: "s"}
	if err := c.EachWork(ctx, which, func(wire.WorkBrief) bool { n++; return true }); err != nil || n != 121 {
		t.Errorf("%d outcomes, %v", n, err)
	}
	state := t.TempDir()
	if r := command(t, state, "explain", "s", names[0], "--server", c.Address, "--token", c.Token); r.status != 0 ||
		!strings.Contains(r.out, names[0]) {
		t.Errorf("%+v", r)
	}
}

// Query parameters that an operation does not have are refused, and so are numbers that
// are none; whole numbers in changes stay whole, however large.
func TestParametersAndNumbers(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	s, c := running.Start(t)
	loadDemo(t, s)
	for query, want := range map[string]string{
		"/api/v1/size/compile-wide?share=NaN":   "share: NaN is not a usable number",
		"/api/v1/size/compile-wide?sure=nan":    "sure: nan is not a usable number",
		"/api/v1/size/compile-wide?stretch=Inf": "stretch: Inf is not a usable number",
		"/api/v1/size/compile-wide?strech=2":    `did you mean \"stretch\"?`,
		"/api/v1/documents?knd=Cluster":         `unknown query parameter \"knd\"`,
		"/api/v1/session?x=1":                   "this address accepts no query parameters",
	} {
		resp, body := exchange{"GET", query, "", nil}.do(t, c)
		if resp.StatusCode != 422 || !strings.Contains(body, want) {
			t.Errorf("%s: %d %s", query, resp.StatusCode, body)
		}
	}
	for _, seed := range []any{1_000_007, 4_000_000_000, 1 << 52} {
		edits := []document.Edit{{Op: "add", Path: "/spec/run/seed", Value: seed}}
		if _, err := c.Edit(ctx, document.KindScenario, "on-demand", 0, edits); err != nil {
			t.Errorf("%v: %v", seed, err)
		}
		sc, err := c.Scenario(ctx, "on-demand")
		if err != nil || fmt.Sprint(sc.Spec.Run.Seed) != fmt.Sprint(seed) {
			t.Errorf("%v is stored as %d, %v", seed, sc.Spec.Run.Seed, err)
		}
	}
}
