package store

import (
	"encoding/json"
	"time"
)

// RuleSetting is how the practice has set a rule, newest version.
type RuleSetting struct {
	Rule       string
	Version    int
	On         bool
	Parameters map[string]string
	ByID, By   string
	At         time.Time
}

// RuleFile is a rule of the practice's own, as a file.
type RuleFile struct {
	Rule            string
	Serial, Version int
	Text, ByID, By  string
	At              time.Time
}

// RuleSettings lists the setting of every rule that was set, each version; the newest of a rule last.
func (q *Q) RuleSettings() ([]RuleSetting, error) {
	return list(q, func(s scanner, r *RuleSetting) error {
		var on, parameters, at string
		if err := s.Scan(&r.Rule, &r.Version, &on, &parameters, &r.ByID, &r.By, &at); err != nil {
			return err
		}
		r.On, r.At = on == "on", Moment(at)
		return json.Unmarshal([]byte(parameters), &r.Parameters)
	}, "SELECT x.rule, x.version, x.switched, x.parameters, x.by_id, coalesce(s.given || ' ' || s.family, ''), x.at FROM rule_setting x LEFT JOIN staff s ON s.id = x.by_id ORDER BY x.rule, x.version")
}

// AddRuleSetting sets a rule; false where somebody else set that version before.
func (q *Q) AddRuleSetting(r RuleSetting) (bool, error) {
	parameters, err := json.Marshal(r.Parameters)
	if err != nil {
		return false, err
	}
	on := "off"
	if r.On {
		on = "on"
	}
	n, err := q.exec("INSERT INTO rule_setting(rule, version, switched, parameters, by_id, at) VALUES (?,?,?,?,?,?) ON CONFLICT DO NOTHING", r.Rule, r.Version, on, string(parameters), r.ByID, Stamp(r.At))
	return n > 0, err
}

// RuleFiles lists the rules of the practice's own, every one that was taken in; the newest of a rule last.
func (q *Q) RuleFiles() ([]RuleFile, error) {
	return list(q, func(s scanner, r *RuleFile) error {
		var at string
		err := s.Scan(&r.Rule, &r.Serial, &r.Version, &r.Text, &r.ByID, &r.By, &at)
		r.At = Moment(at)
		return err
	}, "SELECT x.rule, x.serial, x.version, x.text, x.by_id, coalesce(s.given || ' ' || s.family, ''), x.at FROM rule_file x LEFT JOIN staff s ON s.id = x.by_id ORDER BY x.rule, x.serial")
}

// AddRuleFile takes a rule in.
func (q *Q) AddRuleFile(r RuleFile) error {
	return q.do("INSERT INTO rule_file(rule, serial, version, text, by_id, at) SELECT ?, coalesce(max(serial), 0) + 1, ?, ?, ?, ? FROM rule_file WHERE rule = ?", r.Rule, r.Version, r.Text, r.ByID,
		Stamp(r.At), r.Rule)
}
