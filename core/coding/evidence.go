package coding

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"deftledger/core/chart"
)

// LOINC codes of the quantities that evidence is read from.
const (
	loincPressure   = "85354-9"
	loincSaturation = "59408-5"
	loincBMI        = "39156-5"
	loincEGFR       = "98979-8"
	loincA1c        = "4548-4"
	loincHemoglobin = "718-7"
	loincFerritin   = "2276-4"
)

// EvidenceLOINC are the quantities that FromChart reads.
var EvidenceLOINC = []string{loincPressure, loincSaturation, loincBMI, loincEGFR, loincA1c, loincHemoglobin, loincFerritin}

// longTerm are the status codes of medicines taken for long, with the conditions that
// make them so (ICD-10-CM Official Guidelines 2026, I.C.21.c.3, and the "use additional
// code" notes of the categories). Without such a condition nothing is offered: a short
// course is no long-term use.
var longTerm = []struct{ class, code, with string }{
	{"insulin", "Z79.4", "E08 E09 E11 E13"},
	{"biguanide", "Z79.84", "E08 E09 E11 E13"},
	{"sulfonylurea", "Z79.84", "E08 E09 E11 E13"},
	{"SGLT2 inhibitor", "Z79.84", "E08 E09 E11 E13"},
	{"DPP-4 inhibitor", "Z79.84", "E08 E09 E11 E13"},
	{"thiazolidinedione", "Z79.84", "E08 E09 E11 E13"},
	{"meglitinide", "Z79.84", "E08 E09 E11 E13"},
	{"alpha-glucosidase inhibitor", "Z79.84", "E08 E09 E11 E13"},
	{"GLP-1 receptor agonist", "Z79.85", "E08 E09 E11 E13"},
	{"anticoagulant", "Z79.01", "I26 I27.82 I48 I82 Z86.71 D68"},
	{"antiplatelet", "Z79.02", "I20 I25 I63 I70 I73 Z86.73 Z95"},
	{"aspirin", "Z79.82", "I20 I25 I63 I70 I73 Z86.73 Z95"},
	{"inhaled steroid", "Z79.51", "J44 J45"},
	{"bisphosphonate", "Z79.83", "M80 M81"},
}

