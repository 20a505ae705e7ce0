package safety_test

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	"deftledger/core/safety"
	"deftledger/data"
	"deftledger/exchange/shipped"
)

// The formulas against published worked examples and hand calculation:
// CKD-EPI 2021: 50 years, creatinine 1.0 mg/dL: man 142*(1/0.9)^-1.2*0.9938^50 = 91.7, woman 142*(1/0.7)^-1.2*0.9938^50*1.012 = 68.6;
// 40 years, 0.6 mg/dL, woman: 142*(0.6/0.7)^-0.241*0.9938^40*1.012 = 116.3.
// Cockcroft-Gault: (140-70)*72/(72*1.0) = 70 for a man, 59.5 for a woman. Bedside: 0.413*120/0.5 = 99.1.
func TestKidneyFormulas(t *testing.T) {
	require.InDelta(t, 91.7, safety.CKDEPI(1.0, 50, false), 0.1)
	require.InDelta(t, 68.6, safety.CKDEPI(1.0, 50, true), 0.1)
	require.InDelta(t, 116.3, safety.CKDEPI(0.6, 40, true), 0.1)
	require.InDelta(t, 70, safety.CockcroftGault(1.0, 70, 72, false), 0.01)
	require.InDelta(t, 59.5, safety.CockcroftGault(1.0, 70, 72, true), 0.01)
	require.InDelta(t, 99.1, safety.BedsideSchwartz(0.5, 120), 0.1)
}

// TestKidneysOfAChart: the newest counts, in its unit; what is not known says why, and a child is not judged by the
// formula of adults.
func TestKidneysOfAChart(t *testing.T) {
	value := func(loinc, unit, text, day string) chart.Value {
		return chart.Value{LOINC: loinc, Unit: unit, Text: text, Day: day, At: day}
	}
	man := chart.Record{Zone: time.UTC, Day: today, Patient: chart.Patient{BirthDate: "1976-05-02", Sex: "M"}}
	for name, c := range map[string]struct {
		change      func(*chart.Record)
		rate, clear float64
		why         string
		whyClear    string
	}{
		"nothing known": {func(*chart.Record) {}, 0, 0, "no filtration rate and no creatinine", "no creatinine"},
		"a rate reported": {func(r *chart.Record) {
			r.Values = append(r.Values, value(safety.FiltrationRate, "mL/min/{1.73_m2}", "48", "2026-10-01"))
		}, 48, 0, "", "no creatinine"},
		"an old one": {func(r *chart.Record) {
			r.Values = append(r.Values, value(safety.FiltrationRate, "mL/min/{1.73_m2}", "48", "2025-10-01"))
		}, 0, 0, "of the last year", ""},
		"above what is counted": {func(r *chart.Record) {
			r.Values = append(r.Values, value(safety.FiltrationRate, "mL/min/{1.73_m2}", ">90", "2026-10-01"))
		}, 90, 0, "", ""},
		"in another unit": {func(r *chart.Record) {
			r.Values = append(r.Values, value(safety.FiltrationRate, "mL/min", "48", "2026-10-01"))
		}, 0, 0, "of the last year", ""},
		"a newer creatinine": {func(r *chart.Record) {
			r.Values = append(r.Values, value(safety.FiltrationRate, "mL/min/{1.73_m2}", "90", "2026-03-01"), value("2160-0", "mg/dL", "1.0", "2026-10-01"))
		}, 91.7, 0, "", "no weight"},
		"creatinine of another unit": {func(r *chart.Record) { r.Values = append(r.Values, value("2160-0", "umol/L", "88.4", "2026-10-01")) }, 91.7, 0, "", "no weight"},
		"with a weight": {func(r *chart.Record) {
			r.Values = append(r.Values, value("2160-0", "mg/dL", "1.0", "2026-10-01"), value(chart.Weight, "kg", "72", "2026-10-01"))
		}, 91.7, 90, "", ""},
		"sex not known": {func(r *chart.Record) {
			r.Patient.Sex = "U"
			r.Values = append(r.Values, value("2160-0", "mg/dL", "1.0", "2026-10-01"))
		}, 0, 0, "needs the sex", "needs the sex"},
		"a child": {func(r *chart.Record) {
			r.Patient.BirthDate = "2018-05-02"
			r.Values = append(r.Values, value("2160-0", "mg/dL", "0.5", "2026-10-01"), value(chart.Height, "cm", "120", "2026-10-01"))
		}, 99.1, 0, "", "18 years"},
		"a child without a height": {func(r *chart.Record) {
			r.Patient.BirthDate = "2018-05-02"
			r.Values = append(r.Values, value("2160-0", "mg/dL", "0.5", "2026-10-01"))
		}, 0, 0, "not computed under 18 years", ""},
		"an infant": {func(r *chart.Record) {
			r.Patient.BirthDate = "2026-05-02"
			r.Values = append(r.Values, value("2160-0", "mg/dL", "0.3", "2026-10-01"))
		}, 0, 0, "first year", ""},
		"birth date not known": {func(r *chart.Record) {
			r.Patient.BirthDate = ""
			r.Values = append(r.Values, value("2160-0", "mg/dL", "1.0", "2026-10-01"))
		}, 0, 0, "birth date", ""},
	} {
		r := man
		c.change(&r)
		k := safety.KidneysOf(r)
		require.InDelta(t, c.rate, k.Rate, 0.1, name)
		require.InDelta(t, c.clear, k.Clearance, 0.1, name)
		require.Contains(t, k.Why, c.why, name)
		require.Contains(t, k.WhyClear, c.whyClear, name)
		require.Equal(t, k.Rate == 0, k.Why != "", "%s: a rate, or why there is none", name)
	}
}

