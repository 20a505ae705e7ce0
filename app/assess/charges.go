package assess

import (
	"context"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/note"
	"deftledger/exchange/fhir"
	"deftledger/exchange/table"
	"deftledger/store"
)

// ChargesView is the charges of a visit: the lines, the level its note supports and
// why, what fits on the claim and what is doubtful.
type ChargesView struct {
	Lines      []coding.Charge  `json:"lines"`
	Version    int              `json:"version"`
	Facts      coding.Facts     `json:"facts" doc:"What is documented towards the level"`
	Suggested  coding.Facts     `json:"suggested" doc:"What the chart itself shows of it"`
	Level      coding.Level     `json:"level"`
	Preventive string           `json:"preventive" doc:"The preventive visit of this age"`
	Fit        coding.ClaimFit  `json:"fit"`
	Doubts     []string         `json:"doubts"`
	Source     string           `json:"source"`
	Signed     bool             `json:"signed"`
	Problems   []ProblemChoice  `json:"problems"`
	Kinds      []Choice         `json:"kinds"`
	Risks      []Choice         `json:"risks"`
	Usual      []coding.Service `json:"usual" doc:"Charged most here lately, more so with these diagnoses"`
}

// Choice is one of several to choose from.
type Choice struct {
	Key   string `json:"key"`
	Words string `json:"words"`
}

// ProblemChoice is a diagnosis of the visit with what it is taken for; nobody is asked
// to believe it silently.
type ProblemChoice struct {
	Code  string             `json:"code"`
	Title string             `json:"title"`
	Kind  coding.ProblemKind `json:"kind"`
	Why   string             `json:"why"`
}

