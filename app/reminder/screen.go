package reminder

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/screen"
	"deftledger/store"
)

// ScreenView is a questionnaire as it is asked.
type ScreenView struct {
	ID     string            `json:"id"`
	Title  string            `json:"title"`
	Intro  string            `json:"intro"`
	Source screen.Source     `json:"source"`
	Items  []screen.Question `json:"items"`
	// Before are the answers of the last time, to be brought forward one by one where they still hold.
	Before []AnsweredBefore `json:"before"`
}

// AnsweredBefore is what was answered to a question the last time.
type AnsweredBefore struct {
	Link  string `json:"link"`
	Value string `json:"value"`
	Says  string `json:"says"`
	On    string `json:"on"`
}

// Questionnaire is a questionnaire as it is asked of a patient. Answers of the last time come along for what is told and not
// scored: a score is of the day on which all of it was asked.
func (a *Acts) Questionnaire(ctx context.Context, who act.Actor, patient, id string) (out ScreenView, err error) {
	err = a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		f, err := a.form(id)
		if err != nil {
			return err
		}
		out = ScreenView{f.ID, f.Title, f.Intro, f.Source, f.Items, []AnsweredBefore{}}
		if f.Tells != "answers" {
			return nil
		}
		all, err := q.ScreensOf(p.ID)
		for _, r := range all {
			if r.Form != id || !r.StruckAt.IsZero() {
				continue
			}
			for _, i := range f.Items {
				if v := r.Answers[i.Link]; v != "" {
					out.Before = append(out.Before, AnsweredBefore{i.Link, v, i.Says(v), a.DayOf(store.Stamp(r.At))})
				}
			}
			break
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at a questionnaire", patient, id)
	}
	return out, err
}

func (a *Acts) form(id string) (screen.Form, error) {
	i := slices.IndexFunc(a.Screens, func(f screen.Form) bool { return f.ID == id })
	if i < 0 {
		return screen.Form{}, act.Refuse(act.Missing, "There is no such questionnaire.")
	}
	return a.Screens[i], nil
}

// ScreenAnswers are the answers to a questionnaire, by link.
type ScreenAnswers struct {
	ID      string            `json:"id" maxLength:"64" doc:"Names the act: sent twice, it counts once"`
	Answers map[string]string `json:"answers"`
	Visit   string            `json:"visit,omitempty" maxLength:"64"`
	Rule    string            `json:"rule,omitempty" maxLength:"64" doc:"The reminder that it settles, where a statement does"`
}

// Screened is what came of a questionnaire.
type Screened struct {
	Scored    screen.Scored `json:"scored"`
	Says      string        `json:"says" doc:"As the note tells it"`
	Alarm     string        `json:"alarm" doc:"Names the open line where an answer speaks of self-harm; empty for none"`
	Reminders RemindersView `json:"reminders"`
}

// harm is what is kept of an answer that speaks of self-harm; it never changes.
type harm struct {
	Form   string `json:"form"`
	Asked  string `json:"asked"`
	Answer string `json:"answer"`
	Screen string `json:"screen"`
}

// Screen keeps a questionnaire item by item, with its score. An answer that speaks of self-harm opens a line at
// once, whose owner has to speak with the patient.
func (a *Acts) Screen(ctx context.Context, who act.Actor, patient, id string, x ScreenAnswers) (out Screened, err error) {
	if err := act.Allow(who, act.Remind); err != nil {
		return out, err
	}
	err = a.Act(ctx, who, act.Remind, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		f, err := a.form(id)
		if err != nil {
			return err
		}
		if x.ID == "" {
			return act.Refuse(act.Invalid, "The act has no identifier.")
		}
		for link, value := range x.Answers {
			if len([]rune(value)) > 200 {
				return act.Refuse(act.Invalid, "The answer to %q is longer than 200 letters.", link)
			}
			if x.Answers[link] = chart.Tidy(value); x.Answers[link] == "" {
				delete(x.Answers, link)
			}
		}
		if len(x.Answers) == 0 {
			return act.Refuse(act.Invalid, "Nothing was answered.")
		}
		kept, err := a.keep(t, p, f, x, t.Now)
		out.Scored, out.Says, out.Alarm = kept.scored, kept.says, kept.alarm
		return err
	})
	if err != nil {
		return Screened{}, err
	}
	return out, a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		out.Reminders, err = a.view(q, patient)
		return err
	})
}

