package chart

import (
	"slices"
	"time"
)

// Allergy is a recorded allergy; an empty Substance is the statement that none is known.
type Allergy struct {
	ID, PatientID, Substance, Reaction, Severity string
	StatedAt                                     time.Time
	StatedBy, Source                             string
	Certainty                                    string   // confirmed, likely, doubtful, refuted; "" for not said
	Tolerated                                    string   // what of it was borne since, as it was told
	Classes                                      []string // as core/safety names them; filled where a Record is
}

// Medicine is a medicine of the active list. Dose is the whole instruction as text.
type Medicine struct {
	ID, PatientID, Name, Dose, Started, Stopped, Source, AddedBy string
	AddedAt                                                      time.Time
	Typed                                                        string   // as somebody typed it, where that was kept
	Dosage                                                       Dosage   // read from Dose; the zero value where it was not
	Why                                                          string   // why it was begun
	Told                                                         Told     // what was told last of taking it
	Classes                                                      []string // as core/safety names them; filled where a Record is
	Ingredients                                                  []string // likewise, by their generic names
}

// Told is what somebody told of taking a medicine: "taking", "sometimes", "not taking" or
// "not known". The zero value is that nobody asked.
type Told struct {
	Says, Detail, By string
	At               time.Time
}

// Takings are what may be told of taking a medicine.
var Takings = []string{"taking", "sometimes", "not taking", "not known"}

// Reported is the certainty of an allergy that a record of another house tells of, and nobody has decided on. It is never kept in a chart.
const Reported = "reported"

// Certainties are how sure an allergy is; "" is not said.
var Certainties = []string{"", "confirmed", "likely", "doubtful", "refuted"}

// Problem is an entry of the problem list.
type Problem struct {
	ID, PatientID, Code, Title string
	Since, Ended               string // days on which it came on and off the list
	Onset, State               string // since when it is known (year, month or day), how it stands
}

// Vital is one measurement, its unit in UCUM.
type Vital struct {
	ID, PatientID, LOINC, Name, Value, Unit string
	TakenAt                                 time.Time
	VisitID, Entered, ByID                  string
	Origin                                  string // typed or device
}

// HistoryEntry is one entry of a history list. Since and Until are as precise as known.
type HistoryEntry struct {
	ID, PatientID, List, Title, Detail, Since, Until, Source string
	StatedAt                                                 time.Time
	StatedBy                                                 string
}

// Statement is what somebody attested about a list.
type Statement struct {
	ID, PatientID, List, Says, StaffID, VisitID string
	At                                          time.Time
}

// Immunization is a vaccine given here, or elsewhere: then On is when, as precisely as known
// (year, month or day), and Source who says so.
type Immunization struct {
	ID, PatientID, VisitID, Name string
	Given
	GivenAt    time.Time
	GivenBy    string
	On, Source string
}

// Answer is what was answered to a question of the rulebook: "yes", "no", a word to choose or
// a number. Day is when.
type Answer struct {
	ID, Question, Value, Day, By, Source string
}

// Service is something that was done for the person: Name as the sets of the rulebook and the
// list of imaging and procedures name it, On as precisely as known, Value how it turned out
// where somebody said. Source says who says so, "" for done here; Ref is where it stands.
type Service struct {
	ID, Name, On, Value, Source, Ref string
}

// What may be decided on a reminder.
const (
	DecidedDone    = "done"
	DecidedOutside = "had outside"
	DecidedDecline = "declined"
	DecidedPutOff  = "put off"
	DecidedNotFor  = "does not apply"
)

// Decision is what a person said of a reminder, by the identifier of its rule. On is the day
// of what was done, as precisely as known; Until the day to which it holds, "" for as long as
// the rule says. One that was taken back is kept, and counts no more.
type Decision struct {
	ID, Rule, Says, On, Until, Reason, Source, By string
	At                                            time.Time
	TakenBack                                     bool
}

// Awaited is something on its way that is no laboratory test: imaging, a procedure, a vaccine
// (by CVX code), a referral, by the name of the item. Day is when it was signed or laid for a signature. Rule is the
// reminder that a referral was written for.
type Awaited struct {
	ID, Item, CVX, Day, Rule string
	Prepared                 bool
}

// Sources of a Value.
const (
	FromVital  = "vital"
	FromReport = "report"
	FromScreen = "screen"
)

// Value is a recorded value of a quantity: a vital sign that was not struck, or a value of
// the present issue of a final report. Its unit is in UCUM; At is as received, RFC 3339 or
// a date; Day is At in the practice, YYYY-MM-DD. Source is "vital", "report" or "screen" (a questionnaire), and Ref
// the measurement or the report.
type Value struct {
	LOINC, Name, Text, Unit, At, Day, Source, Ref string
}

