package note

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/app/assess"
	"deftledger/core/note"
	"deftledger/store"
)

// Fingerprint names the exact text of a note, so that what is signed is what the
// signer saw.
func Fingerprint(blocks []note.Block) string {
	body, _ := json.Marshal(blocks)
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:16])
}

// Reads names the text of a draft as it reads now; "" for a signed note.
func (a *Acts) Reads(q *store.Q, id string) (string, error) {
	l, err := a.Forms.Current()
	if err != nil {
		return "", err
	}
	n, v, err := act.NoteVisit(q, id)
	if err != nil || n.Folio > 0 {
		return "", err
	}
	c, err := a.Assess.CaseOf(q, n, v)
	if err != nil {
		return "", err
	}
	return Fingerprint(l.Systems.Compose(a.draft(c, l))), nil
}

// ClosingView is the closing list of a draft, with the fingerprint of the text it
// was made from.
type ClosingView struct {
	Points []note.Point `json:"points"`
	Seen   string       `json:"seen"`
	Share  note.Share   `json:"share"`
}

// ClosingList reads a draft as it would be signed.
func (a *Acts) ClosingList(ctx context.Context, who act.Actor, id string) (out ClosingView, err error) {
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	out.Points = []note.Point{}
	patient := ""
	err = a.Look(ctx, who, act.WriteNote, func(q *store.Q) error {
		c, err := a.Assess.Case(q, id)
		if err != nil {
			return err
		}
		patient = c.Note.PatientID
		d := a.draft(c, l)
		blocks := l.Systems.Compose(d)
		advice, err := a.Assess.Advise(c)
		if err != nil {
			return err
		}
		out.Points = append(out.Points, append(l.Systems.Close(d, len(c.Diagnoses), l.Kind(c.Visit.Kind)), assess.AdvicePoints(advice)...)...)
		unkept, err := a.Assess.Unkept(q, c, blocks)
		if err != nil {
			return err
		}
		unspoken, err := a.Assess.Unspoken(c, blocks)
		if err != nil {
			return err
		}
		charges, err := a.Assess.ChargesIn(q, c)
		if err != nil {
			return err
		}
		for _, doubt := range charges.Doubts {
			unkept = append(unkept, note.Point{Kind: "charges", Part: note.Assessment, Says: doubt, Why: "Of the charges of this visit",
				Ref: "charges"})
		}
		out.Points = append(out.Points, append(unspoken, unkept...)...)
		slices.SortStableFunc(out.Points, func(x, y note.Point) int { return rankStop(y.Stops) - rankStop(x.Stops) })
		out.Seen, out.Share = Fingerprint(blocks), note.Measure(blocks)
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "open note", patient, id)
	}
	return out, err
}

// rankStop puts what stops the signature first.
func rankStop(stops bool) int {
	if stops {
		return 1
	}
	return 0
}

// retraction is the sealed content of a retraction.
type retraction struct {
	Reason string `json:"reason"`
	Record string `json:"record"` // of the chart it should have stood in, "" when none
}

// Retract marks a signed note as written in the wrong chart. The sealed original
// stays; the retraction is sealed after it, points to the right chart where one is
// known, and leaves an open note there when that chart has a visit without one.
func (a *Acts) Retract(ctx context.Context, who act.Actor, id, secret, reason, belongs string) error {
	if err := act.Allow(who, act.SignNote); err != nil {
		return err
	}
	if strings.TrimSpace(reason) == "" || len(reason) > 2000 {
		return act.Refuse(act.Invalid, "Say why the note is retracted.")
	}
	if err := a.OpenSigning(ctx, &who, secret); err != nil {
		return err
	}
	return a.Act(ctx, who, act.SignNote, func(t *act.Tx) error {
		n, err := t.NoteByID(id)
		switch {
		case err != nil:
			return act.NotFound(err, "note")
		case n.Folio == 0:
			return act.Refuse(act.Conflict, "The note is not signed: take its text out, or leave it.")
		case n.Retracted > 0:
			return nil // retracted already: the same act again changes nothing
		case belongs == n.PatientID:
			return act.Refuse(act.Invalid, "That is the chart the note stands in. Choose the one it belongs to.")
		}
		r := retraction{Reason: strings.TrimSpace(reason)}
		if belongs != "" {
			p, err := t.PatientByID(belongs)
			if err != nil {
				return act.NotFound(err, "patient")
			}
			r.Record = p.Record
		}
		e, err := t.Seal(n.PatientID, "retraction", id, n.Folio, r)
		if err != nil {
			return err
		}
		if err := t.Q.Retract(id, e.Folio, belongs); err != nil {
			return err
		}
		t.Tell(act.NoteEvent, id, n.PatientID)
		t.Tell(act.PatientEvent, n.PatientID, n.PatientID)
		if belongs != "" {
			t.Tell(act.PatientEvent, belongs, belongs)
			if err := t.AuditNamed("note retracted elsewhere belongs here", belongs, id, ""); err != nil {
				return err
			}
		}
		return t.Audit("retract note", n.PatientID, id, "")
	})
}
