-- +goose Up
CREATE TABLE setting (name TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT;

CREATE TABLE staff (
  id TEXT PRIMARY KEY, login TEXT NOT NULL UNIQUE COLLATE NOCASE,
  given TEXT NOT NULL, family TEXT NOT NULL, role TEXT NOT NULL,
  password_hash TEXT NOT NULL, secret_hash TEXT NOT NULL,
  draft_key BLOB NOT NULL,               -- encrypts what this person's browser keeps while offline
  single_keys INTEGER NOT NULL DEFAULT 1, active INTEGER NOT NULL DEFAULT 1
) STRICT;

-- Failed attempts, counted per login name or staff member; kept over a restart.
CREATE TABLE attempt (who TEXT PRIMARY KEY, failures INTEGER NOT NULL, blocked_until TEXT NOT NULL) STRICT;

CREATE TABLE session (
  token_hash BLOB PRIMARY KEY, staff_id TEXT NOT NULL REFERENCES staff(id),
  created_at TEXT NOT NULL, seen_at TEXT NOT NULL, locked INTEGER NOT NULL DEFAULT 0,
  signing_until TEXT NOT NULL DEFAULT ''
) STRICT, WITHOUT ROWID;

CREATE TABLE patient (
  id TEXT PRIMARY KEY, record TEXT NOT NULL UNIQUE,
  family TEXT NOT NULL, given TEXT NOT NULL, middle TEXT NOT NULL DEFAULT '',
  birth_date TEXT NOT NULL, sex TEXT NOT NULL, phone TEXT NOT NULL DEFAULT '',
  code_status TEXT NOT NULL DEFAULT '', uses_portal INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE VIRTUAL TABLE patient_search USING fts5(patient_id UNINDEXED, words, tokenize='trigram remove_diacritics 1');

CREATE TABLE allergy (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id),
  substance TEXT NOT NULL,               -- '' is the statement "no known drug allergies"
  reaction TEXT NOT NULL DEFAULT '', severity TEXT NOT NULL DEFAULT '',
  stated_at TEXT NOT NULL, stated_by TEXT NOT NULL
) STRICT;
CREATE INDEX allergy_of ON allergy(patient_id);

CREATE TABLE medicine (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id),
  name TEXT NOT NULL, dose TEXT NOT NULL, started TEXT NOT NULL DEFAULT '', stopped TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX medicine_of ON medicine(patient_id);

CREATE TABLE problem (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id),
  code TEXT NOT NULL, title TEXT NOT NULL, since TEXT NOT NULL DEFAULT '', ended TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE UNIQUE INDEX problem_of ON problem(patient_id, code) WHERE ended = '';

CREATE TABLE vital (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id),
  loinc TEXT NOT NULL, name TEXT NOT NULL, value TEXT NOT NULL, unit TEXT NOT NULL,
  taken_at TEXT NOT NULL
) STRICT;
CREATE INDEX vital_of ON vital(patient_id, loinc, taken_at DESC);

CREATE TABLE visit (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id),
  clinician_id TEXT NOT NULL REFERENCES staff(id), day TEXT NOT NULL, starts_at TEXT NOT NULL,
  kind TEXT NOT NULL, reason TEXT NOT NULL, room TEXT NOT NULL DEFAULT '',
  stage TEXT NOT NULL, stage_at TEXT NOT NULL, version INTEGER NOT NULL DEFAULT 1
) STRICT;
CREATE INDEX visit_day ON visit(day, starts_at);
CREATE INDEX visit_of ON visit(patient_id, starts_at DESC);

