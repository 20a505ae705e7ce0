// Package app holds the acts of the users: one act, one function, one
// transaction. Every act checks the person's right to it, loads what it needs,
// asks core, saves, leaves an audit row and announces what changed.
package app

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/ledger"
	"deftledger/core/measure"
	"deftledger/core/order"
	"deftledger/core/result"
	"deftledger/core/safety"
	"deftledger/store"
)

// Laboratory is a laboratory we are connected to.
type Laboratory struct {
	Name     string       `yaml:"name"`
	Facility string       `yaml:"facility"` // as it calls itself in messages
	Phone    string       `yaml:"phone"`
	Source   string       `yaml:"source"`
	Tests    []order.Test `yaml:"tests"`
}

// Config is what an App is made of.
type Config struct {
	Store      *store.Store
	Keys       *Keys
	Laboratory Laboratory
	LabAddr    string // host:port of the laboratory's MLLP listener
	Facility   string // as we call ourselves in messages
	Practice   string // as we call ourselves to people
	Codes      func() (*coding.Library, *coding.Index, error)
	Formers    func() (*coding.Formers, error) // former codes, which lead to present ones
	Reader     func() (*coding.Reader, error)  // finds the codes that a text supports
	Location   *time.Location
	Clock      func() time.Time
	IdleAfter  time.Duration // the screen locks after this
	FormFiles  fs.FS         // the forms that ship
	Medicines  *safety.List
	House      House
	Services   []coding.Service // what can be charged by anybody; a clinic adds its own list
	Measures   []measure.Rule   // of quality, met or missed by a visit
	Elsewhere  Elsewhere
}

// House is what the practice does itself.
type House struct {
	Tests    []result.HouseTest
	Vaccines []chart.Vaccine
}

// Elsewhere is where other parties are reached, as base addresses of their FHIR
// interfaces ("http://127.0.0.1:8423"); empty for a party we have no link to.
type Elsewhere struct{ Pharmacy, Portal, Device, Fax string }

// App is the application without its interface.
type App struct {
	Config
	Hub                      *Hub
	tests                    map[string]order.Test
	wakeOut, wakeIn, wakeFax chan struct{}
	forms                    atomic.Pointer[formSet]

	presence struct {
		sync.Mutex
		at map[string]map[string]writing // note → window
	}
}

// New makes an App.
func New(c Config) *App {
	a := &App{Config: c, Hub: newHub(), tests: map[string]order.Test{}}
	for _, t := range c.Laboratory.Tests {
		a.tests[t.Code] = t
	}
	a.wakeOut, a.wakeIn, a.wakeFax = make(chan struct{}, 1), make(chan struct{}, 1), make(chan struct{}, 1)
	a.presence.at = map[string]map[string]writing{}
	return a
}

// Refusal is an answer to the user: what is wrong and what to do. It never holds
// patient data.
type Refusal struct {
	Status  int // the HTTP status it is given
	Message string
	Code    string // for the interface: "secret", "stale", …
}

func (r *Refusal) Error() string { return r.Message }

func refuse(status int, format string, args ...any) error {
	return &Refusal{Status: status, Message: fmt.Sprintf(format, args...)}
}

// notFound turns a missing row into an answer.
func notFound(err error, what string) error {
	if errors.Is(err, store.ErrNotFound) {
		return refuse(404, "There is no such %s.", what)
	}
	return err
}

// stale turns a lost race into an answer.
func stale(err error, what string) error {
	if errors.Is(err, store.ErrStale) {
		return &Refusal{Status: 409, Code: "stale", Message: what + " was changed by somebody else meanwhile. Look at it as it is now, then decide again."}
	}
	return err
}

// newID makes an identifier that sorts by time.
func newID() string { return uuid.Must(uuid.NewV7()).String() }

// Today is the practice's calendar day.
func (a *App) Today() string { return a.Clock().In(a.Location).Format(time.DateOnly) }

// tx is one act under way.
type tx struct {
	*store.Q
	a      *App
	who    Actor
	now    time.Time
	events []Event
	heads  []ledger.Head
}

// act runs one act: rights, transaction, then the announcements.
func (a *App) act(ctx context.Context, who Actor, right Right, f func(*tx) error) error {
	if err := may(who, right); err != nil {
		return err
	}
	return a.write(ctx, who, f)
}

