package note

import (
	"context"
	"errors"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/app/assess"
	"deftledger/app/forms"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/result"
	"deftledger/store"
)

// QuestionView is a question that applies now, with what was answered.
type QuestionView struct {
	Link    string        `json:"link"`
	Text    string        `json:"text"`
	Type    string        `json:"type"`
	Repeats bool          `json:"repeats"`
	Options []OptionView  `json:"options"`
	Symptom string        `json:"symptom" doc:"The symptom of the review of systems it asks for"`
	Values  []note.Answer `json:"values"`
	Version int           `json:"version"`
}

// OptionView is one offered answer.
type OptionView struct {
	Code    string `json:"code"`
	Display string `json:"display"`
	Alone   bool   `json:"alone" doc:"It stands alone among several answers"`
}

// InterviewView is an interview of a note.
type InterviewView struct {
	ID        string         `json:"id"`
	Title     string         `json:"title"`
	Version   int            `json:"version"`
	Questions []QuestionView `json:"questions"`
}

// Fitting is what the reason and the kind of visit bring.
type Fitting struct {
	Review      []string `json:"review"`
	Examination []string `json:"examination"`
	Plan        []string `json:"plan"`
}

// DrawingView is a drawing of a note.
type DrawingView struct {
	ID      string `json:"id"`
	Outline string `json:"outline"`
	Caption string `json:"caption"`
	Strokes string `json:"strokes"`
	SVG     string `json:"svg"`
	Version int    `json:"version"`
}

// BroughtView is a sentence brought in.
type BroughtView struct {
	note.Brought
	SourceNote string `json:"sourceNote"`
	Version    int    `json:"version"`
}

// draft is what a note is made of.
func (a *Acts) draft(c assess.Case, l *forms.Library) note.Draft {
	d := note.Draft{Typed: map[note.Part]string{}, Findings: c.Findings, Person: "A person of unknown age", Vitals: sayVitals(c.Vitals)}
	of := note.Of{Sex: c.Visit.Patient.Sex, Months: -1}
	if years, months, ok := chart.AgeOn(c.Visit.Patient.BirthDate, c.Visit.Day); ok {
		d.Person = note.Person(years, months, c.Visit.Patient.Sex)
		of.Months = 12*years + months
	}
	for _, p := range c.Parts {
		d.Typed[p.Part] = p.Text
	}
	for _, i := range c.Interviews {
		iv := l.Version(i.Form, i.Version)
		if iv == nil {
			continue
		}
		t := note.Taken{Interview: iv, Of: of}
		for _, x := range c.Answers {
			if x.Form == i.Form {
				t.Answers = append(t.Answers, x.Answered)
			}
		}
		d.Interviews = append(d.Interviews, t)
	}
	for _, x := range c.Carried {
		b := x.Brought
		if x.Origin == note.Carried {
			b.Source = x.SourceNote
		}
		if x.Changed {
			b.Origin = note.Typed
		}
		d.Brought = append(d.Brought, b)
	}
	for _, r := range c.Tests {
		d.Tests = append(d.Tests, result.Sentence(r.Title, r.Values))
	}
	for _, x := range c.Screens {
		d.Cared = append(d.Cared, x.Name+": "+strings.TrimPrefix(x.Total+", "+x.Says, ", ")+".")
	}
	for _, x := range c.Cared {
		if r, ok := a.Rulebook().Rule(x.Name); ok {
			d.Cared = append(d.Cared, r.SaysOf(x.Decision()))
		}
	}
	for _, g := range c.Given {
		d.Given = append(d.Given, g.Say(g.Name))
	}
	d.Stated, _ = a.Assess.Stated(c)
	for _, x := range c.Drawings {
		d.Drawings = append(d.Drawings, x.Caption)
	}
	return d
}

// drafted loads the case of a note and what the note is made of.
func (a *Acts) drafted(q *store.Q, n store.Note, v store.Visit, l *forms.Library) (note.Draft, error) {
	c, err := a.Assess.CaseOf(q, n, v)
	if err != nil {
		return note.Draft{}, err
	}
	return a.draft(c, l), nil
}

