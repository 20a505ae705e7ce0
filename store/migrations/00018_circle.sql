-- +goose Up
-- Who may see whose chart: usual clinicians, teams, who covers for whom, and the charts that
-- were opened with a reason.
CREATE TABLE team (id TEXT PRIMARY KEY, name TEXT NOT NULL) STRICT;
CREATE TABLE team_member (
  team_id TEXT NOT NULL REFERENCES team(id), staff_id TEXT NOT NULL REFERENCES staff(id), PRIMARY KEY (team_id, staff_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX team_of ON team_member(staff_id);
CREATE TABLE usual_clinician (
  patient_id TEXT PRIMARY KEY REFERENCES patient(id), staff_id TEXT NOT NULL REFERENCES staff(id), by_id TEXT NOT NULL, at TEXT NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX usual_clinician_of ON usual_clinician(staff_id);
CREATE TABLE cover (
  id TEXT PRIMARY KEY, of_id TEXT NOT NULL REFERENCES staff(id), by_id TEXT NOT NULL REFERENCES staff(id),
  from_day TEXT NOT NULL, to_day TEXT NOT NULL, set_by TEXT NOT NULL, set_at TEXT NOT NULL,
  ended_at TEXT NOT NULL DEFAULT '', ended_by TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX cover_by ON cover(by_id, to_day);
CREATE INDEX cover_to ON cover(to_day);
CREATE TABLE opening (
  id TEXT PRIMARY KEY, patient_id TEXT NOT NULL REFERENCES patient(id), staff_id TEXT NOT NULL REFERENCES staff(id),
  at TEXT NOT NULL, until TEXT NOT NULL, reason TEXT NOT NULL,
  reviewer_id TEXT REFERENCES staff(id), -- null for whoever may review
  reviewed_at TEXT NOT NULL DEFAULT '', reviewed_by TEXT NOT NULL DEFAULT '', verdict TEXT NOT NULL DEFAULT '', remark TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX opening_of ON opening(patient_id, until);
CREATE INDEX opening_at ON opening(at);
CREATE INDEX opening_waiting ON opening(at) WHERE reviewed_at = '';
-- Who began a draft that another answers for now; '' where it is the author.
ALTER TABLE note ADD COLUMN began_id TEXT NOT NULL DEFAULT '';
-- What was said when a chart was opened, and afterwards, stays.
-- +goose StatementBegin
CREATE TRIGGER opening_fixed BEFORE UPDATE OF id, patient_id, staff_id, at, until, reason, reviewer_id ON opening BEGIN SELECT RAISE(ABORT, 'an opening cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER opening_reviewed BEFORE UPDATE ON opening WHEN OLD.reviewed_at <> '' BEGIN SELECT RAISE(ABORT, 'the opening is reviewed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER opening_stays BEFORE DELETE ON opening BEGIN SELECT RAISE(ABORT, 'an opening cannot be removed'); END;
-- +goose StatementEnd
-- The trail holds these too (store/trail.go).
-- +goose StatementBegin
CREATE TRIGGER trail_team_added AFTER INSERT ON team BEGIN INSERT INTO touched SELECT 'team ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'team ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_team_changed AFTER UPDATE OF id, name ON team BEGIN INSERT INTO touched SELECT 'team ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'team ' || OLD.id); INSERT INTO touched SELECT 'team ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'team ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_team_gone AFTER DELETE ON team BEGIN INSERT INTO touched SELECT 'team ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'team ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_team_member_added AFTER INSERT ON team_member BEGIN INSERT INTO touched SELECT 'team ' || NEW.team_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'team ' || NEW.team_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_team_member_changed AFTER UPDATE OF team_id, staff_id ON team_member BEGIN INSERT INTO touched SELECT 'team ' || OLD.team_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'team ' || OLD.team_id); INSERT INTO touched SELECT 'team ' || NEW.team_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'team ' || NEW.team_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_team_member_gone AFTER DELETE ON team_member BEGIN INSERT INTO touched SELECT 'team ' || OLD.team_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'team ' || OLD.team_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_usual_clinician_added AFTER INSERT ON usual_clinician BEGIN INSERT INTO touched SELECT 'usual_clinician ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'usual_clinician ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_usual_clinician_changed AFTER UPDATE OF patient_id, staff_id, by_id, at ON usual_clinician BEGIN INSERT INTO touched SELECT 'usual_clinician ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'usual_clinician ' || OLD.patient_id); INSERT INTO touched SELECT 'usual_clinician ' || NEW.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'usual_clinician ' || NEW.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_usual_clinician_gone AFTER DELETE ON usual_clinician BEGIN INSERT INTO touched SELECT 'usual_clinician ' || OLD.patient_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'usual_clinician ' || OLD.patient_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_cover_added AFTER INSERT ON cover BEGIN INSERT INTO touched SELECT 'cover ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'cover ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_cover_changed AFTER UPDATE OF id, of_id, by_id, from_day, to_day, set_by, set_at, ended_at, ended_by ON cover BEGIN INSERT INTO touched SELECT 'cover ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'cover ' || OLD.id); INSERT INTO touched SELECT 'cover ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'cover ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_cover_gone AFTER DELETE ON cover BEGIN INSERT INTO touched SELECT 'cover ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'cover ' || OLD.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_opening_added AFTER INSERT ON opening BEGIN INSERT INTO touched SELECT 'opening ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'opening ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_opening_changed AFTER UPDATE OF id, patient_id, staff_id, at, until, reason, reviewer_id, reviewed_at, reviewed_by, verdict, remark ON opening BEGIN INSERT INTO touched SELECT 'opening ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'opening ' || OLD.id); INSERT INTO touched SELECT 'opening ' || NEW.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'opening ' || NEW.id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_opening_gone AFTER DELETE ON opening BEGIN INSERT INTO touched SELECT 'opening ' || OLD.id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'opening ' || OLD.id); END;
-- +goose StatementEnd
