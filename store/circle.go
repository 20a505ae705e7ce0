package store

import (
	"encoding/json"
	"errors"
	"time"

	"deftledger/core/chart"
	"deftledger/core/circle"
	"deftledger/core/line"
)

// Ties are what joins people of the practice to some patients, by the identifier asked for:
// what is of any record of the same person counts. The day of an order is its moment as kept.
func (q *Q) Ties(patients []string, now time.Time) (map[string][]circle.Tie, error) {
	type tied struct {
		patient string
		circle.Tie
	}
	all, _ := json.Marshal(patients)
	rows, err := list(q, func(s scanner, t *tied) error { return s.Scan(&t.patient, &t.Kind, &t.With, &t.Day) },
		`WITH own(id, asked) AS (SELECT p.id, a.value FROM json_each(?) a JOIN patient x ON x.id = a.value JOIN patient p ON p.person_id = x.person_id)
		SELECT o.asked, ?, u.staff_id, '' FROM own o JOIN usual_clinician u ON u.patient_id = o.id
		UNION ALL SELECT o.asked, ?, l.owner_id, '' FROM own o JOIN line l ON l.patient_id = o.id AND l.closed_at = ''
			WHERE l.owner_id IS NOT NULL AND l.kind <> ?
		UNION ALL SELECT o.asked, ?, v.clinician_id, v.day FROM own o JOIN visit v ON v.patient_id = o.id
		UNION ALL SELECT o.asked, ?, v.with_id, v.day FROM own o JOIN visit v ON v.patient_id = o.id WHERE v.with_id <> ''
		UNION ALL SELECT o.asked, ?, n.author_id, v.day FROM own o JOIN note n ON n.patient_id = o.id JOIN visit v ON v.id = n.visit_id
		UNION ALL SELECT o.asked, ?, r.clinician_id, r.signed_at FROM own o JOIN lab_order r ON r.patient_id = o.id
		UNION ALL SELECT o.asked, ?, r.by_id, r.at FROM own o JOIN prepared_order r ON r.patient_id = o.id
		UNION ALL SELECT o.asked, ?, g.by_id, g.at FROM own o JOIN registration g ON g.patient_id = o.id AND g.version = 1 WHERE g.by_id <> ''
		UNION ALL SELECT o.asked, ?, e.staff_id, '' FROM own o JOIN opening e ON e.patient_id = o.id AND e.until > ?`,
		string(all), circle.Usual, circle.Line, line.Opening, circle.Visit, circle.Visit, circle.Visit, circle.Order, circle.Order, circle.Registered, circle.Opened,
		Stamp(now))
	out := map[string][]circle.Tie{}
	for _, r := range rows {
		out[r.patient] = append(out[r.patient], r.Tie)
	}
	return out, err
}

// Beside are those in whose place or beside whom somebody works on a day: their team, which
// is the whole practice while it has made none, and whom they cover for.
func (q *Q) Beside(staff, day string) (circle.Asker, error) {
	out := circle.Asker{ID: staff}
	type other struct{ id, how string }
	rows, err := list(q, func(s scanner, o *other) error { return s.Scan(&o.id, &o.how) },
		`SELECT m.staff_id, 'team' FROM team_member own JOIN team_member m ON m.team_id = own.team_id WHERE own.staff_id = ?1
		UNION ALL SELECT id, 'team' FROM staff WHERE NOT EXISTS (SELECT 1 FROM team)
		UNION ALL SELECT of_id, 'cover' FROM cover WHERE by_id = ?1 AND to_day >= ?2 AND from_day <= ?2 AND ended_at = ''`, staff, day)
	for _, r := range rows {
		if r.how == "team" {
			out.Team = append(out.Team, r.id)
		} else {
			out.Covers = append(out.Covers, r.id)
		}
	}
	return out, err
}

// CareTeam is a team of the practice.
type CareTeam struct {
	ID, Name string
	Members  []string
}

// Teams lists the teams of the practice with who is in them.
func (q *Q) Teams() ([]CareTeam, error) {
	return list(q, func(s scanner, t *CareTeam) error {
		var members string
		if err := s.Scan(&t.ID, &t.Name, &members); err != nil {
			return err
		}
		return json.Unmarshal([]byte(members), &t.Members)
	}, `SELECT id, name, (SELECT json_group_array(m.staff_id ORDER BY m.staff_id) FROM team_member m WHERE m.team_id = team.id) FROM team ORDER BY name`)
}