// Charges reads the charges of a visit.
func (a *Acts) Charges(ctx context.Context, who act.Actor, noteID string) (out ChargesView, err error) {
	patient := ""
	err = a.Look(ctx, who, act.WriteNote, func(q *store.Q) error {
		c, err := a.Case(q, noteID)
		if err == nil {
			patient = c.Note.PatientID
			out, err = a.ChargesIn(q, c)
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open note", patient, noteID)
	}
	return out, err
}

// ChargesIn reads the charges of a case within an act.
func (a *Acts) ChargesIn(q *store.Q, c Case) (ChargesView, error) {
	out := ChargesView{Lines: []coding.Charge{}, Problems: []ProblemChoice{}, Kinds: []Choice{}, Risks: []Choice{}, Doubts: []string{},
		Usual: []coding.Service{}, Source: coding.SourceOfLevels}
	out.Signed = c.Note.Folio > 0
	kept := c.Charges
	var err error
	if out.Suggested, err = a.documented(q, c); err != nil {
		return out, err
	}
	out.Lines, out.Version, out.Facts = append(out.Lines, kept.Lines...), kept.Version, kept.Facts
	if kept.Version == 0 {
		out.Facts = out.Suggested
	}
	byCode := map[string]coding.ProblemKind{}
	for _, p := range kept.Facts.Problems {
		byCode[p.Code] = p.Kind
	}
	out.Facts.Problems = []coding.Addressed{}
	codes := c.Codes()
	for _, d := range c.Diagnoses {
		kind, why := note.Rated(c.Said[d.Code], d.Code)
		if k := byCode[d.Code]; k != "" && k != coding.Unrated {
			kind, why = k, "rated by a person"
		}
		out.Problems = append(out.Problems, ProblemChoice{Code: d.Code, Title: d.Title, Kind: kind, Why: why})
		out.Facts.Problems = append(out.Facts.Problems, coding.Addressed{Code: d.Code, Kind: kind})
	}
	kinds, words := coding.ProblemKinds()
	for i, k := range kinds {
		out.Kinds = append(out.Kinds, Choice{string(k), words[i]})
	}
	for _, r := range coding.Risks {
		out.Risks = append(out.Risks, Choice{string(r.Kind), r.Words})
	}
	out.Level = coding.VisitLevel(out.Facts)
	months := c.Record.Months()
	out.Preventive = coding.Preventive(out.Facts.New, months)
	out.Fit = coding.Fit(codes, out.Lines)
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	services := l.Priced
	var categories []string
	for _, c := range codes {
		categories = append(categories, c[:3])
	}
	used, err := q.ServicesUsed(categories, 12)
	if err != nil {
		return out, err
	}
	for _, c := range used {
		if s, ok := services[c]; ok && s.Kind != "visit" && s.Kind != "preventive" && len(out.Usual) < 6 &&
			!slices.ContainsFunc(out.Lines, func(l coding.Charge) bool { return l.Code == c }) {
			out.Usual = append(out.Usual, s)
		}
	}
	out.Doubts = append(out.Doubts, coding.CheckCharges(out.Lines, codes, services, months)...)
	for _, l := range out.Lines {
		if s := services[l.Code]; s.Kind == "visit" && l.Code != out.Level.Code && l.Code != "99211" {
			out.Doubts = append(out.Doubts, l.Code+" is charged, and what is documented supports "+orNothing(out.Level.Code))
		}
	}
	return out, nil
}

func orNothing(code string) string {
	if code == "" {
		return "no level yet"
	}
	return code
}

// documented counts what the chart itself shows towards the level: whether the patient
// is new, tests ordered at the visit, results signed on its day. The rest a person says.
func (a *Acts) documented(q *store.Q, c Case) (coding.Facts, error) {
	n, v := c.Note, c.Visit
	f := coding.Facts{Problems: []coding.Addressed{}, New: !c.Record.Seen(v.StartsAt.AddDate(-3, 0, 0), v.StartsAt)}
	ordered := map[string]bool{}
	for _, x := range c.Record.Here() {
		if !x.Prepared {
			ordered[x.Code] = true
		}
	}
	f.Orders = len(ordered)
	day, err := time.ParseInLocation(time.DateOnly, v.Day, a.Location)
	if err != nil {
		return f, err
	}
	f.Results, err = q.ReviewedOn(n.PatientID, day, day.AddDate(0, 0, 1))
	return f, err
}

// AddCharge charges a service besides those charged already, as it is proposed.
func (a *Acts) AddCharge(ctx context.Context, who act.Actor, noteID, code string, was int) (out ChargesView, err error) {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return out, err
	}
	set, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	code = strings.ToUpper(strings.TrimSpace(code))
	if _, ok := set.Priced[code]; !ok {
		return out, notCharged(set.Services, code)
	}
	err = a.OnDraft(ctx, who, noteID, "add a charge", func(t *act.Tx, _ store.Note, _ store.Visit) error {
		c, err := a.Case(t.Q, noteID)
		if err != nil {
			return err
		}
		now, err := a.ChargesIn(t.Q, c)
		if err != nil {
			return err
		}
		lines := append(now.Lines, coding.Proposed(code, now.Lines, c.Codes(), set.Priced))
		if err := t.PutCharges(noteID, store.Charges{Lines: lines, Facts: now.Facts, ByID: who.ID, At: t.Now}, was); err != nil {
			return act.Stale(err, "The list of charges")
		}
		if c, err = a.Case(t.Q, noteID); err == nil {
			out, err = a.ChargesIn(t.Q, c)
		}
		return err
	})
	return out, err
}

// notCharged refuses a code that is not in the list of services.
func notCharged(services []coding.Service, code string) error {
	return act.Refuse(act.Invalid, "%q is not in the list of services%s. An administrator loads the clinic's licensed list under Forms.", code,
		nearest(services, code))
}

// SetCharges keeps the lines of charges and what is documented towards the level.
func (a *Acts) SetCharges(ctx context.Context, who act.Actor, noteID string, lines []coding.Charge, facts coding.Facts,
	was int) (out ChargesView, err error) {
	set, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	for i := range lines {
		l := &lines[i]
		l.Code = strings.ToUpper(strings.TrimSpace(l.Code))
		if _, ok := set.Priced[l.Code]; !ok {
			return out, notCharged(set.Services, l.Code)
		}
		if l.Units < 1 || l.Units > 999 {
			return out, act.Refuse(act.Invalid, "%s: one to 999 units.", l.Code)
		}
		if len(l.Pointers) > coding.ServicePointers {
			return out, act.Refuse(act.Invalid, "%s points at %d diagnoses; %d fit on a line.", l.Code, len(l.Pointers), coding.ServicePointers)
		}
		if l.Modifiers == nil {
			l.Modifiers = []string{}
		}
		if l.Pointers == nil {
			l.Pointers = []string{}
		}
	}
	if facts.Minutes < 0 || facts.Minutes > 600 || facts.ExternalNotes < 0 || facts.Results < 0 || facts.Orders < 0 {
		return out, act.Refuse(act.Invalid, "Numbers of notes, results, orders and minutes are not below zero, and minutes not above 600.")
	}
	err = a.OnDraft(ctx, who, noteID, "set charges", func(t *act.Tx, _ store.Note, _ store.Visit) error {
		if err := t.PutCharges(noteID, store.Charges{Lines: lines, Facts: facts, ByID: who.ID, At: t.Now}, was); err != nil {
			return act.Stale(err, "The list of charges")
		}
		c, err := a.Case(t.Q, noteID)
		if err == nil {
			out, err = a.ChargesIn(t.Q, c)
		}
		return err
	})
	return out, err
}

// nearest names the services whose codes begin like one that is not there.
func nearest(services []coding.Service, code string) string {
	for n := min(len(code), 4); n > 1; n-- {
		var like []string
		for _, s := range services {
			if strings.HasPrefix(s.Code, code[:n]) && len(like) < 3 {
				like = append(like, s.Code)
			}
		}
		if len(like) > 0 {
			return "; the nearest are " + note.List(like, "and")
		}
	}
	return ""
}

// FindServices finds services by letters of their words or by code.
func (a *Acts) FindServices(who act.Actor, query string) ([]coding.Service, error) {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return nil, err
	}
	out := []coding.Service{}
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	for _, s := range l.Services {
		if len(out) < 12 && chart.WordsBegin(s.Words+" "+s.Code, query) {
			out = append(out, s)
		}
	}
	return out, nil
}

