package assess

import (
	"context"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/letter"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/store"
)

// AdviceView is a remark on the diagnoses with a person's answer to it.
type AdviceView struct {
	coding.Advice
	Answer string `json:"answer" doc:"The reason why it does not apply; empty while nobody answered"`
	By     string `json:"by"`
}

// Advise holds the diagnoses of a note against the tabular list and the chart.
func (a *Acts) Advise(q *store.Q, n store.Note, v store.Visit, ds []note.Diagnosis) ([]AdviceView, error) {
	out := []AdviceView{}
	lib, _, err := a.Codes()
	if err != nil || len(ds) == 0 {
		return out, err
	}
	c, _ := lib.On(v.Day)
	about := coding.Visit{Sex: v.Patient.Sex, Months: a.Months(v)}
	for _, d := range ds {
		about.Codes = append(about.Codes, d.Code)
	}
	problems, err := q.Problems(n.PatientID)
	if err != nil {
		return out, err
	}
	for _, p := range problems {
		about.Problems = append(about.Problems, p.Code)
	}
	answers, err := q.AdviceAnswers(n.ID)
	if err != nil {
		return out, err
	}
	names, err := a.Names(q)
	if err != nil {
		return out, err
	}
	for _, x := range c.Advise(about) {
		view := AdviceView{Advice: x}
		for _, y := range answers {
			if y.Key == x.Key {
				view.Answer, view.By = y.Reason, names[y.ByID]
			}
		}
		out = append(out, view)
	}
	return out, nil
}

// MeasureView is a measure of a diagnosis with its recorded course.
type MeasureView struct {
	LOINC  string `json:"loinc"`
	Words  string `json:"words" doc:"First, last and present value with their dates"`
	Chosen bool   `json:"chosen" doc:"It is written into the note"`
}

// Stated reads what is said of the diagnoses of a note, with the courses of the
// measures that are to be written out.
func (a *Acts) Stated(q *store.Q, n store.Note, v store.Visit, ds []note.Diagnosis) ([]note.Stated, map[string][]MeasureView, error) {
	if len(ds) == 0 {
		return nil, nil, nil
	}
	words, err := q.DiagnosisWords(n.ID)
	if err != nil {
		return nil, nil, err
	}
	var loincs []string
	for _, d := range ds {
		loincs = append(loincs, note.MeasuresFor(d.Code)...)
	}
	courses := map[string]string{}
	if len(loincs) > 0 {
		rows, err := q.Course(n.PatientID, loincs)
		if err != nil {
			return nil, nil, err
		}
		values, name := map[string][]note.Recorded{}, map[string]string{}
		for _, m := range rows {
			if at := store.Moment(m.At); strings.HasSuffix(m.At, "Z") && !at.IsZero() {
				m.At = a.Say(at) // a vital sign: in the practice's time
			}
			if m.At[:min(10, len(m.At))] > v.Day {
				continue // measured after this visit
			}
			values[m.LOINC], name[m.LOINC] = append(values[m.LOINC], note.Recorded{Value: m.Value, Unit: m.Unit, At: m.At}), m.Name
		}
		for l, vs := range values {
			courses[l] = note.Course(name[l], vs, chart.ShownUnit)
		}
	}
	var out []note.Stated
	views := map[string][]MeasureView{}
	for _, d := range ds {
		s := note.Stated{Said: words[d.Code], Title: d.Title}
		s.Code = d.Code
		for _, l := range note.MeasuresFor(d.Code) {
			if courses[l] == "" {
				continue
			}
			chosen := slices.Contains(s.Measures, l)
			views[d.Code] = append(views[d.Code], MeasureView{l, courses[l], chosen})
			if chosen {
				s.Courses = append(s.Courses, courses[l])
			}
		}
		out = append(out, s)
	}
	return out, views, nil
}

// PinView is a code kept at hand.
type PinView struct {
	Code   string `json:"code"`
	Title  string `json:"title"`
	Clinic bool   `json:"clinic"`
}

