package coding_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/chart"
	"deftledger/core/coding"
)

// What medicines, vital signs and results support beside what is named. Each row is from
// the source named in the engine: guideline section, KDIGO, AGA, ADA, or category Z68.
func TestEvidenceOfTheChart(t *testing.T) {
	c, _ := load()
	const day = "2026-05-04"
	taken := func(name string, class ...string) chart.Record {
		return chart.Record{Day: day, Medicines: []chart.Medicine{{Name: name, Classes: class}}}
	}
	at := func(loinc, name, text, unit, on string) chart.Value {
		return chart.Value{LOINC: loinc, Name: name, Text: text, Unit: unit, Day: on}
	}
	values := func(vs ...chart.Value) chart.Record { return chart.Record{Day: day, Values: vs} }
	bmi := func(text string) chart.Record { return values(at("39156-5", "Body-mass index", text, "kg/m2", day)) }
	bp := func(text, on string) chart.Record { return values(at("85354-9", "Blood pressure", text, "mm[Hg]", on)) }
	egfr := func(text, on string) chart.Value { return at("98979-8", "eGFR", text, "mL/min/{1.73_m2}", on) }
	ferritin := func(text, on string) chart.Record {
		return values(at("718-7", "Hemoglobin", "10.4", "g/dL", on), at("2276-4", "Ferritin", text, "ng/mL", on))
	}
	a1c := func(text string) chart.Record { return values(at("4548-4", "Hemoglobin A1c", text, "%", "2026-04-20")) }
	for name, x := range map[string]struct {
		named, ongoing []string
		held           chart.Record
		months         int
		want           []string
	}{
		"insulin with type 2": {named: []string{"E11.9"}, held: taken("insulin glargine 20 units", "insulin"),
			want: []string{"Z79.4"}},
		"insulin with type 1 says it":      {named: []string{"E10.9"}, held: taken("insulin glargine 20 units", "insulin")},
		"metformin without diabetes named": {named: []string{"E28.2"}, held: taken("metformin 500 mg", "biguanide")},
		"metformin":                        {named: []string{"E11.65"}, held: taken("metformin 500 mg", "biguanide"), want: []string{"Z79.84"}},
		"injected semaglutide": {named: []string{"E11.9"}, held: taken("semaglutide 1 mg weekly", "GLP-1 receptor agonist"),
			want: []string{"Z79.85"}},
		"semaglutide by mouth": {named: []string{"E11.9"}, held: taken("semaglutide 7 mg tablet", "GLP-1 receptor agonist"),
			want: []string{"Z79.84"}},
		"anticoagulant with fibrillation": {named: []string{"I48.91"}, held: taken("apixaban 5 mg", "anticoagulant"), want: []string{"Z79.01"}},
		"anticoagulant without a reason":  {named: []string{"J06.9"}, held: taken("apixaban 5 mg", "anticoagulant")},
		"aspirin with coronary disease":   {named: []string{"I25.10"}, held: taken("Aspirin 81 mg", "aspirin"), want: []string{"Z79.82"}},
		"aspirin for a headache":          {named: []string{"G44.209"}, held: taken("aspirin 500 mg", "aspirin")},
		"inhaled steroid": {named: []string{"J45.40"}, held: taken("budesonide 200 ug", "inhaled steroid"),
			want: []string{"Z79.51"}},
		"prednisone for five days": {named: []string{"J44.1"}, held: taken("prednisone 40 mg", "corticosteroid")},
		"bisphosphonate": {named: []string{"M81.0"}, held: taken("alendronate 70 mg", "bisphosphonate"),
			want: []string{"Z79.83"}},
		"there already":                    {named: []string{"E11.9", "Z79.4"}, held: taken("insulin lispro", "insulin")},
		"mass index 19.9":                  {named: []string{"R63.6"}, held: bmi("19.9"), want: []string{"Z68.1"}},
		"mass index 20.0":                  {named: []string{"E66.3"}, held: bmi("20.0"), want: []string{"Z68.20"}},
		"mass index 32.4":                  {named: []string{"E66.9"}, held: bmi("32.4"), want: []string{"Z68.32"}},
		"mass index 39.9":                  {named: []string{"E66.9"}, held: bmi("39.9"), want: []string{"Z68.39"}},
		"mass index 40":                    {named: []string{"E66.01"}, held: bmi("40.0"), want: []string{"Z68.41"}},
		"mass index 70":                    {named: []string{"E66.01"}, held: bmi("70.1"), want: []string{"Z68.45"}},
		"mass index with no weight named":  {named: []string{"I10"}, held: bmi("32.4")},
		"mass index at nineteen":           {named: []string{"E66.9"}, held: bmi("32.4"), months: 239},
		"pressure 140/80":                  {held: bp("140/80", day), want: []string{"R03.0"}},
		"pressure 139/89":                  {held: bp("139/89", day)},
		"pressure 120/90":                  {held: bp("120/90", day), want: []string{"R03.0"}},
		"pressure of last year":            {held: bp("170/100", "2025-05-04")},
		"hypertension on the problem list": {ongoing: []string{"I12.9"}, held: bp("170/100", day)},
		"pressure of a child":              {held: bp("150/95", day), months: 120},
		"saturation 89":                    {held: values(at("59408-5", "Oxygen saturation", "89", "%", day)), want: []string{"R09.02"}},
		"saturation 90":                    {held: values(at("59408-5", "Oxygen saturation", "90", "%", day))},
		"kidney stage 3a": {named: []string{"N18.9"}, held: values(egfr("52", "2025-11-01"), egfr("48", "2026-04-20")),
			want: []string{"N18.31"}},
		"kidney stage 4": {named: []string{"N18.9"}, held: values(egfr("15", "2025-11-01"), egfr("29", "2026-04-20")),
			want: []string{"N18.4"}},
		"two stages":               {named: []string{"N18.9"}, held: values(egfr("44", "2025-11-01"), egfr("48", "2026-04-20"))},
		"within three months":      {named: []string{"N18.9"}, held: values(egfr("50", "2026-02-20"), egfr("48", "2026-04-20"))},
		"over a year ago":          {named: []string{"N18.9"}, held: values(egfr("50", "2024-02-20"), egfr("48", "2025-04-20"))},
		"kidney disease not named": {held: values(egfr("52", "2025-11-01"), egfr("48", "2026-04-20"))},
		"another unit": {named: []string{"N18.9"}, held: values(at("98979-8", "eGFR", "52", "mL/min", "2025-11-01"),
			at("98979-8", "eGFR", "48", "mL/min", "2026-04-20"))},
		"iron deficiency":            {named: []string{"D64.9"}, held: ferritin("9", "2026-04-20"), want: []string{"D50.9"}},
		"ferritin 45":                {named: []string{"D64.9"}, held: ferritin("45", "2026-04-20")},
		"ferritin of long ago":       {named: []string{"D64.9"}, held: ferritin("9", "2025-04-20")},
		"ferritin that is no number": {named: []string{"D64.9"}, held: ferritin("<10", "2026-04-20")},
		"prediabetes":                {named: []string{"R73.09"}, held: a1c("5.7"), want: []string{"R73.03"}},
		"below it":                   {named: []string{"R73.09"}, held: a1c("5.6")},
		"above it":                   {named: []string{"R73.09"}, held: a1c("6.5")},
		"known diabetes":             {named: []string{"R73.09"}, ongoing: []string{"E11.9"}, held: a1c("6.0")},
	} {
		t.Run(name, func(t *testing.T) {
			if x.months == 0 {
				x.months = 600
			}
			x.held.Patient.BirthDate = born(x.months)
			for _, code := range x.ongoing {
				x.held.Problems = append(x.held.Problems, chart.Problem{Code: code})
			}
			var got []string
			for _, s := range coding.FromChart(c, x.named, x.held) {
				require.NotEmpty(t, s.Words, "it says what it was read from")
				require.NotEmpty(t, s.Title)
				got = append(got, s.Code)
			}
			require.Equal(t, x.want, got)
		})
	}
}

