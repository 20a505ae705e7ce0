package store

import (
	"bytes"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
)

// TrailHead is the newest link of the trail. Of names the copy of the data it belongs to: a
// restored copy goes on under a name of its own, so that two copies do not dispute a witness.
type TrailHead struct {
	Seq  int64  `json:"trail"`
	Hash string `json:"hash"`
	Of   string `json:"of"`
}

// CopySetting is the setting that names a copy of the data.
const CopySetting = "copy"

// named gives the data a name of their own where they have none.
func (q *Q) named() error {
	name, err := q.Setting(CopySetting)
	if err != nil || name != "" {
		return err
	}
	return q.NameCopy()
}

// NameCopy gives the data a new name, under which their trail is witnessed from now on.
func (q *Q) NameCopy() error {
	var raw [8]byte
	_, _ = rand.Read(raw[:])
	return q.SetSetting(CopySetting, hex.EncodeToString(raw[:]))
}

type guardedTable struct{ name, key, columns string }

// guarded are the groups of rows that the trail holds: by kind, the tables with the column
// that names the group and the columns that count. A draft is not guarded; a signed note is.
var guarded = map[string][]guardedTable{
	"patient": {
		{"patient", "id", "id record family given middle birth_date sex phone code_status uses_portal person_id"},
	},
	"staff": {
		{"staff", "id", "id login given family role password_hash secret_hash active"},
		{"second_factor", "staff_id", "staff_id sealed active"},
		{"staff_npi", "staff_id", "staff_id npi proof at"},
	},
	"setting": {
		{"setting", "name", "name value"},
	},
	"form": {
		{"form", "id", "kind id version owner_id body prose retired by_id at"},
	},
	"problem": {
		{"problem", "patient_id", "id patient_id code title since ended onset state"},
	},
	"allergy": {
		{"allergy", "patient_id", "id patient_id substance reaction severity stated_at stated_by source ended_at ended_by end_reason"},
	},
	"medicine": {
		{"medicine", "patient_id", "id patient_id name dose started stopped stop_reason source added_by added_at stopped_by"},
	},
	"history": {
		{"history", "patient_id", "id patient_id list title detail since until source stated_at stated_by ended_at ended_by end_reason"},
	},
	"statement": {
		{"statement", "patient_id", "id patient_id list says staff_id at visit_id"},
	},
	"vital": {
		{"vital", "patient_id", "id patient_id loinc name value unit taken_at visit_id origin entered by_id struck_at struck_by"},
	},
	"immunization": {
		{"immunization", "patient_id", "id patient_id visit_id cvx name maker lot expires dose route site sheet given_at given_by struck_at struck_by struck_reason"},
	},
	"incoming_entry": {
		{"incoming_entry", "id", "id patient_id visit_id source reference list title detail since link received_at decision decided_at decided_by became"},
	},
	"visit": {
		{"visit", "id", "id patient_id clinician_id day starts_at kind reason room stage stage_at version with_id"},
	},
	"lab_order": {
		{"lab_order", "id", "id patient_id visit_id clinician_id placer laboratory priority state signed_at collected_at reason request_id cancelling"},
		{"order_test", "order_id", "order_id position code name loinc specimen tube diagnoses"},
	},
	"order_more": {
		{"order_more", "order_id", "order_id kind party site together due drawing detail"},
		{"order_test_more", "order_id", "order_id position detail"},
		{"specimen", "order_id", "id order_id says drawn_at reason by_id at"},
	},
	"order_event": {
		{"order_event", "order_id", "id order_id says detail until by_id at"},
	},
	"inquiry": {
		{"inquiry", "id", "id kind source origin patient_id owner_id said by_id at state answer order_id done_by done_at"},
		{"inquiry_event", "inquiry_id", "id inquiry_id kind says by_id at"},
	},
	"outside_record": {
		{"outside_record", "id", "id patient_id house set_id version title written_at sum unreadable why severe by_id received_at"},
		{"outside_decision", "record_id", "id record_id list ref content decision reason became by_id at"},
		{"outside_review", "record_id", "record_id comment by_id at folio"},
	},
	"outside_source": {
		{"outside_source", "patient_id", "id patient_id house says words by_id at"},
	},
	"print_batch": {
		{"print_batch", "id", "id by_id at"},
		{"print_report", "batch_id", "batch_id position report_id issue"},
		{"print_event", "batch_id", "id batch_id form by_id at"},
	},
	"directory": {
		{"directory", "id", "id kind name person specialty phone fax address npi reach account remark version by_id at gone"},
	},
	"further_order": {
		{"further_order", "id", "id kind number patient_id visit_id clinician_id by_id to_id request_id written_at detail signed_at folio state reason"},
		{"further_event", "order_id", "id order_id says detail happened origin document_id by_id at"},
	},
	"prepared_more": {
		{"prepared_more", "prepared_id", "prepared_id detail"},
	},
	"prepared_order": {
		{"prepared_order", "id", "id patient_id visit_id for_id by_id at priority collected tests state reason order_id request_id"},
	},
	"report": {
		{"report", "id", "id patient_id order_id position filler code title loinc owner_id status issue signed_issue version matched_by visit_id source matched_why gone_at"},
		{"report_issue", "report_id", "report_id issue inbox_id status collected_at reported_at received_at performer notes details part late"},
		{"report_value", "report_id", "report_id issue position code name loinc text unit range flag status notes details"},
		{"review", "report_id", "report_id issue comment told told_reason signed_by signed_at folio"},
		{"house_result", "report_id", "report_id issue test lot expires control by_id at"},
		{"review_addendum", "report_id", "id report_id issue says by_id at folio"},
	},
	"inbox": {
		{"inbox", "id", "id received_at peer sender control sha256 raw state reason"},
		{"inbox_part", "inbox_id", "inbox_id part state reason"},
	},
	"line": {
		{"line", "id", "id kind subject patient_id owner_id state opened_at closed_at closed_by closed_with by_name"},
		{"line_team", "line_id", "line_id team_id"},
	},
	"message": {
		{"message", "id", "id patient_id note_id text document_id folio state by_id at done_at settled"},
	},
	"document": {
		{"document", "id", "id patient_id note_id title pdf folio made_by made_at form"},
	},
	"fax": {
		{"fax", "id", "id document_id number state by_id at done_at settled"},
	},
	"follow_up": {
		{"follow_up", "id", "id patient_id note_id due said reason clinician_id by_id at state visit_id done_by done_at done_reason"},
	},
	"handed_to_billing": {
		{"handed_to_billing", "id", "id note_id format by_id at"},
	},
	"merge": {
		{"merge", "id", "id kept_id other_id reason by_id at folio apart_at apart_by apart_reason"},
	},
	"team": {
		{"team", "id", "id name"},
		{"team_member", "team_id", "team_id staff_id"},
	},
	"usual_clinician": {
		{"usual_clinician", "patient_id", "patient_id staff_id by_id at"},
	},
	"cover": {
		{"cover", "id", "id of_id by_id from_day to_day set_by set_at ended_at ended_by"},
	},
	"registration": {
		{"registration", "patient_id", "id patient_id version content reason by_id at"},
	},
	"medicine_detail": {
		{"medicine_detail", "patient_id", "medicine_id patient_id typed dosage why"},
	},
	"medicine_told": {
		{"medicine_told", "patient_id", "id medicine_id patient_id says detail by_id at"},
	},
	"allergy_detail": {
		{"allergy_detail", "patient_id", "allergy_id patient_id certainty"},
	},
	"allergy_tolerated": {
		{"allergy_tolerated", "patient_id", "id allergy_id patient_id what day by_id at"},
	},
	"care_entry": {
		{"care_entry", "patient_id", "id patient_id kind name says day until reason source version visit_id by_id at request_id back_at back_by back_reason"},
	},
	"rule_setting": {
		{"rule_setting", "rule", "rule version switched parameters by_id at"},
	},
	"rule_file": {
		{"rule_file", "rule", "rule serial version text by_id at"},
	},
	"screen_response": {
		{"screen_response", "patient_id", "id patient_id visit_id form version answers total loinc name says by_id at struck_at struck_by struck_reason"},
	},
	"opening": {
		{"opening", "id", "id patient_id staff_id at until reason reviewer_id reviewed_at reviewed_by verdict remark"},
	},
	"note": {
		{"note", "id", "id visit_id patient_id author_id created_at folio retracted belongs"},
		{"note_part", "note_id", "note_id part text version saved_at saved_by"},
		{"note_diagnosis", "note_id", "note_id code title edition position joined"},
		{"diagnosis_word", "note_id", "note_id code response because complicated remark measures version by_id at"},
		{"note_charges", "note_id", "note_id charges facts version by_id at"},
		{"note_finding", "note_id", "note_id area system finding state side severity duration words remark origin source_note looked version by_id at"},
		{"note_interview", "note_id", "note_id form form_version position"},
		{"note_answer", "note_id", "note_id form link value origin version by_id at"},
		{"note_drawing", "note_id", "note_id outline caption strokes svg version by_id at"},
		{"note_advice", "note_id", "note_id key reason by_id at"},
	},
}

