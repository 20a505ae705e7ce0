package prescription_test

import (
	"fmt"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	. "deftledger/core/prescription"
)

func rows(t *testing.T, file string, width int) (out [][]string) {
	body, err := os.ReadFile("testdata/" + file)
	require.NoError(t, err)
	for line := range strings.Lines(string(body)) {
		if strings.HasPrefix(line, "#") || strings.TrimSpace(line) == "" {
			continue
		}
		f := strings.Split(strings.TrimRight(line, "\n"), "\t")
		for len(f) < width {
			f = append(f, "")
		}
		out = append(out, f)
	}
	return out
}

func TestPrescriptionsAsPeopleTypeThem(t *testing.T) {
	for _, f := range rows(t, "lines.tsv", 7) {
		l := ReadLine(f[0])
		refills := ""
		if l.Refills != nil {
			refills = strconv.Itoa(*l.Refills)
		}
		days := ""
		if l.Days > 0 {
			days = strconv.Itoa(l.Days)
		}
		assert.Equal(t, f[1], l.Rest, f[0])
		assert.Equal(t, f[2], l.Quantity, f[0])
		assert.Equal(t, f[3], refills, f[0])
		assert.Equal(t, f[4], days, f[0])
		assert.Equal(t, f[5] == "yes", l.AsWritten, f[0])
		assert.Equal(t, f[6], strings.Join(l.Ask, " "), f[0])
	}
}

// What others typed is read as it was meant, or left open and asked about where the table says so ("?").
func TestPrescriptionsAsOthersTypeThem(t *testing.T) {
	for _, f := range rows(t, "strangers.tsv", 6) {
		l := ReadLine(f[0])
		got := []string{l.Quantity, "", "", "", strings.Join(l.Ask, " ")}
		if l.Refills != nil {
			got[1] = strconv.Itoa(*l.Refills)
		}
		if l.Days > 0 {
			got[2] = strconv.Itoa(l.Days)
		}
		if l.AsWritten {
			got[3] = "yes"
		}
		mayAsk := strings.Contains(strings.Join(f[1:5], ""), "?")
		for i, is := range got {
			want, open := strings.CutSuffix(strings.TrimSpace(f[i+1]), "?")
			if open && is == "" || want == "" && mayAsk {
				continue
			}
			assert.Equal(t, want, is, "%d of %s", i, f[0])
		}
	}
}

func drug(dose, strength, form string) Drug {
	d := Drug{Medicine: "medicine", Strength: strength, Form: form, Dose: dose, Quantity: "1", Unit: form}
	d.Dosage, _ = chart.ReadDosage(dose)
	return d
}

func TestHowMuchAPrescriptionNeeds(t *testing.T) {
	for _, f := range slices.Concat(rows(t, "supply.tsv", 6), rows(t, "supply-strangers.tsv", 6)) {
		days, err := strconv.Atoi(f[3])
		require.NoError(t, err)
		n, unit, why, ok := drug(f[0], f[1], f[2]).Needs(days)
		want, open := strings.CutSuffix(f[4], "?")
		if f[4] = want; open && !ok {
			assert.NotEmpty(t, why, f)
			continue
		}
		if f[4] == "" {
			assert.False(t, ok, "%v: %v %s", f, n, unit)
			assert.NotEmpty(t, why, f)
			continue
		}
		assert.True(t, ok, "%v: %s", f, why)
		assert.Equal(t, f[4]+" "+f[5], fmt.Sprint(n)+" "+unit, f)
	}
}

