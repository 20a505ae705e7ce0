// Package prescribe is the room of prescriptions: written, checked, signed, sent or printed,
// followed until the medicine was handed out; and of what pharmacies and patients ask for.
package prescribe

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"deftledger/app/act"
	"deftledger/app/directory"
	"deftledger/app/further"
	orders "deftledger/app/order"
	"deftledger/app/paper"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/prescription"
	"deftledger/core/safety"
	"deftledger/exchange/fhir"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Order *orders.Acts
	Paper *paper.Acts
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, or *orders.Acts, p *paper.Acts) *Acts { return &Acts{o, or, p} }

// Reading is a prescription as it stands on the pad: what it reads as, what may be meant, and
// what is to be said of it before it is signed.
type Reading struct {
	Drug     prescription.Drug     `json:"drug"`
	Reads    string                `json:"reads" doc:"The directions in plain English"`
	Says     string                `json:"says" doc:"Medicine, strength and form"`
	Amount   string                `json:"amount"`
	Ask      []string              `json:"ask" doc:"What was said twice in the line, and is asked about"`
	Hits     []safety.Hit          `json:"hits" doc:"Medicines that may be meant"`
	Known    bool                  `json:"known" doc:"The list knows all that the name says"`
	Forms    []prescription.Form   `json:"forms"`
	Schedule string                `json:"schedule" doc:"II to V; empty for none, or where it is not known"`
	Warnings []safety.Warning      `json:"warnings" doc:"The gravest first; what could not be checked last"`
	Cosigner bool                  `json:"cosigner" doc:"Your right ends before this: it is laid for a cosigner"`
	Serious  bool                  `json:"serious" doc:"One of them needs a reason"`
	Remarks  []prescription.Remark `json:"remarks"`
	OnList   []Listed              `json:"onList" doc:"The same medicine on the list"`
	Lacks    string                `json:"lacks" doc:"What it lacks before it can be signed; empty for nothing"`
}

// Listed is a medicine of the list.
type Listed struct {
	ID   string `json:"id"`
	Says string `json:"says"`
	Same bool   `json:"same" doc:"Taken as it is prescribed: it is renewed"`
}

// same says whether two names are of the same medicine: what they hold, where the list knows
// both, else as they are written.
func (a *Acts) same(x, y string) bool {
	one, other := a.Medicines.Ingredients(x), a.Medicines.Ingredients(y)
	if len(one) == 0 || len(other) == 0 {
		return strings.EqualFold(chart.Tidy(x), chart.Tidy(y))
	}
	slices.Sort(one)
	slices.Sort(other)
	return slices.Equal(one, other)
}

// Typed is what somebody typed, or changed, on the pad.
type Typed struct {
	Line    string             `json:"line,omitempty" maxLength:"600" doc:"As typed in one line; empty where the parts were changed"`
	Chosen  string             `json:"chosen,omitempty" maxLength:"200" doc:"The medicine chosen of those that may be meant"`
	Drug    *prescription.Drug `json:"drug,omitempty"`
	Instead string             `json:"instead,omitempty" maxLength:"64" doc:"The medicine of the list in whose place it comes"`
	Print   bool               `json:"print,omitempty"`
	Looked  bool               `json:"looked,omitempty" doc:"The state's monitoring programme was looked at"`
}

// Read reads a prescription and checks it against the chart.
func (a *Acts) Read(ctx context.Context, who act.Actor, patient string, x Typed) (out Reading, err error) {
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		held, err := a.Order.Guarded(q, p.ID, a.Today())
		if err != nil {
			return err
		}
		out = a.reading(held, x)
		out.Cosigner = act.May(who.Role, act.SignPrescription) && !act.May(who.Role, needs(out.Schedule))
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at care with a medicine", patient, "")
	}
	return out, err
}

