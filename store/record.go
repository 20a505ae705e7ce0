package store

import (
	"encoding/json"

	"deftledger/core/chart"
	"deftledger/core/note"
)

// Record reads what the chart of a person holds, with the values of some quantities, by one
// statement. What depends on the practice (days, classes, what a test measures) is left to
// the room that hands the record out.
func (q *Q) Record(patient string, loincs []string) (r chart.Record, err error) {
	var own []chart.Patient
	var said []CareEntry
	var waits []awaitedRow
	var end []string
	err = q.together(person(patient).into(&own), problems(patient).into(&r.Problems), medicines(patient).into(&r.Medicines),
		allergies(patient).into(&r.Allergies),
		histories(patient).into(&r.Histories), statements(patient).into(&r.Statements), immunizations(patient).into(&r.Immunizations),
		values(patient, loincs).into(&r.Values), encounters(patient).into(&r.Visits), inHand(patient).into(&r.InHand),
		careOf(patient).into(&said), awaited(patient).into(&waits), died(patient).into(&end))
	r.Patient, r.Allergies = only(own), outweighed(r.Allergies)
	taken(&r, said, waits)
	r.Died = only(end)
	return r, err
}

func person(patient string) rows[chart.Patient] {
	return rows[chart.Patient]{
		cols: patientCols, from: "patient own JOIN patient p ON p.id = own.person_id WHERE own.id = ?", order: "p.id", args: []any{patient},
		scan: scanPatient,
	}
}

func encounters(patient string) rows[chart.Encounter] {
	return rows[chart.Encounter]{
		cols: "v.id, v.day, v.kind, v.starts_at, coalesce(n.folio > 0 AND n.retracted = 0, 0)",
		from: "visit v LEFT JOIN note n ON n.visit_id = v.id WHERE v.patient_id " + samePerson, order: "v.starts_at, v.id", args: []any{patient},
		scan: func(s scanner, e *chart.Encounter) error {
			var at string
			err := s.Scan(&e.ID, &e.Day, &e.Kind, &at, &e.Seen)
			e.StartsAt = Moment(at)
			return err
		},
	}
}

// inHand reads the tests of orders that were not cancelled, and of those prepared. Day is
// a moment here.
func inHand(patient string) rows[chart.InHand] {
	return rows[chart.InHand]{
		cols: "id, visit, at, prepared, state, party, code, name, loinc, diagnoses, reported",
		from: `(SELECT o.id, o.visit_id AS visit, o.signed_at AS at, 0 AS prepared, o.state, coalesce(m.party, '') AS party, t.code, t.name, t.loinc, t.diagnoses, t.position,
				coalesce((SELECT status FROM report r WHERE r.order_id = o.id AND r.position = t.position ORDER BY rowid DESC LIMIT 1), '') AS reported
				FROM lab_order o JOIN order_test t ON t.order_id = o.id LEFT JOIN order_more m ON m.order_id = o.id WHERE o.patient_id ` + samePerson + ` AND o.state <> 'cancelled'
			UNION ALL SELECT p.id, p.visit_id, p.at, 1, p.state, coalesce(t.value ->> 'Laboratory', ''), t.value ->> 'Test', '', '', coalesce(t.value -> 'Diagnoses', '[]'), t.key, ''
				FROM prepared_order p, json_each(p.tests) t WHERE p.patient_id ` + samePerson + ` AND p.state IN ('waiting', 'returned'))`,
		order: "at, id, position", args: []any{patient, patient},
		scan: func(s scanner, x *chart.InHand) error {
			var diagnoses string
			if err := s.Scan(&x.OrderID, &x.VisitID, &x.Day, &x.Prepared, &x.State, &x.Party, &x.Code, &x.Name, &x.LOINC, &diagnoses,
				&x.Reported); err != nil {
				return err
			}
			if x.Prepared {
				return json.Unmarshal([]byte(diagnoses), &x.Diagnoses)
			}
			var titled []CodedTitle
			err := json.Unmarshal([]byte(diagnoses), &titled)
			for _, d := range titled {
				x.Diagnoses = append(x.Diagnoses, d.Code)
			}
			return err
		},
	}
}

// Written is all that stands in a note and was done at its visit.
type Written struct {
	Parts      []Part
	Findings   []note.Finding
	Interviews []NoteInterview
	Answers    []NoteAnswer
	Carried    []CarriedSentence
	Drawings   []Drawing
	Conflicts  []Conflict
	Diagnoses  []note.Diagnosis
	Said       map[string]note.Said // of the diagnoses, by code
	Answered   []AdviceAnswer
	FollowUps  []FollowUp
	Charges    Charges
	Vitals     []chart.Vital
	Given      []chart.Immunization
	Cared      []CareEntry // what was decided on reminders
	Screens    []ScreenResponse
	Tests      []Report // of the house
}

// Written reads a note with what was done at its visit.
func (q *Q) Written(noteID, visitID string) (w Written, err error) {
	var said []note.Said
	var charged []Charges
	err = q.together(noteParts(noteID).into(&w.Parts), findings(noteID).into(&w.Findings), noteInterviews(noteID).into(&w.Interviews),
		noteAnswers(noteID).into(&w.Answers),
		carried(noteID).into(&w.Carried), drawings(noteID).into(&w.Drawings), conflicts(noteID).into(&w.Conflicts),
		diagnoses(noteID).into(&w.Diagnoses),
		diagnosisWords(noteID).into(&said), adviceAnswers(noteID).into(&w.Answered), followUps(noteID).into(&w.FollowUps),
		charges(noteID).into(&charged),
		vitalsAt(visitID).into(&w.Vitals), immunizationsAt(visitID).into(&w.Given), careAt(visitID).into(&w.Cared), screensAt(visitID).into(&w.Screens))
	if err != nil {
		return w, err
	}
	w.Said, w.Charges = byCode(said), only(charged)
	w.Tests, err = q.ReportsAt(visitID)
	return w, err
}
