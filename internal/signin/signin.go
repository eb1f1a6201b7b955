// Package signin signs people in by an OpenID provider: the code flow with PKCE, what the provider says of
// them checked by its keys, their groups made a role.
package signin

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"strings"
	"sync"
	"time"
	"unicode"

	"tachyphor/wire"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"
	"sigs.k8s.io/yaml"
)

// Settings say who the provider is, and what it says of whom.
type Settings struct {
	Issuer     string               `json:"issuer"`     // address of the provider, as its tokens say it
	Name       string               `json:"name"`       // what people call it; empty: its host name
	Client     string               `json:"client"`     // id that the provider knows this service by
	SecretFile string               `json:"secretFile"` // with what it is to prove that with; empty: a public client
	Address    string               `json:"address"`    // of this service, as browsers know it
	Claim      string               `json:"claim"`      // that has the groups; empty: groups
	Scopes     []string             `json:"scopes"`     // asked for beside openid, profile and email
	Roles      map[string]wire.Role `json:"roles"`      // of groups; one in several has the highest
	Everyone   wire.Role            `json:"everyone"`   // of all whom the provider knows; empty: none
	Ends       string               `json:"age"`        // sessions end after this, as groups are asked for at sign-in; empty: 12h
	CA         string               `json:"caFile"`     // file with authorities that the provider's certificate is held against; empty: the system's
}

// Bounds of speaking to the provider.
const (
	patience = 15 * time.Second
	skew     = time.Minute // by which clocks may differ
	usualAge = 12 * time.Hour
	mostAge  = 30 * 24 * time.Hour
	mostName = 63
	mostFile = 64 << 10
)

// A Provider signs people in.
type Provider struct {
	Settings
	Age    time.Duration
	secret string
	client *http.Client
	now    func() time.Time

	mu     sync.Mutex
	found  *oidc.Provider // once it has answered
	config oauth2.Config
}

// Read reads settings from a file. The provider itself is spoken to when someone signs in.
func Read(path string) (*Provider, error) {
	b, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	if len(b) > mostFile {
		return nil, fmt.Errorf("%s: larger than 64 KiB", path)
	}
	var s Settings
	if err := yaml.UnmarshalStrict(b, &s); err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	p, err := New(s)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return p, nil
}

// New checks settings.
func New(s Settings) (*Provider, error) {
	p := &Provider{Settings: s, Age: usualAge, now: time.Now}
	issuer, err := safe("issuer", s.Issuer)
	if err != nil {
		return nil, err
	}
	if _, err := safe("address", s.Address); err != nil {
		return nil, err
	}
	if p.Name == "" {
		p.Name = issuer.Hostname()
	}
	if s.Client == "" {
		return nil, errors.New("client: say by which id the provider knows this service")
	}
	if p.Claim == "" {
		p.Claim = "groups"
	}
	if len(s.Roles) == 0 && s.Everyone == "" {
		return nil, errors.New("roles: name groups and their roles, or a role for everyone, or nobody can sign in")
	}
	for group, role := range s.Roles {
		if !role.May(wire.Viewer) {
			return nil, fmt.Errorf("roles: %s: there is no role %q; expected viewer, designer, operator or owner", group, role)
		}
	}
	if s.Everyone != "" && !s.Everyone.May(wire.Viewer) {
		return nil, fmt.Errorf("everyone: there is no role %q; expected viewer, designer, operator or owner", s.Everyone)
	}
	if s.Ends != "" {
		if p.Age, err = time.ParseDuration(s.Ends); err != nil || p.Age < time.Minute || p.Age > mostAge {
			return nil, fmt.Errorf("age: %s: expected between 1m and 720h", s.Ends)
		}
	}
	if s.SecretFile != "" {
		b, err := os.ReadFile(s.SecretFile)
		if err != nil {
			return nil, fmt.Errorf("secretFile: %w", err)
		}
		p.secret = strings.TrimSpace(string(b))
	}
	t := http.DefaultTransport.(*http.Transport).Clone()
	if s.CA != "" {
		b, err := os.ReadFile(s.CA)
		if err != nil {
			return nil, fmt.Errorf("caFile: %w", err)
		}
		pool := x509.NewCertPool()
		if !pool.AppendCertsFromPEM(b) {
			return nil, fmt.Errorf("caFile: %s holds no certificate", s.CA)
		}
		t.TLSClientConfig = &tls.Config{RootCAs: pool, MinVersion: tls.VersionTLS12}
	}
	p.client = &http.Client{Transport: t, Timeout: patience, CheckRedirect: func(*http.Request, []*http.Request) error {
		return errors.New("the provider sends elsewhere; name the address that it answers at")
	}}
	return p, nil
}

// safe reads an address that nobody can read what is sent to: by https, or on this machine.
func safe(field, text string) (*url.URL, error) {
	u, err := url.Parse(text)
	if err != nil || u.Host == "" || u.RawQuery != "" || u.Fragment != "" || u.User != nil {
		return nil, fmt.Errorf("%s: %q: expected an address, as in https://id.slipway.example", field, text)
	}
	here := u.Hostname() == "127.0.0.1" || u.Hostname() == "localhost" || u.Hostname() == "::1"
	if u.Scheme != "https" && !(u.Scheme == "http" && here) {
		return nil, fmt.Errorf("%s: %q: expected https, or http on this machine alone", field, text)
	}
	return u, nil
}

// BackPath is where the provider sends people back to.
const BackPath = "/sign-in/back"