// Pins lists the codes a person keeps at hand, then the clinic's.
func (a *Acts) Pins(ctx context.Context, who act.Actor) (out []PinView, err error) {
	out = []PinView{}
	err = a.Look(ctx, who, act.WriteNote, func(q *store.Q) error {
		seen := map[string]bool{}
		for _, owner := range []string{who.ID, ""} {
			codes, err := q.Pins(owner)
			if err != nil {
				return err
			}
			for _, c := range codes {
				if e, _, _, err := a.CheckCode(c, a.Today()); err == nil && !seen[c] {
					seen[c] = true
					out = append(out, PinView{e.Code, e.Title, owner == ""})
				}
			}
		}
		return nil
	})
	return out, err
}

// Pin keeps a code at hand, for the person or the clinic, or lets it go.
func (a *Acts) Pin(ctx context.Context, who act.Actor, code string, clinic, off bool) error {
	owner, right := who.ID, act.WriteNote
	if clinic {
		owner, right = "", act.ChangeForms
	}
	if err := act.Allow(who, right); err != nil {
		return err
	}
	e, _, _, err := a.CheckCode(code, a.Today())
	if err != nil {
		return err
	}
	return a.Act(ctx, who, right, func(t *act.Tx) error {
		t.Tell("pins", e.Code, "")
		if off {
			return t.Unpin(owner, e.Code)
		}
		return t.Q.Pin(owner, e.Code, t.Now)
	})
}

// Overridden lists the answers that a signed note keeps: they are part of what the
// signer decided.
func Overridden(all []AdviceView) (out []note.Overridden) {
	for _, x := range all {
		if x.Stops && x.Answer != "" {
			out = append(out, note.Overridden{Says: x.Says, Reason: x.Answer, By: x.By})
		}
	}
	return out
}

// AdvicePoints are the remarks on the diagnoses that nobody answered, for the closing
// list. What only asks whether a further code applies stays beside the list.
func AdvicePoints(all []AdviceView) (out []note.Point) {
	for _, stops := range []bool{true, false} {
		for _, x := range all {
			if x.Answer == "" && x.Stops == stops && x.Kind != "additional" {
				out = append(out, note.Point{Kind: "coding", Part: note.Assessment, Says: x.Says, Why: x.Quote + " (" + x.Source + ")", Ref: "advice." + x.Key, Stops: x.Stops})
			}
		}
	}
	return out
}

// FormerCodes finds what a former code, or words that only the former titles hold,
// lead to today; why says from which former code each comes.
func (a *Acts) FormerCodes(query string, byWords bool, limit int) (now []coding.Entry, why []string) {
	lib, _, err := a.Codes()
	if err != nil || a.Formers == nil {
		return nil, nil
	}
	c, _ := lib.On(a.Today())
	f, err := a.Formers()
	if err != nil {
		return nil, nil
	}
	var found []coding.Former
	if x, ok := f.Find(query, c); ok {
		found = append(found, x)
	} else if byWords {
		found = f.Search(query, c, 4)
	}
	for _, x := range found {
		for _, e := range x.Now {
			if len(now) < limit && !slices.ContainsFunc(now, func(y coding.Entry) bool { return y.Code == e.Code }) {
				now, why = append(now, e), append(why, "formerly "+x.Code+" (ICD-9-CM), "+x.Title)
			}
		}
	}
	return now, why
}

// SupportedView is a code that the text supports, with the words that speak for it.
type SupportedView struct {
	Code  string `json:"code"`
	Title string `json:"title"`
	Words string `json:"words"`
	Part  string `json:"part"`
}

// atMost bounds how many codes are offered beside the note at once.
const atMost = 5

// DismissedKey names, among the answers of a note, a supported code put away.
const DismissedKey = "text "

