package outside

import (
	"context"
	"errors"
	"log/slog"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"deftledger/app/act"
	"deftledger/app/intake"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/outside"
	"deftledger/exchange/fhir"
	"deftledger/store"
)

// elsewhere is how long another party may take to answer.
const elsewhere = 6 * time.Second

// Fetched says what fetching brought.
type Fetched struct {
	New      int                `json:"new"`
	Problems []string           `json:"problems" doc:"Parties that could not be asked, and what to do"`
	Intake   *intake.IntakeView `json:"intake,omitempty"`
}

// preVisit is the questionnaire patients answer before a visit.
const preVisit = "https://deftledger.example/fhir/Questionnaire/pre-visit"

// FetchElsewhere asks the pharmacy network and the portal for what they have of
// the patient. Each entry waits beside the chart until somebody decides; one that
// came before is not brought again.
func (a *Acts) FetchElsewhere(ctx context.Context, who act.Actor, visitID string) (out Fetched, err error) {
	out.Problems = []string{}
	if err := act.Allow(who, act.DoIntake); err != nil {
		return out, err
	}
	var v store.Visit
	if err := a.Look(ctx, who, act.DoIntake, func(q *store.Q) error {
		v, err = q.VisitByID(visitID)
		return act.NotFound(err, "visit")
	}); err != nil {
		return out, err
	}
	var entries []store.IncomingEntry
	var asking sync.WaitGroup
	var mu sync.Mutex
	// Each party has its own time, and a slow one holds up no other.
	ask := func(base, party, kind string, query url.Values, read func([]byte, chart.Patient) ([]store.IncomingEntry, []string, error)) {
		if base == "" {
			return
		}
		ctx, cancel := context.WithTimeout(ctx, elsewhere)
		defer cancel()
		body, err := fhir.Search(ctx, base+"/fhir", kind, query)
		mu.Lock()
		defer mu.Unlock()
		var got []store.IncomingEntry
		if err == nil {
			var left []string
			got, left, err = read(body, v.Patient)
			for _, why := range left {
				out.Problems = append(out.Problems, "Of what the "+party+" sent, something was not taken: "+why+".")
			}
		}
		if err != nil {
			slog.Warn("another party could not be asked", "party", party, "error", err)
			why := "does not answer; try again later, the intake can go on without it"
			if errors.Is(err, fhir.ErrUnreadable) {
				why = "sent something that cannot be read, and nothing of it was taken: " + strings.TrimPrefix(err.Error(),
					fhir.ErrUnreadable.Error()+": ")
			}
			out.Problems = append(out.Problems, "The "+party+" "+why+".")
			return
		}
		entries = append(entries, got...)
	}
	p := v.Patient
	asking.Go(func() {
		ask(a.Elsewhere.Pharmacy, "pharmacy network", "MedicationDispense", url.Values{"patient.family": {p.Name.Family},
			"patient.given": {p.Name.Given}, "patient.birthdate": {p.BirthDate},
			"patient.gender": {map[string]string{"F": "female", "M": "male", "O": "other"}[p.Sex]}}, a.dispensed)
	})
	asking.Go(func() {
		ask(a.Elsewhere.Portal, "portal", "QuestionnaireResponse", url.Values{"subject.identifier": {p.Record}}, a.answered)
	})
	asking.Wait()
	slices.SortStableFunc(entries, func(x, y store.IncomingEntry) int { return strings.Compare(x.Source, y.Source) })
	slices.Sort(out.Problems)
	view, err := a.Intake.Change(context.WithoutCancel(ctx), who, visitID, "fetch from elsewhere", func(t *act.Tx, v store.Visit) error {
		for _, e := range entries {
			e.ID, e.PatientID, e.VisitID, e.ReceivedAt = act.NewID(), v.PatientID, v.ID, t.Now
			added, err := t.AddIncomingEntry(e)
			if err != nil {
				return err
			}
			if !added {
				continue
			}
			out.New++
			if e.List == screenList {
				if err := a.Screens.AlarmBeforehand(t, e); err != nil {
					return err
				}
			}
		}
		if out.New == 0 {
			return nil
		}
		t.Tell(act.LineEvent, v.PatientID, v.PatientID)
		return t.OpenLine(act.NewID(), line.FromOutside, v.PatientID, v.PatientID, v.ClinicianID, line.Waiting, t.Now)
	})
	out.Intake = &view
	return out, err
}

// another says why something that came is not taken for this patient's, "" when it is: whose
// it is, is compared before anything of it is shown.
func (a *Acts) another(p chart.Patient, id outside.Identity, named bool) string {
	if !named {
		return "it does not say whose it is"
	}
	if differs := outside.NotOf(p, id, a.Facility); len(differs) > 0 {
		return "it names somebody who differs in " + strings.Join(differs, ", ")
	}
	return ""
}

