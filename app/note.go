package app

import (
	"context"
	"errors"
	"strings"
	"time"

	"deftledger/core/coding"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/store"
)

// writing is one window in which somebody writes in a note.
type writing struct {
	staff, name string
	until       time.Time
}

// presenceLasts is how long a window counts as writing after it last said so.
const presenceLasts = 25 * time.Second

// PartView is one part of the note as last saved.
type PartView struct {
	Part    string `json:"part" enum:"subjective,function,objective,assessment,plan,remarks"`
	Text    string `json:"text"`
	Version int    `json:"version"`
	SavedAt string `json:"savedAt"`
	SavedBy string `json:"savedBy"`
}

// DiagnosisView is a diagnosis of the visit.
type DiagnosisView struct {
	Code      string        `json:"code"`
	Title     string        `json:"title"`
	Edition   string        `json:"edition"`
	OnProblem bool          `json:"onProblemList"`
	Onset     string        `json:"onset" doc:"Since when it is known, of the problem list"`
	State     string        `json:"state" doc:"How it stands, of the problem list"`
	Joined    bool          `json:"joined" doc:"Under one bullet with the one before it"`
	Said      note.Said     `json:"said"`
	Measures  []MeasureView `json:"measures" doc:"Measures that show its course, as recorded"`
}

// ConflictView is a refused save that waits for a decision.
type ConflictView struct {
	ID   string `json:"id"`
	Part string `json:"part"`
	Text string `json:"text"`
	At   string `json:"at"`
	By   string `json:"by"`
}

// SectionView is a heading of a sealed note with its text.
type SectionView struct {
	Heading string `json:"heading"`
	Text    string `json:"text"`
}

// SealedView is a sealed entry as it reads. Blocks say of each sentence where it
// came from; entries sealed before that was kept have Sections only.
type SealedView struct {
	Folio    int            `json:"folio"`
	SignedBy string         `json:"signedBy"`
	SignedAt string         `json:"signedAt"`
	Hash     string         `json:"hash"`
	Sections []SectionView  `json:"sections"`
	Blocks   []note.Block   `json:"blocks"`
	Drawings []note.Drawing `json:"drawings"`
	Share    *note.Share    `json:"share,omitempty"`
}

// RetractedView says why a note no longer counts and where it belongs.
type RetractedView struct {
	Folio   int    `json:"folio"`
	By      string `json:"by"`
	At      string `json:"at"`
	Reason  string `json:"reason"`
	Belongs string `json:"belongs" doc:"Identifier of the chart it should have stood in"`
	Record  string `json:"record" doc:"Record number of that chart"`
}

// NoteView is the note of a visit with all that stands around it.
type NoteView struct {
	ID          string          `json:"id"`
	Visit       VisitView       `json:"visit"`
	Author      string          `json:"author"`
	Parts       []PartView      `json:"parts"`
	Diagnoses   []DiagnosisView `json:"diagnoses"`
	ListVersion int             `json:"listVersion"`
	Conflicts   []ConflictView  `json:"conflicts"`
	Warning     string          `json:"warning" doc:"Set when the code edition does not cover the date of service"`
	Sealed      *SealedView     `json:"sealed,omitempty"`
	Amendments  []SealedView    `json:"amendments"`
	ClaimLimit  int             `json:"claimLimit"`
	Blocks      []note.Block    `json:"blocks"`
	Findings    []note.Finding  `json:"findings"`
	Interviews  []InterviewView `json:"interviews"`
	Brought     []BroughtView   `json:"brought"`
	Drawings    []DrawingView   `json:"drawings"`
	Fitting     Fitting         `json:"fitting"`
	Shows       []string        `json:"shows" doc:"Parts beside the four that this kind of visit shows"`
	Share       note.Share      `json:"share"`
	Sources     []SourceView    `json:"sources" doc:"Earlier notes that something was carried from"`
	Advice      []AdviceView    `json:"advice" doc:"Remarks on the diagnoses from the tabular list and the chart"`
	Supported   []SupportedView `json:"supported" doc:"Codes that the text supports and the list lacks"`
	FollowUps   []FollowUpView  `json:"followUps"`
	Charged     bool            `json:"charged" doc:"The visit has charges"`
	LeftFor     string          `json:"leftFor"`
	LeftWords   string          `json:"leftWords"`
	Retracted   *RetractedView  `json:"retracted,omitempty"`
}