// keep keeps a questionnaire with its score, as answered at a moment.
func (a *Acts) keep(t *act.Tx, p chart.Patient, f screen.Form, x ScreenAnswers, at time.Time) (out screened, err error) {
	out.id = x.ID
	if out.scored, err = f.Score(x.Answers, p.Sex); err != nil {
		return out, act.Refuse(act.Invalid, "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
	}
	out.says = f.Says(out.scored)
	note, err := a.visitOf(t, p.ID, x.Visit)
	visit := x.Visit
	var refused *act.Refusal
	if errors.As(err, &refused) && refused.Kind == act.Conflict {
		visit, err = "", nil // the note is signed: it stands in the chart alone, and an alarm is told all the same
	}
	if err != nil {
		return out, err
	}
	kept := store.ScreenResponse{ID: x.ID, PatientID: p.ID, VisitID: visit, Form: f.ID, Version: f.Version, Answers: x.Answers, Total: out.scored.Total, LOINC: f.Total.LOINC,
		Name: f.Title, Says: out.scored.Says, ByID: t.Who.ID, At: at}
	added, err := t.AddScreen(kept)
	if err != nil {
		return out, err
	}
	if !added {
		before, err := t.ScreenByID(x.ID)
		if err != nil {
			return out, err
		}
		if before.PatientID != p.ID || before.Form != f.ID || before.Says != kept.Says || before.Total != kept.Total {
			return out, act.Refuse(act.Conflict, "Another act has this identifier.")
		}
	}
	if out.scored.Alarm {
		if out.alarm, err = a.alarm(t, p, x, f); err != nil {
			return out, err
		}
	}
	if !added {
		return out, nil
	}
	if f.Service != "" {
		if _, err := t.AddCare(store.CareEntry{ID: act.NewID(), PatientID: p.ID, Kind: store.CareService, Name: f.Service, Says: x.Answers["result"], Day: a.DayOf(store.Stamp(at)), VisitID: visit,
			Source: "", ByID: t.Who.ID, At: t.Now, RequestID: x.ID}); err != nil {
			return out, err
		}
	}
	if f.Answers != "" && (out.scored.Positive || len(out.scored.Missing) == 0) {
		says := "no"
		if out.scored.Positive {
			says = "yes"
		}
		if _, err := t.AddCare(store.CareEntry{ID: act.NewID(), PatientID: p.ID, Kind: store.CareAnswer, Name: f.Answers, Says: says, Day: a.DayOf(store.Stamp(at)), VisitID: visit, ByID: t.Who.ID, At: t.Now, RequestID: x.ID}); err != nil {
			return out, err
		}
	}
	if rule, known := a.Rulebook().Rule(x.Rule); known && rule.Closes == "statement" && f.Answers == "" {
		if _, err := t.AddCare(store.CareEntry{ID: act.NewID(), PatientID: p.ID, Kind: store.CareDecision, Name: rule.ID, Says: chart.DecidedDone, Day: a.DayOf(store.Stamp(at)), Version: rule.Version, VisitID: visit, ByID: t.Who.ID, At: t.Now,
			RequestID: x.ID}); err != nil {
			return out, err
		}
	}
	a.tell(t, p.ID, note)
	return out, t.Audit("keep a questionnaire", p.ID, x.ID, f.ID)
}

// alarm opens the line of an answer that speaks of self-harm: of the physician of the visit, else of whoever usually
// sees the patient, else of all who may sign a note.
func (a *Acts) alarm(t *act.Tx, p chart.Patient, x ScreenAnswers, f screen.Form) (string, error) {
	item, _ := f.Item(f.Alarm)
	said := harm{Form: f.Title, Asked: item.Text, Screen: x.ID}
	for _, o := range item.Options {
		if o.Code == x.Answers[f.Alarm] {
			said.Answer = o.Text
		}
	}
	if said.Answer == "" {
		said.Answer = "an answer that cannot be read"
	}
	body, err := json.Marshal(said)
	if err != nil {
		return "", err
	}
	owner, err := t.UsualClinician(p.ID)
	if err != nil {
		return "", err
	}
	if x.Visit != "" {
		v, err := t.VisitByID(x.Visit)
		if err != nil {
			return "", err
		}
		owner = v.ClinicianID
	}
	i := store.Inquiry{ID: "harm-" + x.ID, Kind: store.SelfHarm, Source: "here", Origin: "questionnaire " + x.ID, PatientID: p.ID, OwnerID: owner, ByID: t.Who.ID, Said: body, At: t.Now}
	added, err := t.AddInquiry(i)
	if err != nil || !added {
		return i.ID, err
	}
	if err := t.OpenLine(act.NewID(), line.Harm, i.ID, p.ID, owner, line.Open, t.Now); err != nil {
		return "", err
	}
	if err := t.RankLine(line.Harm, i.ID, line.Open, line.Critical); err != nil {
		return "", err
	}
	t.Tell(act.LineEvent, i.ID, p.ID)
	return i.ID, t.Audit("an answer speaks of self-harm", p.ID, i.ID, "")
}

// HarmView is an answer that speaks of self-harm, open on the page.
type HarmView struct {
	ID      string          `json:"id"`
	Patient act.PatientView `json:"patient"`
	Form    string          `json:"form"`
	Asked   string          `json:"asked"`
	Answer  string          `json:"answer"`
	By      string          `json:"by" doc:"Who wrote it down"`
	At      string          `json:"at"`
	State   string          `json:"state"`
	Done    string          `json:"done" doc:"What was found and done"`
	DoneBy  string          `json:"doneBy"`
	Steps   []string        `json:"steps" doc:"What to do now"`
}

// Steps are what to do when an answer speaks of self-harm, as the forms' authors and the
// lifeline advise: it is asked about at once, and nobody goes home unasked.
var Steps = []string{
	"Stay with the patient, or have somebody stay, until a clinician has spoken with them.",
	"Ask directly: thoughts of ending your life, a plan, the means at hand, an attempt before, what holds you back.",
	"With a plan, the means or an intent: do not leave the patient alone; call 911 or have them taken to an emergency department.",
	"Otherwise: agree on a safety plan, take means away, name whom to call, and when you see each other again, within days.",
	"The 988 Suicide and Crisis Lifeline answers calls and texts to 988 at any hour.",
}

// Harm shows an answer that speaks of self-harm.
func (a *Acts) Harm(ctx context.Context, who act.Actor, id string) (out HarmView, err error) {
	patient := ""
	err = a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		i, err := q.InquiryByID(id)
		if err != nil || i.Kind != store.SelfHarm {
			return act.Refuse(act.Missing, "There is no such line.")
		}
		p, err := q.Person(i.PatientID)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		patient, out = p.ID, a.harm(i)
		out.Patient = a.Patient(p)
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "open answer of self-harm", patient, id)
	}
	return out, err
}

