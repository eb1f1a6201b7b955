package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
)

// needs says which role each operation needs: the one table that the checks, the interface's description and
// docs/roles.md come from. Nobody: no one has to sign in.
var needs = map[string]wire.Role{
	"sign-in": wire.Nobody, "ways-in": wire.Nobody,

	"get-session": wire.Viewer, "sign-out": wire.Viewer, "new-link": wire.Viewer, "list-sessions": wire.Viewer, "end-session": wire.Viewer,
	"list-tokens": wire.Viewer, "new-token": wire.Viewer, "end-token": wire.Viewer,

	"get-backtest": wire.Viewer, "write-brief": wire.Viewer, "check": wire.Viewer, "mend": wire.Viewer, "draft": wire.Viewer,
	"get-facts": wire.Viewer, "compare": wire.Viewer, "list-connections": wire.Viewer, "list-documents": wire.Viewer,
	"get-document": wire.Viewer, "diff-document": wire.Viewer, "list-revisions": wire.Viewer, "get-doubt": wire.Viewer,
	"list-followed": wire.Viewer, "get-followed": wire.Viewer, "get-exploration": wire.Viewer, "get-variant": wire.Viewer,
	"fit": wire.Viewer, "draw-fit": wire.Viewer, "get-forecast": wire.Viewer, "live": wire.Viewer, "list-live-jobs": wire.Viewer,
	"export-live": wire.Viewer, "render": wire.Viewer, "get-margin": wire.Viewer, "match": wire.Viewer, "get-outcome": wire.Viewer,
	"export-outcome": wire.Viewer, "list-jobs": wire.Viewer, "part": wire.Viewer, "explain-job": wire.Viewer, "get-pulls": wire.Viewer,
	"get-recording": wire.Viewer, "list-scenarios": wire.Viewer, "get-scenario": wire.Viewer, "usual": wire.Viewer,
	"get-schema": wire.Viewer, "size": wire.Viewer, "draw-size": wire.Viewer, "list-templates": wire.Viewer, "get-template": wire.Viewer,
	"get-usage": wire.Viewer, "get-weighing": wire.Viewer, "draw-weighing": wire.Viewer, "list-work": wire.Viewer, "get-work": wire.Viewer,
	"watch-work": wire.Viewer, "get-demand": wire.Viewer, "find": wire.Viewer,
	"write-scenario": wire.Viewer, "glance": wire.Viewer, "path": wire.Viewer, "why": wire.Viewer, "why-explored": wire.Viewer,
	"why-backtested": wire.Viewer, "why-forecast": wire.Viewer, "why-weighed": wire.Viewer,

	"put-documents": wire.Designer, "drop-document": wire.Designer, "edit-document": wire.Designer, "put-document": wire.Designer,
	"put-recording": wire.Designer, "learn-jobs": wire.Designer, "put-usage": wire.Designer,
	"drop-usage": wire.Designer, "take-fact-over": wire.Designer, "follow": wire.Designer, "unfollow": wire.Designer,
	"make-scenario": wire.Designer, "cut-live": wire.Designer, "send-events": wire.Designer, "backtest": wire.Designer,
	"doubt": wire.Designer, "explore": wire.Designer, "simulate-variant": wire.Designer, "forecast": wire.Designer, "margin": wire.Designer,
	"simulate": wire.Designer, "pulls": wire.Designer, "weigh": wire.Designer, "cancel-work": wire.Designer, "drop-work": wire.Designer, "keep-work": wire.Designer,
	"drop-recording": wire.Designer, "begin": wire.Designer,

	"try": wire.Operator, "list-agents": wire.Operator, "forget-live": wire.Operator,

	"get-kept": wire.Owner, "back-up": wire.Owner, "list-people": wire.Owner, "set-role": wire.Owner, "drop-person": wire.Owner, "list-deeds": wire.Owner, "export-deeds": wire.Owner,
}

// further are operations that need a higher role where they are asked for more, with when that is.
var further = map[string]struct {
	Role wire.Role
	When string
}{
	"new-link":  {wire.Owner, "for others"},
	"new-token": {wire.Designer, "for events, and of your own role at most"},
	"explore":   {wire.Operator, "on a cluster"},
	"get-work":  {wire.Operator, "with what a rehearsal's pod wrote"},
}

