package hl7v2

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"deftledger/core/chart"
	"deftledger/core/order"
)

// Order is what an OML^O21 laboratory order says. What is empty was not said, and is left out.
type Order struct {
	Control       string
	Sender        string // sending facility, the practice; also the namespace of our numbers
	Receiver      string // receiving facility, the laboratory
	Placer        string
	Priority      string // R, A, S (table 0485)
	Patient       chart.Patient
	Registration  chart.Registration
	Day           string // YYYY-MM-DD, on which coverages hold
	Payer         order.Payer
	ClinicianID   string
	NPI           string
	Practice      string // who orders, in words
	Callback      string // the telephone at which the laboratory calls; "" for none
	Account       string // ours at the laboratory; "" for none
	ClinicianName chart.Name
	SignedAt      time.Time
	CollectedAt   time.Time
	CollectedBy   chart.Name
	Due           string // YYYY-MM-DD; "" for now
	Tests         []OrderTest
	Copies        []order.Copy
	Cancel        bool // of an order sent before, instead of a new one
	Ask           bool // how far an order sent before has come, instead of a new one
}

// OrderTest is one test of an order with the diagnoses that justify it.
type OrderTest struct {
	Code, Name, LOINC string
	Diagnoses         []Diagnosis
	Remark            string
	Answers           []OrderAnswered
	Specimens         []OrderSpecimen
	Notice            string   // the advance notice (ORC-20, table 0339); "" where none is called for
	Modifiers         []string // of the charge (OBR-45, HCPCS)
}

// OrderAnswered is the answer to a question at order entry. Kind is the value type of OBX-2.
type OrderAnswered struct{ Code, Words, Kind, Answer, Unit string }

// OrderSpecimen is a specimen of a test with its container.
type OrderSpecimen struct {
	Specimen, ContainerCode, Container string
	Volume                             string // mL; "" for not said
	Handling                           string
}

// Diagnosis is an ICD-10-CM code with its title.
type Diagnosis struct{ Code, Title string }

// loiProfile is the common component of the laboratory orders guide (HL7 Version 2.5.1
// Implementation Guide: Laboratory Orders from EHR, release 1, 2013).
const loiProfile = "LOI_Common_Component^^2.16.840.1.113883.9.66^ISO"

