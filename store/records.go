package store

import (
	"encoding/json"

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
// read at a time does not grow with the practice.
func (q *Q) Records(people []chart.Patient, loincs []string) (out []chart.Record, err error) {
	at, ids := map[string]int{}, []string{}
	for i, p := range people {
		at[p.ID] = i
		ids = append(ids, p.ID)
		out = append(out, chart.Record{Patient: p})
	}
	persons, _ := json.Marshal(ids)
	type pair struct{ id, person string }
	merged, err := list(q, func(s scanner, p *pair) error { return s.Scan(&p.id, &p.person) },
		"SELECT p.id, p.person_id FROM json_each(?) j JOIN patient p ON p.person_id = j.value AND p.id <> p.person_id", string(persons))
	if err != nil {
		return nil, err
	}
	for _, m := range merged {
		at[m.id] = at[m.person]
		ids = append(ids, m.id)
	}
	whole, _ := json.Marshal(ids)
	in, known := string(whole), ""
	if all, err := json.Marshal(loincs); err == nil {
		known = string(all)
	}
	const these = "json_each(?) j JOIN "
	type dated[T any] struct {
		patient string
		is      T
	}
	seen := make([]map[string]bool, len(out))
	err = each(q, func(s scanner, p *chart.Problem) error {
		return s.Scan(&p.ID, &p.PatientID, &p.Code, &p.Title, &p.Since, &p.Ended, &p.Onset, &p.State)
	}, func(p chart.Problem) {
		i := at[p.PatientID]
		if seen[i] == nil {
			seen[i] = map[string]bool{}
		}
		if !seen[i][p.Code] { // of a code twice the first counts, as the list has it
			seen[i][p.Code] = true
			out[i].Problems = append(out[i].Problems, p)
		}
	}, "SELECT x.id, x.patient_id, x.code, x.title, x.since, x.ended, x.onset, x.state FROM "+these+"problem x ON x.patient_id = j.value WHERE x.ended = '' ORDER BY x.since, x.rowid", in)
	if err != nil {
		return nil, err
	}
	err = each(q, scanMedicine, func(m chart.Medicine) { i := at[m.PatientID]; out[i].Medicines = append(out[i].Medicines, m) },
		`SELECT m.id, m.patient_id, m.name, m.dose, m.started, m.stopped, m.source, m.added_by, m.added_at, '', '', '',
			coalesce((SELECT says || char(9) || by_id || char(9) || at || char(9) || detail FROM medicine_told t WHERE t.medicine_id = m.id ORDER BY at DESC, rowid DESC LIMIT 1), '')
			FROM `+these+"medicine m ON m.patient_id = j.value WHERE m.stopped = '' ORDER BY m.name, m.id", in)
	if err != nil {
		return nil, err
	}
	al := allergies("")
	if err = each(q, al.scan, func(a chart.Allergy) { i := at[a.PatientID]; out[i].Allergies = append(out[i].Allergies, a) },
		"SELECT "+al.cols+" FROM allergy WHERE patient_id IN (SELECT value FROM json_each(?)) AND ended_at = '' ORDER BY substance = '', severity <> 'severe', substance", in); err != nil {
		return nil, err
	}
	h, st, im := histories(""), statements(""), immunizations("")
	if err = each(q, h.scan, func(x chart.HistoryEntry) { i := at[x.PatientID]; out[i].Histories = append(out[i].Histories, x) },
		"SELECT x.id, x.patient_id, x.list, x.title, x.detail, x.since, x.until, x.source, x.stated_at, x.stated_by FROM "+these+"history x ON x.patient_id = j.value WHERE x.ended_at = '' ORDER BY x.list, x.since DESC, x.title", in); err != nil {
		return nil, err
	}
	if err = each(q, st.scan, func(x chart.Statement) { i := at[x.PatientID]; out[i].Statements = append(out[i].Statements, x) },
		"SELECT x.id, x.patient_id, x.list, x.says, x.staff_id, max(x.at), x.visit_id FROM "+these+"statement x ON x.patient_id = j.value GROUP BY x.patient_id, x.list", in); err != nil {
		return nil, err
	}
	if err = each(q, im.scan, func(x chart.Immunization) {
		i := at[x.PatientID]
		out[i].Immunizations = append(out[i].Immunizations, x)
	},
		"SELECT x.id, x.patient_id, x.visit_id, x.cvx, x.name, x.maker, x.lot, x.expires, x.dose, x.route, x.site, x.sheet, x.given_at, x.given_by FROM "+these+
			"immunization x ON x.patient_id = j.value WHERE x.struck_at = '' ORDER BY x.given_at DESC, x.rowid DESC", in); err != nil {
		return nil, err
	}
	scanValue := func(s scanner, v *dated[chart.Value]) error {
		return s.Scan(&v.patient, &v.is.LOINC, &v.is.Name, &v.is.Text, &v.is.Unit, &v.is.At, &v.is.Source, &v.is.Ref)
	}
	value := func(v dated[chart.Value]) { i := at[v.patient]; out[i].Values = append(out[i].Values, v.is) }
	for _, from := range []string{
		`SELECT x.patient_id, x.loinc, x.name, x.value, x.unit, x.taken_at, 'vital', x.id FROM ` + these + `vital x ON x.patient_id = j.value
			WHERE x.struck_at = '' AND +x.loinc IN (SELECT value FROM json_each(?))`,
		`SELECT r.patient_id, v.loinc, v.name, v.text, v.unit, i.collected_at, 'report', r.id FROM ` + these + `report r ON r.patient_id = j.value
			JOIN report_issue i ON i.report_id = r.id AND i.issue = r.issue JOIN report_value v ON v.report_id = r.id AND v.issue = r.issue
			WHERE r.gone_at = '' AND r.status IN ('F', 'C') AND v.status IN ('', 'F', 'C', 'U') AND v.text <> '' AND v.loinc IN (SELECT value FROM json_each(?))`,
		`SELECT x.patient_id, x.loinc, x.name, x.total, '', x.at, 'screen', x.id FROM ` + these + `screen_response x ON x.patient_id = j.value
			WHERE x.struck_at = '' AND x.total <> '' AND +x.loinc IN (SELECT value FROM json_each(?))`,
	} {
		if err = each(q, scanValue, value, from, in, known); err != nil {
			return nil, err
		}
	}
	if err = each(q, func(s scanner, e *dated[chart.Encounter]) error {
		var begins string
		err := s.Scan(&e.patient, &e.is.ID, &e.is.Day, &e.is.Kind, &begins, &e.is.Seen)
		e.is.StartsAt = Moment(begins)
		return err
	}, func(e dated[chart.Encounter]) { i := at[e.patient]; out[i].Visits = append(out[i].Visits, e.is) },
		"SELECT v.patient_id, v.id, v.day, v.kind, max(v.starts_at), 1 FROM "+these+
			"visit v ON v.patient_id = j.value JOIN note n ON n.visit_id = v.id AND n.folio > 0 AND n.retracted = 0 GROUP BY v.patient_id", in); err != nil {
		return nil, err
	}
	if err = each(q, func(s scanner, x *dated[chart.InHand]) error {
		return s.Scan(&x.patient, &x.is.OrderID, &x.is.Day, &x.is.Prepared, &x.is.State, &x.is.Party, &x.is.Code, &x.is.Name, &x.is.LOINC, &x.is.Reported)
	}, func(x dated[chart.InHand]) { i := at[x.patient]; out[i].InHand = append(out[i].InHand, x.is) },
		`SELECT o.patient_id, o.id, o.signed_at, 0, o.state, coalesce(m.party, ''), t.code, t.name, t.loinc,
			coalesce((SELECT status FROM report r WHERE r.order_id = o.id AND r.position = t.position ORDER BY rowid DESC LIMIT 1), '')
			FROM `+these+`lab_order o ON o.patient_id = j.value JOIN order_test t ON t.order_id = o.id LEFT JOIN order_more m ON m.order_id = o.id WHERE o.state NOT IN ('cancelled', 'final', 'reviewed')
		UNION ALL SELECT p.patient_id, p.id, p.at, 1, p.state, coalesce(t.value ->> 'Laboratory', ''), t.value ->> 'Test', '', '', ''
			FROM `+these+`prepared_order p ON p.patient_id = j.value JOIN json_each(p.tests) t WHERE p.state IN ('waiting', 'returned')`, in, in); err != nil {
		return nil, err
	}
	care, waits := make([][]CareEntry, len(out)), make([][]awaitedRow, len(out))
	if err = each(q, scanCare, func(c CareEntry) { i := at[c.PatientID]; care[i] = append(care[i], c) },
		"SELECT "+careCols+" FROM "+these+"care_entry c ON c.patient_id = j.value ORDER BY c.at, c.id", in); err != nil {
		return nil, err
	}
	w := awaited("")
	if err = each(q, func(s scanner, x *dated[awaitedRow]) error {
		return s.Scan(&x.patient, &x.is.ID, &x.is.Item, &x.is.Name, &x.is.Day, &x.is.Prepared, &x.is.State, &x.is.Done)
	}, func(x dated[awaitedRow]) { i := at[x.patient]; waits[i] = append(waits[i], x.is) },
		"SELECT o.patient_id, "+w.cols+" FROM "+these+"further_order o ON o.patient_id = j.value WHERE o.kind = 'referral' AND o.detail ->> '$.item.id' <> '' ORDER BY o.written_at, o.id", in); err != nil {
		return nil, err
	}
	type ended struct{ patient, died, left string }
	if err = each(q, func(s scanner, e *ended) error { return s.Scan(&e.patient, &e.died, &e.left) }, func(e ended) { i := at[e.patient]; out[i].Died, out[i].Left = e.died, e.left },
		"SELECT r.patient_id, coalesce(r.content ->> '$.died', ''), coalesce(r.content ->> '$.left', '') FROM "+these+"registration r ON r.patient_id = j.value WHERE r.version = (SELECT max(version) FROM registration x WHERE x.patient_id = r.patient_id)",
		string(persons)); err != nil {
		return nil, err
	}
	for i := range out {
		taken(&out[i], care[i], waits[i])
	}
	return out, nil
}

// each reads rows one after another.
func each[T any](q *Q, scan func(scanner, *T) error, take func(T), query string, args ...any) error {
	all, err := list(q, scan, query, args...)
	for _, x := range all {
		take(x)
	}
	return err
}
