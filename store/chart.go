package store

import "time"

// Allergy is a recorded allergy; an empty Substance is the statement that none is known.
type Allergy struct {
	ID, PatientID, Substance, Reaction, Severity string
	StatedAt                                     time.Time
	StatedBy, Source                             string
}

// Medicine is a medicine of the active list. Dose is the whole instruction as text.
type Medicine struct {
	ID, PatientID, Name, Dose, Started, Stopped, Source, AddedBy string
	AddedAt                                                      time.Time
}

// Problem is an entry of the problem list.
type Problem struct {
	ID, PatientID, Code, Title string
	Since, Ended               string // days on which it came on and off the list
	Onset, State               string // since when it is known (year, month or day), how it stands
}

// Vital is one measurement, its unit in UCUM.
type Vital struct {
	ID, PatientID, LOINC, Name, Value, Unit string
	TakenAt                                 time.Time
	VisitID, Entered, ByID                  string
	Origin                                  string // typed or device
}

// AddAllergy stores an allergy or the statement that none is known.
func (q *Q) AddAllergy(a Allergy) error {
	return q.do("INSERT INTO allergy(id, patient_id, substance, reaction, severity, stated_at, stated_by, source) VALUES (?,?,?,?,?,?,?,?)", a.ID, a.PatientID, a.Substance, a.Reaction, a.Severity, Stamp(a.StatedAt), a.StatedBy, a.Source)
}

// Allergies lists a patient's allergies, severe first, or the one statement that
// none is known. Of merged records one may have said so: an allergy outweighs it.
func (q *Q) Allergies(patient string) ([]Allergy, error) {
	all, err := list(q, func(s scanner, a *Allergy) error {
		var at string
		err := s.Scan(&a.ID, &a.PatientID, &a.Substance, &a.Reaction, &a.Severity, &at, &a.StatedBy, &a.Source)
		a.StatedAt = Moment(at)
		return err
	}, "SELECT id, patient_id, substance, reaction, severity, stated_at, stated_by, source FROM allergy WHERE patient_id "+samePerson+" AND ended_at = '' ORDER BY substance = '', severity <> 'severe', substance", patient)
	for i, a := range all {
		if a.Substance == "" {
			return all[:max(i, 1)], err
		}
	}
	return all, err
}

// AddMedicine stores a medicine.
func (q *Q) AddMedicine(m Medicine) error {
	return q.do("INSERT INTO medicine(id, patient_id, name, dose, started, stopped, source, added_by, added_at) VALUES (?,?,?,?,?,?,?,?,?)", m.ID, m.PatientID, m.Name, m.Dose, m.Started, m.Stopped, m.Source, m.AddedBy, Stamp(m.AddedAt))
}

// Medicines lists a patient's active medicines.
func (q *Q) Medicines(patient string) ([]Medicine, error) {
	return list(q, func(s scanner, m *Medicine) error {
		return s.Scan(&m.ID, &m.PatientID, &m.Name, &m.Dose, &m.Started, &m.Stopped, &m.Source)
	}, "SELECT id, patient_id, name, dose, started, stopped, source FROM medicine WHERE patient_id "+samePerson+" AND stopped = '' ORDER BY name", patient)
}

// AddProblem puts a code on the problem list; one already there stays as it is.
func (q *Q) AddProblem(p Problem) (added bool, err error) {
	n, err := q.exec("INSERT INTO problem(id, patient_id, code, title, since, ended, onset, state) VALUES (?,?,?,?,?,?,?,?) ON CONFLICT DO NOTHING", p.ID, p.PatientID, p.Code, p.Title, p.Since, p.Ended, p.Onset, p.State)
	return n > 0, err
}

// DescribeProblem says since when a current problem is known and how it stands.
func (q *Q) DescribeProblem(patient, code, onset, state string) (bool, error) {
	n, err := q.exec("UPDATE problem SET onset = ?, state = ? WHERE patient_id "+samePerson+" AND code = ? AND ended = ''", onset, state, patient, code)
	return n > 0, err
}

// EndProblem takes a code off the problem list; the entry stays, with its end.
func (q *Q) EndProblem(patient, code, day string) (bool, error) {
	n, err := q.exec("UPDATE problem SET ended = ? WHERE patient_id "+samePerson+" AND code = ? AND ended = ''", day, patient, code)
	return n > 0, err
}

// Problems lists a patient's current problems.
func (q *Q) Problems(patient string) ([]Problem, error) {
	return list(q, func(s scanner, p *Problem) error {
		return s.Scan(&p.ID, &p.PatientID, &p.Code, &p.Title, &p.Since, &p.Ended, &p.Onset, &p.State)
	}, "SELECT id, patient_id, code, title, min(since), ended, onset, state FROM problem WHERE patient_id "+samePerson+" AND ended = '' GROUP BY code ORDER BY since DESC, rowid", patient)
}

// AddVital stores a measurement.
func (q *Q) AddVital(v Vital) error {
	if v.Origin == "" {
		v.Origin = "typed"
	}
	return q.do("INSERT INTO vital("+vitalCols+") VALUES (?,?,?,?,?,?,?,?,?,?,?)", v.ID, v.PatientID, v.LOINC, v.Name, v.Value, v.Unit, Stamp(v.TakenAt), v.VisitID, v.Origin, v.Entered, v.ByID)
}

// LastVitals returns the newest measurement of each kind.
func (q *Q) LastVitals(patient string) ([]Vital, error) {
	return list(q, scanVital, "SELECT "+vitalCols+" FROM (SELECT *, rowid AS first, row_number() OVER (PARTITION BY loinc ORDER BY taken_at DESC, rowid DESC) AS back FROM vital WHERE patient_id "+samePerson+" AND struck_at = '') WHERE back = 1 ORDER BY loinc = '39156-5', first", patient)
}
