package act

import (
	"strings"
	"time"

	"deftledger/core/chart"
	"deftledger/store"
)

// PatientView is a patient as every screen names them.
type PatientView struct {
	ID         string `json:"id"`
	Record     string `json:"record"`
	Family     string `json:"family"`
	Given      string `json:"given"`
	BirthDate  string `json:"birthDate" format:"date"`
	Age        string `json:"age"`
	Sex        string `json:"sex"`
	Phone      string `json:"phone"`
	CodeStatus string `json:"codeStatus"`
	UsesPortal bool   `json:"usesPortal"`
}

// Patient writes a patient as every screen names them.
func (a *Office) Patient(p chart.Patient) PatientView {
	return PatientView{ID: p.ID, Record: p.Record, Family: p.Name.Family, Given: p.Name.Given, BirthDate: p.BirthDate,
		Age: chart.AgeText(p.BirthDate, a.Today()), Sex: chart.Sexes[p.Sex], Phone: p.Phone, CodeStatus: p.CodeStatus, UsesPortal: p.UsesPortal}
}

// Named writes who a patient is, and nothing of their chart: what the front desk needs for
// the day, and what everybody needs to know whom they mean.
func (a *Office) Named(p chart.Patient) PatientView {
	v := a.Patient(p)
	v.CodeStatus = ""
	return v
}

// Say writes a moment with the practice's offset, to the second; "" for none.
func (a *Office) Say(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.In(a.Location).Format(time.RFC3339)
}

// DaysSince counts calendar days of the practice, as people do.
func (a *Office) DaysSince(t time.Time) int {
	then, _ := time.Parse(time.DateOnly, t.In(a.Location).Format(time.DateOnly))
	today, _ := time.Parse(time.DateOnly, a.Today())
	return int(today.Sub(then).Hours() / 24)
}

// Months is the age on the day of a visit in completed months; below zero for unknown.
func (a *Office) Months(v store.Visit) int {
	years, months, ok := chart.AgeOn(v.Patient.BirthDate, v.Day)
	if !ok {
		return -1
	}
	return years*12 + months
}

// DayOf is the practice's day of a recorded moment; a result's time is the place's own,
// as precise as it came.
func (a *Office) DayOf(at string) string {
	if t := store.Moment(at); !t.IsZero() {
		return t.In(a.Location).Format(time.DateOnly)
	}
	return at[:min(10, len(at))]
}

// OrUnknown says what is unknown where nothing is said.
func OrUnknown(s, unknown string) string {
	if strings.TrimSpace(s) == "" {
		return unknown
	}
	return s
}

// CheckVague checks a date that is as precise as known.
func CheckVague(s string) error {
	for _, l := range []string{"", "2006", "2006-01", time.DateOnly} {
		if _, err := time.Parse(l, s); err == nil {
			return nil
		}
	}
	return Refuse(Invalid, "%q is not a date; write it as 2019, 2019-03 or 2019-03-14.", s)
}