// Build writes the order as OML^O21 (HL7 v2.5.1, chapter 4.4.6): the patient with next of
// kin or guardian, visit, insurance and guarantor, then for each test an ORC/TQ1/OBR group
// with its notes, diagnoses, answers at order entry and specimens.
func (o Order) Build() []byte {
	var b strings.Builder
	seg := func(fields ...string) { b.WriteString(strings.TrimRight(strings.Join(fields, "|"), "|") + "\r") }
	seg("MSH", `^~\&`, "DEFTLEDGER", Escape(o.Sender), "", Escape(o.Receiver), stamp(o.SignedAt), "", "OML^O21^OML_O21", o.Control, "P",
		"2.5.1", "", "", "AL", "AL", "", "UNICODE UTF-8", "", "", loiProfile)
	o.patient(seg)
	code := "NW"
	switch {
	case o.Cancel:
		code = "CA"
	case o.Ask:
		code = "SS"
	}
	clinician := o.clinician()
	group := joined("^", o.Placer, Escape(o.Sender))
	var copies []string
	for _, c := range o.Copies {
		if c.Patient {
			copies = append(copies, Escape(o.Patient.Record)+"^"+Escape(o.Patient.Name.Family)+"^"+Escape(o.Patient.Name.Given)+"^^^^^^"+Escape(o.Sender)+"^^^^MR")
		} else {
			copies = append(copies, "^"+Escape(c.Says()))
		}
	}
	for i, t := range o.Tests {
		number := joined("^", fmt.Sprintf("%s-%d", o.Placer, i+1), Escape(o.Sender))
		seg("ORC", code, number, "", group, "", "", "", "", stamp(o.SignedAt), "", "", clinician, "", telephone(o.Callback, "work"), "", "", "", "", "", t.Notice, o.facility())
		seg("TQ1", "1", "", "", "", "", "", strings.ReplaceAll(o.Due, "-", ""), "", o.Priority)
		collector := ""
		if o.CollectedBy.Family != "" {
			collector = "^" + Escape(o.CollectedBy.Family) + "^" + Escape(o.CollectedBy.Given)
		}
		name := Escape(t.Code) + "^" + Escape(t.Name) + "^L"
		if t.LOINC != "" {
			name += "^" + t.LOINC + "^^LN"
		}
		var modifiers []string
		for _, m := range t.Modifiers {
			modifiers = append(modifiers, Escape(m)+"^^HCPT")
		}
		seg("OBR", fmt.Sprint(i+1), number, "", name, "", "", stamp(o.CollectedAt), "", "", collector,
			"", "", "", "", "", clinician, telephone(o.Callback, "work"), "", "", "", "", "", "", "", "", "", "", strings.Join(copies, "~"),
			"", "", "", "", "", "", "", "", "", "", "", "", "", "", "", "", strings.Join(modifiers, "~"))
		if o.Ask { // which order, and nothing that they have already
			continue
		}
		if t.Remark != "" {
			seg("NTE", "1", "P", Escape(t.Remark))
		}
		for k, d := range t.Diagnoses {
			seg("DG1", fmt.Sprint(k+1), "", Escape(d.Code)+"^"+Escape(d.Title)+"^I10C", "", "", "W")
		}
		for k, a := range t.Answers {
			seg("OBX", fmt.Sprint(k+1), a.Kind, Escape(a.Code)+"^"+Escape(a.Words)+"^L", "", Escape(a.Answer), Escape(a.Unit), "", "", "", "", "O")
		}
		if o.Cancel {
			continue
		}
		for k, s := range t.Specimens {
			volume := ""
			if s.Volume != "" {
				volume = s.Volume + "^mL"
			}
			seg("SPM", fmt.Sprint(k+1), "", "", specimenType(s.Specimen), "", "", "", "", "", "", "", volume, "", Escape(s.Handling), "", "",
				stamp(o.CollectedAt), "", "", "", "", "", "", "", "", "", Escape(s.ContainerCode)+"^"+Escape(s.Container)+"^L")
		}
	}
	return []byte(b.String())
}

// joined puts parts together and leaves the empty ones at the end out.
func joined(with string, parts ...string) string {
	return strings.TrimRight(strings.Join(parts, with), with)
}

// facility is who orders with the account at the laboratory (ORC-21); "" where there is none.
func (o Order) facility() string {
	if o.Account == "" {
		return ""
	}
	return Escape(o.Practice) + "^^^^^^^^^" + Escape(o.Account)
}

func (o Order) clinician() string {
	name := Escape(o.ClinicianName.Family) + "^" + Escape(o.ClinicianName.Given)
	if o.NPI != "" {
		return o.NPI + "^" + name + "^^^^^^NPI&2.16.840.1.113883.4.6&ISO^L^^^NPI"
	}
	return Escape(o.ClinicianID) + "^" + name + "^^^^^^" + Escape(o.Sender) + "^L^^^EI"
}

// races are the codes of table 0005; what has none there is sent as it was stated.
var races = map[string]string{"American Indian or Alaska Native": "1002-5", "Asian": "2028-9", "Black or African American": "2054-5",
	"Native Hawaiian or Pacific Islander": "2076-8", "White": "2106-3"}

func element(text, code, table string) string {
	if code == "" {
		return joined("^", "", Escape(text))
	}
	return code + "^" + Escape(text) + "^" + table
}

func telephone(number, use string) string {
	if number == "" {
		return ""
	}
	codes := map[string]string{"home": "PRN^PH", "mobile": "PRN^CP", "work": "WPN^PH"}
	return "^" + cmpOr(codes[use], "PRN^PH") + "^^^^^^^^^" + Escape(number)
}

