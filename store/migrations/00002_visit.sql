-- +goose Up
-- Documenting the visit: intake, findings, guided history, what was carried.

-- One entry of a history; what is no longer so ends, with who said it and why.
CREATE TABLE history (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id),
  list TEXT NOT NULL, title TEXT NOT NULL, detail TEXT NOT NULL DEFAULT '',
  since TEXT NOT NULL DEFAULT '', until TEXT NOT NULL DEFAULT '',   -- as precisely as known: YYYY, YYYY-MM or YYYY-MM-DD
  source TEXT NOT NULL DEFAULT '', stated_at TEXT NOT NULL, stated_by TEXT NOT NULL,
  ended_at TEXT NOT NULL DEFAULT '', ended_by TEXT NOT NULL DEFAULT '', end_reason TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX history_of ON history(patient_id, list);

-- What was attested about a whole list: that it was reviewed, or that none is known.
CREATE TABLE statement (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id), list TEXT NOT NULL,
  says TEXT NOT NULL CHECK (says IN ('reviewed', 'none known', 'taken back')),
  staff_id TEXT NOT NULL, at TEXT NOT NULL, visit_id TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX statement_of ON statement(patient_id, list, at);

ALTER TABLE medicine ADD COLUMN stop_reason TEXT NOT NULL DEFAULT '';
ALTER TABLE medicine ADD COLUMN source TEXT NOT NULL DEFAULT '';
ALTER TABLE medicine ADD COLUMN added_by TEXT NOT NULL DEFAULT '';
ALTER TABLE medicine ADD COLUMN added_at TEXT NOT NULL DEFAULT '';
ALTER TABLE medicine ADD COLUMN stopped_by TEXT NOT NULL DEFAULT '';
ALTER TABLE allergy ADD COLUMN source TEXT NOT NULL DEFAULT '';
ALTER TABLE allergy ADD COLUMN ended_at TEXT NOT NULL DEFAULT '';
ALTER TABLE allergy ADD COLUMN ended_by TEXT NOT NULL DEFAULT '';
ALTER TABLE allergy ADD COLUMN end_reason TEXT NOT NULL DEFAULT '';

ALTER TABLE vital ADD COLUMN visit_id TEXT NOT NULL DEFAULT '';
ALTER TABLE vital ADD COLUMN origin TEXT NOT NULL DEFAULT 'typed';   -- typed, device
ALTER TABLE vital ADD COLUMN entered TEXT NOT NULL DEFAULT '';       -- as it was read or typed, with its unit
ALTER TABLE vital ADD COLUMN by_id TEXT NOT NULL DEFAULT '';
ALTER TABLE vital ADD COLUMN struck_at TEXT NOT NULL DEFAULT '';
ALTER TABLE vital ADD COLUMN struck_by TEXT NOT NULL DEFAULT '';
CREATE INDEX vital_visit ON vital(visit_id) WHERE visit_id <> '';

ALTER TABLE visit ADD COLUMN with_id TEXT NOT NULL DEFAULT '';       -- who is with the patient now

-- Where an outside entry waits beside the chart until somebody decides.
CREATE TABLE incoming_entry (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id), visit_id TEXT NOT NULL DEFAULT '',
  source TEXT NOT NULL, reference TEXT NOT NULL,     -- who sent it, and their identifier: the same entry comes once
  list TEXT NOT NULL, title TEXT NOT NULL, detail TEXT NOT NULL DEFAULT '', since TEXT NOT NULL DEFAULT '',
  link TEXT NOT NULL DEFAULT '',                     -- for an answer: the interview's question
  received_at TEXT NOT NULL, decision TEXT NOT NULL DEFAULT '', decided_at TEXT NOT NULL DEFAULT '',
  decided_by TEXT NOT NULL DEFAULT '', became TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE UNIQUE INDEX incoming_entry_same ON incoming_entry(patient_id, source, reference);

-- Findings stay data. state: present, absent, normal (of an aspect), left out.
CREATE TABLE note_finding (
  note_id TEXT NOT NULL REFERENCES note(id), area TEXT NOT NULL, system TEXT NOT NULL, finding TEXT NOT NULL,
  state TEXT NOT NULL, side TEXT NOT NULL DEFAULT '', severity TEXT NOT NULL DEFAULT '', duration TEXT NOT NULL DEFAULT '',
  words TEXT NOT NULL DEFAULT '[]', remark TEXT NOT NULL DEFAULT '',
  origin TEXT NOT NULL, source_note TEXT NOT NULL DEFAULT '', looked INTEGER NOT NULL DEFAULT 1,
  version INTEGER NOT NULL DEFAULT 1, by_id TEXT NOT NULL, at TEXT NOT NULL,
  PRIMARY KEY (note_id, area, system, finding)
) STRICT, WITHOUT ROWID;
CREATE INDEX note_finding_known ON note_finding(area, system, finding, state);

-- The interviews of a note, each in the version it was asked in, and the answers.
CREATE TABLE note_interview (
  note_id TEXT NOT NULL REFERENCES note(id), form TEXT NOT NULL, form_version INTEGER NOT NULL, position INTEGER NOT NULL,
  PRIMARY KEY (note_id, form)
) STRICT, WITHOUT ROWID;
CREATE TABLE note_answer (
  note_id TEXT NOT NULL REFERENCES note(id), form TEXT NOT NULL, link TEXT NOT NULL,
  value TEXT NOT NULL,                    -- JSON array of answers
  origin TEXT NOT NULL, version INTEGER NOT NULL DEFAULT 1, by_id TEXT NOT NULL, at TEXT NOT NULL,
  PRIMARY KEY (note_id, form, link)
) STRICT, WITHOUT ROWID;

