package program

import (
	"context"
	"encoding/base64"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/internal/service"
	"tachyphor/test/running"
	"tachyphor/wire"

	"github.com/golang-jwt/jwt/v5"
	"github.com/oauth2-proxy/mockoidc"
)

// citizen is someone whom the provider knows; bend changes what it says of them.
type citizen struct {
	mockoidc.MockUser
	bend func(*mockoidc.IDTokenClaims)
}

func (c *citizen) Claims(scopes []string, claims *mockoidc.IDTokenClaims) (jwt.Claims, error) {
	if c.bend != nil {
		c.bend(claims)
	}
	return c.MockUser.Claims(scopes, claims)
}

// known is a citizen in some groups.
func known(name string, groups ...string) *citizen {
	return &citizen{MockUser: mockoidc.MockUser{Subject: "id of " + name, PreferredUsername: name, Groups: groups}}
}

// withProvider is a service beside an identity provider.
func withProvider(t *testing.T) (*mockoidc.MockOIDC, *client.Client) {
	t.Helper()
	m, err := mockoidc.Run()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = m.Shutdown() })
	address, dir := running.FreeAddress(t), t.TempDir()
	secret, file := filepath.Join(dir, "secret"), filepath.Join(dir, "oidc.yaml")
	text := fmt.Sprintf("issuer: %s\nname: Brinewell\nclient: %s\nsecretFile: %s\naddress: http://%s\nscopes: [groups]\n"+
		"roles: {platform: owner, on-call: operator, builders: designer}\n", m.Issuer(), m.ClientID, secret, address)
	for path, content := range map[string]string{secret: m.ClientSecret + "\n", file: text} {
		if err := os.WriteFile(path, []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	_, c := running.StartAs(t, service.Config{Address: address, Provider: file})
	return m, c
}

// signIn sends someone through the provider and back; it returns their browser, where they ended, and the
// address that they came back by.
func signIn(t *testing.T, m *mockoidc.MockOIDC, c *client.Client, who mockoidc.User) (b *browser, at, back string) {
	t.Helper()
	m.QueueUser(who)
	b = browse(t, c.Address)
	b.c.CheckRedirect = func(r *http.Request, _ []*http.Request) error {
		if strings.HasPrefix(r.URL.Path, "/sign-in/back") {
			back = r.URL.String()
		}
		return nil
	}
	r, err := b.c.Get(c.Address + "/sign-in/provider")
	if err != nil {
		t.Fatal(err)
	}
	_ = r.Body.Close()
	return b, r.Request.URL.RequestURI(), back
}

// as is who a browser is signed in as: name and role, or empty.
func (b *browser) as(t *testing.T) string {
	t.Helper()
	r, body := b.do(t, "GET", "/api/v1/session", "")
	if r.StatusCode != 200 {
		return ""
	}
	name, _, _ := strings.Cut(strings.SplitN(body, `"name":"`, 2)[1], `"`)
	role, _, _ := strings.Cut(strings.SplitN(body, `"role":"`, 2)[1], `"`)
	return name + " " + role
}

// People whom the provider knows get the highest role of their groups; with other groups another, with none no
// entry, and what they had ends.
func TestSignInByProvider(t *testing.T) {
	t.Parallel()
	m, c := withProvider(t)
	ctx := context.Background()
	if r, body := (exchange{"GET", "/api/v1/sign-in", "", nil}).do(t, &client.Client{Address: c.Address}); r.StatusCode != 200 ||
		!strings.Contains(body, `"provider":"Brinewell"`) {
		t.Errorf("%d %s", r.StatusCode, body)
	}
	mira, at, _ := signIn(t, m, c, known("mira", "builders", "on-call", "choir"))
	if as := mira.as(t); as != "mira operator" || !strings.HasPrefix(at, "/sign-in/back") {
		t.Fatalf("signed in as %q, at %s", as, at)
	}
	people, err := c.People(ctx)
	if err != nil || len(people) != 2 || people[0].By != "provider" {
		t.Errorf("%+v, %v", people, err)
	}
	// Keys are rotated: who signs in after that is let in as well, who was stays.
	if m.Keypair, err = mockoidc.RandomKeypair(2048); err != nil {
		t.Fatal(err)
	}
	again, _, _ := signIn(t, m, c, known("mira", "builders"))
	if as := again.as(t); as != "mira designer" || mira.as(t) != "mira designer" {
		t.Errorf("with other keys and fewer groups: %q, and %q in the browser before", as, mira.as(t))
	}
	// A role that an owner takes away holds at once, and whatever the provider says.
	if err := c.SetRole(ctx, "mira", wire.Viewer); err != nil {
		t.Fatal(err)
	}
	if again.as(t) != "mira viewer" {
		t.Errorf("at once: %q", again.as(t))
	}
	third, _, _ := signIn(t, m, c, known("mira", "platform"))
	if third.as(t) != "mira viewer" {
		t.Errorf("the next time: %q", third.as(t))
	}
	// Groups that vanish end what was open.
	_, at, _ = signIn(t, m, c, known("mira", "choir"))
	if at != "/welcome?refused=groups" || third.as(t) != "" || mira.as(t) != "" {
		t.Errorf("without groups: at %s, %q, %q", at, third.as(t), mira.as(t))
	}
	if _, at, _ = signIn(t, m, c, known("owner", "builders")); at != "/welcome?refused=name" {
		t.Errorf("by the name of someone else: %s", at)
	}
	audit, err := c.Audit(ctx, client.WhichDeeds{What: "sign-in"}, "", 50)
	if err != nil || len(audit.Items) != 5 || audit.Items[0].Result != "refused" || audit.Items[4].Who != "mira" || audit.Items[4].On != "by Brinewell" {
		t.Errorf("%+v, %v", audit.Items, err)
	}
}

// What a provider, or someone in its place, may send that lets nobody in; clocks may differ a little.
func TestProvidersAnswersThatLetNobodyIn(t *testing.T) {
	t.Parallel()
	m, c := withProvider(t)
	for what, bend := range map[string]func(*mockoidc.IDTokenClaims){
		"for another service":         func(k *mockoidc.IDTokenClaims) { k.Audience = jwt.ClaimStrings{"another"} },
		"of another provider":         func(k *mockoidc.IDTokenClaims) { k.Issuer = "https://id.elsewhere.example" },
		"that is over":                func(k *mockoidc.IDTokenClaims) { k.ExpiresAt = jwt.NewNumericDate(time.Now().Add(-5 * time.Minute)) },
		"of a clock far ahead":        func(k *mockoidc.IDTokenClaims) { k.IssuedAt = jwt.NewNumericDate(time.Now().Add(time.Hour)) },
		"that does not hold yet":      func(k *mockoidc.IDTokenClaims) { k.NotBefore = jwt.NewNumericDate(time.Now().Add(time.Hour)) },
		"to another question":         func(k *mockoidc.IDTokenClaims) { k.Nonce = "another" },
		"to no question":              func(k *mockoidc.IDTokenClaims) { k.Nonce = "" },
		"that does not say when ends": func(k *mockoidc.IDTokenClaims) { k.ExpiresAt = nil },
	} {
		who := known("ole", "platform")
		who.bend = bend
		if b, at, _ := signIn(t, m, c, who); at != "/welcome?refused=provider" || b.as(t) != "" {
			t.Errorf("an answer %s: at %s as %q", what, at, b.as(t))
		}
	}
	for what, bend := range map[string]func(*mockoidc.IDTokenClaims){
		"a clock half a minute behind": func(k *mockoidc.IDTokenClaims) { k.ExpiresAt = jwt.NewNumericDate(time.Now().Add(-30 * time.Second)) },
		"a clock a minute ahead": func(k *mockoidc.IDTokenClaims) {
			k.IssuedAt = jwt.NewNumericDate(time.Now().Add(time.Minute))
			k.NotBefore = k.IssuedAt
		},
	} {
		who := known("ole", "platform")
		who.bend = bend
		if b, at, _ := signIn(t, m, c, who); b.as(t) != "ole owner" {
			t.Errorf("with %s: at %s as %q", what, at, b.as(t))
		}
	}
	// A code that was used, by the same browser and with what it carried, and by another.
	b, _, back := signIn(t, m, c, known("ole", "platform"))
	if _, r := b.as(t), b.get(t, back); r != 200 {
		t.Fatal(r)
	}
	u, err := url.Parse(back)
	if err != nil {
		t.Fatal(err)
	}
	carried := base64.RawURLEncoding.EncodeToString([]byte(fmt.Sprintf(`{"State":%q,"Nonce":"n","Verifier":"v"}`, u.Query().Get("state"))))
	for what, cookie := range map[string]string{"by another browser": "", "with its state made up": carried} {
		other := browse(t, c.Address)
		if cookie != "" {
			home, _ := url.Parse(c.Address + "/sign-in")
			other.c.Jar.(*cookiejar.Jar).SetCookies(home, []*http.Cookie{{
				Name: "tachyphor_" + u.Port() + "_away", Value: cookie, Path: "/sign-in",
			}})
		}
		other.get(t, back)
		if as := other.as(t); as != "" {
			t.Errorf("a code that was used, %s: %q", what, as)
		}
	}
	for _, query := range []string{"", "?code=x", "?state=", "?error=access_denied"} {
		other := browse(t, c.Address)
		if status := other.get(t, c.Address+"/sign-in/back"+query); status != 200 || other.as(t) != "" {
			t.Errorf("back with %q: %d", query, status)
		}
	}
	// The provider is away: one is told, and the link and tokens go on.
	if err := m.Shutdown(); err != nil {
		t.Fatal(err)
	}
	if _, err := c.List(context.Background(), ""); err != nil {
		t.Error(err)
	}
}
