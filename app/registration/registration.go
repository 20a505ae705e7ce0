package registration

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/store"
)

// RegistrationChoices are what a registration is chosen from; other words may stand where the field says so.
type RegistrationChoices struct {
	Races       []string    `json:"races"`
	Ethnicities []string    `json:"ethnicities"`
	Kinds       []string    `json:"kinds" doc:"Of a coverage"`
	Ranks       []string    `json:"ranks" doc:"Of a coverage"`
	Uses        []string    `json:"uses" doc:"Of a telephone"`
	Visits      []string    `json:"visits" doc:"Kinds of visit"`
	Clinicians  []Clinician `json:"clinicians" doc:"Who may be a usual clinician"`
}

// Clinician is somebody who sees patients.
type Clinician struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Role string `json:"role"`
}

// RegistrationChoices lists them.
func (a *Acts) Choices(ctx context.Context, who act.Actor) (out RegistrationChoices, err error) {
	out = RegistrationChoices{Races: chart.Races, Ethnicities: chart.Ethnicities, Kinds: chart.CoverageKinds, Ranks: chart.CoverageRanks, Uses: chart.PhoneUses,
		Visits: []string{}, Clinicians: []Clinician{}}
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	for _, k := range l.Kinds {
		out.Visits = append(out.Visits, k.Name)
	}
	err = a.Look(ctx, who, act.Register, func(q *store.Q) error {
		staff, err := q.AllStaff()
		for _, s := range staff {
			if s.Active && act.May(s.Role, act.SeeChart) {
				out.Clinicians = append(out.Clinicians, Clinician{s.ID, s.Name(), s.Role})
			}
		}
		return err
	})
	return out, err
}

// Alike is a patient who is registered already and may be the same person.
type Alike struct {
	Patient act.PatientView `json:"patient"`
	Agree   []string        `json:"agree"`
	Differ  []string        `json:"differ"`
}

// likely is the score of a candidate from which it is shown before a second record is made:
// two of family name, given name and birth date, or as much.
const likely = 8.0

// alike lists the patients who may be who a registration describes, but one.
func (a *Acts) alike(q *store.Q, r chart.Registration, but string) ([]Alike, error) {
	phone := ""
	if len(r.Telephones) > 0 {
		phone = r.Telephones[0].Number
	}
	all, err := q.PatientsLike(r.Family, r.Given, outside.BirthsLike(r.BirthDate), phone)
	if err != nil {
		return nil, err
	}
	out := []Alike{}
	id := outside.Identity{Family: r.Family, Given: r.Given, BirthDate: r.BirthDate, Sex: r.Sex, Phone: phone}
	for _, c := range outside.Candidates(all, id, a.Facility, a.Nicknames, 12) {
		if c.Score < likely || c.Patient.ID == but || c.Patient.PersonID == but && but != "" {
			continue
		}
		differ := slices.DeleteFunc(append([]string{}, c.Differ...), func(what string) bool { // what nobody said does not differ
			return what == "sex" && id.Sex == "" || what == "birth date" && id.BirthDate == "" || what == "given name" && id.Given == ""
		})
		out = append(out, Alike{a.Named(c.Patient), append([]string{}, c.Agree...), differ})
	}
	return out, nil
}

// FindAlike lists who is registered already and may be the same person, while a registration is typed.
func (a *Acts) FindAlike(ctx context.Context, who act.Actor, r chart.Registration, but string) (out []Alike, err error) {
	out = []Alike{}
	if r = r.Tidied(); r.Family == "" && r.BirthDate == "" {
		return out, act.Allow(who, act.Register)
	}
	err = a.Look(ctx, who, act.Register, func(q *store.Q) error { out, err = a.alike(q, r, but); return err })
	return out, err
}

// ToAnswer is what has to be answered before something is kept: what is wrong, what is odd, who
// may be the same person, and what is on its way.
type ToAnswer struct {
	Findings []chart.FieldFinding `json:"findings" doc:"What is wrong or to be asked"`
	Alike    []Alike              `json:"alike" doc:"Who may be the same person"`
	OnTheWay []string             `json:"onTheWay" doc:"What is on its way under the identity that is changed"`
	Kept     bool                 `json:"kept"`
	ID       string               `json:"id" doc:"Of the patient, where it was kept"`
	Record   string               `json:"record"`
}

// Answers are what somebody has said yes to: the words of the questions as they were shown, and
// who is another person.
type Answers struct {
	Yes     []string `json:"yes" maxItems:"40"`
	Another []string `json:"another" maxItems:"40" doc:"Identifiers of patients who are another person"`
}