// Whatever a chart holds, what is offered is billable, is not named already, is offered
// once, and says what it was read from; and nothing is offered from an empty chart.
func TestEvidenceIsAlwaysSound(t *testing.T) {
	c, _ := load()
	codes := []string{"E11.9", "E66.9", "I48.91", "N18.9", "D64.9", "R73.09", "J45.40", "M81.0", "I10", "R03.0", "Z79.4", "Z68.32", "I25.10"}
	classes := []string{"insulin", "biguanide", "anticoagulant", "antiplatelet", "inhaled steroid", "bisphosphonate", "NSAID"}
	units := map[string]string{"85354-9": "mm[Hg]", "59408-5": "%", "39156-5": "kg/m2", "98979-8": "mL/min/{1.73_m2}", "4548-4": "%",
		"718-7": "g/dL", "2276-4": "ng/mL"}
	rapid.Check(t, func(t *rapid.T) {
		named := rapid.SliceOfDistinct(rapid.SampledFrom(codes), func(s string) string { return s }).Draw(t, "named")
		ongoing := rapid.SliceOf(rapid.SampledFrom(codes)).Draw(t, "ongoing")
		held := chart.Record{Day: "2026-05-04", Patient: chart.Patient{BirthDate: born(rapid.IntRange(0, 1200).Draw(t, "months"))}}
		for _, code := range ongoing {
			held.Problems = append(held.Problems, chart.Problem{Code: code})
		}
		empty := held
		for range rapid.IntRange(0, 4).Draw(t, "medicines") {
			held.Medicines = append(held.Medicines,
				chart.Medicine{Name: rapid.SampledFrom([]string{"aspirin 81 mg", "x tablet", ""}).Draw(t, "name"),
					Classes: []string{rapid.SampledFrom(classes).Draw(t, "class")}})
		}
		for range rapid.IntRange(0, 8).Draw(t, "values") {
			loinc := rapid.SampledFrom(coding.EvidenceLOINC).Draw(t, "loinc")
			day := rapid.SampledFrom([]string{"2025-01-02", "2026-01-02", "2026-05-04", "", "soon"}).Draw(t, "day")
			held.Values = append(held.Values,
				chart.Value{LOINC: loinc, Name: "N",
					Text: rapid.SampledFrom([]string{"9", "32.4", "48", "150/95", ">90", "", "-1", "1e9", "x/y"}).Draw(t, "text"),
					Unit: units[loinc], Day: day})
		}
		seen := map[string]bool{}
		for _, s := range coding.FromChart(c, named, held) {
			e, ok := c.Lookup(s.Code)
			require.True(t, ok && e.Billable, s.Code)
			require.NotContains(t, named, s.Code)
			require.False(t, seen[s.Code], s.Code)
			require.NotEmpty(t, s.Words)
			seen[s.Code] = true
		}
		require.Empty(t, coding.FromChart(c, named, empty))
	})
}

// born is the birth date of somebody so many months old on the day of these tests.
func born(months int) string {
	return time.Date(2026, 5, 4, 0, 0, 0, 0, time.UTC).AddDate(0, -months, 0).Format(time.DateOnly)
}
