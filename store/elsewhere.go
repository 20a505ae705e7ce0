package store

import (
	"encoding/json"
	"time"

	"deftledger/core/outside"
)

// OutsideRecord is a record of another house as it came.
type OutsideRecord struct {
	ID, PatientID, House, Set, Version, Title, WrittenAt, Sum, Unreadable, Why, ByID string
	ReceivedAt                                                                       time.Time
	Raw                                                                              []byte // left out of lists
	Severe                                                                           []Reported
	SignedBy                                                                         string // a name; "" while nobody has
	SignedAt                                                                         time.Time
	Comment                                                                          string
}

// Reported is a severe allergy that a record tells of.
type Reported struct {
	Substance string `json:"substance"`
	Reaction  string `json:"reaction"`
	House     string `json:"-"`
}

const outsideCols = `r.id, r.patient_id, r.house, r.set_id, r.version, r.title, r.written_at, r.sum, r.unreadable, r.why, r.by_id, r.received_at,
	coalesce(s.given || ' ' || s.family, ''), coalesce(v.at, ''), coalesce(v.comment, '')`

const outsideFrom = " FROM outside_record r LEFT JOIN outside_review v ON v.record_id = r.id LEFT JOIN staff s ON s.id = v.by_id "

func scanOutside(s scanner, r *OutsideRecord) error {
	var at, signed string
	err := s.Scan(&r.ID, &r.PatientID, &r.House, &r.Set, &r.Version, &r.Title, &r.WrittenAt, &r.Sum, &r.Unreadable, &r.Why, &r.ByID, &at, &r.SignedBy, &signed, &r.Comment)
	r.ReceivedAt, r.SignedAt = Moment(at), Moment(signed)
	return err
}

// AddOutsideRecord keeps a record; added is false where the same one of this patient is here.
func (q *Q) AddOutsideRecord(r OutsideRecord) (added bool, err error) {
	severe, err := json.Marshal(append([]Reported{}, r.Severe...))
	if err != nil {
		return false, err
	}
	n, err := q.exec("INSERT INTO outside_record(id, patient_id, house, set_id, version, title, written_at, sum, unreadable, why, severe, by_id, received_at, raw) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?) ON CONFLICT DO NOTHING",
		r.ID, r.PatientID, r.House, r.Set, r.Version, r.Title, r.WrittenAt, r.Sum, r.Unreadable, r.Why, string(severe), r.ByID, Stamp(r.ReceivedAt), r.Raw)
	return n > 0, err
}

// OutsideRecordByID finds a record, with what it is made of.
func (q *Q) OutsideRecordByID(id string) (OutsideRecord, error) {
	r, err := about(q, func(r OutsideRecord) string { return r.PatientID })(one(q, scanOutside, "SELECT "+outsideCols+outsideFrom+"WHERE r.id = ?", id))
	if err != nil {
		return r, err
	}
	r.Raw, err = one(q, scalar[[]byte], "SELECT raw FROM outside_record WHERE id = ?", id)
	return r, err
}

// OutsideRecordsOf lists the records of a patient, newest first.
func (q *Q) OutsideRecordsOf(patient string) ([]OutsideRecord, error) {
	return list(q, scanOutside, "SELECT "+outsideCols+outsideFrom+"WHERE r.patient_id "+samePerson+" ORDER BY r.written_at DESC, r.received_at DESC", patient)
}

// OutsideRecordsIn lists records by their identifiers.
func (q *Q) OutsideRecordsIn(ids []string) ([]OutsideRecord, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanOutside, "SELECT "+outsideCols+outsideFrom+"WHERE r.id IN (SELECT value FROM json_each(?))", string(all))
}

// OutsideSource is what was said of having been at a house.
type OutsideSource struct {
	PatientID, House, Says, Words, ByID string
	At                                  time.Time
}

// AddOutsideSource keeps what was said of a house.
func (q *Q) AddOutsideSource(s OutsideSource) error {
	return q.do("INSERT INTO outside_source(patient_id, house, says, words, by_id, at) VALUES (?,?,?,?,?,?)", s.PatientID, s.House, s.Says, s.Words, s.ByID, Stamp(s.At))
}

