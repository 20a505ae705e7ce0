package generate

import (
	"fmt"
	"math/rand/v2"
	"strconv"
	"time"

	"deftledger/core/chart"
	"deftledger/store"
)

// childhood are vaccines with the months at which most children had them, before they came to us.
var childhood = []struct {
	cvx, name string
	months    []int
}{{"08", "Hepatitis B, adolescent or pediatric", []int{0, 1, 6}}, {"20", "DTaP", []int{2, 4, 6, 15, 50}}, {"10", "Poliovirus, inactivated (IPV)", []int{2, 4, 12, 50}}, {"48", "Haemophilus influenzae type b (PRP-T)", []int{2, 4, 13}},
	{"03", "Measles, mumps and rubella (MMR)", []int{13, 50}}, {"21", "Varicella", []int{13, 50}}, {"83", "Hepatitis A, pediatric or adolescent, 2 dose", []int{13, 20}}, {"115", "Tdap", []int{135}}, {"165", "Human papillomavirus, 9-valent", []int{135, 142}}}

// former are things done elsewhere, by which reminders count, with the years ago.
var former = [][2]string{{"colonoscopy", "9"}, {"mammogram", "2"}, {"bone-density", "4"}, {"eye-examination", "1"}}

// surgical and family are histories that rules read.
var surgical = []string{"Hysterectomy", "Total hysterectomy", "Colonoscopy 2019", "Cholecystectomy", "Tonsillectomy"}

// prevented writes what somebody brings along that reminders read: vaccines and examinations elsewhere, a history.
func (m *maker) prevented(p *person, by string, at time.Time) error {
	r := rand.New(rand.NewPCG(m.Seed, p.rng.Uint64()))
	say := func(kind, name, says, day string) error {
		_, err := m.q.AddCare(store.CareEntry{ID: p.id(at), PatientID: p.ID, Kind: kind, Name: name, Says: says, Day: day, Source: "record seen", ByID: by, At: at, RequestID: p.id(at)})
		return err
	}
	if p.born.Year() > 1990 {
		for _, v := range childhood {
			for _, months := range v.months {
				day := p.born.AddDate(0, months, r.IntN(21))
				if day.Before(at) && r.IntN(10) > 0 {
					if err := say(store.CareDose, v.cvx, v.name, day.Format(time.DateOnly)); err != nil {
						return err
					}
				}
			}
		}
	}
	if p.ageAt(at) < 40 {
		return nil
	}
	for _, f := range former {
		years, _ := strconv.Atoi(f[1])
		if r.IntN(3) == 0 {
			if err := say(store.CareService, f[0], "", strconv.Itoa(at.Year()-r.IntN(years+1))); err != nil {
				return err
			}
		}
	}
	if r.IntN(3) == 0 {
		return m.q.AddHistory(chart.HistoryEntry{ID: p.id(at), PatientID: p.ID, List: chart.SurgicalList, Title: surgical[r.IntN(len(surgical))], StatedAt: at, StatedBy: by})
	}
	return nil
}

// asks are questionnaires of a visit, with how many questions count, their answers by score, and the code of the total.
var asks = []struct {
	form, name, loinc string
	items             int
	codes             []string
}{{"phq-2", "PHQ-2", "55758-7", 2, []string{"LA6568-5", "LA6569-3", "LA6570-1", "LA6571-9"}}, {"gad-7", "GAD-7", "70274-6", 7, []string{"LA6568-5", "LA6569-3", "LA6570-1", "LA6571-9"}}}

// prevent writes what reminders settle at a visit: a questionnaire, and in season the vaccine against influenza.
func (m *maker) prevent(p *person, visit, by string, at time.Time, age int) error {
	r := rand.New(rand.NewPCG(m.Seed, p.rng.Uint64()))
	if x := asks[r.IntN(len(asks))]; age >= 18 && r.IntN(5) < 2 {
		answers, total := map[string]string{}, 0
		for i := range x.items {
			score := max(0, r.IntN(6)-2) // most answer with not at all
			answers[strconv.Itoa(i+1)] = x.codes[score]
			total += score
		}
		if _, err := m.q.AddScreen(store.ScreenResponse{ID: p.id(at), PatientID: p.ID, VisitID: visit, Form: x.form, Version: "1", Answers: answers, Total: strconv.Itoa(total), LOINC: x.loinc, Name: x.name,
			Says: fmt.Sprint("total ", total), ByID: by, At: at}); err != nil {
			return err
		}
	}
	if month := at.Month(); (month >= time.September || month <= time.January) && r.IntN(5) < 2 {
		given := chart.Given{CVX: "140", Maker: "Brightwater Biologics", Lot: fmt.Sprintf("F%04d", at.Year()), Expires: at.AddDate(0, 8, 0).Format(time.DateOnly), Dose: "0.5 mL", Route: "intramuscular",
			Site: chart.Sites["intramuscular"][0], Sheet: "2025-01-31"}
		_, err := m.q.AddImmunization(chart.Immunization{ID: p.id(at), PatientID: p.ID, VisitID: visit, Name: "Influenza, inactivated, preservative free", Given: given, GivenAt: at, GivenBy: by})
		return err
	}
	return nil
}
