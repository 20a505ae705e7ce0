package packet

import (
	"context"
	"slices"
	"strings"

	"deftledger/app/act"
	results "deftledger/app/result"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/recall"
	"deftledger/core/result"
	"deftledger/core/safety"
	"deftledger/store"
)

// PacketView is a packet open on the page: what of one patient waits for a person, those they cover for and their team.
type PacketView struct {
	Patient  act.PatientView       `json:"patient"`
	Reports  []PacketReport        `json:"reports" doc:"Gravest first"`
	Others   []OtherReport         `json:"others" doc:"Reports of this patient that somebody else answers for"`
	Ways     []TellWay             `json:"ways" doc:"How the patient can be told"`
	HandTo   []HandTo              `json:"handTo" doc:"Those to whom one can be handed, whoever was last handed one first"`
	Until    string                `json:"until" doc:"The day that is offered for a hand-over"`
	Care     []safety.Warning      `json:"care"`
	Beside   []results.BearingView `json:"beside"`
	Unread   []string              `json:"unread"`
	Opening  string                `json:"opening" doc:"How a letter to the patient begins"`
	Closing  string                `json:"closing" doc:"How it ends"`
	Draft    NoteAt                `json:"draft" doc:"Today's note that is not signed"`
	Signed   NoteAt                `json:"signed" doc:"The newest note that is signed"`
	Snippets []note.Snippet        `json:"snippets" doc:"One's own before the clinic's, with the values of these reports in their fields"`
	Called   []results.CalledView  `json:"called" doc:"Critical values of this patient that a laboratory told by telephone, and no report was joined to"`
}

// PacketReport is a report of a packet.
type PacketReport struct {
	results.ReportView
	Handed []HandedView `json:"handed" doc:"To whom it was handed, newest first"`
	Line   string       `json:"line" doc:"As a line of a note; of a text that it came"`
	Desk   string       `json:"desk" doc:"What the front desk may tell of it"`
	Tells  []TellView   `json:"tells" doc:"What a letter says of it, by what it means"`
}

// NoteAt is a note of the patient; empty for none.
type NoteAt struct {
	ID    string `json:"id"`
	Visit string `json:"visit"`
	Says  string `json:"says" doc:"Its kind of visit, and the day"`
}

// notesOf are today's draft and the newest signed note of a patient, which a result may go into.
func (a *Acts) notesOf(q *store.Q, patient string) (draft, signed NoteAt, err error) {
	visits, err := q.VisitsOf(patient)
	for _, v := range visits {
		at := NoteAt{v.NoteID, v.ID, v.Kind + ", " + chart.SayDay(v.Day)}
		switch {
		case v.NoteID == "" || v.NoteRetracted:
		case v.NoteFolio == 0 && v.Day == a.Today() && draft.ID == "":
			draft = at
		case v.NoteFolio > 0 && signed.ID == "":
			signed = at
		}
	}
	return draft, signed, err
}

// HandTo is one of us, or a team.
type HandTo struct {
	ID   string `json:"id"`
	Name string `json:"name" doc:"With the role"`
	Team bool   `json:"team"`
}

// TellView is what a letter says of a report.
type TellView struct {
	Meaning result.Meaning `json:"meaning" enum:",good news,nothing to do,something follows"`
	Says    string         `json:"says"`
}

// OtherReport is a report of the patient that somebody else answers for.
type OtherReport struct {
	ID    string `json:"id"`
	Title string `json:"title"`
	Owner string `json:"owner"`
}

// TellWay is a way of telling a patient.
type TellWay struct {
	Way  string `json:"way" enum:"portal,letter,telephone,in person,call,visit,not told"`
	Says string `json:"says"`
	Not  string `json:"not" doc:"Why it cannot be chosen; empty where it can"`
}

// ways are the ways of telling, in order.
var ways = []struct{ way, says string }{{"portal", "Message through the portal"}, {"letter", "Letter"}, {"telephone", "Told by telephone"}, {"in person", "Told in person"},
	{"call", "To be called"}, {"visit", "At the visit"}, {"not told", "Not told, because…"}}

// days are for how long a hand-over is offered.
const days = 3

