package api

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/gin-gonic/gin"
)

// guarded turns away what does not come from where it should: requests under
// another name (a page elsewhere whose name was pointed here), and changes asked
// for by pages of another origin.
func (s *server) guarded(g *gin.Context) {
	h := g.Writer.Header()
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("X-Frame-Options", "DENY")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src "+
		"'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'")
	host := g.Request.Host
	if name, _, err := net.SplitHostPort(host); err == nil {
		host = name
	}
	if !slices.Contains(s.Hosts, strings.Trim(strings.ToLower(host), "[]")) {
		problem(g, http.StatusMisdirectedRequest, "this service is not known under this name; start it with --host-name to allow one")
		return
	}
	if origin := g.GetHeader("Origin"); origin != "" && g.Request.Method != http.MethodGet && g.Request.Method != http.MethodHead {
		u, err := url.Parse(origin)
		if err != nil || u.Host != g.Request.Host {
			problem(g, http.StatusForbidden, "requests from pages of another origin are not accepted")
			return
		}
	}
}

// open tells what needs no sign-in: the console's own files, which say nothing
// of what is stored, signing in, and the interface's description.
func open(g *gin.Context) bool {
	path := g.Request.URL.Path
	if !strings.HasPrefix(path, "/api/") {
		return path != "/metrics" && path != tracesPath
	}
	return path == "/api/v1/session" && g.Request.Method == http.MethodPost || path == "/api/v1/sign-in" && g.Request.Method == http.MethodGet ||
		strings.HasPrefix(path, "/api/v1/openapi")
}

// bearerOf is the token that a request carries in its head; ok is false where it carries none.
func bearerOf(g *gin.Context) (token string, ok bool) {
	token, ok = strings.CutPrefix(g.GetHeader("Authorization"), "Bearer ")
	return strings.TrimSpace(token), ok
}

// A caller is who asks.
type caller struct {
	store.Bearing
	from   string // address that the request came from
	secure bool   // nobody can read it on the way
}

type callerKey struct{}

// callerOf returns who asks; of a request that nobody need sign in for only from where is known.
func callerOf(ctx context.Context) caller {
	c, _ := ctx.Value(callerKey{}).(caller)
	return c
}

// who returns the name of who asks.
func who(ctx context.Context) string { return callerOf(ctx).Person }

// deed is the beginning of a line of the audit on what a caller does.
func (c caller) deed(what, on string) store.Deed {
	d := store.Deed{Who: c.Person, Role: c.May, From: c.from, What: what, On: strings.TrimPrefix(on, "/api/v1/")}
	if c.Kind != store.Session {
		d.Via = c.Name
	}
	return d
}

// known puts who asks into a request.
func known(g *gin.Context, c caller) {
	g.Request = g.Request.WithContext(context.WithValue(g.Request.Context(), callerKey{}, c))
}

// located notes from where a request came, and whether nobody can have read it: over TLS to here, or to
// the proxy that was named.
func (s *server) located(g *gin.Context) {
	c := caller{from: g.ClientIP(), secure: g.Request.TLS != nil}
	if remote, err := netip.ParseAddr(g.RemoteIP()); err == nil && !c.secure {
		for _, p := range s.Proxies {
			c.secure = c.secure || p.Contains(remote.Unmap()) && strings.EqualFold(g.GetHeader("X-Forwarded-Proto"), "https")
		}
	}
	if c.secure {
		g.Header("Strict-Transport-Security", "max-age=31536000")
	}
	known(g, c)
}

// authorized lets those in who carry a token, as a bearer or in the session's
// cookie.
func (s *server) authorized(g *gin.Context) {
	if open(g) {
		return
	}
	token, session := "", false
	if t, ok := bearerOf(g); ok {
		token = t
	} else if c, err := g.Cookie(s.Cookie); err == nil {
		token, session = c, true
	}
	if token == "" {
		g.Header("WWW-Authenticate", "Bearer")
		problem(g, http.StatusUnauthorized, "sign in first: open a sign-in link (`tachyphor token link` makes one), or send a token")
		return
	}
	c := callerOf(g.Request.Context())
	if wait := s.tries.wait(c.from); wait > 0 {
		later(g, wait, "too many tokens that are not known came from this address")
		return
	}
	t, err := s.Store.FindToken(g, hashOf(token), s.Sessions.Idle)
	switch {
	case errors.Is(err, store.ErrNotFound), err == nil && (session != (t.Kind == store.Session) || t.Kind == store.Link):
		s.tries.failed(c.from)
		g.Header("WWW-Authenticate", "Bearer")
		problem(g, http.StatusUnauthorized, "the token is not known here, has ended, or may do nothing any more; "+
			"`tachyphor token list` shows those that there are")
	case err != nil:
		s.Log.Warn("cannot look a token up", "error", err)
		problem(g, http.StatusServiceUnavailable, silent)
	case t.May == wire.Events && !takesEvents(g):
		problem(g, http.StatusForbidden, "this token lets events in and nothing else")
	default:
		c.Bearing = t
		known(g, c)
		if err := s.Store.NoteUse(g, t.Token, c.from); err != nil {
			s.Log.Debug("cannot note that a token was used", "error", err)
		}
	}
}

// later answers that something can be tried again after a while.
func later(g *gin.Context, wait time.Duration, why string) {
	g.Header("Retry-After", strconv.Itoa(seconds(wait)))
	problem(g, http.StatusTooManyRequests, fmt.Sprintf("%s; try again in %d s", why, seconds(wait)))
}