// sayVitals writes the vital signs of a visit in the order of entry; a blood
// pressure measured several times is written singly, with the mean.
func sayVitals(vs []chart.Vital) []note.Vital {
	var out []note.Vital
	kinds := append(slices.Clone(chart.VitalKinds), chart.VitalKind{LOINC: chart.BodyMass})
	for _, k := range kinds {
		by := map[note.Origin][]chart.Vital{}
		for _, v := range vs {
			if v.LOINC == k.LOINC {
				o := note.Typed
				if v.Origin == string(note.FromDev) {
					o = note.FromDev
				}
				by[o] = append(by[o], v)
			}
		}
		for _, o := range []note.Origin{note.Typed, note.FromDev} {
			list := by[o]
			if len(list) == 0 {
				continue
			}
			last := list[len(list)-1]
			value := last.Value
			if k.LOINC == chart.BloodPressure {
				var values []string
				for _, v := range list {
					values = append(values, v.Value)
				}
				value = note.List(values, "and")
				if mean, ok := chart.MeanPressure(values); ok {
					value += " mmHg, mean " + mean
				}
			}
			out = append(out, note.Vital{Name: last.Name, Value: value, Unit: chart.ShownUnit(last.Unit), Origin: o})
		}
	}
	return out
}

// Change changes a draft: it checks the right, refuses a signed note, runs the
// change and returns the note as it is then.
func (a *Acts) Change(ctx context.Context, who act.Actor, id, name string, f func(t *act.Tx, n store.Note, v store.Visit,
	l *forms.Library) error) (NoteView, error) {
	l, err := a.Forms.Current()
	if err != nil {
		return NoteView{}, err
	}
	if err := a.OnDraft(ctx, who, id, name, func(t *act.Tx, n store.Note, v store.Visit) error { return f(t, n, v, l) }); err != nil {
		return NoteView{}, err
	}
	return a.Note(ctx, who, id)
}

func asRefusal(err error) error {
	var f *note.Fault
	if errors.As(err, &f) {
		return act.Refuse(act.Invalid, "%s.", strings.ToUpper(f.Message[:1])+f.Message[1:])
	}
	return err
}

// AnyVersion is the version of a change that was made on no particular one: a line
// typed blind, or "all the rest", which never overrides what was said.
const AnyVersion = -1

// SetFindings makes changes to the findings of a draft.
func (a *Acts) SetFindings(ctx context.Context, who act.Actor, id string, changes []note.Change) (NoteView, error) {
	return a.Change(ctx, who, id, "set findings", func(t *act.Tx, n store.Note, v store.Visit, l *forms.Library) error {
		before, err := t.Findings(id)
		if err != nil {
			return err
		}
		about, err := a.about(t, id, v, l)
		if err != nil {
			return err
		}
		d := note.Draft{Findings: before}
		for _, c := range changes {
			if c.Bring {
				src, err := t.LastWith(n.PatientID, id, v.StartsAt, c.Area, c.System)
				if store.IsNotFound(err) {
					return act.Refuse(act.Missing, "No earlier visit has findings of %s. Take it out of the line; nothing of the line was entered.",
						systemName(l, c.Area, c.System))
				}
				if err != nil {
					return err
				}
				fs, err := t.Findings(src)
				if err != nil {
					return err
				}
				d.Findings = l.Systems.Forward(d, note.Source{Note: src, Findings: fs}, note.Wanted{Area: c.Area, System: c.System}).Findings
				continue
			}
			if c.Was != AnyVersion && c.Finding != "" {
				now := 0
				for _, f := range before {
					if f.Area == c.Area && f.System == c.System && f.Finding == c.Finding {
						now = f.Version
					}
				}
				if now != c.Was {
					return act.Stale(store.ErrStale, "This finding")
				}
			}
			if d.Findings, err = l.Systems.Apply(d.Findings, []note.Change{c}, about); err != nil {
				return asRefusal(err)
			}
		}
		return a.putFindings(t, id, before, d.Findings)
	})
}

func systemName(l *forms.Library, a note.Area, id string) string {
	if x, ok := l.Systems.System(a, id); ok {
		return strings.ToLower(x.Name)
	}
	return "that system"
}

// about says what "all the rest" must know of a note.
func (a *Acts) about(t *act.Tx, id string, v store.Visit, l *forms.Library) (note.About, error) {
	out := note.About{Sex: v.Patient.Sex}
	is, err := t.NoteInterviews(id)
	for _, i := range is {
		if iv := l.Version(i.Form, i.Version); iv != nil {
			out.Complaint = append(out.Complaint, iv.Prose.Complaint...)
		}
	}
	return out, err
}

