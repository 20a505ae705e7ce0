package note

import (
	"cmp"
	"context"
	"strings"

	"deftledger/app/act"
	"deftledger/app/assess"
	"deftledger/app/forms"
	visits "deftledger/app/visit"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/visit"
	"deftledger/store"
)

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
	Code      string               `json:"code"`
	Title     string               `json:"title"`
	Edition   string               `json:"edition"`
	OnProblem bool                 `json:"onProblemList"`
	Onset     string               `json:"onset" doc:"Since when it is known, of the problem list"`
	State     string               `json:"state" doc:"How it stands, of the problem list"`
	Joined    bool                 `json:"joined" doc:"Under one bullet with the one before it"`
	Said      note.Said            `json:"said"`
	Measures  []assess.MeasureView `json:"measures" doc:"Measures that show its course, as recorded"`
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
	Began    string         `json:"began" doc:"Who began the draft, where it is another than the signer; else empty"`
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
	ID          string                 `json:"id"`
	Visit       visits.VisitView       `json:"visit"`
	Author      string                 `json:"author"`
	Parts       []PartView             `json:"parts"`
	Diagnoses   []DiagnosisView        `json:"diagnoses"`
	ListVersion int                    `json:"listVersion"`
	Conflicts   []ConflictView         `json:"conflicts"`
	Warning     string                 `json:"warning" doc:"Set when the code edition does not cover the date of service"`
	Sealed      *SealedView            `json:"sealed,omitempty"`
	Amendments  []SealedView           `json:"amendments"`
	ClaimLimit  int                    `json:"claimLimit"`
	Blocks      []note.Block           `json:"blocks"`
	Findings    []note.Finding         `json:"findings"`
	Interviews  []InterviewView        `json:"interviews"`
	Brought     []BroughtView          `json:"brought"`
	Drawings    []DrawingView          `json:"drawings"`
	Fitting     Fitting                `json:"fitting"`
	Shows       []string               `json:"shows" doc:"Parts beside the four that this kind of visit shows"`
	Share       note.Share             `json:"share"`
	Sources     []SourceView           `json:"sources" doc:"Earlier notes that something was carried from"`
	Advice      []assess.AdviceView    `json:"advice" doc:"Remarks on the diagnoses from the tabular list and the chart"`
	Supported   []assess.SupportedView `json:"supported" doc:"Codes that the text supports and the list lacks"`
	FollowUps   []visits.FollowUpView  `json:"followUps"`
	Charged     bool                   `json:"charged" doc:"The visit has charges"`
	LeftFor     string                 `json:"leftFor"`
	LeftWords   string                 `json:"leftWords"`
	Retracted   *RetractedView         `json:"retracted,omitempty"`
	Reads       string                 `json:"reads" doc:"Names the text of the draft as it is here; handed back with the signature of a section. Empty once signed"`
}

// SourceView names an earlier note that something was carried from.
type SourceView struct {
	Note    string `json:"note"`
	VisitID string `json:"visitId"`
	Words   string `json:"words"`
}

// amendment is the sealed content of an amendment.
type amendment struct {
	Text   string `json:"text"`
	Author string `json:"author,omitempty"` // of the note, where another than the author amends it
}

// StartVisit begins (or resumes) the visit and its note.
func (a *Acts) StartVisit(ctx context.Context, who act.Actor, visitID string) (noteID string, err error) {
	l, err := a.Forms.Current()
	if err != nil {
		return "", err
	}
	err = a.Act(ctx, who, act.WriteNote, func(t *act.Tx) error {
		v, err := t.VisitByID(visitID)
		if err != nil {
			return act.NotFound(err, "visit")
		}
		if v.NoteID != "" {
			noteID = v.NoteID
		} else {
			noteID = act.NewID()
			author := v.ClinicianID
			if act.May(who.Role, act.SignNote) {
				author = who.ID
			}
			if err := t.AddNote(store.Note{ID: noteID, VisitID: visitID, PatientID: v.PatientID, AuthorID: author, CreatedAt: t.Now}); err != nil {
				return err
			}
			if err := t.OpenLine(act.NewID(), line.Note, noteID, v.PatientID, author, line.InHand, t.Now); err != nil {
				return err
			}
			t.Tell(act.LineEvent, noteID, v.PatientID)
			if err := a.BeginWith(t, noteID, v, l); err != nil {
				return err
			}
		}
		if next := v.Stage.Opened(act.May(who.Role, act.SignNote), v.NoteFolio > 0); next != v.Stage {
			if err := t.SetStage(visitID, next, who.ID, t.Now, v.Version); err != nil {
				return err
			}
		}
		t.Tell(act.VisitEvent, visitID, v.PatientID)
		return t.Audit("start visit", v.PatientID, visitID, "")
	})
	return noteID, err
}

