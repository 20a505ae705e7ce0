// Package visit is the room of the day: visits with their stages, and the return that was asked for.
package visit

import (
	"deftledger/app/act"
	"deftledger/app/forms"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Forms *forms.Acts
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, f *forms.Acts) *Acts {
	return &Acts{Office: o, Forms: f}
}
