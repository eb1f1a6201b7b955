package api

import (
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
)

// What is sent is held in memory while it is read: large files take turns.
const (
	largeBody     = 8 << 20 // from here on a body is large
	largeAtOnce   = 2
	largePatience = 30 * time.Second
)

// A gate lets only so many requests with large bodies in at once; others wait a while,
// and are then asked to come again.
type gate struct {
	places   chan struct{}
	patience time.Duration
}

func newGate(places int, patience time.Duration) gate {
	return gate{make(chan struct{}, places), patience}
}

// pass lets a request through when there is room. One that does not say how large it is
// counts as large.
func (x gate) pass(g *gin.Context) {
	if n := g.Request.ContentLength; n >= 0 && n <= largeBody || open(g) {
		return
	}
	wait := time.NewTimer(x.patience)
	defer wait.Stop()
	select {
	case x.places <- struct{}{}:
		defer func() { <-x.places }()
		g.Next()
	case <-wait.C:
		g.Header("Retry-After", "30")
		problem(g, http.StatusServiceUnavailable, "others are sending large files right now; try again in half a minute")
	case <-g.Request.Context().Done():
		g.Abort()
	}
}
