package api

import (
	"encoding/base64"
	"encoding/json"
	"errors"
	"net/http"
	"time"

	"tachyphor/internal/signin"
	"tachyphor/internal/store"

	"github.com/gin-gonic/gin"
)

// awayFor is how long someone may be at the provider.
const awayFor = 10 * time.Minute

// provider is what the identity provider is called; empty: there is none.
func (s *server) provider() string {
	if s.Provider == nil {
		return ""
	}
	return s.Provider.Name
}

// providerRoutes send people to the identity provider, and take them when they come back.
func (s *server) providerRoutes(r *gin.Engine) {
	if s.Provider == nil {
		return
	}
	r.GET("/sign-in/provider", s.toProvider)
	r.GET(signin.BackPath, s.fromProvider)
}

// away is the name of the cookie that someone carries while they are at the provider.
func (s *server) away() string { return s.Cookie + "_away" }

func (s *server) toProvider(g *gin.Context) {
	g.Header("Cache-Control", "no-store")
	c := callerOf(g.Request.Context())
	if !s.mayTry(g) {
		return
	}
	address, begun, err := s.Provider.Begin()
	if err != nil {
		s.Log.Error("cannot sign in by the provider", "error", err)
		g.Redirect(http.StatusSeeOther, "/welcome?refused=silent")
		return
	}
	b, err := json.Marshal(begun)
	if err != nil {
		panic("api: " + err.Error()) // texts can be written
	}
	// Lax: it has to come along when the provider sends people back.
	http.SetCookie(g.Writer, &http.Cookie{
		Name: s.away(), Value: base64.RawURLEncoding.EncodeToString(b), Path: "/sign-in", MaxAge: int(awayFor.Seconds()), HttpOnly: true,
		SameSite: http.SameSiteLaxMode, Secure: c.secure,
	})
	g.Redirect(http.StatusSeeOther, address)
}

func (s *server) fromProvider(g *gin.Context) {
	g.Header("Cache-Control", "no-store")
	c := callerOf(g.Request.Context())
	http.SetCookie(g.Writer, &http.Cookie{
		Name: s.away(), Path: "/sign-in", MaxAge: -1, HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: c.secure,
	})
	turn := func(how, why string) {
		s.refusedSignIn(g, c, "by "+s.Provider.Name, why)
		g.Redirect(http.StatusSeeOther, "/welcome?refused="+how)
	}
	var begun signin.Begun
	carried, err := g.Cookie(s.away())
	if err == nil {
		var b []byte
		if b, err = base64.RawURLEncoding.DecodeString(carried); err == nil {
			err = json.Unmarshal(b, &begun)
		}
	}
	switch {
	case err != nil || begun.State == "" || begun.State != g.Query("state"):
		turn("late", "this browser was not sent to the provider by the service, or it took too long")
		return
	case g.Query("error") != "":
		turn("provider", "the provider says "+g.Query("error"))
		return
	}
	who, err := s.Provider.Finish(g, begun, g.Query("code"))
	if errors.Is(err, signin.ErrRefused) {
		s.Log.Warn("someone was not signed in", "error", err, "from", c.from)
		turn("provider", err.Error())
		return
	}
	if err != nil {
		s.Log.Error("cannot sign in by the provider", "error", err)
		g.Redirect(http.StatusSeeOther, "/welcome?refused=silent")
		return
	}
	session, cookie := s.newSession(c)
	if ends := time.Now().UTC().Add(s.Provider.Age); ends.Before(*session.Expires) {
		session.Expires, cookie.MaxAge = &ends, int(s.Provider.Age.Seconds())
	}
	d := c.deed("sign-in", "by "+s.Provider.Name)
	err = s.Store.SignInBy(store.Doing(g, d), who.Subject, who.Name, who.Role, session)
	switch {
	case errors.Is(err, store.ErrNotFound):
		g.Redirect(http.StatusSeeOther, "/welcome?refused=groups") // the audit says so already
	case errors.Is(err, store.ErrOther):
		turn("name", who.Name+" is the name of someone else")
	case err != nil:
		s.Log.Error("cannot sign in", "error", err)
		problem(g, http.StatusServiceUnavailable, silent)
	default:
		http.SetCookie(g.Writer, &cookie)
		signedIn(g)
	}
}
