package assess

import (
	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/store"
)

// Case is a note with all that its rules read, loaded once: what is written in it, and
// what the chart holds on the day of its visit.
type Case struct {
	Note  store.Note
	Visit store.Visit
	store.Written
	Record chart.Record
	Names  map[string]string // of the staff, by identifier
}

// Case loads the case of a note.
func (a *Acts) Case(q *store.Q, noteID string) (c Case, err error) {
	n, v, err := act.NoteVisit(q, noteID)
	if err != nil {
		return c, err
	}
	return a.CaseOf(q, n, v)
}

// CaseOf loads the case of a note whose head and visit are known.
func (a *Acts) CaseOf(q *store.Q, n store.Note, v store.Visit) (c Case, err error) {
	c = Case{Note: n, Visit: v}
	if c.Written, err = q.Written(n.ID, v.ID); err != nil {
		return c, err
	}
	if c.Names, err = q.StaffNames(); err != nil {
		return c, err
	}
	if c.Record, err = a.Order.Record(q, n.PatientID, v.Day); err != nil {
		return c, err
	}
	c.Record.VisitID, c.Record.Addressed = v.ID, c.Codes()
	return c, nil
}

// Codes are the codes of the diagnoses of the visit.
func (c Case) Codes() []string {
	out := make([]string, len(c.Diagnoses))
	for i, d := range c.Diagnoses {
		out[i] = d.Code
	}
	return out
}

// about is what the code rules ask about the visit.
func (c Case) about() coding.Visit {
	return coding.Visit{Sex: c.Visit.Patient.Sex, Months: c.Record.Months(), Codes: c.Codes(), Problems: c.Record.ProblemCodes()}
}
