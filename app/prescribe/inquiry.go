package prescribe

import (
	"cmp"
	"context"
	"encoding/json"
	"log/slog"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/app/directory"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/outside"
	"deftledger/core/prescription"
	"deftledger/core/safety"
	"deftledger/exchange/fhir"
	"deftledger/store"
)

// asking is what the room keeps of what was asked; it never changes.
type asking struct {
	Origin   string           `json:"origin,omitempty"` // in the pharmacy's system
	Number   string           `json:"number,omitempty"` // ours, of the prescription before
	Medicine string           `json:"medicine,omitempty"`
	Dose     string           `json:"dose,omitempty"`
	Quantity string           `json:"quantity,omitempty"`
	Pharmacy string           `json:"pharmacy,omitempty"`
	Account  string           `json:"account,omitempty"`
	Note     string           `json:"note,omitempty"`
	Identity outside.Identity `json:"identity,omitempty"`
	Named    bool             `json:"named,omitempty"`
	Doubt    string           `json:"doubt,omitempty"`
	Text     string           `json:"text,omitempty"` // of a message
	From     string           `json:"from,omitempty"` // who called, and their number
}

func asked(i store.Inquiry) (x asking) {
	_ = json.Unmarshal(i.Said, &x) // written by us
	return x
}

// InquiryView is what somebody outside asks, with what in the chart it is about.
type InquiryView struct {
	ID       string             `json:"id"`
	Kind     string             `json:"kind" enum:"repeat,message"`
	Source   string             `json:"source" enum:"pharmacy,telephone,portal"`
	Medicine string             `json:"medicine"`
	Dose     string             `json:"dose"`
	Quantity string             `json:"quantity"`
	Pharmacy string             `json:"pharmacy"`
	Note     string             `json:"note"`
	Text     string             `json:"text"`
	From     string             `json:"from"`
	At       string             `json:"at"`
	By       string             `json:"by" doc:"Who took it down; empty for what came from a system"`
	State    string             `json:"state"`
	Answer   string             `json:"answer"`
	OrderID  string             `json:"orderId"`
	Done     string             `json:"done" doc:"Who answered it"`
	Back     bool               `json:"back" doc:"What is answered goes to the patient through the portal"`
	Doubt    string             `json:"doubt" doc:"Why it is not certain; empty when it is"`
	Named    string             `json:"named" doc:"Whom it names, where nobody knows whose it is"`
	Last     *PrescriptionView  `json:"last,omitempty" doc:"The prescription before"`
	OnList   string             `json:"onList" doc:"How the medicine stands on the list; empty for not there"`
	OnListID string             `json:"onListId"`
	Differs  []string           `json:"differs" doc:"In what it differs from the prescription before, and from the list"`
	Seen     string             `json:"seen" doc:"When the patient was last seen here; empty for never"`
	Proposed *prescription.Drug `json:"proposed,omitempty" doc:"What approving it would prescribe; left out where that is not plain"`
	Reading  *Reading           `json:"reading,omitempty" doc:"The proposal, held against the chart"`
	To       string             `json:"to" doc:"The pharmacy in the directory; empty where it is not there"`
}

// OpenedInquiry is an inquiry open on the page, with whose it is where that is known.
type OpenedInquiry struct {
	Patient    *act.PatientView  `json:"patient,omitempty"`
	Inquiry    InquiryView       `json:"inquiry"`
	Candidates []act.PatientView `json:"candidates" doc:"Who may be meant, where nobody knows"`
}

// pollRepeats takes in what pharmacies ask for.
func (a *Acts) pollRepeats(ctx context.Context) error {
	body, err := a.search(ctx, "MedicationRequest", map[string][]string{"status": {"draft"}, "intent": {"proposal"}})
	if err != nil {
		return err
	}
	reply, err := fhir.Repeats(body)
	if err != nil {
		return err
	}
	for _, why := range reply.Left {
		slog.Warn("something that a pharmacy asked for was left out", "why", why)
	}
	origins := make([]string, len(reply.Taken))
	for i, x := range reply.Taken {
		origins[i] = "pharmacy " + x.Origin
	}
	var known map[string]bool
	if err := a.Store.Read(ctx, func(q *store.Q) (err error) { known, err = q.InquiriesKnown(origins); return err }); err != nil {
		return err
	}
	for i, x := range reply.Taken {
		if known[origins[i]] {
			continue
		}
		if err := a.Write(ctx, act.Actor{}, func(t *act.Tx) error { return a.takeRepeat(t, origins[i], x) }); err != nil {
			return err
		}
	}
	return nil
}

