package api

import (
	"net/http"
	"strconv"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"
)

// How often an address may try to sign in, and send tokens that are not known. Tokens are random numbers
// of 256 bits, which nobody guesses: this is so that nobody keeps the database at it.
const (
	signInEvery = 5 * time.Second
	signInBurst = 20
	bearerEvery = 20 * time.Millisecond
	bearerBurst = 2000
	addresses   = 10_000 // that are remembered; of more, those that were away longest are forgotten
)

// tries bounds how often each address tries to come in.
type tries struct {
	mu             sync.Mutex
	now            func() time.Time
	signIn, bearer *lru.Cache[string, *rate.Limiter]
}

func newTries(now func() time.Time) *tries {
	t := &tries{now: now}
	t.signIn, _ = lru.New[string, *rate.Limiter](addresses) // its error is for sizes below 1
	t.bearer, _ = lru.New[string, *rate.Limiter](addresses)
	return t
}

func (t *tries) of(from string, list *lru.Cache[string, *rate.Limiter], every time.Duration, burst int) *rate.Limiter {
	t.mu.Lock()
	defer t.mu.Unlock()
	l, ok := list.Get(from)
	if !ok {
		l = rate.NewLimiter(rate.Every(every), burst)
		list.Add(from, l)
	}
	return l
}

// take counts a try to sign in; above zero, it is one too many, and the next may come after that.
func (t *tries) take(from string) time.Duration {
	r := t.of(from, t.signIn, signInEvery, signInBurst).ReserveN(t.now(), 1)
	wait := r.DelayFrom(t.now())
	if wait > 0 {
		r.CancelAt(t.now())
	}
	return wait
}

// triedTooOften is told to who tries to sign in too often.
const triedTooOften = "too many tries to sign in came from this address"

// mayTry counts a try to sign in, and answers one that is one too many.
func (s *server) mayTry(g *gin.Context) bool {
	wait := s.tries.take(callerOf(g.Request.Context()).from)
	if wait > 0 {
		later(g, wait, triedTooOften)
	}
	return wait <= 0
}

// failed counts a token that is not known.
func (t *tries) failed(from string) {
	t.of(from, t.bearer, bearerEvery, bearerBurst).AllowN(t.now(), 1)
}

// wait tells how long an address that sent too many of those has to wait.
func (t *tries) wait(from string) time.Duration {
	if l, ok := t.bearer.Peek(from); ok && l.TokensAt(t.now()) < 1 {
		return bearerEvery + time.Second
	}
	return 0
}

// tooMany is answered where something can be tried again after a while.
func tooMany(wait time.Duration, why string) error {
	return huma.ErrorWithHeaders(huma.Error429TooManyRequests(why+"; try again in "+strconv.Itoa(seconds(wait))+" s"),
		http.Header{"Retry-After": {strconv.Itoa(seconds(wait))}})
}
