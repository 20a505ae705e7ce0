-- +goose Up
-- The trail: what the program itself did, as a chain. Each writing transaction that leaves an audit row or
-- changes a guarded row adds one link, with the hash of the audit rows and of the guarded rows as it left
-- them. "touched" holds the groups of rows that a transaction changed, and is empty when it is over: what
-- stands there was changed by somebody else. Generated once; the groups are those of store/trail.go.
CREATE TABLE touched (scope TEXT PRIMARY KEY) STRICT, WITHOUT ROWID;
CREATE TABLE trail (
  seq INTEGER PRIMARY KEY, audit_to INTEGER NOT NULL, audit_hash BLOB NOT NULL,
  rows TEXT NOT NULL,                    -- JSON: group of rows → hash of the rows as they were left
  hash BLOB NOT NULL
) STRICT;
CREATE TABLE foreign_change (scope TEXT PRIMARY KEY) STRICT, WITHOUT ROWID; -- found in "touched" before an act began
CREATE TABLE row_seal (scope TEXT PRIMARY KEY, seq INTEGER NOT NULL, digest BLOB NOT NULL) STRICT, WITHOUT ROWID;
-- +goose StatementBegin
CREATE TRIGGER trail_patient_added AFTER INSERT ON patient BEGIN INSERT INTO touched SELECT 'patient ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'patient ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_patient_changed AFTER UPDATE OF id, record, family, given, middle, birth_date, sex, phone, code_status, uses_portal, person_id ON patient BEGIN INSERT INTO touched SELECT 'patient ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'patient ' || OLD.id); INSERT INTO touched SELECT 'patient ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'patient ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_patient_gone AFTER DELETE ON patient BEGIN INSERT INTO touched SELECT 'patient ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'patient ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_staff_added AFTER INSERT ON staff BEGIN INSERT INTO touched SELECT 'staff ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'staff ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_staff_changed AFTER UPDATE OF id, login, given, family, role, password_hash, secret_hash, active ON staff BEGIN INSERT INTO touched SELECT 'staff ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'staff ' || OLD.id); INSERT INTO touched SELECT 'staff ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'staff ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_staff_gone AFTER DELETE ON staff BEGIN INSERT INTO touched SELECT 'staff ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'staff ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_setting_added AFTER INSERT ON setting BEGIN INSERT INTO touched SELECT 'setting ' || NEW.name WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'setting ' || NEW.name); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_setting_changed AFTER UPDATE OF name, value ON setting BEGIN INSERT INTO touched SELECT 'setting ' || OLD.name WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'setting ' || OLD.name); INSERT INTO touched SELECT 'setting ' || NEW.name WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'setting ' || NEW.name); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_setting_gone AFTER DELETE ON setting BEGIN INSERT INTO touched SELECT 'setting ' || OLD.name WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'setting ' || OLD.name); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_form_added AFTER INSERT ON form BEGIN INSERT INTO touched SELECT 'form ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'form ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_form_changed AFTER UPDATE OF kind, id, version, owner_id, body, prose, retired, by_id, at ON form BEGIN INSERT INTO touched SELECT 'form ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'form ' || OLD.id); INSERT INTO touched SELECT 'form ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'form ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_form_gone AFTER DELETE ON form BEGIN INSERT INTO touched SELECT 'form ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'form ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_problem_added AFTER INSERT ON problem BEGIN INSERT INTO touched SELECT 'problem ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'problem ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_problem_changed AFTER UPDATE OF id, patient_id, code, title, since, ended, onset, state ON problem BEGIN INSERT INTO touched SELECT 'problem ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'problem ' || OLD.patient_id); INSERT INTO touched SELECT 'problem ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'problem ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_problem_gone AFTER DELETE ON problem BEGIN INSERT INTO touched SELECT 'problem ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'problem ' || OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_allergy_added AFTER INSERT ON allergy BEGIN INSERT INTO touched SELECT 'allergy ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'allergy ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_allergy_changed AFTER UPDATE OF id, patient_id, substance, reaction, severity, stated_at, stated_by, source, ended_at, ended_by, end_reason ON allergy BEGIN INSERT INTO touched SELECT 'allergy ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'allergy ' || OLD.patient_id); INSERT INTO touched SELECT 'allergy ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'allergy ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_allergy_gone AFTER DELETE ON allergy BEGIN INSERT INTO touched SELECT 'allergy ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'allergy ' || OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_medicine_added AFTER INSERT ON medicine BEGIN INSERT INTO touched SELECT 'medicine ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'medicine ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_medicine_changed AFTER UPDATE OF id, patient_id, name, dose, started, stopped, stop_reason, source, added_by, added_at, stopped_by ON medicine BEGIN INSERT INTO touched SELECT 'medicine ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'medicine ' || OLD.patient_id); INSERT INTO touched SELECT 'medicine ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'medicine ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_medicine_gone AFTER DELETE ON medicine BEGIN INSERT INTO touched SELECT 'medicine ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'medicine ' || OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_history_added AFTER INSERT ON history BEGIN INSERT INTO touched SELECT 'history ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'history ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_history_changed AFTER UPDATE OF id, patient_id, list, title, detail, since, until, source, stated_at, stated_by, ended_at, ended_by, end_reason ON history BEGIN INSERT INTO touched SELECT 'history ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'history ' || OLD.patient_id); INSERT INTO touched SELECT 'history ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'history ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_history_gone AFTER DELETE ON history BEGIN INSERT INTO touched SELECT 'history ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'history ' || OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_statement_added AFTER INSERT ON statement BEGIN INSERT INTO touched SELECT 'statement ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'statement ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_statement_changed AFTER UPDATE OF id, patient_id, list, says, staff_id, at, visit_id ON statement BEGIN INSERT INTO touched SELECT 'statement ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'statement ' || OLD.patient_id); INSERT INTO touched SELECT 'statement ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'statement ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_statement_gone AFTER DELETE ON statement BEGIN INSERT INTO touched SELECT 'statement ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'statement ' || OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_vital_added AFTER INSERT ON vital BEGIN INSERT INTO touched SELECT 'vital ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'vital ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_vital_changed AFTER UPDATE OF id, patient_id, loinc, name, value, unit, taken_at, visit_id, origin, entered, by_id, struck_at, struck_by ON vital BEGIN INSERT INTO touched SELECT 'vital ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'vital ' || OLD.patient_id); INSERT INTO touched SELECT 'vital ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'vital ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_vital_gone AFTER DELETE ON vital BEGIN INSERT INTO touched SELECT 'vital ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'vital ' || OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_immunization_added AFTER INSERT ON immunization BEGIN INSERT INTO touched SELECT 'immunization ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'immunization ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_immunization_changed AFTER UPDATE OF id, patient_id, visit_id, cvx, name, maker, lot, expires, dose, route, site, sheet, given_at, given_by, struck_at, struck_by, struck_reason ON immunization BEGIN INSERT INTO touched SELECT 'immunization ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'immunization ' || OLD.patient_id); INSERT INTO touched SELECT 'immunization ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'immunization ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_immunization_gone AFTER DELETE ON immunization BEGIN INSERT INTO touched SELECT 'immunization ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'immunization ' || OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_incoming_entry_added AFTER INSERT ON incoming_entry BEGIN INSERT INTO touched SELECT 'incoming_entry ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'incoming_entry ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_incoming_entry_changed AFTER UPDATE OF id, patient_id, visit_id, source, reference, list, title, detail, since, link, received_at, decision, decided_at, decided_by, became ON incoming_entry BEGIN INSERT INTO touched SELECT 'incoming_entry ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'incoming_entry ' || OLD.id); INSERT INTO touched SELECT 'incoming_entry ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'incoming_entry ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_incoming_entry_gone AFTER DELETE ON incoming_entry BEGIN INSERT INTO touched SELECT 'incoming_entry ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'incoming_entry ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_visit_added AFTER INSERT ON visit BEGIN INSERT INTO touched SELECT 'visit ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'visit ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_visit_changed AFTER UPDATE OF id, patient_id, clinician_id, day, starts_at, kind, reason, room, stage, stage_at, version, with_id ON visit BEGIN INSERT INTO touched SELECT 'visit ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'visit ' || OLD.id); INSERT INTO touched SELECT 'visit ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'visit ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_visit_gone AFTER DELETE ON visit BEGIN INSERT INTO touched SELECT 'visit ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'visit ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_lab_order_added AFTER INSERT ON lab_order BEGIN INSERT INTO touched SELECT 'lab_order ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'lab_order ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_lab_order_changed AFTER UPDATE OF id, patient_id, visit_id, clinician_id, placer, laboratory, priority, state, signed_at, collected_at, reason, request_id, cancelling ON lab_order BEGIN INSERT INTO touched SELECT 'lab_order ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'lab_order ' || OLD.id); INSERT INTO touched SELECT 'lab_order ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'lab_order ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_lab_order_gone AFTER DELETE ON lab_order BEGIN INSERT INTO touched SELECT 'lab_order ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'lab_order ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_order_test_changed AFTER UPDATE OF order_id, position, code, name, loinc, specimen, tube, diagnoses ON order_test BEGIN INSERT INTO touched SELECT 'lab_order ' || OLD.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'lab_order ' || OLD.order_id); INSERT INTO touched SELECT 'lab_order ' || NEW.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'lab_order ' || NEW.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_order_test_gone AFTER DELETE ON order_test BEGIN INSERT INTO touched SELECT 'lab_order ' || OLD.order_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'lab_order ' || OLD.order_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_prepared_order_added AFTER INSERT ON prepared_order BEGIN INSERT INTO touched SELECT 'prepared_order ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'prepared_order ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_prepared_order_changed AFTER UPDATE OF id, patient_id, visit_id, for_id, by_id, at, priority, collected, tests, state, reason, order_id, request_id ON prepared_order BEGIN INSERT INTO touched SELECT 'prepared_order ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'prepared_order ' || OLD.id); INSERT INTO touched SELECT 'prepared_order ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'prepared_order ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_prepared_order_gone AFTER DELETE ON prepared_order BEGIN INSERT INTO touched SELECT 'prepared_order ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'prepared_order ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_report_added AFTER INSERT ON report BEGIN INSERT INTO touched SELECT 'report ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_report_changed AFTER UPDATE OF id, patient_id, order_id, position, filler, code, title, loinc, owner_id, status, issue, signed_issue, version, matched_by, visit_id, source, matched_why, gone_at ON report BEGIN INSERT INTO touched SELECT 'report ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || OLD.id); INSERT INTO touched SELECT 'report ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_report_gone AFTER DELETE ON report BEGIN INSERT INTO touched SELECT 'report ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_report_issue_added AFTER INSERT ON report_issue BEGIN INSERT INTO touched SELECT 'report ' || NEW.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || NEW.report_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_report_issue_changed AFTER UPDATE OF report_id, issue, inbox_id, status, collected_at, reported_at, received_at, performer, notes, details, part, late ON report_issue BEGIN INSERT INTO touched SELECT 'report ' || OLD.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || OLD.report_id); INSERT INTO touched SELECT 'report ' || NEW.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || NEW.report_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_report_issue_gone AFTER DELETE ON report_issue BEGIN INSERT INTO touched SELECT 'report ' || OLD.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || OLD.report_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_report_value_changed AFTER UPDATE OF report_id, issue, position, code, name, loinc, text, unit, range, flag, status, notes, details ON report_value BEGIN INSERT INTO touched SELECT 'report ' || OLD.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || OLD.report_id); INSERT INTO touched SELECT 'report ' || NEW.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || NEW.report_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_report_value_gone AFTER DELETE ON report_value BEGIN INSERT INTO touched SELECT 'report ' || OLD.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || OLD.report_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_review_added AFTER INSERT ON review BEGIN INSERT INTO touched SELECT 'report ' || NEW.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || NEW.report_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_review_changed AFTER UPDATE OF report_id, issue, comment, told, told_reason, signed_by, signed_at, folio ON review BEGIN INSERT INTO touched SELECT 'report ' || OLD.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || OLD.report_id); INSERT INTO touched SELECT 'report ' || NEW.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || NEW.report_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_review_gone AFTER DELETE ON review BEGIN INSERT INTO touched SELECT 'report ' || OLD.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || OLD.report_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_house_result_changed AFTER UPDATE OF report_id, issue, test, lot, expires, control, by_id, at ON house_result BEGIN INSERT INTO touched SELECT 'report ' || OLD.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || OLD.report_id); INSERT INTO touched SELECT 'report ' || NEW.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || NEW.report_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_house_result_gone AFTER DELETE ON house_result BEGIN INSERT INTO touched SELECT 'report ' || OLD.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || OLD.report_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_inbox_changed AFTER UPDATE OF id, received_at, peer, sender, control, sha256, raw, state, reason ON inbox BEGIN INSERT INTO touched SELECT 'inbox ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inbox ' || OLD.id); INSERT INTO touched SELECT 'inbox ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inbox ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_inbox_gone AFTER DELETE ON inbox BEGIN INSERT INTO touched SELECT 'inbox ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inbox ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_inbox_part_changed AFTER UPDATE OF inbox_id, part, state, reason ON inbox_part BEGIN INSERT INTO touched SELECT 'inbox ' || OLD.inbox_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inbox ' || OLD.inbox_id); INSERT INTO touched SELECT 'inbox ' || NEW.inbox_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inbox ' || NEW.inbox_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_inbox_part_gone AFTER DELETE ON inbox_part BEGIN INSERT INTO touched SELECT 'inbox ' || OLD.inbox_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inbox ' || OLD.inbox_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_line_added AFTER INSERT ON line BEGIN INSERT INTO touched SELECT 'line ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'line ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_line_changed AFTER UPDATE OF id, kind, subject, patient_id, owner_id, state, opened_at, closed_at, closed_by, closed_with, by_name ON line BEGIN INSERT INTO touched SELECT 'line ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'line ' || OLD.id); INSERT INTO touched SELECT 'line ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'line ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_line_gone AFTER DELETE ON line BEGIN INSERT INTO touched SELECT 'line ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'line ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_message_added AFTER INSERT ON message BEGIN INSERT INTO touched SELECT 'message ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'message ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_message_changed AFTER UPDATE OF id, patient_id, note_id, text, document_id, folio, state, by_id, at, done_at, settled ON message BEGIN INSERT INTO touched SELECT 'message ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'message ' || OLD.id); INSERT INTO touched SELECT 'message ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'message ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_message_gone AFTER DELETE ON message BEGIN INSERT INTO touched SELECT 'message ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'message ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_document_added AFTER INSERT ON document BEGIN INSERT INTO touched SELECT 'document ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'document ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_document_changed AFTER UPDATE OF id, patient_id, note_id, title, pdf, folio, made_by, made_at, form ON document BEGIN INSERT INTO touched SELECT 'document ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'document ' || OLD.id); INSERT INTO touched SELECT 'document ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'document ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_document_gone AFTER DELETE ON document BEGIN INSERT INTO touched SELECT 'document ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'document ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_fax_added AFTER INSERT ON fax BEGIN INSERT INTO touched SELECT 'fax ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'fax ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_fax_changed AFTER UPDATE OF id, document_id, number, state, by_id, at, done_at, settled ON fax BEGIN INSERT INTO touched SELECT 'fax ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'fax ' || OLD.id); INSERT INTO touched SELECT 'fax ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'fax ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_fax_gone AFTER DELETE ON fax BEGIN INSERT INTO touched SELECT 'fax ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'fax ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_follow_up_added AFTER INSERT ON follow_up BEGIN INSERT INTO touched SELECT 'follow_up ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'follow_up ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_follow_up_changed AFTER UPDATE OF id, patient_id, note_id, due, said, reason, clinician_id, by_id, at, state, visit_id, done_by, done_at, done_reason ON follow_up BEGIN INSERT INTO touched SELECT 'follow_up ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'follow_up ' || OLD.id); INSERT INTO touched SELECT 'follow_up ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'follow_up ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_follow_up_gone AFTER DELETE ON follow_up BEGIN INSERT INTO touched SELECT 'follow_up ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'follow_up ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_handed_to_billing_added AFTER INSERT ON handed_to_billing BEGIN INSERT INTO touched SELECT 'handed_to_billing ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'handed_to_billing ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_handed_to_billing_changed AFTER UPDATE OF id, note_id, format, by_id, at ON handed_to_billing BEGIN INSERT INTO touched SELECT 'handed_to_billing ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'handed_to_billing ' || OLD.id); INSERT INTO touched SELECT 'handed_to_billing ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'handed_to_billing ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_handed_to_billing_gone AFTER DELETE ON handed_to_billing BEGIN INSERT INTO touched SELECT 'handed_to_billing ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'handed_to_billing ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_merge_added AFTER INSERT ON merge BEGIN INSERT INTO touched SELECT 'merge ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'merge ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_merge_changed AFTER UPDATE OF id, kept_id, other_id, reason, by_id, at, folio, apart_at, apart_by, apart_reason ON merge BEGIN INSERT INTO touched SELECT 'merge ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'merge ' || OLD.id); INSERT INTO touched SELECT 'merge ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'merge ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_merge_gone AFTER DELETE ON merge BEGIN INSERT INTO touched SELECT 'merge ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'merge ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_note_signed AFTER UPDATE OF folio, retracted, belongs ON note BEGIN INSERT INTO touched SELECT 'note ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'note ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_inbox_added AFTER INSERT ON inbox WHEN NEW.state <> 'stored' BEGIN INSERT INTO touched SELECT 'inbox ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'inbox ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_diagnosis_sealed_update BEFORE UPDATE ON note_diagnosis WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_diagnosis_sealed_insert BEFORE INSERT ON note_diagnosis WHEN (SELECT folio FROM note WHERE id = NEW.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_diagnosis_sealed_delete BEFORE DELETE ON note_diagnosis WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_interview_sealed_update BEFORE UPDATE ON note_interview WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_interview_sealed_insert BEFORE INSERT ON note_interview WHEN (SELECT folio FROM note WHERE id = NEW.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_interview_sealed_delete BEFORE DELETE ON note_interview WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_advice_sealed_update BEFORE UPDATE ON note_advice WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_advice_sealed_insert BEFORE INSERT ON note_advice WHEN (SELECT folio FROM note WHERE id = NEW.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER note_advice_sealed_delete BEFORE DELETE ON note_advice WHEN (SELECT folio FROM note WHERE id = OLD.note_id) > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
CREATE INDEX problem_of_patient ON problem(patient_id);
CREATE INDEX form_of ON form(id);
-- +goose StatementBegin
CREATE TRIGGER note_stays BEFORE DELETE ON note WHEN OLD.folio > 0 BEGIN SELECT RAISE(ABORT, 'the note is signed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER review_stays BEFORE DELETE ON review BEGIN SELECT RAISE(ABORT, 'a review stays'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER document_stays BEFORE DELETE ON document BEGIN SELECT RAISE(ABORT, 'a filed document stays'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER message_stays BEFORE DELETE ON message BEGIN SELECT RAISE(ABORT, 'a message stays'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER merge_stays BEFORE DELETE ON merge BEGIN SELECT RAISE(ABORT, 'a merge is taken apart, not removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER lab_order_stays BEFORE DELETE ON lab_order BEGIN SELECT RAISE(ABORT, 'an order stays'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER order_test_stays BEFORE DELETE ON order_test BEGIN SELECT RAISE(ABORT, 'an order stays'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER statement_stays BEFORE DELETE ON statement BEGIN SELECT RAISE(ABORT, 'what was attested stays'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER immunization_stays BEFORE DELETE ON immunization BEGIN SELECT RAISE(ABORT, 'a vaccine is struck, not removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER inbox_stays BEFORE DELETE ON inbox BEGIN SELECT RAISE(ABORT, 'what was received stays'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER report_issue_stays BEFORE DELETE ON report_issue BEGIN SELECT RAISE(ABORT, 'a report stays'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER report_value_stays BEFORE DELETE ON report_value BEGIN SELECT RAISE(ABORT, 'a report stays'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER review_fixed BEFORE UPDATE ON review BEGIN SELECT RAISE(ABORT, 'a review cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER report_value_fixed BEFORE UPDATE ON report_value BEGIN SELECT RAISE(ABORT, 'a value cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_fixed BEFORE UPDATE ON trail BEGIN SELECT RAISE(ABORT, 'the trail cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_stays BEFORE DELETE ON trail BEGIN SELECT RAISE(ABORT, 'the trail cannot be changed'); END;
-- +goose StatementEnd
INSERT OR IGNORE INTO touched SELECT 'patient ' || id FROM patient;
INSERT OR IGNORE INTO touched SELECT 'staff ' || id FROM staff;
INSERT OR IGNORE INTO touched SELECT 'setting ' || name FROM setting;
INSERT OR IGNORE INTO touched SELECT 'form ' || id FROM form;
INSERT OR IGNORE INTO touched SELECT 'problem ' || patient_id FROM problem;
INSERT OR IGNORE INTO touched SELECT 'allergy ' || patient_id FROM allergy;
INSERT OR IGNORE INTO touched SELECT 'medicine ' || patient_id FROM medicine;
INSERT OR IGNORE INTO touched SELECT 'history ' || patient_id FROM history;
INSERT OR IGNORE INTO touched SELECT 'statement ' || patient_id FROM statement;
INSERT OR IGNORE INTO touched SELECT 'vital ' || patient_id FROM vital;
INSERT OR IGNORE INTO touched SELECT 'immunization ' || patient_id FROM immunization;
INSERT OR IGNORE INTO touched SELECT 'incoming_entry ' || id FROM incoming_entry;
INSERT OR IGNORE INTO touched SELECT 'visit ' || id FROM visit;
INSERT OR IGNORE INTO touched SELECT 'lab_order ' || id FROM lab_order;
INSERT OR IGNORE INTO touched SELECT 'lab_order ' || order_id FROM order_test;
INSERT OR IGNORE INTO touched SELECT 'prepared_order ' || id FROM prepared_order;
INSERT OR IGNORE INTO touched SELECT 'report ' || id FROM report;
INSERT OR IGNORE INTO touched SELECT 'report ' || report_id FROM report_issue;
INSERT OR IGNORE INTO touched SELECT 'report ' || report_id FROM report_value;
INSERT OR IGNORE INTO touched SELECT 'report ' || report_id FROM review;
INSERT OR IGNORE INTO touched SELECT 'report ' || report_id FROM house_result;
INSERT OR IGNORE INTO touched SELECT 'inbox ' || id FROM inbox WHERE state <> 'stored';
INSERT OR IGNORE INTO touched SELECT 'inbox ' || inbox_id FROM inbox_part;
INSERT OR IGNORE INTO touched SELECT 'line ' || id FROM line;
INSERT OR IGNORE INTO touched SELECT 'message ' || id FROM message;
INSERT OR IGNORE INTO touched SELECT 'document ' || id FROM document;
INSERT OR IGNORE INTO touched SELECT 'fax ' || id FROM fax;
INSERT OR IGNORE INTO touched SELECT 'follow_up ' || id FROM follow_up;
INSERT OR IGNORE INTO touched SELECT 'handed_to_billing ' || id FROM handed_to_billing;
INSERT OR IGNORE INTO touched SELECT 'merge ' || id FROM merge;
INSERT OR IGNORE INTO touched SELECT 'note ' || id FROM note WHERE folio > 0;
