package api

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
)

// Large bodies take turns: never more than there are places are let in, small ones pass
// by, one that waits gets in when a place is free, and is asked to come again when none is.
func TestLargeBodiesTakeTurns(t *testing.T) {
	gin.SetMode(gin.ReleaseMode)
	var inside, most atomic.Int64
	leave := make(chan struct{})
	serve := func(patience time.Duration) *httptest.Server {
		r := gin.New()
		r.Use(newGate(2, patience).pass)
		r.POST("/api/v1/x", func(g *gin.Context) {
			if g.Request.ContentLength == 1 {
				return
			}
			now := inside.Add(1)
			for {
				if m := most.Load(); now <= m || most.CompareAndSwap(m, now) {
					break
				}
			}
			<-leave
			inside.Add(-1)
		})
		s := httptest.NewServer(r)
		t.Cleanup(s.Close)
		return s
	}
	send := func(s *httptest.Server, body string, chunked bool) *http.Response {
		req, err := http.NewRequestWithContext(t.Context(), "POST", s.URL+"/api/v1/x", strings.NewReader(body))
		if err != nil {
			t.Error(err)
			return nil
		}
		if chunked {
			req.ContentLength = -1
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Error(err)
			return nil
		}
		_ = resp.Body.Close()
		return resp
	}
	until := func(what string, ok func() bool) {
		t.Helper()
		for range 2_000 {
			if ok() {
				return
			}
			time.Sleep(5 * time.Millisecond)
		}
		t.Fatalf("waited in vain for %s", what)
	}

	s := serve(time.Hour)
	answers := make(chan int, 5)
	large := strings.Repeat("x", largeBody+1)
	for i := range 5 {
		go func() {
			if r := send(s, large, i%2 == 1); r != nil {
				answers <- r.StatusCode
			}
		}()
	}
	until("two to be inside", func() bool { return inside.Load() == 2 })
	if r := send(s, "x", false); r == nil || r.StatusCode != 200 {
		t.Errorf("a small body had to wait: %v", r)
	}
	for range 5 {
		leave <- struct{}{}
		if status := <-answers; status != 200 {
			t.Errorf("a large body got %d", status)
		}
	}
	if most.Load() != 2 {
		t.Errorf("%d were inside at once", most.Load())
	}

	s = serve(20 * time.Millisecond)
	var two sync.WaitGroup
	for range 2 {
		two.Go(func() { send(s, large, false) })
	}
	until("two to be inside again", func() bool { return inside.Load() == 2 })
	if r := send(s, large, true); r == nil || r.StatusCode != 503 || r.Header.Get("Retry-After") == "" ||
		!strings.Contains(r.Header.Get("Content-Type"), "problem+json") {
		t.Errorf("one too many: %+v", r)
	}
	close(leave)
	two.Wait()
}