func (a *Acts) reading(held chart.Record, x Typed) (out Reading) {
	out = Reading{Ask: []string{}, Hits: []safety.Hit{}, Forms: []prescription.Form{}, Warnings: []safety.Warning{}, Remarks: []prescription.Remark{}, OnList: []Listed{}}
	if x.Drug != nil {
		out.Drug = *x.Drug
		out.Drug.Medicine = chart.Tidy(out.Drug.Medicine)
		if safe, err := chart.SafeDose(out.Drug.Dose); err == nil {
			out.Drug.Dose = safe
		}
		out.Drug.Dosage = prescription.Directions(out.Drug.Dose, out.Drug.Form)
	} else {
		l := prescription.ReadLine(x.Line)
		name, dose := a.Medicines.Split(l.Rest)
		if safe, err := chart.SafeDose(dose); err == nil {
			dose = safe
		}
		out.Ask = append(out.Ask, l.Ask...)
		out.Hits = append(out.Hits, a.Medicines.Find(name, 7)...)
		name = cmp.Or(x.Chosen, name)
		out.Drug = prescription.Propose(l, name, dose, a.forms(name))
	}
	d := out.Drug
	out.Forms = append(out.Forms, prescription.Forms(a.forms(d.Medicine))...)
	facts := a.facts(held, d)
	facts.Printed, facts.Monitored = x.Print, x.Looked
	out.Reads, out.Says, out.Amount, out.Schedule, out.Known = d.Reads(), d.Says(), d.Amount(), facts.Schedule, facts.Known
	if err := d.Complete(); err != nil {
		out.Lacks = strings.TrimPrefix(err.Error(), prescription.ErrIncomplete.Error()+": ")
	}
	if strings.TrimSpace(d.Medicine) == "" {
		return out
	}
	for _, m := range held.Medicines {
		if a.same(m.Name, d.Medicine) {
			out.OnList = append(out.OnList, Listed{m.ID, strings.TrimSpace(m.Name + " " + m.Dose), sameTaking(m, d)})
			if x.Instead == "" { // what is on the list already is not held against itself
				x.Instead = m.ID
			}
		}
	}
	out.Warnings = append(out.Warnings, a.warnings(held, d, x.Instead)...)
	out.Serious = len(prescription.Serious(out.Warnings)) > 0
	out.Remarks = append(out.Remarks, d.Remarks(facts)...)
	return out
}

// forms are the commonest forms of a medicine, where the list knows it.
func (a *Acts) forms(name string) []string {
	for _, h := range a.Medicines.Find(name, 1) {
		if !h.Near {
			return h.Forms
		}
	}
	return nil
}

// facts is what the check of a prescription needs of a chart.
func (a *Acts) facts(held chart.Record, d prescription.Drug) (f prescription.Facts) {
	f.Months = held.Months()
	f.Schedule, _, f.Known = a.Medicines.Schedule(d.Medicine)
	if w, ok := held.Newest(chart.Weight); ok && w.Unit == "kg" && f.Months < 18*12 {
		days := 183
		if f.Months < 24 {
			days = 31 // a child grows
		}
		if ago := daysBetween(w.Day, held.Day); ago >= 0 && ago <= days {
			_, _ = fmt.Sscanf(w.Text, "%f", &f.Weight)
			f.WeightOf = "on " + chart.SayDay(w.Day)
		}
	}
	return f
}

// warnings checks a prescription against the chart, without the medicine in whose place it
// comes.
func (a *Acts) warnings(held chart.Record, d prescription.Drug, instead string) []safety.Warning {
	if instead != "" {
		held.Medicines = slices.DeleteFunc(slices.Clone(held.Medicines), func(m chart.Medicine) bool { return m.ID == instead })
	}
	dose := strings.TrimSpace(d.Strength + " " + d.Form)
	dosage := d.Dosage
	if dosage.Read() && dosage.Strength == "" {
		dosage.Strength = d.Strength
	}
	return a.Medicines.Check(held, safety.Taking{Name: strings.TrimSpace(d.Medicine + " " + dose), Dose: d.Dose, Dosage: dosage})
}

