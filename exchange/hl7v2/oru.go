package hl7v2

import (
	"cmp"
	"fmt"
	"regexp"
	"strings"
	"time"

	"deftledger/core/outside"
	"deftledger/core/result"
)

// Results is an ORU^R01 as its structure has it (HL7 v2.5.1, 7.3.1): what is said of each
// patient, and under each patient the reports.
type Results struct {
	Notes    string // that stand before any patient
	Patients []PatientResults
}

// PatientResults is what a message says of one patient, as the laboratory names them.
type PatientResults struct {
	Patient outside.Identity
	Notes   string // of the patient
	Reports []Report
}

// Report is one reported test: an order observation, with the values of its OBX.
type Report struct {
	Set                      string // its place in the message (OBR-1)
	Placer, Filler           string // our order number and theirs
	OtherPlacer, OtherFiller string // those of the ORC, where the OBR has others
	Code, Title, LOINC       string
	Status                   string // HL7 table 0123, "" when nothing was said
	Collected, Reported      Time
	Performer                string
	Notes                    string
	Parent                   string // the value this report is about, as a susceptibility is of an organism
	Reason                   string
	Specimens                []result.Specimen
	Values                   []result.Value
	Orderer                  Person   // who ordered it (OBR-16, ORC-12)
	Copies                   []Person // to whom else it goes (OBR-28)
}

// Person is a provider as a message names one.
type Person struct{ ID, Family, Given string }

// Name is how somebody is called; the number where there is no name.
func (p Person) Name() string { return cmp.Or(strings.TrimSpace(p.Given+" "+p.Family), p.ID) }

// people reads a field of providers (XCN, CNN in a single one): number, family name (of which the surname counts), given name.
func people(s Segment, field int) (out []Person) {
	for _, rep := range s.Repeats(field) {
		family, _, _ := strings.Cut(component(rep, 2), string(s.d.sub))
		p := Person{ID: component(rep, 1), Family: family, Given: component(rep, 3)}
		if p != (Person{}) {
			out = append(out, p)
		}
	}
	return out
}

// ParseReports reads an ORU^R01. local is the zone of times that carry none. Whoever has
// reports without being named is a patient without a name.
func ParseReports(raw []byte, local *time.Location) (Results, error) {
	m, err := Parse(raw)
	if err != nil {
		return Results{}, err
	}
	if msh := m.Segments[0]; msh.Get(9, 1) != "ORU" {
		return Results{}, fmt.Errorf("%w: it is a %s message, and only ORU^R01 carries results", ErrUnreadable, msh.Get(9, 1)+"^"+msh.Get(9, 2))
	}
	r := reader{local: local}
	for i, s := range m.Segments {
		if err := r.read(s); err != nil {
			return Results{}, fmt.Errorf("%w: line %d (%s) %w", ErrUnreadable, i+1, s.Name, err)
		}
	}
	r.endReport()
	r.endPatient()
	if len(r.out.Patients) == 0 {
		return Results{}, fmt.Errorf("%w: it holds no result (OBR)", ErrUnreadable)
	}
	return r.out, nil
}

// reader goes through the segments and knows in which group it is.
type reader struct {
	local    *time.Location
	out      Results
	patient  *PatientResults
	report   *Report
	order    Segment // the ORC before an OBR
	between  string  // notes after that ORC
	specimen bool    // the OBX that follow are about the specimen
	note     *string // to what a note now belongs
}

func (r *reader) endReport() {
	if r.report != nil {
		r.patient.Reports = append(r.patient.Reports, *r.report)
	}
	r.report, r.specimen = nil, false
}

func (r *reader) endPatient() {
	if r.patient != nil && len(r.patient.Reports) > 0 {
		r.out.Patients = append(r.out.Patients, *r.patient)
	}
	r.patient, r.order, r.between = nil, Segment{}, ""
}