// TestWhatIsNotKnownNeverLooksSafe: by ingredient and never by a part of a word; every ingredient of a combination
// counts; salts are no medicine of their own; what is not known is said of both sides.
func TestWhatIsNotKnownNeverLooksSafe(t *testing.T) {
	c := catalogue(t)
	kinds := func(r chart.Record, text string) string {
		var out []string
		for _, w := range c.Check(r, taking(c, text)) {
			out = append(out, fmt.Sprintf("%s %s: %s: %s", w.Kind, w.Grade, w.Says, w.Why))
			require.Equal(t, w.Grade == safety.Never || w.Grade == safety.Avoid, w.Serious)
			require.Equal(t, w.Grade == safety.Unchecked, w.Unknown)
			require.NotEmpty(t, w.Why)
		}
		return strings.Join(out, "\n")
	}
	r := facts(t, c, "age 50; egfr 90; allergic Statins: muscle pain; allergic Sulfa: hives; takes Zenthoril 5 mg daily")
	require.Equal(t, "not checked unchecked: Not checked against Zenthoril: our list does not know what that is", kinds(r, "nystatin"))
	require.NotContains(t, kinds(r, "ferrous sulfate"), "Recorded allergy")
	require.Contains(t, kinds(r, "Vytorin"), "Recorded allergy: Statins")
	require.Equal(t, "not checked unchecked: moon dust: not checked: this medicine is not in our list; nothing is known here of its allergies, interactions and limits",
		kinds(facts(t, c, "age 50"), "moon dust"))
	require.Contains(t, kinds(facts(t, c, "age 50"), "metfromin"), "spelled nearly like metformin")
	require.Contains(t, kinds(facts(t, c, "age 50; egfr 90"), "aspirin/moondust"), "“moondust”: not checked")
	require.Equal(t, "", kinds(facts(t, c, "age 50; egfr 90; takes losartan potassium 50 mg daily"), "metoprolol succinate"))
	require.NotContains(t, kinds(facts(t, c, "age 50; egfr 90; takes lisinopril"), "atorvastatin calcium"), "calcium")
	require.Contains(t, kinds(facts(t, c, "age 50; takes Percocet"), "Tylenol"), "both hold acetaminophen")
	require.Contains(t, kinds(facts(t, c, "age 50; takes Zestril"), "lisinopril"), "double watch: Already on the list: Zestril")
	require.Empty(t, kinds(chart.Record{Day: today, Zone: time.UTC, Patient: chart.Patient{BirthDate: "1976-05-02", Sex: "F"}}, "acetaminophen"))
	// An allergy that was refuted, and what was borne since, are said with it.
	x := facts(t, c, "age 50")
	x.Allergies = []chart.Allergy{{Substance: "Amoxicillin", Reaction: "rash", Certainty: "doubtful", Tolerated: "cephalexin (2024)"}}
	require.Contains(t, kinds(x, "amoxicillin"), "rash; borne since: cephalexin (2024); recorded as doubtful")
}

