-- +goose Up
-- What the rules read of one chart, laid together for runs over the whole practice. It can be made anew at any time and proves nothing: it is
-- outside the trail. Every change to a row it was made of empties it and counts; a body is kept only for the count with which it was read.
CREATE TABLE extract (
  person_id TEXT PRIMARY KEY,
  seq INTEGER NOT NULL DEFAULT 0,
  form TEXT NOT NULL DEFAULT '',         -- by which program and for which quantities it was made
  body BLOB NOT NULL DEFAULT x''        -- store/extract.go
) STRICT, WITHOUT ROWID;
CREATE INDEX extract_empty ON extract(person_id) WHERE body = x'';
-- +goose StatementBegin
CREATE TRIGGER extract_problem_added AFTER INSERT ON problem BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_problem_changed AFTER UPDATE ON problem BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_problem_gone AFTER DELETE ON problem BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_medicine_added AFTER INSERT ON medicine BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_medicine_changed AFTER UPDATE ON medicine BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_medicine_gone AFTER DELETE ON medicine BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_allergy_added AFTER INSERT ON allergy BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_allergy_changed AFTER UPDATE ON allergy BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_allergy_gone AFTER DELETE ON allergy BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_history_added AFTER INSERT ON history BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_history_changed AFTER UPDATE ON history BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_history_gone AFTER DELETE ON history BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_statement_added AFTER INSERT ON statement BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_statement_changed AFTER UPDATE ON statement BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_statement_gone AFTER DELETE ON statement BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_immunization_added AFTER INSERT ON immunization BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_immunization_changed AFTER UPDATE ON immunization BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_immunization_gone AFTER DELETE ON immunization BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_vital_added AFTER INSERT ON vital BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_vital_changed AFTER UPDATE ON vital BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_vital_gone AFTER DELETE ON vital BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_report_added AFTER INSERT ON report BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_report_changed AFTER UPDATE ON report BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_report_gone AFTER DELETE ON report BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_screen_response_added AFTER INSERT ON screen_response BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_screen_response_changed AFTER UPDATE ON screen_response BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_screen_response_gone AFTER DELETE ON screen_response BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_visit_added AFTER INSERT ON visit BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_visit_changed AFTER UPDATE ON visit BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_visit_gone AFTER DELETE ON visit BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_note_added AFTER INSERT ON note BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_note_changed AFTER UPDATE ON note BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_note_gone AFTER DELETE ON note BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_lab_order_added AFTER INSERT ON lab_order BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_lab_order_changed AFTER UPDATE ON lab_order BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_lab_order_gone AFTER DELETE ON lab_order BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_prepared_order_added AFTER INSERT ON prepared_order BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_prepared_order_changed AFTER UPDATE ON prepared_order BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_prepared_order_gone AFTER DELETE ON prepared_order BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_care_entry_added AFTER INSERT ON care_entry BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_care_entry_changed AFTER UPDATE ON care_entry BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_care_entry_gone AFTER DELETE ON care_entry BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_further_order_added AFTER INSERT ON further_order BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_further_order_changed AFTER UPDATE ON further_order BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_further_order_gone AFTER DELETE ON further_order BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_registration_added AFTER INSERT ON registration BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_registration_changed AFTER UPDATE ON registration BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_registration_gone AFTER DELETE ON registration BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_medicine_told_added AFTER INSERT ON medicine_told BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_medicine_told_changed AFTER UPDATE ON medicine_told BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_medicine_told_gone AFTER DELETE ON medicine_told BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_report_issue_added AFTER INSERT ON report_issue BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM report WHERE id = NEW.report_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_report_issue_changed AFTER UPDATE ON report_issue BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM report WHERE id = OLD.report_id)); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM report WHERE id = NEW.report_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_report_issue_gone AFTER DELETE ON report_issue BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM report WHERE id = OLD.report_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_report_value_added AFTER INSERT ON report_value BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM report WHERE id = NEW.report_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_report_value_changed AFTER UPDATE ON report_value BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM report WHERE id = OLD.report_id)); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM report WHERE id = NEW.report_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_report_value_gone AFTER DELETE ON report_value BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM report WHERE id = OLD.report_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_order_test_added AFTER INSERT ON order_test BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM lab_order WHERE id = NEW.order_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_order_test_changed AFTER UPDATE ON order_test BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM lab_order WHERE id = OLD.order_id)); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM lab_order WHERE id = NEW.order_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_order_test_gone AFTER DELETE ON order_test BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM lab_order WHERE id = OLD.order_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_order_more_added AFTER INSERT ON order_more BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM lab_order WHERE id = NEW.order_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_order_more_changed AFTER UPDATE ON order_more BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM lab_order WHERE id = OLD.order_id)); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM lab_order WHERE id = NEW.order_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_order_more_gone AFTER DELETE ON order_more BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM lab_order WHERE id = OLD.order_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_allergy_detail_added AFTER INSERT ON allergy_detail BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM allergy WHERE id = NEW.allergy_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_allergy_detail_changed AFTER UPDATE ON allergy_detail BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM allergy WHERE id = OLD.allergy_id)); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM allergy WHERE id = NEW.allergy_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_allergy_detail_gone AFTER DELETE ON allergy_detail BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM allergy WHERE id = OLD.allergy_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_allergy_tolerated_added AFTER INSERT ON allergy_tolerated BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM allergy WHERE id = NEW.allergy_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_allergy_tolerated_changed AFTER UPDATE ON allergy_tolerated BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM allergy WHERE id = OLD.allergy_id)); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM allergy WHERE id = NEW.allergy_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_allergy_tolerated_gone AFTER DELETE ON allergy_tolerated BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM allergy WHERE id = OLD.allergy_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_further_event_added AFTER INSERT ON further_event BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM further_order WHERE id = NEW.order_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_further_event_changed AFTER UPDATE ON further_event BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM further_order WHERE id = OLD.order_id)); UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM further_order WHERE id = NEW.order_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_further_event_gone AFTER DELETE ON further_event BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id = (SELECT person_id FROM patient WHERE id = (SELECT patient_id FROM further_order WHERE id = OLD.order_id)); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_patient_changed AFTER UPDATE ON patient BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id IN (OLD.id, OLD.person_id, NEW.person_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_patient_gone AFTER DELETE ON patient BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id IN (OLD.id, OLD.person_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_patient_added AFTER INSERT ON patient BEGIN UPDATE extract SET seq = seq + 1, body = x'' WHERE person_id IN (NEW.id, NEW.person_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER extract_staff_changed AFTER UPDATE OF given, family ON staff BEGIN UPDATE extract SET seq = seq + 1, body = x''; END;
-- +goose StatementEnd