// NewPrescription is what is signed, or laid for a signature.
type NewPrescription struct {
	PatientID string            `json:"-"`
	VisitID   string            `json:"visitId,omitempty" maxLength:"64"`
	To        string            `json:"to,omitempty" maxLength:"64" doc:"A pharmacy of the directory; empty to print it"`
	Drug      prescription.Drug `json:"drug"`
	Instead   string            `json:"instead,omitempty" maxLength:"64" doc:"The medicine of the list in whose place it comes"`
	Beside    bool              `json:"beside,omitempty" doc:"Where the same medicine is on the list: it is taken beside that"`
	Reason    string            `json:"reason,omitempty" maxLength:"1000" doc:"Why it is prescribed in spite of a serious warning"`
	Looked    bool              `json:"looked,omitempty" doc:"The state's monitoring programme was looked at"`
	For       string            `json:"for,omitempty" maxLength:"64" doc:"Who is to sign it, where it is laid for a signature; empty for the clinician of the visit or of the patient"`
	Inquiry   string            `json:"inquiry,omitempty" maxLength:"64" doc:"The request that it answers"`
	Phone     *act.Phone        `json:"-"` // who gave it by telephone; nil for who signs it
	RequestID string            `json:"requestId" minLength:"1" maxLength:"64"`
	Secret    string            `json:"secret,omitempty" maxLength:"1000"`
	Code      string            `json:"code,omitempty" maxLength:"10" doc:"Of the second factor, for a controlled substance that is sent"`
}

// kept is what the room keeps of a prescription; it never changes.
type kept struct {
	Drug     prescription.Drug        `json:"drug"`
	To       *directory.AddresseeView `json:"to,omitempty"` // nil for one that is printed
	Schedule string                   `json:"schedule,omitempty"`
	Warnings []string                 `json:"warnings,omitempty"` // the serious ones, as they read
	Reason   string                   `json:"reason,omitempty"`
	Looked   bool                     `json:"looked,omitempty"`
	Instead  string                   `json:"instead,omitempty"`
	Beside   bool                     `json:"beside,omitempty"`
	Medicine string                   `json:"medicine"`           // of the list
	Replaces string                   `json:"replaces,omitempty"` // our number
	Inquiry  string                   `json:"inquiry,omitempty"`
	Taker    string                   `json:"taker,omitempty"` // who took it down, of one given by telephone; and who gave it
	Orderer  string                   `json:"orderer,omitempty"`
	Origin   string                   `json:"origin,omitempty"` // of the request, in the pharmacy's system
}

func detail(o store.Further) (k kept) {
	_ = json.Unmarshal(o.Detail, &k) // written by us; what cannot be read is shown as empty and never sent
	return k
}

// Prescribe signs a prescription and sends it, or has it printed.
func (a *Acts) Prescribe(ctx context.Context, who act.Actor, n NewPrescription) (PrescriptionView, error) {
	return a.prescribe(ctx, who, n, act.SignPrescription)
}

// Prepare lays a prescription for a physician's signature.
func (a *Acts) Prepare(ctx context.Context, who act.Actor, n NewPrescription) (PrescriptionView, error) {
	return a.prescribe(ctx, who, n, act.PreparePrescription)
}

// checked holds a prescription against the chart as it is, and refuses what may not be signed.
func (a *Acts) checked(q *store.Q, p chart.Patient, n NewPrescription, prepare bool) (k kept, err error) {
	held, err := a.Order.Guarded(q, p.ID, a.Today())
	if err != nil {
		return k, err
	}
	r := a.reading(held, Typed{Drug: &n.Drug, Instead: n.Instead, Print: n.To == "", Looked: n.Looked})
	k = kept{Drug: r.Drug, Schedule: r.Schedule, Reason: strings.TrimSpace(n.Reason), Looked: n.Looked, Instead: n.Instead, Beside: n.Beside, Inquiry: n.Inquiry}
	if r.Lacks != "" {
		return k, act.Refuse(act.Invalid, "The prescription is not complete: %s.", r.Lacks)
	}
	for _, x := range r.Remarks {
		if x.Grade == prescription.Stop {
			return k, act.Refuse(act.Invalid, "%s (%s)", x.Says, x.Source)
		}
	}
	for _, w := range prescription.Serious(r.Warnings) {
		k.Warnings = append(k.Warnings, w.Says+": "+w.Why)
	}
	if len(k.Warnings) > 0 && k.Reason == "" && !prepare {
		return k, &act.Refusal{Kind: act.Invalid, Code: "reason", Message: "Say why it is prescribed all the same: " + strings.Join(k.Warnings, "; ") + "."}
	}
	return k, nil
}

