package api

import (
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
)

// How many watch at once: in all, and of one person.
const (
	mostStreams    = 1000
	mostOwnStreams = 200
)

// streams counts those who watch.
type streams struct {
	mu  sync.Mutex
	all int
	of  map[string]int
}

func newStreams() *streams { return &streams{of: map[string]int{}} }

// pass lets one more watch when there is room.
func (x *streams) pass(g *gin.Context) {
	if !strings.HasSuffix(g.Request.URL.Path, "/progress") {
		return
	}
	who := callerOf(g.Request.Context()).Person
	x.mu.Lock()
	full := x.all >= mostStreams || x.of[who] >= mostOwnStreams
	if !full {
		x.all++
		x.of[who]++
	}
	x.mu.Unlock()
	if full {
		later(g, 30*time.Second, "too much is being watched at once")
		return
	}
	defer func() {
		x.mu.Lock()
		defer x.mu.Unlock()
		x.all--
		if x.of[who]--; x.of[who] == 0 {
			delete(x.of, who)
		}
	}()
	g.Next()
}
