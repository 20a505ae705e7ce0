// Package registration is the room of who a patient is: made, changed, and what a change means
// for what is on its way under the old one.
package registration

import (
	"deftledger/app/act"
	"deftledger/app/forms"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Forms *forms.Acts
}

// New makes the room on its ground.
func New(o *act.Office, f *forms.Acts) *Acts { return &Acts{o, f} }
