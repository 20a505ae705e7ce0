package outside_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/outside"
)

// The chart of the cases; what stands beside it was decided by hand, before there was anything that compares.
var ours = []outside.Ours{
	{ID: "p1", List: outside.Problems, Title: "Chronic kidney disease, stage 3a", Code: "N18.31"},
	{ID: "p2", List: outside.Problems, Title: "Idiopathic gout, right ankle and foot", Code: "M10.071"},
	{ID: "p3", List: outside.Problems, Title: "Essential hypertension", Code: "I10"},
	{ID: "p4", List: outside.Problems, Title: "Pneumonia, unspecified organism", Code: "J18.9", Ended: "2020-03-01"},
	{ID: "m1", List: outside.Medicines, Title: "Allopurinol", Detail: "100 mg daily", Names: []string{"allopurinol"}},
	{ID: "m2", List: outside.Medicines, Title: "Losartan", Detail: "50 mg daily", Names: []string{"losartan"}},
	{ID: "m3", List: outside.Medicines, Title: "Naproxen", Detail: "500 mg twice daily", Names: []string{"naproxen"}, Ended: "2026-09-02"},
	{ID: "a1", List: outside.Allergies, Title: "Naproxen", Detail: "stomach bleed", Severity: "severe", Names: []string{"naproxen"}},
	{ID: "a2", List: outside.Allergies, Title: "Sulfonamide antibiotics", Detail: "hives", Names: []string{"sulfonamide antibiotics"}},
	{ID: "v1", List: outside.Immunizations, Title: "Influenza", Code: "150", Since: "2025-10-02"},
}

// A chart with values and an operation.
var had = append([]outside.Ours{
	{ID: "k1", List: outside.Results, Title: "Potassium", Code: "2823-3", Detail: "4.40", Unit: "mmol/L", Since: "2026-05-01T08:30-04:00"},
	{ID: "k2", List: outside.Results, Title: "Hemoglobin A1c", Code: "4548-4", Detail: "6.1", Unit: "%", Since: "2026-04-11"},
	{ID: "w1", List: outside.Vitals, Title: "Weight", Code: "29463-7", Detail: "71.2", Unit: "kg", Since: "2026-05-01T13:00:00Z"},
	{ID: "s1", List: outside.Procedures, Title: "Gallbladder removed", Since: "2008"},
}, ours...)

func value(list, loinc, text, unit, at string) outside.Theirs {
	t := outside.Theirs{Checked: true, Item: outside.Item{List: list, Title: "A value", Value: text, Unit: unit, Since: at}}
	if loinc != "" {
		t.Codes = []outside.Code{{Code: loinc, System: outside.LOINC}}
	}
	return t
}

func done(title, day, status string) outside.Theirs {
	return outside.Theirs{Checked: true, Item: outside.Item{List: outside.Procedures, Title: title, Since: day, Status: status}}
}

