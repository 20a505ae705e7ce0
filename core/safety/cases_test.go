package safety_test

import (
	"fmt"
	"math"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	"deftledger/core/safety"
	"deftledger/data"
	"deftledger/exchange/shipped"
)

func catalogue(t testing.TB) *safety.Catalogue {
	c, err := shipped.Medicines(data.Medicines)
	require.NoError(t, err)
	return c
}

const today = "2026-11-20"

// rows reads a table of cases, its cells parted by bars.
func rows(t *testing.T, file string) (out [][]string) {
	text, err := os.ReadFile("testdata/cases/" + file)
	require.NoError(t, err)
	for line := range strings.Lines(string(text)) {
		if line = strings.TrimSpace(line); line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		cells := strings.Split(line, "|")
		for i := range cells {
			cells[i] = strings.TrimSpace(cells[i])
		}
		out = append(out, cells)
	}
	return out
}

var atLeast = map[string]int{"never": 3, "serious": 2, "warn": 1, "silent": 0}
var gradeOf = map[safety.Grade]int{safety.Never: 3, safety.Avoid: 2, safety.Watch: 1}

func taking(c *safety.Catalogue, text string) safety.Taking {
	name, dose := c.Split(text)
	d, _ := chart.ReadDosage(dose)
	return safety.Taking{Name: name, Dose: dose, Dosage: d}
}

func medicine(c *safety.Catalogue, text string) chart.Medicine {
	m := taking(c, text)
	return chart.Medicine{Name: m.Name, Dose: m.Dose, Dosage: m.Dosage}
}

func wilson(k, n int) string {
	if n == 0 {
		return "none"
	}
	p, z := float64(k)/float64(n), 1.96
	d := 1 + z*z/float64(n)
	m := (p + z*z/(2*float64(n))) / d
	h := z * math.Sqrt(p*(1-p)/float64(n)+z*z/(4*float64(n)*float64(n))) / d
	return fmt.Sprintf("%d of %d, %.3f (%.3f to %.3f)", k, n, p, m-h, m+h)
}

// judgePairs says how a table of pairs was answered; the tests hold it to what is wanted.
func judgePairs(t *testing.T, c *safety.Catalogue, file string) (wrong []string) {
	hit, wanted, quiet, silent := map[string]int{}, map[string]int{}, 0, 0
	for _, row := range rows(t, file) {
		a, b, _ := strings.Cut(row[0], " + ")
		r := chart.Record{Zone: time.UTC, Day: today, Patient: chart.Patient{BirthDate: "1980-03-02", Sex: "M"}, Medicines: []chart.Medicine{medicine(c, b)}}
		got, says := 0, []string{}
		for _, w := range c.Check(r, taking(c, a)) {
			if w.Kind == safety.Interaction || w.Kind == safety.Double {
				got = max(got, gradeOf[w.Grade])
				says = append(says, string(w.Grade)+": "+w.Why)
			}
			if w.Kind == safety.NotChecked {
				wrong = append(wrong, row[0]+": "+w.Says)
			}
		}
		if row[1] == "silent" {
			silent++
			if got == 0 {
				quiet++
			} else {
				wrong = append(wrong, fmt.Sprintf("%s should be silent: %v", row[0], says))
			}
			continue
		}
		wanted[row[1]]++
		if got >= atLeast[row[1]] {
			hit[row[1]]++
		} else {
			wrong = append(wrong, fmt.Sprintf("%s should be %s: %v", row[0], row[1], says))
		}
	}
	for _, g := range []string{"never", "serious", "warn"} {
		fmt.Printf("%s: %s %s\n", file, g, wilson(hit[g], wanted[g]))
	}
	fmt.Printf("%s: silent %s\n", file, wilson(quiet, silent))
	return wrong
}

func TestPairsFromLabelsAndLists(t *testing.T) {
	for _, w := range judgePairs(t, catalogue(t), "pairs.txt") {
		t.Error(w)
	}
}

