package app

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/store"
)

// PatientView is a patient as every screen names them.
type PatientView struct {
	ID         string `json:"id"`
	Record     string `json:"record"`
	Family     string `json:"family"`
	Given      string `json:"given"`
	BirthDate  string `json:"birthDate" format:"date"`
	Age        string `json:"age"`
	Sex        string `json:"sex"`
	Phone      string `json:"phone"`
	CodeStatus string `json:"codeStatus"`
	UsesPortal bool   `json:"usesPortal"`
}

func (a *App) patient(p chart.Patient) PatientView {
	return PatientView{p.ID, p.Record, p.Name.Family, p.Name.Given, p.BirthDate, chart.AgeText(p.BirthDate, a.Today()), chart.Sexes[p.Sex], p.Phone, p.CodeStatus, p.UsesPortal}
}

// say writes a moment with the practice's offset, to the second; "" for none.
func (a *App) say(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.In(a.Location).Format(time.RFC3339)
}

// daysSince counts calendar days of the practice, as people do.
func (a *App) daysSince(t time.Time) int {
	then, _ := time.Parse(time.DateOnly, t.In(a.Location).Format(time.DateOnly))
	today, _ := time.Parse(time.DateOnly, a.Today())
	return int(today.Sub(then).Hours() / 24)
}

// VisitView is one visit of the day.
type VisitView struct {
	ID        string      `json:"id"`
	Patient   PatientView `json:"patient"`
	StartsAt  string      `json:"startsAt"`
	Kind      string      `json:"kind"`
	Reason    string      `json:"reason"`
	Room      string      `json:"room"`
	Stage     string      `json:"stage"`
	StageAt   string      `json:"stageAt"`
	Clinician string      `json:"clinician"`
	With      string      `json:"with" doc:"Who is with the patient now"`
	Retracted bool        `json:"retracted"`
	Mine      bool        `json:"mine"`
	NoteID    string      `json:"noteId"`
	Signed    bool        `json:"signed"`
	Version   int         `json:"version"`
	Alike     []string    `json:"alike" doc:"Names of others on this day who can be taken for this patient"`
}

// Stages of a visit, in order.
var Stages = []string{"expected", "arrived", "intake", "ready", "in visit", "finishing", "done"}

func (a *App) visit(v store.Visit, who Actor) VisitView {
	return VisitView{v.ID, a.patient(v.Patient), a.say(v.StartsAt), v.Kind, v.Reason, v.Room, v.Stage, a.say(v.StageAt), v.Clinician, v.With, v.NoteRetracted, v.ClinicianID == who.ID, v.NoteID, v.NoteFolio > 0, v.Version, []string{}}
}

// Day lists the visits of a day; an empty day means today.
func (a *App) Day(ctx context.Context, who Actor, day string) (out []VisitView, err error) {
	if day == "" {
		day = a.Today()
	}
	err = a.look(ctx, who, SeeDay, func(q *store.Q) error {
		vs, err := q.VisitsOn(day)
		out = make([]VisitView, len(vs))
		for i, v := range vs {
			out[i] = a.visit(v, who)
			for _, w := range vs {
				if chart.Alike(v.Patient, w.Patient) {
					out[i].Alike = append(out[i].Alike, w.Patient.Name.Given+" "+w.Patient.Name.Family)
				}
			}
		}
		return err
	})
	return out, err
}

// MoveVisit sets the stage of a visit.
func (a *App) MoveVisit(ctx context.Context, who Actor, id, stage string, version int) error {
	known := false
	for _, s := range Stages {
		known = known || s == stage
	}
	if !known {
		return refuse(422, "There is no stage of that name.")
	}
	return a.act(ctx, who, MoveVisit, func(t *tx) error {
		v, err := t.VisitByID(id)
		if err != nil {
			return notFound(err, "visit")
		}
		with := ""
		if May(who.Role, DoIntake) && (stage == "intake" || stage == "in visit" || stage == "finishing") {
			with = who.ID
		}
		if err := t.SetStage(id, stage, with, t.now, version); err != nil {
			return stale(err, "The visit")
		}
		t.tell("visit", id, v.PatientID)
		return t.audit("move visit to "+stage, v.PatientID, id, "")
	})
}

