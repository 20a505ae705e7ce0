// Package letter fills the clinic's letter forms from a chart, and holds the leaflets
// that are given to patients.
package letter

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

// Form is a letter form: a text with fields in curly brackets. A field that names
// something of the chart ("{medicines}") is filled; one that begins with a question
// mark ("{?what is asked}") is left for the writer.
type Form struct {
	ID    string `json:"id" yaml:"id"`
	Title string `json:"title" yaml:"title"`
	To    string `json:"to" yaml:"to"` // whom it goes to: colleague, patient or other
	Text  string `json:"text" yaml:"text"`
}

// Whom a letter can go to.
const (
	Colleague = "colleague"
	Patient   = "patient"
	Other     = "other"
)

// How documents name the form they were written from: one of these and its identifier.
const (
	FromLetter  = "letter "
	FromLeaflet = "leaflet "
)

// Leaflet is a text on an illness for a patient to take home.
type Leaflet struct {
	ID     string   `json:"id" yaml:"id"`
	Title  string   `json:"title" yaml:"title"`
	Codes  []string `json:"codes" yaml:"codes"` // beginnings of the diagnosis codes it is for
	Source string   `json:"source" yaml:"source"`
	Text   string   `json:"text" yaml:"text"`
}

// Fields are the fields that are filled from the chart, with what each holds.
var Fields = map[string]string{
	"patient": "given and family name", "born": "day of birth", "age": "age with its unit", "sex": "administrative sex",
	"record": "number of the record", "phone": "telephone",
	"today": "the day of writing", "visit": "the day of the visit", "reason": "reason for the visit",
	"subjective": "the part of the note", "objective": "the part of the note", "assessment": "the part of the note",
	"plan":      "the part of the note",
	"diagnoses": "diagnoses of the visit with their codes", "diagnosis": "the first-listed diagnosis",
	"problems": "the problem list", "medicines": "the medicine list with doses", "allergies": "allergies with reactions",
	"vitals": "vital signs of the visit", "results": "the newest final results of the last year",
	"clinician": "who writes", "practice": "name of the practice",
}

// field is a field of ours; a unit of UCUM has brackets too ("mL/min/{1.73_m2}").
var field = regexp.MustCompile(`\{(\?[^{}]*|[a-z]+)\}`)

// brackets is whatever stands in brackets: in a form, all of it has to be a field.
var brackets = regexp.MustCompile(`\{[^{}]*\}`)

var slug = regexp.MustCompile(`^[a-z][a-z0-9-]{1,38}$`)

// Check says what is wrong with a letter form.
func (f Form) Check() error {
	switch {
	case !slug.MatchString(f.ID):
		return fmt.Errorf("the name %q is not made of small letters, digits and hyphens", f.ID)
	case strings.TrimSpace(f.Title) == "" || len(f.Title) > 100:
		return fmt.Errorf("the letter %q needs a title of up to 100 characters", f.ID)
	case !slices.Contains([]string{Colleague, Patient, Other}, f.To):
		return fmt.Errorf("the letter %q goes to %q; write colleague, patient or other", f.ID, f.To)
	case strings.TrimSpace(f.Text) == "" || len(f.Text) > 20000:
		return fmt.Errorf("the letter %q needs a text of up to 20,000 characters", f.ID)
	case strings.ContainsAny(brackets.ReplaceAllString(f.Text, ""), "{}"):
		return fmt.Errorf("a field of %q is not closed", f.ID)
	}
	for _, x := range brackets.FindAllString(f.Text, -1) {
		name := x[1 : len(x)-1]
		if ask, ok := strings.CutPrefix(name, "?"); ok {
			if strings.TrimSpace(ask) == "" {
				return fmt.Errorf("a field of %q does not say what is asked", f.ID)
			}
			continue
		}
		if Fields[name] == "" {
			return fmt.Errorf("the chart has no field {%s}; write {?%s} for one that is filled in by hand", name, name)
		}
	}
	return nil
}

// Fill writes the letter with what the chart holds. A field without a value stands as it
// is, so that it is seen; fields left for the writer stay.
func (f Form) Fill(values map[string]string) string {
	return strings.TrimSpace(field.ReplaceAllStringFunc(f.Text, func(x string) string {
		if v := strings.TrimSpace(values[x[1:len(x)-1]]); v != "" {
			return v
		}
		return x
	}))
}

// Open lists the fields of a text that nobody filled, in their order, each once.
func Open(text string) []string {
	var out []string
	for _, x := range field.FindAllString(text, -1) {
		if !slices.Contains(out, x) {
			out = append(out, x)
		}
	}
	return out
}

// Check says what is wrong with a leaflet.
func (l Leaflet) Check() error {
	switch {
	case !slug.MatchString(l.ID):
		return fmt.Errorf("the name %q is not made of small letters, digits and hyphens", l.ID)
	case strings.TrimSpace(l.Title) == "" || len(l.Title) > 100:
		return fmt.Errorf("the leaflet %q needs a title of up to 100 characters", l.ID)
	case strings.TrimSpace(l.Source) == "":
		return fmt.Errorf("the leaflet %q needs its source: body and year", l.ID)
	case strings.TrimSpace(l.Text) == "" || len(l.Text) > 20000:
		return fmt.Errorf("the leaflet %q needs a text of up to 20,000 characters", l.ID)
	}
	return nil
}
