package note

import (
	"encoding/json"
	"strings"

	"deftledger/core/note"
	"deftledger/store"
)

// ToldNote is a signed note in words, with its amendments, as it is given out.
type ToldNote struct {
	ID, Title, At, By, Text string
}

// Told are the signed notes of a patient in words, oldest first, read from the ledger. One that was retracted says nothing any more.
func (a *Acts) Told(q *store.Q, patient string) (out []ToldNote, err error) {
	signed, err := q.NotesOf(patient)
	if err != nil {
		return nil, err
	}
	visits, err := q.VisitsOf(patient)
	if err != nil {
		return nil, err
	}
	kinds := map[string]store.Visit{}
	for _, v := range visits {
		kinds[v.ID] = v
	}
	entries, err := q.ChartEntries(patient)
	if err != nil {
		return nil, err
	}
	text := map[int]*strings.Builder{} // by the folio of the note
	by := map[int]string{}
	put := func(folio int, heading, words string) {
		if words = strings.TrimSpace(words); words == "" {
			return
		}
		if text[folio] == nil {
			text[folio] = &strings.Builder{}
		}
		text[folio].WriteString(heading + "\n" + words + "\n\n")
	}
	for i := len(entries) - 1; i >= 0; i-- { // oldest first
		switch e := entries[i]; e.Kind {
		case "note":
			var c note.Content
			if err := json.Unmarshal(e.Content, &c); err != nil {
				return nil, err
			}
			for _, s := range c.Read() {
				put(e.Folio, s.Heading, s.Text)
			}
			by[e.Folio] = e.SignerName
		case "amendment":
			var am amendment
			if err := json.Unmarshal(e.Content, &am); err != nil {
				return nil, err
			}
			put(e.Amends, "Amendment by "+e.SignerName+", "+a.DayOf(e.SignedAt), am.Text)
		}
	}
	for i := len(signed) - 1; i >= 0; i-- {
		n := signed[i]
		v, there := kinds[n.VisitID]
		if n.Folio == 0 || n.Retracted > 0 || text[n.Folio] == nil || !there {
			continue
		}
		out = append(out, ToldNote{ID: n.ID, Title: strings.TrimSuffix(v.Kind+": "+v.Reason, ": "), At: a.Say(v.StartsAt), By: by[n.Folio], Text: strings.TrimSpace(text[n.Folio].String()) + "\n"})
	}
	return out, nil
}