// BeginWith gives a new note the questions that fit its reason and kind of visit.
func (a *Acts) BeginWith(t *act.Tx, noteID string, v store.Visit, l *forms.Library) error {
	iv := l.Fitting(v.Reason)
	if iv == nil {
		iv = l.Newest(l.Kind(v.Kind).Interview)
	}
	if iv == nil {
		return nil
	}
	// A child's visit is a child's, whatever its reason is called.
	if of := (note.Of{Sex: v.Patient.Sex, Months: a.Months(v)}); iv.Prose.Instead != "" && !iv.Prose.Whom.Is(of) {
		if other := l.Newest(iv.Prose.Instead); other != nil {
			iv = other
		}
	}
	return t.AddNoteInterview(noteID, store.NoteInterview{Form: iv.ID, Version: iv.Version})
}

// Note reads a note.
func (a *Acts) Note(ctx context.Context, who act.Actor, id string) (out NoteView, err error) {
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		c, err := a.Assess.Case(q, id)
		if err != nil {
			return err
		}
		n, v := c.Note, c.Visit
		patient = n.PatientID
		out = NoteView{
			ID: id, Visit: a.Visit.View(v, who), Author: c.Names[n.AuthorID], Parts: []PartView{}, Diagnoses: []DiagnosisView{},
			ListVersion: n.ListVersion,
			Conflicts:   []ConflictView{}, Amendments: []SealedView{}, ClaimLimit: note.ClaimLimit, Blocks: []note.Block{},
			Findings:   []note.Finding{},
			Interviews: []InterviewView{}, Brought: []BroughtView{}, Drawings: []DrawingView{}, Shows: []string{}, Sources: []SourceView{},
			Advice: []assess.AdviceView{}, Supported: []assess.SupportedView{}, FollowUps: a.Visit.FollowUps(c.Written.FollowUps, c.Names),
			Charged: len(c.Charges.Lines) > 0, LeftFor: c.Names[n.LeftFor], LeftWords: n.LeftWords,
		}
		by := map[note.Part]store.Part{}
		for _, p := range c.Parts {
			by[p.Part] = p
		}
		for _, p := range note.Parts {
			out.Parts = append(out.Parts, a.partView(p, by[p], c.Names))
		}
		for _, x := range c.Conflicts {
			out.Conflicts = append(out.Conflicts, ConflictView{ID: x.ID, Part: string(x.Part), Text: x.Text, At: a.Say(x.At), By: c.Names[x.By]})
		}
		out.Diagnoses = a.diagnosisViews(c)
		if n.Folio > 0 {
			return a.sealed(q, n, &out)
		}
		lib, _, err := a.Codes()
		if err != nil {
			return err
		}
		_, out.Warning = lib.On(v.Day)
		if out.Advice, err = a.Assess.Advise(c); err != nil {
			return err
		}
		a.reads(c, l, &out)
		out.Reads = Fingerprint(out.Blocks)
		if out.Supported, err = a.Assess.Supported(c, out.Blocks); err != nil {
			return err
		}
		return a.sources(q, &out)
	})
	if err == nil {
		err = a.Saw(ctx, who, "open note", patient, id)
	}
	return out, err
}

func (a *Acts) partView(part note.Part, p store.Part, names map[string]string) PartView {
	return PartView{Part: string(part), Text: p.Text, Version: p.Version, SavedAt: a.Say(p.SavedAt), SavedBy: names[p.SavedBy]}
}

