-- +goose Up
-- A report is known by who sent it, their number, the order, the test and what it is about,
-- never by number and test alone: a number is used again for others.
ALTER TABLE report ADD COLUMN source TEXT NOT NULL DEFAULT '';
-- Why a person said it is this patient's although the names differ.
ALTER TABLE report ADD COLUMN matched_why TEXT NOT NULL DEFAULT '';
-- When it left the chart, because it was attached to the wrong one.
ALTER TABLE report ADD COLUMN gone_at TEXT NOT NULL DEFAULT '';
UPDATE report SET source = coalesce((SELECT CASE WHEN b.sender LIKE 'house|%' THEN 'house' ELSE b.sender END FROM report_issue i
  JOIN inbox b ON b.id = i.inbox_id WHERE i.report_id = report.id ORDER BY i.issue LIMIT 1), '') || char(9) || filler || char(9) ||
  CASE WHEN filler LIKE 'house:%' THEN '' ELSE order_id END || char(9) || code || char(9);
DROP INDEX report_same;
CREATE INDEX report_source ON report(source);
CREATE INDEX report_number ON report(filler, code);
-- What came with a report and its values beside them (JSON); and whether an issue came late,
-- older than the one it found.
ALTER TABLE report_issue ADD COLUMN details TEXT NOT NULL DEFAULT '';
ALTER TABLE report_issue ADD COLUMN part INTEGER NOT NULL DEFAULT 1;
ALTER TABLE report_issue ADD COLUMN late INTEGER NOT NULL DEFAULT 0;
ALTER TABLE report_value ADD COLUMN details TEXT NOT NULL DEFAULT '';
CREATE INDEX report_issue_message ON report_issue(inbox_id, part);
-- What a message says of one patient is matched, held, attached or set aside by itself.
-- There are rows for messages of which something is or was held.
CREATE TABLE inbox_part (
  inbox_id INTEGER NOT NULL REFERENCES inbox(id), part INTEGER NOT NULL, -- from 1, in the order of the message
  state TEXT NOT NULL,                   -- filed, quarantined, settled
  reason TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (inbox_id, part)
) STRICT, WITHOUT ROWID;
INSERT INTO inbox_part(inbox_id, part, state, reason) SELECT id, 1, state, reason FROM inbox WHERE state IN ('quarantined', 'settled');
-- What was refused is listed until a person has settled it.
INSERT INTO inbox_part(inbox_id, part, state, reason) SELECT id, 1, 'quarantined', reason FROM inbox WHERE state = 'refused';
INSERT INTO line(id, kind, subject, state, rank, opened_at) SELECT 'refused-' || id, 'held', CAST(id AS TEXT), 'open', 1, received_at FROM inbox WHERE state = 'refused';
-- The finder compares letters without their accents in every way of writing them.
DELETE FROM patient_search;
UPDATE patient SET words = '';
