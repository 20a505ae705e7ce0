package store

import (
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"strings"
	"time"
	"unicode"

	"deftledger/core/chart"
)

// Staff is a person who signs in.
type Staff struct {
	ID, Login, Given, Family, Role string
	PasswordHash, SecretHash       string
	DraftKey                       []byte
	SingleKeys, Active             bool
}

// Name is how the person is called in the chart.
func (s Staff) Name() string { return s.Given + " " + s.Family }

const staffCols = "id, login, given, family, role, password_hash, secret_hash, draft_key, single_keys, active"

func scanStaff(s scanner, t *Staff) error {
	return s.Scan(&t.ID, &t.Login, &t.Given, &t.Family, &t.Role, &t.PasswordHash, &t.SecretHash, &t.DraftKey, &t.SingleKeys, &t.Active)
}

// AddStaff stores a new person.
func (q *Q) AddStaff(s Staff) error {
	q.names = nil
	return q.do("INSERT INTO staff("+staffCols+") VALUES (?,?,?,?,?,?,?,?,?,?)", s.ID, s.Login, s.Given, s.Family, s.Role, s.PasswordHash,
		s.SecretHash, s.DraftKey, s.SingleKeys, s.Active)
}

// StaffByLogin finds an active person.
func (q *Q) StaffByLogin(login string) (Staff, error) {
	return one(q, scanStaff, "SELECT "+staffCols+" FROM staff WHERE login = ? AND active = 1", login)
}

// StaffByID finds a person, active or not.
func (q *Q) StaffByID(id string) (Staff, error) {
	return one(q, scanStaff, "SELECT "+staffCols+" FROM staff WHERE id = ?", id)
}

// StaffNames are the names of all staff by identifier, read once in a transaction.
func (q *Q) StaffNames() (map[string]string, error) {
	if q.names != nil {
		return q.names, nil
	}
	type named struct{ id, name string }
	all, err := list(q, func(s scanner, n *named) error { return s.Scan(&n.id, &n.name) }, "SELECT id, given || ' ' || family FROM staff")
	if err != nil {
		return nil, err
	}
	q.names = map[string]string{}
	for _, n := range all {
		q.names[n.id] = n.name
	}
	return q.names, nil
}

// AllStaff lists everybody, physicians first.
func (q *Q) AllStaff() ([]Staff, error) {
	return list(q, scanStaff, "SELECT "+staffCols+" FROM staff ORDER BY role <> 'physician', family")
}

// SetEachReport says whether the desk of a person has a row for each report, or one for each patient.
func (q *Q) SetEachReport(staff string, on bool) error {
	return q.do("INSERT INTO desk_choice(staff_id, each_report) VALUES (?,?) ON CONFLICT(staff_id) DO UPDATE SET each_report = excluded.each_report", staff, flag(on))
}

// EachReport says whether the desk of a person has a row for each report.
func (q *Q) EachReport(staff string) (bool, error) {
	return one(q, scalar[bool], "SELECT coalesce((SELECT each_report FROM desk_choice WHERE staff_id = ?), 0)", staff)
}

// SetSingleKeys switches the one-letter keys of a person.
func (q *Q) SetSingleKeys(staff string, on bool) error {
	return q.do("UPDATE staff SET single_keys = ? WHERE id = ?", on, staff)
}

// SetHashes replaces a person's password and signing-secret hashes and ends the sessions.
func (q *Q) SetHashes(staff, password, secret string) error {
	if err := q.do("UPDATE staff SET password_hash = ?, secret_hash = ? WHERE id = ?", password, secret, staff); err != nil {
		return err
	}
	return q.do("DELETE FROM session WHERE staff_id = ?", staff)
}

// Attempts returns the failures counted for somebody and until when they are blocked.
func (q *Q) Attempts(who string) (failures int, until time.Time, err error) {
	type row struct {
		n int
		t string
	}
	rows, err := list(q, func(s scanner, r *row) error { return s.Scan(&r.n, &r.t) },
		"SELECT failures, blocked_until FROM attempt WHERE who = ?", who)
	if err != nil || len(rows) == 0 {
		return 0, time.Time{}, err
	}
	return rows[0].n, Moment(rows[0].t), nil
}