// Values stand beside values of their moment, wherever the clock that told it stood; nothing is converted.
func TestValuesAndProceduresAreSetBesideTheChart(t *testing.T) {
	early := value(outside.Results, "2823-3", "4.4", "mmol/L", "2026-05-02")
	early.Doubt = "its state is preliminary"
	for _, c := range []struct {
		name    string
		theirs  outside.Theirs
		stand   outside.Stand
		with    string
		certain bool
	}{
		{"the same", value(outside.Results, "2823-3", "4.40", "mmol/L", "2026-05-01T08:30:00-04:00"), outside.Same, "k1", true},
		{"the same by another clock", value(outside.Results, "2823-3", "4.40", "mmol/L", "2026-05-01T12:30:00Z"), outside.Same, "k1", true},
		{"fewer digits are another value", value(outside.Results, "2823-3", "4.4", "mmol/L", "2026-05-01T12:30:00Z"), outside.Conflict, "k1", false},
		{"another unit is another value", value(outside.Results, "2823-3", "4.40", "meq/L", "2026-05-01T12:30:00Z"), outside.Conflict, "k1", false},
		{"an hour later", value(outside.Results, "2823-3", "4.40", "mmol/L", "2026-05-01T13:30:00Z"), outside.New, "", true},
		{"of the day only", value(outside.Results, "4548-4", "6.1", "%", "2026-04-11T09:00:00-04:00"), outside.Same, "k2", true},
		{"another of the day only", value(outside.Results, "4548-4", "7.9", "%", "2026-04-11"), outside.Conflict, "k2", false},
		{"new", value(outside.Results, "2951-2", "139", "mmol/L", "2026-05-01"), outside.New, "", true},
		{"no code", value(outside.Results, "", "139", "mmol/L", "2026-05-01"), outside.Unsure, "", false},
		{"no day", value(outside.Results, "2951-2", "139", "mmol/L", "2026"), outside.Unsure, "", false},
		{"preliminary", early, outside.Unsure, "", false},
		{"tomorrow", value(outside.Results, "2951-2", "139", "mmol/L", "2027-01-01"), outside.Unsure, "", false},
		{"a weight of ours", value(outside.Vitals, "29463-7", "71.2", "kg", "2026-05-01T09:00:00-04:00"), outside.Same, "w1", true},
		{"a new procedure is never certain", done("Appendectomy", "2001", outside.Done), outside.New, "", false},
		{"the same procedure", done("Gallbladder removed", "2008-05-01", outside.Done), outside.Same, "s1", true},
		{"at another time", done("Gallbladder removed", "2011", outside.Done), outside.Differs, "s1", false},
		{"not done", done("Gallbladder removed", "2008", outside.NotDone), outside.Unsure, "", false},
	} {
		got := outside.Compare(had, c.theirs, "1968-03-14", "2026-11-20")
		with := ""
		if got.With != nil {
			with = got.With.ID
		}
		require.Equal(t, []any{c.stand, c.with, c.certain}, []any{got.Stand, with, got.Certain}, "%s: %s", c.name, got.Why)
		require.NotEmpty(t, got.Why)
	}
}

// Entries of two houses are one fact only where both say the same for certain.
func TestOneFactOfTwoHouses(t *testing.T) {
	doubted := icd(outside.Problems, "Gout", "M10.9", outside.Active)
	doubted.Doubt = "it is provisional there"
	for _, c := range []struct {
		name string
		a, b outside.Theirs
		same bool
	}{
		{"a code in other words", icd(outside.Problems, "HTN", "I10", outside.Active), icd(outside.Problems, "Essential hypertension", "I10", outside.Active), true},
		{"active and ended", icd(outside.Problems, "HTN", "I10", outside.Active), icd(outside.Problems, "HTN", "I10", outside.Ended), false},
		{"the same words and no code", icd(outside.Problems, "Bad knees", "", outside.Active), icd(outside.Problems, "Bad knees", "", outside.Active), false},
		{"one of them is not certain", icd(outside.Problems, "Gout", "M10.9", outside.Active), doubted, false},
		{"a dose in other words", med("Losartan 50 MG Oral Tablet", "one tablet once a day", outside.Active, "losartan"), med("Losartan", "50 mg daily", outside.Active, "losartan"), true},
		{"another dose", med("Losartan", "50 mg daily", outside.Active, "losartan"), med("Losartan", "100 mg daily", outside.Active, "losartan"), false},
		{"a medicine nobody knows", med("Mixture 4", "daily", outside.Active), med("Mixture 4", "daily", outside.Active), false},
		{"an allergy", allergic("Penicillin", "hives", "", outside.Active, "penicillins"), allergic("penicillin G", "Hives", "", outside.Active, "penicillins"), true},
		{"a graver one", allergic("Penicillin", "hives", "", outside.Active, "penicillins"), allergic("Penicillin", "hives", "severe", outside.Active, "penicillins"), false},
		{"a vaccine of one day", shot("150", "2025-10-02", outside.Given), shot("150", "2025-10-02T09:00:00-04:00", outside.Given), true},
		{"of some days later", shot("150", "2025-10-02", outside.Given), shot("150", "2025-10-04", outside.Given), false},
		{"a value of one moment", value(outside.Results, "2823-3", "4.4", "mmol/L", "2026-05-01T08:30:00-04:00"), value(outside.Results, "2823-3", "4.4", "mmol/L", "2026-05-01T12:30:00Z"), true},
		{"a value of one day", value(outside.Results, "2823-3", "4.4", "mmol/L", "2026-05-01"), value(outside.Results, "2823-3", "4.4", "mmol/L", "2026-05-01"), false},
		{"two lists", value(outside.Results, "29463-7", "71", "kg", "2026-05-01T08:30:00Z"), value(outside.Vitals, "29463-7", "71", "kg", "2026-05-01T08:30:00Z"), false},
	} {
		require.Equal(t, c.same, outside.SameFact(c.a, c.b), c.name)
		require.Equal(t, c.same, outside.SameFact(c.b, c.a), c.name)
	}
}

