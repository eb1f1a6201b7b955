package api

import (
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
)

// mostAtOnce is how many requests are answered at once; those beyond it are asked to come
// again, rather than all becoming slow.
const mostAtOnce = 128

// bodyTime is how long a body may take to come. Operations whose bodies are large say so
// themselves.
const bodyTime = 20 * time.Second

// busy bounds how many requests are answered at once.
type busy chan struct{}

func newBusy(places int) busy { return make(busy, places) }

// pass lets a request through when there is a place. Those who watch wait most of the
// time and take none.
func (x busy) pass(g *gin.Context) {
	if !strings.HasPrefix(g.Request.URL.Path, "/api/") || strings.HasSuffix(g.Request.URL.Path, "/progress") {
		return
	}
	select {
	case x <- struct{}{}:
		defer func() { <-x }()
		g.Next()
	default:
		g.Header("Retry-After", "1")
		problem(g, http.StatusServiceUnavailable, "too many requests at once; try again in a second")
	}
}

// timely ends the reading of a body that does not come.
func timely(g *gin.Context) {
	if g.Request.ContentLength != 0 {
		_ = http.NewResponseController(g.Writer).SetReadDeadline(time.Now().Add(bodyTime)) // not of every writer
	}
}
