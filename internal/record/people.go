package record

import (
	"encoding/json"
	"time"

	"harvik/internal/core/rights"
)

// A Person works with the house.
type Person struct {
	ID         int64
	Name       string // by which they sign in, and which stands in histories
	Mail       string
	Role       rights.Role
	Lists      bool // a client who sees the fix lists, too
	Everywhere bool
	Sites      []string // given by name, where it is not everywhere
	Groups     []string // and those of these groups
	Created    time.Time
	Seen       *time.Time // when they last did something
	Ready      bool       // they have a password
	Invited    *time.Time // until when they can take up what they were invited to; nil for no invitation
}

// A Caller is who asks the service for something.
type Caller struct {
	Credential
	Person   int64
	Name     string
	Password bool // they have one
	rights.Somebody
}

// By says by what a caller was let in: a session, or a token with its name.
func (c *Caller) By() string {
	if c.Kind == TokenKind && c.Label != OwnerLabel {
		return c.Kind + " " + c.Label
	}
	return c.Kind
}

// What of credentials is known outside the store.
const (
	TokenKind   = "token"   // for programs
	SessionKind = "session" // of a browser
	LinkKind    = "link"    // signs a browser of the owner in, once
	InviteKind  = "invite"  // lets somebody choose a password, once
	OwnerLabel  = "owner"   // of the token that a service keeps in its data folder
)

// NewToken is what a token is to be.
type NewToken struct {
	Person  int64
	Label   string
	Role    rights.Role // "" for all that the person may
	Sites   []string    // nil for all of the person's
	Expires *time.Time
}

// A Login is what signing in by name finds.
type Login struct {
	Person   int64
	Password string // as it is kept; "" for none
}

// A TrailStep is something that somebody changed.
type TrailStep struct {
	ID      int64
	At      time.Time
	Who     string
	Person  int64
	Kind    string // by what they were let in: a session, a token with its name
	Place   string // from where
	What    string // the operation
	Site    string
	Subject string // the thing, by name
	Before  json.RawMessage
	After   json.RawMessage
}

// TrailQuery narrows the trail.
type TrailQuery struct {
	Site, Who, What string
	Before          int64 // the number of a step; those before it
	Limit           int
}

// A Passkey is what a person signs in by instead of a password: the public half (W3C Web Authentication).
type Passkey struct {
	ID      int64
	Person  int64
	Name    string
	Handle  []byte // the authenticator's name for it
	Body    json.RawMessage
	Created time.Time
	Used    *time.Time
}