func (a *Acts) prescribe(ctx context.Context, who act.Actor, n NewPrescription, right act.Right) (out PrescriptionView, err error) {
	prepare := right == act.PreparePrescription
	if err := act.Allow(who, right); err != nil {
		return out, err
	}
	if !prepare {
		if err := a.OpenSigning(ctx, &who, n.Secret); err != nil {
			return out, err
		}
		if a.Factored(n) {
			if err := a.factorFor(ctx, who, n); err != nil {
				return out, err
			}
		}
	}
	write := a.Ready(n, prepare)
	err = a.Act(ctx, who, right, func(t *act.Tx) error {
		out, err = write(t)
		return err
	})
	return out, err
}

// needs is the right that signing a prescription takes.
func needs(schedule string) act.Right {
	if schedule == "II" {
		return act.SignScheduleTwo
	}
	return act.SignPrescription
}

// mayRefuse says that a right ends before a schedule, where it does.
func mayRefuse(who act.Actor, schedule string) error {
	if needs(schedule) != act.SignScheduleTwo || act.May(who.Role, act.SignScheduleTwo) {
		return nil
	}
	return &act.Refusal{Kind: act.Forbidden, Code: "cosigner", Message: "Your role, " + who.Role + ", may not sign a Schedule II substance: lay it for a cosigner."}
}

// Factored says whether a prescription asks for the second factor at its signature: a
// controlled substance that is sent.
func (a *Acts) Factored(n NewPrescription) bool {
	schedule, _, _ := a.Medicines.Schedule(n.Drug.Medicine)
	return schedule != "" && n.To != ""
}

// Ready gives what is done in the transaction in which a prescription is signed, of whoever
// may sign one, or laid for a signature.
func (a *Acts) Ready(n NewPrescription, prepare bool) func(t *act.Tx) (PrescriptionView, error) {
	return func(t *act.Tx) (out PrescriptionView, err error) {
		orderer, name := t.Orderer(n.Phone)
		if had, err := t.FurtherByRequest(n.RequestID); err == nil {
			if had.Kind != store.PrescriptionOrder || had.ByID != t.Who.ID || !act.SamePerson(t.Q, had.PatientID, n.PatientID) || detail(had).Drug.Medicine != chart.Tidy(n.Drug.Medicine) || had.ToID != n.To {
				return out, act.Refuse(act.Conflict, "Something else was ordered under that identifier. Nothing was changed; prescribe again.")
			}
			out, err = a.view(t.Q, had)
			return out, err
		} else if !store.IsNotFound(err) {
			return out, err
		}
		p, err := t.Person(n.PatientID)
		if err != nil {
			return out, act.NotFound(err, "patient")
		}
		k, err := a.checked(t.Q, p, n, prepare)
		if err != nil {
			return out, err
		}
		if !prepare {
			if err := mayRefuse(t.Who, k.Schedule); err != nil {
				return out, err
			}
		}
		o := store.Further{ID: act.NewID(), Kind: store.PrescriptionOrder, PatientID: p.ID, VisitID: n.VisitID, ClinicianID: orderer, ByID: t.Who.ID, ToID: n.To, RequestID: n.RequestID,
			WrittenAt: t.Now, Clinician: name, By: t.Who.Name}
		if n.To != "" {
			to, err := t.AddresseeByID(n.To)
			if err != nil {
				return out, act.NotFound(err, "pharmacy")
			}
			if to.Kind != directory.Pharmacy || to.Gone {
				return out, act.Refuse(act.Invalid, "%s takes no prescriptions.", to.Name)
			}
			if k.Schedule != "" && to.Reach != directory.Electronic {
				return out, act.Refuse(act.Invalid, "A controlled substance does not go by fax: print it, and sign it by hand.")
			}
			v := directory.View(to)
			k.To = &v
		}
		if n.Phone != nil {
			k.Taker, k.Orderer = n.Phone.Taker, n.Phone.Name
		}
		if err := further.For(t, &o, prepare, n.For, needs(k.Schedule)); err != nil {
			return out, err
		}
		if err := a.onList(t, p.ID, &k, n.Beside); err != nil {
			return out, err
		}
		if n.Inquiry != "" {
			i, err := t.InquiryByID(n.Inquiry)
			if err != nil || i.Kind != store.RepeatInquiry || !act.SamePerson(t.Q, i.PatientID, p.ID) {
				return out, act.Refuse(act.Invalid, "That request is not of this patient.")
			}
			k.Origin = asked(i).Origin
		}
		number, err := t.NextPlacer()
		if err != nil {
			return out, err
		}
		o.Number = fmt.Sprintf("RX%d", number)
		o.State = string(prescription.ToSign)
		lineState := line.Open
		if o.Detail, err = json.Marshal(k); err != nil {
			return out, err
		}
		if !prepare {
			if lineState, err = a.signed(t, &o, k); err != nil {
				return out, err
			}
		}
		if err := t.AddFurther(o); err != nil {
			return out, err
		}
		if err := t.OpenLine(act.NewID(), line.Prescription, o.ID, p.ID, o.ClinicianID, lineState, t.Now); err != nil {
			return out, err
		}
		if !prepare {
			if err := a.takeEffect(t, o, k); err != nil {
				return out, err
			}
		}
		if out, err = a.view(t.Q, o); err != nil {
			return out, err
		}
		further.Tell(t, o)
		what := "sign prescription"
		if prepare {
			what = "prepare prescription"
		}
		return out, t.Audit(what, p.ID, o.ID, "")
	}
}

