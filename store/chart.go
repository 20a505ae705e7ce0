package store

import (
	"encoding/json"
	"strings"

	"deftledger/core/chart"
)

// AddAllergy stores an allergy or the statement that none is known.
func (q *Q) AddAllergy(a chart.Allergy) error {
	if err := q.do("INSERT INTO allergy(id, patient_id, substance, reaction, severity, stated_at, stated_by, source) VALUES (?,?,?,?,?,?,?,?)",
		a.ID, a.PatientID, a.Substance, a.Reaction, a.Severity, Stamp(a.StatedAt), a.StatedBy, a.Source); err != nil || a.Certainty == "" {
		return err
	}
	return q.do("INSERT INTO allergy_detail(allergy_id, patient_id, certainty) VALUES (?,?,?)", a.ID, a.PatientID, a.Certainty)
}

// AddTolerated stores what somebody bore in spite of an allergy; day is as precise as known.
func (q *Q) AddTolerated(id, allergy, patient, what, day, by, at string) error {
	return q.must("INSERT INTO allergy_tolerated(id, allergy_id, patient_id, what, day, by_id, at) SELECT ?, id, patient_id, ?, ?, ?, ? FROM allergy "+
		"WHERE id = ? AND patient_id "+samePerson+" AND ended_at = '' AND substance <> ''", id, what, day, by, at, allergy, patient)
}

// Allergies lists a patient's allergies, severe first, or the one statement that
// none is known. Of merged records one may have said so: an allergy outweighs it.
func (q *Q) Allergies(patient string) ([]chart.Allergy, error) {
	all, err := allergies(patient).read(q)
	return outweighed(all), err
}

func allergies(patient string) rows[chart.Allergy] {
	return rows[chart.Allergy]{
		cols: `id, patient_id, substance, reaction, severity, stated_at, stated_by, source,
			coalesce((SELECT certainty FROM allergy_detail d WHERE d.allergy_id = allergy.id), ''),
			coalesce((SELECT group_concat(what || CASE WHEN day = '' THEN '' ELSE ' (' || day || ')' END, '; ' ORDER BY at)
				FROM allergy_tolerated t WHERE t.allergy_id = allergy.id), '')`,
		from: "allergy WHERE patient_id " + samePerson + " AND ended_at = ''", order: "substance = '', severity <> 'severe', substance",
		args: []any{patient},
		scan: func(s scanner, a *chart.Allergy) error {
			var at string
			err := s.Scan(&a.ID, &a.PatientID, &a.Substance, &a.Reaction, &a.Severity, &at, &a.StatedBy, &a.Source, &a.Certainty, &a.Tolerated)
			a.StatedAt = Moment(at)
			return err
		},
	}
}

// outweighed leaves "none known", which comes last, out where there is an allergy.
func outweighed(all []chart.Allergy) []chart.Allergy {
	for i, a := range all {
		if a.Substance == "" {
			return all[:max(i, 1)]
		}
	}
	return all
}

// AddMedicine stores a medicine, with what was typed and how it was read where that is given.
func (q *Q) AddMedicine(m chart.Medicine) error {
	if err := q.do("INSERT INTO medicine(id, patient_id, name, dose, started, stopped, source, added_by, added_at) VALUES (?,?,?,?,?,?,?,?,?)",
		m.ID, m.PatientID, m.Name, m.Dose, m.Started, m.Stopped, m.Source, m.AddedBy, Stamp(m.AddedAt)); err != nil ||
		m.Typed == "" && m.Why == "" {
		return err
	}
	dosage := ""
	if m.Dosage.Read() {
		text, err := json.Marshal(m.Dosage)
		if err != nil {
			return err
		}
		dosage = string(text)
	}
	return q.do("INSERT INTO medicine_detail(medicine_id, patient_id, typed, dosage, why) VALUES (?,?,?,?,?)", m.ID, m.PatientID, m.Typed, dosage, m.Why)
}

// AddTold stores what was told of taking a medicine that is on the list.
func (q *Q) AddTold(id, medicine, patient string, t chart.Told) error {
	return q.must("INSERT INTO medicine_told(id, medicine_id, patient_id, says, detail, by_id, at) SELECT ?, id, patient_id, ?, ?, ?, ? FROM medicine "+
		"WHERE id = ? AND patient_id "+samePerson+" AND stopped = ''", id, t.Says, t.Detail, t.By, Stamp(t.At), medicine, patient)
}

// Medicines lists a patient's active medicines.
func (q *Q) Medicines(patient string) ([]chart.Medicine, error) {
	return medicines(patient).read(q)
}