// uncertain adds to the words of an entry that it is not certain, and why.
func uncertain(detail, doubt string) string {
	if doubt == "" {
		return detail
	}
	return strings.Trim(detail+" (not certain: "+doubt+")", " ")
}

func (a *Acts) dispensed(body []byte, p chart.Patient) ([]store.IncomingEntry, []string, error) {
	reply, err := fhir.Dispenses(body)
	if err != nil {
		return nil, nil, err
	}
	left := reply.Left
	var list []fhir.Dispensed
	for _, d := range reply.Taken {
		if why := a.another(p, d.Subject, d.Named); why != "" {
			left = append(left, "a medicine: "+why)
			continue
		}
		list = append(list, d)
	}
	// The newest dispensing of a medicine and dose stands for the earlier ones.
	newest := map[string]fhir.Dispensed{}
	var order []string
	for _, d := range list {
		key := strings.ToLower(d.Medicine + "|" + uncertain(d.Dose, d.Doubt))
		if had, ok := newest[key]; !ok {
			order = append(order, key)
		} else if d.Day <= had.Day {
			continue
		}
		newest[key] = d
	}
	var out []store.IncomingEntry
	for _, k := range order {
		d := newest[k]
		out = append(out, store.IncomingEntry{Source: "pharmacy network", Reference: "dispense/" + k, List: chart.MedicineList, Title: d.Medicine,
			Detail: uncertain(d.Dose, d.Doubt), Since: d.Day})
	}
	return out, left, nil
}

// preVisitLists says which list each group of the pre-visit questionnaire belongs to.
var preVisitLists = map[string]string{"allergy": chart.AllergyList, "medicine": chart.MedicineList, "condition": chart.PastList, "operation": chart.SurgicalList,
	"relative": chart.FamilyList, "social": chart.SocialList, "implant": chart.ImplantList}

// answered reads the patient's own answers: each group of the pre-visit
// questionnaire is an entry of a list; each answer to an interview is one answer.
func (a *Acts) answered(body []byte, p chart.Patient) ([]store.IncomingEntry, []string, error) {
	reply, err := fhir.Responses(body)
	if err != nil {
		return nil, nil, err
	}
	left := reply.Left
	var out []store.IncomingEntry
	for _, r := range reply.Taken {
		if why := a.another(p, r.Subject, r.Named); why != "" {
			left = append(left, "an answer: "+why)
			continue
		}
		before := len(out)
		if e, ok := a.screenOf(r, p); ok {
			if r.Amended {
				e.Reference += "/" + e.Link
			}
			out = append(out, e)
			continue
		}
		out = append(out, entriesOf(r)...)
		for i := range out[before:] {
			e := &out[before+i]
			e.Detail = uncertain(e.Detail, r.Doubt)
			if r.Amended { // what was changed since waits again; what was not is known
				e.Reference += "/" + strings.Join([]string{e.Title, e.Detail, e.Since}, "|")
			}
		}
	}
	return out, left, nil
}

// entriesOf are the entries of one response.
func entriesOf(r fhir.Response) (out []store.IncomingEntry) {
	if r.Questionnaire != preVisit {
		id := r.Questionnaire[strings.LastIndex(r.Questionnaire, "/")+1:]
		for i, x := range r.Answers {
			words, value := sayAnswer(x)
			if words != "" {
				out = append(out, store.IncomingEntry{Source: "patient", Reference: r.ID + "/" + x.Link + "/" + strconv.Itoa(i), List: "answer",
					Title: x.Link, Detail: words, Link: id + " " + x.Link + " " + value})
			}
		}
		return out
	}
	groups := map[string]*store.IncomingEntry{}
	var order []string
	for _, x := range r.Answers {
		name := strings.TrimRight(x.Group, "0123456789")
		if preVisitLists[name] == "" {
			continue
		}
		e := groups[x.Group]
		if e == nil {
			e = &store.IncomingEntry{Source: "patient", Reference: r.ID + "/" + x.Group, List: preVisitLists[name]}
			groups[x.Group] = e
			order = append(order, x.Group)
		}
		words, _ := sayAnswer(x)
		switch {
		case strings.HasSuffix(x.Link, ".what"):
			e.Title = words
		case strings.HasSuffix(x.Link, ".since"):
			e.Since = words
		default:
			e.Detail = strings.Trim(e.Detail+", "+words, ", ")
		}
	}
	for _, g := range order {
		if groups[g].Title != "" {
			out = append(out, *groups[g])
		}
	}
	return out
}

