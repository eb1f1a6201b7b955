package program

import (
	"context"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tachyphor/client"
	"tachyphor/internal/service"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// named gives parameters of an address values that name nothing.
func named(o operation) func(parameter) string {
	return func(p parameter) string {
		switch {
		case p.In != "path":
			return ""
		case strings.HasPrefix(o.path, "/api/v1/tokens"), strings.HasPrefix(o.path, "/api/v1/sessions"):
			return "0123456789ab"
		case p.Name == "digest":
			return strings.Repeat("0", 64)
		case p.Name == "id":
			return "999999"
		}
		return plainly(p)
	}
}

// person makes someone known with a role, and a token of theirs.
func person(t *testing.T, c *client.Client, name string, role wire.Role) *client.Client {
	t.Helper()
	address, _, err := c.NewLink(context.Background(), wire.NewLink{Name: name, Role: role})
	if err != nil {
		t.Fatal(err)
	}
	b := browse(t, c.Address)
	if status := b.get(t, address); status != 200 {
		t.Fatalf("%s cannot sign in: %d", name, status)
	}
	r, body := b.do(t, "POST", "/api/v1/tokens", `{"name":"of a test","role":"`+string(role)+`"}`)
	var made wire.MadeToken
	if err := json.Unmarshal([]byte(body), &made); err != nil || r.StatusCode != 201 {
		t.Fatalf("%s makes a token: %d %s", name, r.StatusCode, body)
	}
	return &client.Client{Address: c.Address, Token: made.Secret}
}

// Every operation, with every role and with none: who may is let in, who may not is told which role it needs;
// from another origin, and under another name, nobody is.
func TestEveryOperationWithEveryRole(t *testing.T) {
	t.Parallel()
	_, c := running.Start(t)
	ctx := context.Background()
	who := map[wire.Role]*client.Client{}
	for _, role := range wire.Roles() {
		who[role] = person(t, c, "a "+string(role), role)
	}
	ended := person(t, c, "gone", wire.Owner)
	if err := c.DropPerson(ctx, "gone"); err != nil {
		t.Fatal(err)
	}
	told, err := c.NewToken(ctx, wire.NewToken{Name: "sender", Role: wire.Events})
	if err != nil {
		t.Fatal(err)
	}
	events := &client.Client{Address: c.Address, Token: told.Secret}
	bad := map[string]map[string]string{
		"no token": {"Authorization": ""}, "a wrong token": {"Authorization": "Bearer tph_" + strings.Repeat("0", 64)},
		"another scheme": {"Authorization": "Basic b3duZXI6"}, "a token that ended": {"Authorization": "Bearer " + ended.Token},
		"a bearer's token as a cookie": {"Authorization": "", "Cookie": "tachyphor_" + c.Address[strings.LastIndex(c.Address, ":")+1:] + "=" + c.Token},
	}
	for _, o := range operations(t, c) {
		ask := func(as *client.Client, header map[string]string) (int, string) {
			h := map[string]string{"Content-Type": o.takes}
			for k, v := range header {
				h[k] = v
			}
			r, body := exchange{o.method, o.at(named(o)), "", h}.do(t, as)
			return r.StatusCode, body
		}
		if status, _ := ask(c, map[string]string{"Host": "elsewhere.example"}); status != 421 {
			t.Errorf("%s under another name: %d", o.id, status)
		}
		if o.method != http.MethodGet {
			for _, origin := range []string{"http://elsewhere.example", "null", "https://127.0.0.1:1"} {
				if status, _ := ask(c, map[string]string{"Origin": origin}); status != 403 {
					t.Errorf("%s from %s: %d", o.id, origin, status)
				}
			}
		}
		if o.role == wire.Nobody {
			if o.id != "sign-in" && o.id != "ways-in" {
				t.Errorf("nobody has to sign in for %s", o.id)
			}
			continue
		}
		for how, header := range bad {
			if status, body := ask(c, header); status != 401 || !strings.Contains(body, `"title":"Unauthorized"`) {
				t.Errorf("%s with %s: %d %.80s", o.id, how, status, body)
			}
		}
		if status, _ := ask(events, nil); (status == 403) == (o.id == "send-events") {
			t.Errorf("%s with a token for events: %d", o.id, status)
		}
		for _, role := range wire.Roles() {
			status, body := ask(who[role], nil)
			switch {
			case role.May(o.role) && (status == 401 || status == 403 || status >= 500):
				t.Errorf("%s as %s, which is enough: %d %s", o.id, role, status, body)
			case !role.May(o.role) && (status != 403 || !strings.Contains(body, "needs the role "+string(o.role))):
				t.Errorf("%s as %s: %d %s", o.id, role, status, body)
			}
		}
	}
	for _, path := range []string{"/metrics", "/v1/traces"} {
		method := map[string]string{"/metrics": "GET", "/v1/traces": "POST"}[path]
		if r, _ := (exchange{method, path, "", nil}).do(t, &client.Client{Address: c.Address, Token: "tph_no"}); r.StatusCode != 401 {
			t.Errorf("%s with a wrong token: %d", path, r.StatusCode)
		}
	}
	if r, _ := (exchange{"POST", "/v1/traces", "{}", map[string]string{"Content-Type": "application/json"}}).do(t, who[wire.Viewer]); r.StatusCode != 403 {
		t.Errorf("a viewer tells of jobs: %d", r.StatusCode)
	}
	// What was refused for want of a right is in the audit, with who it was.
	page, err := c.Audit(ctx, client.WhichDeeds{Who: "a viewer", Result: "refused", What: "put-document"}, "", 10)
	if err != nil || len(page.Items) != 1 || page.Items[0].On != "documents/PodTemplate/x" || page.Items[0].Via != "of a test" ||
		page.Items[0].From != "127.0.0.1" || page.Items[0].Role != wire.Viewer {
		t.Errorf("%+v, %v", page, err)
	}
}

// A token does no more than its role, and no more than its maker may now; roles above one's own cannot be given
// to tokens; what someone has ends with their role.
func TestTokensOfPeople(t *testing.T) {
	t.Parallel()
	_, c := running.Start(t)
	ctx := context.Background()
	mira := person(t, c, "mira", wire.Designer)
	if _, err := mira.NewToken(ctx, wire.NewToken{Name: "more", Role: wire.Owner}); !client.IsStatus(err, 403) {
		t.Errorf("a token above its maker: %v", err)
	}
	if _, err := mira.NewToken(ctx, wire.NewToken{Name: "more", Role: "king"}); !client.IsStatus(err, 422) || !strings.Contains(err.Error(), "  role: ") {
		t.Errorf("a role that there is not: %v", err)
	}
	small, err := mira.NewToken(ctx, wire.NewToken{Name: "reads", Role: wire.Viewer, Days: 30})
	if err != nil || small.Person != "mira" || small.Expires == nil {
		t.Fatalf("%+v, %v", small, err)
	}
	reads := &client.Client{Address: c.Address, Token: small.Secret}
	if _, err := reads.Put(ctx, "", []byte(scenarioText("s", 1)), false); !client.IsStatus(err, 403) || !strings.Contains(err.Error(), "the token reads of mira") {
		t.Errorf("a viewer's token stores: %v", err)
	}
	if list, err := mira.Tokens(ctx); err != nil || len(list) != 2 {
		t.Errorf("her own: %+v, %v", list, err)
	}
	all, err := c.Tokens(ctx)
	if err != nil || len(all) != 3 {
		t.Errorf("all: %+v, %v", all, err)
	}
	for _, x := range all {
		if x.Here {
			if err := mira.EndToken(ctx, x.ID); !client.IsStatus(err, 404) {
				t.Errorf("someone else's token: %v", err)
			}
		}
	}
	if _, _, err := mira.NewLink(ctx, wire.NewLink{Name: "other"}); !client.IsStatus(err, 403) {
		t.Errorf("a link for someone else: %v", err)
	}
	if _, link, err := c.NewLink(ctx, wire.NewLink{Name: "ole"}); err != nil || link.Role != wire.Viewer {
		t.Errorf("a link for one who is new: %+v, %v", link, err)
	}
	if err := c.SetRole(ctx, "mira", wire.Viewer); err != nil {
		t.Fatal(err)
	}
	if _, err := mira.Put(ctx, "", []byte(scenarioText("s", 1)), false); !client.IsStatus(err, 403) {
		t.Errorf("with a role that was taken away: %v", err)
	}
	if err := c.SetRole(ctx, "mira", ""); err != nil {
		t.Fatal(err)
	}
	for _, x := range []*client.Client{mira, reads} {
		if _, err := x.List(ctx, ""); !client.IsStatus(err, 401) {
			t.Errorf("with no role: %v", err)
		}
	}
	if _, _, err := c.NewLink(ctx, wire.NewLink{Name: "mira"}); !client.IsStatus(err, 422) {
		t.Errorf("a link for one who may do nothing: %v", err)
	}
	if err := c.SetRole(ctx, "owner", wire.Viewer); !client.IsStatus(err, 422) || !strings.Contains(err.Error(), "last owner") {
		t.Errorf("the last owner: %v", err)
	}
}

// The token of the state folder is the one in its file: deleting that ends it at the next start, and one that
// the records do not know any more is made anew.
func TestTokenOfTheStateFolder(t *testing.T) {
	t.Parallel()
	ctx, state := context.Background(), t.TempDir()
	start := func() (*running.Process, *client.Client) { return running.Serve(t, state, nil) }
	p, first := start()
	if strings.Contains(p.Log(), "link=") {
		t.Errorf("a secret in the log:\n%s", p.Log())
	}
	p.Stop()
	p, same := start()
	if same.Token != first.Token {
		t.Error("another token at each start")
	}
	p.Stop()
	if err := os.Remove(filepath.Join(state, "access.json")); err != nil {
		t.Fatal(err)
	}
	p, second := start()
	old := &client.Client{Address: second.Address, Token: first.Token}
	if _, err := old.List(ctx, ""); !client.IsStatus(err, 401) {
		t.Errorf("the token whose file was deleted: %v", err)
	}
	tokens, err := second.Tokens(ctx)
	if err != nil || len(tokens) != 1 || !tokens[0].Here {
		t.Fatalf("%+v, %v", tokens, err)
	}
	if err := second.EndToken(ctx, tokens[0].ID); err != nil {
		t.Fatal(err)
	}
	if _, err := second.List(ctx, ""); !client.IsStatus(err, 401) {
		t.Errorf("one that ended: %v", err)
	}
	p.Stop()
	if p, third := start(); third.Token == second.Token {
		t.Error("the stale token stays in the file")
	} else if _, err := third.List(ctx, ""); err != nil {
		t.Error(err)
	} else {
		p.Stop()
	}
}

// Attempts to sign in are bounded for each address, and say when to come again.
func TestSignInIsLimited(t *testing.T) {
	t.Parallel()
	_, c := running.StartAs(t, service.Config{})
	limited := 0
	for range 40 {
		r, body := exchange{"POST", "/api/v1/session", `{"token":"tph_guess"}`, map[string]string{"Content-Type": "application/json"}}.do(t, c)
		switch r.StatusCode {
		case 401:
		case 429:
			limited++
			if r.Header.Get("Retry-After") == "" || !strings.Contains(body, "try again in") {
				t.Errorf("when? %v %s", r.Header, body)
			}
		default:
			t.Fatalf("%d %s", r.StatusCode, body)
		}
	}
	if limited < 10 {
		t.Errorf("%d of 40 guesses were turned away", limited)
	}
	page, err := c.Audit(context.Background(), client.WhichDeeds{What: "sign-in", Result: "refused"}, "", 100)
	if err != nil || len(page.Items) != 40-limited || page.Items[0].Who != "" {
		t.Errorf("%d of %d in the audit, %v", len(page.Items), 40-limited, err)
	}
	if _, err := c.List(context.Background(), ""); err != nil {
		t.Errorf("who is signed in: %v", err)
	}
}
