-- +goose Up
-- Who a patient is, as it was stated: each change a version of its own, the newest in force. What the
-- lists of medicines and allergies say beyond their old columns stands beside them, so that every
-- entry made before stays as it is, and stays under the same seal.
CREATE TABLE registration (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id), version INTEGER NOT NULL,
  content TEXT NOT NULL,                 -- JSON, core/chart.Registration
  reason TEXT NOT NULL DEFAULT '', by_id TEXT NOT NULL, at TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX registration_of ON registration(patient_id, version);
CREATE TABLE medicine_detail (
  medicine_id TEXT PRIMARY KEY REFERENCES medicine(id), patient_id TEXT NOT NULL,
  typed TEXT NOT NULL,                   -- as somebody typed it
  dosage TEXT NOT NULL DEFAULT '',       -- JSON, core/chart.Dosage; '' where it was not read
  why TEXT NOT NULL DEFAULT ''           -- why it was begun
) STRICT, WITHOUT ROWID;
CREATE INDEX medicine_detail_of ON medicine_detail(patient_id);
CREATE TABLE medicine_told (
  id TEXT PRIMARY KEY, medicine_id TEXT NOT NULL REFERENCES medicine(id), patient_id TEXT NOT NULL,
  says TEXT NOT NULL,                    -- taking, sometimes, not taking, not known
  detail TEXT NOT NULL DEFAULT '', by_id TEXT NOT NULL, at TEXT NOT NULL
) STRICT;
CREATE INDEX medicine_told_of ON medicine_told(medicine_id, at);
CREATE INDEX medicine_told_by ON medicine_told(patient_id);
CREATE TABLE allergy_detail (
  allergy_id TEXT PRIMARY KEY REFERENCES allergy(id), patient_id TEXT NOT NULL,
  certainty TEXT NOT NULL DEFAULT ''     -- confirmed, likely, doubtful, refuted; '' for not said
) STRICT, WITHOUT ROWID;
CREATE INDEX allergy_detail_of ON allergy_detail(patient_id);
CREATE TABLE allergy_tolerated (
  id TEXT PRIMARY KEY, allergy_id TEXT NOT NULL REFERENCES allergy(id), patient_id TEXT NOT NULL,
  what TEXT NOT NULL, day TEXT NOT NULL DEFAULT '', by_id TEXT NOT NULL, at TEXT NOT NULL
) STRICT;
CREATE INDEX allergy_tolerated_of ON allergy_tolerated(allergy_id, at);
CREATE INDEX allergy_tolerated_by ON allergy_tolerated(patient_id);
-- What was said stays.
-- +goose StatementBegin
CREATE TRIGGER registration_fixed BEFORE UPDATE ON registration BEGIN SELECT RAISE(ABORT, 'a version of a registration cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER registration_stays BEFORE DELETE ON registration BEGIN SELECT RAISE(ABORT, 'a version of a registration cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER medicine_told_fixed BEFORE UPDATE ON medicine_told BEGIN SELECT RAISE(ABORT, 'what was told cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER medicine_told_stays BEFORE DELETE ON medicine_told BEGIN SELECT RAISE(ABORT, 'what was told cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER allergy_tolerated_fixed BEFORE UPDATE ON allergy_tolerated BEGIN SELECT RAISE(ABORT, 'what was borne cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER allergy_tolerated_stays BEFORE DELETE ON allergy_tolerated BEGIN SELECT RAISE(ABORT, 'what was borne cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER medicine_detail_fixed BEFORE UPDATE ON medicine_detail BEGIN SELECT RAISE(ABORT, 'what was typed cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER medicine_detail_stays BEFORE DELETE ON medicine_detail BEGIN SELECT RAISE(ABORT, 'what was typed cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER allergy_detail_fixed BEFORE UPDATE ON allergy_detail BEGIN SELECT RAISE(ABORT, 'what was said of an allergy cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER allergy_detail_stays BEFORE DELETE ON allergy_detail BEGIN SELECT RAISE(ABORT, 'what was said of an allergy cannot be removed'); END;
-- +goose StatementEnd
-- The trail holds these too (store/trail.go).
-- +goose StatementBegin
CREATE TRIGGER trail_registration_added AFTER INSERT ON registration BEGIN INSERT INTO touched SELECT 'registration ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'registration ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_registration_changed AFTER UPDATE OF id, patient_id, version, content, reason, by_id, at ON registration BEGIN INSERT INTO touched SELECT 'registration ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'registration ' || OLD.patient_id); INSERT INTO touched SELECT 'registration ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'registration ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_registration_gone AFTER DELETE ON registration BEGIN INSERT INTO touched SELECT 'registration ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'registration ' || OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_medicine_detail_added AFTER INSERT ON medicine_detail BEGIN INSERT INTO touched SELECT 'medicine_detail ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'medicine_detail ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_medicine_detail_changed AFTER UPDATE OF medicine_id, patient_id, typed, dosage, why ON medicine_detail BEGIN INSERT INTO touched SELECT 'medicine_detail ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'medicine_detail ' || OLD.patient_id); INSERT INTO touched SELECT 'medicine_detail ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'medicine_detail ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_medicine_detail_gone AFTER DELETE ON medicine_detail BEGIN INSERT INTO touched SELECT 'medicine_detail ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'medicine_detail ' || OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_medicine_told_added AFTER INSERT ON medicine_told BEGIN INSERT INTO touched SELECT 'medicine_told ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'medicine_told ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_medicine_told_changed AFTER UPDATE OF id, medicine_id, patient_id, says, detail, by_id, at ON medicine_told BEGIN INSERT INTO touched SELECT 'medicine_told ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'medicine_told ' || OLD.patient_id); INSERT INTO touched SELECT 'medicine_told ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'medicine_told ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_medicine_told_gone AFTER DELETE ON medicine_told BEGIN INSERT INTO touched SELECT 'medicine_told ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'medicine_told ' || OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_allergy_detail_added AFTER INSERT ON allergy_detail BEGIN INSERT INTO touched SELECT 'allergy_detail ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'allergy_detail ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_allergy_detail_changed AFTER UPDATE OF allergy_id, patient_id, certainty ON allergy_detail BEGIN INSERT INTO touched SELECT 'allergy_detail ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'allergy_detail ' || OLD.patient_id); INSERT INTO touched SELECT 'allergy_detail ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'allergy_detail ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_allergy_detail_gone AFTER DELETE ON allergy_detail BEGIN INSERT INTO touched SELECT 'allergy_detail ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'allergy_detail ' || OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_allergy_tolerated_added AFTER INSERT ON allergy_tolerated BEGIN INSERT INTO touched SELECT 'allergy_tolerated ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'allergy_tolerated ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_allergy_tolerated_changed AFTER UPDATE OF id, allergy_id, patient_id, what, day, by_id, at ON allergy_tolerated BEGIN INSERT INTO touched SELECT 'allergy_tolerated ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'allergy_tolerated ' || OLD.patient_id); INSERT INTO touched SELECT 'allergy_tolerated ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'allergy_tolerated ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_allergy_tolerated_gone AFTER DELETE ON allergy_tolerated BEGIN INSERT INTO touched SELECT 'allergy_tolerated ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'allergy_tolerated ' || OLD.patient_id); END;
-- +goose StatementEnd
