package hl7v2

import (
	"fmt"
	"strings"
	"time"

	"deftledger/core/outside"
	"deftledger/core/result"
)

// Report is one reported test (an OBR with its OBX) of an ORU^R01, with the
// patient as the laboratory names them.
type Report struct {
	Patient   outside.Identity
	Record    string // the identifier they give the patient (PID-3)
	Placer    string // our order number
	Filler    string // theirs
	Code      string // the laboratory's test code
	Title     string
	LOINC     string
	Status    string // HL7 table 0123
	Collected Time
	Reported  Time
	Performer string
	Notes     string
	Values    []result.Value
}

// ParseReports reads the reports of an ORU^R01. local is the zone of times that
// carry none.
func ParseReports(raw []byte, local *time.Location) ([]Report, error) {
	m, err := Parse(raw)
	if err != nil {
		return nil, err
	}
	msh := m.Segments[0]
	if msh.Get(9, 1) != "ORU" {
		return nil, fmt.Errorf("%w: it is a %s message, and only ORU^R01 carries results", ErrUnreadable, msh.Get(9, 1)+"^"+msh.Get(9, 2))
	}
	var out []Report
	var pid outside.Identity
	var record, placer, filler string
	sawPID := false
	for i, s := range m.Segments {
		switch s.Name {
		case "PID":
			sawPID = true
			pid = outside.Identity{Family: s.Get(5, 1), Given: s.Get(5, 2), Sex: s.Get(8, 1), Phone: s.Get(13, 1)}
			if pid.Phone == "" {
				pid.Phone = s.Get(13, 12)
			}
			record, placer, filler = s.Get(3, 1), "", ""
			birth, err := ParseTime(s.Get(7, 1), local)
			if err != nil {
				return nil, fmt.Errorf("the birth date: %w", err)
			}
			if birth.Digits >= 8 {
				pid.BirthDate = birth.At.Format(time.DateOnly)
			}
		case "ORC":
			placer, filler = s.Get(2, 1), s.Get(3, 1)
		case "OBR":
			if !sawPID {
				return nil, fmt.Errorf("%w: a result comes before any patient (PID)", ErrUnreadable)
			}
			r := Report{Patient: pid, Record: record, Placer: cmpOr(s.Get(2, 1), placer), Filler: cmpOr(s.Get(3, 1), filler), Status: s.Get(25, 1)}
			r.Code, r.Title, r.LOINC = coded(s, 4)
			if r.Code == "" && r.Title == "" {
				return nil, fmt.Errorf("%w: line %d (OBR) does not say which test it is (OBR-4)", ErrUnreadable, i+1)
			}
			if r.Collected, err = ParseTime(s.Get(7, 1), local); err != nil {
				return nil, fmt.Errorf("the time of collection: %w", err)
			}
			if r.Reported, err = ParseTime(s.Get(22, 1), local); err != nil {
				return nil, fmt.Errorf("the time of the report: %w", err)
			}
			placer, filler = "", ""
			out = append(out, r)
		case "OBX":
			if len(out) == 0 {
				return nil, fmt.Errorf("%w: line %d (OBX) comes before any OBR", ErrUnreadable, i+1)
			}
			r := &out[len(out)-1]
			v := value(s)
			if v.Code == "" && v.Name == "" {
				return nil, fmt.Errorf("%w: line %d (OBX) does not say what was measured (OBX-3)", ErrUnreadable, i+1)
			}
			r.Values = append(r.Values, v)
			if p := s.Get(23, 1); p != "" {
				r.Performer = p
			}
		case "NTE":
			if len(out) == 0 {
				continue
			}
			r := &out[len(out)-1]
			var text []string
			for _, rep := range s.Repeats(3) {
				text = append(text, strings.Join(rep, " "))
			}
			target := &r.Notes
			if n := len(r.Values); n > 0 {
				target = &r.Values[n-1].Notes
			}
			*target = strings.TrimSpace(*target + "\n" + strings.Join(text, "\n"))
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("%w: it holds no result (OBR)", ErrUnreadable)
	}
	for _, r := range out {
		if !statuses[r.Status] {
			return nil, fmt.Errorf("%w: the report status %q (OBR-25) is not one of table 0123", ErrUnreadable, r.Status)
		}
	}
	return out, nil
}

// statuses of HL7 table 0123 that a report of results can have.
var statuses = map[string]bool{"P": true, "F": true, "C": true, "X": true, "I": true, "A": true, "R": true, "S": true, "O": true}

// coded reads a CE/CWE field: the local code, its text, and the LOINC code from
// whichever triplet names LOINC as its system.
func coded(s Segment, field int) (code, text, loinc string) {
	a, at, as := s.Get(field, 1), s.Get(field, 2), s.Get(field, 3)
	b, bt, bs := s.Get(field, 4), s.Get(field, 5), s.Get(field, 6)
	code, text = a, at
	switch {
	case as == "LN":
		loinc = a
		if b != "" {
			code = b
		}
	case bs == "LN":
		loinc = b
	}
	return cmpOr(code, b), cmpOr(cmpOr(text, bt), a), loinc
}

func value(s Segment) result.Value {
	v := result.Value{Unit: s.Get(6, 1), Range: s.Get(7, 1), Flag: s.Get(8, 1), Status: s.Get(11, 1)}
	v.Code, v.Name, v.LOINC = coded(s, 3)
	var parts []string
	for _, rep := range s.Repeats(5) {
		at := func(i int) string {
			if i <= len(rep) {
				return strings.TrimSpace(rep[i-1])
			}
			return ""
		}
		switch s.Get(2, 1) {
		case "SN": // structured numeric: comparator, number, separator, number
			parts = append(parts, at(1)+at(2)+at(3)+at(4))
		case "CE", "CWE", "CNE":
			parts = append(parts, cmpOr(at(2), at(1)))
		case "ED", "RP":
			parts = append(parts, "[attached "+strings.ToLower(cmpOr(at(3), "data"))+", kept with the message]")
		default:
			parts = append(parts, strings.Join(rep, " "))
		}
	}
	v.Text = strings.TrimSpace(strings.Join(parts, "\n"))
	return v
}