// open takes out what was answered, and says whether anything is left to ask.
func (out *ToAnswer) open(said Answers) bool {
	left := slices.ContainsFunc(out.Findings, func(f chart.FieldFinding) bool { return !f.Question || !slices.Contains(said.Yes, f.Says) })
	left = left || slices.ContainsFunc(out.Alike, func(x Alike) bool { return !slices.Contains(said.Another, x.Patient.ID) })
	return left || slices.ContainsFunc(out.OnTheWay, func(w string) bool { return !slices.Contains(said.Yes, w) })
}

// Newcomer is somebody to be registered.
type Newcomer struct {
	ID           string             `json:"id" maxLength:"64" doc:"Given by the screen: the same twice is one act"`
	Registration chart.Registration `json:"registration"`
	Usual        string             `json:"usual" maxLength:"64" doc:"Usual clinician, by identifier; empty for nobody"`
	Answers      Answers            `json:"answers"`
}

// Register makes a record of somebody new, after what is wrong was put right and what is odd, and who may be
// the same person, was answered.
func (a *Acts) Register(ctx context.Context, who act.Actor, n Newcomer) (out ToAnswer, err error) {
	if err := act.Allow(who, act.Register); err != nil {
		return out, err
	}
	if n.ID == "" || len(n.ID) > 64 || strings.ContainsFunc(n.ID, func(r rune) bool { return r <= ' ' || r > '~' }) {
		return out, act.Refuse(act.Invalid, "The screen has to give the registration an identifier.")
	}
	r := n.Registration.Tidied()
	err = a.Act(ctx, who, act.Register, func(t *act.Tx) error {
		out = ToAnswer{Findings: append(n.Registration.AsRead(), r.Check(a.Today())...), Alike: []Alike{}, OnTheWay: []string{}}
		if was, err := t.PatientByID(n.ID); err == nil { // the same act once more
			versions, err := t.Registrations(n.ID)
			if err != nil {
				return err
			}
			if len(versions) == 0 || len(versions[len(versions)-1].Content.Differs(r)) > 0 || versions[len(versions)-1].By != who.ID {
				return act.Refuse(act.Conflict, "Somebody else is registered under this identifier.")
			}
			out = ToAnswer{Findings: []chart.FieldFinding{}, Alike: []Alike{}, OnTheWay: []string{}, Kept: true, ID: was.ID, Record: was.Record}
			return nil
		} else if !store.IsNotFound(err) {
			return err
		}
		var err error
		if out.Alike, err = a.alike(t.Q, r, ""); err != nil {
			return err
		}
		if out.open(n.Answers) {
			return nil
		}
		record, err := t.NextRecord(a.prefix())
		if err != nil {
			return err
		}
		p := r.Patient(chart.Patient{ID: n.ID, Record: record})
		if err := t.AddPatient(p); err != nil {
			return err
		}
		if err := t.SetPatient(p, r); err != nil {
			return err
		}
		if err := t.AddRegistration(store.RegistrationVersion{ID: act.NewID(), PatientID: p.ID, Version: 1, Content: r, By: who.ID, At: t.Now}); err != nil {
			return err
		}
		if err := a.setUsual(t, p.ID, n.Usual); err != nil {
			return err
		}
		out = ToAnswer{Findings: []chart.FieldFinding{}, Alike: []Alike{}, OnTheWay: []string{}, Kept: true, ID: p.ID, Record: record}
		t.Tell(act.PatientEvent, p.ID, p.ID)
		detail := ""
		if len(n.Answers.Another) > 0 {
			detail = "another person than " + strings.Join(n.Answers.Another, ", ")
		}
		return t.AuditNamed("register a patient", p.ID, p.ID, detail)
	})
	a.CircleChanged()
	return out, err
}

// prefix begins the record numbers of this practice: two letters of how it calls itself in messages.
func (a *Acts) prefix() string {
	letters := strings.Map(func(r rune) rune {
		if r >= 'A' && r <= 'Z' {
			return r
		}
		return -1
	}, strings.ToUpper(a.Facility))
	if len(letters) < 2 {
		return "PT"
	}
	return letters[:2]
}

// setUsual says who the usual clinician is, where that changes.
func (a *Acts) setUsual(t *act.Tx, patient, staff string) error {
	was, err := t.UsualClinician(patient)
	if err != nil || was == staff {
		return err
	}
	if staff != "" {
		s, err := t.StaffByID(staff)
		if err != nil {
			return act.NotFound(err, "clinician")
		}
		if !s.Active || !act.May(s.Role, act.SeeChart) {
			return act.Refuse(act.Invalid, "%s sees no patients.", s.Name())
		}
	}
	return t.SetUsualClinician(patient, staff, t.Who.ID, t.Now)
}