// Says is a value as people read it, with its day.
func (v Value) Says() string {
	return v.Name + " " + v.Text + " " + ShownUnit(v.Unit) + " on " + SayDay(v.Day)
}

// Encounter is a visit of the person. A visit whose note is signed, and not retracted, counts as seen.
type Encounter struct {
	ID, Day, Kind string
	StartsAt      time.Time
	Seen          bool
}

// InHand is a test that is out or laid for a signature, as coded facts. OrderID is the
// order, or where Prepared the prepared one, which nobody signed yet. Reported is the
// status of what came back (HL7 table 0123), "" while nothing did.
type InHand struct {
	OrderID, VisitID, Day string
	Prepared              bool
	State                 string // of the order, as core/order names it
	Party                 string // who does it, by id; "" for the one usually meant
	Code, Name, LOINC     string
	Analytes              []string // LOINC codes of what the test measures
	Diagnoses             []string // codes it was ordered for
	Reported              string
}

// Record is what the chart of a person holds on a day: coded and recorded facts only, each
// with where it came from. Text is no part of it, and nothing that was carried into a note
// and not looked at is. Every rule that reads a chart reads this.
type Record struct {
	Zone          *time.Location // of the practice, in which days are counted
	Day           string         // YYYY-MM-DD; what was measured later is left out
	VisitID       string         // the visit it is read at, "" for none
	Patient       Patient
	Addressed     []string // codes of the diagnoses of that visit
	Problems      []Problem
	Medicines     []Medicine
	Allergies     []Allergy // severe first, or the one statement that none is known
	Histories     []HistoryEntry
	Statements    []Statement // oldest first
	Immunizations []Immunization
	Values        []Value // oldest first
	Visits        []Encounter
	InHand        []InHand

	// What reminders read besides; filled where they are computed.
	Died      string // the day of death, as precisely as known; "" for alive as far as known
	Left      string // since when the person no longer comes to us; filled where many charts are read at once
	Answers   []Answer
	Services  []Service
	Decisions []Decision // oldest first
	Awaited   []Awaited
}

// Months is the age on the day in completed months; below zero for unknown.
func (r Record) Months() int {
	years, months, ok := AgeOn(r.Patient.BirthDate, r.Day)
	if !ok {
		return -1
	}
	return years*12 + months
}

// ProblemCodes are the codes of the problem list.
func (r Record) ProblemCodes() []string {
	var out []string
	for _, p := range r.Problems {
		out = append(out, p.Code)
	}
	return out
}

// Course lists the values of a quantity, oldest first.
func (r Record) Course(loinc string) []Value {
	var out []Value
	for _, v := range r.Values {
		if v.LOINC == loinc {
			out = append(out, v)
		}
	}
	return out
}

// Newest finds the last value of a quantity.
func (r Record) Newest(loinc string) (Value, bool) {
	for _, v := range slices.Backward(r.Values) {
		if v.LOINC == loinc {
			return v, true
		}
	}
	return Value{}, false
}

// Here lists what is in hand of this visit.
func (r Record) Here() []InHand {
	var out []InHand
	for _, x := range r.InHand {
		if x.VisitID == r.VisitID && r.VisitID != "" {
			out = append(out, x)
		}
	}
	return out
}

// Seen says whether the person was seen here, at another visit, between two moments.
func (r Record) Seen(from, before time.Time) bool {
	return slices.ContainsFunc(r.Visits, func(e Encounter) bool {
		return e.Seen && e.ID != r.VisitID && !e.StartsAt.Before(from) && e.StartsAt.Before(before)
	})
}

// DayOf is the practice's day of a moment.
func (r Record) DayOf(t time.Time) string { return t.In(r.Zone).Format(time.DateOnly) }

// Reviewed is the day on which a list was last gone through, "" for never.
func (r Record) Reviewed(list string) string {
	for _, s := range slices.Backward(r.Statements) {
		if s.List == list {
			return r.DayOf(s.At)
		}
	}
	return ""
}

// Allergic lists the classes that the person must not take.
func (r Record) Allergic() []string {
	var out []string
	for _, a := range r.Allergies {
		out = append(out, a.Classes...)
	}
	return out
}

// Taken lists the classes of the medicines of the list.
func (r Record) Taken() []string {
	var out []string
	for _, m := range r.Medicines {
		out = append(out, m.Classes...)
	}
	return out
}