// Find finds patients for the finder.
func (a *App) Find(ctx context.Context, who Actor, query string) (out []PatientView, err error) {
	out = []PatientView{}
	if len([]rune(query)) < 2 {
		return out, may(who, FindPatient)
	}
	err = a.look(ctx, who, FindPatient, func(q *store.Q) error {
		ps, err := q.FindPatients(query, 12)
		for _, p := range ps {
			out = append(out, a.patient(p))
		}
		return err
	})
	return out, err
}

// AllergyView is an allergy in the spine; an empty Substance is the statement
// that no drug allergies are known.
type AllergyView struct {
	Substance string `json:"substance"`
	Reaction  string `json:"reaction"`
	Severity  string `json:"severity"`
	StatedAt  string `json:"statedAt"`
	StatedBy  string `json:"statedBy"`
}

// MedicineView is an active medicine.
type MedicineView struct {
	Name string `json:"name"`
	Dose string `json:"dose"`
}

// ProblemView is an entry of the problem list.
type ProblemView struct {
	Code  string `json:"code"`
	Title string `json:"title"`
	Since string `json:"since" doc:"Day on which it came on the list"`
	Onset string `json:"onset" doc:"Since when it is known: year, month or day; empty for unknown"`
	State string `json:"state" doc:"active, recurrence, remission; empty for not said"`
}

// VitalView is the newest measurement of one kind.
type VitalView struct {
	Name    string `json:"name"`
	Value   string `json:"value"`
	Unit    string `json:"unit"`
	TakenAt string `json:"takenAt"`
}

// ChartView is what is always in sight, with what happened.
type ChartView struct {
	Patient   PatientView    `json:"patient"`
	Allergies []AllergyView  `json:"allergies"`
	Problems  []ProblemView  `json:"problems"`
	Medicines []MedicineView `json:"medicines"`
	Vitals    []VitalView    `json:"vitals"`
	Open      []LineView     `json:"open"`
	Visits    []VisitView    `json:"visits"`
	Orders    []OrderView    `json:"orders"`
	Reports   []ReportRow    `json:"reports"`
	Documents []DocumentView `json:"documents"`
	Messages  []SentView     `json:"messages" doc:"Written to the patient through the portal, newest first"`
	Vaccines  []GivenView    `json:"vaccines"`
	Prepared  []PreparedView `json:"prepared" doc:"Orders that wait for a physician's signature, or were given back"`
	Merged    []MergeView    `json:"merged" doc:"Records of the same person that are read as part of this chart"`
	Speaking  []string       `json:"speaking" doc:"Language, need of an interpreter, and who may speak for the patient"`
	Since     *SinceView     `json:"since,omitempty" doc:"What came since this person last opened the chart; told when it is opened"`
}

// SinceView is what came into a chart since somebody last opened it.
type SinceView struct {
	At    string   `json:"at"`
	Items []string `json:"items"`
}

// since lists what came into a chart after a moment.
func (a *App) since(at time.Time, reports []store.Report, visits []store.Visit, incoming []store.IncomingEntry) *SinceView {
	out := &SinceView{At: a.say(at), Items: []string{}}
	for _, r := range reports {
		if r.ReceivedAt.After(at) {
			words := "Result: " + r.Title
			if r.Status == "C" {
				words += ", corrected"
			}
			out.Items = append(out.Items, words)
		}
	}
	for _, v := range visits {
		if v.StageAt.After(at) && v.NoteFolio > 0 && !v.NoteRetracted {
			out.Items = append(out.Items, "Signed note: "+v.Kind+" of "+v.StartsAt.In(a.Location).Format("02 Jan 2006"))
		}
	}
	waiting := 0
	for _, e := range incoming {
		if e.ReceivedAt.After(at) && e.Decision == "" {
			waiting++
		}
	}
	if waiting > 0 {
		out.Items = append(out.Items, fmt.Sprintf("%d entries from outside to decide", waiting))
	}
	if len(out.Items) == 0 {
		return nil
	}
	return out
}