CREATE TABLE note (
  id TEXT PRIMARY KEY, visit_id TEXT NOT NULL UNIQUE REFERENCES visit(id),
  patient_id TEXT NOT NULL REFERENCES patient(id), author_id TEXT NOT NULL REFERENCES staff(id),
  created_at TEXT NOT NULL, list_version INTEGER NOT NULL DEFAULT 1,
  folio INTEGER NOT NULL DEFAULT 0       -- 0 while it is a draft
) STRICT;
CREATE INDEX note_of ON note(patient_id);
CREATE TABLE note_part (
  note_id TEXT NOT NULL REFERENCES note(id), part TEXT NOT NULL, text TEXT NOT NULL,
  version INTEGER NOT NULL, save_id TEXT NOT NULL, saved_at TEXT NOT NULL, saved_by TEXT NOT NULL,
  PRIMARY KEY (note_id, part)
) STRICT, WITHOUT ROWID;
-- A save made on an older version: refused, and its text kept until somebody decides.
CREATE TABLE note_conflict (
  id TEXT PRIMARY KEY, note_id TEXT NOT NULL REFERENCES note(id), part TEXT NOT NULL,
  text TEXT NOT NULL, base_version INTEGER NOT NULL, save_id TEXT NOT NULL, at TEXT NOT NULL, by TEXT NOT NULL,
  settled_at TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE UNIQUE INDEX note_conflict_save ON note_conflict(note_id, save_id);
CREATE TABLE note_diagnosis (
  note_id TEXT NOT NULL REFERENCES note(id), code TEXT NOT NULL, title TEXT NOT NULL,
  edition TEXT NOT NULL, position INTEGER NOT NULL, PRIMARY KEY (note_id, code)
) STRICT, WITHOUT ROWID;

CREATE TABLE lab_order (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id),
  visit_id TEXT NOT NULL DEFAULT '', clinician_id TEXT NOT NULL REFERENCES staff(id),
  placer TEXT NOT NULL UNIQUE, laboratory TEXT NOT NULL, priority TEXT NOT NULL, state TEXT NOT NULL,
  signed_at TEXT NOT NULL, collected_at TEXT NOT NULL DEFAULT '', reason TEXT NOT NULL DEFAULT '',
  request_id TEXT NOT NULL UNIQUE        -- one act of ordering, however often the browser retries it
) STRICT;
CREATE INDEX lab_order_of ON lab_order(patient_id, signed_at DESC);
CREATE TABLE order_test (
  order_id TEXT NOT NULL REFERENCES lab_order(id), position INTEGER NOT NULL,
  code TEXT NOT NULL, name TEXT NOT NULL, loinc TEXT NOT NULL, specimen TEXT NOT NULL, tube TEXT NOT NULL,
  diagnoses TEXT NOT NULL,               -- JSON array of {code,title}
  PRIMARY KEY (order_id, position)
) STRICT, WITHOUT ROWID;