// TestARouteIsNoMedicine: however it is said to be given, no word of the way is something not known; what is swallowed or
// injected is held against the list ("under the skin" treats no skin), what is put on the skin or into the eye is not.
func TestARouteIsNoMedicine(t *testing.T) {
	c := catalogue(t)
	woman := chart.Record{Zone: time.UTC, Day: today, Patient: chart.Patient{BirthDate: "1960-05-02", Sex: "F"},
		Medicines: []chart.Medicine{{ID: "1", Name: "trimethoprim-sulfamethoxazole", Dose: "1 tablet twice daily"}}}
	for way, within := range map[string]bool{
		"15 mg by mouth weekly": true, "15 mg subcut weekly": true, "15 mg sc weekly": true, "15 mg under the skin once a week": true,
		"15 mg into the skin weekly": true, "15 mg IM weekly": true, "15 mg intramuscularly once a week": true, "15 mg IV weekly": true,
		"15 mg rectally once a week": true, "15 mg vaginally once a week": true, "2 puffs inhaled weekly": true, "2 sprays in the nose daily": true,
		"1 tablet under the tongue daily": true,
		"15 mg on the skin daily":         false, "1 drop in the eye daily": false, "1 drop in each ear daily": false,
	} {
		d, unread := chart.ReadDosage(way)
		require.Empty(t, unread, way)
		for _, name := range []string{"methotrexate", "methotrexate injection"} {
			if !within && name != "methotrexate" {
				continue
			}
			pair := false
			for _, w := range c.Check(woman, safety.Taking{Name: name, Dose: way, Dosage: d}) {
				require.NotEqual(t, safety.NotChecked, w.Kind, "%s %s: %s", name, way, w.Says)
				pair = pair || w.Kind == safety.Interaction && w.Serious
			}
			require.Equal(t, within, pair, "%s %s", name, way)
		}
	}
	require.Empty(t, c.Read("methotrexate 25 mg/mL, injected under the skin").Strange)
	require.Empty(t, c.Read("enoxaparin subcutaneously").Strange)
}

// TestALineNamesAllOfItsMedicines: no medicine of a line is lost in its dose, what a brand with a word behind it holds is
// not taken for the brand, and two on one line are held against each other. Ingredients from the labels.
func TestALineNamesAllOfItsMedicines(t *testing.T) {
	c := catalogue(t)
	for line, want := range map[string]struct{ holds, says string }{
		"pioglitazone metformin 15/500 bid":          {"metformin pioglitazone", ""},
		"tramadol apap 37.5/325 prn":                 {"acetaminophen tramadol", ""},
		"ezetimibe and simvastatin daily":            {"ezetimibe simvastatin", ""},
		"olmesartan amlodipine hctz 40/5/12.5":       {"amlodipine hydrochlorothiazide olmesartan", ""},
		"Lasix (furosemide) 20 mg daily":             {"furosemide", ""},
		"losartan potassium 50 mg daily":             {"losartan", ""},
		"metformin 500 mg with breakfast":            {"metformin", ""},
		"warfarin aspirin":                           {"aspirin warfarin", "With warfarin"},
		"warfarin alka-seltzer":                      {"aspirin sodium bicarbonate warfarin", "With warfarin"},
		"pioglitazone 15 mg metformin 500 mg bid":    {"pioglitazone", "metformin: not checked"},
		"tramadol 37.5 mg/apap 325 mg prn":           {"tramadol", "acetaminophen: not checked"},
		"levothyroxine 50 mcg 30 min before calcium": {"levothyroxine", ""},
		"Alka-Seltzer Plus prn":                      {"aspirin sodium bicarbonate", "“plus”: not checked"},
		"Tylenol cold and flu prn":                   {"acetaminophen", "“cold flu”: not checked"},
		"Aleve PM qhs":                               {"diphenhydramine naproxen", ""},
		"Soma compound 1 tab tid":                    {"aspirin carisoprodol", ""},
		"Pepcid Complete 1 tab prn":                  {"calcium carbonate famotidine magnesium hydroxide", ""},
		"Uribel qid":                                 {"hyoscyamine methenamine methylene blue phenyl salicylate", ""},
		"Corzide 1 tab daily":                        {"bendroflumethiazide nadolol", ""},
		"Nextstellis 1 tab daily":                    {"drospirenone estetrol", ""},
		"Flonase Allergy Relief 1 spray daily":       {"fluticasone", ""},
		"Benadryl allergy prn":                       {"diphenhydramine", ""},
	} {
		name, dose := c.Split(line)
		holds := c.Ingredients(name)
		slices.Sort(holds)
		require.Equal(t, want.holds, strings.Join(holds, " "), line)
		d, _ := chart.ReadDosage(dose)
		said := []string{}
		for _, w := range c.Check(chart.Record{Zone: time.UTC, Day: today}, safety.Taking{Name: name, Dose: dose, Dosage: d}) {
			if w.Kind == safety.Interaction || w.Kind == safety.Double || w.Kind == safety.NotChecked && w.Says != "" && !strings.HasPrefix(w.Says, "Dose") {
				said = append(said, w.Says)
			}
		}
		if want.says == "" {
			require.Empty(t, said, line)
			continue
		}
		require.Contains(t, strings.Join(said, "; "), want.says, line)
	}
}

