package chart

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// Vaccine is one that the practice gives. CVX is its code in the CDC's CVX set;
// Months is the youngest usual age in months; below it the giver is asked.
type Vaccine struct {
	CVX    string   `json:"cvx" yaml:"cvx"`
	Name   string   `json:"name" yaml:"name"`
	Also   []string `json:"also" yaml:"also"`
	Dose   string   `json:"dose" yaml:"dose"`
	Route  string   `json:"route" yaml:"route"`
	Months int      `json:"months" yaml:"months"`
	Live   bool     `json:"live" yaml:"live"`
}

// Words are what a vaccine is called in a sentence, in small letters: the first word of
// its name, what stands in brackets there, and its other names.
func (v Vaccine) Words() []string {
	first, rest, _ := strings.Cut(strings.ToLower(v.Name), " ")
	_, rest, _ = strings.Cut(rest, "(")
	short, _, _ := strings.Cut(rest, ")")
	return append(strings.Fields(strings.Trim(first, ",")+" "+short), strings.Fields(strings.Join(v.Also, " "))...)
}

// Given is a vaccine as it was given. Expires, Sheet (the date printed on the
// information sheet) and Day are YYYY-MM-DD.
type Given struct {
	CVX     string `json:"cvx" maxLength:"10"`
	Maker   string `json:"maker" maxLength:"80"`
	Lot     string `json:"lot" maxLength:"40"`
	Expires string `json:"expires" maxLength:"10"`
	Dose    string `json:"dose" maxLength:"20"`
	Route   string `json:"route" maxLength:"30"`
	Site    string `json:"site" maxLength:"40"`
	Sheet   string `json:"sheet" maxLength:"10"`
}

// Say writes a vaccine given, of that name, in the words of a note.
func (g Given) Say(name string) string {
	return fmt.Sprintf("%s, %s, %s, %s; %s, lot %s, expires %s; information sheet of %s handed over.", name, g.Dose, g.Route, g.Site, g.Maker,
		g.Lot, g.Expires, g.Sheet)
}

// Sites are where a vaccine is given, by route.
var Sites = map[string][]string{
	"intramuscular": {"left deltoid", "right deltoid", "left thigh", "right thigh"},
	"subcutaneous":  {"left upper arm", "right upper arm", "left thigh", "right thigh"},
	"oral":          {"mouth"},
	"intranasal":    {"nose"},
}

// Check says what is missing or cannot be about a vaccine given on day.
func (g Given) Check(day string) error {
	for _, f := range []struct{ what, text string }{{"the maker", g.Maker}, {"the lot", g.Lot}, {"the dose", g.Dose}} {
		if strings.TrimSpace(f.text) == "" {
			return fmt.Errorf("write down %s", f.what)
		}
	}
	if !slices.Contains(Sites[g.Route], g.Site) {
		return fmt.Errorf("choose route and site")
	}
	if _, err := time.Parse(time.DateOnly, g.Expires); err != nil {
		return fmt.Errorf("write down when the lot expires, as 2027-06-30")
	}
	if g.Expires < day {
		return fmt.Errorf("this lot expired on %s and must not be given", g.Expires)
	}
	if _, err := time.Parse(time.DateOnly, g.Sheet); err != nil {
		return fmt.Errorf("write down the date on the information sheet, as 2025-01-31")
	}
	if g.Sheet > day {
		return fmt.Errorf("the information sheet cannot be of %s, which is still to come", g.Sheet)
	}
	return nil
}

// soon is how close two doses of one vaccine are asked about: four weeks is the
// usual least interval between doses (CDC, General Best Practice Guidelines, 2024),
// with the four days of grace they allow.
const soon = 24

// Questions asks about a vaccine before it is recorded: the age (in months; below
// zero for unknown) against the youngest usual one, and earlier doses of it, by day.
func (v Vaccine) Questions(months int, day string, earlier []string) []string {
	var out []string
	if months < v.Months {
		if months < 0 {
			out = append(out, "The age of this patient is not known. Is this vaccine right?")
		} else {
			out = append(out, fmt.Sprintf("%s is given from %s. Is it right for this patient?", v.Name, ageWords(v.Months)))
		}
	}
	today, _ := time.Parse(time.DateOnly, day)
	for _, e := range earlier {
		at, err := time.Parse(time.DateOnly, e)
		if err != nil {
			continue
		}
		if days := int(today.Sub(at).Hours() / 24); days >= 0 && days < soon {
			out = append(out, fmt.Sprintf("The same vaccine was given on %s. Once more?", at.Format("02 Jan 2006")))
		}
	}
	if v.Live {
		out = append(out, "This vaccine is live: not in pregnancy, nor with a weakened immune system. Was that asked?")
	}
	return out
}

func ageWords(months int) string {
	if months < 24 {
		return itoa(months) + " months on"
	}
	return itoa(months/12) + " years on"
}

// FindVaccines returns those whose name or other words begin with every word asked for.
func FindVaccines(vs []Vaccine, query string) []Vaccine {
	out := []Vaccine{}
	for _, v := range vs {
		if WordsBegin(v.Name+" "+v.CVX+" "+strings.Join(v.Also, " "), query) {
			out = append(out, v)
		}
	}
	return out
}
