package paper

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/app/forms"
	notes "deftledger/app/note"
	"deftledger/core/chart"
	"deftledger/core/letter"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/result"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// LettersView is what can be written to, or given to, the patient of a note and others.
type LettersView struct {
	Letters  []LetterView  `json:"letters"`
	Leaflets []LeafletView `json:"leaflets" doc:"Those of the diagnoses first"`
	Portal   bool          `json:"portal" doc:"The patient can be written to through the portal"`
	Messages []SentView    `json:"messages" doc:"Through the portal, newest first"`
}

// LetterView is a letter form, filled from this chart.
type LetterView struct {
	ID    string   `json:"id"`
	Title string   `json:"title"`
	To    string   `json:"to" enum:"colleague,patient,other"`
	Text  string   `json:"text"`
	Open  []string `json:"open" doc:"Fields that nobody filled"`
}

// LeafletView is a leaflet, and whether it was given at this visit.
type LeafletView struct {
	ID       string `json:"id"`
	Title    string `json:"title"`
	Source   string `json:"source"`
	Text     string `json:"text"`
	Fits     bool   `json:"fits" doc:"It is for a diagnosis of this visit"`
	Document string `json:"document" doc:"As it was given at this visit; empty when it was not"`
}

// Letters lists the letter forms, filled from the chart and the note as it reads now,
// the leaflets, and what was written through the portal.
func (a *Acts) Letters(ctx context.Context, who act.Actor, noteID string) (out LettersView, err error) {
	out = LettersView{Letters: []LetterView{}, Leaflets: []LeafletView{}, Messages: []SentView{}}
	if err := act.Allow(who, act.WriteNote); err != nil {
		return out, err
	}
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	v, err := a.Note.Note(ctx, who, noteID)
	if err != nil {
		return out, err
	}
	err = a.Store.Read(ctx, func(q *store.Q) error {
		values, err := a.letterValues(q, who, v)
		if err != nil {
			return err
		}
		for _, f := range l.Letters {
			x := LetterView{ID: f.ID, Title: f.Title, To: f.To, Text: f.Fill(values)}
			x.Open = append([]string{}, letter.Open(x.Text)...)
			out.Letters = append(out.Letters, x)
		}
		var codes []string
		for _, d := range v.Diagnoses {
			codes = append(codes, d.Code)
		}
		docs, err := q.DocumentsOf(v.Visit.Patient.ID)
		if err != nil {
			return err
		}
		fitting, rest := order.ForCodes(l.Leaflets, func(x letter.Leaflet) []string { return x.Codes }, codes)
		for i, x := range append(fitting, rest...) {
			view := LeafletView{ID: x.ID, Title: x.Title, Source: x.Source, Text: strings.TrimSpace(x.Text), Fits: i < len(fitting)}
			if i := slices.IndexFunc(docs, func(d store.Document) bool { return d.NoteID == noteID && d.Form == letter.FromLeaflet+x.ID }); i >= 0 {
				view.Document = docs[i].ID
			}
			out.Leaflets = append(out.Leaflets, view)
		}
		p, err := q.Person(v.Visit.Patient.ID)
		if err != nil {
			return err
		}
		out.Portal = p.UsesPortal && a.Elsewhere.Portal != ""
		out.Messages, err = a.MessagesOf(q, v.Visit.Patient.ID)
		return err
	})
	return out, err
}

// letterValues are the fields of letters from a chart and a note. What the chart does
// not hold is said as such: unknown is not none.
func (a *Acts) letterValues(q *store.Q, who act.Actor, v notes.NoteView) (map[string]string, error) {
	p := v.Visit.Patient
	out := map[string]string{
		"patient": p.Given + " " + p.Family, "born": chart.SayDay(p.BirthDate), "age": p.Age, "sex": p.Sex, "record": p.Record,
		"phone": act.OrUnknown(p.Phone, "not recorded"),
		"today": chart.SayDay(a.Today()), "visit": chart.SayDay(v.Visit.StartsAt[:min(10, len(v.Visit.StartsAt))]), "reason": v.Visit.Reason,
		"clinician": who.Name, "practice": a.Practice,
	}
	for _, part := range note.Parts {
		var lines []string
		for _, b := range v.Blocks {
			// What was carried and nobody looked at is not said to others.
			if text := b.LookedAt(); b.Part == part && text != "" {
				if b.Label != "" {
					text = b.Label + ": " + text
				}
				lines = append(lines, text)
			}
		}
		out[string(part)] = act.OrUnknown(strings.Join(lines, "\n"), "nothing written")
	}
	var diagnoses []string
	for _, d := range v.Diagnoses {
		diagnoses = append(diagnoses, d.Title+" ("+d.Code+")")
	}
	if len(diagnoses) > 0 {
		out["diagnosis"] = diagnoses[0]
	}
	out["diagnoses"] = strings.Join(diagnoses, "; ")
	says, _, err := a.fields(q, p.ID)
	if err != nil {
		return nil, err
	}
	maps.Copy(out, says)
	var vitals []string
	for _, b := range v.Blocks {
		if b.Ref == "vitals" {
			vitals = append(vitals, b.Text())
		}
	}
	out["vitals"] = act.OrUnknown(strings.Join(vitals, " "), "not taken")
	return out, nil
}