// RegistrationView is a registration with what stood before.
type RegistrationView struct {
	Patient      act.PatientView      `json:"patient"`
	Registration chart.Registration   `json:"registration"`
	Version      int                  `json:"version" doc:"0 for somebody who was entered before there was a registration"`
	Usual        string               `json:"usual"`
	History      []RegistrationChange `json:"history" doc:"The newest first"`
	Cards        []InsuranceCard      `json:"cards"`
	OnTheWay     []string             `json:"onTheWay" doc:"What is on its way under this identity"`
	ToAsk        int                  `json:"toAsk" doc:"So many houses sent a record, and nobody has asked whether the patient was there"`
}

// RegistrationChange is one version of a registration: what it changed.
type RegistrationChange struct {
	Version int      `json:"version"`
	At      string   `json:"at" doc:"Empty for what was known before the first change"`
	By      string   `json:"by"`
	Reason  string   `json:"reason"`
	Says    []string `json:"says" doc:"Field by field, what it was and what it is"`
}

// Card is the picture of an insurance card, kept as a document.
type InsuranceCard struct {
	ID       string `json:"id"`
	Title    string `json:"title"`
	Coverage string `json:"coverage" doc:"By identifier"`
	At       string `json:"at"`
	By       string `json:"by"`
}

// Registration reads the registration of a patient.
func (a *Acts) Registration(ctx context.Context, who act.Actor, patient string) (out RegistrationView, err error) {
	err = a.Look(ctx, who, act.Registration, func(q *store.Q) error { out, err = a.view(q, patient); return err })
	if err == nil {
		err = a.Saw(ctx, who, "open registration", out.Patient.ID, "")
	}
	return out, err
}

func (a *Acts) view(q *store.Q, patient string) (out RegistrationView, err error) {
	p, err := q.Person(patient)
	if err != nil {
		return out, act.NotFound(err, "patient")
	}
	q.IsOf(p.ID)
	versions, err := q.Registrations(p.ID)
	if err != nil {
		return out, err
	}
	names, err := q.StaffNames()
	if err != nil {
		return out, err
	}
	out = RegistrationView{Patient: a.Named(p), Registration: chart.RegistrationOf(p), History: []RegistrationChange{}, Cards: []InsuranceCard{}}
	for i, v := range versions {
		if i == 0 {
			out.Registration, out.Version = v.Content, v.Version
		}
		c := RegistrationChange{Version: v.Version, By: names[v.By], Reason: v.Reason, Says: []string{}}
		if !v.At.IsZero() {
			c.At = a.Say(v.At)
		}
		if i+1 < len(versions) {
			c.Says = append(c.Says, versions[i+1].Content.Differs(v.Content)...)
		}
		out.History = append(out.History, c)
	}
	if out.Usual, err = q.UsualClinician(p.ID); err != nil {
		return out, err
	}
	if out.ToAsk, err = q.OutsideToAsk(p.ID); err != nil {
		return out, err
	}
	documents, err := q.DocumentsOf(p.ID)
	if err != nil {
		return out, err
	}
	for _, d := range documents {
		if coverage, is := strings.CutPrefix(d.Form, cardForm); is {
			out.Cards = append(out.Cards, InsuranceCard{ID: d.ID, Title: d.Title, Coverage: coverage, At: a.Say(d.MadeAt), By: names[d.MadeBy]})
		}
	}
	out.OnTheWay, err = a.onTheWay(q, p)
	return out, err
}

// billingDays is how long charges that were handed to billing count as on their way.
const billingDays = 90

// onTheWay lists what went out under the present identity of a person and is not back.
func (a *Acts) onTheWay(q *store.Q, p chart.Patient) ([]string, error) {
	out := []string{}
	under := fmt.Sprintf("%s %s, born %s", p.Name.Given, p.Name.Family, chart.SayDay(p.BirthDate))
	r, err := q.Record(p.ID, nil)
	if err != nil {
		return out, err
	}
	seen := map[string]bool{}
	for _, x := range r.InHand {
		if x.Prepared || seen[x.OrderID] || x.State == "not sent" || x.Reported == "F" || x.Reported == "C" || x.Reported == "X" {
			continue
		}
		seen[x.OrderID] = true
		out = append(out, fmt.Sprintf("%s of %s is out under %s: the result will come back under that and is matched to it", x.Name,
			chart.SayDay(a.DayOf(x.Day)), under))
	}
	handed, err := q.HandedSince(p.ID, a.Clock().AddDate(0, 0, -billingDays))
	for _, at := range handed {
		out = append(out, fmt.Sprintf("Charges went to billing on %s under %s: billing has to be told", chart.SayDay(at.In(a.Location).Format("2006-01-02")), under))
	}
	return out, err
}