// changes tells whether an operation changes anything that the audit should say. Events on jobs are told of
// in numbers elsewhere.
func changes(o *huma.Operation) bool {
	return o.Method != http.MethodGet && !slices.Contains([]string{"send-events", "check", "mend", "draft", "sign-in"}, o.OperationID)
}

// need is the role that an operation needs.
func need(o *huma.Operation) wire.Role {
	role, ok := needs[o.OperationID]
	if !ok {
		panic("api: no role is named for operation " + o.OperationID)
	}
	return role
}

// permitted turns away whose role is too small, and has the audit go with what is changed.
func (s *server) permitted(api huma.API) func(huma.Context, func(huma.Context)) {
	return func(h huma.Context, next func(huma.Context)) {
		o, c := h.Operation(), callerOf(h.Context())
		role := need(o)
		if role != wire.Nobody && !c.May.May(role) && !(o.OperationID == "send-events" && c.May == wire.Events) {
			err := s.forbidden(h.Context(), o.OperationID, h.URL().Path, role)
			_ = huma.WriteErr(api, h, http.StatusForbidden, err.Error())
			return
		}
		if changes(o) {
			h = huma.WithContext(h, store.Doing(h.Context(), c.deed(o.OperationID, h.URL().Path)))
		}
		next(h)
	}
}

// viewing lets those through who may read.
func (s *server) viewing(g *gin.Context) {
	if c := callerOf(g.Request.Context()); !c.May.May(wire.Viewer) {
		problem(g, http.StatusForbidden, "this needs the role viewer")
	}
}

// forbidden answers that something needs a higher role, and has the audit say so.
func (s *server) forbidden(ctx context.Context, what, on string, role wire.Role) error {
	c := callerOf(ctx)
	why := fmt.Sprintf("this needs the role %s, and %s is %s here; an owner can change that: tachyphor people role %q %s", role, c.Person, c.May,
		c.Person, role)
	if c.Kind != store.Session && c.Role != "" && c.Role != c.May || c.Kind == store.Bearer {
		why = fmt.Sprintf("this needs the role %s, and the token %s of %s may do what a %s may; make another: tachyphor token new NAME --role %s", role,
			c.Name, c.Person, c.May, role)
	}
	d := c.deed(what, on)
	d.Result, d.Said = store.Refused, "needs the role "+string(role)
	if err := s.Store.Note(ctx, d); err != nil {
		s.Log.Warn("cannot write the audit", "error", err)
	}
	return huma.Error403Forbidden(why)
}

// described has the interface's description say which role each operation needs.
func described(d *huma.OpenAPI) {
	for _, path := range d.Paths {
		for _, o := range []*huma.Operation{path.Get, path.Put, path.Post, path.Delete, path.Patch} {
			if o == nil {
				continue
			}
			role := need(o)
			if role == wire.Nobody {
				continue
			}
			if o.Extensions == nil {
				o.Extensions = map[string]any{}
			}
			o.Extensions["x-role"] = role
			says := "Role: " + string(role)
			if f, ok := further[o.OperationID]; ok {
				says += ", " + string(f.Role) + " " + f.When
			}
			o.Description = strings.TrimSpace(o.Description + "\n\n" + says + ".")
		}
	}
}

// Roles is the table of who may do what, as Markdown.
func Roles() string {
	var b strings.Builder
	b.WriteString("# Who may do what\n\nWritten from the one table that the service checks by; do not edit. " +
		"Each role may also do what those before it may. What it says of an operation is in the interface's description " +
		"([openapi.json](openapi.json)).\n")
	about := map[wire.Role]string{
		wire.Nobody: "Nobody has to sign in", wire.Viewer: "Viewer", wire.Designer: "Designer", wire.Operator: "Operator", wire.Owner: "Owner",
	}
	ops := summaries()
	for _, role := range append([]wire.Role{wire.Nobody}, wire.Roles()...) {
		fmt.Fprintf(&b, "\n## %s\n\n| operation | what it does |\n|---|---|\n", about[role])
		var names []string
		for name, r := range needs {
			if r == role {
				names = append(names, name)
			}
		}
		slices.Sort(names)
		for _, n := range names {
			more := ""
			if f, ok := further[n]; ok {
				more = fmt.Sprintf(" (%s: %s)", f.When, f.Role)
			}
			fmt.Fprintf(&b, "| `%s` | %s%s |\n", n, ops[n], more)
		}
	}
	return b.String()
}
