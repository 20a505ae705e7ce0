// Package circle is the room of who sees whose chart: usual clinicians, teams, who covers for
// whom, and the charts that were opened with a reason.
package circle

import "deftledger/app/act"

// Acts are the acts of this room.
type Acts struct{ *act.Office }

// New makes the room on its ground.
func New(o *act.Office) *Acts { return &Acts{o} }
