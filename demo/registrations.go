package demo

import (
	"context"

	"deftledger/core/chart"
	"deftledger/store"
)

// registrations are those of patients who were registered with all that was asked, by key.
var registrations = map[string]func(chart.Registration) chart.Registration{
	"mina": func(r chart.Registration) chart.Registration {
		r.InUse, r.Language, r.Interpreter, r.Race, r.Ethnicity = "Mina", "English", "no", []string{"Black or African American"}, "not Hispanic or Latino"
		r.Address = chart.Address{Street: "14 Gannet Row", City: "Skerrow", State: "ME", Zip: "04699"}
		r.Telephones = []chart.Telephone{{Number: "555-0122", Use: "mobile", Messages: true}, {Number: "555-0140", Use: "home"}}
		r.Contacts = []chart.Contact{{ID: "c1", Name: "Kwame Osei", Relation: "brother", Phone: "555-0141", Emergency: true}}
		r.Coverages = []chart.Coverage{
			{ID: "k1", Rank: "primary", Kind: chart.OriginalMedicare, Payer: "Medicare", Number: "2FH5WT4RN81", Holder: "self", From: "2026-09-01"},
			{ID: "k2", Rank: "second", Kind: "commercial", Payer: "Skerrow Mutual", Plan: "Supplement G", Number: "SM-20215", Holder: "self", From: "2026-09-01"},
		}
		r.Guarantor, r.Pharmacy, r.PharmacyPhone = "self", "Harbor Street Pharmacy", "555-0160"
		return r
	},
	"ines": func(r chart.Registration) chart.Registration {
		r.Language, r.Address = "English", chart.Address{Street: "9 Lantern Hill", City: "Skerrow", State: "ME", Zip: "04699"}
		r.Coverages = []chart.Coverage{{ID: "k1", Rank: "primary", Kind: "commercial", Payer: "Skerrow Mutual", Number: "SM-20631", Group: "ISLAND", Holder: "self"}}
		r.Guarantor, r.Pharmacy, r.PharmacyPhone = "self", "Harbor Street Pharmacy", "555-0160"
		return r
	},
	"arlen":   twin,
	"arlo":    twin,
	"halvard": living("7 Mast Lane"), "leocadia": living("1 Harbor Street, Apt 4"), "dagny": living("31 Gannet Row"),
	"caspian": living("5 Ropewalk"), "rosamund": living("18 Lantern Hill"), "yusuf": living("12 Ferry Steps"),
}

// living is somebody of whom the address is known, and nothing more than before.
func living(street string) func(chart.Registration) chart.Registration {
	return func(r chart.Registration) chart.Registration {
		r.Address = chart.Address{Street: street, City: "Skerrow", State: "ME", Zip: "04699"}
		return r
	}
}

// twin is what the Drummond-Iyer twins have in common.
func twin(r chart.Registration) chart.Registration {
	r.Language, r.Address = "English", chart.Address{Street: "3 Ferry Steps", City: "Skerrow", State: "ME", Zip: "04699"}
	r.Contacts = []chart.Contact{{ID: "c1", Name: "Nadia Iyer", Relation: "mother", Phone: "555-0171", Emergency: true, Guardian: true},
		{ID: "c2", Name: "Rolf Drummond", Relation: "father", Phone: "555-0172", Guardian: true}}
	r.Coverages = []chart.Coverage{{ID: "k1", Rank: "primary", Kind: "commercial", Payer: "Skerrow Mutual", Number: "SM-21190", Group: "FERRY", Holder: "c1"}}
	r.Guarantor, r.Pharmacy = "c1", "Harbor Street Pharmacy"
	return r
}

// register keeps the registration of a patient, as the front desk made it some months ago.
func (b *builder) register(ctx context.Context, key string) error {
	fill := registrations[key]
	if fill == nil {
		return nil
	}
	return b.a.Store.Write(ctx, func(q *store.Q) error {
		p, err := q.PatientByID(b.ids[key])
		if err != nil {
			return err
		}
		r := fill(chart.RegistrationOf(p)).Tidied()
		if err := q.AddRegistration(store.RegistrationVersion{ID: b.id(), PatientID: p.ID, Version: 1, Content: r, By: b.tokens["sunniva"].ID,
			At: b.moment(190, "09:00")}); err != nil {
			return err
		}
		return q.SetPatient(r.Patient(p), r)
	})
}
