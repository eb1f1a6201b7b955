package program

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"io/fs"
	"math/big"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// certify writes a certificate of its own making, with its key.
func certify(t *testing.T, name, cert, key string) {
	t.Helper()
	k, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	serial, err := rand.Int(rand.Reader, big.NewInt(1<<62))
	if err != nil {
		t.Fatal(err)
	}
	about := &x509.Certificate{
		SerialNumber: serial, Subject: pkix.Name{CommonName: name}, DNSNames: []string{name}, NotBefore: time.Now().Add(-time.Hour),
		NotAfter: time.Now().Add(time.Hour),
	}
	der, err := x509.CreateCertificate(rand.Reader, about, about, &k.PublicKey, k)
	if err != nil {
		t.Fatal(err)
	}
	secret, err := x509.MarshalPKCS8PrivateKey(k)
	if err != nil {
		t.Fatal(err)
	}
	for path, block := range map[string]*pem.Block{key: {Type: "PRIVATE KEY", Bytes: secret}, cert: {Type: "CERTIFICATE", Bytes: der}} {
		if err := os.WriteFile(path, pem.EncodeToMemory(block), 0o600); err != nil {
			t.Fatal(err)
		}
	}
}

// signedCookie signs in and returns the session's cookie, and the answer's head.
func signedCookie(t *testing.T, c *client.Client, h *http.Client, header map[string]string) (*http.Cookie, http.Header) {
	t.Helper()
	address, _, err := c.NewLink(context.Background(), wire.NewLink{})
	if err != nil {
		t.Fatal(err)
	}
	req, err := http.NewRequest("GET", address, nil)
	if err != nil {
		t.Fatal(err)
	}
	for k, v := range header {
		req.Header.Set(k, v)
	}
	r, err := h.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	_ = r.Body.Close()
	if len(r.Cookies()) != 1 {
		t.Fatalf("%d cookies, %d", len(r.Cookies()), r.StatusCode)
	}
	return r.Cookies()[0], r.Header
}

// Over TLS cookies are for TLS alone; the certificate is read again when its files change, and what does not fit
// leaves the one that there was; the command line of the state folder knows it by itself.
func TestTLS(t *testing.T) {
	t.Parallel()
	ctx, state, dir := context.Background(), t.TempDir(), t.TempDir()
	cert, key := filepath.Join(dir, "cert.pem"), filepath.Join(dir, "key.pem")
	if r := command(t, state, "serve", "--listen", "127.0.0.1:0", "--tls-cert", cert, "--tls-key", key); r.status != 1 || !strings.Contains(r.err, "--tls-cert") {
		t.Errorf("without the files: %+v", r)
	}
	certify(t, "first.example", cert, key)
	_, c := running.Serve(t, state, nil, "--tls-cert", cert, "--tls-key", key)
	if !strings.HasPrefix(c.Address, "https://") {
		t.Fatal(c.Address)
	}
	known := func() *client.Client {
		a, err := wire.ReadAccess(state)
		if err != nil {
			t.Fatal(err)
		}
		return &client.Client{Address: a.Address, Token: a.Token, HTTP: client.Pinned(a.Certificate)}
	}
	c = known()
	if _, err := c.List(ctx, ""); err != nil {
		t.Fatal(err)
	}
	if _, err := (&client.Client{Address: c.Address, Token: c.Token}).List(ctx, ""); err == nil {
		t.Error("a certificate that nobody vouches for is taken")
	}
	cookie, head := signedCookie(t, c, c.HTTP, nil)
	if !cookie.Secure || !cookie.HttpOnly || head.Get("Strict-Transport-Security") == "" {
		t.Errorf("%+v %v", cookie, head)
	}
	if r := command(t, state, "token", "list"); r.status != 0 {
		t.Errorf("the command line: %+v", r)
	}
	shown := func() string {
		conn, err := tls.Dial("tcp", strings.TrimPrefix(c.Address, "https://"), &tls.Config{InsecureSkipVerify: true})
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = conn.Close() }()
		return conn.ConnectionState().PeerCertificates[0].Subject.CommonName
	}
	if shown() != "first.example" {
		t.Error(shown())
	}
	if _, err := tls.Dial("tcp", strings.TrimPrefix(c.Address, "https://"), &tls.Config{InsecureSkipVerify: true, MaxVersion: tls.VersionTLS11}); err == nil {
		t.Error("TLS 1.1 is spoken")
	}
	certify(t, "second.example", cert, filepath.Join(dir, "other.pem")) // the key is not there yet
	time.Sleep(5500 * time.Millisecond)
	if shown() != "first.example" {
		t.Error("half a change")
	}
	certify(t, "third.example", cert, key)
	eventually(t, "the new certificate", func() bool { time.Sleep(time.Second); return shown() == "third.example" })
	if r := command(t, state, "token", "list"); r.status != 0 {
		t.Errorf("the command line, with the new one: %+v", r)
	}
	if _, err := c.List(ctx, ""); err != nil { // its connection goes on
		t.Log(err)
	}
}

