-- +goose Up
-- What people say that reminders read and the rest of the chart has no place for: a decision on a reminder (name is the
-- rule, says the decision), an answer to a question of the rulebook, a service or a vaccine had elsewhere. What
-- was said is never changed; it can be taken back, which keeps both.
CREATE TABLE care_entry (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id),
  kind TEXT NOT NULL CHECK (kind IN ('decision', 'answer', 'service', 'dose')),
  name TEXT NOT NULL, says TEXT NOT NULL DEFAULT '',
  day TEXT NOT NULL DEFAULT '',          -- as precisely as known: YYYY, YYYY-MM or YYYY-MM-DD
  until TEXT NOT NULL DEFAULT '',        -- YYYY-MM-DD
  reason TEXT NOT NULL DEFAULT '', source TEXT NOT NULL DEFAULT '',
  version INTEGER NOT NULL DEFAULT 0,    -- of the rule
  visit_id TEXT NOT NULL DEFAULT '', by_id TEXT NOT NULL, at TEXT NOT NULL,
  request_id TEXT NOT NULL,              -- of the act that said it: what belongs together is taken back together
  back_at TEXT NOT NULL DEFAULT '', back_by TEXT NOT NULL DEFAULT '', back_reason TEXT NOT NULL DEFAULT ''
) STRICT, WITHOUT ROWID;
CREATE INDEX care_entry_of ON care_entry(patient_id, at);
CREATE INDEX care_entry_at ON care_entry(visit_id) WHERE visit_id <> '';
CREATE UNIQUE INDEX care_entry_once ON care_entry(request_id, kind, name);
-- +goose StatementBegin
CREATE TRIGGER care_entry_fixed BEFORE UPDATE OF id, patient_id, kind, name, says, day, until, reason, source, version, visit_id, by_id, at, request_id ON care_entry BEGIN SELECT RAISE(ABORT, 'what was said cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER care_entry_back BEFORE UPDATE OF back_at, back_by, back_reason ON care_entry WHEN OLD.back_at <> '' BEGIN SELECT RAISE(ABORT, 'what was taken back cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER care_entry_stays BEFORE DELETE ON care_entry BEGIN SELECT RAISE(ABORT, 'what was said cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_care_entry_added AFTER INSERT ON care_entry BEGIN INSERT INTO touched SELECT 'care_entry ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'care_entry ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_care_entry_changed AFTER UPDATE OF id, patient_id, kind, name, says, day, until, reason, source, version, visit_id, by_id, at, request_id, back_at, back_by, back_reason ON care_entry BEGIN INSERT INTO touched SELECT 'care_entry ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'care_entry ' || OLD.patient_id); INSERT INTO touched SELECT 'care_entry ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'care_entry ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_care_entry_gone AFTER DELETE ON care_entry BEGIN INSERT INTO touched SELECT 'care_entry ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'care_entry ' || OLD.patient_id); END;
-- +goose StatementEnd
