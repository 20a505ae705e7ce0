-- +goose Up
-- What an order says beyond its old columns stands beside it, so that every order made before
-- stays as it is, and stays under the same seal.
CREATE TABLE order_more (
  order_id TEXT PRIMARY KEY REFERENCES lab_order(id),
  kind TEXT NOT NULL,                    -- laboratory, imaging…
  party TEXT NOT NULL,                   -- who does it: the laboratory by its id
  site TEXT NOT NULL DEFAULT '',         -- of its sites; '' where the patient chooses
  together TEXT NOT NULL,                -- the signing that made it: orders signed at once have one
  due TEXT NOT NULL DEFAULT '',          -- the day for which it is, YYYY-MM-DD; '' for the day it was signed
  drawing TEXT NOT NULL,                 -- where the specimen is taken: now, here, site
  detail TEXT NOT NULL                   -- JSON, store.OrderDetail
) STRICT, WITHOUT ROWID;
CREATE INDEX order_more_together ON order_more(together);
CREATE TABLE order_test_more (
  order_id TEXT NOT NULL REFERENCES lab_order(id), position INTEGER NOT NULL,
  detail TEXT NOT NULL,                  -- JSON, store.TestDetail: the test as the list said it when it was signed
  PRIMARY KEY (order_id, position)
) STRICT, WITHOUT ROWID;
-- What became of the specimens of an order.
CREATE TABLE specimen (
  id TEXT PRIMARY KEY, order_id TEXT NOT NULL REFERENCES lab_order(id),
  says TEXT NOT NULL,                    -- drawn, not drawn, picked up
  drawn_at TEXT NOT NULL DEFAULT '',     -- when, where it was drawn
  reason TEXT NOT NULL DEFAULT '', by_id TEXT NOT NULL, at TEXT NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX specimen_of ON specimen(order_id, at);
CREATE INDEX specimen_lately ON specimen(says, at);
CREATE INDEX lab_order_by ON lab_order(clinician_id, signed_at);
-- What is to be drawn here, or to go out on its day: the few orders that are neither sent nor closed.
CREATE INDEX lab_order_held ON lab_order(state) WHERE state IN ('planned', 'to be drawn');
CREATE TABLE prepared_more (
  prepared_id TEXT PRIMARY KEY REFERENCES prepared_order(id),
  detail TEXT NOT NULL                   -- JSON, store.PreparedDetail
) STRICT, WITHOUT ROWID;
-- +goose StatementBegin
CREATE TRIGGER order_more_fixed BEFORE UPDATE ON order_more BEGIN SELECT RAISE(ABORT, 'what was ordered cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER order_more_stays BEFORE DELETE ON order_more BEGIN SELECT RAISE(ABORT, 'what was ordered cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER order_test_more_fixed BEFORE UPDATE ON order_test_more BEGIN SELECT RAISE(ABORT, 'what was ordered cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER order_test_more_stays BEFORE DELETE ON order_test_more BEGIN SELECT RAISE(ABORT, 'what was ordered cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER specimen_fixed BEFORE UPDATE ON specimen BEGIN SELECT RAISE(ABORT, 'what was said of a specimen cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER specimen_stays BEFORE DELETE ON specimen BEGIN SELECT RAISE(ABORT, 'what was said of a specimen cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER prepared_more_fixed BEFORE UPDATE ON prepared_more BEGIN SELECT RAISE(ABORT, 'what was prepared cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER prepared_more_stays BEFORE DELETE ON prepared_more BEGIN SELECT RAISE(ABORT, 'what was prepared cannot be removed'); END;
-- +goose StatementEnd
-- The trail holds these too (store/trail.go).
-- +goose StatementBegin
CREATE TRIGGER trail_order_more_added AFTER INSERT ON order_more BEGIN INSERT INTO touched SELECT 'order_more ' || NEW.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_more ' || NEW.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_order_more_changed AFTER UPDATE OF order_id, kind, party, site, together, due, drawing, detail ON order_more BEGIN INSERT INTO touched SELECT 'order_more ' || OLD.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_more ' || OLD.order_id); INSERT INTO touched SELECT 'order_more ' || NEW.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_more ' || NEW.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_order_more_gone AFTER DELETE ON order_more BEGIN INSERT INTO touched SELECT 'order_more ' || OLD.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_more ' || OLD.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_order_test_more_added AFTER INSERT ON order_test_more BEGIN INSERT INTO touched SELECT 'order_more ' || NEW.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_more ' || NEW.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_order_test_more_changed AFTER UPDATE OF order_id, position, detail ON order_test_more BEGIN INSERT INTO touched SELECT 'order_more ' || OLD.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_more ' || OLD.order_id); INSERT INTO touched SELECT 'order_more ' || NEW.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_more ' || NEW.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_order_test_more_gone AFTER DELETE ON order_test_more BEGIN INSERT INTO touched SELECT 'order_more ' || OLD.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_more ' || OLD.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_specimen_added AFTER INSERT ON specimen BEGIN INSERT INTO touched SELECT 'order_more ' || NEW.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_more ' || NEW.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_specimen_changed AFTER UPDATE OF id, order_id, says, drawn_at, reason, by_id, at ON specimen BEGIN INSERT INTO touched SELECT 'order_more ' || OLD.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_more ' || OLD.order_id); INSERT INTO touched SELECT 'order_more ' || NEW.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_more ' || NEW.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_specimen_gone AFTER DELETE ON specimen BEGIN INSERT INTO touched SELECT 'order_more ' || OLD.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_more ' || OLD.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_prepared_more_added AFTER INSERT ON prepared_more BEGIN INSERT INTO touched SELECT 'prepared_more ' || NEW.prepared_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'prepared_more ' || NEW.prepared_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_prepared_more_changed AFTER UPDATE OF prepared_id, detail ON prepared_more BEGIN INSERT INTO touched SELECT 'prepared_more ' || OLD.prepared_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'prepared_more ' || OLD.prepared_id); INSERT INTO touched SELECT 'prepared_more ' || NEW.prepared_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'prepared_more ' || NEW.prepared_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_prepared_more_gone AFTER DELETE ON prepared_more BEGIN INSERT INTO touched SELECT 'prepared_more ' || OLD.prepared_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'prepared_more ' || OLD.prepared_id); END;
-- +goose StatementEnd