// digestOf is the hash of the rows of a group, in whatever order they were read.
func digestOf(rows []string) []byte {
	slices.Sort(rows)
	var text []byte
	for _, r := range rows {
		text = append(append(append(strconv.AppendInt(text, int64(len(r)), 10), ':'), r...), '\n')
	}
	sum := sha256.Sum256(text)
	return sum[:]
}

// digestQueries read the rows of many groups of a kind, each with the group it is of.
var digestQueries = func() map[string]string {
	out := map[string]string{}
	for kind, tables := range guarded {
		var of []string
		for n, t := range tables {
			var cols []string
			for _, c := range strings.Fields(t.columns) {
				cols = append(cols, "quote("+c+")")
			}
			of = append(of, "SELECT CAST("+t.key+" AS TEXT), '"+strconv.Itoa(n)+":' || "+strings.Join(cols, " || ',' || ")+" FROM "+t.name+" WHERE "+t.key+
				" IN (SELECT value FROM json_each(?1))")
		}
		out[kind] = strings.Join(of, " UNION ALL ")
	}
	return out
}()

// digestsAtOnce is how many groups are read by one statement.
const digestsAtOnce = 500

// digests are the hashes of the rows of many groups as they are.
func (q *Q) digests(scopes []string) (map[string][]byte, error) {
	keys := map[string][]any{}
	for _, scope := range scopes {
		kind, key, _ := strings.Cut(scope, " ")
		var id any = key
		if kind == "inbox" {
			n, err := strconv.ParseInt(key, 10, 64)
			if err != nil {
				return nil, err
			}
			id = n
		}
		keys[kind] = append(keys[kind], id)
	}
	out := map[string][]byte{}
	for kind, ids := range keys {
		query, known := digestQueries[kind]
		if !known {
			return nil, fmt.Errorf("the trail knows no rows %q", kind)
		}
		for some := range slices.Chunk(ids, digestsAtOnce) {
			all, err := json.Marshal(some)
			if err != nil {
				return nil, err
			}
			type row struct{ key, text string }
			rows, err := list(q, func(s scanner, r *row) error { return s.Scan(&r.key, &r.text) }, query, string(all))
			if err != nil {
				return nil, err
			}
			of := map[string][]string{}
			for _, r := range rows {
				of[r.key] = append(of[r.key], r.text)
			}
			for _, id := range some {
				key := fmt.Sprint(id)
				out[kind+" "+key] = digestOf(of[key])
			}
		}
	}
	return out, nil
}