func (a *Acts) harm(i store.Inquiry) HarmView {
	var x harm
	_ = json.Unmarshal(i.Said, &x) // written by us
	return HarmView{ID: i.ID, Form: x.Form, Asked: x.Asked, Answer: x.Answer, By: i.By, At: a.Say(i.At), State: i.State, Done: i.Answer, DoneBy: i.Done, Steps: Steps}
}

// CloseHarm closes the line: who spoke with the patient writes down what was found and done.
func (a *Acts) CloseHarm(ctx context.Context, who act.Actor, id, found string) error {
	found = chart.Tidy(found)
	return a.Act(ctx, who, act.SignNote, func(t *act.Tx) error {
		i, err := t.InquiryByID(id)
		if err != nil || i.Kind != store.SelfHarm {
			return act.Refuse(act.Missing, "There is no such line.")
		}
		if len([]rune(found)) < 10 {
			return act.Refuse(act.Invalid, "Write down what the patient said and what was done.")
		}
		if i.State != store.InquiryOpen {
			return act.Refuse(act.Conflict, "It was closed by %s.", i.Done)
		}
		if err := t.AnswerInquiry(id, "spoken with", found, "", who.ID, t.Now); err != nil {
			return err
		}
		if err := t.CloseLine(line.Harm, id, who.ID, "spoken with: "+found, t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, id, i.PatientID)
		return t.Audit("speak of self-harm", i.PatientID, id, "")
	})
}

// Lines are the kinds of line this room brings.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{{Kind: line.Harm, List: act.ResultList, Right: act.SignNote, Fill: func(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
		all, err := q.InquiriesIn(act.Subjects(rows))
		var views []HarmView
		for _, i := range all {
			views = append(views, a.harm(i))
		}
		act.Describe(rows, views, func(v HarmView) string { return v.ID }, func(row *act.LineRow, v HarmView) {
			row.Title, row.Mark, row.Grave = v.Form+": "+v.Answer, "thoughts of self-harm", true
		})
		return err
	}}}
}