func (r *reader) read(s Segment) error {
	switch s.Name {
	case "MSH":
		r.note = &r.out.Notes
	case "PID":
		r.endReport()
		r.endPatient()
		r.patient = &PatientResults{Patient: identity(s, r.local)}
		r.note = &r.patient.Notes
	case "ORC":
		r.endReport()
		r.order, r.between = s, ""
		r.note = &r.between
	case "OBR":
		r.endReport()
		if r.patient == nil {
			r.patient = &PatientResults{}
		}
		n, err := report(s, r.order, r.local)
		if err != nil {
			return err
		}
		n.Notes = r.between
		r.order, r.between, r.report = Segment{}, "", &n
		r.note = &n.Notes
	case "SPM":
		if r.report == nil {
			return fmt.Errorf("comes before any OBR")
		}
		// Where the values came before it, as the structure has it, what follows is about the specimen.
		r.specimen = len(r.report.Values) > 0
		r.report.Specimens = append(r.report.Specimens, result.Specimen{Type: says(s, 4), Refused: allSay(s, 21), Condition: allSay(s, 24)})
		r.note = &r.report.Notes
	case "OBX":
		if r.report == nil {
			return fmt.Errorf("comes before any OBR")
		}
		v := value(s, r.local)
		if v.Code == "" && v.Name == "" {
			return fmt.Errorf("does not say what was measured (OBX-3)")
		}
		if r.specimen {
			add(&r.report.Notes, "Of the specimen: "+strings.TrimSpace(strings.Join([]string{v.Name, v.Text, v.Unit}, " ")))
			r.note = &r.report.Notes
			return nil
		}
		r.report.Values = append(r.report.Values, v)
		r.report.Performer = cmp.Or(v.Details.Performer, r.report.Performer)
		r.note = &r.report.Values[len(r.report.Values)-1].Notes
	case "NTE":
		add(r.note, strings.Join(s.Whole(3), "\n"))
	}
	return nil
}

func add(to *string, text string) { *to = strings.Trim(*to+"\n"+text, "\n ") }

// identity reads a PID.
func identity(s Segment, local *time.Location) outside.Identity {
	family, _, _ := strings.Cut(s.Get(5, 1), string(s.d.sub))
	id := outside.Identity{Family: family, Given: s.Get(5, 2), Sex: strings.ToUpper(s.Get(8, 1))}
	for _, rep := range s.Repeats(13) {
		at := func(i int) string { return component(rep, i) }
		id.Phone = cmp.Or(id.Phone, at(1), at(12), at(6)+at(7))
	}
	for _, rep := range s.Repeats(3) {
		if n := component(rep, 1); n != "" && n != `""` {
			assigner, _, _ := strings.Cut(component(rep, 4), string(s.d.sub))
			id.Records = append(id.Records, outside.RecordNumber{Number: n, Assigner: strings.TrimSpace(assigner), Kind: component(rep, 5)})
		}
	}
	birth := ParseTime(s.Get(7, 1), local)
	id.BirthDate, id.BirthSaid = birth.Say(), birth.Raw
	if len(id.BirthDate) > len(time.DateOnly) {
		id.BirthDate = id.BirthDate[:len(time.DateOnly)]
	}
	if id.BirthDate != "" {
		id.BirthSaid = ""
	}
	return id
}

