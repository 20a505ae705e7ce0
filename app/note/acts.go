// Package note is the room of the SOAP note: its draft with all that writes in it, and its signature.
package note

import (
	"deftledger/app/act"
	"deftledger/app/assess"
	"deftledger/app/forms"
	"deftledger/app/visit"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Forms  *forms.Acts
	Visit  *visit.Acts
	Assess *assess.Acts

	presence presence
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, f *forms.Acts, v *visit.Acts, as *assess.Acts) *Acts {
	return &Acts{Office: o, Forms: f, Visit: v, Assess: as, presence: presence{at: map[string]map[string]writer{}}}
}
