// Package note holds the SOAP note: its parts, its text as it will read, and
// what must be there before it can be signed.
package note

import (
	"strings"

	"deftledger/core/coding"
)

// Part names a part of the note, in reading order.
type Part string

// The parts of a note.
const (
	Subjective Part = "subjective"
	Function   Part = "function" // function and daily living
	Objective  Part = "objective"
	Assessment Part = "assessment"
	Plan       Part = "plan"
	Remarks    Part = "remarks" // a free closing remark
)

// Parts in reading order.
var Parts = []Part{Subjective, Function, Objective, Assessment, Plan, Remarks}

// Always are the parts every note shows, also while they are empty.
var Always = []Part{Subjective, Objective, Assessment, Plan}

// Heading is how a part is called in the note.
func (p Part) Heading() string {
	switch p {
	case Function:
		return "Function and daily living"
	case Remarks:
		return "Closing remark"
	case "":
		return ""
	}
	return strings.ToUpper(string(p[:1])) + string(p[1:])
}

// MaxPart is the greatest length of one part, in bytes.
const MaxPart = 200_000

// Diagnosis is one coded diagnosis of the visit; the first is first-listed.
type Diagnosis struct {
	Code    string `json:"code"`
	Title   string `json:"title"`
	Edition string `json:"edition"`
	Joined  bool   `json:"joined,omitempty"` // under one bullet with the one before it
}

// Content is what is signed: the whole note as it reads, with where each sentence
// came from, and the data it was written from. Notes signed before findings were
// kept have Parts and no Blocks.
type Content struct {
	Patient    string          `json:"patient"`
	Record     string          `json:"record"`
	BirthDate  string          `json:"birthDate"`
	Kind       string          `json:"kind"`
	Visit      string          `json:"visit"` // start of the visit, RFC 3339
	Reason     string          `json:"reason"`
	Parts      map[Part]string `json:"parts"` // what was typed
	Diagnoses  []Diagnosis     `json:"diagnoses"`
	Blocks     []Block         `json:"blocks,omitempty"`
	Findings   []Finding       `json:"findings,omitempty"`
	Interviews []SealedAnswers `json:"interviews,omitempty"`
	Drawings   []Drawing       `json:"drawings,omitempty"`
	Share      *Share          `json:"share,omitempty"`
	Overridden []Overridden    `json:"overridden,omitempty"`
	Charges    []coding.Charge `json:"charges,omitempty"`
	Level      *coding.Facts   `json:"level,omitempty"` // what the level of the visit was derived from
	Began      string          `json:"began,omitempty"` // whose draft it was, where another than the signer began it
}

// Overridden is a remark on the diagnoses that the signer answered with a reason.
type Overridden struct {
	Says   string `json:"says"`
	Reason string `json:"reason"`
	By     string `json:"by"`
}

// SealedAnswers are the answers of an interview, in the version it was asked in.
type SealedAnswers struct {
	Interview string     `json:"interview"`
	Version   int        `json:"version"`
	Answers   []Answered `json:"answers"`
}

// Drawing is a drawing as it was signed.
type Drawing struct {
	Caption string `json:"caption"`
	SVG     string `json:"svg"`
}

// Section is a heading with its text, as it reads.
type Section struct {
	Heading string
	Text    string
}

// Read returns the note as it will read: parts left blank do not appear, and the
// coded diagnoses stand, numbered, in the assessment.
func (c Content) Read() []Section {
	blocks := c.Blocks
	if blocks == nil {
		blocks = (&Systems{}).Compose(Draft{Typed: c.Parts})
	}
	return Read(blocks, c.Diagnoses)
}

// ClaimLimit is how many diagnoses fit on one professional claim (item 21 of the
// CMS-1500 form, version 02/12).
const ClaimLimit = 12