// diagnosisViews are the diagnoses of a visit with what is said of them here and how they
// stand on the problem list.
func (a *Acts) diagnosisViews(c assess.Case) []DiagnosisView {
	out := []DiagnosisView{}
	on := map[string]chart.Problem{}
	for _, p := range c.Record.Problems {
		on[p.Code] = p
	}
	said, measures := a.Assess.Stated(c)
	for i, d := range c.Diagnoses {
		p := on[d.Code]
		x := DiagnosisView{
			Code: d.Code, Title: d.Title, Edition: d.Edition, OnProblem: p.Code != "", Onset: p.Onset, State: p.State, Joined: d.Joined,
			Said: said[i].Said, Measures: append([]assess.MeasureView{}, measures[d.Code]...),
		}
		if x.Said.Measures == nil {
			x.Said.Measures = []string{}
		}
		out = append(out, x)
	}
	return out
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
func (a *Acts) SavePart(ctx context.Context, who act.Actor, id string, part note.Part, text string, base int,
	saveID string) (out Saved, err error) {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return out, err
	}
	if len(text) > note.MaxPart {
		return out, act.Refuse(act.TooLarge, "This part is longer than %d characters and is not saved. Shorten it.", note.MaxPart)
	}
	if saveID == "" {
		return out, act.Refuse(act.Invalid, "The save has no identifier.")
	}
	err = a.Act(ctx, who, act.WriteNote, func(t *act.Tx) error {
		n, err := t.NoteByID(id)
		if err != nil {
			return act.NotFound(err, "note")
		}
		now, err := t.NotePart(id, part)
		if err != nil {
			return err
		}
		if now.SaveID == saveID {
			out = Saved{Version: now.Version, SavedAt: a.Say(now.SavedAt)}
			return nil
		}
		if n.Folio > 0 || now.Version != base {
			by, err := t.StaffByID(now.SavedBy)
			if err != nil && !store.IsNotFound(err) {
				return err
			}
			out = Saved{Version: now.Version, SavedAt: a.Say(now.SavedAt), Stale: true,
				Now: &PartView{Part: string(part), Text: now.Text, Version: now.Version, SavedAt: a.Say(now.SavedAt), SavedBy: by.Name()}}
			if now.Text == text {
				return nil // both wrote the same; nothing to keep
			}
			t.Tell(act.NoteEvent, id, n.PatientID)
			return t.AddConflict(store.Conflict{ID: act.NewID(), NoteID: id, Part: part, Text: text, BaseVersion: base, SaveID: saveID, At: t.Now,
				By: who.ID})
		}
		p := store.Part{Part: part, Text: text, Version: base + 1, SaveID: saveID, SavedAt: t.Now, SavedBy: who.ID}
		if err := t.Q.SavePart(id, p); err != nil {
			return err
		}
		out = Saved{Version: p.Version, SavedAt: a.Say(p.SavedAt)}
		t.Tell(act.NoteEvent, id, n.PatientID)
		return t.Audit("save note", n.PatientID, id, string(part))
	})
	return out, err
}

// SettleConflict marks a kept text as decided.
func (a *Acts) SettleConflict(ctx context.Context, who act.Actor, noteID, conflict string) error {
	return a.Act(ctx, who, act.WriteNote, func(t *act.Tx) error {
		n, err := t.NoteByID(noteID)
		if err != nil {
			return act.NotFound(err, "note")
		}
		if n.Folio > 0 {
			return act.Refuse(act.Conflict, "The note is signed. Write an amendment instead.")
		}
		if err := t.Q.SettleConflict(noteID, conflict, t.Now); err != nil {
			return act.NotFound(err, "kept text")
		}
		t.Tell(act.NoteEvent, noteID, n.PatientID)
		return t.Audit("settle two versions", n.PatientID, noteID, "")
	})
}

// SetDiagnoses replaces the visit's diagnoses, first-listed first.
func (a *Acts) SetDiagnoses(ctx context.Context, who act.Actor, id string, codes []string, version int) error {
	return a.Act(ctx, who, act.WriteNote, func(t *act.Tx) error {
		n, err := t.NoteByID(id)
		if err != nil {
			return act.NotFound(err, "note")
		}
		if n.Folio > 0 {
			return act.Refuse(act.Conflict, "The note is signed. Write an amendment instead.")
		}
		v, err := t.VisitByID(n.VisitID)
		if err != nil {
			return err
		}
		seen := map[string]bool{}
		var ds []note.Diagnosis
		for _, c := range codes {
			e, edition, _, err := a.CheckCode(c, v.Day)
			if err != nil {
				return err
			}
			if seen[e.Code] {
				return act.Refuse(act.Invalid, "%s stands on the list already.", e.Code)
			}
			seen[e.Code] = true
			ds = append(ds, note.Diagnosis{Code: e.Code, Title: e.Title, Edition: edition})
		}
		if err := t.Q.SetDiagnoses(id, ds, version); err != nil {
			return act.Stale(err, "The list of diagnoses")
		}
		t.Tell(act.NoteEvent, id, n.PatientID)
		return t.Audit("set diagnoses", n.PatientID, id, "")
	})
}