// SetTeam makes a team, or makes it anew with other members.
func (q *Q) SetTeam(t CareTeam) error {
	if err := q.do("INSERT INTO team(id, name) VALUES (?,?) ON CONFLICT(id) DO UPDATE SET name = excluded.name", t.ID, t.Name); err != nil {
		return err
	}
	members, _ := json.Marshal(t.Members)
	if err := q.do("DELETE FROM team_member WHERE team_id = ? AND staff_id NOT IN (SELECT value FROM json_each(?))", t.ID, string(members)); err != nil {
		return err
	}
	return q.do("INSERT OR IGNORE INTO team_member(team_id, staff_id) SELECT ?, value FROM json_each(?)", t.ID, string(members))
}

// DropTeam ends a team; its lines are everybody's then.
func (q *Q) DropTeam(id string) error {
	if err := errors.Join(q.do("DELETE FROM line_team WHERE team_id = ?", id), q.do("DELETE FROM team_member WHERE team_id = ?", id)); err != nil {
		return err
	}
	return q.must("DELETE FROM team WHERE id = ?", id)
}

// Cover is somebody covering for another from day to day.
type Cover struct {
	ID, OfID, ByID, From, To, SetBy string
	SetAt                           time.Time
}

// AddCover stores who covers for whom.
func (q *Q) AddCover(c Cover) error {
	return q.do("INSERT INTO cover(id, of_id, by_id, from_day, to_day, set_by, set_at) VALUES (?,?,?,?,?,?,?)", c.ID, c.OfID, c.ByID, c.From, c.To,
		c.SetBy, Stamp(c.SetAt))
}

const coverCols = "id, of_id, by_id, from_day, to_day, set_by, set_at"

func scanCover(s scanner, c *Cover) error {
	var at string
	err := s.Scan(&c.ID, &c.OfID, &c.ByID, &c.From, &c.To, &c.SetBy, &at)
	c.SetAt = Moment(at)
	return err
}

// Covers lists who covers for whom from a day on.
func (q *Q) Covers(day string) ([]Cover, error) {
	return list(q, scanCover, "SELECT "+coverCols+" FROM cover WHERE to_day >= ? AND ended_at = '' ORDER BY to_day, from_day", day)
}

// CoveredBy lists who covers for somebody on a day.
func (q *Q) CoveredBy(of, day string) ([]string, error) {
	return list(q, scalar[string], "SELECT by_id FROM cover WHERE of_id = ? AND to_day >= ? AND from_day <= ? AND ended_at = ''", of, day, day)
}

// CoverByID finds a cover.
func (q *Q) CoverByID(id string) (Cover, error) {
	return one(q, scanCover, "SELECT "+coverCols+" FROM cover WHERE id = ?", id)
}

// EndCover ends a cover before its last day.
func (q *Q) EndCover(id, by string, at time.Time) error {
	return q.must("UPDATE cover SET ended_at = ?, ended_by = ? WHERE id = ? AND ended_at = ''", Stamp(at), by, id)
}

// UsualOf tells who usually sees each of some people, whom somebody does.
func (q *Q) UsualOf(people []string) (map[string]string, error) {
	all, _ := json.Marshal(people)
	type pair struct{ patient, staff string }
	pairs, err := list(q, func(s scanner, p *pair) error { return s.Scan(&p.patient, &p.staff) },
		"SELECT u.patient_id, u.staff_id FROM json_each(?) j JOIN usual_clinician u ON u.patient_id = j.value", string(all))
	out := map[string]string{}
	for _, p := range pairs {
		out[p.patient] = p.staff
	}
	return out, err
}

// CountPeople counts who has a record, each once.
func (q *Q) CountPeople() (int, error) {
	return one(q, scalar[int], "SELECT count(*) FROM patient WHERE person_id = id")
}

// UsualClinician is who a patient usually sees; "" where nobody said.
func (q *Q) UsualClinician(patient string) (string, error) {
	all, err := list(q, scalar[string], "SELECT staff_id FROM usual_clinician WHERE patient_id "+samePerson+" LIMIT 1", patient)
	if err != nil || len(all) == 0 {
		return "", err
	}
	return all[0], nil
}

// SetUsualClinician says who a patient usually sees; "" for nobody.
func (q *Q) SetUsualClinician(patient, staff, by string, at time.Time) error {
	if err := q.do("DELETE FROM usual_clinician WHERE patient_id "+samePerson+" AND patient_id <> ?", patient, patient); err != nil {
		return err
	}
	if staff == "" {
		return q.do("DELETE FROM usual_clinician WHERE patient_id = ?", patient)
	}
	return q.do("INSERT INTO usual_clinician(patient_id, staff_id, by_id, at) VALUES (?,?,?,?) ON CONFLICT(patient_id) DO UPDATE SET "+
		"staff_id = excluded.staff_id, by_id = excluded.by_id, at = excluded.at", patient, staff, by, Stamp(at))
}

