-- +goose Up
-- Lines of a team have no owner, and what belongs to nobody for certain has no patient:
-- messages from outside that are held, and entries from outside that wait for a decision,
-- are lines like others.
CREATE TABLE line_of_all (
  id TEXT PRIMARY KEY, kind TEXT NOT NULL, subject TEXT NOT NULL,
  patient_id TEXT REFERENCES patient(id), -- null where nobody knows for certain whose it is
  owner_id TEXT REFERENCES staff(id),     -- null for a line of whoever has the right
  state TEXT NOT NULL, rank INTEGER NOT NULL DEFAULT 2, opened_at TEXT NOT NULL,
  closed_at TEXT NOT NULL DEFAULT '', closed_by TEXT NOT NULL DEFAULT '', closed_with TEXT NOT NULL DEFAULT ''
) STRICT;
INSERT INTO line_of_all(id, kind, subject, patient_id, owner_id, state, rank, opened_at, closed_at, closed_by, closed_with)
  SELECT id, kind, subject, patient_id, owner_id, state, rank, opened_at, closed_at, closed_by, closed_with FROM line ORDER BY rowid;
INSERT INTO line_of_all(id, kind, subject, state, rank, opened_at)
  SELECT 'held-' || id, 'held', CAST(id AS TEXT), 'open', 1, received_at FROM inbox WHERE state = 'quarantined' ORDER BY id;
INSERT INTO line_of_all(id, kind, subject, patient_id, owner_id, state, rank, opened_at)
  SELECT 'outside-' || e.patient_id, 'from outside', e.patient_id, e.patient_id,
    (SELECT v.clinician_id FROM visit v WHERE v.id = e.visit_id), 'waiting on others', 3, min(e.received_at)
  FROM incoming_entry e WHERE e.decision = '' GROUP BY e.patient_id;
DROP TABLE line;
ALTER TABLE line_of_all RENAME TO line;
CREATE UNIQUE INDEX line_open ON line(kind, subject) WHERE closed_at = '';
CREATE INDEX line_desk ON line(owner_id, kind, rank, opened_at) WHERE closed_at = '';
CREATE INDEX line_patient ON line(patient_id) WHERE closed_at = '';
CREATE INDEX incoming_entry_waiting ON incoming_entry(patient_id) WHERE decision = '';