// SetAttempts stores them; none clears.
func (q *Q) SetAttempts(who string, failures int, until time.Time) error {
	if failures == 0 {
		return q.do("DELETE FROM attempt WHERE who = ?", who)
	}
	return q.do("INSERT INTO attempt(who, failures, blocked_until) VALUES (?,?,?) ON CONFLICT(who) DO UPDATE SET failures = "+
		"excluded.failures, blocked_until = excluded.blocked_until", who, failures, Stamp(until))
}

// Session is a sign-in of one browser.
type Session struct {
	Hash         []byte
	StaffID      string
	Created      time.Time
	Seen         time.Time
	Locked       bool
	SigningUntil time.Time
}

// AddSession stores a session and forgets those that began before a time.
func (q *Q) AddSession(s Session, forget time.Time) error {
	if err := q.do("DELETE FROM session WHERE created_at < ?", Stamp(forget)); err != nil {
		return err
	}
	return q.do("INSERT INTO session(token_hash, staff_id, created_at, seen_at) VALUES (?,?,?,?)", s.Hash, s.StaffID, Stamp(s.Created),
		Stamp(s.Seen))
}

// SessionByHash finds a session.
func (q *Q) SessionByHash(hash []byte) (Session, error) {
	return one(q, func(s scanner, t *Session) error {
		var created, seen, until string
		err := s.Scan(&t.Hash, &t.StaffID, &created, &seen, &t.Locked, &until)
		t.Created, t.Seen, t.SigningUntil = Moment(created), Moment(seen), Moment(until)
		return err
	}, "SELECT token_hash, staff_id, created_at, seen_at, locked, signing_until FROM session WHERE token_hash = ?", hash)
}

// SeenSession notes that the person did something; a locked session stays as it is.
func (q *Q) SeenSession(hash []byte, at time.Time) error {
	return q.do("UPDATE session SET seen_at = ? WHERE token_hash = ? AND locked = 0", Stamp(at), hash)
}

// LockSession locks a session and closes signing in it.
func (q *Q) LockSession(hash []byte) error {
	return q.do("UPDATE session SET locked = 1, signing_until = '' WHERE token_hash = ?", hash)
}

// UnlockSession opens a locked session.
func (q *Q) UnlockSession(hash []byte, at time.Time) error {
	return q.do("UPDATE session SET locked = 0, seen_at = ? WHERE token_hash = ?", Stamp(at), hash)
}

// OpenSigning opens signing until a time; not in a session locked meanwhile.
func (q *Q) OpenSigning(hash []byte, until time.Time) error {
	return q.do("UPDATE session SET signing_until = ? WHERE token_hash = ? AND locked = 0", Stamp(until), hash)
}

// SessionsOf lists where a person is signed in since a moment, the newest first.
func (q *Q) SessionsOf(staff string, after time.Time) ([]Session, error) {
	return list(q, func(s scanner, t *Session) error {
		var created, seen string
		err := s.Scan(&t.Hash, &t.StaffID, &created, &seen, &t.Locked)
		t.Created, t.Seen = Moment(created), Moment(seen)
		return err
	}, "SELECT token_hash, staff_id, created_at, seen_at, locked FROM session WHERE staff_id = ? AND created_at >= ? ORDER BY created_at DESC",
		staff, Stamp(after))
}

// ChangeHashes replaces a person's hashes and ends all sessions but one.
func (q *Q) ChangeHashes(staff, password, secret string, but []byte) error {
	if err := q.do("UPDATE staff SET password_hash = ?, secret_hash = ? WHERE id = ?", password, secret, staff); err != nil {
		return err
	}
	return q.do("DELETE FROM session WHERE staff_id = ? AND token_hash <> ?", staff, but)
}

// SetActive lets a person in, or lets them in no more and ends their sessions.
func (q *Q) SetActive(staff string, active bool) error {
	if err := q.do("UPDATE staff SET active = ? WHERE id = ?", active, staff); err != nil || active {
		return err
	}
	return q.do("DELETE FROM session WHERE staff_id = ?", staff)
}

// EndSession removes a session.
func (q *Q) EndSession(hash []byte) error {
	return q.do("DELETE FROM session WHERE token_hash = ?", hash)
}

const patientCols = "p.id, p.record, p.family, p.given, p.middle, p.birth_date, p.sex, p.phone, p.code_status, p.uses_portal, p.person_id"

func scanPatient(s scanner, p *chart.Patient) error {
	return s.Scan(patientFields(p)...)
}

