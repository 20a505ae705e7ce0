package plan

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"deftledger/app/act"
	"deftledger/app/forms"
	notes "deftledger/app/note"
	orders "deftledger/app/order"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/safety"
	"deftledger/core/visit"
	formtext "deftledger/exchange/forms"
	"deftledger/store"
)

// SetView is a set with its parts and what speaks for care with each in this chart.
type SetView struct {
	ID     string        `json:"id" doc:"A person's own begin with \"mine:\""`
	Title  string        `json:"title"`
	Source string        `json:"source"`
	From   string        `json:"from" doc:"Whose sets it is one of, in which version"`
	Fits   bool          `json:"fits" doc:"It is for a diagnosis of this visit"`
	Warns  string        `json:"warns" doc:"What is unusual about the set for this patient"`
	Parts  []SetPartView `json:"parts"`
}

// SetPartView is a part of a set with its warnings.
type SetPartView struct {
	order.SetPart
	Warnings []safety.Warning `json:"warnings"`
}

// ownSet begins the identifier of a set of a person's own.
const ownSet = "mine:"

// offered is a set with whose it is.
type offered struct {
	order.Set
	key, from string
}

func (s offered) codes() []string { return s.Codes }

// setsOf lists the sets that a person can use: their own, then the clinic's.
func setsOf(l *forms.Library, who act.Actor) []offered {
	var out []offered
	for n, f := range l.Files {
		if n.Kind != forms.Sets || n.Owner != "" && n.Owner != who.ID {
			continue
		}
		prefix, from := "", fmt.Sprintf("sets of the clinic, version %d", f.Version)
		if n.Owner != "" {
			prefix, from = ownSet, fmt.Sprintf("sets of %s, version %d", who.Name, f.Version)
		}
		for _, s := range l.Sets[n.Owner] {
			out = append(out, offered{s, prefix + s.ID, from})
		}
	}
	slices.SortStableFunc(out, func(x, y offered) int {
		return strings.Compare(strconv.FormatBool(strings.HasPrefix(y.key, ownSet)), strconv.FormatBool(strings.HasPrefix(x.key, ownSet)))
	})
	return out
}

// PlanSets lists the sets for a visit, those of its diagnoses first, with the warnings
// that apply to this patient computed before anything is applied.
func (a *Acts) PlanSets(ctx context.Context, who act.Actor, noteID string) (out []SetView, err error) {
	out = []SetView{}
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	patient := ""
	err = a.Look(ctx, who, act.WriteNote, func(q *store.Q) error {
		n, v, err := act.NoteVisit(q, noteID)
		if err != nil {
			return err
		}
		patient = n.PatientID
		ds, err := q.Diagnoses(noteID)
		if err != nil {
			return err
		}
		var codes []string
		for _, d := range ds {
			codes = append(codes, d.Code)
		}
		held, err := a.Order.Guarded(q, n.PatientID, a.Today())
		if err != nil {
			return err
		}
		open := orders.OpenTests(held)
		months := a.Months(v)
		fitting, rest := order.ForCodes(setsOf(l, who), offered.codes, codes)
		for i, s := range append(fitting, rest...) {
			view := SetView{ID: s.key, Title: s.Title, Source: s.Source, From: s.from, Fits: i < len(fitting), Parts: []SetPartView{}}
			if months < s.From {
				view.Warns = "This set is written for older patients: check every part."
			}
			k := 0
			for _, part := range a.partViews(s.Set, l) {
				p := part.SetPart
				switch p.Kind {
				case order.MedicinePart:
					part.Warnings = append(part.Warnings, a.care(held, s.Medicines[k])...)
					k++
				case order.TestPart:
					if why := open[p.Code]; why != "" {
						part.Warnings = append(part.Warnings, safety.Warning{Kind: safety.Double, Grade: safety.Watch, Says: "Asked for already", Why: why})
					}
				}
				view.Parts = append(view.Parts, part)
			}
			out = append(out, view)
		}
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "open note", patient, noteID)
	}
	return out, err
}

// partViews are the parts of a set as they are read and chosen.
func (a *Acts) partViews(s order.Set, l *forms.Library) []SetPartView {
	out := []SetPartView{}
	for _, p := range s.Parts(a.Laboratory("").Tests, l.LeafletTitles()) {
		if p.Kind == order.ReturnPart { // "2w" is how it is typed, not how it reads
			if _, said, err := note.Due(s.FollowUp.When, a.Today()); err == nil {
				p.Words = strings.ToUpper(said[:1]) + said[1:] + ": " + s.FollowUp.Reason + "."
			}
		}
		out = append(out, SetPartView{p, []safety.Warning{}})
	}
	return out
}