// Chart opens a chart: everything the spine shows and the list of what happened.
// opened says that a person opened it now (and not a screen refreshing itself).
func (a *App) Chart(ctx context.Context, who Actor, id string, opened bool) (out ChartView, err error) {
	err = a.look(ctx, who, SeeChart, func(q *store.Q) error {
		p, err := q.Person(id)
		if err != nil {
			return notFound(err, "patient")
		}
		out = ChartView{Patient: a.patient(p), Allergies: []AllergyView{}, Problems: []ProblemView{}, Medicines: []MedicineView{}, Vitals: []VitalView{}, Open: []LineView{}, Visits: []VisitView{}, Orders: []OrderView{}, Reports: []ReportRow{}, Documents: []DocumentView{}, Messages: []SentView{}, Speaking: []string{}}
		allergies, err := q.Allergies(id)
		if err != nil {
			return err
		}
		for _, x := range allergies {
			out.Allergies = append(out.Allergies, AllergyView{x.Substance, x.Reaction, x.Severity, a.say(x.StatedAt), x.StatedBy})
		}
		histories, err := q.Histories(id)
		if err != nil {
			return err
		}
		for _, h := range histories {
			if h.List == chart.CommunicationList && h.Title != chart.Private {
				out.Speaking = append(out.Speaking, h.Title+": "+h.Detail)
			}
		}
		problems, err := q.Problems(id)
		if err != nil {
			return err
		}
		for _, x := range problems {
			out.Problems = append(out.Problems, ProblemView{x.Code, x.Title, x.Since, x.Onset, x.State})
		}
		medicines, err := q.Medicines(id)
		if err != nil {
			return err
		}
		for _, x := range medicines {
			out.Medicines = append(out.Medicines, MedicineView{x.Name, x.Dose})
		}
		vitals, err := q.LastVitals(id)
		if err != nil {
			return err
		}
		for _, x := range vitals {
			out.Vitals = append(out.Vitals, VitalView{x.Name, x.Value, x.Unit, a.say(x.TakenAt)})
		}
		lines, err := q.OpenLinesAbout(id)
		if err != nil {
			return err
		}
		for _, l := range lines {
			out.Open = append(out.Open, a.line(l))
		}
		visits, err := q.VisitsOf(id)
		if err != nil {
			return err
		}
		for _, v := range visits {
			out.Visits = append(out.Visits, a.visit(v, who))
		}
		orders, err := q.OrdersOf(id)
		if err != nil {
			return err
		}
		for _, o := range orders {
			out.Orders = append(out.Orders, a.order(o))
		}
		reports, err := q.ReportsOf(id)
		if err != nil {
			return err
		}
		for _, r := range reports {
			out.Reports = append(out.Reports, a.reportRow(r))
		}
		given, err := q.Immunizations(id)
		if out.Vaccines, err = a.givenViews(q, given, err); err != nil {
			return err
		}
		if out.Prepared, err = a.preparedOf(q, id, who); err != nil {
			return err
		}
		if out.Merged, err = a.merges(q, id); err != nil {
			return err
		}
		if out.Documents, err = a.documents(q, id); err != nil {
			return err
		}
		if out.Messages, err = a.messagesOf(q, id); err != nil || !opened {
			return err
		}
		last, err := q.LastOpened(who.ID, id)
		if err != nil || last == "" {
			return err
		}
		incoming, err := q.IncomingEntries(id)
		out.Since = a.since(store.Moment(last), reports, visits, incoming)
		return err
	})
	if err == nil && opened {
		err = a.write(ctx, who, func(t *tx) error { return t.audit("open chart", id, "", "") })
	}
	return out, err
}

// AddProblem puts a code on the problem list.
func (a *App) AddProblem(ctx context.Context, who Actor, patient, code string) error {
	e, _, _, err := a.checkCode(code, a.Today())
	if err != nil {
		return err
	}
	return a.act(ctx, who, EditProblems, func(t *tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return notFound(err, "patient")
		}
		added, err := t.Q.AddProblem(store.Problem{ID: newID(), PatientID: p.ID, Code: e.Code, Title: e.Title, Since: a.Today()})
		if err != nil || !added {
			return err
		}
		t.tell("patient", patient, patient)
		return t.audit("add problem", patient, e.Code, "")
	})
}