func patientFields(p *chart.Patient) []any {
	return []any{&p.ID, &p.Record, &p.Name.Family, &p.Name.Given, &p.Name.Middle, &p.BirthDate, &p.Sex, &p.Phone, &p.CodeStatus, &p.UsesPortal,
		&p.PersonID}
}

// AddPatient stores a new patient and makes them findable.
func (q *Q) AddPatient(p chart.Patient) error {
	words := searched(p)
	if err := q.do("INSERT INTO patient(id, record, family, given, middle, birth_date, sex, phone, code_status, uses_portal, words) VALUES "+
		"(?,?,?,?,?,?,?,?,?,?,?)",
		p.ID, p.Record, p.Name.Family, p.Name.Given, p.Name.Middle, p.BirthDate, p.Sex, p.Phone, p.CodeStatus, p.UsesPortal, words); err != nil {
		return err
	}
	return q.index(p.ID, words)
}

// searched is what the finder looks through of a patient.
func searched(p chart.Patient) string {
	return chart.Plain(strings.Join([]string{p.Name.Given, p.Name.Middle, p.Name.Family, p.Record, p.BirthDate, p.Phone,
		onlyDigits(p.Phone)}, " "))
}

// index makes a patient findable by any part of their words. The index holds what stands
// in threes; a single character and a pair are made into threes with a sign nobody types.
func (q *Q) index(id, words string) error {
	short := map[string]bool{}
	for w := range strings.FieldsSeq(words) {
		letters := []rune(w)
		for i := range letters {
			short[three(letters[i:i+1])] = true
			if i+1 < len(letters) {
				short[three(letters[i:i+2])] = true
			}
		}
	}
	return q.do("INSERT INTO patient_search(patient_id, words) VALUES (?,?)", id,
		words+" "+strings.Join(slices.Sorted(maps.Keys(short)), ""))
}

// three fills a part of a word up to the three characters that the index needs.
func three(part []rune) string {
	return strings.Repeat("\uE000", max(0, 3-len(part))) + string(part)
}

// fold makes findable who was registered by a former version.
func (q *Q) fold() error {
	ps, err := list(q, scanPatient, "SELECT "+patientCols+" FROM patient p WHERE p.words = ''")
	if err != nil {
		return err
	}
	for _, p := range ps {
		words := searched(p)
		if err := errors.Join(q.do("UPDATE patient SET words = ? WHERE id = ?", words, p.ID), q.index(p.ID, words)); err != nil {
			return err
		}
	}
	return nil
}

// PatientByID finds a record as it was registered, also one merged into another.
func (q *Q) PatientByID(id string) (chart.Patient, error) {
	return one(q, scanPatient, "SELECT "+patientCols+" FROM patient p WHERE p.id = ?", id)
}

// Person finds the patient a record is about: the record it was merged into, if any.
func (q *Q) Person(id string) (chart.Patient, error) {
	return about(q, func(p chart.Patient) string { return p.ID })(one(q, scanPatient, "SELECT "+patientCols+
		" FROM patient own JOIN patient p ON p.id = own.person_id WHERE own.id = ?", id))
}

// PatientsIn lists records by their identifiers.
func (q *Q) PatientsIn(ids []string) ([]chart.Patient, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanPatient, "SELECT "+patientCols+" FROM patient p WHERE p.id IN (SELECT value FROM json_each(?))", string(all))
}

// samePerson completes a condition on a record: it is about the same person as the
// record of the parameter.
const samePerson = "IN (SELECT id FROM patient WHERE person_id = (SELECT person_id FROM patient WHERE id = ?))"

// AllPatients lists every record, merged ones too, for matching.
func (q *Q) AllPatients() ([]chart.Patient, error) {
	return list(q, scanPatient, "SELECT "+patientCols+" FROM patient p ORDER BY p.family, p.given")
}