-- A sentence brought into the note from elsewhere. state: unlooked, kept, changed.
CREATE TABLE note_carried (
  id TEXT PRIMARY KEY, note_id TEXT NOT NULL REFERENCES note(id), part TEXT NOT NULL, position INTEGER NOT NULL,
  text TEXT NOT NULL, original TEXT NOT NULL, origin TEXT NOT NULL, -- carried, chart, result, document
  source_note TEXT NOT NULL DEFAULT '', source TEXT NOT NULL, state TEXT NOT NULL,
  version INTEGER NOT NULL DEFAULT 1, by_id TEXT NOT NULL, at TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX note_carried_once ON note_carried(note_id, part, original);

CREATE TABLE note_drawing (
  id TEXT PRIMARY KEY, note_id TEXT NOT NULL REFERENCES note(id), outline TEXT NOT NULL, caption TEXT NOT NULL,
  strokes TEXT NOT NULL, svg TEXT NOT NULL, version INTEGER NOT NULL DEFAULT 1, by_id TEXT NOT NULL, at TEXT NOT NULL
) STRICT;
CREATE INDEX note_drawing_of ON note_drawing(note_id);

ALTER TABLE note ADD COLUMN left_for TEXT NOT NULL DEFAULT '';       -- whom the draft was left for, with what words
ALTER TABLE note ADD COLUMN left_words TEXT NOT NULL DEFAULT '';
ALTER TABLE note ADD COLUMN retracted INTEGER NOT NULL DEFAULT 0;    -- folio of the retraction
ALTER TABLE note ADD COLUMN belongs TEXT NOT NULL DEFAULT '';        -- the chart in which it should have stood

-- Forms of the clinic and of persons; every version stays.
CREATE TABLE form (
  kind TEXT NOT NULL, id TEXT NOT NULL, version INTEGER NOT NULL, owner_id TEXT NOT NULL DEFAULT '',
  body TEXT NOT NULL, prose TEXT NOT NULL DEFAULT '', retired INTEGER NOT NULL DEFAULT 0, by_id TEXT NOT NULL, at TEXT NOT NULL,
  PRIMARY KEY (kind, id, owner_id, version)
) STRICT, WITHOUT ROWID;
CREATE TABLE own_word (staff_id TEXT NOT NULL, word TEXT NOT NULL, PRIMARY KEY (staff_id, word)) STRICT, WITHOUT ROWID;

-- One section as a document of its own, and its way out by fax.
CREATE TABLE document (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id), note_id TEXT NOT NULL, title TEXT NOT NULL,
  pdf BLOB NOT NULL, folio INTEGER NOT NULL DEFAULT 0, made_by TEXT NOT NULL, made_at TEXT NOT NULL
) STRICT;
CREATE INDEX document_of ON document(patient_id, made_at);
CREATE TABLE fax (
  id TEXT PRIMARY KEY, document_id TEXT NOT NULL REFERENCES document(id), number TEXT NOT NULL,
  state TEXT NOT NULL,                    -- waiting, sent, refused
  attempts INTEGER NOT NULL DEFAULT 0, next_at TEXT NOT NULL, last_error TEXT NOT NULL DEFAULT '',
  by_id TEXT NOT NULL, at TEXT NOT NULL, done_at TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX fax_waiting ON fax(next_at) WHERE state = 'waiting';

-- What belongs to a signed note cannot be changed through any path of the application.
-- +goose StatementBegin
CREATE TRIGGER note_finding_sealed BEFORE UPDATE ON note_finding WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_finding_late BEFORE INSERT ON note_finding WHEN (SELECT folio FROM note WHERE id = NEW.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_finding_stays BEFORE DELETE ON note_finding WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_answer_sealed BEFORE UPDATE ON note_answer WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_answer_late BEFORE INSERT ON note_answer WHEN (SELECT folio FROM note WHERE id = NEW.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_answer_stays BEFORE DELETE ON note_answer WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_carried_sealed BEFORE UPDATE ON note_carried WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_carried_late BEFORE INSERT ON note_carried WHEN (SELECT folio FROM note WHERE id = NEW.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_carried_stays BEFORE DELETE ON note_carried WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_drawing_sealed BEFORE UPDATE ON note_drawing WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_drawing_late BEFORE INSERT ON note_drawing WHEN (SELECT folio FROM note WHERE id = NEW.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_drawing_stays BEFORE DELETE ON note_drawing WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_retracted_once BEFORE UPDATE OF retracted ON note WHEN OLD.retracted > 0 BEGIN SELECT RAISE(ABORT, 'the note is retracted'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER document_fixed BEFORE UPDATE OF pdf, patient_id, note_id ON document BEGIN SELECT RAISE(ABORT, 'a filed document cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER statement_fixed BEFORE UPDATE ON statement BEGIN SELECT RAISE(ABORT, 'what was attested cannot be changed'); END;
-- +goose StatementEnd