// SignNote seals the note as the signer saw it: versions holds the version of
// every part, listVersion that of the diagnoses, and seen the fingerprint of the
// whole text ("" where the signer is no screen).
func (a *Acts) SignNote(ctx context.Context, who act.Actor, id, secret string, versions map[string]int, listVersion int,
	seen string) (folio int, err error) {
	if err := act.Allow(who, act.SignNote); err != nil {
		return 0, err
	}
	if err := a.OpenSigning(ctx, &who, secret); err != nil {
		return 0, err
	}
	l, err := a.Forms.Current()
	if err != nil {
		return 0, err
	}
	err = a.Act(ctx, who, act.SignNote, func(t *act.Tx) error {
		n, err := t.NoteByID(id)
		if err != nil {
			return act.NotFound(err, "note")
		}
		if n.Folio > 0 {
			folio = n.Folio
			return nil // signed already: the answer to a repeated act is the same folio
		}
		v, err := t.VisitByID(n.VisitID)
		if err != nil {
			return err
		}
		at, err := a.Assess.CaseOf(t.Q, n, v)
		if err != nil {
			return err
		}
		for _, p := range at.Parts {
			if p.Version != versions[string(p.Part)] {
				return act.Stale(store.ErrStale, "The note")
			}
		}
		if n.ListVersion != listVersion {
			return act.Stale(store.ErrStale, "The list of diagnoses")
		}
		if len(at.Conflicts) > 0 {
			return act.Refuse(act.Invalid, "Two versions of the %s wait for a decision. Settle that first.", at.Conflicts[0].Part)
		}
		d, ds := a.draft(at, l), at.Diagnoses
		blocks := l.Systems.Compose(d)
		if seal := Fingerprint(blocks); seen != "" && seal != seen {
			return act.Stale(store.ErrStale, "The note")
		}
		for _, p := range l.Systems.Close(d, len(ds), l.Kind(v.Kind)) {
			if p.Stops {
				return act.Refuse(act.Invalid, "The note cannot be signed yet: %s.", strings.ToLower(p.Says[:1])+strings.TrimSuffix(p.Says[1:], "."))
			}
		}
		advice, err := a.Assess.Advise(at)
		if err != nil {
			return err
		}
		for _, p := range assess.AdvicePoints(advice) {
			if p.Stops {
				return act.Refuse(act.Invalid, "The note cannot be signed yet: %s.", p.Says)
			}
		}
		share := note.Measure(blocks)
		c := note.Content{Patient: v.Patient.Name.Given + " " + v.Patient.Name.Family, Record: v.Patient.Record, BirthDate: v.Patient.BirthDate,
			Kind: v.Kind, Visit: a.Say(v.StartsAt), Reason: v.Reason, Parts: d.Typed, Diagnoses: ds, Blocks: blocks, Findings: d.Findings,
			Share: &share, Overridden: assess.Overridden(advice)}
		if began := cmp.Or(n.BeganID, n.AuthorID); began != who.ID {
			names, err := t.StaffNames()
			if err != nil {
				return err
			}
			c.Began = names[began]
		}
		if at.Charges.Version > 0 {
			c.Charges, c.Level = at.Charges.Lines, &at.Charges.Facts
		}
		for _, x := range d.Interviews {
			c.Interviews = append(c.Interviews, note.SealedAnswers{Interview: x.Interview.ID, Version: x.Interview.Version, Answers: x.Answers})
		}
		for _, x := range at.Drawings {
			c.Drawings = append(c.Drawings, note.Drawing{Caption: x.Caption, SVG: x.SVG})
		}
		e, err := t.Seal(n.PatientID, "note", id, 0, c)
		if err != nil {
			return err
		}
		folio = e.Folio
		if err := t.Q.SignNote(id, folio); err != nil {
			return err
		}
		if err := t.CloseLine(line.Note, id, who.ID, "signed", t.Now); err != nil {
			return err
		}
		if err := t.SetStage(v.ID, visit.Done, "", t.Now, v.Version); err != nil {
			return err
		}
		t.Tell(act.NoteEvent, id, n.PatientID)
		t.Tell(act.VisitEvent, v.ID, n.PatientID)
		t.Tell(act.LineEvent, id, n.PatientID)
		return t.Audit("sign note", n.PatientID, id, "")
	})
	return folio, err
}

// Amend seals a dated amendment after a signed note; the original stays.
func (a *Acts) Amend(ctx context.Context, who act.Actor, id, secret, text string) (folio int, err error) {
	if err := act.Allow(who, act.SignNote); err != nil {
		return 0, err
	}
	if strings.TrimSpace(text) == "" {
		return 0, act.Refuse(act.Invalid, "Write what is to be added.")
	}
	if len(text) > note.MaxPart {
		return 0, act.Refuse(act.TooLarge, "The amendment is too long.")
	}
	if err := a.OpenSigning(ctx, &who, secret); err != nil {
		return 0, err
	}
	err = a.Act(ctx, who, act.SignNote, func(t *act.Tx) error {
		n, err := t.NoteByID(id)
		if err != nil {
			return act.NotFound(err, "note")
		}
		if n.Folio == 0 {
			return act.Refuse(act.Conflict, "The note is not signed yet: change it directly.")
		}
		sealed := amendment{Text: text}
		if n.AuthorID != who.ID {
			names, err := t.StaffNames()
			if err != nil {
				return err
			}
			sealed.Author = names[n.AuthorID]
		}
		e, err := t.Seal(n.PatientID, "amendment", id, n.Folio, sealed)
		if err != nil {
			return err
		}
		folio = e.Folio
		t.Tell(act.NoteEvent, id, n.PatientID)
		return t.Audit("amend note", n.PatientID, id, "")
	})
	return folio, err
}