// link is what one writing transaction adds to the trail.
type link struct {
	seq, auditTo    int64
	auditHash, hash []byte
	rows            string
}

func (l link) after(prev []byte) []byte {
	h := sha256.New()
	fmt.Fprintf(h, "%x\n%d\n%d\n%x\n%d:%s\n", prev, l.seq, l.auditTo, l.auditHash, len(l.rows), l.rows)
	return h.Sum(nil)
}

func scanLink(s scanner, l *link) error {
	return s.Scan(&l.seq, &l.auditTo, &l.auditHash, &l.rows, &l.hash)
}

// auditText is an audit row as its hash is made of.
type auditText struct {
	id   int64
	text string
}

// auditTexts are the audit rows after one up to another.
func (q *Q) auditTexts(after, to int64) ([]auditText, error) {
	return list(q, func(s scanner, r *auditText) error { return s.Scan(&r.id, &r.text) },
		`SELECT id, quote(id) || quote(at) || quote(staff_id) || quote(act) || quote(patient_id) || quote(subject) || quote(detail)
		FROM audit WHERE id > ? AND id <= ? ORDER BY id`, after, to)
}

// hashOf is the hash of some audit rows, with the number of the last; after where there is none.
func hashOf(rows []auditText, after int64) (hash []byte, last int64) {
	h, last := sha256.New(), after
	for _, r := range rows {
		fmt.Fprintf(h, "%d:%s\n", len(r.text), r.text)
		last = r.id
	}
	return h.Sum(nil), last
}