// flagSaid is how flags of HL7 table 0078 are said in a letter.
var flagSaid = map[string]string{"H": "high", "L": "low", "HH": "critically high", "LL": "critically low", "A": "abnormal",
	"AA": "critically abnormal"}

// recentResults says the newest final value of each quantity of the last year, day by
// day, the newest first. A letter carries so many; those with a flag are never left out,
// and what is left out is said.
func (a *Acts) recentResults(q *store.Q, patient string) (string, error) {
	const most = 20
	reports, err := q.ReportsOf(patient)
	if err != nil {
		return "", err
	}
	since := a.Clock().In(a.Location).AddDate(-1, 0, 0).Format(time.DateOnly)
	type value struct {
		day, says, flag string
		written         bool // nobody judged a text, and none is left out
	}
	var values []value
	seen := map[string]bool{}
	flagged := 0
	for _, r := range reports { // newest first
		if len(r.CollectedAt) < 10 || r.CollectedAt[:10] < since || r.Status != "F" && r.Status != "C" {
			continue
		}
		for _, v := range result.Quoted(r.Values, r.Details.Parent) {
			if seen[v.Name] || v.Text == "" || !result.Live(v.Status) {
				continue
			}
			seen[v.Name] = true
			x := value{r.CollectedAt[:10], strings.TrimSpace(v.Name + " " + v.Text + " " + chart.ShownUnit(v.Unit)), flagOf(result.Stand(v)), strings.HasSuffix(v.Name, ":")}
			if x.flag != "" && x.flag != "N" {
				said := flagSaid[x.flag]
				x.says += " (" + act.OrUnknown(said, x.flag) + ")"
				flagged++
			}
			values = append(values, x)
		}
	}
	room := most - flagged
	var days []string
	byDay := map[string][]string{}
	left := 0
	for _, v := range values {
		if !v.written && (v.flag == "" || v.flag == "N") {
			if room <= 0 {
				left++
				continue
			}
			room--
		}
		if byDay[v.day] == nil {
			days = append(days, v.day)
		}
		byDay[v.day] = append(byDay[v.day], v.says)
	}
	var out []string
	for _, d := range days {
		out = append(out, chart.SayDay(d)+": "+strings.Join(byDay[d], ", "))
	}
	if left > 0 {
		out = append(out, fmt.Sprintf("%d more without a flag", left))
	}
	return act.OrUnknown(strings.Join(out, "; "), "none of the last year"), nil
}

// Letter is a letter as it is to be signed.
type Letter struct {
	Form string `json:"form" maxLength:"40"`
	To   string `json:"to,omitempty" maxLength:"300" doc:"Name and address of who gets it"`
	Text string `json:"text" maxLength:"20000"`
}

// SignLetter signs and files a letter of a visit and returns it as a document. It is
// refused while a field is open.
func (a *Acts) SignLetter(ctx context.Context, who act.Actor, noteID, secret string, x Letter) (out DocumentView, err error) {
	if err := act.Allow(who, act.SignNote); err != nil {
		return out, err
	}
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	i := slices.IndexFunc(l.Letters, func(f letter.Form) bool { return f.ID == x.Form })
	if i < 0 {
		return out, act.Refuse(act.Missing, "There is no such letter.")
	}
	form := l.Letters[i]
	x.Text = strings.TrimSpace(x.Text)
	if open := letter.Open(x.Text); len(open) > 0 {
		return out, act.Refuse(act.Invalid, "The letter has an open field: %s. Fill it in, or take it out.", note.List(open, "and"))
	}
	if x.Text == "" {
		return out, act.Refuse(act.Invalid, "The letter is empty.")
	}
	if err := a.OpenSigning(ctx, &who, secret); err != nil {
		return out, err
	}
	heading := "To whom it may concern"
	if x.To = strings.TrimSpace(x.To); x.To != "" {
		heading = "To " + x.To
	} else if form.To == letter.Patient {
		heading = ""
	}
	err = a.Act(ctx, who, act.SignNote, func(t *act.Tx) error {
		out, err = a.fileLetter(t, noteID, form.Title, letter.FromLetter+form.ID, pdf.Section{Heading: heading, Text: x.Text}, true)
		return err
	})
	return out, err
}

