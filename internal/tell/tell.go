// Package tell sends events to addresses that somebody configured: signed, to those alone that are
// allowed, again with growing pauses until they arrive.
package tell

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"syscall"
	"time"

	"tachyphor/internal/store"

	"k8s.io/apimachinery/pkg/util/wait"
)

// How events are sent.
const (
	longest  = 15 * time.Second   // one try
	kept     = time.Minute        // a notice that is being sent is kept from other services for so long
	givenUp  = 3 * 24 * time.Hour // after which nobody tries again
	lookEach = 2 * time.Second
)

// pauses between tries.
var pauses = wait.Backoff{Duration: 5 * time.Second, Factor: 2, Jitter: 0.2, Cap: time.Hour, Steps: 100}

// Notices are those that wait: a *store.Store.
type Notices interface {
	TakeNotice(ctx context.Context, long time.Duration) (store.Notice, error)
	NoticeOver(ctx context.Context, id string) error
	NoticeLater(ctx context.Context, id string, at time.Time, failure string) error
}

// A Teller sends notices until Close.
type Teller struct {
	Notices  Notices
	Key      []byte   // that events are signed with
	Allowed  []string // origins, as in https://hooks.brinewell.example
	Loopback bool     // addresses of this machine may be told too
	Log      *slog.Logger

	client http.Client
	stop   context.CancelFunc
	done   sync.WaitGroup
}

// Origin reads what is allowed: a scheme, a host and, where it is not the usual one, a port.
func Origin(s string) (string, error) {
	u, err := url.Parse(s)
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Hostname() == "" || u.User != nil || u.Path != "" && u.Path != "/" || u.RawQuery != "" || u.Fragment != "" {
		return "", fmt.Errorf("%q is no origin; write it like https://hooks.brinewell.example or https://hooks.brinewell.example:8443", s)
	}
	return origin(u), nil
}

func origin(u *url.URL) string {
	port := u.Port()
	if port == "" {
		port = map[string]string{"https": "443", "http": "80"}[u.Scheme]
	}
	return u.Scheme + "://" + net.JoinHostPort(strings.ToLower(u.Hostname()), port)
}

// ErrAddress says that an address may not be told.
var ErrAddress = errors.New("may not be told")

// May says why an address may not be told, nil where it may.
func (t *Teller) May(address string) error {
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Hostname() == "":
		return fmt.Errorf("%w: %q is no address of the web", ErrAddress, address)
	case u.User != nil:
		return fmt.Errorf("%w: an address carries no password; events are signed", ErrAddress)
	case u.Fragment != "":
		return fmt.Errorf("%w: an address has no fragment", ErrAddress)
	}
	if t.Loopback && isLoopback(u.Hostname()) {
		return nil
	}
	is := origin(u)
	for _, a := range t.Allowed {
		if o, err := Origin(a); err == nil && o == is {
			return nil
		}
	}
	return fmt.Errorf("%w: %s://%s is not among what this service may tell; its operator allows it with serve --tell-allow %s://%s", ErrAddress,
		u.Scheme, u.Host, u.Scheme, u.Host)
}

func isLoopback(host string) bool {
	ip := net.ParseIP(host)
	return strings.EqualFold(host, "localhost") || ip != nil && ip.IsLoopback()
}

// dialed refuses addresses that no event goes to, whatever a name resolves to.
func (t *Teller) dialed(_, address string, _ syscall.RawConn) error {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return err
	}
	ip := net.ParseIP(host)
	if ip == nil || ip.IsLinkLocalUnicast() || ip.IsMulticast() || ip.IsUnspecified() || ip.IsLoopback() && !t.Loopback {
		return fmt.Errorf("%s is no address that events go to", host)
	}
	return nil
}

// Start begins to send.
func (t *Teller) Start() {
	dialer := &net.Dialer{Timeout: longest, Control: t.dialed}
	t.client = http.Client{
		Timeout:       longest,
		Transport:     &http.Transport{Proxy: http.ProxyFromEnvironment, DialContext: dialer.DialContext, TLSHandshakeTimeout: longest, MaxIdleConns: 4, IdleConnTimeout: time.Minute},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
	var ctx context.Context
	ctx, t.stop = context.WithCancel(context.Background())
	t.done.Go(func() { t.run(ctx) })
}

// Close stops; what did not arrive is sent once a service runs again.
func (t *Teller) Close() {
	if t.stop != nil {
		t.stop()
	}
	t.done.Wait()
}

func (t *Teller) run(ctx context.Context) {
	tick := time.NewTicker(lookEach)
	defer tick.Stop()
	for {
		n, err := t.Notices.TakeNotice(ctx, kept)
		switch {
		case err == nil:
			if err := t.send(ctx, n); err != nil && ctx.Err() == nil {
				t.Log.Warn("cannot note whether an event arrived; it may be sent again", "error", err)
			}
			continue
		case !errors.Is(err, store.ErrNotFound) && ctx.Err() == nil:
			t.Log.Warn("cannot read which events wait; it is tried again", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// send sends one, and notes how that went.
func (t *Teller) send(ctx context.Context, n store.Notice) error {
	err := t.post(ctx, n)
	if ctx.Err() != nil {
		return nil // it is another's to send, later
	}
	switch {
	case err == nil:
		t.Log.Info("told", "address", n.Address, "event", n.ID, "attempts", n.Attempts)
		return t.Notices.NoticeOver(ctx, n.ID)
	case time.Since(n.At) > givenUp:
		t.Log.Error("given up telling: it never arrived", "address", n.Address, "event", n.ID, "attempts", n.Attempts, "error", err)
		return t.Notices.NoticeOver(ctx, n.ID)
	}
	t.Log.Warn("could not tell; it is tried again", "address", n.Address, "event", n.ID, "attempts", n.Attempts, "error", err)
	return t.Notices.NoticeLater(ctx, n.ID, time.Now().Add(pause(n.Attempts)), err.Error())
}

// pause is how long to wait after so many attempts.
func pause(attempts int) time.Duration {
	b, long := pauses, time.Duration(0)
	for range min(attempts, 20) {
		long = b.Step()
	}
	return long
}

func (t *Teller) post(ctx context.Context, n store.Notice) error {
	if err := t.May(n.Address); err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, n.Address, bytes.NewReader(n.Event))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/cloudevents+json; charset=utf-8")
	req.Header.Set("User-Agent", "tachyphor")
	sign(req, n.Event, t.Key, time.Now())
	resp, err := t.client.Do(req)
	if err != nil {
		return err
	}
	defer func() { _ = resp.Body.Close() }()
	_, _ = io.Copy(io.Discard, io.LimitReader(resp.Body, 64<<10))
	if resp.StatusCode/100 != 2 {
		return fmt.Errorf("it answers %s", resp.Status)
	}
	return nil
}
