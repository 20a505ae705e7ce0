package paper

import (
	"cmp"
	"context"
	"strings"

	"deftledger/app/act"
	notes "deftledger/app/note"
	"deftledger/core/note"
	"deftledger/core/outside"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// document lays out a signed note, or one section of a note, for paper.
func (a *Acts) document(v notes.NoteView, section string) (pdf.Document, error) {
	p := v.Visit.Patient
	d := pdf.Document{
		Practice: a.Practice, Title: v.Visit.Kind, Subtitle: v.Visit.Reason,
		Patient: p.Given + " " + p.Family, Identity: "born " + p.BirthDate + ", " + p.Sex + ", record " + p.Record,
		Visit: v.Visit.StartsAt,
	}
	entries := append([]notes.SealedView{*v.Sealed}, v.Amendments...)
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
			return d, act.Refuse(act.Missing, "The note has no section %q.", section)
		}
		d.Entries = append(d.Entries, b)
	}
	return d, nil
}

// carriedWords names, for readers on paper, the sentences that were carried from
// earlier visits, by their source.
func carriedWords(v notes.NoteView, e notes.SealedView) string {
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
func (a *Acts) NotePDF(ctx context.Context, who act.Actor, id, section string) (out []byte, err error) {
	v, err := a.Note.Note(ctx, who, id)
	if err != nil {
		return nil, err
	}
	if v.Sealed == nil && section == "" {
		return nil, act.Refuse(act.Conflict, "The note is not signed yet; only a signed note is printed.")
	}
	d, err := a.sectionOr(v, section)
	if err != nil {
		return nil, err
	}
	out, err = pdf.Render(d)
	if err == nil {
		err = a.Write(ctx, who, func(t *act.Tx) error { return t.Audit("print note", v.Visit.Patient.ID, id, section) })
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
func (a *Acts) sectionOr(v notes.NoteView, section string) (pdf.Document, error) {
	if v.Sealed != nil {
		return a.document(v, section)
	}
	v.Sealed = &notes.SealedView{}
	var ds []note.Diagnosis
	for _, d := range v.Diagnoses {
		ds = append(ds, note.Diagnosis{Code: d.Code, Title: d.Title})
	}
	for _, s := range note.Read(v.Blocks, ds) {
		v.Sealed.Sections = append(v.Sealed.Sections, notes.SectionView(s))
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
// under its signature; of a draft as it reads now, signed by itself if wanted. seen is the
// fingerprint of the text that the signer read; what reads otherwise by now is not signed.
func (a *Acts) FileSection(ctx context.Context, who act.Actor, id, section string, sign bool, secret, seen string) (out DocumentView, err error) {
	if err := act.Allow(who, act.SeeChart); err != nil {
		return out, err
	}
	if section == "" {
		return out, act.Refuse(act.Invalid, "Choose the section.")
	}
	v, err := a.Note.Note(ctx, who, id)
	if err != nil {
		return out, err
	}
	sign = sign && v.Sealed == nil
	if sign {
		if err := act.Allow(who, act.SignNote); err != nil {
			return out, err
		}
		if seen != v.Reads {
			return out, act.Stale(store.ErrStale, "The note")
		}
		for _, b := range v.Blocks {
			for _, p := range b.Pieces {
				if !p.Looked && b.Part.Heading() == section {
					return out, act.Refuse(act.Invalid, "%s holds carried text that nobody looked at. Look at it first.", section)
				}
			}
		}
		if err := a.OpenSigning(ctx, &who, secret); err != nil {
			return out, err
		}
	}
	d, err := a.sectionOr(v, section)
	if err != nil {
		return out, err
	}
	doc := store.Document{ID: act.NewID(), PatientID: v.Visit.Patient.ID, NoteID: id, Title: section + ", " + v.Visit.Kind, MadeBy: who.ID,
		MadeAt: a.Clock()}
	if v.Sealed != nil {
		doc.Folio = v.Sealed.Folio
	}
	err = a.Act(ctx, who, act.WriteNote, func(t *act.Tx) error {
		if now, err := a.Note.Reads(t.Q, id); err != nil || now != v.Reads {
			return cmp.Or(err, act.Stale(store.ErrStale, "The note"))
		}
		if sign {
			e, err := t.Seal(doc.PatientID, "document", doc.ID, 0, sealedSection{id, section, d.Entries[0].Sections[0].Text})
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
		t.Tell(act.PatientEvent, doc.PatientID, doc.PatientID)
		return t.Audit("file section", doc.PatientID, doc.ID, section)
	})
	return DocumentView{ID: doc.ID, Title: doc.Title, At: a.Say(doc.MadeAt), By: who.Name, Folio: doc.Folio}, err
}

// Document returns a filed document as PDF.
func (a *Acts) Document(ctx context.Context, who act.Actor, id string) (out []byte, err error) {
	var patient string
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		d, err := q.DocumentByID(id)
		out, patient = d.PDF, d.PatientID
		return act.NotFound(err, "document")
	})
	if err == nil {
		err = a.Saw(ctx, who, "open document", patient, id)
	}
	return out, err
}

// DocumentsIn lists documents, with how their last fax stands.
func (a *Acts) DocumentsIn(q *store.Q, ids []string) ([]DocumentView, error) {
	out := []DocumentView{}
	names, err := q.StaffNames()
	if err != nil {
		return out, err
	}
	ds, err := q.DocumentsIn(ids)
	if err != nil {
		return out, err
	}
	faxes, err := q.FaxesWith(ids)
	for _, d := range ds {
		v := DocumentView{ID: d.ID, Title: d.Title, At: a.Say(d.MadeAt), By: names[d.MadeBy], Folio: d.Folio}
		for _, f := range faxes {
			if f.DocumentID == d.ID {
				v.Fax = string(f.State) + ", " + f.Number
				if f.State == outside.Settled {
					v.Fax += ": " + f.Settled
				} else if f.State != outside.Sent && f.LastError != "" {
					v.Fax += ": " + f.LastError
				}
				break
			}
		}
		out = append(out, v)
	}
	return out, err
}
