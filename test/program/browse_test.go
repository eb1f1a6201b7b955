package program

import (
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"testing"
)

// A browser keeps cookies, as a person's does.
type browser struct {
	address string
	c       *http.Client
}

func browse(t *testing.T, address string) *browser {
	t.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &browser{address, &http.Client{Jar: jar}}
}

// get opens an address and returns the status.
func (b *browser) get(t *testing.T, address string) int {
	t.Helper()
	r, err := b.c.Get(address)
	if err != nil {
		t.Fatal(err)
	}
	_ = r.Body.Close()
	return r.StatusCode
}

// do asks for something as a page of the console does.
func (b *browser) do(t *testing.T, method, path, body string) (*http.Response, string) {
	t.Helper()
	x := exchange{method, path, body, map[string]string{"Content-Type": "application/json", "Origin": b.address}}
	r, text, err := x.send(t, b.address, b.c)
	if err != nil {
		t.Fatal(err)
	}
	return r, text
}

func mustURL(t *testing.T, address string) *url.URL {
	t.Helper()
	u, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	return u
}