// putFindings stores what is different.
func (a *Acts) putFindings(t *act.Tx, id string, before, after []note.Finding) error {
	had := map[string]note.Finding{}
	for _, f := range before {
		had[f.Key()] = f
	}
	var changed []note.Finding
	for _, f := range after {
		old, ok := had[f.Key()]
		delete(had, f.Key())
		if ok && old.State == f.State && old.Side == f.Side && old.Severity == f.Severity && old.Duration == f.Duration &&
			slices.Equal(old.Words, f.Words) && old.Remark == f.Remark && old.Origin == f.Origin && old.Looked == f.Looked &&
			old.SourceNote == f.SourceNote {
			continue
		}
		f.Version = old.Version
		changed = append(changed, f)
	}
	if err := t.PutFindings(id, changed, t.Who.ID, t.Now); err != nil {
		return err
	}
	for _, f := range had {
		if err := t.DropFinding(id, f); err != nil {
			return err
		}
	}
	return nil
}

// LineRead is a typed line of findings as it was understood.
type LineRead struct {
	Changes []note.Change `json:"changes"`
	Unread  []note.Unread `json:"unread"`
	Says    []string      `json:"says" doc:"How the findings would read"`
}

// ReadLine reads a typed line of findings without doing anything with it.
func (a *Acts) ReadLine(_ context.Context, who act.Actor, area note.Area, text string, rest []string, sex string) (LineRead, error) {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return LineRead{}, err
	}
	l, err := a.Forms.Current()
	if err != nil {
		return LineRead{}, err
	}
	out := LineRead{Says: []string{}}
	out.Changes, out.Unread = l.Systems.ReadLine(area, text, rest)
	for i, u := range out.Unread {
		if u.Could == nil {
			out.Unread[i].Could = []string{}
		}
	}
	var plain []note.Change
	for i, c := range out.Changes {
		out.Changes[i].Was = AnyVersion
		if c.Words == nil {
			out.Changes[i].Words = []string{}
		}
		if c.Rest == nil {
			out.Changes[i].Rest = []string{}
		}
		if c.Bring {
			if x, ok := l.Systems.System(area, c.System); ok {
				out.Says = append(out.Says, x.Name+": as at the last visit")
			}
			continue
		}
		plain = append(plain, c)
	}
	fs, err := l.Systems.Apply(nil, plain, note.About{Sex: sex})
	if err != nil {
		return out, asRefusal(err)
	}
	for _, b := range l.Systems.Compose(note.Draft{Findings: fs}) {
		out.Says = append(out.Says, b.Label+": "+b.Text())
	}
	for _, f := range fs {
		if f.State == note.LeftOut {
			if i, ok := l.Systems.Item(f.Area, f.System, f.Finding); ok {
				out.Says = append(out.Says, "Taken out: "+i.Say)
			}
		}
	}
	return out, nil
}

// Ask adds an interview to a draft, or takes it out with its answers.
func (a *Acts) Ask(ctx context.Context, who act.Actor, id, interview string, drop bool) (NoteView, error) {
	return a.Change(ctx, who, id, "choose questions", func(t *act.Tx, _ store.Note, _ store.Visit, l *forms.Library) error {
		if drop {
			return t.DropNoteInterview(id, interview)
		}
		v := l.Newest(interview)
		if v == nil {
			return act.Refuse(act.Missing, "There is no such interview.")
		}
		return t.AddNoteInterview(id, store.NoteInterview{Form: interview, Version: v.Version})
	})
}

// Answer answers a question of an interview; no values take the answer back. A
// symptom becomes a finding of the review of systems.
func (a *Acts) Answer(ctx context.Context, who act.Actor, id, interview, link string, values []note.Answer, was int) (NoteView, error) {
	return a.Change(ctx, who, id, "answer a question", func(t *act.Tx, _ store.Note, v store.Visit, l *forms.Library) error {
		return a.PutAnswer(t, l, id, v.Patient.Sex, interview, link, values, was, note.Chosen)
	})
}

