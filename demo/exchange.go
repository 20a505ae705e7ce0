package demo

import (
	"strings"
	"time"

	"deftledger/standin"
)

// Exchange is the Tidewrack Exchange of the demo: it knows some of its patients, not all as we write them.
func Exchange(now time.Time) *standin.Exchange {
	at := func(ago int) string { return now.AddDate(0, 0, -ago).Format(time.DateOnly) }
	shared := func(name, kind, id, house, title string, ago int) standin.Shared {
		raw, err := standin.Record(name)
		if err != nil {
			panic(err) // it ships with the program
		}
		// It tells of a visit some days ago, whenever that is.
		day := now.AddDate(0, 0, -ago)
		raw = []byte(strings.NewReplacer("2026-05-11", day.Format(time.DateOnly), "11 May 2026", day.Format("2 January 2006"), "2026-05-09", day.AddDate(0, 0, -2).Format(time.DateOnly)).Replace(string(raw)))
		return standin.Shared{ID: id, House: house, Title: title, At: at(ago), From: at(ago), Type: kind, Body: raw}
	}
	return &standin.Exchange{People: []standin.Known{
		// A second given name and only one of the two family names.
		{ID: "tx-1001", Family: "Adeyemi", Given: "Ottoline Marsh", BirthDate: "1968-03-14", Gender: "female", Phone: "555-0118"},
		// The name he was baptized with, and where he lives.
		{ID: "tx-1002", Family: "Tollefsen", Given: "Bram Olav", BirthDate: "1980-10-02", Gender: "male", Phone: "555-0164",
			Documents: []standin.Shared{shared("gannet-visit.json", "application/fhir+json", "gb-4411", "Gannet Bay Walk-in Clinic", "Visit summary", 2)}},
		// The name in use.
		{ID: "tx-1003", Family: "Osei", Given: "Mina", BirthDate: "1961-09-30", Gender: "female", Street: "14 Gannet Row", City: "Skerrow", Zip: "04699"},
		// A wrong birth date.
		{ID: "tx-1004", Family: "Strand", Given: "Yusuf", BirthDate: "1974-10-31", Gender: "male", Street: "12 Ferry Steps", City: "Skerrow", Zip: "04699"},
		// One of the twins, and not the other.
		{ID: "tx-1005", Family: "Drummond-Iyer", Given: "Arlo", BirthDate: "2018-05-03", Gender: "male", Street: "3 Ferry Steps", City: "Skerrow", Zip: "04699"},
		// Twice the same, entered by two houses.
		{ID: "tx-1006", Family: "Brekken", Given: "Halvard", BirthDate: "1955-01-22", Gender: "male", Street: "7 Mast Ln", City: "Skerrow", Zip: "04699"},
		{ID: "tx-1007", Family: "Brekken", Given: "Halvard J.", BirthDate: "1955-01-22", Gender: "male", Street: "7 Mast Lane", City: "Skerrow", Zip: "04699"},
	}}
}