// SourceView names an earlier note that something was carried from.
type SourceView struct {
	Note    string `json:"note"`
	VisitID string `json:"visitId"`
	Words   string `json:"words"`
}

// amendment is the sealed content of an amendment.
type amendment struct {
	Text string `json:"text"`
}

// StartVisit begins (or resumes) the visit and its note.
func (a *App) StartVisit(ctx context.Context, who Actor, visitID string) (noteID string, err error) {
	l, err := a.formSet()
	if err != nil {
		return "", err
	}
	err = a.act(ctx, who, WriteNote, func(t *tx) error {
		v, err := t.VisitByID(visitID)
		if err != nil {
			return notFound(err, "visit")
		}
		if v.NoteID != "" {
			noteID = v.NoteID
		} else {
			noteID = newID()
			author := v.ClinicianID
			if who.Role == Physician {
				author = who.ID
			}
			if err := t.AddNote(store.Note{ID: noteID, VisitID: visitID, PatientID: v.PatientID, AuthorID: author, CreatedAt: t.now}); err != nil {
				return err
			}
			if err := t.OpenLine(newID(), line.Note, noteID, v.PatientID, author, line.InHand, t.now); err != nil {
				return err
			}
			t.tell("line", noteID, v.PatientID)
			if err := a.beginWith(t, noteID, v, l); err != nil {
				return err
			}
		}
		if who.Role != Physician && (v.Stage == "expected" || v.Stage == "arrived") {
			if err := t.SetStage(visitID, "intake", who.ID, t.now, v.Version); err != nil {
				return err
			}
		}
		if who.Role == Physician && v.NoteFolio == 0 && (v.Stage == "expected" || v.Stage == "arrived" || v.Stage == "intake" || v.Stage == "ready") {
			if err := t.SetStage(visitID, "in visit", who.ID, t.now, v.Version); err != nil {
				return err
			}
		}
		t.tell("visit", visitID, v.PatientID)
		return t.audit("start visit", v.PatientID, visitID, "")
	})
	return noteID, err
}

// beginWith gives a new note the questions that fit its reason and kind of visit.
func (a *App) beginWith(t *tx, noteID string, v store.Visit, l *formSet) error {
	iv := l.fitting(v.Reason)
	if iv == nil {
		iv = l.newest(l.kind(v.Kind).Interview)
	}
	if iv == nil {
		return nil
	}
	return t.AddNoteInterview(noteID, store.NoteInterview{Form: iv.ID, Version: iv.Version})
}