// DescribeProblem says since when a problem is known and how it stands.
func (a *App) DescribeProblem(ctx context.Context, who Actor, patient, code, onset, state string) error {
	onset = strings.TrimSpace(onset)
	if state != "" && !slices.Contains(chart.ProblemStates, state) {
		return refuse(422, "A problem is active, a recurrence, or in remission.")
	}
	return a.act(ctx, who, EditProblems, func(t *tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return notFound(err, "patient")
		}
		if err := chart.CheckOnset(onset, p.BirthDate, a.Today()); err != nil {
			return refuse(422, "Since when: %s.", err)
		}
		there, err := t.Q.DescribeProblem(patient, code, onset, state)
		if err != nil {
			return err
		}
		if !there {
			return refuse(404, "That code is not on the problem list.")
		}
		t.tell("patient", patient, patient)
		return t.audit("describe problem", patient, code, "")
	})
}

// EndProblem takes a code off the problem list.
func (a *App) EndProblem(ctx context.Context, who Actor, patient, code string) error {
	return a.act(ctx, who, EditProblems, func(t *tx) error {
		ended, err := t.Q.EndProblem(patient, code, a.Today())
		if err != nil {
			return err
		}
		if !ended {
			return refuse(404, "That code is not on the problem list.")
		}
		t.tell("patient", patient, patient)
		return t.audit("end problem", patient, code, "")
	})
}

// LineView is an open line.
type LineView struct {
	ID       string `json:"id"`
	Kind     string `json:"kind"`
	Subject  string `json:"subject"`
	State    string `json:"state"`
	OpenedAt string `json:"openedAt"`
	Closes   string `json:"closes" doc:"The act that closes it"`
}

func (a *App) line(l store.Line) LineView {
	return LineView{l.ID, string(l.Kind), l.Subject, string(l.State), a.say(l.OpenedAt), l.Kind.Act()}
}

// Desk is a person's open lines, with what each list of the desk shows.
type Desk struct {
	Count      int            `json:"count"`
	Reports    []DeskReport   `json:"reports"`
	Notes      []DeskNote     `json:"notes"`
	Orders     []DeskOrder    `json:"orders"`
	ToSign     []DeskPrepared `json:"toSign"`
	FollowUps  []FollowUpView `json:"followUps" doc:"Visits asked for that wait to be booked"`
	Sent       []DeskSent     `json:"sent" doc:"Messages and faxes that have not arrived"`
	Quarantine []HeldMessage  `json:"quarantine"`
}

// DeskReport is an open report line.
type DeskReport struct {
	Patient PatientView `json:"patient"`
	Report  ReportRow   `json:"report"`
	Since   string      `json:"since"`
}

// DeskNote is an unsigned note.
type DeskNote struct {
	Patient PatientView `json:"patient"`
	VisitID string      `json:"visitId"`
	Since   string      `json:"since"`
	Days    int         `json:"days"`
}

// DeskOrder is an order that others must act on, or that the laboratory refused.
type DeskOrder struct {
	Patient PatientView `json:"patient"`
	Order   OrderView   `json:"order"`
	State   string      `json:"state"`
	Since   string      `json:"since"`
	Days    int         `json:"days"`
}

// DeskSent is a message or fax that has not arrived.
type DeskSent struct {
	Patient PatientView `json:"patient"`
	Sent    SentView    `json:"sent"`
	Since   string      `json:"since"`
}

// DeskPrepared is a prepared order to sign, or one that was given back.
type DeskPrepared struct {
	Patient PatientView  `json:"patient"`
	Order   PreparedView `json:"order"`
	Since   string       `json:"since"`
}

