-- +goose Up
-- A message to the patient's portal account. ID stays the same however often it is sent.
CREATE TABLE message (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id), note_id TEXT NOT NULL DEFAULT '',
  text TEXT NOT NULL, document_id TEXT NOT NULL DEFAULT '', folio INTEGER NOT NULL,
  state TEXT NOT NULL,                    -- waiting, delivered, refused, settled
  attempts INTEGER NOT NULL DEFAULT 0, next_at TEXT NOT NULL, last_error TEXT NOT NULL DEFAULT '',
  by_id TEXT NOT NULL, at TEXT NOT NULL, done_at TEXT NOT NULL DEFAULT '', settled TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX message_waiting ON message(next_at) WHERE state = 'waiting';
CREATE INDEX message_of ON message(patient_id, at);
-- +goose StatementBegin
CREATE TRIGGER message_sealed BEFORE UPDATE OF text, document_id, folio, patient_id ON message BEGIN SELECT RAISE(ABORT, 'the message is sealed'); END;
-- +goose StatementEnd
-- How a refused fax was settled.
ALTER TABLE fax ADD COLUMN settled TEXT NOT NULL DEFAULT '';
-- Which form a document was written from ("letter referral", "leaflet gout"); empty for others.
ALTER TABLE document ADD COLUMN form TEXT NOT NULL DEFAULT '';
-- Since when a problem is known, as the patient or chart says it (a year, a month, a day), and how it stands.
ALTER TABLE problem ADD COLUMN onset TEXT NOT NULL DEFAULT '';
ALTER TABLE problem ADD COLUMN state TEXT NOT NULL DEFAULT '';
-- Diagnoses written under one bullet with the one before them.
ALTER TABLE note_diagnosis ADD COLUMN joined INTEGER NOT NULL DEFAULT 0;
