package shipped

import (
	"fmt"
	"io/fs"
	"slices"
	"strconv"
	"strings"

	"deftledger/core/safety"
)

// table is one table of the medicines: its file and columns, and what takes a row of it.
type table struct {
	file    string
	columns string // parted by a comma
	row     func(k *safety.Knowledge, at safety.Place, cell func(column string) string) error
}

// tables are all tables of the medicines; the form of each stands at the head of its file
// and in docs/medicines.md.
var tables = []table{
	{"ingredients.tsv", "name,groups,brands,also,forms", func(k *safety.Knowledge, at safety.Place, c func(string) string) error {
		k.Ingredients = append(k.Ingredients, safety.Ingredient{Place: at, Name: c("name"), Groups: several(c("groups")), Brands: several(c("brands")),
			Also: several(c("also")), Forms: formsOf(c("forms"))})
		return nil
	}},
	{"products.tsv", "name,ingredients,brands,also,forms", func(k *safety.Knowledge, at safety.Place, c func(string) string) error {
		k.Products = append(k.Products, safety.Product{Place: at, Name: c("name"), Ingredients: parted(c("ingredients"), " + "),
			Brands: several(c("brands")), Also: several(c("also")), Forms: formsOf(c("forms"))})
		return nil
	}},
	{"groups.tsv", "class", func(k *safety.Knowledge, _ safety.Place, c func(string) string) error {
		k.Several = append(k.Several, c("class"))
		return nil
	}},
	{"controlled.tsv", "ingredient,with,schedule,source", func(k *safety.Knowledge, at safety.Place, c func(string) string) error {
		if !slices.Contains(safety.Schedules, c("schedule")) {
			return fmt.Errorf("there is no schedule %q", c("schedule"))
		}
		k.Controlled = append(k.Controlled, safety.Controlled{Place: at, Ingredient: c("ingredient"), With: c("with"), Schedule: c("schedule"), From: c("source")})
		return nil
	}},
	{"interactions.tsv", "a,b,grade,mechanism,advice,source", func(k *safety.Knowledge, at safety.Place, c func(string) string) error {
		k.Pairs = append(k.Pairs, safety.Pair{Place: at, A: c("a"), B: c("b"), Grade: safety.Grade(c("grade")), Mechanism: c("mechanism"),
			Advice: c("advice"), From: c("source")})
		return nil
	}},
	{"allergies.tsv", "to,given,when,grade,says,source", func(k *safety.Knowledge, at safety.Place, c func(string) string) error {
		k.Crosses = append(k.Crosses, safety.Cross{Place: at, To: c("to"), Given: c("given"), When: several(c("when")), Grade: safety.Grade(c("grade")),
			Says: c("says"), From: c("source")})
		return nil
	}},
	{"allergens.tsv", "words,means", func(k *safety.Knowledge, at safety.Place, c func(string) string) error {
		k.Allergens = append(k.Allergens, safety.Allergen{Place: at, Words: several(c("words")), Means: c("means")})
		return nil
	}},
	{"kidney.tsv", "for,below,by,grade,says,source", func(k *safety.Knowledge, at safety.Place, c func(string) string) error {
		below, err := number(c("below"))
		k.Kidney = append(k.Kidney, safety.KidneyLimit{Place: at, For: c("for"), Below: below, By: c("by"), Grade: safety.Grade(c("grade")),
			Says: c("says"), From: c("source")})
		return err
	}},
	{"labs.tsv", "for,loinc,name,unit,sign,limit,days,grade,says,source", func(k *safety.Knowledge, at safety.Place, c func(string) string) error {
		limit, err1 := number(c("limit"))
		days, err2 := strconv.Atoi(c("days"))
		if err1 != nil || err2 != nil || c("sign") != "<" && c("sign") != ">" {
			return fmt.Errorf("a value is %q or %q a limit that is a number, and counts for so many days", "<", ">")
		}
		k.Values = append(k.Values, safety.ValueLimit{Place: at, For: c("for"), LOINC: c("loinc"), Name: c("name"), Unit: c("unit"),
			Above: c("sign") == ">", Limit: limit, Days: days, Grade: safety.Grade(c("grade")), Says: c("says"), From: c("source")})
		return nil
	}},
	{"pregnancy.tsv", "for,state,from,with,grade,says,source", func(k *safety.Knowledge, at safety.Place, c func(string) string) error {
		week := 0
		if c("from") != "" {
			var err error
			if week, err = strconv.Atoi(c("from")); err != nil || week < 1 || week > 42 {
				return fmt.Errorf("%q is no week of a pregnancy", c("from"))
			}
		}
		k.Pregnancy = append(k.Pregnancy, safety.PregnancyRule{Place: at, For: c("for"), State: c("state"), Week: week, With: strings.Fields(c("with")),
			Grade: safety.Grade(c("grade")), Says: c("says"), From: c("source")})
		return nil
	}},
	{"conditions.tsv", "for,codes,unless,from,below,grade,says,source", func(k *safety.Knowledge, at safety.Place, c func(string) string) error {
		from, err1 := months(c("from"))
		below, err2 := months(c("below"))
		k.Conditions = append(k.Conditions, safety.ConditionRule{Place: at, For: c("for"), Codes: strings.Fields(c("codes")),
			Unless: strings.Fields(c("unless")), From: from, Below: below, Grade: safety.Grade(c("grade")), Says: c("says"), Source: c("source")})
		return firstOf(err1, err2)
	}},
	{"ages.tsv", "for,from,below,grade,says,source", func(k *safety.Knowledge, at safety.Place, c func(string) string) error {
		from, err1 := months(c("from"))
		below, err2 := months(c("below"))
		k.Ages = append(k.Ages, safety.AgeRule{Place: at, For: c("for"), From: from, Below: below, Grade: safety.Grade(c("grade")), Says: c("says"),
			Source: c("source")})
		return firstOf(err1, err2)
	}},
	{"doses.tsv", "for,route,from,below,per,single,day,never over,often,source", func(k *safety.Knowledge, at safety.Place, c func(string) string) error {
		from, err1 := months(c("from"))
		below, err2 := months(c("below"))
		single, unit, err3 := quantity(c("single"))
		day, other, err4 := quantity(c("day"))
		most := 0.0
		var err5 error
		if c("never over") != "" {
			most, _, err5 = quantity(c("never over"))
		}
		if err := firstOf(err1, err2, err3, err4, err5); err != nil {
			return err
		}
		if unit != other || c("per") != "" && c("per") != "kg" || c("often") != "" && c("often") != "weekly" {
			return fmt.Errorf("one unit for both amounts; per is kg or empty, often is weekly or empty")
		}
		k.Doses = append(k.Doses, safety.DoseRule{Place: at, For: c("for"), Route: c("route"), From: from, Below: below, PerKilogram: c("per") == "kg",
			Unit: unit, Single: single, Day: day, Never: most, Weekly: c("often") == "weekly", Source: c("source")})
		return nil
	}},
}