// MyDesk lists the open lines of the person.
func (a *App) MyDesk(ctx context.Context, who Actor) (out Desk, err error) {
	out = Desk{Reports: []DeskReport{}, Notes: []DeskNote{}, Orders: []DeskOrder{}, ToSign: []DeskPrepared{}, FollowUps: []FollowUpView{}, Sent: []DeskSent{}, Quarantine: []HeldMessage{}}
	err = a.look(ctx, who, SeeResults, func(q *store.Q) error {
		lines, err := q.OpenLinesOf(who.ID)
		if err != nil {
			return err
		}
		out.Count = len(lines)
		ids := map[line.Kind][]string{}
		for _, l := range lines {
			ids[l.Kind] = append(ids[l.Kind], l.Subject)
		}
		reports, err := q.ReportsIn(ids[line.Report])
		if err != nil {
			return err
		}
		reportBy := map[string]store.Report{}
		for _, r := range reports {
			reportBy[r.ID] = r
		}
		orders, err := q.OrdersIn(ids[line.Order])
		if err != nil {
			return err
		}
		orderBy := map[string]store.Order{}
		for _, o := range orders {
			orderBy[o.ID] = o
		}
		prepared, err := q.PreparedIn(ids[line.ToSign])
		if err != nil {
			return err
		}
		preparedBy := map[string]store.Prepared{}
		for _, p := range prepared {
			preparedBy[p.ID] = p
		}
		names, err := a.names(q)
		if err != nil {
			return err
		}
		visitBy, err := q.VisitsOfNotes(ids[line.Note])
		if err != nil {
			return err
		}
		for _, l := range lines {
			days := a.daysSince(l.OpenedAt)
			switch l.Kind {
			case line.Report:
				out.Reports = append(out.Reports, DeskReport{a.patient(l.Patient), a.reportRow(reportBy[l.Subject]), a.say(l.OpenedAt)})
			case line.Note:
				out.Notes = append(out.Notes, DeskNote{a.patient(l.Patient), visitBy[l.Subject], a.say(l.OpenedAt), days})
			case line.FollowUp:
				f, err := q.FollowUpByID(l.Subject)
				if err != nil {
					return err
				}
				view, err := a.followUp(q, f, names)
				if err != nil {
					return err
				}
				out.FollowUps = append(out.FollowUps, view)
			case line.Message, line.Fax:
				view, err := a.sent(q, l.Kind, l.Subject, names)
				if err != nil {
					return err
				}
				out.Sent = append(out.Sent, DeskSent{a.patient(l.Patient), view, a.say(l.OpenedAt)})
			case line.ToSign:
				out.ToSign = append(out.ToSign, DeskPrepared{a.patient(l.Patient), a.prepared(preparedBy[l.Subject], who, names), a.say(l.OpenedAt)})
			case line.Order:
				out.Orders = append(out.Orders, DeskOrder{a.patient(l.Patient), a.order(orderBy[l.Subject]), string(l.State), a.say(l.OpenedAt), days})
			}
		}
		if May(who.Role, MatchResult) {
			held, err := q.Quarantined()
			if err != nil {
				return err
			}
			for _, m := range held {
				out.Quarantine = append(out.Quarantine, a.held(m))
			}
			out.Count += len(held)
		}
		return nil
	})
	return out, err
}

// AuditView is one recorded look or act.
type AuditView struct {
	ID      int64  `json:"id"`
	At      string `json:"at"`
	Who     string `json:"who"`
	Act     string `json:"act"`
	Patient string `json:"patient"`
	Subject string `json:"subject"`
}

// ReadAudit lists the audit for an administrator, newest first, before an id.
func (a *App) ReadAudit(ctx context.Context, who Actor, patient string, before int64) (out []AuditView, err error) {
	out = []AuditView{}
	err = a.look(ctx, who, ReadAudit, func(q *store.Q) error {
		staff, err := q.AllStaff()
		if err != nil {
			return err
		}
		names := map[string]string{"": "the application"}
		for _, s := range staff {
			names[s.ID] = s.Name()
		}
		patients, err := q.AllPatients()
		if err != nil {
			return err
		}
		records := map[string]string{}
		for _, p := range patients {
			records[p.ID] = p.Record
		}
		rows, err := q.AuditRows(patient, before, 200)
		for _, r := range rows {
			out = append(out, AuditView{r.ID, a.say(store.Moment(r.At)), names[r.StaffID], r.Act, records[r.PatientID], r.Subject})
		}
		return err
	})
	return out, err
}