// ChangedRegistration is a registration with what somebody changed in it.
type ChangedRegistration struct {
	Registration chart.Registration `json:"registration"`
	Version      int                `json:"version" doc:"On which it was made"`
	Usual        string             `json:"usual" maxLength:"64"`
	Reason       string             `json:"reason" maxLength:"300" doc:"Why; needed where name, birth date or sex change"`
	Answers      Answers            `json:"answers"`
}

// keep stores the next version of a registration; what was known before the first is kept as one.
func keep(t *act.Tx, p chart.Patient, was, r chart.Registration, version int, reason string) error {
	if version == 0 {
		version = 1
		if err := t.AddRegistration(store.RegistrationVersion{ID: act.NewID(), PatientID: p.ID, Version: 1, Content: was}); err != nil {
			return act.Stale(err, "The registration")
		}
	}
	if err := t.AddRegistration(store.RegistrationVersion{ID: act.NewID(), PatientID: p.ID, Version: version + 1, Content: r, Reason: reason, By: t.Who.ID, At: t.Now}); err != nil {
		return act.Stale(err, "The registration")
	}
	return t.SetPatient(r.Patient(p), r)
}

// NoMoreReminders keeps a wish that was told: no letters and messages that remind. ok is false where it stood before.
func (a *Acts) NoMoreReminders(t *act.Tx, p chart.Patient) (ok bool, err error) {
	versions, err := t.Registrations(p.ID)
	if err != nil {
		return false, err
	}
	was, version := chart.RegistrationOf(p), 0
	if len(versions) > 0 {
		was, version = versions[0].Content, versions[0].Version
	}
	if was.NoReminders {
		return false, nil
	}
	r := was
	r.NoReminders = true
	t.Tell(act.PatientEvent, p.ID, p.ID)
	return true, keep(t, p, was, r, version, "told when a reminder came by mail")
}

// ChangeRegistration keeps a changed registration as a new version; what stood before stays. A changed
// identity is checked against what is on its way under the old one, and needs a reason.
func (a *Acts) ChangeRegistration(ctx context.Context, who act.Actor, patient string, c ChangedRegistration) (out ToAnswer, err error) {
	if err := act.Allow(who, act.Registration); err != nil {
		return out, err
	}
	r, reason := c.Registration.Tidied(), chart.Tidy(c.Reason)
	err = a.Act(ctx, who, act.Registration, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		versions, err := t.Registrations(p.ID)
		if err != nil {
			return err
		}
		was, version := chart.RegistrationOf(p), 0
		if len(versions) > 0 {
			was, version = versions[0].Content, versions[0].Version
		}
		if version != c.Version {
			return act.Stale(store.ErrStale, "The registration")
		}
		out = ToAnswer{Findings: append(c.Registration.AsRead(), r.Check(a.Today())...), Alike: []Alike{}, OnTheWay: []string{}, ID: p.ID, Record: p.Record}
		changed := was.Identity(r)
		if r.Died != "" && r.Died != was.Died {
			out.Findings = append(out.Findings, chart.FieldFinding{Field: "died", Question: true, Says: fmt.Sprintf("%s %s died, %s? Nothing is due for them any more.", r.Given, r.Family, chart.SayDay(r.Died))})
		}
		if len(changed) > 0 {
			if reason == "" {
				out.Findings = append(out.Findings, chart.FieldFinding{Field: "reason", Says: "Say why the " + strings.Join(changed, " and the ") +
					" changes: a marriage, a typing error, a court."})
			}
			if out.OnTheWay, err = a.onTheWay(t.Q, p); err != nil {
				return err
			}
			if out.Alike, err = a.alike(t.Q, r, p.ID); err != nil {
				return err
			}
		}
		if out.open(c.Answers) {
			return nil
		}
		usual, err := t.UsualClinician(p.ID)
		if err != nil {
			return err
		}
		if len(was.Differs(r)) > 0 {
			if err := keep(t, p, was, r, version, reason); err != nil {
				return err
			}
		} else if usual == c.Usual {
			out = ToAnswer{Findings: []chart.FieldFinding{}, Alike: []Alike{}, OnTheWay: []string{}, Kept: true, ID: p.ID, Record: p.Record}
			return nil
		}
		if err := a.setUsual(t, p.ID, c.Usual); err != nil {
			return err
		}
		out = ToAnswer{Findings: []chart.FieldFinding{}, Alike: []Alike{}, OnTheWay: []string{}, Kept: true, ID: p.ID, Record: p.Record}
		t.Tell(act.PatientEvent, p.ID, p.ID)
		what := ""
		if len(changed) > 0 {
			what = "changed: " + strings.Join(changed, ", ")
		}
		return t.Audit("change a registration", p.ID, "", what)
	})
	a.CircleChanged()
	return out, err
}
