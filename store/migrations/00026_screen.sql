-- +goose Up
-- Questionnaires answered, kept item by item with the score. What was answered is never changed; it can be struck with a reason.
CREATE TABLE screen_response (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id), visit_id TEXT NOT NULL DEFAULT '',
  form TEXT NOT NULL, version TEXT NOT NULL, answers TEXT NOT NULL,   -- JSON: link to answer
  total TEXT NOT NULL DEFAULT '',        -- '' where it was not counted
  loinc TEXT NOT NULL DEFAULT '', name TEXT NOT NULL, says TEXT NOT NULL,
  by_id TEXT NOT NULL, at TEXT NOT NULL,
  struck_at TEXT NOT NULL DEFAULT '', struck_by TEXT NOT NULL DEFAULT '', struck_reason TEXT NOT NULL DEFAULT ''
) STRICT, WITHOUT ROWID;
CREATE INDEX screen_response_of ON screen_response(patient_id, at);
CREATE INDEX screen_response_at ON screen_response(visit_id) WHERE visit_id <> '';
-- +goose StatementBegin
CREATE TRIGGER screen_response_fixed BEFORE UPDATE OF id, patient_id, visit_id, form, version, answers, total, loinc, name, says, by_id, at ON screen_response BEGIN SELECT RAISE(ABORT, 'what was answered cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER screen_response_stays BEFORE DELETE ON screen_response BEGIN SELECT RAISE(ABORT, 'what was answered cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_screen_response_added AFTER INSERT ON screen_response BEGIN INSERT INTO touched SELECT 'screen_response ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'screen_response ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_screen_response_changed AFTER UPDATE OF id, patient_id, visit_id, form, version, answers, total, loinc, name, says, by_id, at, struck_at, struck_by, struck_reason ON screen_response BEGIN INSERT INTO touched SELECT 'screen_response ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'screen_response ' || OLD.patient_id); INSERT INTO touched SELECT 'screen_response ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'screen_response ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_screen_response_gone AFTER DELETE ON screen_response BEGIN INSERT INTO touched SELECT 'screen_response ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'screen_response ' || OLD.patient_id); END;
-- +goose StatementEnd