// ApplySet puts the chosen parts of a set into the draft, all or none: words into the
// plan with the set as their source, tests as an order that waits for the physician's
// signature, the follow-up to the front desk. Nothing is prescribed or sent.
func (a *Acts) ApplySet(ctx context.Context, who act.Actor, noteID, setID string, parts []string) (notes.NoteView, error) {
	return a.Note.Change(ctx, who, noteID, "apply set "+setID, func(t *act.Tx, n store.Note, v store.Visit, l *forms.Library) error {
		mine := setsOf(l, who)
		i := slices.IndexFunc(mine, func(s offered) bool { return s.key == setID })
		if i < 0 {
			return act.Refuse(act.Missing, "There is no such set.")
		}
		s := mine[i]
		ds, err := t.Diagnoses(noteID)
		if err != nil {
			return err
		}
		var codes, tests []string
		for _, d := range ds {
			if order.Fits(s.Codes, []string{d.Code}) {
				codes = append(codes, d.Code)
			}
		}
		all := s.Parts(a.Laboratory("").Tests, l.LeafletTitles())
		for _, key := range parts {
			k := slices.IndexFunc(all, func(p order.SetPart) bool { return p.Key == key })
			if k < 0 {
				return act.Refuse(act.Invalid, "The set has no part %q.", key)
			}
			p := all[k]
			if p.Gone {
				return act.Refuse(act.Invalid, "%s Leave it out, or choose another.", p.Words)
			}
			words := p.Words
			switch p.Kind {
			case order.TestPart:
				tests = append(tests, p.Code)
			case order.EducationPart:
				if _, err := a.Paper.PutLeaflet(t, l, n, p.Code, false); err != nil {
					return err
				}
			case order.ReturnPart:
				day, said, err := note.Due(s.FollowUp.When, a.Today())
				if err != nil {
					return err
				}
				if err := a.Visit.PutWish(t, n, v, day, said, s.FollowUp.Reason); err != nil {
					return err
				}
				words = "Back " + said + "."
			}
			c := store.CarriedSentence{Brought: note.Brought{ID: act.NewID(), Part: note.Plan, Text: words, Origin: note.Chosen,
				Source: "set: " + s.Title + " (" + s.from + ")", Looked: true}}
			if _, err := t.AddCarried(noteID, c, who.ID, t.Now); err != nil {
				return err
			}
		}
		if len(tests) == 0 {
			return nil
		}
		if len(codes) == 0 {
			return act.Refuse(act.Invalid,
				"Tests need a diagnosis that justifies them: put one of this set on the visit first, or leave the tests out.")
		}
		lines := make([]order.Line, len(tests))
		for i, code := range tests {
			lines[i] = order.Line{Test: code, Diagnoses: codes}
		}
		p := store.Prepared{ID: act.NewID(), PatientID: n.PatientID, VisitID: v.ID, ForID: v.ClinicianID, ByID: who.ID, At: t.Now, Priority: "R",
			Tests: lines, State: order.ToSign, RequestID: act.NewID()}
		if _, err := t.AddPrepared(p); err != nil {
			return err
		}
		t.Tell(act.OrderEvent, p.ID, n.PatientID)
		t.Tell(act.LineEvent, p.ID, n.PatientID)
		return t.OpenLine(act.NewID(), line.ToSign, p.ID, n.PatientID, v.ClinicianID, line.Open, t.Now)
	})
}

// PlanAsSet reads the plan of a note as a set, with its parts, to be kept for next time.
func (a *Acts) PlanAsSet(ctx context.Context, who act.Actor, noteID string) (SetView, error) {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return SetView{}, err
	}
	l, err := a.Forms.Current()
	if err != nil {
		return SetView{}, err
	}
	s, _, err := a.drawSet(ctx, who, noteID, "", l)
	out := SetView{Source: s.Source, Parts: []SetPartView{}}
	out.Parts = a.partViews(s, l)
	return out, err
}

