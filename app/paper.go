package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"
	"strings"

	"deftledger/core/note"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// Fingerprint names the exact text of a note, so that what is signed is what the
// signer saw.
func Fingerprint(blocks []note.Block) string {
	body, _ := json.Marshal(blocks)
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:16])
}

// ClosingView is the closing list of a draft, with the fingerprint of the text it
// was made from.
type ClosingView struct {
	Points []note.Point `json:"points"`
	Seen   string       `json:"seen"`
	Share  note.Share   `json:"share"`
}

// ClosingList reads a draft as it would be signed.
func (a *App) ClosingList(ctx context.Context, who Actor, id string) (out ClosingView, err error) {
	l, err := a.formSet()
	if err != nil {
		return out, err
	}
	out.Points = []note.Point{}
	err = a.look(ctx, who, WriteNote, func(q *store.Q) error {
		_, v, d, err := a.opened(q, id, l)
		if err != nil {
			return err
		}
		ds, err := q.Diagnoses(id)
		if err != nil {
			return err
		}
		blocks := l.systems.Compose(d)
		n, err := q.NoteByID(id)
		if err != nil {
			return err
		}
		advice, err := a.advise(q, n, v, ds)
		if err != nil {
			return err
		}
		out.Points = append(out.Points, append(l.systems.Close(d, len(ds), l.kind(v.Kind)), advicePoints(advice)...)...)
		unkept, err := a.unkept(q, n, v, blocks)
		if err != nil {
			return err
		}
		unspoken, err := a.unspoken(q, v, ds, blocks)
		if err != nil {
			return err
		}
		charges, err := a.charges(q, id)
		if err != nil {
			return err
		}
		for _, doubt := range charges.Doubts {
			unkept = append(unkept, note.Point{Kind: "charges", Part: note.Assessment, Says: doubt, Why: "Of the charges of this visit", Ref: "charges"})
		}
		out.Points = append(out.Points, append(unspoken, unkept...)...)
		slices.SortStableFunc(out.Points, func(x, y note.Point) int { return rankStop(y.Stops) - rankStop(x.Stops) })
		out.Seen, out.Share = Fingerprint(blocks), note.Measure(blocks)
		return nil
	})
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
func (a *App) Retract(ctx context.Context, who Actor, id, secret, reason, belongs string) error {
	if err := may(who, SignNote); err != nil {
		return err
	}
	if strings.TrimSpace(reason) == "" || len(reason) > 2000 {
		return refuse(422, "Say why the note is retracted.")
	}
	if err := a.openSigning(ctx, &who, secret); err != nil {
		return err
	}
	return a.act(ctx, who, SignNote, func(t *tx) error {
		n, err := t.NoteByID(id)
		switch {
		case err != nil:
			return notFound(err, "note")
		case n.Folio == 0:
			return refuse(409, "The note is not signed: take its text out, or leave it.")
		case n.Retracted > 0:
			return nil // retracted already: the same act again changes nothing
		case belongs == n.PatientID:
			return refuse(422, "That is the chart the note stands in. Choose the one it belongs to.")
		}
		r := retraction{Reason: strings.TrimSpace(reason)}
		if belongs != "" {
			p, err := t.PatientByID(belongs)
			if err != nil {
				return notFound(err, "patient")
			}
			r.Record = p.Record
		}
		e, err := t.seal(n.PatientID, "retraction", id, n.Folio, r)
		if err != nil {
			return err
		}
		if err := t.Q.Retract(id, e.Folio, belongs); err != nil {
			return err
		}
		t.tell("note", id, n.PatientID)
		t.tell("patient", n.PatientID, n.PatientID)
		if belongs != "" {
			t.tell("patient", belongs, belongs)
			if err := t.audit("note retracted elsewhere belongs here", belongs, id, ""); err != nil {
				return err
			}
		}
		return t.audit("retract note", n.PatientID, id, "")
	})
}

// document lays out a signed note, or one section of a note, for paper.
func (a *App) document(v NoteView, section string) (pdf.Document, error) {
	p := v.Visit.Patient
	d := pdf.Document{
		Practice: a.Practice, Title: v.Visit.Kind, Subtitle: v.Visit.Reason,
		Patient: p.Given + " " + p.Family, Identity: "born " + p.BirthDate + ", " + p.Sex + ", record " + p.Record,
		Visit: v.Visit.StartsAt,
	}
	entries := append([]SealedView{*v.Sealed}, v.Amendments...)
	if section != "" {
		d.Title = section
		entries = entries[:1]
	}
	if v.Retracted != nil {
		d.Mark = "Retracted: " + v.Retracted.Reason
	}
	for _, e := range entries {
		b := pdf.Entry{Folio: e.Folio, SignedBy: e.SignedBy, SignedAt: e.SignedAt, Hash: e.Hash}
		for _, s := range e.Sections {
			if section == "" || s.Heading == section {
				b.Sections = append(b.Sections, pdf.Section(s))
			}
		}
		if carried := carriedWords(v, e); carried != "" && section == "" {
			b.Sections = append(b.Sections, pdf.Section{Heading: "Carried from earlier visits", Text: carried})
		}
		if section == "" || section == note.Objective.Heading() {
			for _, x := range e.Drawings {
				b.Drawings = append(b.Drawings, pdf.Drawing(x))
			}
		}
		if section != "" && len(b.Sections) == 0 {
			return d, refuse(404, "The note has no section %q.", section)
		}
		d.Entries = append(d.Entries, b)
	}
	return d, nil
}

// carriedWords names, for readers on paper, the sentences that were carried from
// earlier visits, by their source.
func carriedWords(v NoteView, e SealedView) string {
	words := map[string]string{}
	for _, s := range v.Sources {
		words[s.Note] = s.Words
	}
	var lines []string
	for _, b := range e.Blocks {
		for _, p := range b.Pieces {
			if p.Origin != note.Carried {
				continue
			}
			from := words[p.Source]
			if from == "" {
				from = "an earlier visit"
			}
			text := p.Text
			if b.Label != "" {
				text = b.Label + ": " + text
			}
			lines = append(lines, strings.ToUpper(from[:1])+from[1:]+": "+text)
		}
	}
	return strings.Join(lines, "\n")
}

// NotePDF renders a signed note with its amendments, or one section of it alone.
func (a *App) NotePDF(ctx context.Context, who Actor, id, section string) (out []byte, err error) {
	v, err := a.Note(ctx, who, id)
	if err != nil {
		return nil, err
	}
	if v.Sealed == nil && section == "" {
		return nil, refuse(409, "The note is not signed yet; only a signed note is printed.")
	}
	d, err := a.sectionOr(v, section)
	if err != nil {
		return nil, err
	}
	out, err = pdf.Render(d)
	if err == nil {
		err = a.write(ctx, who, func(t *tx) error { return t.audit("print note", v.Visit.Patient.ID, id, section) })
	}
	return out, err
}

// DocumentView is a filed document.
type DocumentView struct {
	ID    string `json:"id"`
	Title string `json:"title"`
	At    string `json:"at"`
	By    string `json:"by"`
	Folio int    `json:"folio"`
	Fax   string `json:"fax" doc:"How its last fax stands, with the number; empty when none was sent"`
}

// sectionOr lays out a signed note or one section of it; of a draft, one section as
// it reads now, marked as not signed.
func (a *App) sectionOr(v NoteView, section string) (pdf.Document, error) {
	if v.Sealed != nil {
		return a.document(v, section)
	}
	v.Sealed = &SealedView{}
	var ds []note.Diagnosis
	for _, d := range v.Diagnoses {
		ds = append(ds, note.Diagnosis{Code: d.Code, Title: d.Title})
	}
	for _, s := range note.Read(v.Blocks, ds) {
		v.Sealed.Sections = append(v.Sealed.Sections, SectionView(s))
	}
	for _, x := range v.Drawings {
		v.Sealed.Drawings = append(v.Sealed.Drawings, note.Drawing{Caption: x.Caption, SVG: x.SVG})
	}
	d, err := a.document(v, section)
	d.Mark = "Not signed"
	return d, err
}

// sealedSection is the sealed content of one section signed as a document.
type sealedSection struct {
	Note    string `json:"note"`
	Heading string `json:"heading"`
	Text    string `json:"text"`
}

// FileSection files one section of a note as a document of its own: of a signed note
// under its signature; of a draft as it reads now, signed by itself if wanted.
func (a *App) FileSection(ctx context.Context, who Actor, id, section string, sign bool, secret string) (out DocumentView, err error) {
	if section == "" {
		return out, refuse(422, "Choose the section.")
	}
	v, err := a.Note(ctx, who, id)
	if err != nil {
		return out, err
	}
	sign = sign && v.Sealed == nil
	if sign {
		if err := may(who, SignNote); err != nil {
			return out, err
		}
		for _, b := range v.Blocks {
			for _, p := range b.Pieces {
				if !p.Looked && b.Part.Heading() == section {
					return out, refuse(422, "%s holds carried text that nobody looked at. Look at it first.", section)
				}
			}
		}
		if err := a.openSigning(ctx, &who, secret); err != nil {
			return out, err
		}
	}
	d, err := a.sectionOr(v, section)
	if err != nil {
		return out, err
	}
	doc := store.Document{ID: newID(), PatientID: v.Visit.Patient.ID, NoteID: id, Title: section + ", " + v.Visit.Kind, MadeBy: who.ID, MadeAt: a.Clock()}
	if v.Sealed != nil {
		doc.Folio = v.Sealed.Folio
	}
	err = a.act(ctx, who, WriteNote, func(t *tx) error {
		if sign {
			e, err := t.seal(doc.PatientID, "document", doc.ID, 0, sealedSection{id, section, d.Entries[0].Sections[0].Text})
			if err != nil {
				return err
			}
			d.Mark, doc.Folio = "", e.Folio
			d.Entries[0].Folio, d.Entries[0].SignedBy, d.Entries[0].SignedAt, d.Entries[0].Hash = e.Folio, e.SignerName, e.SignedAt, e.Hash
		}
		if doc.PDF, err = pdf.Render(d); err != nil {
			return err
		}
		if err := t.AddDocument(doc); err != nil {
			return err
		}
		t.tell("patient", doc.PatientID, doc.PatientID)
		return t.audit("file section", doc.PatientID, doc.ID, section)
	})
	return DocumentView{ID: doc.ID, Title: doc.Title, At: a.say(doc.MadeAt), By: who.Name, Folio: doc.Folio}, err
}

// Document returns a filed document as PDF.
func (a *App) Document(ctx context.Context, who Actor, id string) (out []byte, err error) {
	var patient string
	err = a.look(ctx, who, SeeChart, func(q *store.Q) error {
		d, err := q.DocumentByID(id)
		out, patient = d.PDF, d.PatientID
		return notFound(err, "document")
	})
	if err == nil {
		err = a.write(ctx, who, func(t *tx) error { return t.audit("open document", patient, id, "") })
	}
	return out, err
}

func (a *App) documents(q *store.Q, patient string) ([]DocumentView, error) {
	out := []DocumentView{}
	names, err := a.names(q)
	if err != nil {
		return out, err
	}
	ds, err := q.DocumentsOf(patient)
	if err != nil {
		return out, err
	}
	faxes, err := q.FaxesOf(patient)
	for _, d := range ds {
		v := DocumentView{ID: d.ID, Title: d.Title, At: a.say(d.MadeAt), By: names[d.MadeBy], Folio: d.Folio}
		for _, f := range faxes {
			if f.DocumentID == d.ID {
				v.Fax = f.State + ", " + f.Number
				if f.State == "settled" {
					v.Fax += ": " + f.Settled
				} else if f.State != "sent" && f.LastError != "" {
					v.Fax += ": " + f.LastError
				}
				break
			}
		}
		out = append(out, v)
	}
	return out, err
}