// FromChart finds the codes that medicines, vital signs and results support beside the
// conditions named: the diagnoses of the visit with those the text supports. A medicine or a number alone names no condition (guidelines I.A.19
// and III.B): what is offered is a status code, a finding code, or a more specific code
// for a condition that is named. The words say what it was read from.
func FromChart(c *Catalogue, named []string, held chart.Record) []Supported {
	var out []Supported
	ongoing, months := held.ProblemCodes(), held.Months()
	offer := func(code, words string) {
		if e, ok := c.Lookup(code); ok && e.Billable && !slices.Contains(named, code) &&
			!slices.ContainsFunc(out, func(s Supported) bool { return s.Code == code }) {
			out = append(out, Supported{Entry: e, Words: words})
		}
	}
	anyOf := func(codes []string, begins string) bool {
		return slices.ContainsFunc(strings.Fields(begins), func(b string) bool {
			return slices.ContainsFunc(codes, func(x string) bool { return strings.HasPrefix(x, b) })
		})
	}
	for _, m := range held.Medicines {
		classes, words := m.Classes, strings.TrimSpace(m.Name+" "+m.Dose)
		for _, l := range longTerm {
			code := l.code
			if code == "Z79.85" && strings.Contains(strings.ToLower(words), "tablet") {
				code = "Z79.84" // by mouth
			}
			if slices.Contains(classes, l.class) && anyOf(named, l.with) {
				offer(code, words+" on the medicine list")
			}
		}
	}
	number := func(loinc, unit string) (chart.Value, float64, bool) {
		v, there := held.Newest(loinc)
		n, err := strconv.ParseFloat(v.Text, 64)
		return v, n, there && err == nil && v.Unit == unit
	}
	// Body-mass index: adults of 20 years and more, beside a diagnosis of weight (I.B.14).
	if v, n, ok := number(loincBMI, "kg/m2"); ok && v.Day == held.Day && months >= 240 &&
		anyOf(named, "E40 E41 E42 E43 E44 E45 E46 E66 R63.4 R63.5 R63.6") {
		offer(massIndexCode(n), v.Says())
	}
	// An elevated reading, where no hypertension is known (R03.0; 140/90 as the cautious line).
	if v, ok := held.Newest(loincPressure); ok && v.Day == held.Day && months >= 216 {
		up, down, _ := strings.Cut(v.Text, "/")
		systolic, err1 := strconv.Atoi(up)
		diastolic, err2 := strconv.Atoi(down)
		if err1 == nil && err2 == nil && (systolic >= 140 || diastolic >= 90) &&
			!anyOf(slices.Concat(named, ongoing), "I10 I11 I12 I13 I15 I16 I1A O10 O11 O13 O14 O16 R03") {
			offer("R03.0", v.Says()+"; no hypertension is recorded")
		}
	}
	if v, n, ok := number(loincSaturation, "%"); ok && v.Day == held.Day && n < 90 && !anyOf(named, "J96 R09.02") {
		offer("R09.02", v.Says())
	}
	// The stage of a kidney disease that is named without one (KDIGO 2024: over three months).
	if slices.Contains(named, "N18.9") {
		if code, words := kidneyStage(held); code != "" {
			offer(code, words)
		}
	}
	// An anemia named without its kind, with ferritin below 45 ng/mL (AGA 2020).
	if slices.Contains(named, "D64.9") {
		if v, n, ok := number(loincFerritin, "ng/mL"); ok && n < 45 && within(v.Day, held.Day, 183) {
			words := v.Says()
			if h, there := held.Newest(loincHemoglobin); there {
				words += ", " + h.Says()
			}
			offer("D50.9", words)
		}
	}
	// An abnormal glucose that is named, with a hemoglobin A1c of 5.7 to 6.4 % (ADA 2026).
	if anyOf(named, "R73.09 R73.9 R73.01") && !anyOf(slices.Concat(named, ongoing), "E08 E09 E10 E11 E13") {
		if v, n, ok := number(loincA1c, "%"); ok && n >= 5.7 && n <= 6.4 && within(v.Day, held.Day, 183) {
			offer("R73.03", v.Says())
		}
	}
	return out
}

// massIndexCode is the code of an adult's body-mass index (category Z68).
func massIndexCode(n float64) string {
	switch {
	case n < 20:
		return "Z68.1"
	case n < 40:
		return fmt.Sprintf("Z68.%d", int(math.Floor(n)))
	case n < 45:
		return "Z68.41"
	case n < 50:
		return "Z68.42"
	case n < 60:
		return "Z68.43"
	case n < 70:
		return "Z68.44"
	}
	return "Z68.45"
}

// kidneyStage is the stage that the newest filtration rate, of the last year, and one of
// at least 90 days before agree on.
func kidneyStage(held chart.Record) (code, words string) {
	stage := func(v chart.Value) string {
		n, err := strconv.ParseFloat(strings.TrimPrefix(v.Text, ">"), 64)
		switch {
		case err != nil || v.Unit != "mL/min/{1.73_m2}":
			return ""
		case n >= 90:
			return "N18.1"
		case n >= 60:
			return "N18.2"
		case n >= 45:
			return "N18.31"
		case n >= 30:
			return "N18.32"
		case n >= 15:
			return "N18.4"
		}
		return "N18.5"
	}
	var now chart.Value
	for _, v := range slices.Backward(held.Values) {
		switch {
		case v.LOINC != loincEGFR:
		case now.Day == "":
			if now = v; stage(v) == "" || strings.HasPrefix(v.Text, ">") || !within(v.Day, held.Day, 366) {
				return "", ""
			}
		case !within(v.Day, now.Day, 89):
			if stage(v) != stage(now) {
				return "", ""
			}
			return stage(now), now.Says() + ", " + v.Text + " on " + chart.SayDay(v.Day)
		}
	}
	return "", ""
}

// within says whether a day lies at most so many days before another.
func within(day, other string, days int) bool {
	a, err1 := time.Parse(time.DateOnly, day)
	b, err2 := time.Parse(time.DateOnly, other)
	return err1 == nil && err2 == nil && !a.After(b) && b.Sub(a) <= time.Duration(days)*24*time.Hour
}
