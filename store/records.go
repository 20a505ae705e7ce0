package store

import (
	"encoding/json"
	"fmt"

	"deftledger/core/chart"
)

// People lists who has a record, each once, in the order of their identifiers after one of them.
func (q *Q) People(after string, most int) ([]chart.Patient, error) {
	return list(q, scanPatient, "SELECT "+patientCols+" FROM patient p WHERE p.person_id = p.id AND p.id > ? ORDER BY p.id LIMIT ?", after, most)
}

// PeopleIn finds people by their identifiers; one that was merged into another is left out.
func (q *Q) PeopleIn(ids []string) ([]chart.Patient, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanPatient, "SELECT "+patientCols+" FROM patient p WHERE p.person_id = p.id AND p.id IN (SELECT value FROM json_each(?))", string(all))
}

// PeopleAs are the people that some records are read as, to be named only.
func (q *Q) PeopleAs(records []string) ([]chart.Patient, error) {
	all, _ := json.Marshal(records)
	return list(q, scanPatient, "SELECT "+patientCols+" FROM json_each(?) j JOIN patient own ON own.id = j.value JOIN patient p ON p.id = own.person_id", string(all))
}

// RegistrationsIn are the newest registrations of some people, by who they are of.
func (q *Q) RegistrationsIn(ids []string) (map[string]chart.Registration, error) {
	all, _ := json.Marshal(ids)
	out := map[string]chart.Registration{}
	err := each(q, scanRegistration, func(r RegistrationVersion) { out[r.PatientID] = r.Content },
		"SELECT "+registrationCols+" FROM registration WHERE patient_id IN (SELECT value FROM json_each(?)) ORDER BY patient_id, version", string(all))
	return out, err
}

// Records reads the records of some people at once: what rules over the whole practice read. It is Record for each of
// them but of lists gone through and visits the last of each. What is
// read at a time does not grow with the practice. Of who was read before and has not changed since, the extract is read
// in the place of the tables; made are the extracts of the others, for KeepExtracts.
func (q *Q) Records(people []chart.Patient, loincs []string) (out []chart.Record, made []Extract, err error) {
	g := gathered{out: make([]chart.Record, len(people)), seen: make([]map[string]bool, len(people)), care: make([][]CareEntry, len(people)), waits: make([][]awaitedRow, len(people))}
	var ids []string
	for i, p := range people {
		ids = append(ids, p.ID)
		g.out[i].Patient = p
	}
	known, _ := json.Marshal(loincs)
	form := formOf(string(known))
	kept, err := q.extracts(ids)
	if err != nil {
		return nil, nil, err
	}
	var anew []int
	for i, id := range ids {
		if x := kept[id]; x.form != form || x.body == "" {
			anew = append(anew, i)
		}
	}
	readings := g.readings()
	bodies, err := q.read(readings, people, anew, string(known))
	if err != nil {
		return nil, nil, err
	}
	for i, id := range ids {
		body := kept[id].body
		if b, isNew := bodies[i]; isNew {
			body = b
			made = append(made, Extract{person: id, place: kept[id].place, seq: kept[id].seq, form: form, body: body})
		}
		if unpack(body, readings, i) != nil { // torn: what there was of it counts for nothing, and the tables are read
			g.out[i], g.seen[i], g.care[i], g.waits[i] = chart.Record{Patient: people[i]}, nil, nil, nil
			again, err := q.read(readings, people, []int{i}, string(known))
			if err == nil {
				err = unpack(again[i], readings, i)
			}
			if err != nil {
				return nil, nil, fmt.Errorf("a chart cannot be read: %w", err)
			}
			made = append(made, Extract{person: id, place: kept[id].place, seq: kept[id].seq, form: form, body: again[i]})
		}
		taken(&g.out[i], g.care[i], g.waits[i])
	}
	return g.out, made, nil
}

// gathered are records as they come together, one a person.
type gathered struct {
	out   []chart.Record
	seen  []map[string]bool // codes of problems
	care  [][]CareEntry
	waits [][]awaitedRow
}

// reading is one statement of a record: its first column says whose a row is, the others are taken in by person.
type reading struct {
	query string
	known bool // it asks for the quantities that rules read
	twice bool // it names the people twice
	own   bool // of the person only, not of records merged into it
	take  func(i int, s scanner) error
}

func taking[T any](scan func(scanner, *T) error, take func(i int, t T)) func(int, scanner) error {
	return func(i int, s scanner) error {
		var t T
		if err := scan(s, &t); err != nil {
			return err
		}
		take(i, t)
		return nil
	}
}

