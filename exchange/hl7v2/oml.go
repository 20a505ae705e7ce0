package hl7v2

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"deftledger/core/chart"
)

// Order is what an OML^O21 laboratory order says.
type Order struct {
	Control        string
	Sender         string // sending facility, the practice
	Receiver       string // receiving facility, the laboratory
	Placer         string
	Priority       string // R, A, S (table 0485)
	Patient        chart.Patient
	ClinicianID    string
	ClinicianName  chart.Name
	SignedAt       time.Time
	CollectedAt    time.Time
	Tests          []OrderTest
	CollectionNote string
	Cancel         bool // of an order sent before, instead of a new one
}

// OrderTest is one test of an order with the diagnoses that justify it.
type OrderTest struct {
	Code, Name, LOINC string
	Diagnoses         []Diagnosis
}

// Diagnosis is an ICD-10-CM code with its title.
type Diagnosis struct{ Code, Title string }

// Build writes the order as OML^O21 (HL7 v2.5.1, chapter 4.4.6): one ORC/TQ1/OBR
// group per test under one placer group, each with its own DG1 segments and SPM.
func (o Order) Build() []byte {
	var b strings.Builder
	seg := func(fields ...string) { b.WriteString(strings.TrimRight(strings.Join(fields, "|"), "|") + "\r") }
	p := o.Patient
	seg("MSH", `^~\&`, "DEFTLEDGER", Escape(o.Sender), "", Escape(o.Receiver), stamp(o.SignedAt), "", "OML^O21^OML_O21", o.Control, "P",
		"2.5.1", "", "", "", "", "", "UNICODE UTF-8")
	seg("PID", "1", "", Escape(p.Record)+"^^^"+Escape(o.Sender)+"^MR", "",
		Escape(p.Name.Family)+"^"+Escape(p.Name.Given)+"^"+Escape(p.Name.Middle), "",
		strings.ReplaceAll(p.BirthDate, "-", ""), p.Sex, "", "", "", "", Escape(p.Phone))
	code := "NW"
	if o.Cancel {
		code = "CA"
	}
	clinician := Escape(o.ClinicianID) + "^" + Escape(o.ClinicianName.Family) + "^" + Escape(o.ClinicianName.Given)
	for i, t := range o.Tests {
		number := fmt.Sprintf("%s-%d", o.Placer, i+1)
		seg("ORC", code, number, "", o.Placer, "", "", "", "", stamp(o.SignedAt), "", "", clinician)
		seg("TQ1", "1", "", "", "", "", "", "", "", o.Priority)
		seg("OBR", fmt.Sprint(i+1), number, "", Escape(t.Code)+"^"+Escape(t.Name)+"^L^"+t.LOINC+"^^LN", "", "", stamp(o.CollectedAt), "", "", "",
			"", "", "", "", "", clinician)
		for k, d := range t.Diagnoses {
			seg("DG1", fmt.Sprint(k+1), "", Escape(d.Code)+"^"+Escape(d.Title)+"^I10C", "", "", "W")
		}
	}
	return []byte(b.String())
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
