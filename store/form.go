package store

import (
	"encoding/json"
	"time"

	"deftledger/core/outside"
)

// Form is one version of a form of the clinic (OwnerID "") or of a person.
type Form struct {
	Kind, ID    string
	Version     int
	OwnerID     string
	Body, Prose string
	Retired     bool
	ByID        string
	At          time.Time
}

// Forms lists every version of every form, oldest first.
func (q *Q) Forms() ([]Form, error) {
	return list(q, func(s scanner, f *Form) error {
		var at string
		err := s.Scan(&f.Kind, &f.ID, &f.Version, &f.OwnerID, &f.Body, &f.Prose, &f.Retired, &f.ByID, &at)
		f.At = Moment(at)
		return err
	}, "SELECT kind, id, version, owner_id, body, prose, retired, by_id, at FROM form ORDER BY kind, id, owner_id, version")
}

// AddForm stores a new version; ErrStale when that version is there already.
func (q *Q) AddForm(f Form) error {
	return q.fresh("INSERT INTO form(kind, id, version, owner_id, body, prose, retired, by_id, at) VALUES (?,?,?,?,?,?,?,?,?) ON "+
		"CONFLICT DO NOTHING", f.Kind, f.ID, f.Version, f.OwnerID, f.Body, f.Prose, flag(f.Retired), f.ByID, Stamp(f.At))
}

// OwnWords lists the words a person, or the clinic, added to the dictionary.
func (q *Q) OwnWords(staff string) ([]string, error) {
	return list(q, scalar[string], "SELECT DISTINCT word FROM own_word WHERE staff_id IN (?, '') ORDER BY word", staff)
}

// AddOwnWord adds one.
func (q *Q) AddOwnWord(staff, word string) error {
	return q.do("INSERT INTO own_word(staff_id, word) VALUES (?,?) ON CONFLICT DO NOTHING", staff, word)
}

// Document is a filed document.
type Document struct {
	ID, PatientID, NoteID, Title string
	PDF                          []byte
	Folio                        int
	MadeBy                       string
	MadeAt                       time.Time
	Form                         string // what it was written from, such as "letter referral"
}

// AddDocument files a document.
func (q *Q) AddDocument(d Document) error {
	return q.do("INSERT INTO document(id, patient_id, note_id, title, pdf, folio, made_by, made_at, form) VALUES (?,?,?,?,?,?,?,?,?)", d.ID,
		d.PatientID, d.NoteID, d.Title, d.PDF, d.Folio, d.MadeBy, Stamp(d.MadeAt), d.Form)
}

func scanDocument(s scanner, d *Document) error {
	var at string
	err := s.Scan(&d.ID, &d.PatientID, &d.NoteID, &d.Title, &d.Folio, &d.MadeBy, &at, &d.Form)
	d.MadeAt = Moment(at)
	return err
}

// DocumentsOf lists a patient's documents without their content, newest first.
func (q *Q) DocumentsOf(patient string) ([]Document, error) {
	return list(q, scanDocument, "SELECT id, patient_id, note_id, title, folio, made_by, made_at, form FROM document WHERE patient_id "+
		samePerson+" ORDER BY made_at DESC", patient)
}

// DocumentHead finds a document without its content.
func (q *Q) DocumentHead(id string) (Document, error) {
	return about(q, func(d Document) string { return d.PatientID })(one(q, scanDocument,
		"SELECT id, patient_id, note_id, title, folio, made_by, made_at, form FROM document WHERE id = ?", id))
}

// DocumentByID finds a document with its content.
func (q *Q) DocumentByID(id string) (Document, error) {
	d, err := q.DocumentHead(id)
	if err != nil {
		return d, err
	}
	d.PDF, err = one(q, scalar[[]byte], "SELECT pdf FROM document WHERE id = ?", id)
	return d, err
}

// Fax is a document on its way out. ID stays the same however often it is sent.
type Fax struct {
	ID, DocumentID, Number string
	State                  outside.Sending
	LastError, ByID        string
	At, DoneAt             time.Time
	Settled                string // how a refused one was settled
}

func scanFax(s scanner, f *Fax) error {
	var at, done string
	err := s.Scan(&f.ID, &f.DocumentID, &f.Number, &f.State, &f.LastError, &f.ByID, &at, &done, &f.Settled)
	f.At, f.DoneAt = Moment(at), Moment(done)
	return err
}

const faxCols = "f.id, f.document_id, f.number, f.state, f.last_error, f.by_id, f.at, f.done_at, f.settled"

// AddFax puts a document in the way out.
func (q *Q) AddFax(f Fax, by string) error {
	return q.do("INSERT INTO fax(id, document_id, number, state, next_at, by_id, at) VALUES (?,?,?,'waiting',?,?,?)", f.ID, f.DocumentID,
		f.Number, Stamp(f.At), by, Stamp(f.At))
}

// FaxesIn lists faxes by id.
func (q *Q) FaxesIn(ids []string) ([]Fax, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanFax, "SELECT "+faxCols+" FROM fax f WHERE f.id IN (SELECT value FROM json_each(?))", string(all))
}

// FaxByID finds a fax.
func (q *Q) FaxByID(id string) (Fax, error) {
	return one(q, scanFax, "SELECT "+faxCols+" FROM fax f WHERE id = ?", id)
}

// SetFax records how sending went.
func (q *Q) SetFax(id string, state outside.Sending, problem string, done time.Time) error {
	return q.do("UPDATE fax SET state = ?, last_error = ?, done_at = ? WHERE id = ?", state, problem, Stamp(done), id)
}
