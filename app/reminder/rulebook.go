package reminder

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/reminder"
	"deftledger/exchange/rulefile"
	"deftledger/store"
)

// RulebookView is the rulebook as the practice has it.
type RulebookView struct {
	Rules   []RuleView       `json:"rules"`
	Faults  []rulefile.Fault `json:"faults" doc:"Rules of the practice's own that no longer fit; they count nowhere"`
	Edition string           `json:"edition" doc:"The immunization schedule that vaccines follow"`
	// Editions are those there are; Setting is the version of the choice, which a change names.
	Editions []EditionView `json:"editions"`
	Setting  int           `json:"setting"`
	// Old says, to who may load a newer one, that the edition is older than the year.
	Old string `json:"old"`
}

// EditionView is an edition of the immunization schedule.
type EditionView struct {
	Edition   string `json:"edition"`
	Publisher string `json:"publisher"`
	Title     string `json:"title"`
	Mind      string `json:"mind"`
	Year      int    `json:"year"`
	InUse     bool   `json:"inUse"`
	// Differs are the rules that may stand otherwise under it than under the one in use.
	Differs []string `json:"differs" doc:"Titles of the rules that may stand otherwise under it"`
}

// RuleView is a rule with how the practice has set it.
type RuleView struct {
	Rule       string          `json:"rule"`
	Title      string          `json:"title"`
	Group      string          `json:"group"`
	About      string          `json:"about"`
	Version    int             `json:"version"`
	Maintainer string          `json:"maintainer"`
	Reviewed   string          `json:"reviewed"`
	Source     string          `json:"source"`
	Mind       string          `json:"mind"`
	Closes     string          `json:"closes"`
	On         bool            `json:"on"`
	Ours       bool            `json:"ours" doc:"Taken in here, not shipped"`
	Examples   int             `json:"examples"`
	Parameters []ParameterView `json:"parameters"`
	Setting    int             `json:"setting" doc:"Version of the setting, which a change names"`
	SetBy      string          `json:"setBy" doc:"Who set it, and when; empty for as it ships"`
	SetAt      string          `json:"setAt"`
}

// ParameterView is a figure that a practice may set for itself.
type ParameterView struct {
	Name  string `json:"name"`
	Says  string `json:"says"`
	Ships string `json:"ships"`
	From  string `json:"from"`
	To    string `json:"to"`
	Is    string `json:"is"`
}

// oldTold begins the setting that says of which edition somebody was told that it is older than the year.
const oldTold = "edition told to "

func toldOf(edition, year string) string { return edition + " in " + year }

// OldTold puts away, for whoever asks, that the edition is older than the year: it is said once to each, and again in the next year.
func (a *Acts) OldTold(ctx context.Context, who act.Actor) error {
	return a.Act(ctx, who, act.SetRules, func(t *act.Tx) error {
		if err := t.SetSetting(oldTold+who.ID, toldOf(a.Rulebook().Edition.Edition, a.Today()[:4])); err != nil {
			return err
		}
		return t.Audit("put away that the edition is old", "", "", "")
	})
}

