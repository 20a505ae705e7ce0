package act

import (
	"context"
	"log/slog"
	"time"

	"deftledger/core/ledger"
	"deftledger/store"
)

// Tx is one act under way.
type Tx struct {
	*store.Q
	a      *Office
	Who    Actor
	Now    time.Time
	Events []Event
	heads  []ledger.Head
	sends  []string // destinations that something waits for
}

// Act runs one act: rights, transaction, then the announcements.
func (a *Office) Act(ctx context.Context, who Actor, right Right, f func(*Tx) error) error {
	if err := Allow(who, right); err != nil {
		return err
	}
	return a.write(ctx, who, ofPractice[right], f)
}

// Write runs one act without asking for a right: what the application does by itself, or
// after the right was asked for in another way.
func (a *Office) Write(ctx context.Context, who Actor, f func(*Tx) error) error {
	return a.write(ctx, who, false, f)
}

func (a *Office) write(ctx context.Context, who Actor, wide bool, f func(*Tx) error) error {
	t := &Tx{a: a, Who: who, Now: a.Clock()}
	// An act that was begun is finished, even when the browser has gone.
	err := a.Store.Write(context.WithoutCancel(ctx), func(q *store.Q) error {
		t.Q, t.Events, t.heads, t.sends = q, nil, nil, nil
		if err := t.note(ctx); err != nil {
			return err
		}
		// Whose chart it was comes before what came of it: a refusal would tell of that chart.
		// It is asked as things stood before the act, which may itself tie them together.
		did := f(t)
		if !wide {
			if err := a.Near(context.WithoutCancel(ctx), who, q.Of()...); err != nil {
				return err
			}
		}
		if did != nil {
			return did
		}
		return t.address()
	})
	if err != nil {
		return err
	}
	noted(ctx)
	if len(t.heads) > 0 {
		if err := a.Keys.Witness(t.heads...); err != nil {
			// The entries are sealed and kept; the witness catches up at the next start.
			slog.Error("the witness of the ledger could not be written", "seq", t.heads[0].Seq, "error", err)
		}
		a.WitnessTrail()
	}
	a.Hub.Publish(t.Events...)
	a.Outbox.nudge(t.sends)
	return nil
}

// WitnessTrail notes the newest link of the trail of acts beside the sealing key: with every
// sealed entry, once a second by the running program, and when it ends.
func (a *Office) WitnessTrail() {
	if h := a.Store.Trail(); h.Seq > 0 {
		h.Of = a.Copy
		if err := a.Keys.WitnessTrail(h); err != nil {
			slog.Error("the witness of the trail could not be written", "link", h.Seq, "error", err)
		}
	}
}

// Look runs a reading act: rights, transaction, and whether the chart it read is open to the
// person. What concerns one chart is recorded besides (Saw).
func (a *Office) Look(ctx context.Context, who Actor, right Right, f func(*store.Q) error) error {
	if err := Allow(who, right); err != nil {
		return err
	}
	return a.Store.Read(ctx, func(q *store.Q) error {
		read := f(q)
		if !ofPractice[right] {
			if err := a.near(q, who, q.Of()...); err != nil {
				return err
			}
		}
		return read
	})
}

// Audit leaves a row of who did what; detail never holds clinical text. The act is about
// that chart.
func (t *Tx) Audit(name, patient, subject, detail string) error {
	t.IsOf(patient)
	return t.AuditNamed(name, patient, subject, detail)
}

// AuditNamed leaves a row in the chart of somebody whom an act only names.
func (t *Tx) AuditNamed(name, patient, subject, detail string) error {
	return t.Q.Audit(store.Stamp(t.Now), t.Who.ID, name, patient, subject, detail)
}

// Tell announces a change to the open screens, once the act is kept.
func (t *Tx) Tell(kind EventKind, id, patient string) {
	t.Events = append(t.Events, Event{Kind: kind, ID: id, Patient: patient, Window: t.Who.Window})
}

// address names the person in every event: screens are open on the person, and a
// change may concern a record that was merged into theirs.
func (t *Tx) address() error {
	person := map[string]string{"": ""}
	for i, e := range t.Events {
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
		t.Events[i].Patient = to
	}
	return nil
}

// Seal writes the sealed entry of a signing act.
func (t *Tx) Seal(patient, kind, subject string, amends int, content any) (ledger.Entry, error) {
	body, err := ledger.Canonical(content)
	if err != nil {
		return ledger.Entry{}, err
	}
	inChart, last, err := t.LastEntries(patient)
	if err != nil {
		return ledger.Entry{}, err
	}
	e := t.a.Keys.Seal(ledger.Entry{
		ChartID: patient, Kind: kind, Subject: subject, Amends: amends, Content: body,
		SignerID: t.Who.ID, SignerName: t.Who.Name, SignedAt: t.Now.In(t.a.Location).Format(time.RFC3339),
	}, inChart, last)
	if err := t.AddEntry(e); err != nil {
		return ledger.Entry{}, err
	}
	t.heads = append(t.heads, ledger.Head{Seq: e.Seq, Hash: e.Hash, At: e.SignedAt, Signature: e.Signature})
	return e, nil
}