// Note reads a note.
func (a *App) Note(ctx context.Context, who Actor, id string) (out NoteView, err error) {
	l, err := a.formSet()
	if err != nil {
		return out, err
	}
	err = a.look(ctx, who, SeeChart, func(q *store.Q) error {
		n, err := q.NoteByID(id)
		if err != nil {
			return notFound(err, "note")
		}
		v, err := q.VisitByID(n.VisitID)
		if err != nil {
			return err
		}
		author, err := q.StaffByID(n.AuthorID)
		if err != nil {
			return err
		}
		out = NoteView{ID: id, Visit: a.visit(v, who), Author: author.Name(), Parts: []PartView{}, Diagnoses: []DiagnosisView{}, ListVersion: n.ListVersion, Conflicts: []ConflictView{}, Amendments: []SealedView{}, ClaimLimit: note.ClaimLimit,
			Blocks: []note.Block{}, Findings: []note.Finding{}, Interviews: []InterviewView{}, Brought: []BroughtView{}, Drawings: []DrawingView{}, Shows: []string{}, Sources: []SourceView{}, Advice: []AdviceView{}, Supported: []SupportedView{}, FollowUps: []FollowUpView{}, LeftWords: n.LeftWords}
		names, err := a.names(q)
		if err != nil {
			return err
		}
		parts, err := q.NoteParts(id)
		if err != nil {
			return err
		}
		by := map[note.Part]store.Part{}
		for _, p := range parts {
			by[p.Part] = p
		}
		out.LeftFor = names[n.LeftFor]
		for _, p := range note.Parts {
			out.Parts = append(out.Parts, PartView{string(p), by[p].Text, by[p].Version, a.say(by[p].SavedAt), names[by[p].SavedBy]})
		}
		problems, err := q.Problems(n.PatientID)
		if err != nil {
			return err
		}
		on := map[string]store.Problem{}
		for _, p := range problems {
			on[p.Code] = p
		}
		ds, err := q.Diagnoses(id)
		if err != nil {
			return err
		}
		said, measures, err := a.stated(q, n, v, ds)
		if err != nil {
			return err
		}
		for i, d := range ds {
			p := on[d.Code]
			view := DiagnosisView{d.Code, d.Title, d.Edition, p.Code != "", p.Onset, p.State, d.Joined, said[i].Said, append([]MeasureView{}, measures[d.Code]...)}
			if view.Said.Measures == nil {
				view.Said.Measures = []string{}
			}
			out.Diagnoses = append(out.Diagnoses, view)
		}
		if out.FollowUps, err = a.followUpsOf(q, id); err != nil {
			return err
		}
		kept, err := q.ChargesOf(id)
		if err != nil {
			return err
		}
		out.Charged = len(kept.Lines) > 0
		if n.Folio == 0 {
			if out.Advice, err = a.advise(q, n, v, ds); err != nil {
				return err
			}
		}
		cs, err := q.Conflicts(id)
		if err != nil {
			return err
		}
		for _, c := range cs {
			out.Conflicts = append(out.Conflicts, ConflictView{c.ID, string(c.Part), c.Text, a.say(c.At), names[c.By]})
		}
		if n.Folio > 0 {
			return a.sealed(q, n, &out)
		}
		if err := a.drafted(q, n, v, l, &out); err != nil {
			return err
		}
		codes := make([]string, len(ds))
		for i, d := range ds {
			codes[i] = d.Code
		}
		out.Supported, err = a.supported(q, n, v, codes, out.Blocks)
		return err
	})
	if err == nil && out.Sealed == nil {
		if lib, _, e := a.Codes(); e == nil {
			_, out.Warning = lib.On(out.Visit.StartsAt[:10])
		}
	}
	return out, err
}

// Saved is the answer to a save. When Stale, nothing was changed: Now is the text
// as it stands, and the text that was sent is kept as a conflict.
type Saved struct {
	Version int       `json:"version"`
	SavedAt string    `json:"savedAt"`
	Stale   bool      `json:"stale"`
	Now     *PartView `json:"now,omitempty"`
}

// SavePart saves one part of a note. base is the version the text was written on;
// saveID names this save, so that one sent again after a lost answer counts once.
func (a *App) SavePart(ctx context.Context, who Actor, id string, part note.Part, text string, base int, saveID string) (out Saved, err error) {
	if len(text) > note.MaxPart {
		return out, refuse(413, "This part is longer than %d characters and is not saved. Shorten it.", note.MaxPart)
	}
	if saveID == "" {
		return out, refuse(422, "The save has no identifier.")
	}
	err = a.act(ctx, who, WriteNote, func(t *tx) error {
		n, err := t.NoteByID(id)
		if err != nil {
			return notFound(err, "note")
		}
		now, err := t.NotePart(id, part)
		if err != nil {
			return err
		}
		if now.SaveID == saveID {
			out = Saved{Version: now.Version, SavedAt: a.say(now.SavedAt)}
			return nil
		}
		if n.Folio > 0 || now.Version != base {
			by, err := t.StaffByID(now.SavedBy)
			if err != nil && !store.IsNotFound(err) {
				return err
			}
			out = Saved{Version: now.Version, SavedAt: a.say(now.SavedAt), Stale: true,
				Now: &PartView{string(part), now.Text, now.Version, a.say(now.SavedAt), by.Name()}}
			if now.Text == text {
				return nil // both wrote the same; nothing to keep
			}
			t.tell("note", id, n.PatientID)
			return t.AddConflict(store.Conflict{ID: newID(), NoteID: id, Part: part, Text: text, BaseVersion: base, SaveID: saveID, At: t.now, By: who.ID})
		}
		p := store.Part{Part: part, Text: text, Version: base + 1, SaveID: saveID, SavedAt: t.now, SavedBy: who.ID}
		if err := t.Q.SavePart(id, p); err != nil {
			return err
		}
		out = Saved{Version: p.Version, SavedAt: a.say(p.SavedAt)}
		t.tell("note", id, n.PatientID)
		return t.audit("save note", n.PatientID, id, string(part))
	})
	return out, err
}

