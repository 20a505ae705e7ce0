package store

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"deftledger/core/chart"
)

// RegistrationVersion is a registration as somebody stated it. One without By is what was
// known of the person before the first change.
type RegistrationVersion struct {
	ID, PatientID string
	Version       int
	Content       chart.Registration
	Reason, By    string
	At            time.Time
}

func scanRegistration(s scanner, r *RegistrationVersion) error {
	var content, at string
	if err := s.Scan(&r.ID, &r.PatientID, &r.Version, &content, &r.Reason, &r.By, &at); err != nil {
		return err
	}
	r.At = Moment(at)
	return json.Unmarshal([]byte(content), &r.Content)
}

const registrationCols = "id, patient_id, version, content, reason, by_id, at"

// AddRegistration stores the next version of a registration; ErrStale where that version is
// there already. The row of the patient is brought along by SetPatient.
func (q *Q) AddRegistration(r RegistrationVersion) error {
	content, err := json.Marshal(r.Content)
	if err != nil {
		return err
	}
	at := ""
	if !r.At.IsZero() {
		at = Stamp(r.At)
	}
	n, err := q.exec("INSERT INTO registration("+registrationCols+") VALUES (?,?,?,?,?,?,?) ON CONFLICT DO NOTHING", r.ID, r.PatientID, r.Version,
		string(content), r.Reason, r.By, at)
	if err == nil && n == 0 {
		return ErrStale
	}
	return err
}

// Registrations lists the versions of a record's registration, the newest first.
func (q *Q) Registrations(patient string) ([]RegistrationVersion, error) {
	return list(q, scanRegistration, "SELECT "+registrationCols+" FROM registration WHERE patient_id = ? ORDER BY version DESC", patient)
}

// Registration is the newest registration of a person; ok is false where there is none.
func (q *Q) Registration(patient string) (r chart.Registration, ok bool, err error) {
	all, err := list(q, scanRegistration, "SELECT "+registrationCols+" FROM registration WHERE patient_id = (SELECT person_id FROM patient WHERE id = ?) "+
		"ORDER BY version DESC LIMIT 1", patient)
	if err != nil || len(all) == 0 {
		return r, false, err
	}
	return all[0].Content, true, nil
}

// died reads when a person died, by the newest registration; no row for who is alive as far as known.
func died(patient string) rows[string] {
	return rows[string]{cols: "died", from: `(SELECT r.content ->> '$.died' AS died FROM registration r WHERE r.patient_id = (SELECT person_id FROM patient WHERE id = ?) ORDER BY r.version DESC LIMIT 1)`,
		order: "1", args: []any{patient}, scan: func(s scanner, d *string) error {
			var at *string
			err := s.Scan(&at)
			if at != nil {
				*d = *at
			}
			return err
		}}
}

// SetPatient brings the row of a patient, and what the finder looks through, up to a
// registration. Names of former versions stay findable.
func (q *Q) SetPatient(p chart.Patient, r chart.Registration) error {
	before, err := q.Registrations(p.ID)
	if err != nil {
		return err
	}
	for _, v := range before { // who had another name is still found by it
		r.Former = append(slices.Clone(r.Former), v.Content.Given+" "+v.Content.Family)
	}
	words := registeredWords(p, r)
	was, err := one(q, scalar[string], "SELECT record FROM patient WHERE id = ?", p.ID)
	if err != nil {
		return err
	}
	if err := q.must("UPDATE patient SET family = ?, given = ?, middle = ?, birth_date = ?, sex = ?, phone = ?, uses_portal = ?, words = ? WHERE id = ?",
		p.Name.Family, p.Name.Given, p.Name.Middle, p.BirthDate, p.Sex, p.Phone, p.UsesPortal, words, p.ID); err != nil {
		return err
	}
	// The index has no key of its own but its words: the record number leads to the row.
	if err := q.do(`DELETE FROM patient_search WHERE rowid IN (SELECT rowid FROM patient_search WHERE patient_search MATCH ? AND patient_id = ?)`,
		`"`+strings.ReplaceAll(chart.Plain(was), `"`, `""`)+`"`, p.ID); err != nil {
		return err
	}
	return q.index(p.ID, words)
}

// registeredWords is what the finder looks through of somebody with a registration: every
// name and every telephone.
func registeredWords(p chart.Patient, r chart.Registration) string {
	more := append([]string{searched(p), r.InUse}, r.Former...)
	for _, t := range r.Telephones {
		more = append(more, t.Number, onlyDigits(t.Number))
	}
	return chart.Plain(strings.Join(more, " "))
}

// recordCounter is the setting that holds the last record number given.
const recordCounter = "record number"

// NextRecord gives the next record number: the prefix, and a number higher than any before.
func (q *Q) NextRecord(prefix string) (string, error) {
	last, err := q.Setting(recordCounter)
	if err != nil {
		return "", err
	}
	n, _ := strconv.Atoi(last)
	if last == "" {
		if n, err = one(q, scalar[int], "SELECT coalesce(max(CAST(substr(record, length(?1) + 2) AS INTEGER)), 10000) FROM patient WHERE record GLOB ?1 || '-[0-9]*'",
			prefix); err != nil {
			return "", err
		}
	}
	for {
		n++
		record := fmt.Sprintf("%s-%05d", prefix, n)
		taken, err := one(q, scalar[int], "SELECT count(*) FROM patient WHERE record = ?", record)
		if err != nil {
			return "", err
		}
		if taken == 0 {
			return record, q.SetSetting(recordCounter, strconv.Itoa(n))
		}
	}
}

// IdentityAt is the registration of a record that stood at a moment; ok is false where none
// did, or the present one did.
func (q *Q) IdentityAt(patient string, at time.Time) (r chart.Registration, ok bool, err error) {
	all, err := q.Registrations(patient)
	if err != nil || len(all) < 2 {
		return r, false, err
	}
	for i, v := range all {
		if !v.At.After(at) {
			return v.Content, i > 0, nil
		}
	}
	return r, false, nil
}

// HandedSince lists when notes of a person went to billing since a moment.
func (q *Q) HandedSince(patient string, at time.Time) ([]time.Time, error) {
	return list(q, func(s scanner, t *time.Time) error {
		var text string
		err := s.Scan(&text)
		*t = Moment(text)
		return err
	}, "SELECT h.at FROM handed_to_billing h JOIN note n ON n.id = h.note_id WHERE n.patient_id "+samePerson+" AND h.at >= ? ORDER BY h.at", patient, Stamp(at))
}
