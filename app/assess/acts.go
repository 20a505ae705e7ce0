// Package assess is the room of what a note supports: remarks on its diagnoses, codes its text supports, the level
// of the visit and its charges, measures, and what the plan promises.
package assess

import (
	"deftledger/app/act"
	"deftledger/app/forms"
	orders "deftledger/app/order"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Forms *forms.Acts
	Order *orders.Acts
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, f *forms.Acts, or *orders.Acts) *Acts {
	return &Acts{Office: o, Forms: f, Order: or}
}