func place(a chart.Address) string {
	return joined("^", Escape(a.Street), "", Escape(a.City), Escape(a.State), Escape(a.Zip))
}

// patient writes PID, NK1, PV1, IN1 with IN2, and GT1.
func (o Order) patient(seg func(...string)) {
	p, r := o.Patient, o.Registration
	pid(seg, p, r, o.Sender)
	if o.Cancel || o.Ask {
		return
	}
	kin(seg, p, r, o.Day)
	seg("PV1", "1", "O")
	if o.Payer.Who == order.InsurerPays {
		for i, c := range order.Covers(r, o.Day) {
			o.insurance(seg, i+1, c)
		}
	}
	o.guarantor(seg)
}

func (o Order) insurance(seg func(...string), n int, c chart.Coverage) {
	holder, relation := Escape(o.Patient.Name.Family)+"^"+Escape(o.Patient.Name.Given), "SEL^Self^HL70063"
	if c.Holder != "self" {
		holder, relation = "", "OTH^Other^HL70063"
		for _, x := range o.Registration.Contacts {
			if x.ID == c.Holder {
				holder = "^" + Escape(x.Name)
			}
		}
	}
	f := make([]string, 37)
	f[0], f[1], f[2], f[3], f[4], f[8] = "IN1", fmt.Sprint(n), "^"+Escape(cmpOr(c.Plan, c.Payer)), Escape(c.Payer)+"^^^"+Escape(o.Sender)+"^XX", Escape(c.Payer), Escape(c.Group)
	f[12], f[13], f[15] = strings.ReplaceAll(c.From, "-", ""), strings.ReplaceAll(c.Until, "-", ""), Escape(c.Kind)
	f[16], f[17], f[22], f[36] = holder, relation, fmt.Sprint(n), Escape(c.Number)
	seg(f...)
	// IN2 says of which programme the number is (6: Medicare, 8: Medicaid, else 61), and how the insured is reached.
	g := make([]string, 64)
	g[0] = "IN2"
	switch c.Kind {
	case chart.OriginalMedicare:
		g[6] = Escape(c.Number)
	case "Medicaid":
		g[8] = Escape(c.Number)
	default:
		g[61] = Escape(c.Number)
	}
	if c.Holder == "self" {
		g[63] = telephone(o.Patient.Phone, "")
	} else {
		for _, x := range o.Registration.Contacts {
			if x.ID == c.Holder {
				g[63] = telephone(x.Phone, "")
			}
		}
	}
	seg(g...)
}

func (o Order) guarantor(seg func(...string)) {
	r := o.Registration
	switch {
	case r.Guarantor == "" || o.Payer.Who == order.PracticePays || o.Payer.Who == "":
	case r.Guarantor == "self":
		seg("GT1", "1", "", Escape(o.Patient.Name.Family)+"^"+Escape(o.Patient.Name.Given), "", place(r.Address), "", "", strings.ReplaceAll(o.Patient.BirthDate, "-", ""),
			o.Patient.Sex, "", "SEL^Self^HL70063")
	default:
		for _, c := range r.Contacts {
			if c.ID == r.Guarantor {
				seg("GT1", "1", "", "^"+Escape(c.Name), "", "", telephone(c.Phone, ""), "", "", "", "", element(c.Relation, "", ""))
			}
		}
	}
}

// specimenTypes are codes of table 0487.
var specimenTypes = map[string]string{"serum": "SER^Serum", "whole blood": "BLD^Whole blood", "urine": "UR^Urine", "urine of 24 hours": "UR^Urine", "stool": "STL^Stool = Fecal",
	"sputum": "SPT^Sputum", "heparin plasma": "PLAS^Plasma", "EDTA plasma": "PLAS^Plasma", "fluoride plasma": "PLAS^Plasma", "citrated plasma": "PPP^Plasma, Platelet poor",
	"tissue": "TISS^Tissue"}

func specimenType(words string) string {
	if code, ok := specimenTypes[words]; ok {
		return code + "^HL70487"
	}
	return "^" + Escape(words)
}