// Book shows the rulebook.
func (a *Acts) Book(ctx context.Context, who act.Actor) (out RulebookView, err error) {
	if !act.May(who.Role, act.SetRules) {
		if err := act.Allow(who, act.Remind); err != nil {
			return out, err
		}
	}
	out = RulebookView{Rules: []RuleView{}, Faults: append([]rulefile.Fault{}, a.RuleFaults()...)}
	edition := a.Rulebook().Edition
	out.Edition, out.Editions = edition.Says(), []EditionView{}
	year := a.Today()[:4]
	old := act.May(who.Role, act.SetRules) && fmt.Sprint(edition.Year) < year
	if old {
		out.Old = fmt.Sprintf("The immunization schedule is the edition of %d; look whether there is a newer one.", edition.Year)
	}
	err = a.Store.Read(ctx, func(q *store.Q) error {
		if old {
			told, err := q.Setting(oldTold + who.ID)
			if err != nil {
				return err
			}
			if told == toldOf(edition.Edition, year) {
				out.Old = ""
			}
		}
		settings, err := q.RuleSettings()
		if err != nil {
			return err
		}
		files, err := q.RuleFiles()
		if err != nil {
			return err
		}
		source, _, _, err := a.RuleSource(q)
		if err != nil {
			return err
		}
		for _, s := range source.Schedules {
			v := EditionView{s.Edition, s.Publisher, s.Title, s.Mind, s.Year, s.Edition == source.Schedule.Edition, []string{}}
			for _, id := range source.Schedule.Concerned(s, a.Rulebook().Rules()) {
				r, _ := a.Rulebook().Rule(id)
				v.Differs = append(v.Differs, r.Title)
			}
			out.Editions = append(out.Editions, v)
		}
		out.Setting = settingOf(settings, act.ScheduleSetting)
		for _, r := range a.Rulebook().Rules() {
			v := RuleView{Rule: r.ID, Title: r.Title, Group: r.Group, About: r.About, Version: r.Version, Maintainer: r.Maintainer, Reviewed: r.Reviewed, Source: a.Rulebook().SourceOf(r), Mind: r.Source.Mind,
				Closes: r.Closes, On: a.Rulebook().On(r.ID), Examples: len(r.Examples), Parameters: []ParameterView{},
				Ours: slices.ContainsFunc(files, func(f store.RuleFile) bool { return f.Rule == r.ID })}
			own := map[string]string{}
			for _, s := range settings {
				if s.Rule == r.ID {
					own, v.Setting, v.SetBy, v.SetAt = s.Parameters, s.Version, s.By, a.Say(s.At)
				}
			}
			for name, p := range r.Parameters {
				x := ParameterView{Name: name, Says: p.Says, Ships: p.Is, From: p.From, To: p.To, Is: p.Is}
				if own[name] != "" {
					x.Is = own[name]
				}
				v.Parameters = append(v.Parameters, x)
			}
			slices.SortFunc(v.Parameters, func(x, y ParameterView) int { return strings.Compare(x.Name, y.Name) })
			out.Rules = append(out.Rules, v)
		}
		return nil
	})
	slices.SortStableFunc(out.Rules, func(x, y RuleView) int {
		return slices.Index(reminder.Groups, x.Group) - slices.Index(reminder.Groups, y.Group)
	})
	return out, err
}

// RuleSet is how a rule is set: switched on or off, with figures of the practice's own. Setting is the version it was made on.
type RuleSet struct {
	On         bool              `json:"on"`
	Parameters map[string]string `json:"parameters,omitempty"`
	Setting    int               `json:"setting"`
}

// Set switches a rule on or off and sets its figures.
func (a *Acts) Set(ctx context.Context, who act.Actor, rule string, s RuleSet) (RulebookView, error) {
	err := a.Act(ctx, who, act.SetRules, func(t *act.Tx) error {
		source, own, _, err := a.RuleSource(t.Q)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(source.Files, func(f rulefile.File) bool { return f.Rule.ID == rule })
		if i < 0 {
			return act.Refuse(act.Missing, "There is no such rule.")
		}
		if err := checked(source, own, rule, s); err != nil {
			return err
		}
		settings, err := t.RuleSettings()
		if err != nil {
			return err
		}
		now := settingOf(settings, rule)
		if now != s.Setting {
			return act.Refuse(act.Conflict, "Somebody else has set this rule meanwhile; look at it again.")
		}
		if _, err := t.AddRuleSetting(store.RuleSetting{Rule: rule, Version: now + 1, On: s.On, Parameters: s.Parameters, ByID: who.ID, At: t.Now}); err != nil {
			return err
		}
		return t.Audit("set a rule", "", rule, onOff(s.On))
	})
	if err == nil {
		err = a.Store.Read(ctx, a.ReadRules)
	}
	if err != nil {
		return RulebookView{}, err
	}
	return a.Book(ctx, who)
}

// settingOf is the version of the newest setting of a rule; 0 for as it ships.
func settingOf(all []store.RuleSetting, rule string) (version int) {
	for _, x := range all {
		if x.Rule == rule {
			version = x.Version
		}
	}
	return version
}

// EditionSet says which edition of the immunization schedule is used. Setting is the version it was made on.
type EditionSet struct {
	Edition string `json:"edition" maxLength:"64"`
	Setting int    `json:"setting"`
}

