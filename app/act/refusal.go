package act

import (
	"errors"
	"fmt"

	"deftledger/store"
)

// Kind says what kind of refusal an answer is.
type Kind int

// The kinds. They name no protocol: the web gives each its status.
const (
	Broken      Kind = iota // something went wrong here
	Invalid                 // what was sent cannot be, or is not complete
	Missing                 // there is no such thing
	Conflict                // it does not go with how things stand
	Forbidden               // the role has no right to it
	Unproven                // who is asking is not proven
	Locked                  // the screen is locked
	TooLarge                // more than is kept
	TooOften                // too many tries
	Unreachable             // another party does not answer, or not readably
)

// Refusal is an answer to the user: what is wrong and what to do. It never holds
// patient data.
type Refusal struct {
	Kind    Kind
	Message string
	Code    string // for the interface: "secret", "stale", …
	Of      string // opaque identifier of the patient whose chart is closed; else ""
}

func (r *Refusal) Error() string { return r.Message }

// Refuse makes a refusal; its text tells the user what is wrong and what to do.
func Refuse(kind Kind, format string, args ...any) error {
	return &Refusal{Kind: kind, Message: fmt.Sprintf(format, args...)}
}

// NotFound turns a missing row into an answer.
func NotFound(err error, what string) error {
	if errors.Is(err, store.ErrNotFound) {
		return Refuse(Missing, "There is no such %s.", what)
	}
	return err
}

// Stale turns a lost race into an answer.
func Stale(err error, what string) error {
	if errors.Is(err, store.ErrStale) {
		return &Refusal{Kind: Conflict, Code: "stale",
			Message: what + " was changed by somebody else meanwhile. Look at it as it is now, then decide again."}
	}
	return err
}

// ErrAsked undoes the transaction of vital signs that are asked about first.
var ErrAsked = errors.New("asked about first")
