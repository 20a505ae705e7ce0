-- +goose Up
-- What somebody did about an order that went its way too slowly.
CREATE TABLE order_event (
  id TEXT PRIMARY KEY, order_id TEXT NOT NULL REFERENCES lab_order(id),
  says TEXT NOT NULL,                    -- called
  detail TEXT NOT NULL,                  -- with whom, and what they said
  until TEXT NOT NULL DEFAULT '',        -- the moment until which it waits again; '' for none
  by_id TEXT NOT NULL, at TEXT NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX order_event_of ON order_event(order_id, at);
-- The history of orders: of a patient, and of the practice, the newest first.
CREATE INDEX lab_order_newest ON lab_order(signed_at, id);
CREATE INDEX lab_order_going ON lab_order(signed_at, id) WHERE state NOT IN ('reviewed', 'cancelled');
-- +goose StatementBegin
CREATE TRIGGER order_event_fixed BEFORE UPDATE ON order_event BEGIN SELECT RAISE(ABORT, 'what was done about an order cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER order_event_stays BEFORE DELETE ON order_event BEGIN SELECT RAISE(ABORT, 'what was done about an order cannot be removed'); END;
-- +goose StatementEnd
-- The trail holds it too (store/trail.go).
-- +goose StatementBegin
CREATE TRIGGER trail_order_event_added AFTER INSERT ON order_event BEGIN INSERT INTO touched SELECT 'order_event ' || NEW.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_event ' || NEW.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_order_event_changed AFTER UPDATE OF id, order_id, says, detail, until, by_id, at ON order_event BEGIN INSERT INTO touched SELECT 'order_event ' || OLD.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_event ' || OLD.order_id); INSERT INTO touched SELECT 'order_event ' || NEW.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_event ' || NEW.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_order_event_gone AFTER DELETE ON order_event BEGIN INSERT INTO touched SELECT 'order_event ' || OLD.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'order_event ' || OLD.order_id); END;
-- +goose StatementEnd