// What a proxy says counts when it is one that was named, and from no one else.
func TestProxies(t *testing.T) {
	t.Parallel()
	claims := map[string]string{"X-Forwarded-Proto": "https", "X-Forwarded-For": "192.0.2.7"}
	for _, x := range []struct {
		args   []string
		secure bool
		from   string
	}{
		{nil, false, "127.0.0.1"},
		{[]string{"--proxy", "192.0.2.0/24"}, false, "127.0.0.1"},
		{[]string{"--proxy", "127.0.0.1"}, true, "192.0.2.7"},
	} {
		_, c := running.Serve(t, t.TempDir(), nil, x.args...)
		cookie, head := signedCookie(t, c, http.DefaultClient, claims)
		if cookie.Secure != x.secure || (head.Get("Strict-Transport-Security") != "") != x.secure {
			t.Errorf("%v: %+v", x.args, cookie)
		}
		page, err := c.Audit(context.Background(), client.WhichDeeds{What: "sign-in"}, "", 1)
		if err != nil || len(page.Items) != 1 || page.Items[0].From != x.from {
			t.Errorf("%v: %+v, %v", x.args, page, err)
		}
	}
	if r := command(t, t.TempDir(), "serve", "--proxy", "everyone"); r.status == 0 || !strings.Contains(r.err, "--proxy everyone") {
		t.Errorf("%+v", r)
	}
}

// What is secret lies in files that only their owner reads, is kept as a hash, and is in no log at any level.
func TestSecretsAtRest(t *testing.T) {
	t.Parallel()
	ctx, state := context.Background(), filepath.Join(t.TempDir(), "state")
	p, c := running.Serve(t, state, nil, "--log-level", "debug", "--log-format", "json")
	address, _, err := c.NewLink(ctx, wire.NewLink{Name: "mira", Role: wire.Designer})
	if err != nil {
		t.Fatal(err)
	}
	link := address[strings.Index(address, "tph_"):]
	b := browse(t, c.Address)
	if b.get(t, address) != 200 {
		t.Fatal("no session")
	}
	made, err := c.NewToken(ctx, wire.NewToken{Name: "x", Role: wire.Viewer})
	if err != nil {
		t.Fatal(err)
	}
	_, _ = exchange{"POST", "/api/v1/session", `{"token":"` + made.Secret + `"}`, map[string]string{"Content-Type": "application/json"}}.do(t, c)
	password, err := os.ReadFile(filepath.Join(state, "mariadb", "password"))
	if err != nil {
		t.Fatal(err)
	}
	backup := filepath.Join(t.TempDir(), "x.backup")
	if r := command(t, state, "backup", backup); r.status != 0 {
		t.Fatal(r)
	}
	home := b.c.Jar.Cookies(mustURL(t, c.Address))
	secrets := map[string]string{
		"link": link, "token": made.Secret, "own token": c.Token, "password": string(password), "session": home[0].Value,
	}
	for what, secret := range secrets {
		if len(secret) < 20 {
			t.Fatalf("%s: %q", what, secret)
		}
		if strings.Contains(p.Log(), secret) {
			t.Errorf("the %s is in the log", what)
		}
	}
	_ = p.Stop()
	err = filepath.WalkDir(state, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		info, err := d.Info()
		if err != nil {
			return err
		}
		rel, _ := filepath.Rel(state, path)
		if info.Mode().Perm()&0o077 != 0 && info.Mode().IsRegular() && !strings.HasPrefix(rel, "mariadb/") {
			t.Errorf("%s is readable for others: %v", rel, info.Mode())
		}
		if d.IsDir() && (rel == "." || rel == "mariadb" || rel == "passing") && info.Mode().Perm()&0o077 != 0 {
			t.Errorf("folder %s is open for others: %v", rel, info.Mode())
		}
		if !info.Mode().IsRegular() || rel == "access.json" || rel == filepath.Join("mariadb", "password") || rel == filepath.Join("mariadb", "init.sql") {
			return nil
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		for what, secret := range secrets {
			if bytes.Contains(data, []byte(secret)) {
				t.Errorf("the %s is in %s", what, rel)
			}
		}
		return nil
	})
	if err != nil {
		t.Error(err)
	}
}
