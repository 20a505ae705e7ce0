package outside

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"deftledger/core/chart"
)

// Ours is an entry of the chart that one of a record may be.
type Ours struct {
	ID, List, Title, Detail string
	Code                    string   // ICD-10-CM of a problem, CVX of a vaccine
	Names                   []string // of a medicine its ingredients, of an allergy its substance and classes, as core/safety names them
	Since, Ended            string   // Ended is when it came off the list
	None                    bool     // the statement that there is none
	Severity                string
	Class                   string // as an Item has it
	Unit                    string // of a value; Title is its name, Detail what was measured, Since when, as it came
}

// Theirs is an entry of a record, with what is known here of its words. Names is empty where nobody knows what it is.
type Theirs struct {
	Item
	Names    []string
	Warnings []string // what speaks against taking it in, in words
	Checked  bool     // it was checked against the chart: without that nothing is certain
}

// Stand is how an entry of a record stands to the chart.
type Stand string

// The ways in which one stands. Unsure is an answer of its own: what nobody can compare is a question.
const (
	Same     Stand = "the same"
	New      Stand = "new"
	Differs  Stand = "differs"
	Conflict Stand = "conflicts"
	Older    Stand = "older than ours"
	Unsure   Stand = "not certain"
)

// Compared is an entry of a record beside the chart. Certain says that it can be settled without looking at it by itself: it is the same, or
// it is new and nothing speaks against it.
type Compared struct {
	Stand   Stand
	With    *Ours // the entry of ours it stands beside; nil for none
	Differs []string
	Certain bool
	Why     string
}

// Compare sets an entry of a record beside the chart. today is the day in the practice, born the birth date; what lies outside of a life is
// not certain. Nothing of ours is ended by what a record says.
func Compare(ours []Ours, t Theirs, born, today string) Compared {
	if t.Doubt != "" {
		return Compared{Stand: Unsure, With: near1(ours, t), Why: "their record is not certain: " + t.Doubt}
	}
	for _, day := range []string{t.Since, t.Until} {
		switch n := len(day); {
		case n == 0:
		case born != "" && day[:min(n, len(born))] < born[:min(n, len(born))]:
			return Compared{Stand: Unsure, With: near1(ours, t), Why: "it is dated before the birth, " + day}
		case n >= 10 && day[:10] > today || n < 10 && day > today[:n]:
			return Compared{Stand: Unsure, With: near1(ours, t), Why: "it is dated in the future, " + day}
		}
	}
	out := beside(ours, t)
	if t.Note != "" && out.Certain {
		out.Certain, out.Why = false, out.Why+"; a remark stands beside it, which may say otherwise"
	}
	return out
}

func beside(ours []Ours, t Theirs) Compared {
	switch t.List {
	case Problems:
		return problem(ours, t)
	case Allergies:
		return allergy(ours, t)
	case Medicines:
		return medicine(ours, t)
	case Immunizations:
		return vaccine(ours, t)
	case Results, Vitals:
		return measured(ours, t)
	case Procedures:
		return procedure(ours, t)
	}
	if HistoryList(t.Item) != "" {
		return history(ours, t)
	}
	return Compared{Stand: Unsure, Why: "entries of this kind are read with the record, and not set beside the chart"}
}

func of(ours []Ours, list string) (out []*Ours) {
	for i := range ours {
		if ours[i].List == list {
			out = append(out, &ours[i])
		}
	}
	return out
}

// near1 is an entry of ours that shares a code or a name with theirs; nil for none.
func near1(ours []Ours, t Theirs) *Ours {
	for _, o := range of(ours, t.List) {
		if o.Code != "" && (o.Code == t.CodeIn(ICD10) || o.Code == t.CodeIn(CVX)) || share(o.Names, t.Names) || sameText(o.Title, t.Title) {
			return o
		}
	}
	return nil
}

// pick is the entry of a list that matches, one that has not ended before one that has; nil for none.
func pick(list []*Ours, match func(*Ours) bool) (ended *Ours) {
	for _, o := range list {
		if o.None || !match(o) {
			continue
		}
		if o.Ended == "" {
			return o
		}
		ended = o
	}
	return ended
}

