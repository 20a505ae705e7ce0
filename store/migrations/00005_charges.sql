-- +goose Up
-- Charges of a visit: the service lines, and what the note documents towards its level.
CREATE TABLE note_charges (
  note_id TEXT PRIMARY KEY REFERENCES note(id), charges TEXT NOT NULL, facts TEXT NOT NULL, -- JSON, as core/coding has them
  version INTEGER NOT NULL, by_id TEXT NOT NULL, at TEXT NOT NULL
) STRICT, WITHOUT ROWID;
-- Each time the charges of a signed visit were handed to billing.
CREATE TABLE handed_to_billing (
  id TEXT PRIMARY KEY, note_id TEXT NOT NULL REFERENCES note(id), format TEXT NOT NULL, by_id TEXT NOT NULL, at TEXT NOT NULL
) STRICT;
CREATE INDEX handed_to_billing_of ON handed_to_billing(note_id);
-- +goose StatementBegin
CREATE TRIGGER note_charges_sealed BEFORE UPDATE ON note_charges WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_charges_late BEFORE INSERT ON note_charges WHEN (SELECT folio FROM note WHERE id = NEW.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