// factorFor asks for the second factor of a controlled substance that is sent, once for each:
// not for one that was signed before under the same request.
func (a *Acts) factorFor(ctx context.Context, who act.Actor, n NewPrescription) error {
	had := false
	if err := a.Store.Read(ctx, func(q *store.Q) error {
		_, err := q.FurtherByRequest(n.RequestID)
		had = err == nil
		if store.IsNotFound(err) {
			return nil
		}
		return err
	}); err != nil || had {
		return err
	}
	return a.SecondFactor(ctx, who.ID, n.Code)
}

// onList finds the medicine of the list that is prescribed, and the prescription before it.
func (a *Acts) onList(t *act.Tx, patient string, k *kept, beside bool) error {
	all, err := t.Medicines(patient)
	if err != nil {
		return err
	}
	k.Medicine = act.NewID()
	asked := k.Instead
	found := asked == ""
	other := ""
	for _, m := range all {
		if m.ID == asked {
			found = true
		}
		if !m.Dosage.Read() {
			m.Dosage = a.Medicines.Dosage(m.Dose)
		}
		if !a.same(m.Name, k.Drug.Medicine) || asked != "" && m.ID != asked {
			continue
		}
		if sameTaking(m, k.Drug) {
			k.Medicine, k.Instead = m.ID, "" // a renewal: it stays as it is
			other = ""
			break
		}
		other = m.Name + " " + m.Dose
	}
	switch {
	case !found:
		return act.Refuse(act.Conflict, "The medicine in whose place it comes is not on the list any more. Look at the list, then prescribe again.")
	case other != "" && asked == "" && !beside:
		return act.Refuse(act.Invalid, "%s is on the list: say whether this comes in its place, or beside it.", other)
	}
	before, err := t.FurtherOf(patient, store.PrescriptionOrder)
	if err != nil {
		return err
	}
	for _, o := range before { // newest first
		if b := detail(o); !o.SignedAt.IsZero() && (b.Medicine == k.Medicine || k.Instead != "" && b.Medicine == k.Instead) {
			k.Replaces = o.Number
			break
		}
	}
	return nil
}

// daily is how much of a medicine is taken in a day, in milligrams; ok is false where it
// cannot be counted.
func daily(x chart.Dosage, strength string) (mg float64, ok bool) {
	unit := map[string]float64{"mcg": 0.001, "mg": 1, "g": 1000}
	each := x.Highest()
	if !x.Read() || x.Most == 0 || each == 0 {
		return 0, false
	}
	if f := unit[x.Unit]; f > 0 {
		return each * f * x.Most, true
	}
	var n float64
	var of string
	if _, err := fmt.Sscanf(cmp.Or(strength, x.Strength), "%f %s", &n, &of); err != nil || unit[of] == 0 || x.Unit != "tablet" && x.Unit != "capsule" {
		return 0, false
	}
	return each * n * unit[of] * x.Most, true
}

