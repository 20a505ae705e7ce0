package paper

import (
	"context"
	"fmt"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/letter"
	"deftledger/core/note"
	"deftledger/exchange/pdf"
)

// Absence is what an absence letter says.
type Absence struct {
	From     string `json:"from" maxLength:"10"`
	Days     int    `json:"days" minimum:"1" maximum:"90" doc:"Calendar days, the first one counted"`
	Place    string `json:"place" enum:"work,school"`
	Words    string `json:"words,omitempty" maxLength:"1000" doc:"What may be done in that time, or anything else"`
	Diagnose bool   `json:"diagnosis,omitempty" doc:"Name the first-listed diagnosis; only when the patient wants it"`
}

// sealedLetter is the sealed content of a letter.
type sealedLetter struct {
	Kind string `json:"kind"`
	To   string `json:"to,omitempty"`
	Text string `json:"text"`
}

// AbsenceLetter signs and files an absence letter of a visit and returns it as a
// document. The diagnosis stands in it only if chosen.
func (a *Acts) AbsenceLetter(ctx context.Context, who act.Actor, noteID, secret string, x Absence) (out DocumentView, err error) {
	if err := act.Allow(who, act.SignNote); err != nil {
		return out, err
	}
	from, err := time.Parse(time.DateOnly, x.From)
	if err != nil || x.Days < 1 || x.Days > 90 {
		return out, act.Refuse(act.Invalid, "Write the first day as 2027-01-15, and one to ninety days.")
	}
	if x.Place != "work" && x.Place != "school" {
		return out, act.Refuse(act.Invalid, "The letter is for work or for school.")
	}
	if err := a.OpenSigning(ctx, &who, secret); err != nil {
		return out, err
	}
	err = a.Act(ctx, who, act.SignNote, func(t *act.Tx) error {
		_, v, err := act.NoteVisit(t.Q, noteID)
		if err != nil {
			return err
		}
		day, err := time.Parse(time.DateOnly, v.Day)
		if err != nil {
			return err
		}
		if from.Before(day.AddDate(0, 0, -14)) || from.After(day.AddDate(0, 0, 60)) {
			return act.Refuse(act.Invalid,
				"The absence begins more than two weeks before or two months after this visit; write it at the visit it belongs to.")
		}
		text := fmt.Sprintf("%s %s, born %s, was seen here on %s.\n\n%s", v.Patient.Name.Given, v.Patient.Name.Family,
			chart.SayDay(v.Patient.BirthDate), chart.SayDay(v.Day), absenceSentence(from, x))
		if x.Diagnose {
			ds, err := t.Diagnoses(noteID)
			if err != nil {
				return err
			}
			if len(ds) == 0 {
				return act.Refuse(act.Invalid, "This visit has no diagnosis to name yet.")
			}
			text += "\n\nDiagnosis, named at the patient's wish: " + ds[0].Title + "."
		}
		if w := strings.TrimSpace(x.Words); w != "" {
			text += "\n\n" + note.Sentence(w)
		}
		out, err = a.fileLetter(t, noteID, "Absence from "+x.Place, letter.FromLetter+"absence", pdf.Section{Heading: "To whom it may concern",
			Text: text}, true)
		return err
	})
	return out, err
}

func absenceSentence(from time.Time, x Absence) string {
	last := from.AddDate(0, 0, x.Days-1)
	if x.Days == 1 {
		return fmt.Sprintf("For medical reasons the patient cannot attend %s on %s.", x.Place, from.Format("Monday, 02 January 2006"))
	}
	return fmt.Sprintf("For medical reasons the patient cannot attend %s from %s through %s (%d days).", x.Place,
		from.Format("Monday, 02 January 2006"), last.Format("Monday, 02 January 2006"), x.Days)
}