func icd(list, title, code, status string) outside.Theirs {
	return outside.Theirs{Checked: true, Item: outside.Item{List: list, Title: title, Status: status, Codes: []outside.Code{{Code: code, System: outside.ICD10}}}}
}

func med(title, detail, status string, names ...string) outside.Theirs {
	return outside.Theirs{Checked: true, Names: names, Item: outside.Item{List: outside.Medicines, Title: title, Detail: detail, Status: status}}
}

func allergic(title, detail, severity, status string, names ...string) outside.Theirs {
	return outside.Theirs{Checked: true, Names: names, Item: outside.Item{List: outside.Allergies, Title: title, Detail: detail, Severity: severity, Status: status}}
}

func shot(cvx, day, status string) outside.Theirs {
	return outside.Theirs{Checked: true, Item: outside.Item{List: outside.Immunizations, Title: "Vaccine", Since: day, Status: status, Codes: []outside.Code{{Code: cvx, System: outside.CVX}}}}
}

func TestEntriesAreSetBesideTheChart(t *testing.T) {
	warned := med("Ibuprofen 400 MG Oral Tablet", "twice daily", outside.Active, "ibuprofen")
	warned.Warnings = []string{"avoid: kidney"}
	unchecked := med("Acetaminophen", "500 mg daily", outside.Active, "acetaminophen")
	unchecked.Checked = false
	doubted := med("Colchicine", "", outside.NotCertain, "colchicine")
	doubted.Doubt = "completed, with no end"
	none := func(list string) outside.Theirs {
		return outside.Theirs{Checked: true, Item: outside.Item{List: list, None: true}}
	}
	early, late := icd(outside.Problems, "Asthma", "J45.909", outside.Active), icd(outside.Problems, "Asthma", "J45.909", outside.Active)
	early.Since, late.Since = "1950", "2027-01-01"
	for _, c := range []struct {
		name    string
		theirs  outside.Theirs
		stand   outside.Stand
		with    string
		certain bool
	}{
		{"the same code", icd(outside.Problems, "HTN", "I10", outside.Active), outside.Same, "p3", true},
		{"another stage", icd(outside.Problems, "CKD 3b", "N18.32", outside.Active), outside.Differs, "p1", false},
		{"less exact", icd(outside.Problems, "Gout, unspecified", "M10.9", outside.Active), outside.Differs, "p2", false},
		{"ended there", icd(outside.Problems, "Essential hypertension", "I10", outside.Ended), outside.Conflict, "p3", false},
		{"ended here", icd(outside.Problems, "Pneumonia", "J18.9", outside.Active), outside.Conflict, "p4", false},
		{"ended in both", icd(outside.Problems, "Pneumonia", "J18.9", outside.Ended), outside.Same, "p4", true},
		{"past and nowhere", icd(outside.Problems, "Acute kidney failure", "N17.9", outside.Ended), outside.Older, "", false},
		{"a new problem is never certain", icd(outside.Problems, "Type 2 diabetes", "E11.9", outside.Active), outside.New, "", false},
		{"no code", icd(outside.Problems, "Bad knees", "", outside.Active), outside.Unsure, "", false},
		{"denied", icd(outside.Problems, "Essential hypertension", "I10", "denied"), outside.Conflict, "p3", false},
		{"no known problems", none(outside.Problems), outside.Conflict, "p1", false},
		{"before the birth", early, outside.Unsure, "", false},
		{"in the future", late, outside.Unsure, "", false},

		{"the same dose in other words", med("Allopurinol 100 MG Oral Tablet", "one tablet once a day", outside.Active, "allopurinol"), outside.Same, "m1", true},
		{"a changed dose", med("Allopurinol 100 MG Oral Tablet", "two tablets (200 mg) by mouth once a day", outside.Active, "allopurinol"), outside.Differs, "m1", false},
		{"so much each, or in all", med("Allopurinol", "two tablets (200 mg) once a day", outside.Active, "allopurinol"), outside.Unsure, "m1", false},
		{"so much in pieces", med("Losartan", "50 mg (2 tablets) daily", outside.Active, "losartan"), outside.Unsure, "m2", false},
		{"a word says which", med("Losartan", "two tablets of 25 mg daily", outside.Active, "losartan"), outside.Same, "m2", true},
		{"a dose by the bare interval", med("Losartan 50 MG Oral Tablet", "50 mg, every 24 h", outside.Active, "losartan"), outside.Same, "m2", true},
		{"as needed cannot be compared", med("Losartan 50 MG Oral Tablet", "as needed", outside.Active, "losartan"), outside.Unsure, "m2", false},
		{"no dose said", med("Losartan", "", outside.Active, "losartan"), outside.Unsure, "m2", false},
		{"ended here, active there", med("Naproxen 500 MG Oral Tablet", "twice a day as needed", outside.Active, "naproxen"), outside.Conflict, "m3", false},
		{"active here, ended there", med("Losartan", "50 mg daily", outside.Ended, "losartan"), outside.Conflict, "m2", false},
		{"a part of a combination", med("Losartan and hydrochlorothiazide", "50 mg daily", outside.Active, "losartan", "hydrochlorothiazide"), outside.Differs, "m2", false},
		{"new and undisputed", med("Acetaminophen 500 MG Oral Tablet", "as needed", outside.Active, "acetaminophen"), outside.New, "", true},
		{"new and not checked", unchecked, outside.New, "", false},
		{"new and warned of", warned, outside.Conflict, "", false},
		{"nobody knows it", med("Herbal mixture no. 4", "daily", outside.Active), outside.Unsure, "", false},
		{"their record is not certain", doubted, outside.Unsure, "", false},
		{"no medicines", none(outside.Medicines), outside.Conflict, "m1", false},

		{"none known against ours", none(outside.Allergies), outside.Conflict, "a1", false},
		{"the same substance", allergic("Naproxen", "", "", outside.Active, "naproxen"), outside.Same, "a1", true},
		{"a milder severity weakens nothing", allergic("Naproxen", "rash", "mild", outside.Active, "naproxen"), outside.Differs, "a1", false},
		{"ended there", allergic("Naproxen", "", "", outside.Ended, "naproxen"), outside.Conflict, "a1", false},
		{"a severity where we have none", allergic("Sulfa", "hives", "moderate", outside.Active, "sulfonamide antibiotics"), outside.Differs, "a2", false},
		{"a new substance", allergic("Latex", "hives", "", outside.Active, "latex"), outside.New, "", true},
		{"a substance nobody knows", allergic("Blue stuff", "itch", "", outside.Active), outside.Unsure, "", false},
		{"denied", allergic("Naproxen", "", "", "denied", "naproxen"), outside.Conflict, "a1", false},

		{"the same dose of a vaccine", shot("150", "2025-10-02", outside.Given), outside.Same, "v1", true},
		{"two days apart", shot("150", "2025-10-04", outside.Given), outside.Differs, "v1", false},
		{"a new dose", shot("150", "2026-10-11", outside.Given), outside.New, "", true},
		{"only the year", shot("150", "2025", outside.Given), outside.Unsure, "v1", false},
		{"not given", shot("216", "2026-10-11", outside.NotGiven), outside.Unsure, "", false},
		{"no code", shot("", "2026-10-11", outside.Given), outside.Unsure, "", false},
	} {
		got := outside.Compare(ours, c.theirs, "1968-03-14", "2026-11-28")
		with := ""
		if got.With != nil {
			with = got.With.ID
		}
		require.Equal(t, c.stand, got.Stand, "%s: %s", c.name, got.Why)
		require.Equal(t, c.certain, got.Certain, c.name)
		require.NotEmpty(t, got.Why, c.name)
		if c.stand != outside.Unsure || c.with != "" {
			require.Equal(t, c.with, with, c.name)
		}
	}
	require.Equal(t, outside.Conflict, outside.Compare([]outside.Ours{{List: outside.Allergies, None: true}}, allergic("Latex", "", "", outside.Active, "latex"), "", "2026-11-28").Stand,
		"anything against none known is asked")
}