// fileLetter files a letter or leaflet of a visit as a document, signed or not.
func (a *Acts) fileLetter(t *act.Tx, noteID, title, form string, s pdf.Section, sign bool) (DocumentView, error) {
	n, v, err := act.NoteVisit(t.Q, noteID)
	if err != nil {
		return DocumentView{}, err
	}
	doc := store.Document{ID: act.NewID(), PatientID: n.PatientID, NoteID: noteID, Title: title, MadeBy: t.Who.ID, MadeAt: t.Now, Form: form}
	entry := pdf.Entry{Sections: []pdf.Section{s}}
	if sign {
		e, err := t.Seal(n.PatientID, "letter", doc.ID, 0, sealedLetter{title, s.Heading, s.Text})
		if err != nil {
			return DocumentView{}, err
		}
		doc.Folio = e.Folio
		entry.Folio, entry.SignedBy, entry.SignedAt, entry.Hash = e.Folio, e.SignerName, e.SignedAt, e.Hash
	}
	d := pdf.Document{Practice: a.Practice, Title: title, Patient: v.Patient.Name.Given + " " + v.Patient.Name.Family,
		Identity: "born " + chart.SayDay(v.Patient.BirthDate), Visit: a.Say(t.Now), Entries: []pdf.Entry{entry}}
	d.Unsigned = !sign
	if doc.PDF, err = pdf.Render(d); err != nil {
		return DocumentView{}, err
	}
	if err := t.AddDocument(doc); err != nil {
		return DocumentView{}, err
	}
	t.Tell(act.PatientEvent, n.PatientID, n.PatientID)
	return DocumentView{ID: doc.ID, Title: doc.Title, At: a.Say(doc.MadeAt), By: t.Who.Name, Folio: doc.Folio},
		t.Audit("file "+strings.Fields(form)[0], n.PatientID, doc.ID, "")
}

// GiveLeaflet files a leaflet as given at a visit, once, and returns it for printing; a
// draft says so in its plan.
func (a *Acts) GiveLeaflet(ctx context.Context, who act.Actor, noteID, id string) (out DocumentView, err error) {
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	err = a.Act(ctx, who, act.WriteNote, func(t *act.Tx) error {
		n, _, err := act.NoteVisit(t.Q, noteID)
		if err != nil {
			return err
		}
		out, err = a.PutLeaflet(t, l, n, id, n.Folio == 0)
		return err
	})
	return out, err
}

// PutLeaflet files a leaflet as given; with say, the plan says so too.
func (a *Acts) PutLeaflet(t *act.Tx, l *forms.Library, n store.Note, id string, say bool) (DocumentView, error) {
	i := slices.IndexFunc(l.Leaflets, func(x letter.Leaflet) bool { return x.ID == id })
	if i < 0 {
		return DocumentView{}, act.Refuse(act.Missing, "There is no such leaflet.")
	}
	x := l.Leaflets[i]
	docs, err := t.DocumentsOf(n.PatientID)
	if err != nil {
		return DocumentView{}, err
	}
	for _, d := range docs {
		if d.NoteID == n.ID && d.Form == letter.FromLeaflet+x.ID {
			names, err := t.StaffNames()
			return DocumentView{ID: d.ID, Title: d.Title, At: a.Say(d.MadeAt), By: names[d.MadeBy]}, err
		}
	}
	if say {
		c := store.CarriedSentence{Brought: note.Brought{ID: act.NewID(), Part: note.Plan, Text: order.LeafletGiven + x.Title + ".",
			Origin: note.Chosen, Source: "leaflet", Looked: true}}
		if _, err := t.AddCarried(n.ID, c, t.Who.ID, t.Now); err != nil {
			return DocumentView{}, err
		}
		t.Tell(act.NoteEvent, n.ID, n.PatientID)
	}
	return a.fileLetter(t, n.ID, "Leaflet: "+x.Title, letter.FromLeaflet+x.ID,
		pdf.Section{Text: strings.TrimSpace(x.Text) + "\n\nAfter: " + x.Source}, false)
}

// flagOf is where a value stands as one flag; "" for in range and for what was not judged.
func flagOf(s result.Standing) string {
	switch {
	case s.Side == result.Above && s.Critical:
		return "HH"
	case s.Side == result.Above:
		return "H"
	case s.Side == result.Below && s.Critical:
		return "LL"
	case s.Side == result.Below:
		return "L"
	case s.Critical:
		return "AA"
	case s.Abnormal:
		return "A"
	}
	return ""
}
