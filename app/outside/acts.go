// Package outside is the room of what other parties say of a patient, until somebody decides, and the device.
package outside

import (
	"deftledger/app/act"
	"deftledger/app/forms"
	"deftledger/app/intake"
	notes "deftledger/app/note"
	"deftledger/store"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Forms  *forms.Acts
	Note   *notes.Acts
	Intake *intake.Acts
	// Screens keeps questionnaires with a score; app sets it, because the room that has them stands above this one.
	Screens Screens
}

// Screens keeps questionnaires that a patient answered before the visit, and tells at once of an answer that
// speaks of self-harm.
type Screens interface {
	KeepBeforehand(t *act.Tx, e store.IncomingEntry, visit string) (became string, err error)
	AlarmBeforehand(t *act.Tx, e store.IncomingEntry) error
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, f *forms.Acts, n *notes.Acts, i *intake.Acts) *Acts {
	return &Acts{Office: o, Forms: f, Note: n, Intake: i}
}