// readings are all statements of a record, in an order that an extract keeps.
func (g *gathered) readings() []reading {
	out := g.out
	const these = "json_each(?) j JOIN "
	value := taking(func(s scanner, v *chart.Value) error {
		return s.Scan(&v.LOINC, &v.Name, &v.Text, &v.Unit, &v.At, &v.Source, &v.Ref)
	}, func(i int, v chart.Value) { out[i].Values = append(out[i].Values, v) })
	return []reading{
		{query: "SELECT x.patient_id, x.id, x.patient_id, x.code, x.title, x.since, x.ended, x.onset, x.state FROM " + these + "problem x ON x.patient_id = j.value WHERE x.ended = '' ORDER BY x.since, x.rowid",
			take: taking(func(s scanner, p *chart.Problem) error {
				return s.Scan(&p.ID, &p.PatientID, &p.Code, &p.Title, &p.Since, &p.Ended, &p.Onset, &p.State)
			}, func(i int, p chart.Problem) {
				if g.seen[i] == nil {
					g.seen[i] = map[string]bool{}
				}
				if !g.seen[i][p.Code] { // of a code twice the first counts, as the list has it
					g.seen[i][p.Code] = true
					out[i].Problems = append(out[i].Problems, p)
				}
			})},
		{query: `SELECT m.patient_id, m.id, m.patient_id, m.name, m.dose, m.started, m.stopped, m.source, m.added_by, m.added_at, '', '', '',
			coalesce((SELECT says || char(9) || by_id || char(9) || at || char(9) || detail FROM medicine_told t WHERE t.medicine_id = m.id ORDER BY at DESC, rowid DESC LIMIT 1), '')
			FROM ` + these + "medicine m ON m.patient_id = j.value WHERE m.stopped = '' ORDER BY m.name, m.id",
			take: taking(scanMedicine, func(i int, m chart.Medicine) { out[i].Medicines = append(out[i].Medicines, m) })},
		{query: "SELECT patient_id, " + allergies("").cols + " FROM allergy WHERE patient_id IN (SELECT value FROM json_each(?)) AND ended_at = '' ORDER BY substance = '', severity <> 'severe', substance",
			take: taking(allergies("").scan, func(i int, a chart.Allergy) { out[i].Allergies = append(out[i].Allergies, a) })},
		{query: "SELECT x.patient_id, x.id, x.patient_id, x.list, x.title, x.detail, x.since, x.until, x.source, x.stated_at, x.stated_by FROM " + these + "history x ON x.patient_id = j.value WHERE x.ended_at = '' ORDER BY x.list, x.since DESC, x.title",
			take: taking(histories("").scan, func(i int, x chart.HistoryEntry) { out[i].Histories = append(out[i].Histories, x) })},
		{query: "SELECT x.patient_id, x.id, x.patient_id, x.list, x.says, x.staff_id, max(x.at), x.visit_id FROM " + these + "statement x ON x.patient_id = j.value GROUP BY x.patient_id, x.list",
			take: taking(statements("").scan, func(i int, x chart.Statement) { out[i].Statements = append(out[i].Statements, x) })},
		{query: "SELECT x.patient_id, x.id, x.patient_id, x.visit_id, x.cvx, x.name, x.maker, x.lot, x.expires, x.dose, x.route, x.site, x.sheet, x.given_at, x.given_by FROM " + these +
			"immunization x ON x.patient_id = j.value WHERE x.struck_at = '' ORDER BY x.given_at DESC, x.rowid DESC",
			take: taking(immunizations("").scan, func(i int, x chart.Immunization) { out[i].Immunizations = append(out[i].Immunizations, x) })},
		{known: true, take: value, query: `SELECT x.patient_id, x.loinc, x.name, x.value, x.unit, x.taken_at, 'vital', x.id FROM ` + these + `vital x ON x.patient_id = j.value
			WHERE x.struck_at = '' AND +x.loinc IN (SELECT value FROM json_each(?))`},
		{known: true, take: value, query: `SELECT r.patient_id, v.loinc, v.name, v.text, v.unit, i.collected_at, 'report', r.id FROM ` + these + `report r ON r.patient_id = j.value
			JOIN report_issue i ON i.report_id = r.id AND i.issue = r.issue JOIN report_value v ON v.report_id = r.id AND v.issue = r.issue
			WHERE r.gone_at = '' AND r.status IN ('F', 'C') AND v.status IN ('', 'F', 'C', 'U') AND v.text <> '' AND v.loinc IN (SELECT value FROM json_each(?))`},
		{known: true, take: value, query: `SELECT x.patient_id, x.loinc, x.name, x.total, '', x.at, 'screen', x.id FROM ` + these + `screen_response x ON x.patient_id = j.value
			WHERE x.struck_at = '' AND x.total <> '' AND +x.loinc IN (SELECT value FROM json_each(?))`},
		{query: "SELECT v.patient_id, v.id, v.day, v.kind, max(v.starts_at), 1 FROM " + these +
			"visit v ON v.patient_id = j.value JOIN note n ON n.visit_id = v.id AND n.folio > 0 AND n.retracted = 0 GROUP BY v.patient_id",
			take: taking(func(s scanner, e *chart.Encounter) error {
				var begins string
				err := s.Scan(&e.ID, &e.Day, &e.Kind, &begins, &e.Seen)
				e.StartsAt = Moment(begins)
				return err
			}, func(i int, e chart.Encounter) { out[i].Visits = append(out[i].Visits, e) })},
		{twice: true, query: `SELECT o.patient_id, o.id, o.signed_at, 0, o.state, coalesce(m.party, ''), t.code, t.name, t.loinc,
			coalesce((SELECT status FROM report r WHERE r.order_id = o.id AND r.position = t.position ORDER BY rowid DESC LIMIT 1), '')
			FROM ` + these + `lab_order o ON o.patient_id = j.value JOIN order_test t ON t.order_id = o.id LEFT JOIN order_more m ON m.order_id = o.id WHERE o.state NOT IN ('cancelled', 'final', 'reviewed')
		UNION ALL SELECT p.patient_id, p.id, p.at, 1, p.state, coalesce(t.value ->> 'Laboratory', ''), t.value ->> 'Test', '', '', ''
			FROM ` + these + `prepared_order p ON p.patient_id = j.value JOIN json_each(p.tests) t WHERE p.state IN ('waiting', 'returned')`,
			take: taking(func(s scanner, x *chart.InHand) error {
				return s.Scan(&x.OrderID, &x.Day, &x.Prepared, &x.State, &x.Party, &x.Code, &x.Name, &x.LOINC, &x.Reported)
			}, func(i int, x chart.InHand) { out[i].InHand = append(out[i].InHand, x) })},
		{query: "SELECT c.patient_id, " + careCols + " FROM " + these + "care_entry c ON c.patient_id = j.value ORDER BY c.at, c.id",
			take: taking(scanCare, func(i int, c CareEntry) { g.care[i] = append(g.care[i], c) })},
		{query: "SELECT o.patient_id, " + awaited("").cols + " FROM " + these + "further_order o ON o.patient_id = j.value WHERE o.kind = 'referral' AND " + settles + " ORDER BY o.written_at, o.id",
			take: taking(awaited("").scan, func(i int, x awaitedRow) { g.waits[i] = append(g.waits[i], x) })},
		{own: true, query: "SELECT r.patient_id, coalesce(r.content ->> '$.died', ''), coalesce(r.content ->> '$.left', '') FROM " + these + "registration r ON r.patient_id = j.value WHERE r.version = (SELECT max(version) FROM registration x WHERE x.patient_id = r.patient_id)",
			take: func(i int, s scanner) error { return s.Scan(&out[i].Died, &out[i].Left) }},
	}
}

