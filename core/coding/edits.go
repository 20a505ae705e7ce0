package coding

import (
	"fmt"
	"slices"
	"strings"
)

// edit is a span of codes that belongs to one sex, or to ages (in completed months,
// from and below; 0 for no limit).
type edit struct {
	codes       string // references in the form of the tabular list
	sex         string
	from, below int
	says        string
}

// The commonest edits by sex and age. Source: CMS, Definitions of Medicare Code Edits
// (version 41, 2024), sections "Age conflict" and "Sex conflict" (newborn: age 0;
// pediatric: 0 to 17 years; maternity: 9 to 64; adult: 15 and over), and the notes of
// the tabular list where they name an age. They ask, they never refuse: the chart's
// administrative sex need not be the one that a condition depends on.
var editTable = []edit{
	{"(O00-O9A), (Z33), (Z34), (Z36), (Z37), (Z39), (Z3A)", "F", 9 * 12, 65 * 12, "pregnancy, childbirth and the puerperium"},
	{"(C51-C58), (D06), (D25-D28), (D39), (N70-N77), (N80-N98), (E28), (R87), (Z01.41), (Z12.4), (Z12.72), (Z78.0)", "F", 0, 0,
		"conditions of female organs"},
	{"(C60-C63), (D07.4-D07.6), (D29), (D40), (N40-N53), (R86), (Z12.5), (Z12.71), (B26.0), (Z98.52)", "M", 0, 0, "conditions of male organs"},
	{"(Z38)", "", 0, 12, "liveborn infants, on the birth record"},
	{"(Z00.11)", "", 0, 1, "health examination of a newborn under 29 days"},
	{"(Z00.12)", "", 0, 18 * 12, "health examination of a child"},
	{"(Z00.0)", "", 15 * 12, 0, "health examination of an adult"},
	{"(Z68.1-Z68.45)", "", 20 * 12, 0, "body-mass index of adults (20 years and over)"},
	{"(Z68.5)", "", 2 * 12, 20 * 12, "body-mass index percentiles (2 to 19 years)"},
	{"(M80.0), (M81.0), (N40), (F01-F03), (H25), (I70), (G30)", "", 15 * 12, 0, "conditions of adults"},
	{"(R95)", "", 0, 12, "sudden infant death"},
	{"(L21.0), (L21.1), (R10.83), (K00.7)", "", 0, 18 * 12, "conditions of infants and children"},
}

var parsedEdits = func() [][]Reference {
	out := make([][]Reference, len(editTable))
	for i, e := range editTable {
		out[i] = References(e.codes)
	}
	return out
}()

func edits(code string, v Visit) []Advice {
	var out []Advice
	const source = "CMS, Definitions of Medicare Code Edits, version 41 (2024)"
	for i, e := range editTable {
		if !meansAny(parsedEdits[i], code) {
			continue
		}
		if e.sex != "" && v.Sex != e.sex && (v.Sex == "F" || v.Sex == "M") {
			out = append(out, advice(Advice{Kind: "sex", Codes: []string{code},
				Says: fmt.Sprintf("%s is for %s, and this chart says %s. Is it right?", code, e.says,
					map[string]string{"F": "female", "M": "male"}[v.Sex]), Quote: "Sex conflict", Source: source}, ""))
		}
		if v.Months >= 0 && (v.Months < e.from || e.below > 0 && v.Months >= e.below) {
			out = append(out, advice(Advice{Kind: "age", Codes: []string{code},
				Says: fmt.Sprintf("%s is for %s, and this patient is %s. Is it right?", code, e.says, ageSaid(v.Months)), Quote: "Age conflict",
				Source: source}, ""))
		}
	}
	return out
}

func ageSaid(months int) string {
	if months < 24 {
		return fmt.Sprintf("%d months old", months)
	}
	return fmt.Sprintf("%d years old", months/12)
}

// joint is a code that stands in place of one of two, because the classification
// presumes that they belong together.
type joint struct {
	first, second string // references: the code that is replaced, and what stands beside it
	become        func(v Visit) string
	says, quote   string
	source        string
}

func always(code string) func(Visit) string { return func(Visit) string { return code } }

func has(v Visit, refs string) bool {
	rs := References(refs)
	return slices.ContainsFunc(v.Codes, func(x string) bool { return meansAny(rs, x) })
}

// heartKidney picks the combined code of hypertension for what is on the list.
func heartKidney(v Visit) string {
	failing, late, kidney := has(v, "(I50)"), has(v, "(N18.5), (N18.6)"), has(v, "(N18)")
	switch {
	case failing && kidney && late:
		return "I13.2"
	case failing && kidney:
		return "I13.0"
	case failing:
		return "I11.0"
	case late:
		return "I12.0"
	}
	return "I12.9"
}

const with = `"The word 'with' or 'in' should be interpreted to mean 'associated with' or 'due to' ... even in the absence of provider documentation explicitly linking them, unless the documentation clearly states the conditions are unrelated"`

