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
	CriticalEvent EventKind = "critical" // a critical value is announced, or was taken up
	CircleEvent   EventKind = "circle"   // who sees whose chart
)

// EventKinds are all of them.
var EventKinds = []EventKind{VisitEvent, IntakeEvent, NoteEvent, WritingEvent, OrderEvent, ReportEvent, LineEvent, FollowUpEvent,
	PatientEvent,
	MergeEvent, FormsEvent, PinsEvent, CriticalEvent, CircleEvent}

// hears says which right a person needs to hear of a change: a stream carries only what the
// role may know.
var hears = map[EventKind]Right{VisitEvent: SeeDay, FollowUpEvent: SeeDay, PatientEvent: FindPatient, FormsEvent: UseForms, CircleEvent: SetUsual,
	IntakeEvent: SeeChart, NoteEvent: SeeChart, WritingEvent: SeeChart, OrderEvent: SeeChart, ReportEvent: SeeChart, LineEvent: SeeChart,
	MergeEvent: SeeChart, PinsEvent: SeeChart, CriticalEvent: SeeChart}

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
	subs map[chan Event]Role
}

func newHub() *Hub { return &Hub{subs: map[chan Event]Role{}} }

// Subscribe returns a channel of the events that a role may know of, and the function that
// ends it. A screen that does not keep up loses its channel, and reloads when it connects again.
func (h *Hub) Subscribe(role Role) (<-chan Event, func()) {
	c := make(chan Event, 256)
	h.mu.Lock()
	h.subs[c] = role
	h.mu.Unlock()
	return c, func() { h.drop(c) }
}

// Hears says whether anybody with a right is at a screen.
func (h *Hub) Hears(right Right) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, role := range h.subs {
		if May(role, right) {
			return true
		}
	}
	return false
}

func (h *Hub) drop(c chan Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if _, there := h.subs[c]; there {
		delete(h.subs, c)
		close(c)
	}
}

// Publish sends events to everybody who may know of them, without waiting for anybody.
func (h *Hub) Publish(events ...Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for c, role := range h.subs {
		for _, e := range events {
			if !May(role, hears[e.Kind]) {
				continue
			}
			select {
			case c <- e:
				continue
			default:
			}
			delete(h.subs, c)
			close(c)
			break
		}
	}
}