// each reads rows one after another.
func each[T any](q *Q, scan func(scanner, *T) error, take func(T), query string, args ...any) error {
	all, err := list(q, scan, query, args...)
	for _, x := range all {
		take(x)
	}
	return err
}

// PeopleNumbered lists the people of a record number.
func (q *Q) PeopleNumbered(record string) ([]chart.Patient, error) {
	return list(q, scanPatient, "SELECT "+patientCols+" FROM patient own JOIN patient p ON p.id = own.person_id WHERE own.record = ?", record)
}

// PeopleBorn lists the people of a birth date.
func (q *Q) PeopleBorn(day string) ([]chart.Patient, error) {
	return list(q, scanPatient, "SELECT "+patientCols+" FROM patient p WHERE p.birth_date = ? AND p.person_id = p.id LIMIT 200", day)
}

// OwnerOfEntry is the patient of whose chart an entry is, whatever kind it is.
func (q *Q) OwnerOfEntry(id string) (string, error) {
	return one(q, scalar[string], `SELECT patient_id FROM problem WHERE id = ?1 UNION ALL SELECT patient_id FROM allergy WHERE id = ?1 UNION ALL SELECT patient_id FROM medicine WHERE id = ?1
		UNION ALL SELECT patient_id FROM history WHERE id = ?1 UNION ALL SELECT patient_id FROM immunization WHERE id = ?1 UNION ALL SELECT patient_id FROM care_entry WHERE id = ?1
		UNION ALL SELECT patient_id FROM vital WHERE id = ?1 UNION ALL SELECT patient_id FROM report WHERE id = ?1 UNION ALL SELECT patient_id FROM visit WHERE id = ?1
		UNION ALL SELECT patient_id FROM note WHERE id = ?1 UNION ALL SELECT patient_id FROM document WHERE id = ?1
		UNION ALL SELECT patient_id FROM screen_response WHERE id = ?1 LIMIT 1`, id)
}