func share(a, b []string) bool {
	return slices.ContainsFunc(a, func(x string) bool { return slices.Contains(b, x) })
}

func sameText(a, b string) bool { return a != "" && chart.Fold(a) == chart.Fold(b) }

func equal(a, b []string) bool {
	x, y := slices.Sorted(slices.Values(a)), slices.Sorted(slices.Values(b))
	return len(x) > 0 && slices.Equal(slices.Compact(x), slices.Compact(y))
}

// problem compares by the code of ICD-10-CM: the same code is the same problem, the same category another exactness. A new problem is
// never certain: a physician takes it in.
func problem(ours []Ours, t Theirs) Compared {
	list := of(ours, Problems)
	if t.None {
		for _, o := range list {
			if !o.None && o.Ended == "" {
				return Compared{Stand: Conflict, With: o, Why: "they say that there is no problem; ours stay"}
			}
		}
		return Compared{Stand: Unsure, Why: "they say that there is no problem, and our list is empty"}
	}
	code := t.CodeIn(ICD10)
	o := pick(list, func(o *Ours) bool { return code != "" && o.Code == code || sameText(o.Title, t.Title) })
	switch {
	case t.Status == Denied:
		return Compared{Stand: Conflict, With: o, Why: "their record says that it is not there"}
	case o != nil && o.Ended == "" && t.Status == Ended:
		return Compared{Stand: Conflict, With: o, Differs: []string{"ended there"}, Why: "it stands on our list, and has ended in theirs"}
	case o != nil && o.Ended == "":
		return Compared{Stand: Same, With: o, Certain: true, Why: "the same code"}
	case o != nil && t.Status == Ended:
		return Compared{Stand: Same, With: o, Certain: true, Why: "ended in both"}
	case o != nil:
		return Compared{Stand: Conflict, With: o, Differs: []string{"active there"}, Why: "it has ended on our list, and is active in theirs"}
	}
	if len(code) >= 3 {
		if o := pick(list, func(o *Ours) bool { return len(o.Code) >= 3 && o.Code[:3] == code[:3] }); o != nil {
			differs := "another one of the same kind"
			switch {
			case exactness(o.Code) > exactness(code):
				differs = "less exact than ours"
			case exactness(o.Code) < exactness(code):
				differs = "more exact than ours"
			}
			return Compared{Stand: Differs, With: o, Differs: []string{differs}, Why: "the same category of ICD-10-CM (" + code[:3] + "), another code"}
		}
	}
	if t.Status == Ended {
		return Compared{Stand: Older, Why: "it is past, and stands nowhere in our chart"}
	}
	if code == "" {
		return Compared{Stand: Unsure, Why: "it has no code of ICD-10-CM, so that it cannot be compared for certain"}
	}
	return Compared{Stand: New, Why: "no problem of ours has this code or this category"}
}

// exactness is how much a code says: one that ends in "unspecified" says less.
func exactness(code string) int {
	n := len(strings.ReplaceAll(code, ".", ""))
	if strings.HasSuffix(code, "9") {
		n--
	}
	return n
}