// BillingFile gives out the charges of a signed visit as a file: a FHIR Claim as JSON,
// or a table as CSV.
func (a *Acts) BillingFile(ctx context.Context, who act.Actor, noteID, format string) (body []byte, err error) {
	set, err := a.Forms.Current()
	if err != nil {
		return nil, err
	}
	err = a.Act(ctx, who, act.WriteNote, func(t *act.Tx) error {
		n, v, err := act.NoteVisit(t.Q, noteID)
		if err != nil {
			return err
		}
		if n.Folio == 0 {
			return act.Refuse(act.Conflict, "The note is not signed: charges are handed to billing from a signed note.")
		}
		if v.NoteRetracted {
			return act.Refuse(act.Conflict, "The note was retracted: nothing of it is handed to billing.")
		}
		kept, err := t.ChargesOf(noteID)
		if err != nil {
			return err
		}
		if len(kept.Lines) == 0 {
			return act.Refuse(act.Conflict, "This visit has no charges.")
		}
		ds, err := t.Diagnoses(noteID)
		if err != nil {
			return err
		}
		var codes []string
		for _, d := range ds {
			codes = append(codes, d.Code)
		}
		on := coding.Fit(codes, kept.Lines).On
		p := v.Patient
		c := fhir.Claim{ID: noteID, Created: a.Say(t.Now), Service: v.Day, Practice: a.Practice, Clinician: v.Clinician,
			Patient: fhir.ClaimPatient{Record: p.Record, Family: p.Name.Family, Given: p.Name.Given, BirthDate: p.BirthDate,
				Gender: map[string]string{"F": "female", "M": "male", "O": "other"}[p.Sex]}}
		if c.Patient.Gender == "" {
			c.Patient.Gender = "unknown"
		}
		for _, d := range ds[:len(on)] {
			c.Diagnoses = append(c.Diagnoses, fhir.CodedText{Code: d.Code, Text: d.Title})
		}
		for _, l := range kept.Lines {
			line := fhir.ClaimLine{System: fhir.HCPCS, Code: l.Code, Text: set.Priced[l.Code].Words, Modifiers: l.Modifiers, Units: l.Units}
			if l.Code[0] >= '0' && l.Code[0] <= '9' {
				line.System = fhir.Licensed
			}
			for _, x := range l.Pointers {
				if i := slices.Index(on, x); i >= 0 {
					line.Diagnoses = append(line.Diagnoses, i+1)
				}
			}
			c.Lines = append(c.Lines, line)
		}
		if format == "csv" {
			if body, err = table.Write(c.Rows()); err != nil {
				return err
			}
		} else if body, err = c.Build(); err != nil {
			return err
		}
		if err := t.AddHandedToBilling(act.NewID(), noteID, format, who.ID, t.Now); err != nil {
			return err
		}
		return t.Audit("hand to billing", n.PatientID, noteID, format)
	})
	return body, err
}
