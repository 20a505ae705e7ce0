-- +goose Up
-- The second factor of a person: a secret for codes by the clock (RFC 6238), encrypted with a key that lies outside the data.
CREATE TABLE second_factor (
  staff_id TEXT PRIMARY KEY REFERENCES staff(id),
  sealed BLOB NOT NULL, active INTEGER NOT NULL DEFAULT 0,
  step INTEGER NOT NULL DEFAULT 0        -- the newest step of the clock whose code was used: none is used twice
) STRICT, WITHOUT ROWID;
-- What others ask of the practice: a pharmacy a further prescription, a patient by telephone or portal something else.
CREATE TABLE inquiry (
  id TEXT PRIMARY KEY,
  kind TEXT NOT NULL,                    -- repeat, message
  source TEXT NOT NULL,                  -- pharmacy, portal, telephone
  origin TEXT NOT NULL UNIQUE,           -- how their system names it; an identifier of ours for what was told here
  patient_id TEXT NOT NULL DEFAULT '',   -- '' while nobody knows whose it is
  owner_id TEXT NOT NULL DEFAULT '', said TEXT NOT NULL, by_id TEXT NOT NULL, at TEXT NOT NULL,
  state TEXT NOT NULL DEFAULT 'open', answer TEXT NOT NULL DEFAULT '', order_id TEXT NOT NULL DEFAULT '',
  done_by TEXT NOT NULL DEFAULT '', done_at TEXT NOT NULL DEFAULT ''
) STRICT, WITHOUT ROWID;
CREATE INDEX inquiry_of ON inquiry(patient_id, at);
-- +goose StatementBegin
CREATE TRIGGER inquiry_fixed BEFORE UPDATE OF id, kind, source, origin, said, by_id, at ON inquiry BEGIN SELECT RAISE(ABORT, 'what was asked cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER inquiry_stays BEFORE DELETE ON inquiry BEGIN SELECT RAISE(ABORT, 'what was asked cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_inquiry_added AFTER INSERT ON inquiry BEGIN INSERT INTO touched SELECT 'inquiry ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inquiry ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_inquiry_changed AFTER UPDATE OF id, kind, source, origin, patient_id, owner_id, said, by_id, at, state, answer, order_id, done_by, done_at ON inquiry BEGIN INSERT INTO touched SELECT 'inquiry ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inquiry ' || OLD.id); INSERT INTO touched SELECT 'inquiry ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inquiry ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_inquiry_gone AFTER DELETE ON inquiry BEGIN INSERT INTO touched SELECT 'inquiry ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inquiry ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_second_factor_added AFTER INSERT ON second_factor BEGIN INSERT INTO touched SELECT 'staff ' || NEW.staff_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'staff ' || NEW.staff_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_second_factor_changed AFTER UPDATE OF staff_id, sealed, active ON second_factor BEGIN INSERT INTO touched SELECT 'staff ' || OLD.staff_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'staff ' || OLD.staff_id); INSERT INTO touched SELECT 'staff ' || NEW.staff_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'staff ' || NEW.staff_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_second_factor_gone AFTER DELETE ON second_factor BEGIN INSERT INTO touched SELECT 'staff ' || OLD.staff_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'staff ' || OLD.staff_id); END;
-- +goose StatementEnd
