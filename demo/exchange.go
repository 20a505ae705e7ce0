package demo

import (
	"time"

	"deftledger/standin"
)

const fhirRecord = "application/fhir+json"

// Exchange is the Tidewrack Exchange of the demo: it knows some of its patients, not all as we write them.
func Exchange(now time.Time) *standin.Exchange {
	at := func(ago int) string { return now.AddDate(0, 0, -ago).Format(time.DateOnly) }
	shared := func(name, kind, id, house, title string, ago int) standin.Shared {
		// It tells of a visit some days ago, whenever that is.
		raw, err := standin.RecordOf(name, now.AddDate(0, 0, -ago))
		if err != nil {
			panic(err) // it ships with the program
		}
		return standin.Shared{ID: id, House: house, Title: title, At: at(ago), From: at(ago), Type: kind, Body: raw}
	}
	return &standin.Exchange{People: []standin.Known{
		// A second given name and only one of the two family names.
		{ID: "tx-1001", Family: "Adeyemi", Given: "Ottoline Marsh", BirthDate: "1968-03-14", Gender: "female", Phone: "555-0118"},
		// The name he was baptized with, and where he lives.
		{ID: "tx-1002", Family: "Tollefsen", Given: "Bram Olav", BirthDate: "1980-10-02", Gender: "male", Phone: "555-0164",
			Documents: []standin.Shared{shared("gannet-visit.json", fhirRecord, "gb-4411", "Gannet Bay Walk-in Clinic", "Visit summary", 2)}},
		// The name in use.
		{ID: "tx-1003", Family: "Osei", Given: "Mina", BirthDate: "1961-09-30", Gender: "female", Street: "14 Gannet Row", City: "Skerrow", Zip: "04699",
			Documents: []standin.Shared{shared("skuahead-osei.json", fhirRecord, "skh-20215", "Skua Head Family Practice", "Collection of entries", 40)}},
		// A wrong birth date.
		{ID: "tx-1004", Family: "Strand", Given: "Yusuf", BirthDate: "1974-10-31", Gender: "male", Street: "12 Ferry Steps", City: "Skerrow", Zip: "04699",
			Documents: []standin.Shared{shared("northsound-strand.json", fhirRecord, "nsh-5521", "Northsound Hospital", "Laboratory values", 6)}},
		// One of the twins, and not the other.
		{ID: "tx-1005", Family: "Drummond-Iyer", Given: "Arlo", BirthDate: "2018-05-03", Gender: "male", Street: "3 Ferry Steps", City: "Skerrow", Zip: "04699"},
		// Twice the same, entered by two houses.
		{ID: "tx-1006", Family: "Brekken", Given: "Halvard", BirthDate: "1955-01-22", Gender: "male", Street: "7 Mast Ln", City: "Skerrow", Zip: "04699"},
		{ID: "tx-1007", Family: "Brekken", Given: "Halvard J.", BirthDate: "1955-01-22", Gender: "male", Street: "7 Mast Lane", City: "Skerrow", Zip: "04699"},
		// A second given name that we do not have.
		{ID: "tx-1008", Family: "Ellingsund", Given: "Dagny Marit", BirthDate: "1959-12-05", Gender: "female", Street: "31 Gannet Row", City: "Skerrow", Zip: "04699",
			Documents: []standin.Shared{shared("skuahead-dagny.json", fhirRecord, "skh-20344", "Skua Head Family Practice", "Summary with the eye examination", 12)}},
		// Another spelling of the family name.
		{ID: "tx-1009", Family: "Westergren", Given: "Otto", BirthDate: "1966-06-17", Gender: "male",
			Documents: []standin.Shared{shared("gannet-otto.json", fhirRecord, "gb-4398", "Gannet Bay Walk-in Clinic", "Collection of entries", 5)}},
	}}
}
