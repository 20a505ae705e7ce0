-- +goose Up
-- Assessment and finishing: answers to coding advice, what is said of each diagnosis,
-- pinned codes, and follow-ups.

-- A person's answer to a remark on the diagnoses, such as why two that exclude each
-- other are both right. key names the remark.
CREATE TABLE note_advice (
  note_id TEXT NOT NULL REFERENCES note(id), key TEXT NOT NULL, reason TEXT NOT NULL, by_id TEXT NOT NULL, at TEXT NOT NULL,
  PRIMARY KEY (note_id, key)
) STRICT, WITHOUT ROWID;

-- What is said of a diagnosis at a visit. It stays while the diagnosis is off the list.
CREATE TABLE diagnosis_word (
  note_id TEXT NOT NULL REFERENCES note(id), code TEXT NOT NULL,
  response TEXT NOT NULL, because TEXT NOT NULL, complicated TEXT NOT NULL, remark TEXT NOT NULL,
  measures TEXT NOT NULL,                 -- JSON array of LOINC codes whose course is written out
  version INTEGER NOT NULL, by_id TEXT NOT NULL, at TEXT NOT NULL,
  PRIMARY KEY (note_id, code)
) STRICT, WITHOUT ROWID;

-- Codes kept at hand: a person's own, or with staff_id '' the clinic's.
CREATE TABLE pinned_code (
  staff_id TEXT NOT NULL, code TEXT NOT NULL, at TEXT NOT NULL, PRIMARY KEY (staff_id, code)
) STRICT, WITHOUT ROWID;

-- A wish for a further visit, until the front desk has booked it or somebody drops it.
CREATE TABLE follow_up (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id), note_id TEXT NOT NULL REFERENCES note(id),
  due TEXT NOT NULL, said TEXT NOT NULL, reason TEXT NOT NULL, clinician_id TEXT NOT NULL REFERENCES staff(id),
  by_id TEXT NOT NULL, at TEXT NOT NULL,
  state TEXT NOT NULL,                    -- to book, booked, dropped
  visit_id TEXT NOT NULL DEFAULT '', done_by TEXT NOT NULL DEFAULT '', done_at TEXT NOT NULL DEFAULT '', done_reason TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE UNIQUE INDEX follow_up_of ON follow_up(note_id) WHERE state = 'to book';
CREATE INDEX follow_up_open ON follow_up(due) WHERE state = 'to book';

-- +goose StatementBegin
CREATE TRIGGER diagnosis_word_sealed BEFORE UPDATE ON diagnosis_word WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER diagnosis_word_late BEFORE INSERT ON diagnosis_word WHEN (SELECT folio FROM note WHERE id = NEW.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER diagnosis_word_stays BEFORE DELETE ON diagnosis_word WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