// TestWhatAnAllergyNames: each of several is read, what is not known of them is said, what denies an allergy is none, and
// what an excipient or a reaction is called is no medicine.
func TestWhatAnAllergyNames(t *testing.T) {
	c := catalogue(t)
	for written, want := range map[string]string{
		"penicillin":                "/penicillin of any kind/",
		"penicillin and blurbistat": "/penicillin of any kind/blurbistat",
		"penicillin blurbistat":     "/penicillin of any kind/blurbistat",
		"amoxicillin, zyvorax":      "amoxicillin//zyvorax",
		"penicillin and codeine":    "codeine/penicillin of any kind/",
		"Penicillin/Keflex":         "cephalexin/penicillin of any kind/",
		"Sulfa (Bactrim)":           "sulfamethoxazole+trimethoprim/sulfonamide antibiotic/",
		"sulfa drugs":               "/sulfonamide antibiotic/",
		"red dye":                   "//",
		"IV contrast dye":           "iodinated contrast/iodinated contrast/",
		"lisinopril cough":          "lisinopril//",
		"Vanco red man":             "vancomycin//",
		"fish oil":                  "omega-3 fatty acids//",
		"milk of magnesia":          "magnesium hydroxide//",
		"shellfish and Keflex":      "cephalexin//",
		"Pollen (spring)":           "//",
		"morphine + codeine":        "morphine+codeine//",
	} {
		is := c.Allergen(written)
		got := strings.Join(is.Ingredients, "+") + "/" + strings.Join(is.Groups, "+") + "/"
		require.Equal(t, want, got+strings.Join(is.Strange, "+"), written)
		require.True(t, is.Known, written)
	}
	for _, written := range []string{"an antibiotic, not penicillin", "no penicillin allergy", "tolerates penicillin", "blurbistat"} {
		is := c.Allergen(written)
		require.False(t, is.Known, written)
		require.Empty(t, append(is.Ingredients, is.Groups...), written)
	}
	said := c.Check(chart.Record{Zone: time.UTC, Day: today, Allergies: []chart.Allergy{{Substance: "sulfa and blurbistat"}}}, safety.Taking{Name: "lisinopril"})
	require.Contains(t, fmt.Sprint(said), "“blurbistat” of the allergy to sulfa and blurbistat")
}

// TestTheWholeListIsChecked says each pair once, of the later one, and what concerns the list as such.
func TestTheWholeListIsChecked(t *testing.T) {
	c := catalogue(t)
	r := facts(t, c, "age 78; egfr 25; takes Metformin 1000 mg twice daily; takes Warfarin 5 mg daily; takes Ibuprofen 400 mg three times daily; takes Zolpidem 10 mg at bedtime; takes Gabapentin 300 mg three times daily; takes Sertraline 50 mg daily")
	all := c.CheckAll(r)
	require.Len(t, all.Each, 6)
	require.Equal(t, safety.Never, all.Each[0][0].Grade, "metformin and the kidneys: a fallen rate speaks up about what is taken")
	pairs := 0
	for _, ws := range all.Each {
		for _, w := range ws {
			if w.Kind == safety.Interaction && (w.Medicine == "Ibuprofen" && strings.Contains(w.Says, "Warfarin") || w.Medicine == "Warfarin" && strings.Contains(w.Says, "Ibuprofen")) {
				pairs++
			}
		}
	}
	require.Equal(t, 1, pairs)
	require.Len(t, all.List, 1)
	require.Contains(t, all.List[0].Says, "3 medicines acting on the mind from 65 years: Zolpidem, Gabapentin, Sertraline")
	r.Patient.BirthDate = "1980-01-01"
	require.Empty(t, c.CheckAll(r).List)
}

