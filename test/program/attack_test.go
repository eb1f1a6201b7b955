package program

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/internal/kube"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// packed is so much of nothing, packed with gzip.
func packed(t *testing.T, size int64) []byte {
	t.Helper()
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	if _, err := io.CopyN(w, zeros{}, size); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

type zeros struct{}

func (zeros) Read(b []byte) (int, error) {
	clear(b)
	return len(b), nil
}

// sentAnyway sends a request whose answer may not wait for its end; 0: the connection was closed.
func sentAnyway(t *testing.T, c *client.Client, x exchange) (int, string) {
	t.Helper()
	r, body, err := x.with(c.Token).send(t, c.Address, http.DefaultClient)
	switch {
	case err == nil:
		return r.StatusCode, body
	case strings.Contains(err.Error(), "reset"), strings.Contains(err.Error(), "broken pipe"):
		return 0, ""
	}
	t.Fatal(err)
	return 0, ""
}

// What is sent to break in, or to break, is refused, soon, and the service goes on.
func TestWhatIsSentToBreak(t *testing.T) {
	t.Parallel()
	_, c := running.Start(t)
	// Out of the folder of the console, by every way to write it.
	for _, path := range []string{
		"/../../../../etc/passwd", "/assets/../../../../etc/passwd", "/assets/%2e%2e/%2e%2e/%2e%2e/etc/passwd", "/..%2f..%2f..%2fetc%2fpasswd",
		"//etc/passwd", "/assets/..%5c..%5cetc%5cpasswd", "/.%00./etc/passwd", "/api/v1/documents/Scenario/..%2f..%2f..%2fetc%2fpasswd",
		"/api/v1/recordings/..%2f..%2f..%2f..%2fetc%2fpasswd", "/api/v1/schemas/..%2f..%2fetc%2fpasswd",
	} {
		conn, err := net.Dial("tcp", strings.TrimPrefix(c.Address, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		_, _ = fmt.Fprintf(conn, "GET %s HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer %s\r\nConnection: close\r\n\r\n", path, c.Token)
		b, _ := io.ReadAll(conn)
		_ = conn.Close()
		if strings.Contains(string(b), "root:") || !strings.HasPrefix(string(b), "HTTP/1.1 ") {
			t.Errorf("%s: %.200s", path, b)
		}
	}
	laughs := "a0: &a0 [x, x, x, x, x, x, x, x, x, x]\n"
	for i := 1; i < 12; i++ {
		laughs += fmt.Sprintf("a%d: &a%d [%s]\n", i, i, strings.TrimSuffix(strings.Repeat(fmt.Sprintf("*a%d, ", i-1), 10), ", "))
	}
	deep := strings.Repeat("{a: ", 50_000) + "1" + strings.Repeat("}", 50_000)
	yaml := map[string]string{"Content-Type": "application/yaml"}
	events := map[string]string{"Content-Type": "application/cloudevents-batch+json", "Content-Encoding": "gzip"}
	spans := map[string]string{"Content-Type": "application/x-protobuf", "Content-Encoding": "gzip"}
	for what, x := range map[string]struct {
		exchange
		status []int
	}{
		"aliases of aliases":        {exchange{"POST", "/api/v1/documents", "apiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: s}\nspec:\n  " + strings.ReplaceAll(laughs, "\n", "\n  "), yaml}, []int{422}},
		"aliases, to be checked":    {exchange{"POST", "/api/v1/check", laughs, yaml}, []int{422}},
		"a deep document":           {exchange{"POST", "/api/v1/documents", deep, yaml}, []int{422}},
		"a deep body":               {exchange{"POST", "/api/v1/weighings", strings.Repeat(`{"a":`, 100_000), map[string]string{"Content-Type": "application/json"}}, []int{400, 413, 422}},
		"a large document":          {exchange{"POST", "/api/v1/documents", strings.Repeat("# x\n", 3<<20), yaml}, []int{413, 422}},
		"events of much of nothing": {exchange{"POST", "/api/v1/events", string(packed(t, 300<<20)), events}, []int{400, 413}},
		"spans of much of nothing":  {exchange{"POST", "/v1/traces", string(packed(t, 300<<20)), spans}, []int{400, 413}},
		"a head that is too large":  {exchange{"GET", "/api/v1/documents", "", map[string]string{"X-Much": strings.Repeat("x", 200<<10)}}, []int{431}},
		"a token that is too long":  {exchange{"GET", "/api/v1/documents", "", map[string]string{"Authorization": "Bearer " + strings.Repeat("x", 30<<10)}}, []int{401}},
		"a name that is a program":  {exchange{"PUT", "/api/v1/people/%3Cscript%3E%0a", `{"role":"viewer"}`, map[string]string{"Content-Type": "application/json"}}, []int{422}},
	} {
		began := time.Now()
		status, body := sentAnyway(t, c, x.exchange)
		if status == 0 { // closed before all was sent, which is an answer too
			continue
		}
		if !slices.Contains(x.status, status) || time.Since(began) > 20*time.Second {
			t.Errorf("%s: %d after %v: %.200s", what, status, time.Since(began), body)
		}
	}
	if _, err := c.List(context.Background(), ""); err != nil {
		t.Error(err)
	}
	r, _ := exchange{"GET", "/", "", nil}.do(t, c)
	for name, want := range map[string]string{
		"X-Content-Type-Options": "nosniff", "X-Frame-Options": "DENY", "Referrer-Policy": "no-referrer", "Content-Security-Policy": "default-src 'self'",
	} {
		if !strings.HasPrefix(r.Header.Get(name), want) {
			t.Errorf("%s: %q", name, r.Header.Get(name))
		}
	}
	if r.Header.Get("Strict-Transport-Security") != "" {
		t.Error("HSTS over plain HTTP")
	}
}

// Without a connection that was configured no cluster is touched, whatever lies in the home folder and the
// environment of who started the service.
func TestNoClusterByItself(t *testing.T) {
	home, state := t.TempDir(), t.TempDir()
	if err := os.Mkdir(home+"/.kube", 0o700); err != nil {
		t.Fatal(err)
	}
	config := home + "/.kube/config"
	running.Cluster(t, config, 40)
	t.Setenv("HOME", home)
	t.Setenv("KUBECONFIG", config)
	if names, err := kube.Contexts(kube.Options{}); err != nil || len(names) != 1 {
		t.Fatalf("it can be found: %v, %v", names, err)
	}
	_, c := running.Serve(t, state, nil)
	r, body := exchange{"GET", "/api/v1/connections", "", nil}.do(t, c)
	if r.StatusCode != http.StatusOK || !strings.Contains(body, `"contexts":[]`) || !strings.Contains(body, "--kubeconfig") {
		t.Errorf("%d %s", r.StatusCode, body)
	}
	putDemo(t, c, state)
	if _, err := c.Try(context.Background(), wire.TryOut{Kind: "preflight", Template: "compile-wide"}); !client.IsStatus(err, 422) {
		t.Error(err)
	}
}
