-- +goose Up
-- What happened to something that was asked of somebody: attempts to reach a patient, a date that passed.
CREATE TABLE desk_choice ( -- how a person wants their desk
  staff_id TEXT PRIMARY KEY REFERENCES staff(id), each_report INTEGER NOT NULL -- a row for each report, not for each patient
) STRICT, WITHOUT ROWID;
CREATE TABLE inquiry_event (
  id INTEGER PRIMARY KEY, inquiry_id TEXT NOT NULL REFERENCES inquiry(id),
  kind TEXT NOT NULL, says TEXT NOT NULL DEFAULT '', by_id TEXT NOT NULL DEFAULT '', at TEXT NOT NULL
) STRICT;
CREATE INDEX cover_of ON cover(of_id, to_day);
CREATE INDEX inquiry_critical ON inquiry(at) WHERE kind = 'critical' AND state = 'open';
CREATE INDEX inquiry_event_of ON inquiry_event(inquiry_id);
-- +goose StatementBegin
CREATE TRIGGER inquiry_event_fixed BEFORE UPDATE ON inquiry_event BEGIN SELECT RAISE(ABORT, 'what happened cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER inquiry_event_stays BEFORE DELETE ON inquiry_event BEGIN SELECT RAISE(ABORT, 'what happened cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_inquiry_event_added AFTER INSERT ON inquiry_event BEGIN INSERT INTO touched SELECT 'inquiry ' || NEW.inquiry_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inquiry ' || NEW.inquiry_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_inquiry_event_changed AFTER UPDATE OF id, inquiry_id, kind, says, by_id, at ON inquiry_event BEGIN INSERT INTO touched SELECT 'inquiry ' || OLD.inquiry_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inquiry ' || OLD.inquiry_id); INSERT INTO touched SELECT 'inquiry ' || NEW.inquiry_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inquiry ' || NEW.inquiry_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_inquiry_event_gone AFTER DELETE ON inquiry_event BEGIN INSERT INTO touched SELECT 'inquiry ' || OLD.inquiry_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inquiry ' || OLD.inquiry_id); END;
-- +goose StatementEnd