// SettleConflict marks a kept text as decided.
func (a *App) SettleConflict(ctx context.Context, who Actor, noteID, conflict string) error {
	return a.act(ctx, who, WriteNote, func(t *tx) error {
		n, err := t.NoteByID(noteID)
		if err != nil {
			return notFound(err, "note")
		}
		if err := t.Q.SettleConflict(conflict, t.now); err != nil {
			return notFound(err, "kept text")
		}
		t.tell("note", noteID, n.PatientID)
		return t.audit("settle two versions", n.PatientID, noteID, "")
	})
}

// Writing says that a window has a note open for writing, and returns who else
// has. Others are told at once when somebody joins or (with leave) goes.
func (a *App) Writing(ctx context.Context, who Actor, noteID, window string, leave bool) (others []string, err error) {
	others = []string{}
	if err := may(who, WriteNote); err != nil {
		return others, err
	}
	now := a.Clock()
	a.presence.Lock()
	here := a.presence.at[noteID]
	if here == nil {
		here = map[string]writing{}
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
		here[window] = writing{who.ID, who.Name, now.Add(presenceLasts)}
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
		a.Hub.Publish(Event{Kind: "writing", ID: noteID})
	}
	return others, nil
}

// checkCode says whether a code may be used on a date of service.
func (a *App) checkCode(code, date string) (coding.Entry, string, string, error) {
	lib, _, err := a.Codes()
	if err != nil {
		return coding.Entry{}, "", "", err
	}
	e, edition, warning, err := lib.Check(code, date)
	if errors.Is(err, coding.ErrNoSuchCode) || errors.Is(err, coding.ErrNotBillable) {
		near := ""
		if codes := a.nearest(code, date); len(codes) > 0 {
			near = " Valid codes near it: " + strings.Join(codes, ", ") + "."
		}
		err = refuse(422, "%s.%s", strings.ToUpper(err.Error()[:1])+err.Error()[1:], near)
	}
	return e, edition, warning, err
}

// SetDiagnoses replaces the visit's diagnoses, first-listed first.
func (a *App) SetDiagnoses(ctx context.Context, who Actor, id string, codes []string, version int) error {
	return a.act(ctx, who, WriteNote, func(t *tx) error {
		n, err := t.NoteByID(id)
		if err != nil {
			return notFound(err, "note")
		}
		if n.Folio > 0 {
			return refuse(409, "The note is signed. Write an amendment instead.")
		}
		v, err := t.VisitByID(n.VisitID)
		if err != nil {
			return err
		}
		seen := map[string]bool{}
		var ds []note.Diagnosis
		for _, c := range codes {
			e, edition, _, err := a.checkCode(c, v.Day)
			if err != nil {
				return err
			}
			if seen[e.Code] {
				return refuse(422, "%s stands on the list already.", e.Code)
			}
			seen[e.Code] = true
			ds = append(ds, note.Diagnosis{Code: e.Code, Title: e.Title, Edition: edition})
		}
		if err := t.Q.SetDiagnoses(id, ds, version); err != nil {
			return stale(err, "The list of diagnoses")
		}
		t.tell("note", id, n.PatientID)
		return t.audit("set diagnoses", n.PatientID, id, strings.Join(codes, " "))
	})
}

