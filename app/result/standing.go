package result

import (
	"context"
	"encoding/json"
	"regexp"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/result"
	"deftledger/store"
)

const standingSetting = "standing permission"

// StandingView is the clinic's standing permission, with who gave it.
type StandingView struct {
	result.Permission
	By string `json:"by,omitempty"`
	At string `json:"at,omitempty"`
}

func standing(q *store.Q) (s StandingView, err error) {
	s.Tests = []result.PermittedTest{}
	text, err := q.Setting(standingSetting)
	if err != nil || text == "" {
		return s, err
	}
	return s, json.Unmarshal([]byte(text), &s)
}

// Standing says what the nurses may sign by the clinic's rule.
func (a *Acts) Standing(ctx context.Context, who act.Actor) (s StandingView, err error) {
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		s, err = standing(q)
		return err
	})
	return s, err
}

var loincCode = regexp.MustCompile(`^\d{1,6}-\d$`)

// SetStanding changes what the nurses may sign by the clinic's rule; it stands under the name of the physician who sets it.
func (a *Acts) SetStanding(ctx context.Context, who act.Actor, s result.Permission) error {
	return a.Act(ctx, who, act.SetStanding, func(t *act.Tx) error {
		s.Rule = strings.TrimSpace(s.Rule)
		for i, x := range s.Tests {
			x.LOINC, x.Name = strings.TrimSpace(x.LOINC), chart.Tidy(x.Name)
			if !loincCode.MatchString(x.LOINC) || x.Name == "" {
				return act.Refuse(act.Invalid, "Line %d: a test is named by its LOINC code and its name, as in 2823-3 Potassium.", i+1)
			}
			s.Tests[i] = x
		}
		if s.On && (s.Rule == "" || len(s.Tests) == 0) {
			return act.Refuse(act.Invalid, "Write the rule, and name the tests, before it is switched on.")
		}
		if s.Tests == nil {
			s.Tests = []result.PermittedTest{}
		}
		text, err := json.Marshal(StandingView{s, who.Name, a.Say(t.Now)})
		if err != nil {
			return err
		}
		if err := t.SetSetting(standingSetting, string(text)); err != nil {
			return err
		}
		t.Tell(act.LineEvent, "", "")
		return t.Audit("set the standing permission of the nurses", "", "", map[bool]string{true: "on", false: "off"}[s.On])
	})
}

// SignRight is the right by which somebody signs results: their own, or for a nurse the clinic's permission.
func SignRight(who act.Actor) act.Right {
	if act.May(who.Role, act.SignInRange) {
		return act.SignInRange
	}
	return act.SignResult
}

// Permits says by which rule of the clinic somebody without a right of their own signs a report, and why not where they may not; both are
// empty for who signs by their own right.
func (a *Acts) Permits(q *store.Q, who act.Actor, r store.Report) (rule, not string, err error) {
	if act.May(who.Role, act.SignResult) {
		return "", "", nil
	}
	if !act.May(who.Role, act.SignInRange) {
		return "", "a physician signs it", nil
	}
	s, err := standing(q)
	if err != nil {
		return "", "", err
	}
	if not = s.Refuses(r.Status, r.Notes, r.SignedIssue > 0 || r.Issue > 1, r.Values); not != "" {
		return "", not, nil
	}
	if r.Details.PatientNotes != "" || r.Details.MessageNotes != "" || a.Row(r).Written {
		return "", "there is something to read", nil
	}
	for _, p := range r.Details.Specimens {
		if p.Refused != "" || p.Condition != "" {
			return "", "the laboratory has said something of the specimen", nil
		}
	}
	return "by the clinic's standing permission of " + s.By + ", " + chart.SayDay(a.DayOf(s.At)) + ": " + s.Rule, "", nil
}

// PermittedReport is a report that a nurse may sign by the clinic's permission.
type PermittedReport struct {
	ReportRow
	Patient act.PatientView `json:"patient"`
	Owner   string          `json:"owner"`
}

// mostPermitted bounds how many reports are looked at for the list of those that may be signed by the permission.
const mostPermitted = 300

// Permitted lists the reports of whoever's team a nurse is in that they may sign by the clinic's permission, oldest first; nothing while it
// is off.
func (a *Acts) Permitted(ctx context.Context, who act.Actor) (out []PermittedReport, err error) {
	out = []PermittedReport{}
	err = a.Look(ctx, who, act.SignInRange, func(q *store.Q) error {
		s, err := standing(q)
		if err != nil || !s.On {
			return err
		}
		beside, err := q.Beside(who.ID, a.Today())
		if err != nil {
			return err
		}
		entries, err := q.OpenEntries(append(beside.Team, beside.Covers...), []line.Kind{line.Report}, store.Unowned{})
		if err != nil {
			return err
		}
		entries = slices.DeleteFunc(entries, func(e line.Entry) bool { return e.Rank != line.AsExpected })
		slices.SortFunc(entries, func(x, y line.Entry) int { return x.Opened.Compare(y.Opened) })
		var ids []string
		for _, e := range entries[:min(len(entries), mostPermitted)] {
			ids = append(ids, e.Subject)
		}
		reports, err := q.ReportsIn(ids)
		if err != nil {
			return err
		}
		names, err := q.StaffNames()
		if err != nil {
			return err
		}
		for _, r := range reports {
			_, not, err := a.Permits(q, who, r)
			if err != nil {
				return err
			}
			people, err := q.PeopleAs([]string{r.PatientID})
			if err != nil {
				return err
			}
			if not == "" && len(people) > 0 {
				out = append(out, PermittedReport{a.Row(r), a.Patient(people[0]), names[r.OwnerID]})
			}
		}
		slices.SortFunc(out, func(x, y PermittedReport) int { return strings.Compare(x.ReceivedAt, y.ReceivedAt) })
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "see what the nurses may sign", "", "")
	}
	return out, err
}