// sameTaking says whether a medicine of the list is taken as it is prescribed: written so, or
// as much of it in a day.
func sameTaking(m chart.Medicine, d prescription.Drug) bool {
	if strings.EqualFold(m.Dose, listDose(d)) || strings.EqualFold(m.Dose, d.Dose) {
		return true
	}
	a, ok1 := daily(m.Dosage, "")
	b, ok2 := daily(d.Dosage, d.Strength)
	return ok1 && ok2 && a == b && m.Dosage.Most == d.Dosage.Most
}

// listDose is how a prescription stands on the list of medicines.
func listDose(d prescription.Drug) string {
	if !d.Dosage.Read() {
		return d.Dose
	}
	x := d.Dosage
	x.Strength, x.For = "", ""
	if d.Strength == "" || x.Unit == "mg" || x.Unit == "mcg" || x.Unit == "g" {
		return x.Says()
	}
	return strings.TrimSpace(d.Strength+" "+d.Form) + ", " + x.Says()
}

// sealedPrescription is the sealed content of a prescription.
type sealedPrescription struct {
	Number     string   `json:"number"`
	Medicine   string   `json:"medicine"`
	Directions string   `json:"directions"`
	Quantity   string   `json:"quantity"`
	Days       int      `json:"days,omitempty"`
	Refills    int      `json:"refills"`
	AsWritten  bool     `json:"asWritten,omitempty"`
	Indication string   `json:"indication,omitempty"`
	Note       string   `json:"note,omitempty"`
	To         string   `json:"to"`
	Schedule   string   `json:"schedule,omitempty"`
	Warnings   []string `json:"warnings,omitempty"`
	Reason     string   `json:"reason,omitempty"`
	Orderer    string   `json:"orderer,omitempty"` // who gave it by telephone; it was read back
}

// signed seals a prescription and says where it stands then.
func (a *Acts) signed(t *act.Tx, o *store.Further, k kept) (line.State, error) {
	d := k.Drug
	to := "printed"
	if k.To != nil {
		to = k.To.Says()
	}
	e, err := t.Seal(o.PatientID, "prescription", o.ID, 0, sealedPrescription{o.Number, d.Says(), d.Reads(), d.Amount(), d.Days, d.Refills, d.AsWritten, d.Indication, d.Note, to, k.Schedule,
		k.Warnings, k.Reason, k.Orderer})
	if err != nil {
		return "", err
	}
	o.SignedAt, o.Folio = t.Now, e.Folio
	o.State = string(prescription.Signed)
	if k.To == nil || k.To.Reach == directory.Letter {
		o.State = string(prescription.ToHand)
		return line.Open, nil
	}
	return line.InHand, nil
}

// takeEffect brings the medicine list along, closes the request it answers, and sends it.
func (a *Acts) takeEffect(t *act.Tx, o store.Further, k kept) error {
	all, err := t.Medicines(o.PatientID)
	if err != nil {
		return err
	}
	if k.Instead != "" {
		if err := t.StopMedicine(o.PatientID, k.Instead, a.Today(), "changed: prescription "+o.Number, t.Who.ID); err != nil {
			return act.Stale(err, "The medicine list")
		}
	}
	if !slices.ContainsFunc(all, func(m chart.Medicine) bool { return m.ID == k.Medicine }) {
		m := chart.Medicine{ID: k.Medicine, PatientID: o.PatientID, Name: capital(k.Drug.Medicine), Dose: listDose(k.Drug), Started: a.Today(), Source: "prescribed here", AddedBy: t.Who.ID, AddedAt: t.Now,
			Typed: k.Drug.Says() + ", " + k.Drug.Dose, Why: k.Drug.Indication}
		m.Dosage, _ = chart.ReadDosage(m.Dose)
		if !m.Dosage.Read() {
			m.Dosage = k.Drug.Dosage
		}
		if err := t.AddMedicine(m); err != nil {
			return err
		}
	}
	t.Tell(act.PatientEvent, o.PatientID, o.PatientID)
	if k.Inquiry != "" {
		if err := t.AnswerInquiry(k.Inquiry, "approved", "", o.ID, t.Who.ID, t.Now); err != nil {
			return act.Stale(err, "The request")
		}
		if err := t.CloseLine(line.Repeat, k.Inquiry, t.Who.ID, "approved", t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, k.Inquiry, o.PatientID)
	}
	if o.State == string(prescription.Signed) {
		return a.dispatch(t, o, k, "")
	}
	return nil
}

