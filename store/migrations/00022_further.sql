-- +goose Up
-- Whom the practice writes to: practices and persons, pharmacies, with how they want to be reached.
CREATE TABLE directory (
  id TEXT PRIMARY KEY,
  kind TEXT NOT NULL,                    -- practice, pharmacy
  name TEXT NOT NULL, person TEXT NOT NULL DEFAULT '', specialty TEXT NOT NULL DEFAULT '',
  phone TEXT NOT NULL DEFAULT '', fax TEXT NOT NULL DEFAULT '', address TEXT NOT NULL DEFAULT '', npi TEXT NOT NULL DEFAULT '',
  reach TEXT NOT NULL,                   -- electronic, fax, letter
  account TEXT NOT NULL DEFAULT '',      -- how their system names them, where they are reached electronically
  remark TEXT NOT NULL DEFAULT '', version INTEGER NOT NULL, by_id TEXT NOT NULL, at TEXT NOT NULL,
  gone INTEGER NOT NULL DEFAULT 0        -- no longer written to
) STRICT, WITHOUT ROWID;
-- Orders that are no laboratory's: referrals and prescriptions. What was signed never changes;
-- where it stands does.
CREATE TABLE further_order (
  id TEXT PRIMARY KEY,
  kind TEXT NOT NULL,                    -- referral, prescription
  number TEXT NOT NULL UNIQUE,           -- ours, for ever
  patient_id TEXT NOT NULL REFERENCES patient(id), visit_id TEXT NOT NULL DEFAULT '',
  clinician_id TEXT NOT NULL,            -- who signs it, or is to
  by_id TEXT NOT NULL,                   -- who wrote it
  to_id TEXT NOT NULL DEFAULT '',        -- in the directory; '' where it is only printed
  request_id TEXT NOT NULL UNIQUE, written_at TEXT NOT NULL, detail TEXT NOT NULL,
  signed_at TEXT NOT NULL DEFAULT '',    -- '' while it waits for the signature
  folio INTEGER NOT NULL DEFAULT 0, state TEXT NOT NULL, reason TEXT NOT NULL DEFAULT ''
) STRICT, WITHOUT ROWID;
CREATE INDEX further_order_of ON further_order(patient_id, written_at);
CREATE INDEX further_order_going ON further_order(kind, written_at) WHERE state NOT IN ('closed', 'cancelled', 'ended');
-- What became of one of them, said by the other side or by somebody here.
CREATE TABLE further_event (
  id TEXT PRIMARY KEY, order_id TEXT NOT NULL REFERENCES further_order(id),
  says TEXT NOT NULL, detail TEXT NOT NULL DEFAULT '',
  happened TEXT NOT NULL DEFAULT '',     -- when, as they said it
  origin TEXT NOT NULL DEFAULT '',       -- how their system names it, so that the same said twice is one
  document_id TEXT NOT NULL DEFAULT '', by_id TEXT NOT NULL, at TEXT NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX further_event_of ON further_event(order_id, at);
CREATE UNIQUE INDEX further_event_once ON further_event(order_id, origin) WHERE origin <> '';
-- +goose StatementBegin
CREATE TRIGGER further_order_fixed BEFORE UPDATE OF id, kind, number, patient_id, visit_id, by_id, to_id, request_id, written_at, detail ON further_order BEGIN SELECT RAISE(ABORT, 'what was ordered cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER further_order_signed BEFORE UPDATE OF clinician_id, signed_at, folio ON further_order WHEN OLD.signed_at <> '' BEGIN SELECT RAISE(ABORT, 'what was signed cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER further_order_stays BEFORE DELETE ON further_order BEGIN SELECT RAISE(ABORT, 'what was ordered cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER further_event_fixed BEFORE UPDATE ON further_event BEGIN SELECT RAISE(ABORT, 'what became of an order cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER further_event_stays BEFORE DELETE ON further_event BEGIN SELECT RAISE(ABORT, 'what became of an order cannot be removed'); END;
-- +goose StatementEnd
-- The trail holds them (store/trail.go).
-- +goose StatementBegin
CREATE TRIGGER trail_directory_added AFTER INSERT ON directory BEGIN INSERT INTO touched SELECT 'directory ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'directory ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_directory_changed AFTER UPDATE OF id, kind, name, person, specialty, phone, fax, address, npi, reach, account, remark, version, by_id, at, gone ON directory BEGIN INSERT INTO touched SELECT 'directory ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'directory ' || OLD.id); INSERT INTO touched SELECT 'directory ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'directory ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_directory_gone AFTER DELETE ON directory BEGIN INSERT INTO touched SELECT 'directory ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'directory ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_further_order_added AFTER INSERT ON further_order BEGIN INSERT INTO touched SELECT 'further_order ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'further_order ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_further_order_changed AFTER UPDATE OF id, kind, number, patient_id, visit_id, clinician_id, by_id, to_id, request_id, written_at, detail, signed_at, folio, state, reason ON further_order BEGIN INSERT INTO touched SELECT 'further_order ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'further_order ' || OLD.id); INSERT INTO touched SELECT 'further_order ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'further_order ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_further_order_gone AFTER DELETE ON further_order BEGIN INSERT INTO touched SELECT 'further_order ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'further_order ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_further_event_added AFTER INSERT ON further_event BEGIN INSERT INTO touched SELECT 'further_order ' || NEW.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'further_order ' || NEW.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_further_event_changed AFTER UPDATE OF id, order_id, says, detail, happened, origin, document_id, by_id, at ON further_event BEGIN INSERT INTO touched SELECT 'further_order ' || OLD.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'further_order ' || OLD.order_id); INSERT INTO touched SELECT 'further_order ' || NEW.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'further_order ' || NEW.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_further_event_gone AFTER DELETE ON further_event BEGIN INSERT INTO touched SELECT 'further_order ' || OLD.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'further_order ' || OLD.order_id); END;
-- +goose StatementEnd
