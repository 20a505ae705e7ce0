-- +goose Up
-- A desk is read in its order from an index, however long it is.
ALTER TABLE line ADD COLUMN by_name TEXT NOT NULL DEFAULT ''; -- family and given name of the person, a tab between them
UPDATE line SET by_name = coalesce((SELECT p.family || char(9) || p.given FROM patient own JOIN patient p ON p.id = own.person_id WHERE own.id = line.patient_id), '') WHERE closed_at = '';
CREATE INDEX line_order ON line(owner_id, rank, by_name, opened_at, id, kind) WHERE closed_at = '';
DROP INDEX line_desk;
CREATE INDEX line_count ON line(owner_id, kind) WHERE closed_at = '';
