package api

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
)

// Kinds of tokens.
const (
	bearerToken  = "bearer"
	sessionToken = "session"
	linkToken    = "link"
)

// How long sessions and sign-in links last.
const (
	sessionLife = 14 * 24 * time.Hour
	linkLife    = 30 * time.Minute
)

// NewToken returns a random token of 256 bits and its hash.
func NewToken() (token, hash string) {
	b := make([]byte, 32)
	_, _ = rand.Read(b)
	token = "tph_" + hex.EncodeToString(b)
	return token, hashOf(token)
}

func hashOf(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// NewBearer makes and stores a token for the command line.
func NewBearer(ctx context.Context, s *store.Store, name string) (string, error) {
	token, hash := NewToken()
	return token, s.PutToken(ctx, store.Token{Hash: hash, Name: name, Kind: bearerToken})
}

// NewLink makes and stores a token that signs the console in once.
func NewLink(ctx context.Context, s *store.Store, name string) (string, error) {
	token, hash := NewToken()
	expires := time.Now().Add(linkLife)
	return token, s.PutToken(ctx, store.Token{Hash: hash, Name: name, Kind: linkToken, Expires: &expires})
}

// LinkPath is the path and query at which a link's token is taken.
func LinkPath(token string) string { return "/sign-in?link=" + token }

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
			problem(g, http.StatusForbidden, "requests from pages of another origin are not taken")
			return
		}
	}
}

type whoKey struct{}

// open tells what needs no sign-in: the console's own files, which say nothing
// of what is stored, signing in, and the interface's description.
func open(g *gin.Context) bool {
	path := g.Request.URL.Path
	if !strings.HasPrefix(path, "/api/") {
		return path != "/metrics" && path != tracesPath
	}
	return path == "/api/v1/session" && g.Request.Method == http.MethodPost || strings.HasPrefix(path, "/api/v1/openapi")
}

// bearerOf is the token that a request carries in its head; ok is false where it carries none.
func bearerOf(g *gin.Context) (token string, ok bool) {
	token, ok = strings.CutPrefix(g.GetHeader("Authorization"), "Bearer ")
	return strings.TrimSpace(token), ok
}

// authorized lets those in who carry a token, as a bearer or in the session's
// cookie.
func (s *server) authorized(g *gin.Context) {
	if open(g) {
		return
	}
	token, kind := "", bearerToken
	if t, ok := bearerOf(g); ok {
		token = t
	} else if c, err := g.Cookie(s.Cookie); err == nil {
		token, kind = c, sessionToken
	}
	if token == "" {
		g.Header("WWW-Authenticate", "Bearer")
		problem(g, http.StatusUnauthorized, "sign in first: open the link that the service wrote at its start, or send a token")
		return
	}
	t, err := s.Store.FindToken(g, hashOf(token))
	switch {
	case errors.Is(err, store.ErrNotFound), err == nil && t.Kind != kind && !(t.Kind == eventsToken && kind == bearerToken):
		g.Header("WWW-Authenticate", "Bearer")
		problem(g, http.StatusUnauthorized, "the token is not known here or has expired")
	case err != nil:
		s.Log.Warn("cannot look a token up", "error", err)
		problem(g, http.StatusServiceUnavailable, silent)
	case t.Kind == eventsToken && !takesEvents(g):
		problem(g, http.StatusForbidden, "this token lets events in and nothing else")
	default:
		g.Request = g.Request.WithContext(context.WithValue(g.Request.Context(), whoKey{}, t.Name))
	}
}

// who returns the name behind a request's token.
func who(ctx context.Context) string {
	name, _ := ctx.Value(whoKey{}).(string)
	return name
}

// newSession stores a session and returns its cookie.
func (s *server) newSession(ctx context.Context, name string) (*http.Cookie, error) {
	token, hash := NewToken()
	expires := time.Now().Add(sessionLife)
	err := s.Store.PutToken(ctx, store.Token{Hash: hash, Name: name, Kind: sessionToken, Expires: &expires})
	return &http.Cookie{
		Name: s.Cookie, Value: token, Path: "/", MaxAge: int(sessionLife.Seconds()),
		HttpOnly: true, SameSite: http.SameSiteStrictMode,
	}, err
}