// takeRepeat stores a request. Whose it is, is certain where it carries the number of a
// prescription of ours and names the same person, or where exactly one person agrees in family
// name, given name, birth date and sex; else somebody says so.
func (a *Acts) takeRepeat(t *act.Tx, origin string, x fhir.Repeat) error {
	said := asking{Origin: x.Origin, Number: x.Number, Medicine: x.Medicine, Dose: x.Dose, Quantity: x.Quantity, Pharmacy: x.Pharmacy, Account: x.Account, Note: x.Note, Identity: x.Subject,
		Named: x.Named, Doubt: x.Doubt}
	i := store.Inquiry{ID: act.NewID(), Kind: store.RepeatInquiry, Source: "pharmacy", Origin: origin, At: t.Now}
	if x.Number != "" && x.Named {
		o, err := t.FurtherByNumber(x.Number)
		if err != nil && !store.IsNotFound(err) {
			return err
		}
		if err == nil && o.Kind == store.PrescriptionOrder {
			p, err := t.PatientByID(o.PatientID)
			if err != nil {
				return err
			}
			if len(outside.NotOf(p, x.Subject, a.Facility)) == 0 {
				i.PatientID, i.OwnerID = o.PatientID, o.ClinicianID
			}
		}
	}
	if i.PatientID == "" && x.Named {
		if err := a.whose(t, &i, x.Subject); err != nil {
			return err
		}
	}
	return a.take(t, i, said, line.Repeat, "repeat prescription asked for")
}

// whose says of whom something is where exactly one person agrees in family name, given name,
// birth date and sex, and gives it to their usual clinician.
func (a *Acts) whose(t *act.Tx, i *store.Inquiry, named outside.Identity) error {
	like, err := t.PatientsLike(named.Family, "", []string{named.BirthDate}, named.Phone)
	if err != nil {
		return err
	}
	like = slices.DeleteFunc(like, func(p chart.Patient) bool { return len(outside.Differences(p, named, a.Facility)) > 0 })
	if len(like) == 1 {
		i.PatientID = like[0].ID
		i.OwnerID, err = t.UsualClinician(i.PatientID)
	}
	return err
}

// take keeps what somebody's system asked, as an open line; once.
func (a *Acts) take(t *act.Tx, i store.Inquiry, said asking, kind line.Kind, audit string) (err error) {
	if i.Said, err = json.Marshal(said); err != nil {
		return err
	}
	if added, err := t.AddInquiry(i); err != nil || !added {
		return err
	}
	if err := t.OpenLine(act.NewID(), kind, i.ID, i.PatientID, i.OwnerID, line.Open, t.Now); err != nil {
		return err
	}
	t.Tell(act.LineEvent, i.ID, i.PatientID)
	return t.Audit(audit, i.PatientID, i.ID, "")
}

// pollQuestions takes in what patients write through the portal: a line of their usual
// clinician; of nobody's where it is not certain who wrote.
func (a *Acts) pollQuestions(ctx context.Context) error {
	if a.Elsewhere.Portal == "" {
		return nil
	}
	timed, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	body, err := fhir.Search(timed, a.Elsewhere.Portal+"/fhir", "Communication", map[string][]string{"status": {"completed"}, "recipient": {a.Facility}})
	if err != nil {
		return err
	}
	reply, err := fhir.Questions(body)
	if err != nil {
		return err
	}
	for _, why := range reply.Left {
		slog.Warn("something that was written through the portal was left out", "why", why)
	}
	origins := make([]string, len(reply.Taken))
	for i, x := range reply.Taken {
		origins[i] = "portal " + x.Origin
	}
	var known map[string]bool
	if err := a.Store.Read(ctx, func(q *store.Q) (err error) { known, err = q.InquiriesKnown(origins); return err }); err != nil {
		return err
	}
	for n, x := range reply.Taken {
		if known[origins[n]] {
			continue
		}
		if err := a.Write(ctx, act.Actor{}, func(t *act.Tx) error {
			i := store.Inquiry{ID: act.NewID(), Kind: store.MessageInquiry, Source: "portal", Origin: origins[n], At: t.Now}
			if x.Named {
				if err := a.whose(t, &i, x.Subject); err != nil {
					return err
				}
			}
			return a.take(t, i, asking{Text: x.Text, From: x.From, Identity: x.Subject, Named: x.Named, Doubt: x.Doubt}, line.Inquiry, "message through the portal")
		}); err != nil {
			return err
		}
	}
	return nil
}