// SignNote seals the note as the signer saw it: versions holds the version of
// every part, listVersion that of the diagnoses, and seen the fingerprint of the
// whole text ("" where the signer is no screen).
func (a *App) SignNote(ctx context.Context, who Actor, id, secret string, versions map[string]int, listVersion int, seen string) (folio int, err error) {
	if err := may(who, SignNote); err != nil {
		return 0, err
	}
	if err := a.openSigning(ctx, &who, secret); err != nil {
		return 0, err
	}
	l, err := a.formSet()
	if err != nil {
		return 0, err
	}
	err = a.act(ctx, who, SignNote, func(t *tx) error {
		n, err := t.NoteByID(id)
		if err != nil {
			return notFound(err, "note")
		}
		if n.Folio > 0 {
			folio = n.Folio
			return nil // signed already: the answer to a repeated act is the same folio
		}
		v, err := t.VisitByID(n.VisitID)
		if err != nil {
			return err
		}
		parts, err := t.NoteParts(id)
		if err != nil {
			return err
		}
		ds, err := t.Diagnoses(id)
		if err != nil {
			return err
		}
		for _, p := range parts {
			if p.Version != versions[string(p.Part)] {
				return stale(store.ErrStale, "The note")
			}
		}
		if n.ListVersion != listVersion {
			return stale(store.ErrStale, "The list of diagnoses")
		}
		if waiting, err := t.Conflicts(id); err != nil {
			return err
		} else if len(waiting) > 0 {
			return refuse(422, "Two versions of the %s wait for a decision. Settle that first.", waiting[0].Part)
		}
		d, err := a.draft(t.Q, n, v, l)
		if err != nil {
			return err
		}
		blocks := l.systems.Compose(d)
		if seal := Fingerprint(blocks); seen != "" && seal != seen {
			return stale(store.ErrStale, "The note")
		}
		for _, p := range l.systems.Close(d, len(ds), l.kind(v.Kind)) {
			if p.Stops {
				return refuse(422, "The note cannot be signed yet: %s.", strings.ToLower(p.Says[:1])+strings.TrimSuffix(p.Says[1:], "."))
			}
		}
		advice, err := a.advise(t.Q, n, v, ds)
		if err != nil {
			return err
		}
		for _, p := range advicePoints(advice) {
			if p.Stops {
				return refuse(422, "The note cannot be signed yet: %s.", p.Says)
			}
		}
		share := note.Measure(blocks)
		c := note.Content{Patient: v.Patient.Name.Given + " " + v.Patient.Name.Family, Record: v.Patient.Record, BirthDate: v.Patient.BirthDate,
			Kind: v.Kind, Visit: a.say(v.StartsAt), Reason: v.Reason, Parts: d.Typed, Diagnoses: ds, Blocks: blocks, Findings: d.Findings, Share: &share, Overridden: overridden(advice)}
		kept, err := t.ChargesOf(id)
		if err != nil {
			return err
		}
		if kept.Version > 0 {
			c.Charges, c.Level = kept.Lines, &kept.Facts
		}
		for _, x := range d.Interviews {
			c.Interviews = append(c.Interviews, note.SealedAnswers{Interview: x.Interview.ID, Version: x.Interview.Version, Answers: x.Answers})
		}
		drawings, err := t.Drawings(id)
		if err != nil {
			return err
		}
		for _, x := range drawings {
			c.Drawings = append(c.Drawings, note.Drawing{Caption: x.Caption, SVG: x.SVG})
		}
		e, err := t.seal(n.PatientID, "note", id, 0, c)
		if err != nil {
			return err
		}
		folio = e.Folio
		if err := t.Q.SignNote(id, folio); err != nil {
			return err
		}
		if err := t.CloseLine(line.Note, id, who.ID, "signed", t.now); err != nil {
			return err
		}
		if err := t.SetStage(v.ID, "done", "", t.now, v.Version); err != nil {
			return err
		}
		t.tell("note", id, n.PatientID)
		t.tell("visit", v.ID, n.PatientID)
		t.tell("line", id, n.PatientID)
		return t.audit("sign note", n.PatientID, id, "")
	})
	return folio, err
}

// Amend seals a dated amendment after a signed note; the original stays.
func (a *App) Amend(ctx context.Context, who Actor, id, secret, text string) (folio int, err error) {
	if err := may(who, SignNote); err != nil {
		return 0, err
	}
	if strings.TrimSpace(text) == "" {
		return 0, refuse(422, "Write what is to be added.")
	}
	if len(text) > note.MaxPart {
		return 0, refuse(413, "The amendment is too long.")
	}
	if err := a.openSigning(ctx, &who, secret); err != nil {
		return 0, err
	}
	err = a.act(ctx, who, SignNote, func(t *tx) error {
		n, err := t.NoteByID(id)
		if err != nil {
			return notFound(err, "note")
		}
		if n.Folio == 0 {
			return refuse(409, "The note is not signed yet: change it directly.")
		}
		e, err := t.seal(n.PatientID, "amendment", id, n.Folio, amendment{text})
		if err != nil {
			return err
		}
		folio = e.Folio
		t.tell("note", id, n.PatientID)
		return t.audit("amend note", n.PatientID, id, "")
	})
	return folio, err
}
