package assess

import (
	"context"
	"encoding/json"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/letter"
	"deftledger/core/note"
	"deftledger/store"
)

// AdviceView is a remark on the diagnoses with a person's answer to it.
type AdviceView struct {
	coding.Advice
	Answer string `json:"answer" doc:"The reason why it does not apply; empty while nobody answered"`
	By     string `json:"by"`
}

// Advise holds the diagnoses of a note against the tabular list and the chart.
func (a *Acts) Advise(c Case) ([]AdviceView, error) {
	out := []AdviceView{}
	lib, _, err := a.Codes()
	if err != nil || len(c.Diagnoses) == 0 {
		return out, err
	}
	edition, _ := lib.On(c.Visit.Day)
	for _, x := range edition.Advise(c.about()) {
		view := AdviceView{Advice: x}
		for _, y := range c.Answered {
			if y.Key == x.Key {
				view.Answer, view.By = y.Reason, c.Names[y.ByID]
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

// Stated is what is said of the diagnoses of a note, with the courses of the measures
// that are to be written out.
func (a *Acts) Stated(c Case) (out []note.Stated, views map[string][]MeasureView) {
	views = map[string][]MeasureView{}
	for _, d := range c.Diagnoses {
		s := note.Stated{Said: c.Said[d.Code], Title: d.Title}
		s.Code = d.Code
		for _, l := range note.MeasuresFor(d.Code) {
			course := a.course(c.Record.Course(l))
			if course == "" {
				continue
			}
			chosen := slices.Contains(s.Measures, l)
			views[d.Code] = append(views[d.Code], MeasureView{LOINC: l, Words: course, Chosen: chosen})
			if chosen {
				s.Courses = append(s.Courses, course)
			}
		}
		out = append(out, s)
	}
	return out, views
}

// course writes the course of a quantity; "" where nothing is recorded.
func (a *Acts) course(values []chart.Value) string {
	if len(values) == 0 {
		return ""
	}
	var recorded []note.Recorded
	for _, v := range values {
		at := v.At
		if v.Source == chart.FromVital {
			at = a.Say(store.Moment(at)) // in the practice's time
		}
		recorded = append(recorded, note.Recorded{Value: v.Text, Unit: v.Unit, At: at})
	}
	return note.Course(values[len(values)-1].Name, recorded, chart.ShownUnit)
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
		t.Tell(act.PinsEvent, e.Code, "")
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
				out = append(out, note.Point{Kind: "coding", Part: note.Assessment, Says: x.Says, Why: x.Quote + " (" + x.Source + ")",
					Ref: "advice." + x.Key, Stops: x.Stops})
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
	Later string `json:"later" doc:"The code after active treatment, where the text leaves open whether that is over; the code itself is of active treatment. Else empty"`
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
func (a *Acts) Unspoken(c Case, blocks []note.Block) (out []note.Point, err error) {
	if a.Reader == nil || len(c.Diagnoses) == 0 {
		return nil, nil
	}
	r, err := a.Reader()
	if err != nil {
		return nil, err
	}
	ordered := map[string]bool{}
	for _, x := range c.Record.Here() {
		for _, code := range x.Diagnoses {
			ordered[code] = ordered[code] || !x.Prepared
		}
	}
	var silent []string
	for _, d := range c.Diagnoses {
		if said := slices.ContainsFunc(blocks, func(b note.Block) bool { return b.Ref == "diagnosis."+d.Code }); !said && !ordered[d.Code] {
			silent = append(silent, d.Code)
		}
	}
	silent = r.Unspoken(passages(blocks), silent)
	for _, d := range c.Diagnoses {
		if slices.Contains(silent, d.Code) {
			out = append(out, note.Point{Kind: "unsupported", Part: note.Assessment,
				Says: "Nothing in the note speaks for " + d.Code + ", " + d.Title,
				Why:  "No word of it that was written or looked at today, nothing said of it, no test ordered for it", Ref: "diagnosis." + d.Code})
		}
	}
	return out, nil
}

// Supported reads the draft for codes that its list lacks. Carried text that nobody
// looked at is not read, nor what the list says itself.
func (a *Acts) Supported(c Case, blocks []note.Block) ([]SupportedView, error) {
	out := []SupportedView{}
	if a.Reader == nil {
		return out, nil
	}
	r, err := a.Reader()
	if err != nil {
		return out, err
	}
	lib, _, err := a.Codes()
	if err != nil {
		return out, err
	}
	codes := c.Codes()
	found := r.Read(passages(blocks), coding.Visit{Sex: c.Visit.Patient.Sex, Months: c.Record.Months()})
	away := func(s coding.Supported) bool {
		return len(out) >= atMost || slices.ContainsFunc(c.Answered, func(x store.AdviceAnswer) bool { return x.Key == DismissedKey+s.Code })
	}
	named := slices.Clone(codes)
	for _, s := range found {
		named = append(named, s.Code)
		if s.Later.Code != "" && slices.Contains(codes, s.Later.Code) {
			continue
		}
		if !away(s) && r.Adds(codes, s) {
			out = append(out, SupportedView{Code: s.Code, Title: s.Title, Words: s.Words, Part: s.Part, Later: s.Later.Code})
		}
	}
	edition, _ := lib.On(c.Visit.Day)
	for _, s := range coding.FromChart(edition, named, c.Record) {
		if away(s) {
			continue
		}
		// A more specific code takes the place of the one the text alone supports.
		out = slices.DeleteFunc(out, func(x SupportedView) bool { return x.Code == s.Code || x.Code[:3] == s.Code[:3] && s.Code[0] != 'Z' })
		out = append(out, SupportedView{Code: s.Code, Title: s.Title, Words: s.Words, Part: "chart"})
	}
	return out, nil
}

// Unkept holds what the plan's words promise against orders, medicines and tests done.
func (a *Acts) Unkept(q *store.Q, c Case, blocks []note.Block) ([]note.Point, error) {
	plan := ""
	for _, b := range blocks {
		if b.Part == note.Plan && b.Ref != "given" {
			plan += b.Text() + "\n"
		}
	}
	p := note.Promised{Tests: a.Laboratory("").Tests, Medicines: a.Medicines.ToldIn(plan), Back: len(c.FollowUps) > 0}
	for _, m := range c.Record.Medicines {
		p.Active = append(p.Active, m.Name+" "+strings.Join(a.Medicines.Ingredients(m.Name), " "))
	}
	for _, x := range c.Record.InHand {
		if x.Prepared || x.VisitID == c.Visit.ID {
			p.Ordered = append(p.Ordered, x.Code)
		}
	}
	for _, x := range a.House.Vaccines {
		p.Vaccines = append(p.Vaccines, x.Words())
		if slices.ContainsFunc(c.Given, func(g chart.Immunization) bool { return g.CVX == x.CVX }) {
			p.Given = append(p.Given, x.Words())
		}
	}
	for _, r := range c.Tests {
		p.House = append(p.House, r.Title)
	}
	documents, err := q.DocumentsOf(c.Note.PatientID)
	p.Referred = slices.ContainsFunc(documents, func(d store.Document) bool {
		return d.NoteID == c.Note.ID && strings.HasPrefix(d.Form, letter.FromLetter) && strings.Contains(d.Form, "referral")
	})
	if err != nil {
		return nil, err
	}
	referrals, err := q.FurtherOf(c.Note.PatientID, store.ReferralOrder)
	for _, r := range referrals {
		if r.VisitID == c.Visit.ID && r.State != "cancelled" {
			var k struct{ Item *struct{ ID, Name string } }
			if json.Unmarshal(r.Detail, &k) == nil && k.Item != nil {
				p.Pictures = append(p.Pictures, k.Item.Name)
				if x, ok := a.Orderables.Item(k.Item.ID); ok && x.Vaccine != nil {
					p.Given = append(p.Given, x.Vaccine.Words())
				}
				continue
			}
			p.Referred = true
			p.Imaged = p.Imaged || strings.Contains(strings.ToLower(string(r.Detail)), "imaging")
		}
	}
	return append(unsigned(c.Record.Here()), note.Unkept(plan, p)...), err
}

// unsigned names the orders of a visit that are prepared: in hand, and not sent.
func unsigned(here []chart.InHand) (out []note.Point) {
	names := map[string][]string{}
	var ids []string
	for _, x := range here {
		if x.Prepared {
			if names[x.OrderID] == nil {
				ids = append(ids, x.OrderID)
			}
			names[x.OrderID] = append(names[x.OrderID], x.Name)
		}
	}
	for _, id := range ids {
		out = append(out, note.Point{Kind: "promise", Part: note.Plan,
			Says: "An order is prepared and not signed: " + note.List(names[id], "and"),
			Why:  "It is not sent until a physician signs it", Ref: "prepared." + id})
	}
	return out
}