// TestAFaultyEntryIsRefusedWithFileAndLine changes one line of one table at a time.
func TestAFaultyEntryIsRefusedWithFileAndLine(t *testing.T) {
	read := func(file string) string {
		text, err := data.Medicines.ReadFile("medicines/" + file)
		require.NoError(t, err)
		return string(text)
	}
	for name, c := range map[string]struct{ file, row, says string }{
		"an ingredient twice":        {"ingredients.tsv", "warfarin\tanticoagulant\t\t\ttablet 5 mg", "warfarin stands twice"},
		"without a class":            {"ingredients.tsv", "zenthoril\t\t\t\ttablet", "needs a name and a class"},
		"a group nobody speaks of":   {"ingredients.tsv", "zenthoril\tnew class; QT knwon\t\t\ttablet", `of the group "QT knwon", of which no rule speaks`},
		"a name of two":              {"ingredients.tsv", "zenthoril\tnew class\tZocor\t\ttablet", `"Zocor" names simvastatin and zenthoril`},
		"a product of nothing":       {"products.tsv", "new-old\tnew + warfarin\t\t\ttablet", `holds "new", which is no ingredient`},
		"a pair of nobody":           {"interactions.tsv", "warfarin\tmoondust\tavoid\tx\ty\tz", `"moondust" is neither an ingredient nor a group`},
		"a pair twice":               {"interactions.tsv", "warfarin\tamiodarone\tavoid\tx\ty\tz", "stand in line"},
		"no grade":                   {"interactions.tsv", "warfarin\tzinc sulfate\tbad\tx\ty\tz", `"bad" is no grade`},
		"no source":                  {"interactions.tsv", "warfarin\tzinc sulfate\tavoid\tx\ty\t", "needs words and a source"},
		"columns missing":            {"interactions.tsv", "warfarin\tzinc sulfate\tavoid", "3 columns instead of 6"},
		"a limit of nothing":         {"kidney.tsv", "metformin\tlow\teGFR\twatch\tx\ty", `"low" is no number`},
		"by no measure":              {"kidney.tsv", "metformin\t40\tGFR\twatch\tx\ty", "by CrCl or eGFR"},
		"a week after birth":         {"pregnancy.tsv", "warfarin\tpregnant\t60\t\twatch\tx\ty", "no week of a pregnancy"},
		"a state of nobody":          {"pregnancy.tsv", "warfarin\texpecting\t\t\twatch\tx\ty", "is no state"},
		"ages of nobody":             {"ages.tsv", "warfarin\t20y\t10y\twatch\tx\ty", "nobody's"},
		"an age of words":            {"ages.tsv", "warfarin\told\t\twatch\tx\ty", `"old" is no age`},
		"a condition without codes":  {"conditions.tsv", "warfarin\t\t\t\t\twatch\tx\ty", "beginning of a code"},
		"a dose in tablets":          {"doses.tsv", "warfarin\t\t18y\t\t\t2 tablets\t4 tablets\t\t\tx", "no amount in mg or mEq"},
		"less in a day than at once": {"doses.tsv", "zinc sulfate\t\t18y\t\t\t20 mg\t10 mg\t\t\tx", "no less in a day"},
		"a value without a sign":     {"labs.tsv", "warfarin\t2823-3\tPotassium\tmmol/L\t=\t5\t30\twatch\tx\ty", "a limit that is a number"},
		"an allergy to nothing":      {"allergies.tsv", "moondust\twarfarin\t\twatch\tx\ty", `"moondust" is neither`},
		"a word for nothing":         {"allergens.tsv", "moons\tmoondust", `"moondust" is neither`},
		"a heading that is another":  {"groups.tsv", "", "the first line names the columns: class"},
	} {
		files := fstest.MapFS{}
		entries, err := data.Medicines.ReadDir("medicines")
		require.NoError(t, err)
		for _, e := range entries {
			files["medicines/"+e.Name()] = &fstest.MapFile{Data: []byte(read(e.Name()))}
		}
		text := strings.TrimRight(read(c.file), "\n")
		line := strings.Count(text, "\n") + 2
		text += "\n" + c.row + "\n"
		if c.row == "" {
			text, line = strings.Replace(text, "\nclass\n", "\nclasses\n", 1), strings.Count(strings.Split(text, "\nclass\n")[0], "\n")+2
		}
		files["medicines/"+c.file] = &fstest.MapFile{Data: []byte(text)}
		_, err = shipped.Medicines(files)
		require.Error(t, err, name)
		require.Contains(t, err.Error(), fmt.Sprintf("medicines/%s, line %d: ", c.file, line), name)
		require.Contains(t, err.Error(), c.says, name)
	}
}