// The commonest codes in place of two. Source: ICD-10-CM Official Guidelines for
// Coding and Reporting, FY 2026, and the tabular list.
var jointTable = []joint{
	{"(I10), (I11.9), (I12.9), (I12.0), (I11.0)", "(I50), (N18)", heartKidney,
		"hypertension with heart failure or chronic kidney disease has codes of its own; the kidney disease and the heart failure stay on the list after it", `"ICD-10-CM presumes a cause-and-effect relationship"`, "guideline I.C.9.a.1-3"},
	{"(E11.9)", "(N18)", always("E11.22"), "diabetes with chronic kidney disease is one code; the stage stays on the list after it", with,
		"guideline I.A.15; index: Diabetes, type 2, with, chronic kidney disease"},
	{"(E10.9)", "(N18)", always("E10.22"), "diabetes with chronic kidney disease is one code; the stage stays on the list after it", with,
		"guideline I.A.15; index: Diabetes, type 1, with, chronic kidney disease"},
	{"(E11.9)", "(G62.9), (G60.9), (G63)", always("E11.42"), "diabetes with polyneuropathy is one code", with,
		"guideline I.A.15; index: Diabetes, type 2, with, polyneuropathy"},
	{"(E10.9)", "(G62.9), (G60.9), (G63)", always("E10.42"), "diabetes with polyneuropathy is one code", with,
		"guideline I.A.15; index: Diabetes, type 1, with, polyneuropathy"},
	{"(E11.9)", "(I73.9), (I70.2)", always("E11.51"), "diabetes with peripheral angiopathy is one code", with,
		"guideline I.A.15; index: Diabetes, type 2, with, peripheral angiopathy"},
	{"(E11.9)", "(L97.4), (L97.5)", always("E11.621"), "diabetes with a foot ulcer is one code; the ulcer stays on the list after it", with,
		"guideline I.A.15; index: Diabetes, type 2, with, foot ulcer"},
	{"(E11.9)", "(K31.84)", always("E11.43"), "diabetes with gastroparesis is one code; the gastroparesis stays on the list after it", with,
		"guideline I.A.15; index: Diabetes, type 2, with, gastroparesis"},
	{"(E11.9)", "(R73.9)", always("E11.65"), "diabetes with hyperglycemia is one code", with,
		"guideline I.A.15; index: Diabetes, type 2, with, hyperglycemia"},
	{"(E11.9)", "(E16.1), (E16.2)", always("E11.649"), "diabetes with hypoglycemia is one code", with,
		"guideline I.A.15; index: Diabetes, type 2, with, hypoglycemia"},
	{"(I25.10)", "(I20.0)", always("I25.110"), "coronary atherosclerosis with unstable angina is one code",
		`"A causal relationship can be assumed in a patient with both atherosclerosis and angina pectoris"`, "guideline I.C.9.b"},
	{"(I25.10)", "(I20.8), (I20.9)", always("I25.119"), "coronary atherosclerosis with angina is one code",
		`"A causal relationship can be assumed in a patient with both atherosclerosis and angina pectoris"`, "guideline I.C.9.b"},
	{"(J44.9)", "(J20), (J22), (J12-J18)", always("J44.0"),
		"chronic obstructive pulmonary disease with an acute lower respiratory infection has a code of its own; the infection stays on the list",
		`"Chronic obstructive pulmonary disease with (acute) lower respiratory infection"`, "tabular list at J44.0"},
	{"(E78.00), (E78.01)", "(E78.1)", always("E78.2"), "high cholesterol with high triglycerides is mixed hyperlipidemia",
		`"Elevated cholesterol with elevated triglycerides NEC"`, "tabular list at E78.2"},
	{"(M81.0)", "(M84.4), (M84.5), (M84.6)", always("M80.00XA"),
		"osteoporosis with a present pathological fracture is coded as one, by site and encounter",
		`"Osteoporosis, with current pathological fracture"`, "guideline I.C.13.d.2; choose the site under M80.0"},
}

type parsedJoint struct{ first, second []Reference }

var parsedJoints = func() []parsedJoint {
	out := make([]parsedJoint, len(jointTable))
	for i, j := range jointTable {
		out[i] = parsedJoint{References(j.first), References(j.second)}
	}
	return out
}()

func combined(v Visit) []Advice {
	var out []Advice
	for i, j := range jointTable {
		a := slices.IndexFunc(v.Codes, func(x string) bool { return meansAny(parsedJoints[i].first, x) })
		b := slices.IndexFunc(v.Codes, func(x string) bool { return meansAny(parsedJoints[i].second, x) })
		if a < 0 || b < 0 {
			continue
		}
		become := j.become(v)
		if become == v.Codes[a] {
			continue
		}
		out = append(out, advice(Advice{Kind: "combined", Codes: []string{v.Codes[a], v.Codes[b]},
			Says: strings.ToUpper(j.says[:1]) + j.says[1:] + ": " + become + " in place of " + v.Codes[a], Quote: j.quote, Source: j.source,
			Offers: []string{become}}, ""))
	}
	return out
}
