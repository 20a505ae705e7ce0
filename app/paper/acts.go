// Package paper is the room of what leaves on paper, by fax or through the portal: documents, letters, leaflets,
// messages.
package paper

import (
	"deftledger/app/act"
	"deftledger/app/forms"
	notes "deftledger/app/note"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Forms *forms.Acts
	Note  *notes.Acts
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, f *forms.Acts, n *notes.Acts) *Acts {
	return &Acts{Office: o, Forms: f, Note: n}
}