func allergy(ours []Ours, t Theirs) Compared {
	list := of(ours, Allergies)
	if t.None {
		for _, o := range list {
			if !o.None && o.Ended == "" {
				return Compared{Stand: Conflict, With: o, Why: "they know of no allergy; nothing of ours ends by it"}
			}
		}
		for _, o := range list {
			if o.None && o.Ended == "" {
				return Compared{Stand: Same, With: o, Certain: true, Why: "none known in both"}
			}
		}
		return Compared{Stand: Unsure, Why: "they know of none, and nobody here has asked"}
	}
	match := pick(list, func(o *Ours) bool { return sameText(o.Title, t.Title) || equal(o.Names, t.Names) })
	var none *Ours
	if i := slices.IndexFunc(list, func(o *Ours) bool { return o.None && o.Ended == "" }); i >= 0 {
		none = list[i]
	}
	switch {
	case t.Status == Denied:
		return Compared{Stand: Conflict, With: match, Why: "their record says that it is not there; nothing of ours ends by it"}
	case match != nil && match.Ended == "" && t.Status == Ended:
		return Compared{Stand: Conflict, With: match, Differs: []string{"ended there"}, Why: "an allergy is not ended by what another house says"}
	case match != nil && match.Ended == "":
		if differs := reactions(*match, t); len(differs) > 0 {
			return Compared{Stand: Differs, With: match, Differs: differs, Why: "the same substance"}
		}
		return Compared{Stand: Same, With: match, Certain: true, Why: "the same substance, and nothing more is said of it"}
	case match != nil:
		return Compared{Stand: Conflict, With: match, Differs: []string{"active there"}, Why: "it was taken off our list, and stands on theirs"}
	case none != nil:
		return Compared{Stand: Conflict, With: none, Why: "our chart says that none is known"}
	case t.Status == Ended:
		return Compared{Stand: Older, Why: "it has ended there, and stands nowhere in our chart"}
	}
	for _, o := range list {
		if o.Ended == "" && share(o.Names, t.Names) {
			return Compared{Stand: Differs, With: o, Differs: []string{"another substance of one class"}, Why: "it shares a class with one of ours"}
		}
	}
	if len(t.Names) == 0 {
		return Compared{Stand: Unsure, Why: "nobody here knows this substance, so that nothing could be checked against it"}
	}
	return Compared{Stand: New, Certain: t.Checked && len(t.Warnings) == 0, Why: new1(t, "no allergy of ours is to this substance")}
}

// reactions are what a record says of an allergy beyond ours: a reaction, or a graver one.
func reactions(o Ours, t Theirs) (out []string) {
	grave := map[string]int{"mild": 1, "mild to moderate": 1, "moderate": 2, "moderate to severe": 3, "severe": 3, "life threatening": 4, "life threatening severity": 4, "fatal": 5}
	if g := grave[strings.ToLower(t.Severity)]; t.Severity != "" && g != grave[strings.ToLower(o.Severity)] {
		switch {
		case o.Severity == "":
			out = append(out, "severity said there: "+t.Severity)
		case g > grave[strings.ToLower(o.Severity)]:
			out = append(out, "graver there: "+t.Severity)
		default:
			out = append(out, "milder there: "+t.Severity)
		}
	}
	ours := chart.Fold(o.Detail)
	for w := range strings.FieldsFuncSeq(t.Detail, func(r rune) bool { return r == ';' || r == ',' }) {
		if w = strings.TrimSpace(w); w != "" && !strings.EqualFold(w, t.Severity) && !strings.Contains(ours, chart.Fold(w)) {
			out = append(out, "reaction: "+w)
		}
	}
	return out
}

// medicine compares by ingredients. Another dose, one that ended in one of the two, and one that nobody knows are never certain.
func medicine(ours []Ours, t Theirs) Compared {
	list := of(ours, Medicines)
	if t.None {
		for _, o := range list {
			if !o.None && o.Ended == "" {
				return Compared{Stand: Conflict, With: o, Why: "they say that no medicine is taken; ours stay"}
			}
		}
		return Compared{Stand: Unsure, Why: "they say that no medicine is taken"}
	}
	match := pick(list, func(o *Ours) bool {
		return equal(o.Names, t.Names) || len(t.Names) == 0 && sameText(o.Title, t.Title)
	})
	part := pick(list, func(o *Ours) bool { return share(o.Names, t.Names) && o.Ended == "" })
	switch {
	case len(t.Names) == 0 && match == nil:
		return Compared{Stand: Unsure, Why: "nobody here knows this medicine, so that nothing could be checked against it"}
	case match != nil && match.Ended == "" && t.Status == Ended:
		return Compared{Stand: Conflict, With: match, Differs: []string{"ended there"}, Why: "it stands on our list, and has ended in theirs"}
	case match != nil && match.Ended == "":
		dose, ok := sameDose(*match, t)
		switch {
		case ok:
			return Compared{Stand: Same, With: match, Certain: true, Why: "the same ingredient and dose"}
		case dose == "":
			return Compared{Stand: Unsure, With: match, Why: "the same ingredient; the doses cannot be compared for certain"}
		}
		return Compared{Stand: Differs, With: match, Differs: []string{dose}, Why: "the same ingredient"}
	case match != nil && t.Status == Ended:
		return Compared{Stand: Same, With: match, Certain: true, Why: "ended in both"}
	case match != nil:
		return Compared{Stand: Conflict, With: match, Differs: []string{"active there"}, Why: "it has ended on our list, and is active in theirs"}
	case t.Status == Ended:
		return Compared{Stand: Older, Why: "it has ended there, and stands nowhere in our chart"}
	case part != nil:
		return Compared{Stand: Differs, With: part, Differs: []string{"shares an ingredient"}, Why: "one ingredient is taken already"}
	}
	if len(t.Warnings) > 0 {
		return Compared{Stand: Conflict, Why: strings.Join(t.Warnings, "; ")}
	}
	return Compared{Stand: New, Certain: t.Checked, Why: new1(t, "no medicine of ours has this ingredient")}
}

