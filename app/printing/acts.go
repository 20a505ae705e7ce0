// Package printing is the room where results go on paper or out as a file: any selection of reports as one batch with a cover list,
// by whom and when it was made, and made again as it was. Printing closes nothing.
package printing

import "deftledger/app/act"

// Acts are the acts of this room.
type Acts struct {
	*act.Office
}

// New makes the room on its ground.
func New(o *act.Office) *Acts { return &Acts{o} }
