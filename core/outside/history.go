package outside

import (
	"slices"

	"deftledger/core/chart"
)

// inpatient are the classes of a visit that is a stay (HL7 ActCode).
var inpatient = []string{"IMP", "ACUTE", "NONAC", "OBSENC", "SS"}

// kinds of the social history that are lists of ours by themselves.
var socialKinds = []string{chart.ObstetricList, chart.CommunicationList}

// HistoryList is the history of ours that an entry of a record may be taken into; "" where it is none of them, as a visit is not, nor a
// problem that has not ended.
func HistoryList(i Item) string {
	switch {
	case i.List == Problems && i.Status == Ended:
		return chart.PastList
	case i.List == Procedures:
		return chart.SurgicalList
	case i.List == Devices:
		return chart.ImplantList
	case i.List == Family:
		return chart.FamilyList
	case i.List == Encounters && slices.Contains(inpatient, i.Class):
		return chart.HospitalList
	case i.List == Social && slices.Contains(socialKinds, i.Class):
		return i.Class
	case i.List == Social:
		return chart.SocialList
	}
	return ""
}

// OfHistory is an entry of a history as a record has it. What stays between patient and clinician is in none.
func OfHistory(h chart.HistoryEntry) (i Item, given bool) {
	i = Item{Ref: h.ID, Title: h.Title, Since: h.Since, Until: h.Until}
	switch h.List {
	case chart.PastList:
		i.List, i.Status, i.Note = Problems, Ended, h.Detail
	case chart.SurgicalList:
		i.List, i.Status, i.Note = Procedures, Done, h.Detail
	case chart.ImplantList:
		i.List, i.Status, i.Note = Devices, Active, h.Detail
		if h.Until != "" {
			i.Status = Ended
		}
	case chart.HospitalList:
		i.List, i.Class, i.Detail = Encounters, "IMP", h.Detail
	case chart.FamilyList:
		i.List, i.Detail = Family, h.Detail
	case chart.SocialList, chart.ObstetricList, chart.CommunicationList:
		i.List, i.Detail = Social, h.Detail
		if h.List != chart.SocialList {
			i.Class = h.List
		}
	}
	return i, i.List != "" && h.Title != chart.Private
}

// history compares by words, with what is said of it: a new one is never certain. Of a topic of the social history there is one answer, so
// that another differs; of all else another time, or another relative, is another entry.
func history(ours []Ours, t Theirs) Compared {
	title, topic := t.Title, t.List == Social && t.Class != chart.ObstetricList
	if HistoryList(t.Item) == chart.SocialList {
		title = Topic(title)
	}
	said := orSaid(t.Detail, t.Note)
	for _, o := range of(ours, t.List) {
		if o.Class != t.Class || !sameText(o.Title, title) {
			continue
		}
		n := min(len(o.Since), len(t.Since), 10)
		sameTime := o.Since[:n] == t.Since[:n]
		switch {
		case sameTime && sameText(orSaid(o.Detail, "-"), orSaid(said, "-")):
			return Compared{Stand: Same, With: o, Certain: true, Why: "the same words"}
		case topic:
			return Compared{Stand: Differs, With: o, Differs: []string{"there: " + orSaid(said, "nothing more")}, Why: "the same topic, and something else is said of it"}
		case sameTime && n >= 4 && t.List != Family:
			return Compared{Stand: Unsure, With: o, Why: "it may be the same: something else is said of it"}
		}
	}
	return Compared{Stand: New, Why: "none of ours has these words"}
}

// topics are what others call those of our social history, as chart.Fold has it.
var topics = map[string]string{"smoking": "Tobacco", "smokingstatus": "Tobacco", "tobaccouse": "Tobacco", "tobaccosmokingstatus": "Tobacco", "historyoftobaccouse": "Tobacco", "alcoholuse": "Alcohol", "alcoholintake": "Alcohol",
	"druguse": "Drugs"}

// Topic is what our social history calls a topic of theirs.
func Topic(title string) string { return orSaid(topics[chart.Fold(title)], title) }