// PatientsLike lists the records that may be meant by an identity: born on one of some days, with the same telephone, with a family
// name that begins or ends as one of its words, or whose family name is its given name. Who is meant is for core/outside to weigh.
func (q *Q) PatientsLike(family, given string, births []string, phone string) ([]chart.Patient, error) {
	var match []string
	for _, w := range strings.FieldsFunc(family, func(r rune) bool { return !unicode.IsLetter(r) }) {
		if l := []rune(w); len(l) >= 6 { // one wrong letter leaves the beginning or the end
			match = append(match, `"`+string(l[:4])+`"`, `"`+string(l[len(l)-4:])+`"`)
		} else if len(l) >= 3 { // shorter ones are found by the whole name
			match = append(match, `"`+w+`"`)
		}
	}
	digits := onlyDigits(phone)
	if len(digits) >= 7 {
		match = append(match, `"`+digits+`"`)
	}
	if len(match) == 0 {
		match = []string{`"\x01\x01\x01"`} // nothing
	}
	days, _ := json.Marshal(births)
	return list(q, scanPatient, "SELECT "+patientCols+` FROM patient p WHERE p.id IN (
		SELECT id FROM patient WHERE birth_date IN (SELECT value FROM json_each(?1)) AND birth_date <> '' UNION SELECT id FROM patient WHERE family = ?2 COLLATE NOCASE
		UNION SELECT id FROM patient WHERE family = ?3 COLLATE NOCASE AND ?3 <> ''
		UNION SELECT patient_id FROM patient_search WHERE patient_search MATCH ?4) ORDER BY p.family, p.given, p.id`, string(days), family, given,
		strings.Join(match, " OR "))
}

// RecordNumbers returns the record numbers of some patients, by identifier.
func (q *Q) RecordNumbers(ids []string) (map[string]string, error) {
	type row struct{ id, record string }
	all, _ := json.Marshal(ids)
	rows, err := list(q, func(s scanner, r *row) error { return s.Scan(&r.id, &r.record) },
		"SELECT id, record FROM patient WHERE id IN (SELECT value FROM json_each(?))", string(all))
	out := map[string]string{}
	for _, r := range rows {
		out[r.id] = r.record
	}
	return out, err
}

func onlyDigits(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' {
			return r
		}
		return -1
	}, s)
}

// manyHits is how many hits of the word index are put in order without asking further; of
// more, enough are likely to be among the first names of the practice, which are in order.
const manyHits = 1000

// FindPatients finds by any part of a name, birth date, record number or phone, in the
// order of names; every word must occur.
func (q *Q) FindPatients(query string, limit int) ([]chart.Patient, error) {
	var match []string
	where, like := []string{"TRUE"}, []any{}
	for _, w := range strings.Fields(chart.Plain(query)) {
		match = append(match, `"`+strings.ReplaceAll(three([]rune(w)), `"`, `""`)+`"`)
		where = append(where, `p.words LIKE ? ESCAPE '\'`)
		like = append(like, "%"+strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(w)+"%")
	}
	if len(match) == 0 {
		return nil, nil
	}
	all, condition := strings.Join(match, " AND "), strings.Join(where, " AND ")
	hits, err := one(q, scalar[int], "SELECT count(*) FROM (SELECT 1 FROM patient_search WHERE patient_search MATCH ? LIMIT ?)", all, manyHits+1)
	if err != nil {
		return nil, err
	}
	most := 4 * limit // records merged into another are shown once
	var persons []string
	if hits > manyHits {
		if persons, err = q.firstWith(condition, like, most); err != nil {
			return nil, err
		}
	}
	if len(persons) < most {
		if persons, err = list(q, scalar[string], "SELECT p.person_id FROM patient_search w JOIN patient p ON p.id = w.patient_id"+
			" WHERE w.patient_search MATCH ? AND "+condition+" ORDER BY p.family, p.given LIMIT ?", append(append([]any{all}, like...), most)...); err != nil {
			return nil, err
		}
	}
	ids, _ := json.Marshal(persons)
	// A record merged into another is found by either name, and is shown once.
	return list(q, scanPatient, "SELECT "+patientCols+
		" FROM patient p WHERE p.id IN (SELECT value FROM json_each(?)) ORDER BY p.family, p.given LIMIT ?", string(ids), limit)
}

// firstWith are the persons of those among the first names of the practice that meet a
// condition on p.
func (q *Q) firstWith(condition string, args []any, most int) ([]string, error) {
	return list(q, scalar[string], "SELECT p.person_id FROM (SELECT family, given, words, person_id FROM patient INDEXED BY patient_find"+
		" ORDER BY family, given LIMIT 4000) p WHERE "+condition+" ORDER BY p.family, p.given LIMIT ?", append(slices.Clone(args), most)...)
}
