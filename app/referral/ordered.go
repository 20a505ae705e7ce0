package referral

import (
	"context"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/order"
	"deftledger/core/orderable"
	"deftledger/core/prescription"
	"deftledger/core/referral"
	"deftledger/core/safety"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// Ordered is what is ordered of the list, as it stood there when it was signed.
type Ordered struct {
	ID      string              `json:"id"`
	Name    string              `json:"name"`
	Kind    orderable.Kind      `json:"kind" enum:"imaging,procedure,supply,vaccine"`
	Answers []order.EntryAnswer `json:"answers,omitempty"`
	On      string              `json:"on,omitempty"`
	Prepare string              `json:"prepare,omitempty"`
}

func (o *Ordered) supply() bool { return o != nil && o.Kind == orderable.Supply }

// here says whether the practice's own people do it.
func (o *Ordered) here() bool { return o != nil && o.Kind == orderable.Vaccine }

func (o *Ordered) id() string {
	if o == nil {
		return ""
	}
	return o.ID
}

// told are the answers that belong to the name.
var told = []string{"side", "contrast"}

// Says names it with the side and the contrast.
func (o *Ordered) Says() string {
	if o == nil {
		return ""
	}
	says := o.Name
	for _, a := range o.Answers {
		switch {
		case a.Question == "side":
			says += ", " + a.Answer
		case a.Question != "contrast":
		case strings.HasPrefix(a.Answer, "as "):
			says += ", contrast " + a.Answer
		default:
			says += ", " + a.Answer + " contrast"
		}
	}
	return says
}

// details are the other answers, in words, and the day.
func (o *Ordered) details() (out []string) {
	for _, a := range o.Answers {
		if !slices.Contains(told, a.Question) {
			out = append(out, strings.TrimSpace(a.Words+": "+a.Answer+" "+a.Unit))
		}
	}
	if o.On != "" {
		out = append(out, "To be done about "+chart.SayDay(o.On))
	}
	return out
}

func (o *Ordered) whole() string {
	return strings.Join(append([]string{o.Says()}, o.details()...), "\n")
}

func interpreter(language string) string { return "An interpreter is needed: " + language }

// ordered reads what is ordered of the list, and fills in by when it is usually wanted; nil
// for a referral.
func (a *Acts) ordered(n *NewReferral) (*Ordered, error) {
	if n.Item == "" {
		if len(n.Answers) > 0 || n.On != "" {
			return nil, act.Refuse(act.Invalid, "Answers and a day belong to imaging, a procedure or a supply: say which.")
		}
		return nil, nil
	}
	item, ok := a.Orderables.Item(n.Item)
	if !ok {
		return nil, act.Refuse(act.Invalid, "There is no %q in the list of imaging, procedures and supplies.", n.Item)
	}
	answers, err := item.Answers(n.Answers, a.Today())
	if err != nil {
		return nil, act.Refuse(act.Invalid, "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
	}
	if n.On != "" {
		day, err := time.Parse(time.DateOnly, n.On)
		today, _ := time.Parse(time.DateOnly, a.Today())
		switch {
		case err != nil:
			return nil, act.Refuse(act.Invalid, "%q is no day.", n.On)
		case day.Before(today):
			return nil, act.Refuse(act.Invalid, "%s is past.", chart.SayDay(n.On))
		case day.After(today.AddDate(0, 11, 0)):
			return nil, act.Refuse(act.Invalid, "%s is more than eleven months away: order it nearer the time, or as a reminder.", chart.SayDay(n.On))
		}
	}
	if n.Expected == "" {
		n.Expected = item.Kind.Wanted(n.Urgency, a.Today(), n.On)
	}
	if item.Here() && n.To != "" {
		return nil, act.Refuse(act.Invalid, "%s is given here: it goes to nobody.", item.Name)
	}
	return &Ordered{ID: item.ID, Name: item.Name, Kind: item.Kind, Answers: answers, On: n.On, Prepare: item.Prepare}, nil
}

// careful holds an order against the chart as it is, keeps what was serious with why it is
// ordered all the same, and the language for which an interpreter is needed.
func (a *Acts) careful(q *store.Q, p chart.Patient, n NewReferral, k *kept, prepare bool) error {
	reg, _, err := q.Registration(p.ID)
	if err != nil {
		return err
	}
	if reg.Interpreter == "yes" {
		k.Speaks = act.OrUnknown(reg.Language, "the language is not recorded")
	}
	if n.Item == "" {
		return nil
	}
	held, err := a.Order.Guarded(q, p.ID, a.Today())
	if err != nil {
		return err
	}
	item, _ := a.Orderables.Item(n.Item)
	for _, w := range prescription.Serious(item.Concerns(held, a.Medicines, n.Answers)) {
		k.Warnings = append(k.Warnings, w.Says+": "+w.Why)
	}
	k.Reason = strings.TrimSpace(n.Reason)
	if len(k.Warnings) > 0 && k.Reason == "" && !prepare {
		return &act.Refusal{Kind: act.Invalid, Code: "reason", Message: "Say why it is ordered all the same: " + strings.Join(k.Warnings, "; ") + "."}
	}
	return nil
}

// OnPad is something of the list as it stands on the pad.
type OnPad struct {
	Item    string              `json:"item" maxLength:"64"`
	Answers []order.EntryAnswer `json:"answers,omitempty" maxItems:"20"`
}

// Concern is what is to be said of something on the pad before it is signed.
type Concern struct {
	Item        string           `json:"item"`
	Warnings    []safety.Warning `json:"warnings"`
	Serious     bool             `json:"serious" doc:"One of them needs a reason"`
	Asks        []string         `json:"asks" doc:"Questions that this patient is asked besides the required ones"`
	Before      []string         `json:"before" doc:"The same, ordered lately, in words"`
	Prepare     string           `json:"prepare" doc:"How the patient prepares"`
	Interpreter string           `json:"interpreter" doc:"For which an interpreter will be asked; empty for none"`
	Wanted      string           `json:"wanted" doc:"By when it is usually wanted, where it is routine"`
}

// lately is how many days back the same is named.
const lately = 183

// Concerns says it for all that stands on the pad.
func (a *Acts) Concerns(ctx context.Context, who act.Actor, patient string, all []OnPad) (out []Concern, err error) {
	out = []Concern{}
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		held, err := a.Order.Guarded(q, p.ID, a.Today())
		if err != nil {
			return err
		}
		reg, _, err := q.Registration(p.ID)
		if err != nil {
			return err
		}
		before, err := q.FurtherOf(p.ID, store.ReferralOrder)
		if err != nil {
			return err
		}
		for _, x := range all {
			item, ok := a.Orderables.Item(x.Item)
			if !ok {
				return act.Refuse(act.Invalid, "There is no %q in the list of imaging, procedures and supplies.", x.Item)
			}
			c := Concern{Item: x.Item, Warnings: append([]safety.Warning{}, item.Concerns(held, a.Medicines, x.Answers)...), Asks: []string{}, Before: []string{}, Prepare: item.Prepare,
				Wanted: item.Kind.Wanted("routine", a.Today(), "")}
			c.Serious = len(prescription.Serious(c.Warnings)) > 0
			if item.AsksPregnant(held) {
				c.Asks = append(c.Asks, "pregnant")
			}
			if reg.Interpreter == "yes" {
				c.Interpreter = act.OrUnknown(reg.Language, "the language is not recorded")
			}
			for _, o := range before {
				k := detail(o)
				if k.Item.id() == x.Item && !o.WrittenAt.Before(a.Clock().AddDate(0, 0, -lately)) {
					c.Before = append(c.Before, k.Item.Says()+", "+chart.SayDay(a.Say(o.WrittenAt)[:10])+": "+o.State)
				}
			}
			out = append(out, c)
		}
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at care with an order", patient, "")
	}
	return out, err
}

// SheetPDF is the sheet for the patient: what was ordered, where, how to prepare, and what
// happens next.
func (a *Acts) SheetPDF(ctx context.Context, who act.Actor, id string) (out []byte, err error) {
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		o, err := kind.ByID(q, id)
		if err != nil {
			return err
		}
		patient = o.PatientID
		k := detail(o)
		p, err := q.PatientByID(o.PatientID)
		if err != nil {
			return err
		}
		d := pdf.Document{Practice: a.Practice, Title: "For you: your visit to " + k.To.Says(), Patient: chart.Tidy(p.Name.Given + " " + p.Name.Family), Identity: "born " + chart.SayDay(p.BirthDate), Visit: a.Say(o.WrittenAt), Unsigned: true}
		what, where := "We asked them a question about your health, and will tell you what they answer.", k.To.Says()
		if k.Item != nil {
			d.Title, what = "For you: "+k.Item.Says(), k.Item.whole()
		}
		for _, x := range []string{k.To.Address, k.To.Phone} {
			if x != "" {
				where += "\n" + x
			}
		}
		next := "They will call you to make an appointment. If you have not heard from them within a week, call us."
		if k.Item.supply() {
			next = "They will tell you when it comes."
		}
		if !o.SignedAt.IsZero() && k.Speaks != "" {
			next += " We have asked them for an interpreter: " + k.Speaks + "."
		}
		e := pdf.Entry{Sections: []pdf.Section{{Heading: "What", Text: what}, {Heading: "Where", Text: where}}}
		if k.Item != nil && k.Item.Prepare != "" {
			e.Sections = append(e.Sections, pdf.Section{Heading: "How to prepare", Text: k.Item.Prepare + " If they tell you something else, do as they say."})
		}
		e.Sections = append(e.Sections, pdf.Section{Heading: "What happens next", Text: next})
		d.Entries = []pdf.Entry{e}
		out, err = pdf.Render(d)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "print sheet for the patient", patient, id)
	}
	return out, err
}