// Medicines reads the tables of medicines from a directory "medicines". A fault names the
// file and the line.
func Medicines(from fs.FS) (*safety.Catalogue, error) {
	var k safety.Knowledge
	for _, t := range tables {
		text, err := fs.ReadFile(from, "medicines/"+t.file)
		if err != nil {
			return nil, err
		}
		if err := t.read(&k, string(text)); err != nil {
			return nil, err
		}
	}
	return safety.New(k)
}

func (t table) read(k *safety.Knowledge, text string) error {
	columns := strings.Split(t.columns, ",")
	headed, n := false, 0
	for line := range strings.SplitSeq(text, "\n") {
		n++
		line = strings.TrimSuffix(line, "\r")
		if strings.TrimSpace(line) == "" || strings.HasPrefix(line, "#") {
			continue
		}
		at := safety.Place{File: "medicines/" + t.file, Line: n}
		cells := strings.Split(line, "\t")
		if !headed {
			if !slices.Equal(cells, columns) {
				return safety.Fault{Place: at, Says: "the first line names the columns: " + strings.Join(columns, ", ")}
			}
			headed = true
			continue
		}
		if len(cells) != len(columns) {
			return safety.Fault{Place: at, Says: fmt.Sprintf("%d columns instead of %d, parted by tabs", len(cells), len(columns))}
		}
		if err := t.row(k, at, func(column string) string { return strings.TrimSpace(cells[slices.Index(columns, column)]) }); err != nil {
			return safety.Fault{Place: at, Says: err.Error()}
		}
	}
	if !headed {
		return safety.Fault{Place: safety.Place{File: "medicines/" + t.file, Line: 1}, Says: "the table is empty; its first line names the columns: " +
			strings.Join(columns, ", ")}
	}
	return nil
}

func several(cell string) []string { return parted(cell, ";") }

func parted(cell, by string) (out []string) {
	for p := range strings.SplitSeq(cell, by) {
		if p = strings.TrimSpace(p); p != "" {
			out = append(out, p)
		}
	}
	return out
}

// formsOf reads "tablet 2.5, 5 mg; solution 1 mg/mL": forms with their strengths, the unit
// of the last one counting for those before it.
func formsOf(cell string) (out []safety.Form) {
	for _, p := range several(cell) {
		at := strings.IndexAny(p, "0123456789")
		if at <= 0 || p[at-1] != ' ' {
			out = append(out, safety.Form{Name: p})
			continue
		}
		f := safety.Form{Name: strings.TrimSpace(p[:at])}
		each := strings.Split(p[at:], ", ")
		_, unit, _ := strings.Cut(each[len(each)-1], " ")
		for _, s := range each {
			if !strings.Contains(s, " ") && unit != "" {
				s += " " + unit
			}
			f.Strengths = append(f.Strengths, s)
		}
		out = append(out, f)
	}
	return out
}

func number(cell string) (float64, error) {
	n, err := strconv.ParseFloat(cell, 64)
	if err != nil {
		return 0, fmt.Errorf("%q is no number", cell)
	}
	return n, nil
}

// months reads an age: "12y", "6m", a bare number of years, or nothing.
func months(cell string) (int, error) {
	if cell == "" {
		return 0, nil
	}
	n, err := strconv.Atoi(strings.TrimRight(cell, "ym"))
	if err != nil || n < 0 {
		return 0, fmt.Errorf("%q is no age: write 12y or 6m", cell)
	}
	if strings.HasSuffix(cell, "m") {
		return n, nil
	}
	return 12 * n, nil
}

// quantity reads "37.5 mg".
func quantity(cell string) (float64, string, error) {
	figure, unit, _ := strings.Cut(cell, " ")
	n, err := strconv.ParseFloat(figure, 64)
	if err != nil || n <= 0 || !slices.Contains([]string{"mg", "mEq"}, unit) {
		return 0, "", fmt.Errorf("%q is no amount in mg or mEq", cell)
	}
	return n, unit, nil
}

func firstOf(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}