CREATE TABLE outbox (
  control TEXT PRIMARY KEY, order_id TEXT NOT NULL REFERENCES lab_order(id), body BLOB NOT NULL,
  state TEXT NOT NULL,                   -- waiting, accepted, refused, withdrawn
  attempts INTEGER NOT NULL DEFAULT 0, next_at TEXT NOT NULL, last_error TEXT NOT NULL DEFAULT '',
  answer BLOB, answered_at TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX outbox_waiting ON outbox(next_at) WHERE state = 'waiting';

CREATE TABLE inbox (
  id INTEGER PRIMARY KEY, received_at TEXT NOT NULL, peer TEXT NOT NULL,
  sender TEXT NOT NULL DEFAULT '', control TEXT NOT NULL DEFAULT '', sha256 BLOB NOT NULL, raw BLOB NOT NULL,
  state TEXT NOT NULL,                   -- stored, filed, quarantined, duplicate, refused, settled
  reason TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX inbox_same ON inbox(sha256);
CREATE INDEX inbox_control ON inbox(sender, control);
CREATE INDEX inbox_stored ON inbox(id) WHERE state = 'stored';
CREATE INDEX inbox_held ON inbox(id) WHERE state = 'quarantined';

CREATE TABLE report (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id),
  order_id TEXT NOT NULL DEFAULT '', position INTEGER NOT NULL DEFAULT 0,
  filler TEXT NOT NULL, code TEXT NOT NULL, title TEXT NOT NULL, loinc TEXT NOT NULL DEFAULT '',
  owner_id TEXT NOT NULL REFERENCES staff(id),
  status TEXT NOT NULL, issue INTEGER NOT NULL, signed_issue INTEGER NOT NULL DEFAULT 0,
  version INTEGER NOT NULL DEFAULT 1, matched_by TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE UNIQUE INDEX report_same ON report(filler, code);
CREATE INDEX report_of ON report(patient_id);
CREATE INDEX report_order ON report(order_id, position);
-- Every issue of a report (preliminary, final, corrected) stays as it was received.
CREATE TABLE report_issue (
  report_id TEXT NOT NULL REFERENCES report(id), issue INTEGER NOT NULL, inbox_id INTEGER NOT NULL REFERENCES inbox(id),
  status TEXT NOT NULL, collected_at TEXT NOT NULL, reported_at TEXT NOT NULL, received_at TEXT NOT NULL,
  performer TEXT NOT NULL, notes TEXT NOT NULL, PRIMARY KEY (report_id, issue)
) STRICT, WITHOUT ROWID;
CREATE TABLE report_value (
  report_id TEXT NOT NULL, issue INTEGER NOT NULL, position INTEGER NOT NULL,
  code TEXT NOT NULL, name TEXT NOT NULL, loinc TEXT NOT NULL, text TEXT NOT NULL, unit TEXT NOT NULL,
  range TEXT NOT NULL, flag TEXT NOT NULL, status TEXT NOT NULL, notes TEXT NOT NULL,
  PRIMARY KEY (report_id, issue, position),
  FOREIGN KEY (report_id, issue) REFERENCES report_issue(report_id, issue)
) STRICT, WITHOUT ROWID;
CREATE TABLE review (
  report_id TEXT NOT NULL REFERENCES report(id), issue INTEGER NOT NULL, comment TEXT NOT NULL,
  told TEXT NOT NULL, told_reason TEXT NOT NULL, signed_by TEXT NOT NULL, signed_at TEXT NOT NULL, folio INTEGER NOT NULL,
  PRIMARY KEY (report_id, issue)
) STRICT, WITHOUT ROWID;

CREATE TABLE line (
  id TEXT PRIMARY KEY, kind TEXT NOT NULL, subject TEXT NOT NULL, patient_id TEXT NOT NULL REFERENCES patient(id),
  owner_id TEXT NOT NULL REFERENCES staff(id), state TEXT NOT NULL, opened_at TEXT NOT NULL,
  closed_at TEXT NOT NULL DEFAULT '', closed_by TEXT NOT NULL DEFAULT '', closed_with TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE UNIQUE INDEX line_open ON line(kind, subject) WHERE closed_at = '';
CREATE INDEX line_desk ON line(owner_id, kind, opened_at) WHERE closed_at = '';
CREATE INDEX line_patient ON line(patient_id) WHERE closed_at = '';

CREATE TABLE ledger_entry (
  seq INTEGER PRIMARY KEY, chart_id TEXT NOT NULL REFERENCES patient(id), folio INTEGER NOT NULL, kind TEXT NOT NULL,
  subject TEXT NOT NULL, amends INTEGER NOT NULL DEFAULT 0, content BLOB NOT NULL,
  signer_id TEXT NOT NULL, signer_name TEXT NOT NULL, signed_at TEXT NOT NULL,
  prev_chart TEXT NOT NULL, prev TEXT NOT NULL, hash TEXT NOT NULL, signature BLOB NOT NULL, UNIQUE (chart_id, folio)
) STRICT;

CREATE TABLE audit (
  id INTEGER PRIMARY KEY, at TEXT NOT NULL, staff_id TEXT NOT NULL, act TEXT NOT NULL,
  patient_id TEXT NOT NULL DEFAULT '', subject TEXT NOT NULL DEFAULT '', detail TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX audit_patient ON audit(patient_id, id) WHERE patient_id <> '';

-- What was signed and what was seen cannot be changed through any path of the application.
-- +goose StatementBegin
CREATE TRIGGER ledger_entry_fixed BEFORE UPDATE ON ledger_entry BEGIN SELECT RAISE(ABORT, 'a sealed entry cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER ledger_entry_stays BEFORE DELETE ON ledger_entry BEGIN SELECT RAISE(ABORT, 'a sealed entry cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER audit_fixed BEFORE UPDATE ON audit BEGIN SELECT RAISE(ABORT, 'the audit cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER audit_stays BEFORE DELETE ON audit BEGIN SELECT RAISE(ABORT, 'the audit cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_part_sealed BEFORE UPDATE ON note_part WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_part_late BEFORE INSERT ON note_part WHEN (SELECT folio FROM note WHERE id = NEW.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_unsigned_never BEFORE UPDATE OF folio ON note WHEN OLD.folio > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER inbox_raw_fixed BEFORE UPDATE OF raw, sha256, control, sender ON inbox BEGIN SELECT RAISE(ABORT, 'what was received cannot be changed'); END;
-- +goose StatementEnd
