package coding

import (
	"fmt"
	"slices"
	"strings"
)

// How much fits on one professional claim (CMS-1500 form, version 02/12; X12 837P
// 005010X222A1, segments HI and SV107).
const (
	ClaimDiagnoses  = 12
	ServicePointers = 4
)

// Service is one that can be charged.
type Service struct {
	Code  string `json:"code" yaml:"code"`
	Words string `json:"words" yaml:"words"`
	Kind  string `json:"kind" yaml:"kind"` // visit, preventive, service, supply
	From  int    `json:"from" yaml:"from"` // ages in completed months; 0 for no limit
	Below int    `json:"below" yaml:"below"`
}

// Charge is one line of a claim: a service with the diagnoses that justify it, the most
// telling first.
type Charge struct {
	Code      string   `json:"code"`
	Units     int      `json:"units"`
	Modifiers []string `json:"modifiers"`
	Pointers  []string `json:"pointers" doc:"Diagnosis codes, at most four"`
}

// ClaimFit is what of a list of diagnoses goes on the claim.
type ClaimFit struct {
	On     []string `json:"on"`
	Off    []string `json:"off" doc:"Kept in the note only"`
	Lost   []string `json:"lost" doc:"Diagnoses that a service points at and that do not fit"`
	Better []string `json:"better" doc:"An order in which every service keeps its support; empty when the present one does, or none can"`
}

// Fit says which diagnoses of a visit, in their order, go on the claim beside the
// charges, and offers a better order when a service would lose its support. The
// first-listed stays first.
func Fit(codes []string, charges []Charge) ClaimFit {
	f := ClaimFit{On: codes[:min(ClaimDiagnoses, len(codes))], Off: []string{}, Lost: []string{}, Better: []string{}}
	f.Off = append(f.Off, codes[len(f.On):]...)
	pointed := func(c string) bool {
		return slices.ContainsFunc(charges, func(x Charge) bool { return slices.Contains(x.Pointers, c) })
	}
	for _, c := range f.Off {
		if pointed(c) {
			f.Lost = append(f.Lost, c)
		}
	}
	if len(f.Lost) == 0 {
		return f
	}
	var first, rest []string
	for i, c := range codes {
		if i == 0 || pointed(c) {
			first = append(first, c)
		} else {
			rest = append(rest, c)
		}
	}
	if len(first) <= ClaimDiagnoses { // all that is pointed at fits: what is not goes last
		f.Better = append(first, rest...)
	}
	return f
}

// modifierWords are the modifiers that the checks know; any two characters are taken.
var modifierWords = map[string]string{"25": "significant, separately identifiable evaluation on the same day"}

// CheckCharges says what is missing or doubtful about the charges of a visit, in the
// order of the lines. months is the age; below zero for unknown.
func CheckCharges(charges []Charge, codes []string, list map[string]Service, months int) []string {
	var out []string
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	seen := map[string]bool{}
	var visits, preventives []Charge
	for _, c := range charges {
		s, known := list[c.Code]
		switch {
		case !known:
			say("%s is not in the list of services", c.Code)
		case months >= 0 && (months < s.From || s.Below > 0 && months >= s.Below):
			say("%s (%s) does not fit the age of this patient", c.Code, s.Words)
		}
		key := c.Code + " " + strings.Join(slices.Sorted(slices.Values(c.Modifiers)), " ")
		if seen[key] {
			say("%s stands twice; raise the units, or tell the two apart by a modifier", c.Code)
		}
		seen[key] = true
		if c.Units < 1 {
			say("%s needs a number of units", c.Code)
		}
		switch n := len(c.Pointers); {
		case n == 0:
			say("%s has no diagnosis that justifies it", c.Code)
		case n > ServicePointers:
			say("%s points at %d diagnoses; %d fit", c.Code, n, ServicePointers)
		}
		for _, p := range c.Pointers {
			if i := slices.Index(codes, p); i < 0 {
				say("%s points at %s, which is not among the visit's diagnoses", c.Code, p)
			} else if i >= ClaimDiagnoses {
				say("%s points at %s, which does not fit on the claim", c.Code, p)
			}
			if strings.HasPrefix(p, "Z00.0") && s.Kind == "visit" && len(c.Pointers) == 1 {
				say("%s is a visit for a problem, and %s names none", c.Code, p)
			}
		}
		for _, m := range c.Modifiers {
			if len(m) != 2 {
				say("%q is not a modifier; it has two characters", m)
			}
		}
		switch s.Kind {
		case "visit":
			visits = append(visits, c)
		case "preventive":
			preventives = append(preventives, c)
		}
	}
	if len(visits) > 1 && visits[0].Code != visits[1].Code {
		say("two visits of one day: %s and %s", visits[0].Code, visits[1].Code)
	}
	if len(preventives) > 1 {
		say("two preventive visits of one day: %s and %s", preventives[0].Code, preventives[1].Code)
	}
	if len(visits) == 1 && len(preventives) == 1 && !slices.Contains(visits[0].Modifiers, "25") {
		say("%s beside a preventive visit needs modifier 25 (%s)", visits[0].Code, modifierWords["25"])
	}
	return out
}

// Proposed is a line for a service as it would be charged beside others: once, for the first
// diagnoses that fit on a line, and with modifier 25 for a visit for a problem beside a
// preventive one. It is shown before anything is handed to billing, and every part of it can
// be changed.
func Proposed(code string, beside []Charge, diagnoses []string, services map[string]Service) Charge {
	line := Charge{Code: code, Units: 1, Modifiers: []string{},
		Pointers: append([]string{}, diagnoses[:min(ServicePointers, len(diagnoses))]...)}
	preventive := slices.ContainsFunc(beside, func(c Charge) bool { return services[c.Code].Kind == "preventive" })
	if preventive && services[code].Kind == "visit" {
		line.Modifiers = []string{"25"}
	}
	return line
}

// Preventive is the number of the preventive visit for an age in completed months;
// "" when the age is not known.
func Preventive(fresh bool, months int) string {
	if months < 0 {
		return ""
	}
	base := 99391
	if fresh {
		base = 99381
	}
	for i, below := range []int{12, 60, 144, 216, 480, 780} {
		if months < below {
			return fmt.Sprint(base + i)
		}
	}
	return fmt.Sprint(base + 6)
}