func new1(t Theirs, why string) string {
	if !t.Checked {
		return why + "; not everything could be checked"
	}
	return why + "; every check was run, and none speaks against it"
}

// sameDose compares what two entries take in a day, where both can be read for certain; differs is "" where they cannot.
func sameDose(o Ours, t Theirs) (differs string, same bool) {
	ours, theirs := strings.TrimSpace(o.Title+" "+o.Detail), strings.TrimSpace(t.Title+" "+t.Detail)
	if sameText(ours, theirs) || sameText(o.Detail, t.Detail) && o.Detail != "" && sameText(o.Title, t.Title) {
		return "", true
	}
	a, oka := daily(ours)
	b, okb := daily(theirs)
	if !oka || !okb || a.unit != b.unit {
		return "", false
	}
	if a.amount == b.amount {
		return "", true
	}
	return fmt.Sprintf("dose: %s there, %s here", b, a), false
}

func vaccine(ours []Ours, t Theirs) Compared {
	if t.Status == NotGiven {
		return Compared{Stand: Unsure, Why: "it was not given there: " + orSaid(t.Detail, "no reason is said")}
	}
	cvx := t.CodeIn(CVX)
	if cvx == "" {
		return Compared{Stand: Unsure, Why: "it has no code of a vaccine (CVX), so that it cannot be counted for certain"}
	}
	for _, o := range of(ours, Immunizations) {
		if o.Code != cvx && !share(o.Names, t.Names) {
			continue
		}
		switch n := min(len(o.Since), len(t.Since), 10); {
		case n >= 10 && o.Since[:10] == t.Since[:10]:
			return Compared{Stand: Same, With: o, Certain: true, Why: "the same vaccine on the same day"}
		case n >= 4 && n < 10 && o.Since[:n] == t.Since[:n]:
			return Compared{Stand: Unsure, With: o, Why: "it may be the same dose: one of the days is not known"}
		case n >= 10 && close1(o.Since[:10], t.Since[:10]):
			return Compared{Stand: Differs, With: o, Differs: []string{"day: " + t.Since[:10] + " there"}, Why: "the same vaccine, some days apart: it may be one dose"}
		}
	}
	if len(t.Since) < 10 {
		return Compared{Stand: Unsure, Why: "the day on which it was given is not said"}
	}
	return Compared{Stand: New, Certain: t.Checked && len(t.Warnings) == 0, Why: "no dose of ours is of that day"}
}

