// Package coverage knows what Original Medicare pays a test for, by its determinations kept as
// data, and what a notice in advance does to the charge. What no row speaks of is "not
// checked": never covered, never refused.
package coverage

import (
	"fmt"
	"slices"
	"strings"
)

// Answer is what Medicare is expected to do.
type Answer string

// The answers. Unlikely is that a determination speaks against payment here: too early, or too
// young. Excluded is by law, whatever the need.
const (
	Covered    Answer = "covered"
	Unlikely   Answer = "unlikely"
	Excluded   Answer = "excluded"
	NotChecked Answer = "not checked"
)

// Row is what a determination says of some tests for some diagnoses.
type Row struct {
	Tests  []string // LOINC; "*" for all
	Codes  []string // how an ICD-10-CM code begins, without its dot
	Answer Answer   // covered or excluded
	Months int      // after which it is paid again; 0 for no limit
	From   int      // years of age; 0 for no limit
	Sex    string   // M or F; "" for both
	Says   string
	Source string
}

// Asked is a test with its diagnoses, for somebody.
type Asked struct {
	LOINC string
	Codes []string
	Since int // months since the last one that is known; below zero for none known
	Years int // of age; below zero for unknown
	Sex   string
}

// Verdict is the answer with why.
type Verdict struct {
	Answer Answer `json:"answer" enum:"covered,unlikely,excluded,not checked"`
	Says   string `json:"says"`
	Source string `json:"source" doc:"The determination; empty for not checked"`
}

// plain is a code as the rows have it.
func plain(code string) string {
	return strings.ToUpper(strings.ReplaceAll(strings.TrimSpace(code), ".", ""))
}

// Check says what Medicare is expected to pay. One diagnosis that it pays for is enough; it is
// excluded only where every diagnosis is.
func Check(rows []Row, a Asked) Verdict {
	var unlikely, excluded *Verdict
	routine := 0
	for _, code := range a.Codes {
		for _, r := range rows {
			if !slices.Contains(r.Tests, a.LOINC) && !slices.Contains(r.Tests, "*") || r.Sex != "" && r.Sex != a.Sex {
				continue
			}
			if !slices.ContainsFunc(r.Codes, func(p string) bool { return strings.HasPrefix(plain(code), p) }) {
				continue
			}
			v := Verdict{r.Answer, r.Says, r.Source}
			switch {
			case r.Answer == Excluded:
				routine++
				if excluded == nil {
					excluded = &v
				}
			case r.From > 0 && a.Years < 0:
				continue // nobody knows the age
			case r.From > 0 && a.Years < r.From:
				unlikely = &Verdict{Unlikely, fmt.Sprintf("%s: not before %d years", r.Says, r.From), r.Source}
			case r.Months > 0 && a.Since >= 0 && a.Since < r.Months:
				unlikely = &Verdict{Unlikely, fmt.Sprintf("%s: the last one was %s ago", r.Says, months(a.Since)), r.Source}
			default:
				if r.Months > 0 && a.Since < 0 {
					v.Says += "; no earlier one is known here"
				}
				return v
			}
		}
	}
	switch {
	case unlikely != nil:
		return *unlikely
	case excluded != nil && routine >= len(a.Codes):
		return *excluded
	}
	return Verdict{NotChecked, "no determination that we keep speaks of this test with these diagnoses", ""}
}

func months(n int) string {
	switch n {
	case 0:
		return "less than a month"
	case 1:
		return "a month"
	}
	return fmt.Sprintf("%d months", n)
}

// Choice is what the patient chose on the notice: 1 wants it and has Medicare billed, 2 wants
// it and pays, 3 does not want it; 0 chose nothing.
type Choice int

// Modifiers are what the charge carries (HCPCS level II, CMS, Medicare Claims Processing
// Manual, Pub. 100-04, chapter 30): GA where a notice is on file, GZ where payment is unlikely
// and there is none; GY for what is excluded by law, with GX where a notice was given all the
// same. billed is false where the patient chose that Medicare is not. approved says that the
// notice was given on a form that may be used: on another it counts as none.
func Modifiers(a Answer, c Choice, approved bool) (modifiers []string, billed bool) {
	given := approved && (c == 1 || c == 2)
	switch a {
	case Unlikely:
		switch {
		case given && c == 1:
			return []string{"GA"}, true
		case given:
			return nil, false
		}
		return []string{"GZ"}, true
	case Excluded:
		switch {
		case given && c == 2:
			return nil, false
		case given:
			return []string{"GX", "GY"}, true
		}
		return []string{"GY"}, true
	}
	return nil, true
}

// NoticeCode is the advance notice as an order says it to the laboratory (HL7 v2.5.1, ORC-20,
// table 0339): 3 wants the payer billed, 2 agrees to pay, 4 none is signed; "" where none is
// called for.
func NoticeCode(a Answer, c Choice, approved bool) string {
	if a != Unlikely && a != Excluded {
		return ""
	}
	switch {
	case approved && c == 1:
		return "3"
	case approved && c == 2:
		return "2"
	case a == Unlikely:
		return "4"
	}
	return ""
}

// Notice is the wording of an advance notice, with the day up to which it may be used. {what}
// stands for the word of what is listed.
type Notice struct {
	Form, Edition, Until, Approved, Title, Note string
	Columns                                     []string
	Todo                                        string
	Steps                                       []string
	Options                                     string
	Choices                                     []string
	Additional, Opinion, Signature, Date        string
	Rights, Burden                              string
}

// Holds says whether the edition may be used on a day (YYYY-MM-DD).
func (n Notice) Holds(day string) bool { return n.Until != "" && day <= n.Until && n.Title != "" }

// Sound names what a notice lacks, "" for nothing: three choices and every box have to be
// there, whatever edition it is.
func (n Notice) Sound() string {
	switch {
	case n.Form != "CMS-R-131":
		return "it is not Form CMS-R-131"
	case len(n.Until) != 10:
		return "it does not say until when it may be used"
	case len(n.Choices) != 3:
		return "it has not three options"
	case len(n.Columns) != 3:
		return "it has not the boxes D, E and F"
	}
	for i, c := range n.Choices {
		if !strings.HasPrefix(c, fmt.Sprintf("OPTION %d.", i+1)) {
			return fmt.Sprintf("its option %d does not begin so", i+1)
		}
	}
	for _, box := range []struct{ text, begins string }{{n.Columns[0], "D."}, {n.Columns[1], "E."}, {n.Columns[2], "F."}, {n.Options, "G."}, {n.Additional, "H."}, {n.Signature, "I."}, {n.Date, "J."}} {
		if !strings.HasPrefix(box.text, box.begins) {
			return "the box " + box.begins + " is not there"
		}
	}
	return ""
}
