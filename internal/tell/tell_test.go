package tell

import (
	"context"
	"encoding/base64"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"tachyphor/internal/store"
)

// The example of RFC 9421, B.2.5.
func TestSignatureOfTheStandard(t *testing.T) {
	key, err := base64.StdEncoding.DecodeString("uzvJfB4u3N0Jy4T7NZ75MDVcr8zSTInedJtkgcu46YW4XByzNJjxBdtjUkdJPBtbmHhIDi6pcl8jsasjlTMtDQ==")
	if err != nil {
		t.Fatal(err)
	}
	req := httptest.NewRequest(http.MethodPost, "https://example.com/foo?param=Value&Pet=dog", nil)
	req.Header.Set("Date", "Tue, 20 Apr 2021 02:07:55 GMT")
	req.Header.Set("Content-Type", "application/json")
	params, mac := signature(req, []string{"date", "@authority", "content-type"}, key, "test-shared-secret", time.Unix(1618884473, 0))
	if params != `("date" "@authority" "content-type");created=1618884473;keyid="test-shared-secret"` {
		t.Error(params)
	}
	if got := base64.StdEncoding.EncodeToString(mac); got != "pxcQw6G3AjtMBQjwo8XzkZf/bws5LelbaMk5rGIGtE8=" {
		t.Error(got)
	}
}

// Addresses are told that are allowed, and no others.
func TestAllowed(t *testing.T) {
	strict := &Teller{Allowed: []string{"https://hooks.brinewell.example", "http://10.1.2.3:8080"}}
	home := &Teller{Loopback: true}
	for address, may := range map[string]*Teller{
		"https://hooks.brinewell.example/drift":     strict,
		"https://HOOKS.brinewell.example:443/x?y=z": strict,
		"http://10.1.2.3:8080/":                     strict,
		"http://127.0.0.1:9/x":                      home,
		"http://[::1]:9/x":                          home,
		"http://localhost/x":                        home,
	} {
		if err := may.May(address); err != nil {
			t.Errorf("%s: %v", address, err)
		}
	}
	for _, address := range []string{
		"http://hooks.brinewell.example/drift", "https://hooks.brinewell.example:8443/", "https://brinewell.example/", "https://hooks.brinewell.example.evil.example/",
		"https://u:p@hooks.brinewell.example/", "https://hooks.brinewell.example/#x", "ftp://hooks.brinewell.example/", "//hooks.brinewell.example/", "", "http://127.0.0.1/",
		"http://10.1.2.3/", "file:///etc/passwd", "http://169.254.1.1/",
	} {
		if err := strict.May(address); !errors.Is(err, ErrAddress) {
			t.Errorf("%s: %v", address, err)
		}
	}
	for address, fine := range map[string]bool{"10.0.0.7:443": true, "169.254.169.254:80": false, "[fe80::1]:80": false, "0.0.0.0:80": false, "127.0.0.1:80": false, "224.0.0.1:1": false} {
		if err := strict.dialed("tcp", address, nil); (err == nil) != fine {
			t.Errorf("%s: %v", address, err)
		}
	}
	for _, bad := range []string{"hooks.brinewell.example", "https://x/y", "https://", "ftp://x", "https://u@x"} {
		if _, err := Origin(bad); err == nil {
			t.Errorf("%s is taken for an origin", bad)
		}
	}
}

// waiting is a list of notices in memory.
type waiting struct {
	mu     sync.Mutex
	list   []store.Notice
	over   []string
	failed []string
}

func (w *waiting) TakeNotice(context.Context, time.Duration) (store.Notice, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if len(w.list) == 0 {
		return store.Notice{}, store.ErrNotFound
	}
	n := w.list[0]
	w.list = w.list[1:]
	n.Attempts++
	return n, nil
}

func (w *waiting) NoticeOver(_ context.Context, id string) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.over = append(w.over, id)
	return nil
}

// What is refused comes again with growing pauses; redirections are not followed; what is too old is given
// up; and what arrives is signed.
func TestTells(t *testing.T) {
	got := make(chan *http.Request, 10)
	var s *httptest.Server
	s = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		switch r.URL.Path {
		case "/moved":
			http.Redirect(w, r, s.URL+"/fine", http.StatusTemporaryRedirect)
		case "/fine":
			if string(body) == `{"specversion":"1.0"}` {
				got <- r
			}
		default:
			w.WriteHeader(http.StatusBadGateway)
		}
	}))
	defer s.Close()
	now := time.Now()
	w := &waiting{list: []store.Notice{
		{ID: "a", Address: s.URL + "/fine", Event: []byte(`{"specversion":"1.0"}`), At: now},
		{ID: "b", Address: s.URL + "/down", Event: []byte("{}"), At: now},
		{ID: "c", Address: s.URL + "/moved", Event: []byte("{}"), At: now},
		{ID: "d", Address: s.URL + "/down", Event: []byte("{}"), At: now.Add(-givenUp - time.Hour)},
		{ID: "e", Address: "https://elsewhere.example/", Event: []byte("{}"), At: now},
	}}
	teller := &Teller{Notices: w, Key: []byte("k"), Loopback: true, Log: slog.New(slog.DiscardHandler)}
	teller.Start()
	defer teller.Close()
	select {
	case r := <-got:
		if !strings.HasPrefix(r.Header.Get("Signature-Input"), `tachyphor=("@method" "@target-uri" "content-type" "content-digest");created=`) ||
			!strings.HasPrefix(r.Header.Get("Signature"), "tachyphor=:") || !strings.HasPrefix(r.Header.Get("Content-Digest"), "sha-256=:") ||
			!strings.HasPrefix(r.Header.Get("Content-Type"), "application/cloudevents+json") {
			t.Errorf("%v", r.Header)
		}
	case <-time.After(120 * time.Second):
		t.Fatal("nothing arrived")
	}
	for deadline := time.Now().Add(120 * time.Second); ; time.Sleep(5 * time.Millisecond) {
		w.mu.Lock()
		over, later := strings.Join(w.over, " "), strings.Join(w.failed, " ")
		w.mu.Unlock()
		if over == "a d" && later == "b: it answers 502 Bad Gateway c: it answers 307 Temporary Redirect e: may not be told: https://elsewhere.example is not among what this service may tell; its operator allows it with serve --tell-allow https://elsewhere.example" {
			break
		}
		if time.Now().After(deadline) {
			t.Fatalf("over %q, later %q", over, later)
		}
	}
	if first, tenth := pause(1), pause(10); first < 4*time.Second || first > 8*time.Second || tenth < 30*time.Minute || tenth > 90*time.Minute {
		t.Errorf("pauses of %s and %s", first, tenth)
	}
}

func (w *waiting) NoticeLater(_ context.Context, id string, _ time.Time, failure string) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.failed = append(w.failed, id+": "+failure)
	return nil
}
