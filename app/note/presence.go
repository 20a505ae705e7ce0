package note

import (
	"context"
	"sync"
	"time"

	"deftledger/app/act"
	"deftledger/store"
)

// presence knows in which windows somebody writes in which note; a restart forgets it,
// and each window says it again within some seconds.
type presence struct {
	sync.Mutex
	at map[string]map[string]writer // note → window
}

// writer is somebody who writes in a note, in one window.
type writer struct {
	staff, name string
	until       time.Time
}

// presenceLasts is how long a window counts as writing after it last said so.
const presenceLasts = 25 * time.Second

// Writing says that a window has a note open for writing, and returns who else
// has. Others are told at once when somebody joins or (with leave) goes.
func (a *Acts) Writing(ctx context.Context, who act.Actor, noteID, window string, leave bool) (others []string, err error) {
	others = []string{}
	if err := a.Look(ctx, who, act.WriteNote, func(q *store.Q) error {
		_, err := q.NoteByID(noteID)
		return act.NotFound(err, "note")
	}); err != nil {
		return others, err
	}
	now := a.Clock()
	a.presence.Lock()
	here := a.presence.at[noteID]
	if here == nil {
		here = map[string]writer{}
		a.presence.at[noteID] = here
	}
	before := len(here)
	for w, p := range here {
		if now.After(p.until) {
			delete(here, w)
		}
	}
	_, known := here[window]
	if leave {
		delete(here, window)
	} else {
		here[window] = writer{who.ID, who.Name, now.Add(presenceLasts)}
	}
	for w, p := range here {
		if w != window {
			others = append(others, p.name)
		}
	}
	changed := !known != leave || len(here) != before
	if len(here) == 0 {
		delete(a.presence.at, noteID)
	}
	a.presence.Unlock()
	if changed {
		a.Hub.Publish(act.Event{Kind: act.WritingEvent, ID: noteID})
	}
	return others, nil
}
