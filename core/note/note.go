// Package note holds the SOAP note: its parts, its text as it will read, and
// what must be there before it can be signed.
package note

import (
	"errors"
	"fmt"
	"strings"
)

// Part names a part of the note, in reading order.
type Part string

// The parts of a note.
const (
	Subjective Part = "subjective"
	Objective  Part = "objective"
	Assessment Part = "assessment"
	Plan       Part = "plan"
)

// Parts in reading order.
var Parts = []Part{Subjective, Objective, Assessment, Plan}

// MaxPart is the greatest length of one part, in bytes.
const MaxPart = 200_000

// Diagnosis is one coded diagnosis of the visit; the first is first-listed.
type Diagnosis struct {
	Code    string `json:"code"`
	Title   string `json:"title"`
	Edition string `json:"edition"`
}

// Content is what is signed: the whole note as it reads.
type Content struct {
	Patient   string          `json:"patient"`
	Record    string          `json:"record"`
	BirthDate string          `json:"birthDate"`
	Kind      string          `json:"kind"`
	Visit     string          `json:"visit"` // start of the visit, RFC 3339
	Reason    string          `json:"reason"`
	Parts     map[Part]string `json:"parts"`
	Diagnoses []Diagnosis     `json:"diagnoses"`
}

// Section is a heading with its text, as it reads.
type Section struct {
	Heading string
	Text    string
}

// Read returns the note as it will read: parts left blank do not appear, and the
// coded diagnoses stand, numbered, in the assessment.
func (c Content) Read() []Section {
	var out []Section
	for _, p := range Parts {
		text := strings.TrimSpace(c.Parts[p])
		if p == Assessment {
			var list []string
			for i, d := range c.Diagnoses {
				list = append(list, fmt.Sprintf("%d. %s (%s)", i+1, d.Title, d.Code))
			}
			text = strings.TrimSpace(strings.Join(list, "\n") + "\n\n" + text)
		}
		if text != "" {
			out = append(out, Section{strings.ToUpper(string(p[:1])) + string(p[1:]), text})
		}
	}
	return out
}

// ErrNotReady is wrapped by every reason why a note cannot be signed.
var ErrNotReady = errors.New("the note cannot be signed yet")

// Ready says whether the note can be signed; the error names what is missing.
func (c Content) Ready() error {
	var empty []string
	for _, p := range Parts {
		if strings.TrimSpace(c.Parts[p]) == "" && (p != Assessment || len(c.Diagnoses) == 0) {
			empty = append(empty, string(p))
		}
	}
	if len(empty) > 0 {
		return fmt.Errorf("%w: nothing is written under %s", ErrNotReady, strings.Join(empty, ", "))
	}
	if len(c.Diagnoses) == 0 {
		return fmt.Errorf("%w: no diagnosis is coded", ErrNotReady)
	}
	return nil
}

// ClaimLimit is how many diagnoses fit on one professional claim (item 21 of the
// CMS-1500 form, version 02/12).
const ClaimLimit = 12