// TestTheCatalogueIsWide holds what is asked of it: at least 700 ingredients, strengths of the usual ones, and names
// that mean something else in a sentence kept out of prose.
func TestTheCatalogueIsWide(t *testing.T) {
	c := catalogue(t)
	ingredients := map[string]bool{}
	for _, n := range c.Names() {
		for _, i := range c.Ingredients(n) {
			ingredients[i] = true
		}
	}
	require.Greater(t, len(ingredients), 1200)
	prose := strings.Join(c.InProse(), "\n")
	for _, n := range []string{"thyroid", "alcohol", "lithium", "influenza vaccine", "testosterone"} {
		require.NotContains(t, strings.Split(prose, "\n"), n)
	}
	require.Equal(t, []string{"tablet 2.5 mg, 5 mg, 10 mg, 20 mg, 30 mg, 40 mg", "solution 1 mg/mL"}, c.Find("lisinopril", 1)[0].Forms)
	h := c.Find("zestril 20 mg daily", 1)[0]
	require.Equal(t, "lisinopril", h.Name)
	require.Equal(t, "Zestril", h.Under)
	require.Empty(t, c.Find("", 5))
	require.Empty(t, c.Find("lisinopril", 0))
	for _, q := range []string{"\x00", "ÿÿÿÿ", strings.Repeat("x", 300)} {
		require.LessOrEqual(t, len(c.Find(q, 5)), 5)
	}
	_, err := safety.New(safety.Knowledge{})
	require.NoError(t, err, "an empty catalogue knows nothing, and says so of each")
}

func FuzzReadAndSplit(f *testing.F) {
	c := catalogue(f)
	for _, s := range []string{"lisinopril 20 mg daily", "Tylenol #3", "losartan/hctz 50/12.5", "\x00\xff", "½ tab"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		name, dose := c.Split(s)
		if len(strings.Fields(s)) > 0 && strings.TrimSpace(name)+strings.TrimSpace(dose) == "" && strings.Trim(s, " ,;\t\n\r\v\f") != "" {
			t.Fatalf("%q was lost", s)
		}
		c.Check(chart.Record{Zone: time.UTC, Day: today}, safety.Taking{Name: name, Dose: dose})
	})
}

// BenchmarkCheckOfTwenty is what is wanted under 2 ms: twenty medicines checked whole.
func BenchmarkCheckOfTwenty(b *testing.B) {
	text, err := os.ReadFile("testdata/cases/twenty.txt")
	require.NoError(b, err)
	c := catalogue(b)
	r := chart.Record{Zone: time.UTC, Day: today, Patient: chart.Patient{BirthDate: "1943-04-27", Sex: "F"}}
	for line := range strings.Lines(string(text)) {
		if line = strings.TrimSpace(line); line != "" && !strings.HasPrefix(line, "#") {
			r.Medicines = append(r.Medicines, medicine(c, line))
		}
	}
	require.Len(b, r.Medicines, 20)
	r.Allergies = []chart.Allergy{{Substance: "Sulfa"}, {Substance: "Codeine"}}
	r.Problems = []chart.Problem{{Code: "I50.22"}, {Code: "N18.32"}, {Code: "E11.22"}, {Code: "I48.20"}}
	n := 0
	for b.Loop() {
		for _, ws := range c.CheckAll(r).Each {
			n += len(ws)
		}
	}
}

// BenchmarkFindAMedicine is what is typed on every key: a beginning, and a name spelled wrongly.
func BenchmarkFindAMedicine(b *testing.B) {
	c := catalogue(b)
	for b.Loop() {
		for _, q := range []string{"me", "lisin", "metfromin", "hydroclorothiazide 25 mg daily", "zzzzzz"} {
			c.Find(q, 7)
		}
	}
}

// TestWhatAPlanNames: names that begin with a word of the text, each once, in small letters.
func TestWhatAPlanNames(t *testing.T) {
	c := catalogue(t)
	require.Equal(t, []string{"hydrochlorothiazide", "lisinopril", "lisinopril-hydrochlorothiazide", "metformin", "st. john's wort"},
		c.ToldIn("Continue Lisinopril and METFORMIN; lisinopril-hydrochlorothiazide later.\nStop St. John's wort. Metformin again, ironclad."))
	require.Empty(t, c.ToldIn(""))
	require.Equal(t, c.Dosage("20 mg daily"), c.Dosage("20 mg daily"))
	require.Equal(t, chart.Dosage{}, c.Dosage("as it was"))
}