func TestDirectionsReadAsPlainEnglish(t *testing.T) {
	for dose, want := range map[string]string{
		"1 tab po bid with meals":                 "Take 1 tablet by mouth twice a day with meals",
		"2 puffs inhaled every 4 hours as needed": "Inhale 2 puffs every 4 hours as needed",
		"10 units under the skin at bedtime":      "Inject 10 units under the skin at bedtime",
		"2 tabs po bid wc":                        "Take 2 tablets by mouth twice a day with meals",
		"1 tablet up to 4 times a day":            "Take 1 tablet up to four times a day",
		"one and a half tablets daily":            "Take 1.5 tablets once a day",
		"1 capsule on alternate days":             "Take 1 capsule every other day",
		"half a tablet every third day":           "Take 0.5 tablet every 3 days",
		// Which side and which place, and what is done with it, are not lost.
		"1 drop in each eye twice daily":               "Put 1 drop in each eye twice a day",
		"1 drop right eye qid":                         "Put 1 drop in the right eye four times a day",
		"1 gtt left eye bid":                           "Put 1 drop in the left eye twice a day",
		"1 drop both eyes nightly":                     "Put 1 drop in both eyes at bedtime",
		"1 drop in right and left eyes daily":          "Put 1 drop in both eyes once a day",
		"1 drop OU bid":                                "Put 1 drop in both eyes twice a day",
		"1 drop OS bid":                                "Put 1 drop in the left eye twice a day",
		"1 drop in the eye bid":                        "Put 1 drop in the eye twice a day",
		"1 drop affected eye qid x 7 days":             "Put 1 drop in the affected eye four times a day for 7 days",
		"4 drops left ear bid for 7 days":              "Put 4 drops in the left ear twice a day for 7 days",
		"2 sprays each nostril daily":                  "Use 2 sprays in each nostril once a day",
		"1 spray per nostril bid":                      "Use 1 spray in each nostril twice a day",
		"apply to rash twice daily":                    "Apply on the rash twice a day",
		"apply thin layer to affected area bid":        "Apply a thin layer on the affected area twice a day",
		"apply to affected areas bid":                  "Apply on the affected areas twice a day",
		"chew 1 tablet daily":                          "Chew 1 tablet once a day",
		"dissolve 1 tablet under the tongue as needed": "Dissolve 1 tablet under the tongue as needed",
		"1 vial via nebulizer every 6 hours":           "Inhale 1 vial by nebulizer every 6 hours",
		"2 tabs with dinner":                           "Take 2 tablets with the evening meal",
		"per taper schedule":                           "per taper schedule",
		"0.5 tablet daily":                             "Take 0.5 tablet once a day",
	} {
		assert.Equal(t, want, drug(dose, "", "").Reads(), dose)
	}
}

func says(all []Remark) string {
	var out []string
	for _, r := range all {
		out = append(out, string(r.Grade)+": "+r.Says)
	}
	return strings.Join(out, "\n")
}

func TestWhatTheRulesOnControlledSubstancesAllow(t *testing.T) {
	grown := Facts{Months: 500, Known: true, Monitored: true, Printed: true}
	for _, x := range []struct {
		schedule string
		refills  int
		days     int
		stops    string // "" for none
	}{
		{"II", 0, 30, ""}, {"II", 1, 30, "no refills"}, {"III", 5, 30, ""}, {"III", 6, 30, "at most five"}, {"IV", 1, 90, ""}, {"IV", 2, 90, "six months"},
		{"V", 5, 31, ""}, {"V", 5, 32, "six months"}, {"", 11, 30, ""},
	} {
		d := drug("1 tablet daily", "5 mg", "tablet")
		d.Refills, d.Days, d.Quantity = x.refills, x.days, strconv.Itoa(x.days)
		f := grown
		f.Schedule = x.schedule
		got := says(d.Remarks(f))
		assert.Equal(t, x.stops != "", strings.Contains(got, "stop: "), "%v %s", x, got)
		assert.Contains(t, got, x.stops)
	}
	d := drug("1 tablet daily", "5 mg", "tablet")
	f := grown
	f.Schedule, f.Monitored, f.Printed = "IV", false, false
	got := says(d.Remarks(f))
	assert.Contains(t, got, "not certified")
	assert.Contains(t, got, "monitoring programme was looked at is not recorded")
	assert.Contains(t, got, "for how many days is not said")
	f = grown
	f.Known = false
	assert.Contains(t, says(d.Remarks(f)), "not checked: Whether it is a controlled substance is not known")
}

func TestQuantityIsHeldAgainstDirectionsAndDays(t *testing.T) {
	grown := Facts{Months: 500, Known: true}
	for _, x := range []struct {
		dose, strength, form, quantity, unit string
		days                                 int
		says                                 string
	}{
		{"1 tablet daily", "5 mg", "tablet", "90", "tablet", 90, ""},
		{"1 tablet daily", "5 mg", "tablet", "100", "tablet", 90, "mind: medicine for 90 days as directed would be 90 tablet; 100 are written."},
		{"1 tablet daily", "5 mg", "tablet", "30", "tablet", 90, "mind: 30 tablet are fewer than the 90 needed for 90 days as directed."},
		{"1 capsule three times daily for 10 days", "500 mg", "capsule", "30", "capsule", 0, ""},
		{"1 capsule three times daily for 10 days", "500 mg", "capsule", "21", "capsule", 0, "mind: 21 capsule are fewer than the 30 needed for 10 days as directed."},
		{"1 tablet daily", "5 mg", "tablet", "90", "tablet", 0, "not checked: The quantity was not held against the directions: for how many days is not said."},
		{"1 tablet daily", "5 mg", "tablet", "90", "mL", 90, "not checked: The quantity is in mL, and the directions need 90 tablet: not compared."},
		{"per taper schedule", "5 mg", "tablet", "21", "tablet", 6, "not checked: The quantity was not held against the directions: how it is taken was not read."},
	} {
		d := drug(x.dose, x.strength, x.form)
		d.Quantity, d.Unit, d.Days = x.quantity, x.unit, x.days
		got := says(d.Remarks(grown))
		if x.says == "" {
			assert.Empty(t, got, x)
		} else {
			assert.Contains(t, got, x.says, x)
		}
	}
}

