package wire

import "time"

// A Role says what someone may do; each may what those below it may.
type Role string

// Roles, from the lowest on. Events is none of them: what has it lets events in, and nothing else.
const (
	Nobody   Role = ""
	Viewer   Role = "viewer"   // reads everything but secrets and tokens
	Designer Role = "designer" // also puts, changes and drops documents, and asks for work
	Operator Role = "operator" // also touches live clusters
	Owner    Role = "owner"    // also people, tokens of others, settings, backup
	Events   Role = "events"
)

// Roles are those that people have, from the lowest on.
func Roles() []Role { return []Role{Viewer, Designer, Operator, Owner} }

// rank is a role's place among them; 0: it is none.
func (r Role) rank() int {
	for i, x := range Roles() {
		if r == x {
			return i + 1
		}
	}
	return 0
}

// May tells whether a role is enough where another is needed.
func (r Role) May(needs Role) bool { return r.rank() > 0 && r.rank() >= needs.rank() }

// Lower returns the lower of two roles.
func (r Role) Lower(s Role) Role {
	if r.rank() < s.rank() {
		return r
	}
	return s
}

// Session says who is signed in.
type Session struct {
	Name    string `json:"name" doc:"Who it is."`
	Role    Role   `json:"role" enum:"viewer,designer,operator,owner" doc:"What they may do."`
	Version string `json:"version" doc:"Version of the service."`
}

// WaysIn says how one signs in.
type WaysIn struct {
	Provider string `json:"provider,omitempty" doc:"Name of the identity provider that one can sign in by; absent: there is none."`
}

// NewLink asks for a link that signs the console in once.
type NewLink struct {
	Name string `json:"name,omitempty" maxLength:"63" pattern:"^[^\\x00-\\x1f/]*$" doc:"Whom it signs in; absent: who asks. Of others: for owners."`
	Role Role   `json:"role,omitempty" enum:"viewer,designer,operator,owner" doc:"Role that they get, where they have none yet; absent: viewer."`
}

// Link signs the console in once.
type Link struct {
	Path    string `json:"path" doc:"Path and query to open in a browser."`
	Name    string `json:"name" doc:"Whom it signs in."`
	Role    Role   `json:"role" enum:"viewer,designer,operator,owner" doc:"What they may do then."`
	Minutes int    `json:"minutes" doc:"How long it can be used."`
}

// Token is a token that lets someone in; what it is itself is not kept.
type Token struct {
	ID      string     `json:"id" doc:"Names it here."`
	Name    string     `json:"name" doc:"What it was made for."`
	Person  string     `json:"person" doc:"Whose rights it has: it can do no more than they may."`
	Role    Role       `json:"role" enum:"viewer,designer,operator,owner,events" doc:"What it lets in to."`
	Here    bool       `json:"here" doc:"It is the one in a service's own state folder, which a new start makes again."`
	At      time.Time  `json:"at" doc:"When it was made."`
	Used    *time.Time `json:"used,omitempty" doc:"When it was last used, to the minute."`
	From    string     `json:"from,omitempty" doc:"Address that it was last used from."`
	Expires *time.Time `json:"expires,omitempty" doc:"When it ends by itself."`
}

// NewToken asks for a token.
type NewToken struct {
	Name string `json:"name" minLength:"1" maxLength:"63" pattern:"^[^\\x00-\\x1f]*$" doc:"What it is for."`
	Role Role   `json:"role" enum:"viewer,designer,operator,owner,events" doc:"What it lets in to: no more than who asks may. events: it lets events in and nothing else."`
	Days int    `json:"days,omitempty" minimum:"0" maximum:"3650" doc:"It ends after this many days; 0 or absent: never by itself."`
}

// MadeToken is a new token, which is shown this once.
type MadeToken struct {
	Token
	Secret string `json:"secret" doc:"What is sent as a bearer token."`
}

// Tokens are those that there are.
type Tokens struct {
	Items []Token `json:"items" doc:"The newest first."`
}

// SignedIn is a session of the console.
type SignedIn struct {
	ID      string     `json:"id" doc:"Names it here."`
	Person  string     `json:"person" doc:"Who signed in."`
	Role    Role       `json:"role" enum:"viewer,designer,operator,owner" doc:"What it lets in to."`
	Mine    bool       `json:"mine" doc:"It is the one that this was asked with."`
	At      time.Time  `json:"at" doc:"When they signed in."`
	Used    *time.Time `json:"used,omitempty" doc:"When it was last used, to the minute."`
	From    string     `json:"from,omitempty" doc:"Address that it was last used from."`
	Expires time.Time  `json:"expires" doc:"When it ends at the latest."`
}

// Sessions are those that there are.
type Sessions struct {
	Items []SignedIn `json:"items" doc:"The newest first."`
}

// Person is someone who may sign in.
type Person struct {
	Name     string     `json:"name" doc:"Who."`
	Role     Role       `json:"role" enum:"viewer,designer,operator,owner," doc:"What they may do; empty: nothing any more."`
	By       string     `json:"by" enum:"here,provider" doc:"Who says their role: an owner here, or the identity provider at each sign-in."`
	At       time.Time  `json:"at" doc:"When they became known."`
	Seen     *time.Time `json:"seen,omitempty" doc:"When they signed in last."`
	Sessions int        `json:"sessions" doc:"Sessions that are open."`
	Tokens   int        `json:"tokens" doc:"Tokens that they have made."`
}

// People are all of them.
type People struct {
	Items []Person `json:"items" doc:"By name."`
}

// SetRole gives someone a role.
type SetRole struct {
	Role Role `json:"role" enum:"viewer,designer,operator,owner," doc:"What they may do from now on; empty: nothing, and their sessions and tokens end."`
}

// Deed is a line of the audit: something that was changed, or that was refused.
type Deed struct {
	ID     uint64    `json:"id" doc:"Counts up."`
	At     time.Time `json:"at" doc:"When."`
	Who    string    `json:"who" doc:"Who; empty: nobody who was let in."`
	Role   Role      `json:"role" doc:"What they might do then."`
	Via    string    `json:"via" doc:"Name of the token that it was done with; empty: a session."`
	From   string    `json:"from" doc:"Address that it was asked from."`
	What   string    `json:"what" doc:"Operation, by its id in the interface's description."`
	On     string    `json:"on" doc:"What it was done to."`
	Result string    `json:"result" enum:"done,refused" doc:"Whether it was done; what failed for another reason than a right changed nothing and is not here."`
	Said   string    `json:"said" doc:"What it came to, or why it was refused."`
}

// Audit is a page of what was done, the newest first.
type Audit struct {
	Items []Deed `json:"items" doc:"The newest first."`
	Next  string `json:"next,omitempty" doc:"Give it as before to have the next page; absent: this is the last."`
}