// auditHash is the hash of the audit rows after one up to another.
func (q *Q) auditHash(after, to int64) (hash []byte, last int64, err error) {
	rows, err := q.auditTexts(after, to)
	hash, last = hashOf(rows, after)
	return hash, last, err
}

// seal is the newest digest of a group of rows, with the link that says it.
type seal struct {
	scope  string
	seq    int64
	digest []byte
}

// seals are the newest digests of some groups of rows.
func (q *Q) seals(scopes []string) (map[string]seal, error) {
	all, _ := json.Marshal(scopes)
	rows, err := list(q, func(s scanner, x *seal) error { return s.Scan(&x.scope, &x.seq, &x.digest) },
		"SELECT scope, seq, digest FROM row_seal WHERE scope IN (SELECT value FROM json_each(?))", string(all))
	out := make(map[string]seal, len(rows))
	for _, r := range rows {
		out[r.scope] = r
	}
	return out, err
}

// trailBegan is the migration with which the trail begins.
const trailBegan = 16

// left is what the last writing transaction left: the newest link, and the version of the
// data, which SQLite changes when another connection has written.
type left struct {
	link    link
	version int64
}

// begin looks, where another connection has written since, for the newest link and for what
// something else than the program changed.
func (q *Q) begin(was *left) error {
	version, err := one(q, scalar[int64], "PRAGMA data_version")
	if err != nil || version == was.version {
		return err
	}
	if err := q.foreign(); err != nil {
		return err
	}
	last, err := list(q, scanLink, newestLink)
	if err != nil {
		return err
	}
	if was.link = (link{}); len(last) > 0 {
		was.link = last[0]
	}
	was.version = version
	return nil
}

const newestLink = "SELECT seq, audit_to, audit_hash, rows, hash FROM trail ORDER BY seq DESC LIMIT 1"

// foreign puts aside, before an act begins, what something else than the program changed
// since the last one, so that it is never taken for what an act did.
func (q *Q) foreign() error {
	touched, err := list(q, scalar[string], `SELECT scope FROM (SELECT scope FROM touched LIMIT ?) UNION ALL
		SELECT 'audit ' || id FROM (SELECT id FROM audit WHERE id > coalesce((SELECT audit_to FROM trail ORDER BY seq DESC LIMIT 1), 0)
		ORDER BY id LIMIT 1)`, trailBatch)
	if err != nil || len(touched) == 0 {
		return err
	}
	for _, scope := range touched {
		if err := q.do("INSERT OR IGNORE INTO foreign_change(scope) VALUES (?)", scope); err != nil {
			return err
		}
		if err := q.do("DELETE FROM touched WHERE scope = ?", scope); err != nil {
			return err
		}
	}
	return nil
}

// trailBatch bounds how many groups of rows one link holds.
const trailBatch = 5000