// report reads an OBR, with the order control before it.
func report(s, order Segment, local *time.Location) (Report, error) {
	r := Report{Set: s.Get(1, 1), Placer: cmp.Or(s.Get(2, 1), order.Get(2, 1)), Filler: cmp.Or(s.Get(3, 1), order.Get(3, 1)),
		Status: strings.ToUpper(s.Get(25, 1)), Collected: ParseTime(s.Get(7, 1), local), Reported: ParseTime(s.Get(22, 1), local),
		Reason: allSay(s, 31)}
	if o := order.Get(2, 1); o != r.Placer {
		r.OtherPlacer = o
	}
	if o := order.Get(3, 1); o != r.Filler {
		r.OtherFiller = o
	}
	r.Code, r.Title, r.LOINC = coded(s, 4)
	if r.Code == "" && r.Title == "" {
		return r, fmt.Errorf("does not say which test it is (OBR-4)")
	}
	for _, p := range append(people(s, 16), people(order, 12)...) {
		r.Orderer = p
		break
	}
	r.Copies = people(s, 28)
	// The parent result (OBR-26): the identifier of the value, its sub-identifier, its text.
	of, _, _ := strings.Cut(s.Get(26, 1), string(s.d.sub))
	if sub := s.Get(26, 2); sub != "" {
		of += "/" + sub
	}
	r.Parent = strings.TrimSpace(of + " " + s.Get(26, 3))
	if r.Parent == "" && s.Get(29, 1) != "" {
		// Of a parent only the numbers are known (OBR-29): of the placer and of the filler.
		r.Parent = strings.TrimSpace(s.Get(29, 1) + " " + s.Get(29, 2))
		if r.Parent == strings.TrimSpace(r.Placer+" "+r.Filler) {
			r.Parent = ""
		}
	}
	if from, _, _ := strings.Cut(says(s, 15), string(s.d.sub)); from != "" { // before SPM there was OBR-15
		r.Specimens = append(r.Specimens, result.Specimen{Type: from})
	}
	return r, nil
}

// component is a component of a repetition, trimmed.
func component(rep []string, i int) string {
	if i > len(rep) {
		return ""
	}
	return strings.TrimSpace(rep[i-1])
}

// word is the first component of a coded repetition (CE, CWE) that says something: its
// text, that of the other code, the text it was made from; else a code.
func word(rep []string) string {
	for _, i := range []int{2, 5, 9, 1, 4} {
		if w := component(rep, i); w != "" && w != `""` {
			return w
		}
	}
	return ""
}

// says is what a coded field says, allSay what all its repetitions say.
func says(s Segment, field int) string {
	if reps := s.Repeats(field); len(reps) > 0 {
		return word(reps[0])
	}
	return ""
}

func allSay(s Segment, field int) string {
	var out []string
	for _, rep := range s.Repeats(field) {
		if w := word(rep); w != "" {
			out = append(out, w)
		}
	}
	return strings.Join(out, ", ")
}

// isLOINC knows the names of the coding system (HL7 table 0396, and those that are met).
func isLOINC(system string) bool {
	switch strings.ToUpper(strings.TrimSuffix(strings.TrimSpace(system), "/")) {
	case "LN", "LOINC", "LNC", "HTTP://LOINC.ORG", "2.16.840.1.113883.6.1", "URN:OID:2.16.840.1.113883.6.1":
		return true
	}
	return false
}

// loincForm is the form of a LOINC code.
var loincForm = regexp.MustCompile(`^\d{1,6}-\d$`)

// coded reads a CE or CWE field: the local code, its text, and the LOINC code from
// whichever triplet names LOINC as its system.
func coded(s Segment, field int) (code, text, loinc string) {
	var rep []string
	if reps := s.Repeats(field); len(reps) > 0 {
		rep = reps[0]
	}
	at := func(i int) string { return component(rep, i) }
	code = at(1)
	switch {
	case isLOINC(at(3)) && loincForm.MatchString(at(1)):
		loinc = at(1)
		code = cmp.Or(at(4), code)
	case isLOINC(at(6)) && loincForm.MatchString(at(4)):
		loinc = at(4)
	}
	return cmp.Or(code, at(4)), word(rep), loinc
}

// power is the beginning of a unit in which "^" stands for itself: 10^9/L, x10^3/uL.
var power = regexp.MustCompile(`^([x*×]\s*)?10$`)