// passages are what of a draft is read for codes: not what was carried and nobody looked
// at, nor what the list of diagnoses says itself.
func passages(blocks []note.Block) []coding.Passage {
	var out []coding.Passage
	for _, b := range blocks {
		if !strings.HasPrefix(b.Ref, "diagnosis.") {
			out = append(out, coding.Passage{Part: string(b.Part), Text: b.LookedAt()})
		}
	}
	return out
}

// Unspoken lists the diagnoses that nothing in the draft speaks for: no word of it, nothing
// said of the diagnosis, no test ordered for it.
func (a *Acts) Unspoken(q *store.Q, v store.Visit, ds []note.Diagnosis, blocks []note.Block) (out []note.Point, err error) {
	if a.Reader == nil || len(ds) == 0 {
		return nil, nil
	}
	r, err := a.Reader()
	if err != nil {
		return nil, err
	}
	ordered := map[string]bool{}
	orders, err := q.OrdersOf(v.PatientID)
	for _, o := range orders {
		for _, t := range o.Tests {
			for _, d := range t.Diagnoses {
				ordered[d.Code] = ordered[d.Code] || o.VisitID == v.ID
			}
		}
	}
	var silent []string
	for _, d := range ds {
		if said := slices.ContainsFunc(blocks, func(b note.Block) bool { return b.Ref == "diagnosis."+d.Code }); !said && !ordered[d.Code] {
			silent = append(silent, d.Code)
		}
	}
	silent = r.Unspoken(passages(blocks), silent)
	for _, d := range ds {
		if slices.Contains(silent, d.Code) {
			out = append(out, note.Point{Kind: "unsupported", Part: note.Assessment, Says: "Nothing in the note speaks for " + d.Code + ", " + d.Title, Why: "No word of it that was written or looked at today, nothing said of it, no test ordered for it", Ref: "diagnosis." + d.Code})
		}
	}
	return out, err
}

// Supported reads the draft for codes that its list lacks. Carried text that nobody
// looked at is not read, nor what the list says itself.
func (a *Acts) Supported(q *store.Q, n store.Note, v store.Visit, codes []string, blocks []note.Block) ([]SupportedView, error) {
	out := []SupportedView{}
	if a.Reader == nil {
		return out, nil
	}
	r, err := a.Reader()
	if err != nil {
		return out, err
	}
	text := passages(blocks)
	answers, err := q.AdviceAnswers(n.ID)
	if err != nil {
		return out, err
	}
	about := coding.Visit{Sex: v.Patient.Sex, Months: a.Months(v)}
	found := r.Read(text, about)
	recorded, err := a.recorded(q, n, v, codes, found, about)
	if err != nil {
		return out, err
	}
	away := func(s coding.Supported) bool {
		return len(out) >= atMost || slices.ContainsFunc(answers, func(x store.AdviceAnswer) bool { return x.Key == DismissedKey+s.Code })
	}
	for _, s := range found {
		if !away(s) && r.Adds(codes, s) {
			out = append(out, SupportedView{s.Code, s.Title, s.Words, s.Part})
		}
	}
	for _, s := range recorded {
		if away(s) {
			continue
		}
		// A more specific code takes the place of the one the text alone supports.
		out = slices.DeleteFunc(out, func(x SupportedView) bool { return x.Code == s.Code || x.Code[:3] == s.Code[:3] && s.Code[0] != 'Z' })
		out = append(out, SupportedView{s.Code, s.Title, s.Words, "chart"})
	}
	return out, nil
}