// Here lists what the practice's own people are to do, the earliest day first, with whose it is.
func (a *Acts) Here(ctx context.Context, who act.Actor) ([]OpenedReferral, error) {
	return a.underWay(ctx, who, act.SeeSpecimens, func(v ReferralView) bool { return v.State == string(referral.DueHere) })
}

// givenSince finds the record of a vaccine that was ordered, given since it was.
func givenSince(q *store.Q, o store.Further, k kept) (chart.Immunization, bool, error) {
	all, err := q.Immunizations(o.PatientID)
	for _, x := range all {
		if x.CVX == orderable.CVX(k.Item.id()) && !x.GivenAt.Before(o.SignedAt) {
			return x, true, err
		}
	}
	return chart.Immunization{}, false, err
}

// Given closes what was ordered to be given here and has been recorded since.
func (a *Acts) Given(ctx context.Context) error {
	var found []store.Further
	if err := a.Store.Read(ctx, func(q *store.Q) error {
		all, err := q.FurtherGoing(store.ReferralOrder, 2000)
		for _, o := range all {
			if err == nil && referral.State(o.State) == referral.DueHere {
				ok := false
				if _, ok, err = givenSince(q, o, detail(o)); ok {
					found = append(found, o)
				}
			}
		}
		return err
	}); err != nil {
		return err
	}
	for _, was := range found {
		if err := a.Write(ctx, act.Actor{}, func(t *act.Tx) error {
			o, err := t.FurtherByID(was.ID)
			if err != nil {
				return err
			}
			x, ok, err := givenSince(t.Q, o, detail(o))
			if err != nil || !ok || referral.State(o.State) != referral.DueHere {
				return err
			}
			return kind.Happen(t, &o, referral.HasIt, store.FurtherEvent{Detail: "recorded: " + x.Name + ", lot " + act.OrUnknown(x.Lot, "not recorded"), Happened: a.Say(x.GivenAt), Origin: "immunization " + x.ID})
		}); err != nil {
			return err
		}
	}
	return nil
}