// leave adds to the trail what this transaction did.
func (q *Q) leave(was *left) error {
	for {
		touched, err := list(q, scalar[string], "SELECT scope FROM touched ORDER BY scope LIMIT ?", trailBatch)
		if err != nil {
			return err
		}
		prev := was.link
		l := link{seq: prev.seq + 1}
		if l.auditHash, l.auditTo, err = q.auditHash(prev.auditTo, 1<<62); err != nil {
			return err
		}
		if len(touched) == 0 && l.auditTo == prev.auditTo {
			return nil
		}
		are, err := q.digests(touched)
		if err != nil {
			return err
		}
		rows := make(map[string]string, len(touched))
		for scope, d := range are {
			rows[scope] = hex.EncodeToString(d)
		}
		text, err := json.Marshal(rows)
		if err != nil {
			return err
		}
		l.rows = string(text)
		if len(touched) > 0 {
			if err := q.do(`INSERT INTO row_seal(scope, seq, digest) SELECT key, ?, unhex(value) FROM json_each(?) WHERE true
				ON CONFLICT(scope) DO UPDATE SET seq = excluded.seq, digest = excluded.digest`, l.seq, l.rows); err != nil {
				return err
			}
		}
		l.hash = l.after(prev.hash)
		if err := q.do("INSERT INTO trail(seq, audit_to, audit_hash, rows, hash) VALUES (?,?,?,?,?)", l.seq, l.auditTo, l.auditHash, l.rows,
			l.hash); err != nil {
			return err
		}
		was.link = l
		if len(touched) == 0 {
			return nil
		}
		if err := q.do("DELETE FROM touched WHERE scope <= ?", touched[len(touched)-1]); err != nil {
			return err
		}
		if len(touched) < trailBatch {
			return nil
		}
	}
}

// TrailHead reads the newest link.
func (q *Q) TrailHead() (TrailHead, error) {
	ls, err := list(q, scanLink, newestLink)
	if err != nil || len(ls) == 0 {
		return TrailHead{}, err
	}
	of, err := q.Setting(CopySetting)
	return TrailHead{ls[0].seq, hex.EncodeToString(ls[0].hash), of}, err
}

// TrailHash is the hash of a link; "" where there is none.
func (q *Q) TrailHash(seq int64) (string, error) {
	hashes, err := list(q, scalar[[]byte], "SELECT hash FROM trail WHERE seq = ?", seq)
	if err != nil || len(hashes) == 0 {
		return "", err
	}
	return hex.EncodeToString(hashes[0]), nil
}

// CheckTrail walks the trail and holds it against the heads that were witnessed, the audit
// and the guarded rows. It returns how many groups of rows are as the program left them,
// and what is wrong first, "" for nothing. witnessed are heads in any order.
func (q *Q) CheckTrail(witnessed map[int64]string) (good int64, wrong string, err error) {
	var prev link
	sealed := int64(0)
	for {
		links, err := list(q, scanLink, "SELECT seq, audit_to, audit_hash, rows, hash FROM trail WHERE seq > ? ORDER BY seq LIMIT 1000", prev.seq)
		if err != nil {
			return good, "", err
		}
		// What the links of a batch say is read together.
		var rowsOf []map[string]string
		var scopes []string
		audits, at := []auditText{}, 0
		if len(links) > 0 {
			if audits, err = q.auditTexts(prev.auditTo, links[len(links)-1].auditTo); err != nil {
				return good, "", err
			}
		}
		for _, l := range links {
			var rows map[string]string
			if err := json.Unmarshal([]byte(l.rows), &rows); err != nil {
				rows = nil
			}
			rowsOf = append(rowsOf, rows)
			scopes = slices.AppendSeq(scopes, maps.Keys(rows))
		}
		seals, err := q.seals(scopes)
		if err != nil {
			return good, "", err
		}
		var newest []string
		for n, l := range links {
			for scope := range rowsOf[n] {
				if now, there := seals[scope]; there && now.seq == l.seq {
					newest = append(newest, scope)
				}
			}
		}
		are, err := q.digests(newest)
		if err != nil {
			return good, "", err
		}
		for n, l := range links {
			from := at
			for at < len(audits) && audits[at].id <= l.auditTo {
				at++
			}
			audit, last := hashOf(audits[from:at], prev.auditTo)
			switch {
			case l.seq != prev.seq+1:
				return good, fmt.Sprintf("link %d of the trail of acts is missing", prev.seq+1), nil
			case !bytes.Equal(l.after(prev.hash), l.hash):
				return good, fmt.Sprintf("link %d of the trail of acts was changed", l.seq), nil
			case !bytes.Equal(audit, l.auditHash) || last != l.auditTo && l.auditTo != prev.auditTo:
				return good, fmt.Sprintf("rows of the audit up to number %d were changed or removed", l.auditTo), nil
			}
			if want, known := witnessed[l.seq]; known {
				if want != hex.EncodeToString(l.hash) {
					return good, fmt.Sprintf("link %d of the trail of acts is not the one that was witnessed", l.seq), nil
				}
				delete(witnessed, l.seq)
			}
			if rowsOf[n] == nil {
				return good, fmt.Sprintf("link %d of the trail of acts cannot be read", l.seq), nil
			}
			for scope, digest := range rowsOf[n] {
				now, there := seals[scope]
				switch {
				case !there || now.seq < l.seq:
					return good, fmt.Sprintf("what the trail says of %s was removed", said(scope)), nil
				case now.seq > l.seq:
					continue // changed again since, by a later act
				case hex.EncodeToString(now.digest) != digest:
					return good, fmt.Sprintf("what the trail says of %s was changed", said(scope)), nil
				}
				sealed++
				if !bytes.Equal(are[scope], now.digest) {
					return good, fmt.Sprintf("%s is not as the program left it (link %d of the trail)", said(scope), l.seq), nil
				}
				good++
			}
			prev = l
		}
		if len(links) == 0 {
			break
		}
	}
	for seq := range witnessed {
		return good, fmt.Sprintf("the trail of acts ends at link %d, and link %d was witnessed: what was done after it is missing", prev.seq, seq), nil
	}
	wrong, err = q.untrailed(prev, sealed)
	return good, wrong, err
}