// SetEdition puts an edition of the immunization schedule in use.
func (a *Acts) SetEdition(ctx context.Context, who act.Actor, s EditionSet) (RulebookView, error) {
	err := a.Act(ctx, who, act.SetRules, func(t *act.Tx) error {
		source, own, _, err := a.RuleSource(t.Q)
		if err != nil {
			return err
		}
		under, ok := source.Under(s.Edition)
		if !ok {
			return act.Refuse(act.Missing, "There is no such edition.")
		}
		if _, faults := under.Book(own); len(faults) > 0 {
			return act.Refuse(act.Invalid, "It does not fit the rules: %s.", faults[0].Error())
		}
		settings, err := t.RuleSettings()
		if err != nil {
			return err
		}
		now := settingOf(settings, act.ScheduleSetting)
		if now != s.Setting {
			return act.Refuse(act.Conflict, "Somebody else has chosen an edition meanwhile; look at it again.")
		}
		if _, err := t.AddRuleSetting(store.RuleSetting{Rule: act.ScheduleSetting, Version: now + 1, On: true, Parameters: map[string]string{"edition": s.Edition}, ByID: who.ID, At: t.Now}); err != nil {
			return err
		}
		return t.Audit("choose an immunization schedule", "", act.ScheduleSetting, s.Edition)
	})
	if err == nil {
		err = a.Store.Read(ctx, a.ReadRules)
	}
	if err != nil {
		return RulebookView{}, err
	}
	return a.Book(ctx, who)
}

// takeEdition takes an edition of the immunization schedule in, beside those there are; it is used when somebody chooses it.
func (a *Acts) takeEdition(ctx context.Context, who act.Actor, text string) (out TakenIn, err error) {
	s, faults := rulefile.ReadSchedule("edition.yaml", []byte(text))
	if out.Faults = append([]rulefile.Fault{}, faults...); len(faults) > 0 {
		return out, nil
	}
	err = a.Act(ctx, who, act.SetRules, func(t *act.Tx) error {
		source, own, _, err := a.RuleSource(t.Q)
		if err != nil {
			return err
		}
		if slices.ContainsFunc(source.Schedules, func(x reminder.Schedule) bool { return x.Edition == s.Edition }) {
			out.Faults = append(out.Faults, rulefile.Fault{File: "edition.yaml", Line: 1, Reason: fmt.Sprintf("there is an edition %q; a new one needs a name of its own", s.Edition)})
			return nil
		}
		with, err := source.WithSchedule(s)
		if err != nil {
			out.Faults = append(out.Faults, rulefile.Fault{File: "edition.yaml", Reason: err.Error()})
			return nil
		}
		under, _ := with.Under(s.Edition)
		_, wrong := under.Book(own)
		for _, x := range wrong {
			out.Faults = append(out.Faults, rulefile.Fault{File: "edition.yaml", Reason: x.File + ": " + x.Reason})
		}
		if len(wrong) > 0 {
			return nil
		}
		if err := t.AddRuleFile(store.RuleFile{Rule: s.Edition, Version: s.Year, Text: text, ByID: who.ID, At: t.Now}); err != nil {
			return err
		}
		out.Rule = s.Edition
		return t.Audit("take an immunization schedule in", "", s.Edition, fmt.Sprint(s.Year))
	})
	if err == nil && out.Rule != "" {
		err = a.Store.Read(ctx, a.ReadRules)
	}
	return out, err
}

func onOff(on bool) string {
	if on {
		return "on"
	}
	return "off"
}

// checked tries a setting: what the rule says to it is the refusal.
func checked(source rulefile.Source, own map[string]reminder.Own, rule string, s RuleSet) error {
	i := slices.IndexFunc(source.Files, func(f rulefile.File) bool { return f.Rule.ID == rule })
	for name := range s.Parameters {
		if _, known := source.Files[i].Rule.Parameters[name]; !known {
			return act.Refuse(act.Invalid, "The rule has no figure %q.", name)
		}
	}
	own[rule] = reminder.Own{Set: true, On: s.On, Parameters: s.Parameters}
	_, faults := source.Book(own)
	for _, f := range faults {
		if f.File == rule+".yaml" {
			return act.Refuse(act.Invalid, "%s.", f.Reason)
		}
	}
	return nil
}