// Begun is what has to be remembered while someone is at the provider; they carry it themselves.
type Begun struct {
	State, Nonce, Verifier string
}

// known asks the provider where it does what, once; the next asks again where it did not answer.
func (p *Provider) known() (*oidc.Provider, oauth2.Config, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.found == nil {
		// its keys are asked for by this context for as long as it is known
		found, err := oidc.NewProvider(oidc.ClientContext(context.Background(), p.client), p.Issuer)
		if err != nil {
			return nil, oauth2.Config{}, fmt.Errorf("the provider at %s does not answer: %w", p.Issuer, err)
		}
		p.found = found
		p.config = oauth2.Config{
			ClientID: p.Client, ClientSecret: p.secret, Endpoint: found.Endpoint(), RedirectURL: strings.TrimSuffix(p.Address, "/") + BackPath,
			Scopes: append([]string{oidc.ScopeOpenID, "profile", "email"}, p.Scopes...),
		}
	}
	return p.found, p.config, nil
}

// Begin is the address at the provider that someone is sent to.
func (p *Provider) Begin() (address string, b Begun, err error) {
	_, config, err := p.known()
	if err != nil {
		return "", b, err
	}
	b = Begun{State: oauth2.GenerateVerifier(), Nonce: oauth2.GenerateVerifier(), Verifier: oauth2.GenerateVerifier()}
	return config.AuthCodeURL(b.State, oidc.Nonce(b.Nonce), oauth2.S256ChallengeOption(b.Verifier)), b, nil
}

// A Known is someone as the provider knows them.
type Known struct {
	Subject string // unlike any other's, with the issuer
	Name    string
	Role    wire.Role // empty: in none of the groups
}

// ErrRefused says that what came back from the provider lets nobody in.
var ErrRefused = errors.New("the provider's answer is not a valid sign-in")

// Finish is who came back from the provider with a code.
func (p *Provider) Finish(ctx context.Context, b Begun, code string) (k Known, err error) {
	found, config, err := p.known()
	if err != nil {
		return k, err
	}
	ctx, cancel := context.WithTimeout(oidc.ClientContext(ctx, p.client), patience)
	defer cancel()
	tokens, err := config.Exchange(ctx, code, oauth2.VerifierOption(b.Verifier))
	if err != nil {
		return k, fmt.Errorf("%w: %w", ErrRefused, plainly(err))
	}
	raw, _ := tokens.Extra("id_token").(string)
	if raw == "" {
		return k, fmt.Errorf("%w: it has no ID token", ErrRefused)
	}
	token, err := found.Verifier(&oidc.Config{ClientID: p.Client, Now: func() time.Time { return p.now().Add(-skew) }}).Verify(ctx, raw)
	if err != nil {
		return k, fmt.Errorf("%w: %w", ErrRefused, err)
	}
	if token.Nonce != b.Nonce {
		return k, fmt.Errorf("%w: it is the answer to another question", ErrRefused)
	}
	if token.IssuedAt.After(p.now().Add(5 * skew)) {
		return k, fmt.Errorf("%w: it is of %s, and here it is %s: a clock is wrong", ErrRefused, token.IssuedAt.UTC().Format(time.RFC3339),
			p.now().UTC().Format(time.RFC3339))
	}
	claims := map[string]json.RawMessage{}
	if err := token.Claims(&claims); err != nil {
		return k, fmt.Errorf("%w: %w", ErrRefused, err)
	}
	if _, ok := claims[p.Claim]; !ok { // some tell groups there alone
		more := map[string]json.RawMessage{}
		if info, err := found.UserInfo(ctx, oauth2.StaticTokenSource(tokens)); err == nil && info.Subject == token.Subject && info.Claims(&more) == nil {
			for name, value := range more {
				if _, has := claims[name]; !has {
					claims[name] = value
				}
			}
		}
	}
	return Known{Subject: token.Issuer + "|" + token.Subject, Name: named(claims, token.Subject), Role: p.role(claims[p.Claim])}, nil
}

// plainly leaves what the provider sent back out of an error: it may hold what nobody should see.
func plainly(err error) error {
	var r *oauth2.RetrieveError
	if errors.As(err, &r) {
		return fmt.Errorf("the provider refuses the code: %d %s", r.Response.StatusCode, r.ErrorCode)
	}
	return err
}

// named is what someone is called here: what the provider says they are called, without what a name may not
// have.
func named(claims map[string]json.RawMessage, subject string) string {
	for _, claim := range []string{"preferred_username", "email", "name"} {
		var text string
		if json.Unmarshal(claims[claim], &text) == nil {
			if text = clean(text); text != "" {
				return text
			}
		}
	}
	return clean(subject)
}

func clean(text string) string {
	out := strings.TrimSpace(strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || !unicode.IsPrint(r) || r == '/' {
			return -1
		}
		return r
	}, text))
	if r := []rune(out); len(r) > mostName {
		out = string(r[:mostName])
	}
	return out
}

// role is the highest that groups give: a list of them, or one.
func (p *Provider) role(raw json.RawMessage) wire.Role {
	role := p.Everyone
	var list []string
	if err := json.Unmarshal(raw, &list); err != nil {
		var one string
		if json.Unmarshal(raw, &one) != nil {
			return role
		}
		list = []string{one}
	}
	for _, group := range list {
		if r, ok := p.Roles[group]; ok && !role.May(r) {
			role = r
		}
	}
	return role
}