// A child's dose is shown for each kilogram, with its calculation; without a weight nothing is.
func TestAChildsDoseIsShownForEachKilogram(t *testing.T) {
	d := drug("6 mL twice daily for 10 days", "400 mg/5 mL", "suspension")
	d.Quantity, d.Unit = "120", "mL"
	child := Facts{Months: 48, Weight: 16, WeightOf: "on 02 May 2026", Known: true}
	assert.Contains(t, says(d.Remarks(child)), "mind: 480 mg × 2 a day = 960 mg a day, 60 mg for each kilogram a day (16 kg, on 02 May 2026).")
	child.Weight = 0
	assert.Contains(t, says(d.Remarks(child)), "not checked: A child without a weight")
	child.Months = -1
	assert.Contains(t, says(d.Remarks(child)), "not checked: The age is not known")
	child.Months, child.Weight = 17*12, 60
	assert.Contains(t, says(drug("apply twice daily", "", "cream").Remarks(child)), "not checked: The dose for each kilogram was not computed")
}

func TestNothingIsWrittenSoThatItIsMisread(t *testing.T) {
	for _, wrong := range []string{"1.0 mg daily", ".5 mg daily", "10 U at bedtime", "5 IU", "1 tab QD", "q.o.d.", "1 tab qhs", "75 ug", "5 cc", "MSO4 10 mg", "HCTZ 25 mg", "1 drop OD", "> 5"} {
		assert.NotEmpty(t, Unsafe(wrong), wrong)
	}
	for _, right := range []string{"1 mg daily", "0.5 mg daily", "10 units at bedtime", "1 tablet daily", "every other day", "75 mcg", "5 mL", "10.5 mL", "1,000 units", "100.05 mg", "use as needed", "for cough"} {
		assert.Empty(t, Unsafe(right), right)
	}
	d := drug("1 tablet daily", "5 mg", "tablet")
	d.Note = "Start MTX 2.0 mg"
	assert.Equal(t, 2, strings.Count(says(d.Remarks(Facts{Months: 500, Known: true})), "stop: "))
}

func TestWhatAPrescriptionMustHave(t *testing.T) {
	whole := drug("1 tablet daily", "5 mg", "tablet")
	require.NoError(t, whole.Complete())
	for lacks, change := range map[string]func(*Drug){
		"choose the medicine":  func(d *Drug) { d.Medicine = " " },
		"how it is taken":      func(d *Drug) { d.Dose = "" },
		"of what?":             func(d *Drug) { d.Dose = "10 daily" },
		"quantity as a number": func(d *Drug) { d.Quantity = "some" },
		"tablets, mL":          func(d *Drug) { d.Unit = "" },
		"refills are 0":        func(d *Drug) { d.Refills = -1 },
	} {
		d := whole
		change(&d)
		err := d.Complete()
		require.ErrorIs(t, err, ErrIncomplete, lacks)
		assert.ErrorContains(t, err, lacks)
	}
	for _, q := range []string{"0", "-5", "NaN", "Inf", "1e9", ""} {
		d := whole
		d.Quantity = q
		assert.Error(t, d.Complete(), q)
	}
}

func FuzzReadLine(f *testing.F) {
	f.Add("lisinopril 20 mg daily #90 3 refills")
	f.Add("#1,000 rf99999999999999999999 no refills 9999 day supply")
	f.Fuzz(func(t *testing.T, text string) {
		l := ReadLine(text)
		if l.Refills != nil && (*l.Refills < 0 || *l.Refills > MostRefills) {
			t.Fatalf("%d refills", *l.Refills)
		}
		if n, err := strconv.ParseFloat(l.Quantity, 64); l.Quantity != "" && (err != nil || n <= 0) {
			t.Fatalf("quantity %q", l.Quantity)
		}
	})
}