// facts builds a chart from the words of a case.
func facts(t *testing.T, c *safety.Catalogue, text string) chart.Record {
	r := chart.Record{Zone: time.UTC, Day: today, Patient: chart.Patient{BirthDate: "1976-05-02", Sex: "M"}}
	value := func(loinc, name, unit, number string) {
		r.Values = append(r.Values, chart.Value{LOINC: loinc, Name: name, Text: number, Unit: unit, Day: "2026-11-02", At: "2026-11-02"})
	}
	for f := range strings.SplitSeq(text, ";") {
		word, rest, _ := strings.Cut(strings.TrimSpace(f), " ")
		switch word {
		case "":
		case "age":
			months := 0
			if m, ok := strings.CutPrefix(rest, "0 months "); ok {
				n, err := strconv.Atoi(m)
				require.NoError(t, err)
				months = n
			} else {
				n, err := strconv.Atoi(rest)
				require.NoError(t, err)
				months = 12*n + 3
			}
			day, _ := time.Parse(time.DateOnly, today)
			r.Patient.BirthDate = day.AddDate(0, -months, 0).Format(time.DateOnly)
		case "female":
			r.Patient.Sex = "F"
		case "male":
			r.Patient.Sex = "M"
		case "weight":
			value(chart.Weight, "Weight", "kg", rest)
		case "egfr":
			value(safety.FiltrationRate, "eGFR", "mL/min/{1.73_m2}", rest)
		case "creatinine":
			value("2160-0", "Creatinine", "mg/dL", rest)
		case "potassium":
			value("2823-3", "Potassium", "mmol/L", rest)
		case "pregnant":
			r.Patient.Sex, r.Patient.BirthDate = "F", "1996-05-02"
			r.Problems = append(r.Problems, chart.Problem{Code: "Z34.90"})
			if rest != "" {
				r.Problems = append(r.Problems, chart.Problem{Code: "Z3A." + strings.Fields(rest)[0]})
			}
		case "breast-feeding":
			r.Patient.Sex, r.Patient.BirthDate = "F", "1996-05-02"
			r.Problems = append(r.Problems, chart.Problem{Code: "Z39.1"})
		case "problem":
			r.Problems = append(r.Problems, chart.Problem{Code: rest})
		case "takes":
			r.Medicines = append(r.Medicines, medicine(c, rest))
		case "allergic":
			substance, reaction, _ := strings.Cut(rest, ":")
			r.Allergies = append(r.Allergies, chart.Allergy{Substance: strings.TrimSpace(substance), Reaction: strings.TrimSpace(reaction)})
		default:
			t.Fatalf("no fact %q", f)
		}
	}
	return r
}

func judgeCases(t *testing.T, c *safety.Catalogue, file string) (wrong []string) {
	said, wanted, quiet, silent, owned, open := 0, 0, 0, 0, 0, 0
	for _, row := range rows(t, file) {
		ws := c.Check(facts(t, c, row[1]), taking(c, row[0]))
		want, kind, _ := strings.Cut(row[2], " ")
		all := fmt.Sprintf("%s | %s: wanted %s, got %+v", row[0], row[1], row[2], ws)
		switch want {
		case "silent":
			silent++
			if slices.ContainsFunc(ws, func(w safety.Warning) bool { return string(w.Kind) == kind && gradeOf[w.Grade] > 0 }) {
				wrong = append(wrong, all)
			} else {
				quiet++
			}
		case "unchecked":
			open++
			if slices.ContainsFunc(ws, func(w safety.Warning) bool {
				return w.Unknown && strings.Contains(strings.ToLower(w.Says+" "+w.Why), strings.ToLower(kind))
			}) {
				owned++
			} else {
				wrong = append(wrong, all)
			}
		default:
			wanted++
			if slices.ContainsFunc(ws, func(w safety.Warning) bool { return string(w.Kind) == want && gradeOf[w.Grade] >= atLeast[kind] }) {
				said++
			} else {
				wrong = append(wrong, all)
			}
		}
	}
	fmt.Printf("%s: said %s; silent %s; not checked %s\n", file, wilson(said, wanted), wilson(quiet, silent), wilson(owned, open))
	return wrong
}

func TestCasesFromLabelsAndLists(t *testing.T) {
	for _, w := range judgeCases(t, catalogue(t), "cases.txt") {
		t.Error(w)
	}
}

func judgeNames(t *testing.T, c *safety.Catalogue, file string) (wrong []string) {
	found, all := 0, 0
	for _, row := range rows(t, file) {
		want := strings.Split(row[1], " + ")
		slices.Sort(want)
		all++
		hits := c.Find(row[0], 3)
		if slices.ContainsFunc(hits, func(h safety.Hit) bool {
			got := slices.Sorted(slices.Values(h.Ingredients))
			return slices.Equal(got, want)
		}) {
			found++
		} else {
			var names []string
			for _, h := range hits {
				names = append(names, h.Name)
			}
			wrong = append(wrong, fmt.Sprintf("%q should find %s, found %v", row[0], row[1], names))
		}
	}
	fmt.Printf("%s: within three %s\n", file, wilson(found, all))
	return wrong
}

func TestNamesAsPeopleTypeThem(t *testing.T) {
	for _, w := range judgeNames(t, catalogue(t), "names.txt") {
		t.Error(w)
	}
}

func TestFreshCases(t *testing.T) {
	c := catalogue(t)
	for _, w := range slices.Concat(judgePairs(t, c, "fresh-pairs.txt"), judgePairs(t, c, "third-pairs.txt"), judgeCases(t, c, "fresh-cases.txt"), judgeNames(t, c, "fresh-names.txt")) {
		t.Error(w)
	}
}

// TestNamesOfOtherRecords reads the names that records of other offices write: every ingredient, and nothing strange.
func TestNamesOfOtherRecords(t *testing.T) {
	c := catalogue(t)
	for _, row := range rows(t, "records.txt") {
		want := strings.Split(row[1], " + ")
		got := slices.Sorted(slices.Values(c.Ingredients(row[0])))
		slices.Sort(want)
		assert.Equal(t, want, got, row[0])
		assert.Empty(t, c.Read(row[0]).Strange, row[0])
	}
}