// signInByLink takes a one-time link, sets the cookie and goes on to the
// console by a page of our own, for a strict cookie is not sent on a redirect
// that another page began.
func (s *server) signInByLink(g *gin.Context) {
	g.Header("Cache-Control", "no-store")
	t, err := s.Store.UseToken(g, hashOf(g.Query("link")))
	if err != nil || t.Kind != linkToken {
		g.Redirect(http.StatusSeeOther, "/welcome?link=spent")
		return
	}
	cookie, err := s.newSession(g, t.Name)
	if err != nil {
		s.Log.Error("cannot sign in", "error", err)
		problem(g, http.StatusServiceUnavailable, "the database does not answer; try again")
		return
	}
	http.SetCookie(g.Writer, cookie)
	g.Data(http.StatusOK, "text/html; charset=utf-8",
		[]byte(`<!doctype html><meta http-equiv="refresh" content="0;url=/"><title>Tachyphor</title><a href="/">Signed in. Go to the Desk.</a>`))
}

type sessionOutput struct {
	SetCookie []http.Cookie `header:"Set-Cookie"`
	Body      wire.Session
}

func (s *server) sessionOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "sign-in", Method: http.MethodPost, Path: "/api/v1/session", Summary: "Sign in with a token",
		Security: []map[string][]string{{}}, Tags: []string{"session"},
	}, func(ctx context.Context, in *struct {
		Body struct {
			Token string `json:"token" minLength:"1" maxLength:"200" doc:"A token for the command line."`
		}
	},
	) (*sessionOutput, error) {
		t, err := s.Store.FindToken(ctx, hashOf(strings.TrimSpace(in.Body.Token)))
		if errors.Is(err, store.ErrNotFound) || err == nil && t.Kind != bearerToken {
			return nil, huma.Error401Unauthorized("the token is not known here; look for white space or a missing part")
		}
		if err != nil {
			return nil, s.answer(err, "token")
		}
		cookie, err := s.newSession(ctx, t.Name)
		if err != nil {
			return nil, s.answer(err, "session")
		}
		return &sessionOutput{SetCookie: []http.Cookie{*cookie}, Body: wire.Session{Name: t.Name, Version: s.Version}}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "get-session", Method: http.MethodGet, Path: "/api/v1/session", Summary: "Who is signed in", Tags: []string{"session"},
	}, func(ctx context.Context, _ *struct{}) (*struct{ Body wire.Session }, error) {
		return &struct{ Body wire.Session }{wire.Session{Name: who(ctx), Version: s.Version}}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "new-link", Method: http.MethodPost, Path: "/api/v1/session/link", Summary: "Make a link that signs the console in once",
		Tags: []string{"session"},
	}, func(ctx context.Context, _ *struct{}) (*struct{ Body wire.Link }, error) {
		token, err := NewLink(ctx, s.Store, who(ctx))
		if err != nil {
			return nil, s.answer(err, "link")
		}
		return &struct{ Body wire.Link }{wire.Link{Path: LinkPath(token), Minutes: int(linkLife.Minutes())}}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "sign-out", Method: http.MethodDelete, Path: "/api/v1/session", Summary: "Sign out", Tags: []string{"session"},
		DefaultStatus: http.StatusNoContent,
	}, func(ctx context.Context, in *struct {
		Cookie string `header:"Cookie"`
	}) (*struct {
		SetCookie []http.Cookie `header:"Set-Cookie"`
	}, error,
	) {
		if cookies, err := http.ParseCookie(in.Cookie); err == nil {
			for _, c := range cookies {
				if c.Name == s.Cookie {
					_, _ = s.Store.UseToken(ctx, hashOf(c.Value)) // gone already is as good
				}
			}
		}
		return &struct {
			SetCookie []http.Cookie `header:"Set-Cookie"`
		}{[]http.Cookie{{Name: s.Cookie, Path: "/", MaxAge: -1, HttpOnly: true, SameSite: http.SameSiteStrictMode}}}, nil
	})
}