// PutAnswer keeps an answer of an interview within an act; a symptom becomes a finding.
func (a *Acts) PutAnswer(t *act.Tx, l *forms.Library, id, sex, interview, link string, values []note.Answer, was int,
	origin note.Origin) error {
	is, err := t.NoteInterviews(id)
	if err != nil {
		return err
	}
	k := slices.IndexFunc(is, func(i store.NoteInterview) bool { return i.Form == interview })
	if k < 0 {
		return act.Refuse(act.Missing, "That interview is not asked in this note.")
	}
	iv := l.Version(interview, is[k].Version)
	if iv == nil {
		return act.Refuse(act.Missing, "There is no such interview.")
	}
	if err := iv.Check(link, values); err != nil {
		return asRefusal(err)
	}
	if y := iv.Symptom(link); y != "" {
		system, finding, _ := strings.Cut(y, ".")
		c := note.Change{Area: note.Review, System: system, Finding: finding, State: note.Absent}
		switch {
		case len(values) == 0:
			c.Clear = true
		case *values[0].Yes:
			c.State = note.Present
		}
		before, err := t.Findings(id)
		if err != nil {
			return err
		}
		after, err := l.Systems.Apply(before, []note.Change{c}, note.About{Sex: sex})
		if err != nil {
			return asRefusal(err)
		}
		if origin == note.ByPatient {
			for i, f := range after {
				if f.System == system && f.Finding == finding && f.Area == note.Review {
					after[i].Origin = origin
				}
			}
		}
		return a.putFindings(t, id, before, after)
	}
	if err := t.PutAnswer(id, store.NoteAnswer{Form: interview, Answered: note.Answered{Link: link, Values: values, Origin: origin}}, was,
		t.Who.ID, t.Now); err != nil {
		return act.Stale(err, "This answer")
	}
	return nil
}

// maxDrawing is the greatest size of a drawing's points, in bytes.
const maxDrawing = 600_000

// SaveDrawing keeps a drawing of a draft; without strokes it is taken out.
func (a *Acts) SaveDrawing(ctx context.Context, who act.Actor, id string, d DrawingView) (NoteView, error) {
	if len(d.Strokes) > maxDrawing {
		return NoteView{}, act.Refuse(act.TooLarge, "The drawing is too large to keep. Draw it in two.")
	}
	svg, err := note.DrawSVG(d.Outline, d.Strokes)
	if err != nil {
		return NoteView{}, act.Refuse(act.Invalid, "The drawing could not be read: %s.", err.Error())
	}
	if d.ID == "" {
		d.ID = act.NewID()
	}
	caption := chart.Tidy(d.Caption)
	if caption == "" {
		caption = map[string]string{"": "Drawing"}[d.Outline]
		if caption == "" {
			caption = "Drawing on the outline " + d.Outline
		}
	}
	return a.Change(ctx, who, id, "draw", func(t *act.Tx, _ store.Note, _ store.Visit, _ *forms.Library) error {
		strokes := d.Strokes
		if strings.TrimSpace(strokes) == "[]" {
			strokes = ""
		}
		return act.Stale(t.PutDrawing(store.Drawing{ID: d.ID, NoteID: id, Outline: d.Outline, Caption: caption, Strokes: strokes, SVG: svg},
			d.Version, who.ID, t.Now), "The drawing")
	})
}

// LeaveNote leaves a draft for a colleague, who answers for it from then on; the
// words say what is left to do. Only who answers for a draft leaves it; who may sign it takes
// it over for themself, and says why. What is signed then says who began it. Staff "" takes
// up a draft that was left for oneself.
func (a *Acts) LeaveNote(ctx context.Context, who act.Actor, id, staff, words string) (NoteView, error) {
	return a.Change(ctx, who, id, "leave note", func(t *act.Tx, n store.Note, _ store.Visit, _ *forms.Library) error {
		words = strings.TrimSpace(words)
		if staff == "" {
			if n.AuthorID != who.ID {
				return act.Refuse(act.Forbidden, "Whoever answers for this draft takes it up.")
			}
			return t.LeaveFor(id, "", "")
		}
		switch {
		case n.AuthorID == who.ID:
		case staff != who.ID:
			return act.Refuse(act.Forbidden, "Only who answers for this draft leaves it for another. Whoever may sign it can take it over.")
		case words == "":
			return act.Refuse(act.Invalid, "Say why you take this draft over.")
		default:
			names, err := t.StaffNames()
			if err != nil {
				return err
			}
			words = "Taken over from " + names[n.AuthorID] + ": " + words
		}
		to, err := t.StaffByID(staff)
		if err != nil || !to.Active || !act.May(to.Role, act.SignNote) {
			return act.Refuse(act.Invalid, "A note is left for somebody who may sign it.")
		}
		if err := t.LeaveFor(id, staff, words); err != nil {
			return err
		}
		if err := t.SetAuthor(id, staff); err != nil {
			return err
		}
		t.Tell(act.LineEvent, id, n.PatientID)
		return t.MoveLine(string(line.Note), id, staff)
	})
}