func stamp(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Format("20060102150405-0700")
}

// Ack builds the acknowledgement of a message (chapter 2.9): code is AA, AE or
// AR, text says why.
func Ack(h Header, code, text, control string, at time.Time) []byte {
	event := ""
	if _, e, ok := strings.Cut(h.Type, "^"); ok && e != "" {
		event = "^" + e + "^ACK"
	}
	out := strings.Join([]string{"MSH", `^~\&`, "DEFTLEDGER", "", Escape(h.SendingApp), Escape(h.SendingFacility), stamp(at), "",
		"ACK" + event, control, cmpOr(h.Processing, "P"), "2.5.1"}, "|") + "\r" +
		"MSA|" + code + "|" + Escape(h.Control)
	if text != "" {
		out += "|" + Escape(text)
		if code != "AA" {
			out += "\rERR||||E||||" + Escape(text)
		}
	}
	return []byte(out + "\r")
}

// Acknowledgement is what came back for a message of ours.
type Acknowledgement struct {
	Code    string // AA, AE, AR (or CA, CE, CR)
	Control string // of the message it answers
	Text    string
	Orders  []OrderAnswer // of an ORL: what is said of each order
}

// OrderAnswer is what is said of one order (ORC): the order control code of HL7 table 0119.
type OrderAnswer struct {
	Code, Placer, Filler string
}

// Refused says whether the order was not taken, or not cancelled.
func (o OrderAnswer) Refused() bool {
	return slices.Contains([]string{"UA", "UC", "UD", "UF", "UH", "UM", "UR", "UX", "DE", "OC"}, o.Code)
}

// Accepted says whether a message was taken; err says why the answer decides nothing.
func (a Acknowledgement) Accepted(control string) (bool, error) {
	switch {
	case a.Control != control:
		return false, errors.New("the laboratory answered to another message")
	case a.Code == "AA" || a.Code == "CA":
		return true, nil
	case a.Code == "AE" || a.Code == "AR" || a.Code == "CE" || a.Code == "CR":
		return false, nil
	}
	return false, fmt.Errorf("the laboratory answered with %q, which is no answer (HL7 table 0008)", a.Code)
}

// ParseAck reads MSA, ERR for the reason, and ORC for each order, from an ACK, ORR or ORL.
// Its words are read even where their characters are not what they are said to be: a refusal
// must not be lost for its letters.
func ParseAck(raw []byte) (Acknowledgement, error) {
	m, err := Parse(raw)
	if errors.Is(err, errCharacters) {
		m, err = parse(latin1(raw))
	}
	if err != nil {
		return Acknowledgement{}, err
	}
	msa, ok := m.First("MSA")
	if !ok {
		return Acknowledgement{}, fmt.Errorf("%w: the answer has no MSA segment", ErrUnreadable)
	}
	a := Acknowledgement{Code: strings.ToUpper(msa.Get(1, 1)), Control: msa.Get(2, 1), Text: msa.Get(3, 1)}
	if e, ok := m.First("ERR"); ok {
		a.Text = cmpOr(e.Get(8, 1), cmpOr(e.Get(7, 1), cmpOr(e.Get(3, 2), a.Text)))
	}
	for _, s := range m.Segments {
		if s.Name == "ORC" {
			a.Orders = append(a.Orders, OrderAnswer{strings.ToUpper(s.Get(1, 1)), s.Get(2, 1), s.Get(3, 1)})
		}
	}
	return a, nil
}

// Probe is a message that asks for nothing but an answer (NMQ^N01, application management
// query), to see that a connection works.
func Probe(control, sender, receiver string, at time.Time) []byte {
	return []byte("MSH|^~\\&|DEFTLEDGER|" + Escape(sender) + "|LIS|" + Escape(receiver) + "|" + at.Format("20060102150405-0700") + "||NMQ^N01^NMQ_N01|" + Escape(control) + "|P|2.5.1||||||UNICODE UTF-8\r")
}