// Open opens the packet of a patient, or only one report of theirs, whoever answers for it. Looking is recorded and closes nothing.
func (a *Acts) Open(ctx context.Context, who act.Actor, patient, only string) (out PacketView, err error) {
	out = PacketView{Reports: []PacketReport{}, Others: []OtherReport{}, Ways: []TellWay{}, HandTo: []HandTo{}, Care: []safety.Warning{}, Beside: []results.BearingView{}, Unread: []string{}, Called: []results.CalledView{}, Snippets: []note.Snippet{}}
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		out.Patient = a.Patient(p)
		mine, others, err := a.waiting(q, who, patient)
		if err != nil {
			return err
		}
		out.Others = append(out.Others, others...)
		if only != "" {
			mine, out.Others = []string{only}, []OtherReport{}
		}
		handed, last, err := a.handed(q, who, patient)
		if err != nil {
			return err
		}
		together, err := a.Result.Together(q, who, mine)
		if err != nil {
			return err
		}
		if only != "" && (len(together.Reports) == 0 || !act.SamePerson(q, together.Reports[0].Patient.ID, patient)) {
			return act.Refuse(act.Missing, "There is no such report in this chart.")
		}
		if out.Draft, out.Signed, err = a.notesOf(q, p.ID); err != nil {
			return err
		}
		words, err := a.deskOf(q, p.ID, together.Stored)
		if err != nil {
			return err
		}
		if out.Called, err = a.Result.CalledOpen(q, p.ID); err != nil {
			return err
		}
		for i, r := range together.Reports {
			v := PacketReport{ReportView: r, Handed: handed[r.ID], Desk: words[r.ID], Line: result.Line(r.Title, dayOf(together.Stored[i]), together.Stored[i].Performer, together.Stored[i].Values), Tells: []TellView{}}
			if v.Handed == nil {
				v.Handed = []HandedView{}
			}
			tells := result.TellAll(r.Title, dayOf(together.Stored[i]), together.Stored[i].Values, a.Telephone)
			for _, m := range append([]result.Meaning{result.Unsaid}, result.Meanings...) {
				v.Tells = append(v.Tells, TellView{m, tells[m]})
			}
			out.Reports = append(out.Reports, v)
		}
		var values []result.Value
		for _, r := range together.Stored {
			values = append(values, r.Values...)
		}
		snippets, err := a.Paper.Forms.SnippetsOf(who.ID)
		if err != nil {
			return err
		}
		for _, s := range snippets {
			s.Text = result.Fill(s.Text, values)
			out.Snippets = append(out.Snippets, s)
		}
		if len(out.Reports) > 0 {
			out.Care, out.Beside, out.Unread = together.Care, together.Beside, together.Unread
		}
		to, err := a.address(q, p)
		if err != nil {
			return err
		}
		out.Opening, out.Closing = to.Greeting, a.Practice
		for _, w := range ways {
			out.Ways = append(out.Ways, TellWay{w.way, w.says, a.notBy(w.way, p, to)})
		}
		staff, err := q.AllStaff()
		if err != nil {
			return err
		}
		for _, s := range staff {
			if s.Active && s.ID != who.ID && act.May(s.Role, act.SeeResults) {
				out.HandTo = append(out.HandTo, HandTo{ID: s.ID, Name: s.Given + " " + s.Family + ", " + s.Role})
			}
		}
		teams, err := q.Teams()
		if err != nil {
			return err
		}
		for _, c := range teams {
			if len(c.Members) > 0 {
				out.HandTo = append(out.HandTo, HandTo{ID: c.ID, Name: c.Name + ", a team", Team: true})
			}
		}
		first := func(n HandTo) int {
			switch {
			case n.ID == last[who.ID]:
				return 0
			case strings.HasSuffix(n.Name, act.Assistant):
				return 1
			case strings.HasSuffix(n.Name, act.Nurse):
				return 2
			}
			return 3
		}
		slices.SortStableFunc(out.HandTo, func(x, y HandTo) int { return first(x) - first(y) })
		out.Until = a.Clock().In(a.Location).AddDate(0, 0, days).Format("2006-01-02")
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "open packet", out.Patient.ID, "")
	}
	return out, err
}

// dayOf is the day on which a report was collected, as people say it; "" where it is not known to the day.
func dayOf(r store.Report) string {
	if len(r.CollectedAt) < len("2006-01-02") {
		return ""
	}
	return chart.SayDay(r.CollectedAt[:len("2006-01-02")])
}

// waiting are the reports of a patient that wait for a person, those they cover for and nobody else, gravest first; and those of others.
func (a *Acts) waiting(q *store.Q, who act.Actor, patient string) (mine []string, others []OtherReport, err error) {
	lines, err := q.OpenLinesAbout(patient)
	if err != nil {
		return nil, nil, err
	}
	beside, err := q.Beside(who.ID, a.Today())
	if err != nil {
		return nil, nil, err
	}
	names, err := q.StaffNames()
	if err != nil {
		return nil, nil, err
	}
	slices.SortStableFunc(lines, func(x, y store.Line) int { return x.Rank - y.Rank })
	var theirs []string
	owner := map[string]string{}
	for _, l := range lines {
		switch {
		case l.Kind != line.Report:
		case l.OwnerID == "" || l.OwnerID == who.ID || slices.Contains(beside.Covers, l.OwnerID):
			mine = append(mine, l.Subject)
		default:
			theirs = append(theirs, l.Subject)
			owner[l.Subject] = names[l.OwnerID]
		}
	}
	heads, err := q.ReportHeads(theirs)
	for _, id := range theirs {
		others = append(others, OtherReport{id, heads[id].Title, owner[id]})
	}
	return mine, others, err
}

// address is to whom mail to a patient goes.
func (a *Acts) address(q *store.Q, p chart.Patient) (recall.Address, error) {
	registered, err := q.RegistrationsIn([]string{p.ID})
	if err != nil {
		return recall.Address{}, err
	}
	r, known := registered[p.ID]
	if !known {
		r = chart.RegistrationOf(p)
	}
	return recall.AddressOf(r, a.MailRule, a.Today()), nil
}

// notBy says why somebody cannot be told in a way; "" where they can.
func (a *Acts) notBy(way string, p chart.Patient, to recall.Address) string {
	if way != "portal" && way != "letter" {
		return ""
	}
	switch {
	case !to.Known:
		return "the birth date is not known, so whose mail it is is not certain"
	case to.Young:
		return "at this age results are told to " + p.Name.Given + " in person or by telephone (the clinic's rule: " + a.MailRule.Source + ")"
	case way == "portal" && !p.UsesPortal:
		return p.Name.Given + " does not use the portal"
	case way == "portal" && a.Elsewhere.Portal == "":
		return "no portal is connected"
	case way == "letter" && !to.Complete:
		return "no address to write to"
	}
	return ""
}
