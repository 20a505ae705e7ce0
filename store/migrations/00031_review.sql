-- +goose Up
-- Lines of one team, of those that nobody owns; and what is added to a review after it was signed.
CREATE TABLE line_team (
  line_id TEXT PRIMARY KEY REFERENCES line(id), team_id TEXT NOT NULL REFERENCES team(id)
) STRICT, WITHOUT ROWID;
CREATE INDEX line_team_of ON line_team(team_id);
CREATE TABLE review_addendum (
  id TEXT PRIMARY KEY, report_id TEXT NOT NULL REFERENCES report(id), issue INTEGER NOT NULL, says TEXT NOT NULL,
  by_id TEXT NOT NULL REFERENCES staff(id), at TEXT NOT NULL, folio INTEGER NOT NULL
) STRICT;
CREATE INDEX inquiry_given_back ON inquiry(at) WHERE kind = 'given back' AND state = 'open';
CREATE INDEX review_addendum_of ON review_addendum(report_id);
-- +goose StatementBegin
CREATE TRIGGER trail_line_team_added AFTER INSERT ON line_team BEGIN INSERT INTO touched SELECT 'line ' || NEW.line_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'line ' || NEW.line_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_line_team_changed AFTER UPDATE OF line_id, team_id ON line_team BEGIN INSERT INTO touched SELECT 'line ' || OLD.line_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'line ' || OLD.line_id); INSERT INTO touched SELECT 'line ' || NEW.line_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'line ' || NEW.line_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_line_team_gone AFTER DELETE ON line_team BEGIN INSERT INTO touched SELECT 'line ' || OLD.line_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'line ' || OLD.line_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER review_addendum_fixed BEFORE UPDATE ON review_addendum BEGIN SELECT RAISE(ABORT, 'what was added cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER review_addendum_stays BEFORE DELETE ON review_addendum BEGIN SELECT RAISE(ABORT, 'what was added cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_review_addendum_added AFTER INSERT ON review_addendum BEGIN INSERT INTO touched SELECT 'report ' || NEW.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || NEW.report_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_review_addendum_changed AFTER UPDATE OF id, report_id, issue, says, by_id, at, folio ON review_addendum BEGIN INSERT INTO touched SELECT 'report ' || OLD.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || OLD.report_id); INSERT INTO touched SELECT 'report ' || NEW.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || NEW.report_id); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_review_addendum_gone AFTER DELETE ON review_addendum BEGIN INSERT INTO touched SELECT 'report ' || OLD.report_id WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'report ' || OLD.report_id); END;
-- +goose StatementEnd