func (a *App) write(ctx context.Context, who Actor, f func(*tx) error) error {
	t := &tx{a: a, who: who, now: a.Clock()}
	// An act that was begun is finished, even when the browser has gone.
	err := a.Store.Write(context.WithoutCancel(ctx), func(q *store.Q) error {
		t.Q, t.events, t.heads = q, nil, nil
		if err := f(t); err != nil {
			return err
		}
		return t.address()
	})
	if err != nil {
		return err
	}
	for _, h := range t.heads {
		if err := a.Keys.Witness(h); err != nil {
			// The entry is sealed and kept; the witness catches up at the next start.
			slog.Error("the witness of the ledger could not be written", "seq", h.Seq, "error", err)
		}
	}
	a.Hub.Publish(t.events...)
	return nil
}

// look runs a reading act and records it when it concerns a chart.
func (a *App) look(ctx context.Context, who Actor, right Right, f func(*store.Q) error) error {
	if err := may(who, right); err != nil {
		return err
	}
	return a.Store.Read(ctx, f)
}

func (t *tx) audit(name, patient, subject, detail string) error {
	return t.Q.Audit(store.Stamp(t.now), t.who.ID, name, patient, subject, detail)
}

func (t *tx) tell(kind, id, patient string) {
	t.events = append(t.events, Event{Kind: kind, ID: id, Patient: patient})
}

// address names the person in every event: screens are open on the person, and a
// change may concern a record that was merged into theirs.
func (t *tx) address() error {
	person := map[string]string{"": ""}
	for i, e := range t.events {
		to, known := person[e.Patient]
		if !known {
			p, err := t.Person(e.Patient)
			if err != nil && !store.IsNotFound(err) {
				return err
			}
			if to = p.ID; to == "" {
				to = e.Patient
			}
			person[e.Patient] = to
		}
		t.events[i].Patient = to
	}
	return nil
}

// seal writes the sealed entry of a signing act.
func (t *tx) seal(patient, kind, subject string, amends int, content any) (ledger.Entry, error) {
	body, err := ledger.Canonical(content)
	if err != nil {
		return ledger.Entry{}, err
	}
	inChart, last, err := t.LastEntries(patient)
	if err != nil {
		return ledger.Entry{}, err
	}
	e := ledger.Seal(ledger.Entry{
		ChartID: patient, Kind: kind, Subject: subject, Amends: amends, Content: body,
		SignerID: t.who.ID, SignerName: t.who.Name, SignedAt: t.now.In(t.a.Location).Format(time.RFC3339),
	}, inChart, last, t.a.Keys.private)
	if err := t.AddEntry(e); err != nil {
		return ledger.Entry{}, err
	}
	t.heads = append(t.heads, ledger.Head{Seq: e.Seq, Hash: e.Hash, At: e.SignedAt, Signature: e.Signature})
	return e, nil
}

// noteVisit reads a note by its identifier, with its visit.
func noteVisit(q *store.Q, id string) (n store.Note, v store.Visit, err error) {
	if n, err = q.NoteByID(id); err != nil {
		return n, v, notFound(err, "note")
	}
	v, err = q.VisitByID(n.VisitID)
	return n, v, err
}

// onDraft changes a draft: it checks the right, refuses a signed note, runs the change
// and records it under its name.
func (a *App) onDraft(ctx context.Context, who Actor, id, name string, f func(t *tx, n store.Note, v store.Visit) error) error {
	return a.act(ctx, who, WriteNote, func(t *tx) error {
		n, v, err := noteVisit(t.Q, id)
		if err != nil {
			return err
		}
		if n.Folio > 0 {
			return refuse(409, "The note is signed. Write an amendment instead.")
		}
		if err := f(t, n, v); err != nil {
			return err
		}
		t.tell("note", id, n.PatientID)
		return t.audit(name, n.PatientID, id, "")
	})
}

// Event says that something changed; it carries opaque identifiers only.
type Event struct {
	Kind    string `json:"kind"` // visit, note, writing, order, report, line, patient
	ID      string `json:"id"`
	Patient string `json:"patient,omitempty"`
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