// sayAnswer writes an answer in words and as a value to keep.
func sayAnswer(x fhir.Answer) (words, value string) {
	switch {
	case x.Yes != nil && *x.Yes:
		return "yes", "yes:true"
	case x.Yes != nil:
		return "no", "yes:false"
	case x.Code != "":
		if x.Text == "" {
			x.Text = x.Code
		}
		return x.Text, "code:" + x.Code
	case x.Number != "" && x.Unit != "":
		return note.Duration(x.Number + " " + x.Unit), "quantity:" + x.Number + " " + x.Unit
	case x.Number != "":
		return x.Number, "number:" + x.Number
	case x.Date != "":
		return x.Date, "date:" + x.Date
	}
	return x.Text, "text:" + x.Text
}

// keptAnswer reads back what sayAnswer wrote.
func keptAnswer(value string) note.Answer {
	kind, rest, _ := strings.Cut(value, ":")
	switch kind {
	case "yes":
		yes := rest == "true"
		return note.Answer{Yes: &yes}
	case "code":
		return note.Answer{Code: rest}
	case "quantity":
		n, u, _ := strings.Cut(rest, " ")
		return note.Answer{Number: n, Unit: u}
	case "number":
		return note.Answer{Number: rest}
	case "date":
		return note.Answer{Date: rest}
	}
	return note.Answer{Text: rest}
}

// Decide takes an entry from outside in, leaves it out, or joins it to the entry of
// the chart it stands beside. Allergies are left out by a physician only. Of several
// taken in at once, one that may be the same as an entry of the chart (also one that
// came in just before it), or is not certain, goes on waiting: it is decided by itself.
func (a *Acts) Decide(ctx context.Context, who act.Actor, visitID string, ids []string,
	decision outside.Decision) (intake.IntakeView, error) {
	if err := act.Allow(who, act.DoIntake); err != nil {
		return intake.IntakeView{}, err
	}
	if !slices.Contains(outside.Decisions, decision) {
		return intake.IntakeView{}, act.Refuse(act.Invalid, "Take it in, leave it out or join it.")
	}
	return a.Intake.Change(ctx, who, visitID, string(decision)+" from outside", func(t *act.Tx, v store.Visit) error {
		for _, id := range ids {
			e, err := t.IncomingEntryByID(id)
			if err != nil || !act.SamePerson(t.Q, e.PatientID, v.PatientID) {
				return act.Refuse(act.Missing, "There is no such entry.")
			}
			if e.Decision == decision {
				continue // decided already: the same act again changes nothing
			}
			if e.Decision != "" {
				return act.Refuse(act.Conflict, "Somebody decided that entry meanwhile: %s.", e.Decision)
			}
			r, err := a.Intake.Order.Record(t.Q, v.PatientID, a.Today()) // what came in just before counts
			if err != nil {
				return err
			}
			stands := a.Intake.Stand(r, e)
			if decision == outside.TakeIn && len(ids) > 1 && stands.How != "new" {
				continue
			}
			became := ""
			switch {
			case decision == outside.LeaveOut && e.List == chart.AllergyList && !act.May(who.Role, act.EditProblems):
				return act.Refuse(act.Forbidden, "An allergy is left out by a physician only.")
			case decision == outside.TakeIn && e.List == screenList:
				became, err = a.Screens.KeepBeforehand(t, e, v.ID)
			case decision == outside.TakeIn && e.List == "answer":
				err = a.takeAnswer(t, v, e)
			case decision == outside.TakeIn:
				became, err = a.Intake.PutEntry(t, v, intake.NewEntry{List: e.List, Title: e.Title, Detail: e.Detail, Since: e.Since, Source: e.Source})
			case decision == outside.Join:
				if stands.Ours == "" {
					return act.Refuse(act.Invalid, "There is nothing in the chart to join it to.")
				}
				became = stands.Ours
			}
			if err != nil {
				return err
			}
			if err := t.DecideIncomingEntry(id, decision, who.ID, became, t.Now); err != nil {
				return act.NotFound(err, "entry that waits")
			}
			if err := CloseWhenDecided(t, e.PatientID); err != nil {
				return err
			}
		}
		return nil
	})
}

// CloseWhenDecided closes the line of a record beside which nothing waits any more.
func CloseWhenDecided(t *act.Tx, record string) error {
	waiting, err := t.IncomingWaiting([]string{record})
	if err != nil || len(waiting) > 0 {
		return err
	}
	t.Tell(act.LineEvent, record, record)
	return t.CloseLine(line.FromOutside, record, t.Who.ID, "decided", t.Now)
}

