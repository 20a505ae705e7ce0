package outside

import "slices"

// Part is a part of a chart that can be given out by itself.
type Part struct {
	ID, Title string
	Lists     []string
}

// Parts of a chart in the order in which they are offered. Notes and documents are files, not lists.
var Parts = []Part{
	{"problems", "Problems", []string{Problems}}, {"allergies", "Allergies", []string{Allergies}}, {"medicines", "Medicines", []string{Medicines}}, {"immunizations", "Immunizations", []string{Immunizations}},
	{"results", "Results", []string{Results}}, {"vitals", "Vital signs", []string{Vitals}}, {"procedures", "Procedures and devices", []string{Procedures, Devices}}, {"histories", "Social and family history", []string{Social, Family}},
	{"visits", "Visits", []string{Encounters, Team}}, {NotesPart, "Notes", nil}, {DocumentsPart, "Documents", nil},
}

// The parts that are no lists.
const (
	NotesPart     = "notes"
	DocumentsPart = "documents"
)

// dated are the lists of what happened on a day; the others are how things stand.
var dated = []string{Immunizations, Results, Vitals, Procedures, Encounters}

// Chosen are the items of some parts (all for none), of a time: what happened before first or after last is left out, "" for no bound. What
// stands on a list today belongs to every time. One that happened on a day that nobody knows is left out where a time is asked for.
func Chosen(items []Item, parts []string, first, last string) (out []Item) {
	for _, i := range items {
		if len(parts) > 0 && !slices.ContainsFunc(Parts, func(p Part) bool { return slices.Contains(parts, p.ID) && slices.Contains(p.Lists, i.List) }) {
			continue
		}
		if slices.Contains(dated, i.List) && !Within(i.Since, first, last) {
			continue
		}
		out = append(out, i)
	}
	return out
}

// Within says whether a day or moment, as precisely as it is known, lies within a time from one day to another. A year or month does where
// it may.
func Within(at, first, last string) bool {
	if first == "" && last == "" {
		return true
	}
	if at == "" {
		return false
	}
	at = at[:min(len(at), 10)]
	return (first == "" || at >= first[:min(len(at), len(first))]) && (last == "" || at <= last[:min(len(at), len(last))])
}
