package outside

import (
	"slices"
	"strings"
)

// Lists of the entries of a record from elsewhere.
const (
	Problems      = "problems"
	Allergies     = "allergies"
	Medicines     = "medicines"
	Immunizations = "immunizations"
	Results       = "results"
	Vitals        = "vitals"
	Procedures    = "procedures"
	Encounters    = "encounters"
	Social        = "social"
	Family        = "family"
	Devices       = "devices"
	Plan          = "plan"
	Team          = "team"
)

// RecordLists are the lists in the order in which a record is read.
var RecordLists = []string{Problems, Allergies, Medicines, Immunizations, Results, Vitals, Procedures, Devices, Encounters, Social, Family, Plan, Team}

// Survey is the class of a result that is the score of a questionnaire.
const Survey = "survey"

// Code is a code as it was sent. System is its identifier (an OID or a URI), Title what the sender calls it.
type Code struct {
	Code   string `json:"code"`
	System string `json:"system"`
	Title  string `json:"title,omitempty"`
}

// Code systems by their identifiers in C-CDA, and as FHIR writes them.
const (
	SNOMED = "2.16.840.1.113883.6.96"
	ICD10  = "2.16.840.1.113883.6.90"
	RxNorm = "2.16.840.1.113883.6.88"
	LOINC  = "2.16.840.1.113883.6.1"
	CVX    = "2.16.840.1.113883.12.292"
	UNII   = "2.16.840.1.113883.4.9"
)

// Where an entry stands, as its record says.
const (
	Active     = "active"
	Ended      = "ended"
	Given      = "given"
	NotGiven   = "not given"
	Done       = "done"
	NotDone    = "not done"
	Denied     = "denied"      // it says that it is not there, or not taken
	NotCertain = "not certain" // the record contradicts itself, or says nothing that is understood
)

// Item is an entry of a record, as its author coded it. What the record does not say is empty, and never guessed.
type Item struct {
	Ref       string   `json:"ref"` // the sender's identifier; by list and words where there is none
	List      string   `json:"list"`
	Title     string   `json:"title"`
	Codes     []Code   `json:"codes,omitempty"`
	Detail    string   `json:"detail,omitempty"` // dose, reaction, value with unit, whose
	Severity  string   `json:"severity,omitempty"`
	Status    string   `json:"status,omitempty"`
	Since     string   `json:"since,omitempty"` // as precisely as it was said
	Until     string   `json:"until,omitempty"`
	None      bool     `json:"none,omitempty"`      // it says that there is none
	Doubt     string   `json:"doubt,omitempty"`     // why it is not certain
	Narrative string   `json:"narrative,omitempty"` // the element of the narrative that says it
	Author    string   `json:"author,omitempty"`
	At        string   `json:"at,omitempty"`
	Value     string   `json:"value,omitempty"`
	Unit      string   `json:"unit,omitempty"`
	Range     string   `json:"range,omitempty"`
	Flag      string   `json:"flag,omitempty"`
	Products  []string `json:"products,omitempty"`  // of a medicine: its name alone, without the dose, where it is said apart
	Reason    string   `json:"reason,omitempty"`    // of a medicine: what it is for
	Note      string   `json:"note,omitempty"`      // what is remarked beside it in free words: nobody can say that it does not contradict the rest
	Class     string   `json:"class,omitempty"`     // of a visit as HL7 has it (IMP for a stay); of social history, the list of ours it is of
	Certainty string   `json:"certainty,omitempty"` // of an allergy: how sure it is, as a chart has it
}

// Reaction is what is said of an allergy besides how grave it is.
func (i Item) Reaction() string {
	var out []string
	for p := range strings.SplitSeq(i.Detail, "; ") {
		if p = strings.TrimSuffix(p, ", "+i.Severity); p != i.Severity {
			out = append(out, p)
		}
	}
	return strings.Join(out, "; ")
}

// CodeIn is the first code of a system, "" where there is none.
func (i Item) CodeIn(system string) string {
	for _, c := range i.Codes {
		if c.System == system {
			return c.Code
		}
	}
	return ""
}

// Narrated is a section of a record as its author laid it out. HTML is made by the reader from what the narrative may hold, and holds
// nothing that acts.
type Narrated struct {
	Code, Title, HTML string
	Coded             int // so many entries stand in it beside the words
}

// Record is a record from elsewhere.
type Record struct {
	ID, Set, Version string
	Kind, Title      string
	At               string
	Patient          Identity
	Author, House    string // who wrote it; the organization
	From, To         string // the stay or visit that it is about
	Items            []Item
	Sections         []Narrated
	Files            []RecordFile
	Missed           []string // what of it could not be read, in words
}

// RecordFile is a file that stands for the document, or beside it.
type RecordFile struct {
	ID, At      string // of one of ours; "" for one that came
	Type, Title string
	Body        []byte
}

// Span says from when to when an item holds, as it was said.
func (i Item) Span() string {
	switch {
	case i.Since != "" && i.Until != "" && i.Since != i.Until:
		return i.Since + " to " + i.Until
	case i.Since == "" && i.Until != "":
		return "until " + i.Until
	}
	return i.Since
}

// Says is an item in one line, with what is remarked beside it.
func (i Item) Says() string {
	out := i.Title
	if i.Detail != "" {
		out += ", " + i.Detail
	}
	if i.Reason != "" {
		out += ", for " + i.Reason
	}
	if s := i.Span(); s != "" {
		out += ", " + s
	}
	if i.Note != "" {
		out += " (" + i.Note + ")"
	}
	return strings.TrimSpace(out)
}

// Measured says a value in one line: with its unit, the range that came with it, and the flag where it is not that of the range.
func Measured(i Item) string {
	out := strings.TrimSpace(i.Value + " " + i.Unit)
	if i.Range != "" {
		out += ", range " + i.Range
	}
	if i.Flag != "" && i.Flag != "N" {
		out += ", " + i.Flag
	}
	return out
}

// Joined puts together what is said of something, without what is not said.
func Joined(sep string, parts ...string) string {
	return strings.Join(slices.DeleteFunc(parts, func(p string) bool { return p == "" }), sep)
}
