package api

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"net/http"
	"strings"
	"time"

	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
)

// Lives says how long sessions last.
type Lives struct {
	Age  time.Duration // at most
	Idle time.Duration // without a request
}

// UsualLives are those of a service that was told nothing else.
var UsualLives = Lives{Age: 14 * 24 * time.Hour, Idle: 3 * 24 * time.Hour}

// linkLife is how long a sign-in link can be used.
const linkLife = 30 * time.Minute

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

// owner is who may read the state folder.
const owner = "owner"

// NewLocal makes the token of a state folder, in place of any before it.
func NewLocal(ctx context.Context, s *store.Store, place string) (string, error) {
	token, hash := NewToken()
	return token, s.PutLocal(ctx, store.Token{Hash: hash, Name: "state folder", Person: owner, Role: wire.Owner, Place: place})
}

// HoldsLocal tells whether a token is that of a state folder.
func HoldsLocal(ctx context.Context, s *store.Store, token string) (bool, error) {
	t, err := s.FindToken(ctx, hashOf(token), 0)
	if errors.Is(err, store.ErrNotFound) {
		return false, nil
	}
	return err == nil && t.Kind == store.Local, err
}

// NewLink makes a link that signs the owner in once.
func NewLink(ctx context.Context, s *store.Store) (string, error) {
	token, _, err := newLink(ctx, s, owner, wire.Owner, wire.Owner)
	return token, err
}

func newLink(ctx context.Context, s *store.Store, person string, role, first wire.Role) (string, wire.Role, error) {
	token, hash := NewToken()
	expires := time.Now().UTC().Add(linkLife)
	has, err := s.PutLink(ctx, store.Token{Hash: hash, Name: person, Person: person, Role: role, Expires: &expires}, first)
	return token, has, err
}

// LinkPath is the path and query at which a link's token is taken.
func LinkPath(token string) string { return "/sign-in?link=" + token }

// newSession prepares a session, and its cookie.
func (s *server) newSession(c caller) (store.Token, http.Cookie) {
	token, hash := NewToken()
	now := time.Now().UTC()
	expires := now.Add(s.Sessions.Age)
	cookie := s.cookie(c, token)
	cookie.MaxAge = int(s.Sessions.Age.Seconds())
	return store.Token{Hash: hash, Expires: &expires, Used: &now, From: c.from}, cookie
}

// cookie is the session's, with a value.
func (s *server) cookie(c caller, value string) http.Cookie {
	return http.Cookie{Name: s.Cookie, Value: value, Path: "/", HttpOnly: true, SameSite: http.SameSiteStrictMode, Secure: c.secure}
}

// signInByLink takes a one-time link, sets the cookie and goes on to the
// console by a page of our own, for a strict cookie is not sent on a redirect
// that another page began.
func (s *server) signInByLink(g *gin.Context) {
	g.Header("Cache-Control", "no-store")
	c := callerOf(g.Request.Context())
	if !s.mayTry(g) {
		return
	}
	session, cookie := s.newSession(c)
	_, err := s.Store.SignIn(store.Doing(g, c.deed("sign-in", "by link")), hashOf(g.Query("link")), []string{store.Link}, session)
	switch {
	case errors.Is(err, store.ErrNotFound):
		s.refusedSignIn(g, c, "by link", "the link was used already, has expired, or never existed")
		g.Redirect(http.StatusSeeOther, "/welcome?link=spent")
	case err != nil:
		s.Log.Error("cannot sign in", "error", err)
		problem(g, http.StatusServiceUnavailable, "the database does not answer; try again")
	default:
		http.SetCookie(g.Writer, &cookie)
		signedIn(g)
	}
}

// signedIn goes on to the console.
func signedIn(g *gin.Context) {
	g.Data(http.StatusOK, "text/html; charset=utf-8",
		[]byte(`<!doctype html><meta http-equiv="refresh" content="0;url=/"><title>Tachyphor</title><a href="/">Signed in. Go to the Desk.</a>`))
}

// refusedSignIn has the audit say that someone was not let in.
func (s *server) refusedSignIn(ctx context.Context, c caller, on, why string) {
	d := c.deed("sign-in", on)
	d.Result, d.Said = store.Refused, why
	if err := s.Store.Note(ctx, d); err != nil {
		s.Log.Warn("cannot write the audit", "error", err)
	}
}

type sessionOutput struct {
	SetCookie []http.Cookie `header:"Set-Cookie"`
	Body      wire.Session
}