// drawSet makes a set of the plan of a note, and returns the patient's names too.
func (a *Acts) drawSet(ctx context.Context, who act.Actor, noteID, title string, l *forms.Library) (order.Set, []string, error) {
	v, err := a.Note.Note(ctx, who, noteID)
	if err != nil {
		return order.Set{}, nil, err
	}
	p := order.Present{Leaflets: map[string]string{}, Medicine: a.beginsWithMedicine}
	for _, x := range l.Leaflets {
		p.Leaflets[x.Title] = x.ID
	}
	for _, d := range v.Diagnoses {
		p.Codes = append(p.Codes, d.Code)
	}
	for _, b := range v.Blocks {
		if b.Part == note.Plan {
			p.Sentences = append(p.Sentences, note.Sentences(b.Text())...)
		}
	}
	for _, f := range v.FollowUps {
		if when := note.SpanOf(f.Said); f.State != visit.Dropped && p.FollowUp == nil && when != "" {
			p.FollowUp = &order.SetReturn{When: when, Reason: f.Reason}
		}
	}
	err = a.Store.Read(ctx, func(q *store.Q) error {
		orders, err := q.OrdersOf(v.Visit.Patient.ID)
		for _, o := range orders {
			if o.VisitID == v.Visit.ID && o.State != order.Cancelled {
				for _, t := range o.Tests {
					p.Tests = append(p.Tests, t.Code)
				}
			}
		}
		return err
	})
	s := order.Draw(formtext.Name(title), title, "the practice of "+who.Name+", "+a.Today()[:4], p, a.Laboratory("").Tests)
	return s, []string{v.Visit.Patient.Family, v.Visit.Patient.Given, v.Visit.Patient.Record}, err
}

// care is what speaks for care with a medicine of a set in a chart.
func (a *Acts) care(held chart.Record, m order.Dose) []safety.Warning {
	return a.Medicines.Check(held, safety.Taking{Name: m.Name, Dose: m.Dose, Dosage: a.Medicines.Dosage(m.Dose)})
}

// beginsWithMedicine returns the longest name of a medicine that a sentence begins with.
func (a *Acts) beginsWithMedicine(sentence string) string {
	best := ""
	for _, m := range a.Medicines.InProse() {
		if len(m) > len(best) && len(sentence) > len(m) && strings.EqualFold(sentence[:len(m)], m) && sentence[len(m)] == ' ' {
			best = sentence[:len(m)]
		}
	}
	return best
}

// PlanSet says how the plan of a note is kept as a set.
type PlanSet struct {
	Title   string   `json:"title" maxLength:"100"`
	Parts   []string `json:"parts" maxItems:"60"`
	Clinic  bool     `json:"clinic,omitempty" doc:"For everybody in the clinic; else for oneself"`
	Replace bool     `json:"replace,omitempty" doc:"In the place of a set of the same name"`
}

// KeepPlanAsSet keeps the chosen parts of a plan as a set of the person, or of the
// clinic: a new version of that form.
func (a *Acts) KeepPlanAsSet(ctx context.Context, who act.Actor, noteID string, k PlanSet) (forms.FormRow, error) {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return forms.FormRow{}, err
	}
	k.Title = chart.Tidy(k.Title)
	if formtext.Name(k.Title) == "" {
		return forms.FormRow{}, act.Refuse(act.Invalid, "Give the set a title, such as the illness it is for.")
	}
	if err := act.Allow(who, act.WriteNote); err != nil {
		return forms.FormRow{}, err
	}
	l, err := a.Forms.Current()
	if err != nil {
		return forms.FormRow{}, err
	}
	s, names, err := a.drawSet(ctx, who, noteID, k.Title, l)
	if err != nil {
		return forms.FormRow{}, err
	}
	s = s.Keep(k.Parts)
	for _, p := range s.Parts(a.Laboratory("").Tests, l.LeafletTitles()) {
		for _, n := range names {
			if strings.Contains(strings.ToLower(p.Words), strings.ToLower(n)) {
				return forms.FormRow{}, act.Refuse(act.Invalid, "A part names this patient: “%s” Leave it out, a set is for everybody.", p.Words)
			}
		}
	}
	n := forms.Name{Kind: forms.Sets, ID: "mine", Owner: who.ID}
	if k.Clinic {
		n = forms.Name{Kind: forms.Sets, ID: "clinic"}
	}
	if !k.Replace && slices.ContainsFunc(l.Sets[n.Owner], func(x order.Set) bool { return x.ID == s.ID }) {
		return forms.FormRow{}, &act.Refusal{Kind: act.Conflict, Code: "exists",
			Message: "There is a set of that name. Choose another, or put this one in its place."}
	}
	body, err := formtext.PutSet("sets", l.Files[n].Body, s)
	if err != nil {
		return forms.FormRow{}, act.Refuse(act.Invalid, "Not kept. %s.", strings.TrimSuffix(err.Error(), "."))
	}
	owner := "clinic"
	if !k.Clinic {
		owner = "me"
	}
	return a.Forms.SaveForm(ctx, who, forms.FormText{FormRow: forms.FormRow{Kind: forms.Sets, ID: n.ID, Owner: owner}, Body: body},
		l.Files[n].Version)
}
