package act

import (
	"sync"
)

// EventKind says what changed.
type EventKind string

// The kinds of event.
const (
	VisitEvent    EventKind = "visit"
	IntakeEvent   EventKind = "intake"
	NoteEvent     EventKind = "note"
	WritingEvent  EventKind = "writing" // who has a note open
	OrderEvent    EventKind = "order"
	ReportEvent   EventKind = "report"
	LineEvent     EventKind = "line"
	FollowUpEvent EventKind = "follow-up"
	PatientEvent  EventKind = "patient"
	MergeEvent    EventKind = "merge"
	FormsEvent    EventKind = "forms"
	PinsEvent     EventKind = "pins"
)

// EventKinds are all of them.
var EventKinds = []EventKind{VisitEvent, IntakeEvent, NoteEvent, WritingEvent, OrderEvent, ReportEvent, LineEvent, FollowUpEvent,
	PatientEvent,
	MergeEvent, FormsEvent, PinsEvent}

// Event says that something changed; it carries opaque identifiers only.
type Event struct {
	Kind    EventKind `json:"kind"`
	ID      string    `json:"id"`
	Patient string    `json:"patient,omitempty"`
	Window  string    `json:"window,omitempty"` // the screen whose act it was: it was answered with what changed
}

// Hub passes events to every open screen.
type Hub struct {
	mu   sync.Mutex
	subs map[chan Event]bool
}

func newHub() *Hub { return &Hub{subs: map[chan Event]bool{}} }

// Subscribe returns a channel of events and the function that ends it. A screen
// that does not keep up loses its channel, and reloads when it connects again.
func (h *Hub) Subscribe() (<-chan Event, func()) {
	c := make(chan Event, 256)
	h.mu.Lock()
	h.subs[c] = true
	h.mu.Unlock()
	return c, func() { h.drop(c) }
}

func (h *Hub) drop(c chan Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.subs[c] {
		delete(h.subs, c)
		close(c)
	}
}

// Publish sends events to everybody, without waiting for anybody.
func (h *Hub) Publish(events ...Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for c := range h.subs {
		for _, e := range events {
			select {
			case c <- e:
			default:
				delete(h.subs, c)
				close(c)
			}
			if !h.subs[c] {
				break
			}
		}
	}
}