func (s *server) sessionOperations(api huma.API) {
	tags := []string{"session"}
	huma.Register(api, huma.Operation{
		OperationID: "sign-in", Method: http.MethodPost, Path: "/api/v1/session", Summary: "Sign in with a token",
		Security: []map[string][]string{{}}, Tags: tags,
	}, s.signIn)
	huma.Register(api, huma.Operation{
		OperationID: "ways-in", Method: http.MethodGet, Path: "/api/v1/sign-in", Summary: "How to sign in here",
		Security: []map[string][]string{{}}, Tags: tags,
	}, func(context.Context, *struct{}) (*struct{ Body wire.WaysIn }, error) {
		return &struct{ Body wire.WaysIn }{wire.WaysIn{Provider: s.provider()}}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "get-session", Method: http.MethodGet, Path: "/api/v1/session", Summary: "Who is signed in", Tags: tags,
	}, func(ctx context.Context, _ *struct{}) (*struct{ Body wire.Session }, error) {
		c := callerOf(ctx)
		return &struct{ Body wire.Session }{wire.Session{Name: c.Person, Role: c.May, Version: s.Version}}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "new-link", Method: http.MethodPost, Path: "/api/v1/session/link", Summary: "Make a link that signs the console in once",
		Description: "For yourself; owners can make one for others, who are then known here.", Tags: tags,
	}, s.makeLink)
	huma.Register(api, huma.Operation{
		OperationID: "sign-out", Method: http.MethodDelete, Path: "/api/v1/session", Summary: "Sign out", Tags: tags,
		DefaultStatus: http.StatusNoContent,
	}, func(ctx context.Context, _ *struct{}) (*struct {
		SetCookie []http.Cookie `header:"Set-Cookie"`
	}, error,
	) {
		c := callerOf(ctx)
		if c.Kind == store.Session { // one who carries a token has nothing to sign out of
			if err := s.Store.DropToken(ctx, c.Hash); err != nil {
				return nil, s.answer(err, "session")
			}
		}
		gone := s.cookie(c, "")
		gone.MaxAge = -1
		return &struct {
			SetCookie []http.Cookie `header:"Set-Cookie"`
		}{[]http.Cookie{gone}}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "list-sessions", Method: http.MethodGet, Path: "/api/v1/sessions", Summary: "List sessions of the console",
		Description: "Your own; owners see and end everyone's.", Tags: tags,
	}, s.listSessions)
	huma.Register(api, huma.Operation{
		OperationID: "end-session", Method: http.MethodDelete, Path: "/api/v1/sessions/{id}", Summary: "End a session of the console",
		Description: "Your own; owners see and end everyone's.", Tags: tags, DefaultStatus: http.StatusNoContent,
	}, func(ctx context.Context, in *tokenPath) (*struct{}, error) {
		return nil, s.answer(s.Store.EndToken(ctx, ownUnlessOwner(ctx), in.ID, store.Session), "session "+in.ID)
	})
}

func (s *server) signIn(ctx context.Context, in *struct {
	Body struct {
		Token string `json:"token" minLength:"1" maxLength:"200" doc:"A token, but not one for events."`
	}
},
) (*sessionOutput, error) {
	c := callerOf(ctx)
	if wait := s.tries.take(c.from); wait > 0 {
		return nil, tooMany(wait, triedTooOften)
	}
	session, cookie := s.newSession(c)
	b, err := s.Store.SignIn(store.Doing(ctx, c.deed("sign-in", "by token")), hashOf(strings.TrimSpace(in.Body.Token)),
		[]string{store.Bearer, store.Local}, session)
	if errors.Is(err, store.ErrNotFound) {
		s.refusedSignIn(ctx, c, "by token", "the token is not known")
		return nil, huma.Error401Unauthorized("the token is not known here; look for white space or a missing part")
	}
	if err != nil {
		return nil, s.answer(err, "session")
	}
	return &sessionOutput{SetCookie: []http.Cookie{cookie}, Body: wire.Session{Name: b.Person, Role: b.May, Version: s.Version}}, nil
}

func (s *server) makeLink(ctx context.Context, in *struct {
	Body *wire.NewLink `required:"false"`
},
) (*struct{ Body wire.Link }, error) {
	c := callerOf(ctx)
	name, role, first := c.Person, c.May, c.May
	if in.Body != nil && in.Body.Name != "" && in.Body.Name != c.Person {
		if !c.May.May(wire.Owner) {
			return nil, s.forbidden(ctx, "new-link", "session/link", wire.Owner)
		}
		name, role, first = in.Body.Name, wire.Owner, wire.Viewer // as they are known, or to look around
		if in.Body.Role != "" {
			role, first = in.Body.Role, in.Body.Role
		}
	}
	token, has, err := newLink(ctx, s.Store, name, role, first)
	if err != nil {
		return nil, s.answer(err, "link")
	}
	if has == "" {
		return nil, huma.Error422UnprocessableEntity(name + " may do nothing here any more; give them a role first")
	}
	return &struct{ Body wire.Link }{wire.Link{Path: LinkPath(token), Name: name, Role: has, Minutes: int(linkLife.Minutes())}}, nil
}

func (s *server) listSessions(ctx context.Context, _ *struct{}) (*struct{ Body wire.Sessions }, error) {
	list, err := s.Store.Tokens(ctx, ownUnlessOwner(ctx), store.Session)
	if err != nil {
		return nil, s.answer(err, "sessions")
	}
	mine := callerOf(ctx).Hash
	out := wire.Sessions{Items: make([]wire.SignedIn, 0, len(list))}
	for _, t := range list {
		x := wire.SignedIn{ID: t.Hash[:shownID], Person: t.Person, Role: t.Role, Mine: t.Hash == mine, At: t.At, Used: t.Used, From: t.From}
		if t.Expires != nil {
			x.Expires = *t.Expires
		}
		out.Items = append(out.Items, x)
	}
	return &struct{ Body wire.Sessions }{out}, nil
}
