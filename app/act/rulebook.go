package act

import (
	"sync/atomic"
	"time"

	"deftledger/core/reminder"
	"deftledger/exchange/rulefile"
	"deftledger/store"
)

// rulebook is the rulebook as it is now: the rules that ship, those of the practice, and how it set them.
type rulebook struct {
	book   atomic.Pointer[reminder.Book]
	faults atomic.Pointer[[]rulefile.Fault]
	set    atomic.Pointer[map[string]time.Time]
}

// ScheduleSetting is the name under which it is kept which edition of the immunization schedule is in use.
const ScheduleSetting = "immunization-schedule"

// Rulebook is the rulebook as the practice has it.
func (o *Office) Rulebook() *reminder.Book { return o.rules.book.Load() }

// RuleFaults are what is wrong with rules that were taken in and no longer fit; such a rule counts nowhere.
func (o *Office) RuleFaults() []rulefile.Fault { return *o.rules.faults.Load() }

// RuleSetAt is when the practice last set a rule; the zero time for as it ships.
func (o *Office) RuleSetAt(rule string) time.Time {
	if set := o.rules.set.Load(); set != nil {
		return (*set)[rule]
	}
	return time.Time{}
}

// RuleSource is everything from which the rulebook is made, with the practice's own files, and how it set each rule.
func (o *Office) RuleSource(q *store.Q) (rulefile.Source, map[string]reminder.Own, []rulefile.Fault, error) {
	source, own := o.Config.Rules, map[string]reminder.Own{}
	var faults []rulefile.Fault
	files, err := q.RuleFiles()
	if err != nil {
		return source, own, nil, err
	}
	for _, x := range files {
		if rulefile.IsSchedule([]byte(x.Text)) {
			s, wrong := rulefile.ReadSchedule(x.Rule+".yaml", []byte(x.Text))
			if faults = append(faults, wrong...); len(wrong) > 0 {
				continue
			}
			if source, err = source.WithSchedule(s); err != nil {
				faults = append(faults, rulefile.Fault{File: x.Rule + ".yaml", Reason: err.Error()})
			}
			continue
		}
		f, wrong := rulefile.Read(x.Rule+".yaml", []byte(x.Text))
		if len(wrong) > 0 {
			faults = append(faults, wrong...)
			continue
		}
		source = source.With(f)
	}
	settings, err := q.RuleSettings()
	for _, x := range settings {
		if x.Rule == ScheduleSetting {
			if under, ok := source.Under(x.Parameters["edition"]); ok {
				source = under
			}
			continue
		}
		own[x.Rule] = reminder.Own{Set: true, On: x.On, Parameters: x.Parameters}
	}
	return source, own, faults, err
}

// ReadRules makes the rulebook anew, after something of it was changed.
func (o *Office) ReadRules(q *store.Q) error {
	source, own, faults, err := o.RuleSource(q)
	if err != nil {
		return err
	}
	settings, err := q.RuleSettings()
	if err != nil {
		return err
	}
	set := map[string]time.Time{}
	for _, x := range settings {
		set[x.Rule] = x.At
	}
	o.rules.set.Store(&set)
	book, wrong := source.Book(own)
	faults = append(faults, wrong...)
	o.rules.book.Store(book)
	o.rules.faults.Store(&faults)
	return nil
}