// capital writes a name as the list does.
func capital(name string) string {
	for i, r := range name {
		return string(unicode.ToUpper(r)) + name[i+utf8.RuneLen(r):]
	}
	return name
}

// SignPrepared signs a prescription that was laid for the signature, as it was written, after
// holding it against the chart as it is now.
func (a *Acts) SignPrepared(ctx context.Context, who act.Actor, id, reason, secret, code string) error {
	if err := act.Allow(who, act.SignPrescription); err != nil {
		return err
	}
	if err := a.OpenSigning(ctx, &who, secret); err != nil {
		return err
	}
	schedule := ""
	if err := a.Look(ctx, who, act.SignPrescription, func(q *store.Q) error {
		o, err := kind.ByID(q, id)
		if k := detail(o); err == nil && k.To != nil {
			schedule = k.Schedule
		}
		return err
	}); err != nil {
		return err
	}
	if schedule != "" {
		if err := a.SecondFactor(ctx, who.ID, code); err != nil {
			return err
		}
	}
	return a.Act(ctx, who, act.SignPrescription, func(t *act.Tx) error {
		o, err := kind.ByID(t.Q, id)
		if err != nil {
			return err
		}
		if prescription.State(o.State) != prescription.ToSign {
			return act.Refuse(act.Conflict, "This prescription does not wait for a signature: %s.", o.State)
		}
		k := detail(o)
		p, err := t.Person(o.PatientID)
		if err != nil {
			return err
		}
		now, err := a.checked(t.Q, p, NewPrescription{Drug: k.Drug, To: o.ToID, Instead: k.Instead, Reason: reason, Looked: k.Looked}, false)
		if err != nil {
			return err
		}
		k.Warnings, k.Reason = now.Warnings, now.Reason                // as the signer saw it; they are sealed, and the row stays as it was written
		if err := a.onList(t, o.PatientID, &k, k.Beside); err != nil { // the list may have changed since it was written
			return err
		}
		if err := mayRefuse(who, now.Schedule); err != nil {
			return err
		}
		o.Clinician, o.ClinicianID = who.Name, who.ID
		lineState, err := a.signed(t, &o, k)
		if err != nil {
			return err
		}
		if err := t.SignFurther(id, who.ID, o.State, o.Folio, t.Now); err != nil {
			return act.Stale(err, "The prescription")
		}
		if err := t.MoveLine(string(line.Prescription), id, who.ID); err != nil {
			return err
		}
		if err := t.SetLineState(line.Prescription, id, lineState); err != nil {
			return err
		}
		if err := a.takeEffect(t, o, k); err != nil {
			return err
		}
		further.Tell(t, o)
		return t.Audit("sign prepared prescription", o.PatientID, id, "")
	})
}

// dispatch puts a prescription in the way out, or that it is cancelled (why).
func (a *Acts) dispatch(t *act.Tx, o store.Further, k kept, why string) error {
	out := store.Outgoing{Control: o.Number, Kind: string(line.Prescription), Subject: o.ID, ByID: t.Who.ID}
	if why != "" {
		out.Control, out.Kind = o.Number+"C", cancelling
	}
	var err error
	if k.To.Reach == directory.Fax {
		if out.Body, err = a.paper(t.Q, o, k, why); err != nil {
			return err
		}
		out.Destination, out.Address = faxed, k.To.Fax
		return t.Send(out)
	}
	p, err := t.PatientByID(o.PatientID)
	if err != nil {
		return err
	}
	reg, _, err := t.Registration(o.PatientID)
	if err != nil {
		return err
	}
	out.Destination = pharmacy
	out.Body, err = fhir.Prescription{Number: o.Number, Sent: a.Say(t.Now), Facility: a.Facility, From: fhir.Party{Name: a.Practice, Phone: a.Telephone}, To: fhir.Party{Name: k.To.Says(), Account: k.To.Account, NPI: k.To.NPI},
		Signer: o.Clinician, Drug: k.Drug, Schedule: k.Schedule, Replaces: k.Replaces, Cancel: why, BasedOn: k.Origin,
		Patient: fhir.Whose{Record: p.Record, Family: p.Name.Family, Given: p.Name.Given, BirthDate: p.BirthDate, Gender: fhir.Gender(p.Sex), Phone: p.Phone, Address: addressOf(reg)}}.Build()
	if err != nil {
		return err
	}
	return t.Send(out)
}