// unit reads OBX-6: a coded unit, or a text that contains the delimiter.
func unit(s Segment) string {
	reps, whole := s.Repeats(6), s.Whole(6)
	if len(reps) == 0 {
		return ""
	}
	at := func(i int) string { return component(reps[0], i) }
	switch system := strings.ToUpper(at(3)); {
	case power.MatchString(at(1)):
		return strings.TrimSpace(whole[0])
	case at(1) != "" && (system == "UCUM" || strings.Contains(system, "UNITSOFMEASURE")):
		return at(1)
	case at(1) != "" && at(3) == "" && strings.Trim(at(1), "0123456789") != "" && !strings.Contains(at(1), ":"):
		return at(1)
	}
	return word(reps[0])
}

// value reads an OBX.
func value(s Segment, local *time.Location) result.Value {
	v := result.Value{Unit: unit(s), Range: strings.TrimSpace(strings.Join(s.Whole(7), "; ")), Status: strings.ToUpper(s.Get(11, 1))}
	v.Code, v.Name, v.LOINC = coded(s, 3)
	var flags []string
	for _, rep := range s.Repeats(8) {
		if f := strings.ToUpper(component(rep, 1)); f != "" && f != `""` {
			flags = append(flags, f)
		}
	}
	v.Flag = strings.Join(flags, "~")
	v.Details = result.Details{SubID: s.Get(4, 1), ObservedAt: ParseTime(s.Get(14, 1), local).Say(), Method: allSay(s, 17),
		Performer: s.Get(23, 1), Address: address(s, 24), Director: person(s, 25)}
	var parts []string
	kind, whole := strings.ToUpper(s.Get(2, 1)), s.Whole(5)
	for i, rep := range s.Repeats(5) {
		at := func(n int) string { return component(rep, n) }
		switch kind {
		case "SN": // structured numeric: comparator, number, separator, number
			parts = append(parts, strings.TrimPrefix(at(1), "=")+at(2)+at(3)+at(4))
		case "CE", "CF", "CWE", "CNE":
			parts = append(parts, word(rep))
			v.Details.Coded = append(v.Details.Coded, strings.TrimSpace(whole[i]))
		case "ED":
			parts = append(parts, attached(at(3), at(2)))
			file, _ := fileIn(rep)
			v.Details.Attached = append(v.Details.Attached, file)
		case "RP":
			parts = append(parts, attached(at(3), at(4)))
		case "DT", "TS", "DTM":
			parts = append(parts, cmp.Or(ParseTime(at(1), local).Say(), strings.TrimSpace(whole[i])))
		case "TM":
			if t := at(1); timeOfDay.MatchString(t) {
				parts = append(parts, t[:2]+":"+t[2:4])
			} else {
				parts = append(parts, t)
			}
		default:
			parts = append(parts, whole[i])
		}
	}
	if kind == "TX" || kind == "FT" {
		v.Details.Kind = "text"
	}
	v.Text = strings.TrimSpace(strings.Join(parts, "\n"))
	if v.Text == `""` { // there is none, said so
		v.Text = ""
	}
	return v
}

var timeOfDay = regexp.MustCompile(`^([01]\d|2[0-3])[0-5]\d`)

func attached(kind, other string) string {
	return "[attached " + strings.ToLower(cmp.Or(kind, other, "data")) + ", kept with the message]"
}

// address reads an XAD as one line.
func address(s Segment, field int) string {
	reps := s.Repeats(field)
	if len(reps) == 0 {
		return ""
	}
	var out []string
	for i := 1; i <= 6; i++ {
		if part, _, _ := strings.Cut(component(reps[0], i), string(s.d.sub)); part != "" {
			out = append(out, strings.TrimSpace(part))
		}
	}
	return strings.Join(out, ", ")
}

// person reads an XCN as a name: degree or prefix, given name, family name.
func person(s Segment, field int) string {
	family, _, _ := strings.Cut(s.Get(field, 2), string(s.d.sub))
	return strings.Join(strings.Fields(s.Get(field, 6)+" "+s.Get(field, 3)+" "+family), " ")
}