// measured compares a value by LOINC and when it was measured. Nothing is converted: another unit is another value. What has no LOINC code
// or no day can be taken in by a person, and stands beside nothing.
func measured(ours []Ours, t Theirs) Compared {
	loinc := t.CodeIn(LOINC)
	switch {
	case loinc == "":
		return Compared{Stand: Unsure, Why: "it has no LOINC code, so that it stands beside nothing of ours for certain"}
	case len(t.Since) < 10:
		return Compared{Stand: Unsure, Why: "the day on which it was measured is not said"}
	}
	for i := range ours {
		o := &ours[i]
		if o.Code != loinc || o.List != Results && o.List != Vitals || !sameMoment(o.Since, t.Since) {
			continue
		}
		if sameText(o.Detail, t.Value) && sameText(orSaid(o.Unit, "-"), orSaid(t.Unit, "-")) {
			return Compared{Stand: Same, With: o, Certain: true, Why: "the same value of the same moment"}
		}
		return Compared{Stand: Conflict, With: o, Differs: []string{strings.TrimSpace(t.Value+" "+t.Unit) + " there"}, Why: "the same quantity at the same moment, and another value"}
	}
	return Compared{Stand: New, Certain: t.Checked, Why: "nothing of ours was measured then; it keeps the name of their house"}
}

// sameMoment says whether two moments are one, as far as both are known: a day alone is any time of it.
func sameMoment(a, b string) bool {
	if len(a) < 10 || len(b) < 10 {
		return false
	}
	if len(a) == 10 || len(b) == 10 {
		return a[:10] == b[:10]
	}
	x, okx := instant(a)
	y, oky := instant(b)
	return okx && oky && x.Truncate(time.Minute).Equal(y.Truncate(time.Minute))
}

func instant(s string) (time.Time, bool) {
	for _, layout := range []string{time.RFC3339, "2006-01-02T15:04Z07:00", "2006-01-02T15Z07:00"} {
		if t, err := time.Parse(layout, s); err == nil {
			return t, true
		}
	}
	return time.Time{}, false
}

// procedure compares by words: a new one is never certain.
func procedure(ours []Ours, t Theirs) Compared {
	if t.Status == NotDone {
		return Compared{Stand: Unsure, Why: "it was not done there: " + orSaid(t.Detail, "no reason is said")}
	}
	for _, o := range of(ours, Procedures) {
		n := min(len(o.Since), len(t.Since), 10)
		if !sameText(o.Title, t.Title) {
			continue
		}
		if n >= 4 && o.Since[:n] == t.Since[:n] {
			return Compared{Stand: Same, With: o, Certain: true, Why: "the same procedure at the same time"}
		}
		return Compared{Stand: Differs, With: o, Differs: []string{"when: " + orSaid(t.Since, "not said") + " there"}, Why: "the same words, at another time"}
	}
	return Compared{Stand: New, Why: "none of ours has these words"}
}

// SameFact says whether entries of two records say the same for certain, so that one decision is about both.
func SameFact(a, b Theirs) bool {
	if a.List != b.List || a.Doubt != "" || b.Doubt != "" || a.None != b.None || a.Status != b.Status {
		return false
	}
	if a.None {
		return a.Title == b.Title
	}
	switch a.List {
	case Problems:
		return a.CodeIn(ICD10) != "" && a.CodeIn(ICD10) == b.CodeIn(ICD10)
	case Allergies:
		return equal(a.Names, b.Names) && sameText(orSaid(a.Severity, "-"), orSaid(b.Severity, "-")) && sameText(orSaid(a.Detail, "-"), orSaid(b.Detail, "-"))
	case Medicines:
		_, same := sameDose(Ours{Title: a.Title, Detail: a.Detail}, b)
		return equal(a.Names, b.Names) && same
	case Immunizations:
		return a.CodeIn(CVX) != "" && a.CodeIn(CVX) == b.CodeIn(CVX) && len(a.Since) >= 10 && len(b.Since) >= 10 && a.Since[:10] == b.Since[:10]
	case Results, Vitals:
		return a.CodeIn(LOINC) != "" && a.CodeIn(LOINC) == b.CodeIn(LOINC) && len(a.Since) > 10 && len(b.Since) > 10 && sameMoment(a.Since, b.Since) && a.Value == b.Value && a.Unit == b.Unit
	}
	return false
}

func orSaid(s, other string) string {
	if s == "" {
		return other
	}
	return s
}