// recorded finds the codes that medicines, vital signs and results support beside the
// diagnoses of the visit and what its text supports.
func (a *Acts) recorded(q *store.Q, n store.Note, v store.Visit, codes []string, found []coding.Supported, about coding.Visit) ([]coding.Supported, error) {
	named, ongoing := slices.Clone(codes), []string(nil)
	for _, s := range found {
		named = append(named, s.Code)
	}
	problems, err := q.Problems(n.PatientID)
	if err != nil {
		return nil, err
	}
	for _, p := range problems {
		ongoing = append(ongoing, p.Code)
	}
	c := coding.Chart{Day: v.Day}
	ms, err := q.Medicines(n.PatientID)
	if err != nil {
		return nil, err
	}
	for _, m := range ms {
		c.Medicines = append(c.Medicines, coding.Taken{Name: strings.TrimSpace(m.Name + " " + m.Dose), Classes: a.Medicines.Classes(m.Name)})
	}
	values, err := q.Course(n.PatientID, coding.EvidenceLOINC)
	if err != nil {
		return nil, err
	}
	for _, x := range values {
		if day := a.DayOf(x.At); day <= v.Day { // what came later was not known at this visit
			c.Values = append(c.Values, coding.Value{LOINC: x.LOINC, Name: x.Name, Text: x.Value, Unit: x.Unit, Shown: chart.ShownUnit(x.Unit), Day: day, Visit: day == v.Day})
		}
	}
	lib, _, err := a.Codes()
	if err != nil {
		return nil, err
	}
	edition, _ := lib.On(v.Day)
	return coding.FromChart(edition, named, ongoing, c, about), nil
}

// Unkept holds what the plan's words promise against orders, medicines and tests done.
func (a *Acts) Unkept(q *store.Q, n store.Note, v store.Visit, blocks []note.Block) ([]note.Point, error) {
	plan := ""
	for _, b := range blocks {
		if b.Part == note.Plan && b.Ref != "given" {
			plan += b.Text() + "\n"
		}
	}
	p := note.Promised{Tests: a.Laboratory.Tests}
	for _, m := range a.Medicines.Names() {
		p.Medicines = append(p.Medicines, strings.ToLower(m))
	}
	orders, err := q.OrdersOf(n.PatientID)
	if err != nil {
		return nil, err
	}
	for _, o := range orders {
		if o.VisitID == v.ID && o.State != order.Cancelled {
			for _, t := range o.Tests {
				p.Ordered = append(p.Ordered, t.Code)
			}
		}
	}
	prepared, err := q.PreparedOf(n.PatientID)
	if err != nil {
		return nil, err
	}
	var waiting []note.Point
	for _, o := range prepared { // in hand, and not sent: it waits for the signature
		var names []string
		for _, t := range o.Tests {
			p.Ordered = append(p.Ordered, t.Test)
			names = append(names, a.TestByCode[t.Test].Name)
		}
		if o.VisitID == v.ID {
			waiting = append(waiting, note.Point{Kind: "promise", Part: note.Plan, Says: "An order is prepared and not signed: " + note.List(names, "and"), Why: "It is not sent until a physician signs it", Ref: "prepared." + o.ID})
		}
	}
	ms, err := q.Medicines(n.PatientID)
	if err != nil {
		return nil, err
	}
	for _, m := range ms {
		p.Active = append(p.Active, m.Name)
	}
	given, err := q.ImmunizationsAt(v.ID)
	if err != nil {
		return nil, err
	}
	for _, x := range a.House.Vaccines {
		p.Vaccines = append(p.Vaccines, x.Words())
		if slices.ContainsFunc(given, func(g store.Immunization) bool { return g.CVX == x.CVX }) {
			p.Given = append(p.Given, x.Words())
		}
	}
	documents, err := q.DocumentsOf(n.PatientID)
	if err != nil {
		return nil, err
	}
	p.Referred = slices.ContainsFunc(documents, func(d store.Document) bool {
		return d.NoteID == n.ID && strings.HasPrefix(d.Form, letter.FromLetter) && strings.Contains(d.Form, "referral")
	})
	back, err := q.FollowUpsOf(n.ID)
	if err != nil {
		return nil, err
	}
	p.Back = len(back) > 0
	done, err := q.ReportsAt(v.ID)
	for _, r := range done {
		p.House = append(p.House, r.Title)
	}
	return append(waiting, note.Unkept(plan, p)...), err
}