// PatientsOf lists the patients of a usual clinician by identifier, after one.
func (q *Q) PatientsOf(staff, after string, limit int) ([]chart.Patient, error) {
	return list(q, scanPatient, "SELECT "+patientCols+" FROM usual_clinician u JOIN patient p ON p.id = u.patient_id"+
		" WHERE u.staff_id = ? AND u.patient_id > ? ORDER BY u.patient_id LIMIT ?", staff, after, limit)
}

// CountPatientsOf counts the patients of each usual clinician.
func (q *Q) CountPatientsOf() (map[string]int, error) {
	type count struct {
		staff string
		n     int
	}
	rows, err := list(q, func(s scanner, c *count) error { return s.Scan(&c.staff, &c.n) },
		"SELECT s.id, (SELECT count(*) FROM usual_clinician u WHERE u.staff_id = s.id) FROM staff s")
	out := map[string]int{}
	for _, r := range rows {
		out[r.staff] = r.n
	}
	return out, err
}

// Opening is a chart opened with a reason, and what was said of it afterwards.
type Opening struct {
	ID, StaffID, Reason string
	Patient             chart.Patient
	At, Until           time.Time
	ReviewerID          string // "" for whoever may review
	ReviewedAt          time.Time
	ReviewedBy, Remark  string
	Verdict             circle.Verdict
}

const openingQuery = `SELECT o.id, o.staff_id, o.at, o.until, o.reason, coalesce(o.reviewer_id, ''), o.reviewed_at, o.reviewed_by, o.verdict, o.remark, ` +
	patientCols + ` FROM opening o JOIN patient own ON own.id = o.patient_id JOIN patient p ON p.id = own.person_id `

func scanOpening(s scanner, o *Opening) error {
	var at, until, reviewed string
	err := s.Scan(append([]any{&o.ID, &o.StaffID, &at, &until, &o.Reason, &o.ReviewerID, &reviewed, &o.ReviewedBy, &o.Verdict, &o.Remark},
		patientFields(&o.Patient)...)...)
	o.At, o.Until, o.ReviewedAt = Moment(at), Moment(until), Moment(reviewed)
	return err
}

// AddOpening stores that somebody opened a chart with a reason.
func (q *Q) AddOpening(o Opening) error {
	return q.do("INSERT INTO opening(id, patient_id, staff_id, at, until, reason, reviewer_id) VALUES (?,?,?,?,?,?,nullif(?, ''))", o.ID,
		o.Patient.ID, o.StaffID, Stamp(o.At), Stamp(o.Until), o.Reason, o.ReviewerID)
}

// OpeningByID finds an opening.
func (q *Q) OpeningByID(id string) (Opening, error) {
	return one(q, scanOpening, openingQuery+"WHERE o.id = ?", id)
}

// OpeningsIn lists openings by id.
func (q *Q) OpeningsIn(ids []string) ([]Opening, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanOpening, openingQuery+"WHERE o.id IN (SELECT value FROM json_each(?))", string(all))
}

// OpeningOf finds the one by which a chart is open to somebody now.
func (q *Q) OpeningOf(staff, patient string, now time.Time) (Opening, error) {
	return one(q, scanOpening, openingQuery+"WHERE o.patient_id "+samePerson+" AND o.until > ? AND o.staff_id = ? ORDER BY o.until DESC LIMIT 1",
		patient, Stamp(now), staff)
}

// Openings lists openings, the newest first, before a moment; waiting are those nobody has
// reviewed.
func (q *Q) Openings(waiting bool, before time.Time, limit int) ([]Opening, error) {
	where := "WHERE o.at < ?"
	if waiting {
		where += " AND o.reviewed_at = ''"
	}
	return list(q, scanOpening, openingQuery+where+" ORDER BY o.at DESC LIMIT ?", Stamp(before), limit)
}

// ReviewOpening records what somebody said of an opening; ErrStale when somebody did before.
func (q *Q) ReviewOpening(id string, v circle.Verdict, remark, by string, at time.Time) error {
	return q.fresh("UPDATE opening SET verdict = ?, remark = ?, reviewed_by = ?, reviewed_at = ? WHERE id = ? AND reviewed_at = ''", v, remark, by,
		Stamp(at), id)
}
