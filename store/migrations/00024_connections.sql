-- +goose Up
-- Under which number a person signs what goes out: confirmed once, with the check digit and the password.
CREATE TABLE staff_npi (
  staff_id TEXT PRIMARY KEY REFERENCES staff(id), npi TEXT NOT NULL, proof TEXT NOT NULL, at TEXT NOT NULL
) STRICT, WITHOUT ROWID;
-- The last contact of each connection.
CREATE INDEX outbox_answered ON outbox(destination, answered_at);
-- +goose StatementBegin
CREATE TRIGGER trail_staff_npi_added AFTER INSERT ON staff_npi BEGIN INSERT INTO touched SELECT 'staff ' || NEW.staff_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'staff ' || NEW.staff_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_staff_npi_changed AFTER UPDATE OF staff_id, npi, proof, at ON staff_npi BEGIN INSERT INTO touched SELECT 'staff ' || OLD.staff_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'staff ' || OLD.staff_id); INSERT INTO touched SELECT 'staff ' || NEW.staff_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'staff ' || NEW.staff_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_staff_npi_gone AFTER DELETE ON staff_npi BEGIN INSERT INTO touched SELECT 'staff ' || OLD.staff_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'staff ' || OLD.staff_id); END;
-- +goose StatementEnd