// OutsideSources is what was said of each house, the last word of each first.
func (q *Q) OutsideSources(patient string) ([]OutsideSource, error) {
	return list(q, func(s scanner, o *OutsideSource) error {
		var at string
		err := s.Scan(&o.PatientID, &o.House, &o.Says, &o.Words, &o.ByID, &at)
		o.At = Moment(at)
		return err
	}, "SELECT patient_id, house, says, words, by_id, at FROM outside_source WHERE patient_id "+samePerson+" ORDER BY id DESC", patient)
}

// OutsideDecision is what was decided on an entry of a record.
type OutsideDecision struct {
	RecordID, List, Ref, Content string
	Decision                     outside.Decision
	Reason, Became, ByID         string
	At                           time.Time
}

// AddOutsideDecision keeps a decision; the last one on an entry counts.
func (q *Q) AddOutsideDecision(d OutsideDecision) error {
	return q.do("INSERT INTO outside_decision(record_id, list, ref, content, decision, reason, became, by_id, at) VALUES (?,?,?,?,?,?,?,?,?)",
		d.RecordID, d.List, d.Ref, d.Content, d.Decision, d.Reason, d.Became, d.ByID, Stamp(d.At))
}

// OutsideDecisions lists what was decided on the records of a house about a patient, oldest first: decisions are remembered when the
// same record comes again in a newer version.
func (q *Q) OutsideDecisions(patient, house string) ([]OutsideDecision, error) {
	return list(q, func(s scanner, d *OutsideDecision) error {
		var at string
		err := s.Scan(&d.RecordID, &d.List, &d.Ref, &d.Content, &d.Decision, &d.Reason, &d.Became, &d.ByID, &at)
		d.At = Moment(at)
		return err
	}, "SELECT d.record_id, d.list, d.ref, d.content, d.decision, d.reason, d.became, d.by_id, d.at FROM outside_record r JOIN outside_decision d ON d.record_id = r.id WHERE r.patient_id "+
		samePerson+" AND r.house = ?2 ORDER BY d.id", patient, house)
}

// AddOutsideReview keeps that a record was signed as read.
func (q *Q) AddOutsideReview(record, comment, by string, at time.Time, folio int) error {
	return q.do("INSERT INTO outside_review(record_id, comment, by_id, at, folio) VALUES (?,?,?,?,?)", record, comment, by, Stamp(at), folio)
}

// ReportedOf lists the severe allergies that records of a patient tell of, as long as nobody has signed the record, and the patient has not
// said that they were never at that house.
func (q *Q) ReportedOf(patient string) (out []Reported, err error) {
	type row struct{ house, severe string }
	rows, err := list(q, func(s scanner, r *row) error { return s.Scan(&r.house, &r.severe) }, `SELECT r.house, r.severe FROM outside_record r
		WHERE r.patient_id `+samePerson+` AND r.severe <> '[]' AND NOT EXISTS (SELECT 1 FROM outside_review v WHERE v.record_id = r.id)
		AND coalesce((SELECT s.says FROM outside_source s WHERE s.patient_id = r.patient_id AND s.house = r.house ORDER BY s.id DESC LIMIT 1), '') <> 'refused'`, patient)
	for _, r := range rows {
		var all []Reported
		if err := json.Unmarshal([]byte(r.severe), &all); err != nil {
			return nil, err
		}
		for _, x := range all {
			x.House = r.house
			out = append(out, x)
		}
	}
	return out, err
}

// OutsideToAsk counts the houses that sent a record of a patient, and of which nobody has said whether they were there.
func (q *Q) OutsideToAsk(patient string) (int, error) {
	return one(q, scalar[int], `SELECT count(DISTINCT r.house) FROM outside_record r WHERE r.patient_id `+samePerson+` AND r.unreadable = ''
		AND NOT EXISTS (SELECT 1 FROM outside_review v WHERE v.record_id = r.id) AND NOT EXISTS (SELECT 1 FROM outside_source s WHERE s.patient_id = r.patient_id AND s.house = r.house)`, patient)
}

// LinkedHere lists the people with a visit of a day who have come, and of whom something was asked of the exchange before.
func (q *Q) LinkedHere(day string) ([]string, error) {
	return list(q, scalar[string], `SELECT DISTINCT p.person_id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE v.day = ? AND v.stage NOT IN ('expected', 'done')
		AND EXISTS (SELECT 1 FROM patient own JOIN inquiry i ON i.patient_id = own.id WHERE own.person_id = p.person_id AND i.kind = 'exchange link') ORDER BY 1`, day)
}