func medicines(patient string) rows[chart.Medicine] {
	return rows[chart.Medicine]{
		cols: `m.id, m.patient_id, m.name, m.dose, m.started, m.stopped, m.source, m.added_by, m.added_at, coalesce(d.typed, ''), coalesce(d.dosage, ''),
			coalesce(d.why, ''), coalesce((SELECT says || char(9) || by_id || char(9) || at || char(9) || detail FROM medicine_told t
				WHERE t.medicine_id = m.id ORDER BY at DESC, rowid DESC LIMIT 1), '')`,
		from:  "medicine m LEFT JOIN medicine_detail d ON d.medicine_id = m.id WHERE m.patient_id " + samePerson + " AND m.stopped = ''",
		order: "m.name, m.id", args: []any{patient}, scan: scanMedicine,
	}
}

func scanMedicine(s scanner, m *chart.Medicine) error {
	var added, dosage, told string
	if err := s.Scan(&m.ID, &m.PatientID, &m.Name, &m.Dose, &m.Started, &m.Stopped, &m.Source, &m.AddedBy, &added, &m.Typed, &dosage, &m.Why,
		&told); err != nil {
		return err
	}
	m.AddedAt = Moment(added)
	if t := strings.SplitN(told, "\t", 4); len(t) == 4 {
		m.Told = chart.Told{Says: t[0], By: t[1], At: Moment(t[2]), Detail: t[3]}
	}
	if dosage == "" {
		return nil
	}
	return json.Unmarshal([]byte(dosage), &m.Dosage)
}

// AddProblem puts a code on the problem list; one already there stays as it is.
func (q *Q) AddProblem(p chart.Problem) (added bool, err error) {
	n, err := q.exec("INSERT INTO problem(id, patient_id, code, title, since, ended, onset, state) VALUES (?,?,?,?,?,?,?,?) ON CONFLICT DO NOTHING", p.ID, p.PatientID, p.Code, p.Title, p.Since, p.Ended, p.Onset, p.State)
	return n > 0, err
}

// DescribeProblem says since when a current problem is known and how it stands.
func (q *Q) DescribeProblem(patient, code, onset, state string) (bool, error) {
	n, err := q.exec("UPDATE problem SET onset = ?, state = ? WHERE patient_id "+samePerson+" AND code = ? AND ended = ''", onset, state,
		patient, code)
	return n > 0, err
}

// EndProblem takes a code off the problem list; the entry stays, with its end.
func (q *Q) EndProblem(patient, code, day string) (bool, error) {
	n, err := q.exec("UPDATE problem SET ended = ? WHERE patient_id "+samePerson+" AND code = ? AND ended = ''", day, patient, code)
	return n > 0, err
}

// Problems lists a patient's current problems.
func (q *Q) Problems(patient string) ([]chart.Problem, error) {
	return problems(patient).read(q)
}

func problems(patient string) rows[chart.Problem] {
	return rows[chart.Problem]{
		cols: "id, patient_id, code, title, since, ended, onset, state",
		from: "(SELECT rowid AS first, id, patient_id, code, title, min(since) AS since, ended, onset, state FROM problem WHERE patient_id " +
			samePerson + " AND ended = '' GROUP BY code)",
		order: "since DESC, first", args: []any{patient},
		scan: func(s scanner, p *chart.Problem) error {
			return s.Scan(&p.ID, &p.PatientID, &p.Code, &p.Title, &p.Since, &p.Ended, &p.Onset, &p.State)
		},
	}
}

// AddVital stores a measurement.
func (q *Q) AddVital(v chart.Vital) error {
	if v.Origin == "" {
		v.Origin = "typed"
	}
	return q.do("INSERT INTO vital("+vitalCols+") VALUES (?,?,?,?,?,?,?,?,?,?,?)", v.ID, v.PatientID, v.LOINC, v.Name, v.Value, v.Unit,
		Stamp(v.TakenAt), v.VisitID, v.Origin, v.Entered, v.ByID)
}

// LastVitals returns the newest measurement of each kind.
func (q *Q) LastVitals(patient string) ([]chart.Vital, error) {
	return list(q, scanVital, "SELECT "+vitalCols+
		" FROM (SELECT *, rowid AS first, row_number() OVER (PARTITION BY loinc ORDER BY taken_at DESC, rowid DESC) AS back FROM vital WHERE patient_id "+samePerson+" AND struck_at = '') WHERE back = 1 ORDER BY loinc = '39156-5', first", patient)
}
