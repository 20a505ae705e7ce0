-- +goose Up
-- One outbox for everything that leaves: orders to the laboratory, faxes, messages to the
-- portal. A queue a destination.
CREATE TABLE outbox_of_all (
  control TEXT PRIMARY KEY,               -- under which it goes out, for ever
  destination TEXT NOT NULL,              -- laboratory, fax, portal
  kind TEXT NOT NULL, subject TEXT NOT NULL, -- what it is: an order, a fax, a message
  address TEXT NOT NULL DEFAULT '',       -- within the destination, such as a number
  body BLOB NOT NULL,                     -- as it goes out, byte for byte; empty for messages of former versions that still wait
  state TEXT NOT NULL,                    -- waiting, accepted, refused, withdrawn
  attempts INTEGER NOT NULL DEFAULT 0, next_at TEXT NOT NULL, last_error TEXT NOT NULL DEFAULT '',
  answer BLOB, answered_at TEXT NOT NULL DEFAULT '', by_id TEXT NOT NULL DEFAULT ''
) STRICT;
INSERT INTO outbox_of_all(control, destination, kind, subject, body, state, attempts, next_at, last_error, answer, answered_at)
  SELECT control, 'laboratory', 'order', order_id, body, state, attempts, next_at, last_error, answer, answered_at FROM outbox ORDER BY rowid;
INSERT INTO outbox_of_all(control, destination, kind, subject, address, body, state, attempts, next_at, last_error, by_id)
  SELECT f.id, 'fax', 'fax', f.id, f.number, d.pdf, 'waiting', f.attempts, f.next_at, f.last_error, f.by_id FROM fax f JOIN document d ON d.id = f.document_id WHERE f.state = 'waiting';
INSERT INTO outbox_of_all(control, destination, kind, subject, body, state, attempts, next_at, last_error, by_id)
  SELECT id, 'portal', 'message', id, x'', 'waiting', attempts, next_at, last_error, by_id FROM message WHERE state = 'waiting';
DROP TABLE outbox;
ALTER TABLE outbox_of_all RENAME TO outbox;
CREATE INDEX outbox_waiting ON outbox(destination, next_at) WHERE state = 'waiting';
CREATE INDEX outbox_subject ON outbox(subject);
DROP INDEX fax_waiting;
DROP INDEX message_waiting;
-- +goose StatementBegin
CREATE TRIGGER outbox_fixed BEFORE UPDATE OF control, destination, kind, subject, address, body ON outbox BEGIN SELECT RAISE(ABORT, 'what goes out stays as it was written'); END;
-- +goose StatementEnd