func addressOf(r chart.Registration) string {
	return strings.Trim(strings.Trim(r.Address.Street+", "+r.Address.City, ", ")+" "+r.Address.State+" "+r.Address.Zip, ", ")
}

// paper writes a prescription on paper: signed electronically, or, where it is a controlled
// substance, to be signed by hand (21 CFR 1306.05).
func (a *Acts) paper(q *store.Q, o store.Further, k kept, why string) ([]byte, error) {
	p, err := q.PatientByID(o.PatientID)
	if err != nil {
		return nil, err
	}
	reg, _, err := q.Registration(o.PatientID)
	if err != nil {
		return nil, err
	}
	d := k.Drug
	doc := pdf.Document{Practice: a.Practice, Title: "Prescription " + o.Number, Patient: chart.Tidy(p.Name.Given + " " + p.Name.Family),
		Identity: "born " + chart.SayDay(p.BirthDate) + ", record " + p.Record, Visit: a.Say(o.SignedAt)}
	substitution := "may be substituted"
	if d.AsWritten {
		substitution = "dispense as written: do not substitute"
	}
	refills := fmt.Sprintf("%d (%s)", d.Refills, counted(d.Refills))
	s := []pdf.Section{{Heading: "Address of the patient", Text: act.OrUnknown(addressOf(reg), "not recorded; to be written in by hand")}, {Heading: "Medicine", Text: d.Says() + "\n" + substitution}, {Heading: "Directions", Text: d.Reads()},
		{Heading: "Quantity", Text: d.Amount()}, {Heading: "Refills", Text: refills}}
	if d.Days > 0 {
		s = append(s, pdf.Section{Heading: "Lasts", Text: fmt.Sprintf("%d days", d.Days)})
	}
	if d.Indication != "" {
		s = append(s, pdf.Section{Heading: "For", Text: d.Indication})
	}
	if d.Note != "" {
		s = append(s, pdf.Section{Heading: "To the pharmacy", Text: d.Note})
	}
	if k.To != nil {
		s = append([]pdf.Section{{Heading: "To", Text: k.To.Says()}}, s...)
	}
	e := pdf.Entry{Folio: o.Folio, SignedBy: act.By(o.Clinician, k.Taker), SignedAt: a.Say(o.SignedAt)}
	if k.Schedule != "" {
		s = append(s, pdf.Section{Heading: "Schedule " + k.Schedule + ": signed by hand", Text: "Prescriber: " + o.Clinician + ", " + a.Practice + "\n\nDEA registration number: ______________________\n\nDate: " + chart.SayDay(a.DayOf(store.Stamp(o.SignedAt))) +
			"\n\nSignature: ____________________________________"})
	}
	if why != "" {
		doc.Title, doc.Mark = "Cancelled: prescription "+o.Number, "Cancelled: "+why
	}
	if o.SignedAt.IsZero() {
		e.SignedAt = ""
	}
	e.Sections = s
	doc.Entries = []pdf.Entry{e}
	return pdf.Render(doc)
}

func counted(n int) string {
	return []string{"none", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"}[min(max(n, 0), 12)]
}

// PrintPDF is a prescription on paper.
func (a *Acts) PrintPDF(ctx context.Context, who act.Actor, id string) (out []byte, err error) {
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		o, err := kind.ByID(q, id)
		if err != nil {
			return err
		}
		if o.SignedAt.IsZero() {
			return act.Refuse(act.Conflict, "The prescription has not been signed.")
		}
		patient = o.PatientID
		out, err = a.paper(q, o, detail(o), "")
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "print prescription", patient, id)
	}
	return out, err
}