// NewMessage is what somebody asked by telephone, as it was taken down.
type NewMessage struct {
	Patient   string `json:"patient" maxLength:"64"`
	Text      string `json:"text" maxLength:"4000"`
	From      string `json:"from,omitempty" maxLength:"200" doc:"Who called, and where to call back"`
	RequestID string `json:"requestId" minLength:"1" maxLength:"64"`
}

// TakeMessage takes down what somebody asked by telephone: a line of the patient's usual
// clinician, or of whoever may answer it.
func (a *Acts) TakeMessage(ctx context.Context, who act.Actor, n NewMessage) error {
	if err := act.Allow(who, act.TakeInquiry); err != nil {
		return err
	}
	if n.Text = strings.TrimSpace(n.Text); n.Text == "" {
		return act.Refuse(act.Invalid, "Write down what is asked.")
	}
	return a.Act(ctx, who, act.TakeInquiry, func(t *act.Tx) error {
		p, err := t.Person(n.Patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		i := store.Inquiry{ID: act.NewID(), Kind: store.MessageInquiry, Source: "telephone", Origin: "telephone " + n.RequestID, PatientID: p.ID, ByID: who.ID, At: t.Now}
		if i.OwnerID, err = t.UsualClinician(p.ID); err != nil {
			return err
		}
		if i.Said, err = json.Marshal(asking{Text: n.Text, From: strings.TrimSpace(n.From)}); err != nil {
			return err
		}
		if added, err := t.AddInquiry(i); err != nil || !added {
			return err // taken down before
		}
		if err := t.OpenLine(act.NewID(), line.Inquiry, i.ID, p.ID, i.OwnerID, line.Open, t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, i.ID, p.ID)
		return t.AuditNamed("take a message down", p.ID, i.ID, "")
	})
}

// Inquiry opens what somebody asks, beside what in the chart it is about.
func (a *Acts) Inquiry(ctx context.Context, who act.Actor, id string) (out OpenedInquiry, err error) {
	out.Candidates = []act.PatientView{}
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		i, err := q.InquiryByID(id)
		if err != nil {
			return act.NotFound(err, "request")
		}
		x := asked(i)
		v := InquiryView{ID: i.ID, Kind: i.Kind, Source: i.Source, Medicine: x.Medicine, Dose: x.Dose, Quantity: x.Quantity, Pharmacy: x.Pharmacy, Note: x.Note, Text: x.Text, From: x.From, At: a.Say(i.At),
			By: i.By, State: i.State, Answer: i.Answer, OrderID: i.OrderID, Done: i.Done, Doubt: x.Doubt, Differs: []string{}}
		if i.PatientID == "" {
			v.Named = chart.Tidy(x.Identity.Given+" "+x.Identity.Family) + ", born " + cmp.Or(chart.SayDay(x.Identity.BirthDate), "not said")
			if !x.Named {
				v.Named = "nobody"
			}
			like, err := q.PatientsLike(x.Identity.Family, x.Identity.Given, outside.BirthsLike(x.Identity.BirthDate), x.Identity.Phone)
			if err != nil {
				return err
			}
			for _, c := range outside.Candidates(like, x.Identity, a.Facility, a.Nicknames, 8) {
				out.Candidates = append(out.Candidates, a.Named(c.Patient))
			}
			out.Inquiry = v
			return nil
		}
		patient = i.PatientID
		p, err := q.Person(i.PatientID)
		if err != nil {
			return err
		}
		pv := a.Patient(p)
		out.Patient, v.Back = &pv, i.Source == "portal" && p.UsesPortal && a.Elsewhere.Portal != ""
		if err := a.beside(q, p, x, &v); err != nil {
			return err
		}
		out.Inquiry = v
		return nil
	})
	if err == nil && patient != "" {
		err = a.Saw(ctx, who, "open request", patient, id)
	}
	return out, err
}