// takeAnswer takes a patient's own answer into the draft of the visit.
func (a *Acts) takeAnswer(t *act.Tx, v store.Visit, e store.IncomingEntry) error {
	l, err := a.Forms.Current()
	if err != nil {
		return err
	}
	f := strings.SplitN(e.Link, " ", 3)
	if v.NoteID == "" || len(f) != 3 {
		return act.Refuse(act.Conflict, "Start the visit first: the answer goes into its note.")
	}
	iv := l.Newest(f[0])
	if iv == nil {
		return act.Refuse(act.Invalid, "The questions that were answered are not asked here.")
	}
	is, err := t.NoteInterviews(v.NoteID)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(is, func(i store.NoteInterview) bool { return i.Form == f[0] }) {
		if err := t.AddNoteInterview(v.NoteID, store.NoteInterview{Form: f[0], Version: iv.Version}); err != nil {
			return err
		}
	}
	as, err := t.NoteAnswers(v.NoteID)
	if err != nil {
		return err
	}
	values, was := []note.Answer{keptAnswer(f[2])}, 0
	for _, x := range as {
		if x.Form == f[0] && x.Link == f[1] {
			was = x.Version
			if x.Origin != note.ByPatient {
				return act.Refuse(act.Conflict, "“%s” was answered here already. Leave the patient's own answer out, or change the answer.",
					iv.Asked(f[1]))
			}
			values = append(slices.Clone(x.Values), values...)
		}
	}
	return a.Note.PutAnswer(t, l, v.NoteID, v.Patient.Sex, f[0], f[1], values, was, note.ByPatient)
}

// ReadDevice reads the device and keeps what it measured, under the same checks as
// what is typed. A reading older than five minutes is somebody else's.
func (a *Acts) ReadDevice(ctx context.Context, who act.Actor, visitID string, confirmed bool) (intake.VitalTaken, error) {
	if err := act.Allow(who, act.DoIntake); err != nil {
		return intake.VitalTaken{}, err
	}
	if a.Elsewhere.Device == "" {
		return intake.VitalTaken{}, act.Refuse(act.Conflict, "No device is connected. Enter the values by hand.")
	}
	// Whose measurement it is comes before anything is asked.
	if err := a.Look(ctx, who, act.DoIntake, func(q *store.Q) error {
		_, err := q.VisitByID(visitID)
		return act.NotFound(err, "visit")
	}); err != nil {
		return intake.VitalTaken{}, err
	}
	asking, cancel := context.WithTimeout(ctx, elsewhere)
	defer cancel()
	body, err := fhir.Search(asking, a.Elsewhere.Device+"/fhir", "Observation", url.Values{"category": {"vital-signs"}, "_sort": {"-date"}})
	if err != nil {
		slog.Warn("the device could not be read", "error", err)
		return intake.VitalTaken{}, act.Refuse(act.Unreachable,
			"The device does not answer. See that it is switched on, read it again, or enter the values by hand.")
	}
	got, err := fhir.Observations(body)
	if err != nil {
		return intake.VitalTaken{}, act.Refuse(act.Unreachable, "The device sent something that cannot be read, and nothing of it was kept: %s.",
			strings.TrimPrefix(err.Error(), fhir.ErrUnreadable.Error()+": "))
	}
	if len(got.Taken) == 0 && len(got.Left) > 0 {
		return intake.VitalTaken{}, act.Refuse(act.Unreachable, "The device sent something that cannot be read, and nothing of it was kept: %s.",
			strings.Join(got.Left, "; "))
	}
	if len(got.Taken) == 0 {
		return intake.VitalTaken{}, act.Refuse(act.Conflict, "The device has no reading yet. Measure, then read it.")
	}
	var ms []chart.Measured
	at := a.Clock()
	for _, x := range got.Taken {
		if a.Clock().Sub(x.At) > 5*time.Minute || x.At.After(a.Clock().Add(2*time.Minute)) {
			return intake.VitalTaken{}, act.Refuse(act.Conflict, "The reading on the device is of %s, not of now. Measure again.",
				x.At.In(a.Location).Format("02 Jan 15:04"))
		}
		m, err := chart.ReadVital(x.LOINC, x.Value+" "+x.Unit)
		if err != nil {
			return intake.VitalTaken{}, act.Refuse(act.Invalid, "The device's reading was not kept: %s.",
				strings.TrimPrefix(err.Error(), chart.ErrVital.Error()+": "))
		}
		ms = append(ms, m)
		at = x.At
	}
	var left []string // what is not taken is asked about with the rest
	for _, l := range got.Left {
		left = append(left, "Not taken from the device: "+l+".")
	}
	return a.Intake.KeepVitals(ctx, who, visitID, ms, confirmed, string(note.FromDev), at, left)
}
