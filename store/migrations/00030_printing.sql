-- +goose Up
-- Reports that were put on paper, or given out as a file, together: which, in which issue, and who made it when, each time anew.
CREATE TABLE print_batch (
  id TEXT PRIMARY KEY, by_id TEXT NOT NULL REFERENCES staff(id), at TEXT NOT NULL
) STRICT, WITHOUT ROWID;
CREATE TABLE print_report (
  batch_id TEXT NOT NULL REFERENCES print_batch(id), position INTEGER NOT NULL, report_id TEXT NOT NULL REFERENCES report(id), issue INTEGER NOT NULL,
  PRIMARY KEY (batch_id, position)
) STRICT, WITHOUT ROWID;
CREATE TABLE print_event (
  id INTEGER PRIMARY KEY, batch_id TEXT NOT NULL REFERENCES print_batch(id),
  form TEXT NOT NULL CHECK (form IN ('pdf', 'fhir', 'csv')), by_id TEXT NOT NULL REFERENCES staff(id), at TEXT NOT NULL
) STRICT;
CREATE INDEX print_batch_at ON print_batch(at);
CREATE INDEX print_report_of ON print_report(report_id);
CREATE INDEX print_event_of ON print_event(batch_id);
-- +goose StatementBegin
CREATE TRIGGER print_batch_fixed BEFORE UPDATE ON print_batch BEGIN SELECT RAISE(ABORT, 'what was printed cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER print_batch_stays BEFORE DELETE ON print_batch BEGIN SELECT RAISE(ABORT, 'what was printed cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_print_batch_added AFTER INSERT ON print_batch BEGIN INSERT INTO touched SELECT 'print_batch ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'print_batch ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_print_batch_changed AFTER UPDATE OF id, by_id, at ON print_batch BEGIN INSERT INTO touched SELECT 'print_batch ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'print_batch ' || OLD.id); INSERT INTO touched SELECT 'print_batch ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'print_batch ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_print_batch_gone AFTER DELETE ON print_batch BEGIN INSERT INTO touched SELECT 'print_batch ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'print_batch ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER print_report_fixed BEFORE UPDATE ON print_report BEGIN SELECT RAISE(ABORT, 'what was printed cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER print_report_stays BEFORE DELETE ON print_report BEGIN SELECT RAISE(ABORT, 'what was printed cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_print_report_added AFTER INSERT ON print_report BEGIN INSERT INTO touched SELECT 'print_batch ' || NEW.batch_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'print_batch ' || NEW.batch_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_print_report_changed AFTER UPDATE OF batch_id, position, report_id, issue ON print_report BEGIN INSERT INTO touched SELECT 'print_batch ' || OLD.batch_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'print_batch ' || OLD.batch_id); INSERT INTO touched SELECT 'print_batch ' || NEW.batch_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'print_batch ' || NEW.batch_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_print_report_gone AFTER DELETE ON print_report BEGIN INSERT INTO touched SELECT 'print_batch ' || OLD.batch_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'print_batch ' || OLD.batch_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER print_event_fixed BEFORE UPDATE ON print_event BEGIN SELECT RAISE(ABORT, 'what was printed cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER print_event_stays BEFORE DELETE ON print_event BEGIN SELECT RAISE(ABORT, 'what was printed cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_print_event_added AFTER INSERT ON print_event BEGIN INSERT INTO touched SELECT 'print_batch ' || NEW.batch_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'print_batch ' || NEW.batch_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_print_event_changed AFTER UPDATE OF id, batch_id, form, by_id, at ON print_event BEGIN INSERT INTO touched SELECT 'print_batch ' || OLD.batch_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'print_batch ' || OLD.batch_id); INSERT INTO touched SELECT 'print_batch ' || NEW.batch_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'print_batch ' || NEW.batch_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_print_event_gone AFTER DELETE ON print_event BEGIN INSERT INTO touched SELECT 'print_batch ' || OLD.batch_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'print_batch ' || OLD.batch_id); END;
-- +goose StatementEnd
