-- +goose Up
-- Records of other houses, as they came; what the patient says of having been there; what was decided on each entry; who signed a record as read.
CREATE TABLE outside_record (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id),
  house TEXT NOT NULL, set_id TEXT NOT NULL, version TEXT NOT NULL, title TEXT NOT NULL, written_at TEXT NOT NULL,
  sum TEXT NOT NULL,         -- SHA-256 of raw: the same record comes once
  unreadable TEXT NOT NULL,  -- why it cannot be read; '' where it can
  why TEXT NOT NULL,         -- why it is this patient's although the one named differs
  severe TEXT NOT NULL,      -- severe allergies that it tells of, as JSON: they are shown where something is prescribed, before anybody decided
  by_id TEXT NOT NULL, received_at TEXT NOT NULL, raw BLOB NOT NULL
) STRICT;
CREATE UNIQUE INDEX outside_record_same ON outside_record(patient_id, sum);
CREATE TABLE outside_source (
  id INTEGER PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id), house TEXT NOT NULL,
  says TEXT NOT NULL CHECK (says IN ('confirmed', 'doubted', 'refused')), words TEXT NOT NULL, by_id TEXT NOT NULL REFERENCES staff(id), at TEXT NOT NULL
) STRICT;
CREATE INDEX outside_source_of ON outside_source(patient_id);
CREATE TABLE outside_decision (
  id INTEGER PRIMARY KEY, record_id TEXT NOT NULL REFERENCES outside_record(id), list TEXT NOT NULL, ref TEXT NOT NULL,
  content TEXT NOT NULL,     -- what the entry said, hashed: said otherwise, it asks again
  decision TEXT NOT NULL CHECK (decision IN ('take in', 'leave out', 'join', 'taken back')), reason TEXT NOT NULL, became TEXT NOT NULL,
  by_id TEXT NOT NULL REFERENCES staff(id), at TEXT NOT NULL
) STRICT;
CREATE INDEX outside_decision_of ON outside_decision(record_id);
CREATE TABLE outside_review (
  record_id TEXT PRIMARY KEY REFERENCES outside_record(id), comment TEXT NOT NULL, by_id TEXT NOT NULL REFERENCES staff(id), at TEXT NOT NULL, folio INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
-- +goose StatementBegin
CREATE TRIGGER outside_record_fixed BEFORE UPDATE ON outside_record BEGIN SELECT RAISE(ABORT, 'what came from outside cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER outside_record_stays BEFORE DELETE ON outside_record BEGIN SELECT RAISE(ABORT, 'what came from outside cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_outside_record_added AFTER INSERT ON outside_record BEGIN INSERT INTO touched SELECT 'outside_record ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_record ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_outside_record_changed AFTER UPDATE OF id, patient_id, house, set_id, version, title, written_at, sum, unreadable, why, severe, by_id, received_at ON outside_record BEGIN INSERT INTO touched SELECT 'outside_record ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_record ' || OLD.id); INSERT INTO touched SELECT 'outside_record ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_record ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_outside_record_gone AFTER DELETE ON outside_record BEGIN INSERT INTO touched SELECT 'outside_record ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_record ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER outside_source_fixed BEFORE UPDATE ON outside_source BEGIN SELECT RAISE(ABORT, 'what came from outside cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER outside_source_stays BEFORE DELETE ON outside_source BEGIN SELECT RAISE(ABORT, 'what came from outside cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_outside_source_added AFTER INSERT ON outside_source BEGIN INSERT INTO touched SELECT 'outside_source ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_source ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_outside_source_changed AFTER UPDATE OF id, patient_id, house, says, words, by_id, at ON outside_source BEGIN INSERT INTO touched SELECT 'outside_source ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_source ' || OLD.patient_id); INSERT INTO touched SELECT 'outside_source ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_source ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_outside_source_gone AFTER DELETE ON outside_source BEGIN INSERT INTO touched SELECT 'outside_source ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_source ' || OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER outside_decision_fixed BEFORE UPDATE ON outside_decision BEGIN SELECT RAISE(ABORT, 'what came from outside cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER outside_decision_stays BEFORE DELETE ON outside_decision BEGIN SELECT RAISE(ABORT, 'what came from outside cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_outside_decision_added AFTER INSERT ON outside_decision BEGIN INSERT INTO touched SELECT 'outside_record ' || NEW.record_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_record ' || NEW.record_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_outside_decision_changed AFTER UPDATE OF id, record_id, list, ref, content, decision, reason, became, by_id, at ON outside_decision BEGIN INSERT INTO touched SELECT 'outside_record ' || OLD.record_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_record ' || OLD.record_id); INSERT INTO touched SELECT 'outside_record ' || NEW.record_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_record ' || NEW.record_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_outside_decision_gone AFTER DELETE ON outside_decision BEGIN INSERT INTO touched SELECT 'outside_record ' || OLD.record_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_record ' || OLD.record_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER outside_review_fixed BEFORE UPDATE ON outside_review BEGIN SELECT RAISE(ABORT, 'what came from outside cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER outside_review_stays BEFORE DELETE ON outside_review BEGIN SELECT RAISE(ABORT, 'what came from outside cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_outside_review_added AFTER INSERT ON outside_review BEGIN INSERT INTO touched SELECT 'outside_record ' || NEW.record_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_record ' || NEW.record_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_outside_review_changed AFTER UPDATE OF record_id, comment, by_id, at, folio ON outside_review BEGIN INSERT INTO touched SELECT 'outside_record ' || OLD.record_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_record ' || OLD.record_id); INSERT INTO touched SELECT 'outside_record ' || NEW.record_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_record ' || NEW.record_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_outside_review_gone AFTER DELETE ON outside_review BEGIN INSERT INTO touched SELECT 'outside_record ' || OLD.record_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'outside_record ' || OLD.record_id); END;
-- +goose StatementEnd
