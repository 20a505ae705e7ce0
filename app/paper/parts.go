package paper

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"

	"deftledger/app/act"
	notes "deftledger/app/note"
	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/store"
)

// givenParts are the parts of a copy that one of a letter is made of.
var givenParts = map[string][]string{"problems": {"problems"}, "medicines": {"medicines"}, "allergies": {"allergies"}, "results": {"results"}, "vitals": {"vitals"},
	"immunizations": {"immunizations"}, "histories": {"histories", "procedures"}, "note": {outside.NotesPart}}

// ChartPart is a part of a chart as it is sent along with a letter.
type ChartPart struct {
	ID    string `json:"id"`
	Title string `json:"title"`
	Text  string `json:"text" doc:"As it goes along"`
	Empty bool   `json:"empty" doc:"The chart says nothing of it, which the text says"`
	Held  string `json:"held" doc:"Why something of it is held back from others at the patient's wish; empty where nothing is"`
	Reads string `json:"reads" doc:"Names the text; handed back with the signature, so that nothing goes along that was not seen"`
}

// fields are what a chart says, as letters say it. What the chart does not hold is said as
// such: unknown is not none.
func (a *Acts) fields(q *store.Q, patient string) (out map[string]string, held chart.Record, err error) {
	if held, err = a.Note.Assess.Order.Record(q, patient, a.Today()); err != nil {
		return nil, held, err
	}
	out = map[string]string{}
	var list []string
	for _, x := range held.Problems {
		says := x.Title + " (" + x.Code
		if x.Onset != "" {
			says += ", since " + x.Onset
		}
		if x.State != "" && x.State != "active" {
			says += ", " + x.State
		}
		list = append(list, says+")")
	}
	out["problems"] = act.OrUnknown(strings.Join(list, "; "), "none recorded")
	groups := notes.HistoryLines(held)
	for _, field := range []struct{ name, head string }{{chart.MedicineList, "Medicines"}, {chart.AllergyList, "Allergies"}} {
		var lines []string
		for _, x := range groups.Lines {
			switch {
			case x.Head == field.head+", in detail":
				lines = append(lines, strings.TrimSuffix(strings.TrimPrefix(x.Text, field.head+": "), "."))
			case strings.HasPrefix(x.ID, "history|none|"+field.name):
				lines = []string{strings.TrimSuffix(x.Text, ".")}
			}
		}
		out[field.name] = act.OrUnknown(strings.Join(lines, "; "), "not asked")
	}
	out["results"], err = a.recentResults(q, patient)
	return out, held, err
}

// ChartParts are the parts of a chart that may go along with a letter, as they would read;
// visit adds what was written at it ("" for none).
func (a *Acts) ChartParts(ctx context.Context, who act.Actor, patient, visit string) (out []ChartPart, err error) {
	out = []ChartPart{}
	noteID := ""
	if err := a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		patient = p.ID
		if visit == "" {
			return nil
		}
		v, err := q.VisitByID(visit)
		if err != nil || !act.SamePerson(q, v.PatientID, p.ID) {
			return act.Refuse(act.Invalid, "The visit is not one of this patient.")
		}
		n, err := q.NoteByVisit(visit)
		if err != nil && !store.IsNotFound(err) {
			return err
		}
		noteID = n.ID
		return nil
	}); err != nil {
		return out, err
	}
	if err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		out, err = a.partsOf(q, patient)
		return err
	}); err != nil {
		return out, err
	}
	if noteID != "" {
		v, err := a.Note.Note(ctx, who, noteID)
		if err != nil {
			return out, err
		}
		if text := written(v); text != "" {
			out = append(out, ChartPart{ID: "note", Title: "This visit", Text: text})
		}
	}
	var k outside.Keeper
	if err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		k, err = a.Keeper(q, patient)
		return err
	}); err != nil {
		return out, err
	}
	for i := range out {
		if len(k.Wishes) > 0 && !out[i].Empty {
			out[i].Held = k.Why(outside.Told{Ref: out[i].ID, Parts: givenParts[out[i].ID], Text: out[i].Text, Names: a.Medicines.NamesIn(out[i].Text)})
		}
		sum := sha256.Sum256([]byte(out[i].Text))
		out[i].Reads = hex.EncodeToString(sum[:8])
	}
	return out, nil
}

func (a *Acts) partsOf(q *store.Q, patient string) (out []ChartPart, err error) {
	says, held, err := a.fields(q, patient)
	if err != nil {
		return nil, err
	}
	add := func(id, title, text, none string) {
		out = append(out, ChartPart{ID: id, Title: title, Text: act.OrUnknown(text, none), Empty: text == "" || text == none})
	}
	add("medicines", "Medicines", strings.ReplaceAll(says[chart.MedicineList], "; ", "\n"), "not asked")
	add("allergies", "Allergies", strings.ReplaceAll(says[chart.AllergyList], "; ", "\n"), "not asked")
	add("problems", "Problem list", strings.ReplaceAll(says["problems"], "; ", "\n"), "none recorded")
	add("results", "Results of the last year", strings.ReplaceAll(says["results"], "; ", "\n"), "none of the last year")
	var vitals []string
	seen := map[string]bool{}
	for _, v := range slices.Backward(held.Values) {
		if v.Source == chart.FromVital && !seen[v.LOINC] {
			seen[v.LOINC] = true
			vitals = append(vitals, v.Says())
		}
	}
	add("vitals", "Vital signs", strings.Join(vitals, "\n"), "none recorded")
	var shots []string
	for _, x := range held.Immunizations {
		if x.Source != "" {
			shots = append(shots, x.Name+", "+chart.SayDay(x.On)+" ("+x.Source+")")
			continue
		}
		shots = append(shots, x.Name+", "+chart.SayDay(a.DayOf(store.Stamp(x.GivenAt))))
	}
	add("immunizations", "Immunizations", strings.Join(shots, "\n"), "none recorded")
	var past []string
	for _, x := range notes.HistoryLines(held).Lines {
		if head, detail := strings.CutSuffix(x.Head, ", in detail"); !detail && head != "Medicines" && head != "Allergies" && strings.HasPrefix(x.ID, "history|") {
			past = append(past, strings.TrimSuffix(x.Text, ".")+".")
		}
	}
	add("histories", "Past, family and social history", strings.Join(past, "\n"), "not asked")
	return out, nil
}

// written is what a note says: signed as it was signed, or so far, which is said. What was
// carried and nobody looked at is not said to others.
func written(v notes.NoteView) string {
	blocks := v.Blocks
	if v.Sealed != nil {
		blocks = v.Sealed.Blocks
	}
	var lines []string
	for _, b := range blocks {
		if text := b.LookedAt(); text != "" {
			if b.Label != "" {
				text = b.Label + ": " + text
			}
			lines = append(lines, text)
		}
	}
	if len(lines) == 0 {
		return ""
	}
	if v.Sealed == nil {
		lines = append([]string{"Written so far, not signed:"}, lines...)
	}
	return strings.Join(lines, "\n")
}
