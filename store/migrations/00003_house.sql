-- +goose Up
-- Tests and vaccines of the house, orders prepared for signature, documents of a
-- draft, and records of one person that were merged.

-- Which person a record is about: itself, or the record it was merged into. Rows
-- stay with the record they were written in, so that records can be taken apart.
ALTER TABLE patient ADD COLUMN person_id TEXT NOT NULL DEFAULT '';
UPDATE patient SET person_id = id;
CREATE INDEX patient_person ON patient(person_id);
CREATE TABLE merge (
  id TEXT PRIMARY KEY, kept_id TEXT NOT NULL REFERENCES patient(id), other_id TEXT NOT NULL REFERENCES patient(id),
  reason TEXT NOT NULL, by_id TEXT NOT NULL, at TEXT NOT NULL, folio INTEGER NOT NULL,   -- folio in the chart that is kept
  apart_at TEXT NOT NULL DEFAULT '', apart_by TEXT NOT NULL DEFAULT '', apart_reason TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE UNIQUE INDEX merge_standing ON merge(other_id) WHERE apart_at = '';
CREATE INDEX merge_kept ON merge(kept_id);

-- A result of the house belongs to the visit at which it was done.
ALTER TABLE report ADD COLUMN visit_id TEXT NOT NULL DEFAULT '';
CREATE INDEX report_visit ON report(visit_id) WHERE visit_id <> '';

-- With what a test of the house was done.
CREATE TABLE house_result (
  report_id TEXT NOT NULL REFERENCES report(id), issue INTEGER NOT NULL, test TEXT NOT NULL,
  lot TEXT NOT NULL, expires TEXT NOT NULL, control TEXT NOT NULL, by_id TEXT NOT NULL, at TEXT NOT NULL,
  PRIMARY KEY (report_id, issue)
) STRICT, WITHOUT ROWID;
CREATE INDEX house_result_lot ON house_result(test, at);

-- A vaccine given here. cvx is the code of the CDC's CVX code set.
CREATE TABLE immunization (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id), visit_id TEXT NOT NULL DEFAULT '',
  cvx TEXT NOT NULL, name TEXT NOT NULL, maker TEXT NOT NULL, lot TEXT NOT NULL, expires TEXT NOT NULL,
  dose TEXT NOT NULL, route TEXT NOT NULL, site TEXT NOT NULL, sheet TEXT NOT NULL, -- date of the information sheet handed over
  given_at TEXT NOT NULL, given_by TEXT NOT NULL,
  struck_at TEXT NOT NULL DEFAULT '', struck_by TEXT NOT NULL DEFAULT '', struck_reason TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX immunization_of ON immunization(patient_id, given_at);
CREATE INDEX immunization_visit ON immunization(visit_id) WHERE visit_id <> '';
CREATE INDEX immunization_lot ON immunization(cvx, given_at);

-- An order somebody prepared, waiting for a physician's signature.
CREATE TABLE prepared_order (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id), visit_id TEXT NOT NULL DEFAULT '',
  for_id TEXT NOT NULL REFERENCES staff(id), by_id TEXT NOT NULL REFERENCES staff(id), at TEXT NOT NULL,
  priority TEXT NOT NULL, collected INTEGER NOT NULL, tests TEXT NOT NULL,         -- JSON: test code and diagnosis codes
  state TEXT NOT NULL,                    -- waiting, signed, returned, dropped, replaced
  reason TEXT NOT NULL DEFAULT '', order_id TEXT NOT NULL DEFAULT '', request_id TEXT NOT NULL UNIQUE
) STRICT;
CREATE INDEX prepared_order_of ON prepared_order(patient_id, state);

-- +goose StatementBegin
CREATE TRIGGER patient_person_self AFTER INSERT ON patient WHEN NEW.person_id = '' BEGIN UPDATE patient SET person_id = id WHERE id = NEW.id; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER immunization_fixed BEFORE UPDATE OF patient_id, cvx, name, maker, lot, expires, dose, route, site, sheet, given_at, given_by ON immunization BEGIN SELECT RAISE(ABORT, 'a vaccine given is struck with a reason, not changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER merge_fixed BEFORE UPDATE OF kept_id, other_id, reason, by_id, at, folio ON merge BEGIN SELECT RAISE(ABORT, 'a merge is taken apart, not changed'); END;
-- +goose StatementEnd
