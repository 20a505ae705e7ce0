package intake

import (
	"slices"
	"strings"

	"deftledger/core/chart"
	"deftledger/store"
)

// incoming sets what came from outside beside what is in the chart.
func (a *Acts) incoming(q *store.Q, v store.Visit, out *IntakeView) error {
	es, err := q.IncomingEntries(v.PatientID)
	if err != nil {
		return err
	}
	names, err := q.StaffNames()
	if err != nil {
		return err
	}
	l, err := a.Forms.Current()
	if err != nil {
		return err
	}
	for _, e := range es {
		x := IncomingView{ID: e.ID, Source: e.Source, List: e.List, Name: chart.ListName(e.List), Title: e.Title, Detail: e.Detail,
			Since: e.Since, Same: "new", Decision: e.Decision, By: names[e.DecidedBy], At: a.Say(e.ReceivedAt)}
		if e.List == "answer" {
			x.Name = "Answers before the visit"
			f := strings.SplitN(e.Link, " ", 3)
			if iv := l.Newest(f[0]); iv != nil {
				x.Title = iv.Asked(f[1])
			}
		}
		if beside, same := Beside(out, e); beside != nil {
			x.Beside = strings.TrimSpace(beside.Title + " " + beside.Detail)
			x.Same = "differs"
			if same {
				x.Same = "same"
			}
		}
		out.Incoming = append(out.Incoming, x)
	}
	return nil
}

// Beside finds the entry of the chart that an entry from outside may be: of the
// same list, with the same first word of its name.
func Beside(out *IntakeView, e store.IncomingEntry) (*EntryView, bool) {
	lists := append(slices.Clone(out.Lists), out.Medicines, out.Allergies)
	for _, l := range lists {
		if l.ID != e.List {
			continue
		}
		for _, x := range l.Entries {
			if chart.Fold(firstWord(x.Title)) == chart.Fold(firstWord(e.Title)) && firstWord(e.Title) != "" {
				return &x, strings.EqualFold(strings.Join(strings.Fields(x.Title+" "+x.Detail), " "),
					strings.Join(strings.Fields(e.Title+" "+e.Detail), " "))
			}
		}
	}
	return nil, false
}

func firstWord(s string) string {
	f := strings.Fields(s)
	if len(f) == 0 {
		return ""
	}
	return f[0]
}