// beside sets what in the chart a request is about: the prescription before, the list, when
// the patient was last seen, and the proposal held against the chart.
func (a *Acts) beside(q *store.Q, p chart.Patient, x asking, v *InquiryView) error {
	held, err := a.Order.Guarded(q, p.ID, a.Today())
	if err != nil {
		return err
	}
	for _, e := range held.Visits {
		if e.Seen && e.Day > v.Seen {
			v.Seen = e.Day
		}
	}
	if v.Kind != store.RepeatInquiry {
		return nil
	}
	all, err := q.FurtherOf(p.ID, store.PrescriptionOrder)
	if err != nil {
		return err
	}
	wanted := a.Medicines.Ingredients(x.Medicine)
	same := func(name string) bool { return a.same(name, x.Medicine) }
	for _, o := range all {
		if k := detail(o); !o.SignedAt.IsZero() && (x.Number != "" && o.Number == x.Number || x.Number == "" && same(k.Drug.Medicine)) {
			view, err := a.view(q, o)
			if err != nil {
				return err
			}
			v.Last = &view
			break
		}
	}
	var listed []chart.Medicine
	for _, m := range held.Medicines {
		if same(m.Name) {
			listed = append(listed, m)
			v.OnList, v.OnListID = m.Name+" "+m.Dose, m.ID
		}
	}
	differ := func(says string) { v.Differs = append(v.Differs, says) }
	switch {
	case len(wanted) == 0:
		differ("The list does not know “" + x.Medicine + "”: not compared with anything in the chart.")
	case v.OnList == "":
		differ("It is not on the medicine list.")
	}
	if v.Last != nil {
		if !same(v.Last.Drug.Medicine) {
			differ("Another medicine was prescribed under that number: " + v.Last.Says + ".")
		} else {
			d := v.Last.Drug
			d.Note = ""
			// Only what was prescribed so, is asked for so and is taken so is approved as it is.
			switch {
			case !sameFigures(x.Medicine, d):
				differ("The strength asked for, “" + x.Medicine + "”, is not that of the prescription before, " + v.Last.Says + ".")
			case len(listed) > 1:
				differ("It is on the list more than once.")
			case len(listed) == 1 && !sameTaking(listed[0], d):
				differ("It is taken otherwise by now: " + v.OnList + ".")
			case len(listed) == 1:
				v.Proposed = &d
				if safety.StrengthOf(x.Medicine) == "" {
					differ("They do not say the strength.")
				}
			}
			if dose, _ := chart.ReadDosage(x.Dose); x.Dose != "" && dose.Read() && d.Dosage.Read() && bare(dose) != bare(d.Dosage) {
				differ("They write the directions as “" + x.Dose + "”; prescribed was “" + v.Last.Reads + "”.")
			}
			if x.Quantity != "" && !strings.HasPrefix(x.Quantity+" ", d.Quantity+" ") {
				differ("They ask for " + x.Quantity + "; prescribed was " + v.Last.Amount + ".")
			}
		}
	} else {
		differ("There is no prescription of it here before.")
	}
	entries, err := q.Directory()
	if err != nil {
		return err
	}
	for _, e := range entries {
		if e.Kind == directory.Pharmacy && !e.Gone && (x.Account != "" && e.Account == x.Account || x.Account == "" && strings.EqualFold(e.Name, x.Pharmacy)) {
			v.To = e.ID
		}
	}
	if v.Proposed != nil {
		instead := ""
		if v.OnListID != "" {
			instead = v.OnListID // a renewal is not held against itself
		}
		r := a.reading(held, Typed{Drug: v.Proposed, Instead: instead, Print: v.To == ""})
		v.Reading = &r
		if len(prescription.Serious(r.Warnings)) > 0 {
			v.Reading.Serious = true
		}
	}
	return nil
}

// bare is how a medicine is taken, without the strength of one tablet and what it is for.
func bare(d chart.Dosage) string {
	d.Strength, d.For, d.Route = "", "", ""
	return d.Says()
}

