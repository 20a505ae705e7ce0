-- +goose Up
-- What was asked under which identifier, so that the same request gives the first answer and
-- another one under it is refused. The row is made within the transaction of the act.
CREATE TABLE asked (
  id TEXT PRIMARY KEY, staff_id TEXT NOT NULL, operation TEXT NOT NULL, hash BLOB NOT NULL,
  at TEXT NOT NULL, status INTEGER NOT NULL DEFAULT 0, kind TEXT NOT NULL DEFAULT '', answer BLOB
) STRICT;
CREATE INDEX asked_at ON asked(at);
