-- +goose Up
-- What a practice of fifty thousand patients needs to be found by.
CREATE INDEX follow_up_note ON follow_up(note_id);
CREATE INDEX lab_order_visit ON lab_order(visit_id) WHERE visit_id <> '';
CREATE INDEX outbox_order ON outbox(order_id);
CREATE INDEX fax_document ON fax(document_id);
CREATE INDEX session_staff ON session(staff_id);
CREATE INDEX session_created ON session(created_at);
CREATE INDEX patient_born ON patient(birth_date);
CREATE INDEX patient_family ON patient(family COLLATE NOCASE);
DROP INDEX house_result_lot;
CREATE INDEX house_result_lot ON house_result(test, at DESC);
DROP INDEX immunization_lot;
CREATE INDEX immunization_lot ON immunization(cvx, given_at DESC) WHERE struck_at = '';
-- A search of a finding over the practice reads the newest notes first: identifiers of
-- notes sort by when they were begun.
DROP INDEX note_finding_known;
CREATE INDEX note_finding_known ON note_finding(area, system, finding, note_id DESC) WHERE state IN ('present', 'absent');

-- +goose StatementBegin
CREATE TRIGGER note_part_stays BEFORE DELETE ON note_part WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