// sameFigures says whether a name as a pharmacy writes it carries the strength of a
// prescription, or none.
func sameFigures(name string, d prescription.Drug) bool {
	got := safety.StrengthOf(name)
	return got == "" || d.Strength == "" || got == safety.StrengthOf(d.Strength)
}

// AttachInquiry says whose a request is that names nobody for certain.
func (a *Acts) AttachInquiry(ctx context.Context, who act.Actor, id, patient string) error {
	if err := act.Allow(who, act.SignPrescription); err != nil {
		return err
	}
	return a.Act(ctx, who, act.SignPrescription, func(t *act.Tx) error {
		i, err := t.InquiryByID(id)
		if err != nil {
			return act.NotFound(err, "request")
		}
		if i.State != store.InquiryOpen || i.PatientID != "" {
			return act.Refuse(act.Conflict, "The request has an owner, or is closed.")
		}
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		if err := t.SetInquiryOf(id, p.ID, who.ID); err != nil {
			return err
		}
		kind := line.Repeat
		if i.Kind == store.MessageInquiry {
			kind = line.Inquiry
		}
		if err := t.CloseLine(kind, id, who.ID, "said whose it is", t.Now); err != nil {
			return err
		}
		if err := t.OpenLine(act.NewID(), kind, id, p.ID, who.ID, line.Open, t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, id, p.ID)
		return t.Audit("say whose a request is", p.ID, id, "")
	})
}

// Answer closes an inquiry with words: a repeat is refused with the reason, which the pharmacy
// is told; a message is answered, and how.
func (a *Acts) Answer(ctx context.Context, who act.Actor, id, text string) error {
	if err := act.Allow(who, act.AnswerInquiry); err != nil {
		return err
	}
	if text = strings.TrimSpace(text); text == "" {
		return act.Refuse(act.Invalid, "Say what was answered, and how; or why it is refused.")
	}
	return a.Act(ctx, who, act.AnswerInquiry, func(t *act.Tx) error {
		i, err := t.InquiryByID(id)
		if err != nil {
			return act.NotFound(err, "request")
		}
		kind, state := line.Inquiry, "answered"
		if i.Kind == store.RepeatInquiry {
			if err := act.Allow(who, act.SignPrescription); err != nil {
				return err
			}
			kind, state = line.Repeat, "refused"
		}
		if err := t.AnswerInquiry(id, state, text, "", who.ID, t.Now); err != nil {
			return act.Stale(err, "The request")
		}
		if err := t.CloseLine(kind, id, who.ID, state+": "+text, t.Now); err != nil {
			return err
		}
		if x := asked(i); state == "refused" && x.Origin != "" {
			body, err := fhir.Denial(x.Origin, text)
			if err != nil {
				return err
			}
			if err := t.Send(store.Outgoing{Control: "RR-" + id, Destination: pharmacy, Kind: refusing, Subject: id, Body: body, ByID: who.ID}); err != nil {
				return err
			}
		}
		if i.Source == "portal" && i.PatientID != "" { // it goes back the way it came
			p, err := t.Person(i.PatientID)
			if err != nil {
				return err
			}
			if _, err := a.Paper.Reply(t, p, "answer-"+id, text); err != nil {
				return err
			}
		}
		t.Tell(act.LineEvent, id, i.PatientID)
		return t.Audit("answer a request", i.PatientID, id, "")
	})
}

func (a *Acts) fillInquiries(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	all, err := q.InquiriesIn(act.Subjects(rows))
	act.Describe(rows, all, func(i store.Inquiry) string { return i.ID }, func(row *act.LineRow, i store.Inquiry) {
		x := asked(i)
		if i.Kind == store.RepeatInquiry {
			row.Title = x.Medicine + ", asked for by " + cmp.Or(x.Pharmacy, "a pharmacy")
			if i.PatientID == "" {
				row.Mark, row.Grave = "not certain whose", true
			}
			return
		}
		row.Title = x.Text
		if r := []rune(x.Text); len(r) > 90 {
			row.Title = string(r[:90]) + "…"
		}
		row.Mark = i.Source
		if i.PatientID == "" {
			row.Mark, row.Grave = "not certain whose", true
		}
	})
	return err
}