// untrailed finds rows that no act left.
func (q *Q) untrailed(last link, sealed int64) (string, error) {
	if touched, err := list(q, scalar[string], "SELECT scope FROM touched UNION SELECT scope FROM foreign_change LIMIT 1"); err != nil {
		return "", err
	} else if len(touched) > 0 {
		return said(touched[0]) + " was changed by something else than the program", nil
	}
	if n, err := one(q, scalar[int64], "SELECT count(*) FROM row_seal"); err != nil {
		return "", err
	} else if n != sealed {
		return "the trail of acts holds groups of rows that no act left", nil
	}
	if n, err := one(q, scalar[int64], "SELECT count(*) FROM audit WHERE id > ?", last.auditTo); err != nil {
		return "", err
	} else if n > 0 {
		return "rows were added to the audit by something else than the program", nil
	}
	kinds := make([]string, 0, len(guarded))
	for kind := range guarded {
		kinds = append(kinds, kind)
	}
	slices.Sort(kinds)
	for _, kind := range kinds {
		for _, t := range guarded[kind] {
			from := t.name
			if kind == "note" {
				if t.name != "note" {
					continue // they belong to a note, which is looked for itself
				}
				from += " WHERE folio > 0"
			}
			if t.name == "inbox" {
				from += " WHERE state <> 'stored'" // guarded from when it was read, a moment later
			}
			scopes, err := list(q, scalar[string], "SELECT DISTINCT '"+kind+" ' || "+t.key+" AS scope FROM "+from+" EXCEPT SELECT scope FROM row_seal LIMIT 1")
			if err != nil {
				return "", err
			}
			if len(scopes) > 0 {
				return said(scopes[0]) + " was added by something else than the program", nil
			}
		}
	}
	return "", nil
}

// said names a group of rows to people.
func said(scope string) string {
	kind, key, _ := strings.Cut(scope, " ")
	words := map[string]string{"patient": "the identity of patient", "staff": "the person", "setting": "the setting", "form": "the form",
		"problem": "the problem list of patient", "allergy": "the allergies of patient", "medicine": "the medicine list of patient",
		"history": "the histories of patient", "statement": "what was attested of patient", "vital": "the vital signs of patient",
		"immunization": "the vaccines of patient", "incoming_entry": "an entry from outside,", "visit": "visit", "lab_order": "order", "order_more": "what was ordered beside its tests, order", "order_event": "what was done about order", "prepared_more": "what was prepared beside its tests, prepared order",
		"inquiry": "what was asked of the practice,", "directory": "the entry of the directory", "further_order": "referral or prescription",
		"prepared_order": "prepared order", "report": "report", "inbox": "received message", "line": "open line", "message": "message", "document": "document",
		"fax": "fax", "follow_up": "the wish to come back", "handed_to_billing": "what was handed to billing,", "merge": "merge", "note": "signed note",
		"outside_record": "the record from elsewhere,", "outside_source": "what was said of other houses, patient", "audit": "the audit from number"}
	return words[kind] + " " + key
}