// TakenIn is what came of a rule file: taken in, switched off, or what is wrong with it.
type TakenIn struct {
	Rule   string           `json:"rule" doc:"Empty where it was refused"`
	Faults []rulefile.Fault `json:"faults"`
}

// TakeIn takes a rule file in, switched off until somebody switches it on. A wrong one is refused with each fault and
// its line, and an example that comes out otherwise is a fault too.
func (a *Acts) TakeIn(ctx context.Context, who act.Actor, text string) (out TakenIn, err error) {
	if err := act.Allow(who, act.SetRules); err != nil {
		return out, err
	}
	out.Faults = []rulefile.Fault{}
	if rulefile.IsSchedule([]byte(text)) {
		return a.takeEdition(ctx, who, text)
	}
	f, faults := rulefile.Read("rule.yaml", []byte(text))
	if len(faults) > 0 {
		out.Faults = faults
		return out, nil
	}
	err = a.Act(ctx, who, act.SetRules, func(t *act.Tx) error {
		source, own, _, err := a.RuleSource(t.Q)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(source.Files, func(o rulefile.File) bool { return o.Rule.ID == f.Rule.ID })
		if i >= 0 && source.Files[i].Rule.Version >= f.Rule.Version {
			out.Faults = append(out.Faults, f.Fault(reminder.Fault{At: "version", Reason: fmt.Sprintf("there is a rule %q of version %d; a new one needs a higher version", f.Rule.ID, source.Files[i].Rule.Version)}))
			return nil
		}
		book, wrong := source.With(f).Book(own)
		for _, x := range wrong {
			if x.File == f.Name {
				out.Faults = append(out.Faults, x)
			}
		}
		for i, e := range f.Rule.Examples {
			if len(out.Faults) > 0 {
				break
			}
			if says := book.Try(f.Rule.ID, e, a.medicine); says != "" {
				out.Faults = append(out.Faults, f.Fault(reminder.Fault{At: fmt.Sprintf("examples[%d]", i), Reason: says}))
			}
		}
		if len(out.Faults) > 0 {
			return nil
		}
		settings, err := t.RuleSettings()
		if err != nil {
			return err
		}
		version := settingOf(settings, f.Rule.ID)
		if err := t.AddRuleFile(store.RuleFile{Rule: f.Rule.ID, Version: f.Rule.Version, Text: text, ByID: who.ID, At: t.Now}); err != nil {
			return err
		}
		if _, err := t.AddRuleSetting(store.RuleSetting{Rule: f.Rule.ID, Version: version + 1, On: false, Parameters: map[string]string{}, ByID: who.ID, At: t.Now}); err != nil {
			return err
		}
		out.Rule = f.Rule.ID
		return t.Audit("take a rule in", "", f.Rule.ID, fmt.Sprint("version ", f.Rule.Version))
	})
	if err == nil && out.Rule != "" {
		err = a.Store.Read(ctx, a.ReadRules)
	}
	return out, err
}

// medicine says what a medicine is of, for the charts of examples.
func (a *Acts) medicine(name string) (classes, ingredients []string) {
	return a.Medicines.Classes(name), a.Medicines.Ingredients(name)
}

// RuleFile is a rule, or an edition of the immunization schedule, as a file, to be changed and taken in anew.
func (a *Acts) RuleFile(ctx context.Context, who act.Actor, rule string) (text string, err error) {
	if !act.May(who.Role, act.SetRules) {
		if err := act.Allow(who, act.Remind); err != nil {
			return "", err
		}
	}
	err = a.Store.Read(ctx, func(q *store.Q) error {
		source, _, _, err := a.RuleSource(q)
		if err != nil {
			return err
		}
		for _, f := range source.Files {
			if f.Rule.ID == rule {
				text = string(f.Text)
			}
		}
		for _, s := range source.Schedules {
			if s.Edition == rule {
				text = string(s.Text)
			}
		}
		if text == "" {
			return act.Refuse(act.Missing, "There is no such rule.")
		}
		return nil
	})
	return text, err
}
