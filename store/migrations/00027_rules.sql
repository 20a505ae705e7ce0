-- +goose Up
-- How the practice has set a rule: switched on or off, with figures of its own. Each setting is a version; the newest counts.
CREATE TABLE rule_setting (
  rule TEXT NOT NULL, version INTEGER NOT NULL,
  switched TEXT NOT NULL CHECK (switched IN ('on', 'off')),
  parameters TEXT NOT NULL DEFAULT '{}',  -- JSON: name to value
  by_id TEXT NOT NULL, at TEXT NOT NULL,
  PRIMARY KEY (rule, version)
) STRICT, WITHOUT ROWID;
-- Rules of the practice's own, or newer versions of those that ship, as files; the newest of an identifier counts.
CREATE TABLE rule_file (
  rule TEXT NOT NULL, serial INTEGER NOT NULL, version INTEGER NOT NULL,
  text TEXT NOT NULL, by_id TEXT NOT NULL, at TEXT NOT NULL,
  PRIMARY KEY (rule, serial)
) STRICT, WITHOUT ROWID;
-- +goose StatementBegin
CREATE TRIGGER rule_setting_fixed BEFORE UPDATE ON rule_setting BEGIN SELECT RAISE(ABORT, 'a setting of a rule cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER rule_setting_stays BEFORE DELETE ON rule_setting BEGIN SELECT RAISE(ABORT, 'a setting of a rule cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_rule_setting_added AFTER INSERT ON rule_setting BEGIN INSERT INTO touched SELECT 'rule_setting ' || NEW.rule WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'rule_setting ' || NEW.rule); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_rule_setting_changed AFTER UPDATE OF rule, version, switched, parameters, by_id, at ON rule_setting BEGIN INSERT INTO touched SELECT 'rule_setting ' || OLD.rule WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'rule_setting ' || OLD.rule); INSERT INTO touched SELECT 'rule_setting ' || NEW.rule WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'rule_setting ' || NEW.rule); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_rule_setting_gone AFTER DELETE ON rule_setting BEGIN INSERT INTO touched SELECT 'rule_setting ' || OLD.rule WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'rule_setting ' || OLD.rule); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER rule_file_fixed BEFORE UPDATE ON rule_file BEGIN SELECT RAISE(ABORT, 'a setting of a rule cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER rule_file_stays BEFORE DELETE ON rule_file BEGIN SELECT RAISE(ABORT, 'a setting of a rule cannot be removed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_rule_file_added AFTER INSERT ON rule_file BEGIN INSERT INTO touched SELECT 'rule_file ' || NEW.rule WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'rule_file ' || NEW.rule); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_rule_file_changed AFTER UPDATE OF rule, serial, version, text, by_id, at ON rule_file BEGIN INSERT INTO touched SELECT 'rule_file ' || OLD.rule WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'rule_file ' || OLD.rule); INSERT INTO touched SELECT 'rule_file ' || NEW.rule WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'rule_file ' || NEW.rule); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER trail_rule_file_gone AFTER DELETE ON rule_file BEGIN INSERT INTO touched SELECT 'rule_file ' || OLD.rule WHERE NOT EXISTS (SELECT 1 FROM touched WHERE scope = 'rule_file ' || OLD.rule); END;
-- +goose StatementEnd
