// Package outside is the room of what other parties say of a patient, until somebody decides, and the device.
package outside

import (
	"deftledger/app/act"
	"deftledger/app/forms"
	"deftledger/app/intake"
	notes "deftledger/app/note"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Forms  *forms.Acts
	Note   *notes.Acts
	Intake *intake.Acts
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, f *forms.Acts, n *notes.Acts, i *intake.Acts) *Acts {
	return &Acts{Office: o, Forms: f, Note: n, Intake: i}
}
