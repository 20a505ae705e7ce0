package fhir

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"deftledger/core/outside"
	"deftledger/core/prescription"
)

// Prescription is what goes to a pharmacy: a MedicationRequest of FHIR R4 that says the same
// as the licensed script standard would. Moments are RFC 3339.
type Prescription struct {
	Number, Sent string
	Facility     string
	From, To     Party
	Signer       string
	Patient      Whose
	Drug         prescription.Drug
	Schedule     string // II to V; "" for none
	Replaces     string // our number of the one it renews or changes
	Cancel       string // why it is cancelled; "" for one that stands
	BasedOn      string // the request it answers, in the pharmacy's system; "" for none
}

// Build writes the resource as JSON.
func (p Prescription) Build() ([]byte, error) {
	d := p.Drug
	status := "active"
	if p.Cancel != "" {
		status = "cancelled"
	}
	dosage := m{"text": d.Reads()}
	if d.Dosage.AsNeeded {
		dosage["asNeededBoolean"] = true
	}
	if d.Dosage.Route != "" {
		dosage["route"] = m{"text": d.Dosage.Route}
	}
	quantity := m{"unit": d.Unit}
	if n, err := strconv.ParseFloat(d.Quantity, 64); err == nil {
		quantity["value"] = n
	}
	dispense := m{"numberOfRepeatsAllowed": d.Refills, "quantity": quantity, "performer": p.To.reference()}
	if d.Days > 0 {
		dispense["expectedSupplyDuration"] = m{"value": d.Days, "unit": "days", "system": "http://unitsofmeasure.org", "code": "d"}
	}
	out := m{"resourceType": "MedicationRequest", "id": p.Number, "status": status, "intent": "order", "authoredOn": p.Sent,
		"identifier":                []m{{"system": NumberSystem, "value": p.Number}},
		"contained":                 []m{p.Patient.resource("patient", p.Facility), {"resourceType": "Practitioner", "id": "signer", "name": []m{{"text": p.Signer}}}},
		"medicationCodeableConcept": m{"text": d.Says()}, "subject": m{"reference": "#patient"}, "requester": m{"reference": "#signer", "display": p.Signer + ", " + p.From.Name},
		"dosageInstruction": []m{dosage}, "dispenseRequest": dispense, "substitution": m{"allowedBoolean": !d.AsWritten}}
	if d.Indication != "" {
		out["reasonCode"] = []m{{"text": d.Indication}}
	}
	var notes []m
	if d.Note != "" {
		notes = append(notes, m{"text": d.Note})
	}
	if p.Schedule != "" {
		notes = append(notes, m{"text": "Schedule " + p.Schedule + ". Sent to a simulated pharmacy; not certified for controlled substances (21 CFR 1311)."})
	}
	if notes != nil {
		out["note"] = notes
	}
	if p.Replaces != "" {
		out["priorPrescription"] = m{"identifier": m{"system": NumberSystem, "value": p.Replaces}}
	}
	if p.BasedOn != "" {
		out["basedOn"] = []m{{"reference": "MedicationRequest/" + p.BasedOn}}
	}
	if p.Cancel != "" {
		out["statusReason"] = m{"text": p.Cancel}
	}
	return json.Marshal(out)
}

// Fill is what a pharmacy says of a prescription.
type Fill struct {
	Origin, Number     string
	Says               prescription.Event
	Happened, Words    string
	Medicine, Quantity string // as it was handed out
	Subject            outside.Identity
	Named              bool
	Doubt              string
}

// ours finds the one number of ours among identifiers; "" for none, and for several.
func ours(ids ...*identifier) (out string) {
	for _, i := range ids {
		if i != nil && i.System == NumberSystem {
			if out != "" && out != i.Value {
				return ""
			}
			out = i.Value
		}
	}
	return out
}

// Fills reads what pharmacies say of prescriptions (FHIR R4 MedicationDispense).
func Fills(body []byte) (out Reply[Fill], err error) {
	err = resources(body, "MedicationDispense", &out, func(d struct {
		common
		Status                      string
		StatusReasonCodeableConcept concept
		MedicationCodeableConcept   concept
		AuthorizingPrescription     []reference
		Quantity                    quantity
		WhenHandedOver              string
		Note                        []struct{ Text string }
	}, bundled map[string]json.RawMessage) {
		var ids []*identifier
		for _, r := range d.AuthorizingPrescription {
			ids = append(ids, r.Identifier)
		}
		f := Fill{Number: ours(ids...), Happened: d.WhenHandedOver, Words: strings.TrimSpace(d.StatusReasonCodeableConcept.words()),
			Medicine: d.MedicationCodeableConcept.words(), Quantity: strings.TrimSpace(d.Quantity.Value.String() + " " + cmp.Or(d.Quantity.Unit, d.Quantity.Code)), Doubt: d.doubt()}
		switch {
		case f.Number == "":
			out.left("a MedicationDispense with no number of ours")
			return
		case d.Status == "entered-in-error":
			out.left("a MedicationDispense that was entered in error")
			return
		}
		for _, n := range d.Note {
			f.Words = strings.TrimSpace(f.Words + " " + n.Text)
		}
		why := strings.ToLower(f.Words)
		has := func(words ...string) bool {
			return slices.ContainsFunc(words, func(w string) bool { return strings.Contains(" "+why+" ", w) })
		}
		switch d.Status {
		case "completed":
			f.Says = prescription.Dispenses
		case "preparation", "in-progress":
			f.Says, f.Happened = prescription.Fills, ""
		case "on-hold":
			f.Says, f.Happened = prescription.Holds, ""
			if has("prior auth", " pa ") {
				f.Says = prescription.AsksPrior
			} else if why == "" {
				f.Words = "on hold, without a reason"
			}
		case "declined":
			f.Says, f.Happened = prescription.Refuses, ""
		case "stopped", "cancelled":
			f.Says, f.Happened = prescription.Unclear, ""
			switch {
			case has("picked up", "pick up", "return to stock", "returned to stock", "abandon"):
				f.Says = prescription.NotTaken
			case why == "":
				f.Words = d.Status + ", without a reason"
			}
		default:
			f.Says, f.Happened, f.Words = prescription.Unclear, "", fmt.Sprintf("its status is %q", d.Status)
		}
		f.Subject, f.Named = d.subjectOf(bundled)
		f.Origin = strings.Join([]string{d.ID, d.Status, f.Happened, f.Words, f.Quantity}, "|")
		out.Taken = append(out.Taken, f)
	})
	return out, err
}

// Repeat is a pharmacy's request for a further prescription.
type Repeat struct {
	Origin, Number, Medicine, Dose, Quantity, Pharmacy, Account, Note, Asked string
	Subject                                                                  outside.Identity
	Named                                                                    bool
	Doubt                                                                    string
}

// Repeats reads requests for further prescriptions (FHIR R4 MedicationRequest, a proposal).
// What came twice is one.
func Repeats(body []byte) (out Reply[Repeat], err error) {
	seen := map[string]bool{}
	err = resources(body, "MedicationRequest", &out, func(r struct {
		common
		Status, Intent, AuthoredOn string
		MedicationCodeableConcept  concept
		DosageInstruction          []struct{ Text string }
		DispenseRequest            struct{ Quantity quantity }
		Requester                  reference
		PriorPrescription          *reference
		Note                       []struct{ Text string }
	}, bundled map[string]json.RawMessage) {
		x := Repeat{Origin: r.ID, Medicine: r.MedicationCodeableConcept.words(), Pharmacy: r.Requester.Display, Asked: r.AuthoredOn, Doubt: r.doubt(),
			Quantity: strings.TrimSpace(r.DispenseRequest.Quantity.Value.String() + " " + cmp.Or(r.DispenseRequest.Quantity.Unit, r.DispenseRequest.Quantity.Code))}
		switch {
		case r.Intent != "proposal":
			out.left("a MedicationRequest that asks for nothing")
			return
		case r.Status != "draft" && r.Status != "active":
			out.left("a MedicationRequest whose status is %q", r.Status)
			return
		case x.Medicine == "" || x.Origin == "":
			out.left("a MedicationRequest without a medicine or an identifier")
			return
		case seen[x.Origin]:
			return
		}
		seen[x.Origin] = true
		if r.Requester.Identifier != nil {
			x.Account = r.Requester.Identifier.Value
		}
		if r.PriorPrescription != nil {
			x.Number = ours(r.PriorPrescription.Identifier)
		}
		for _, d := range r.DosageInstruction {
			x.Dose = strings.TrimSpace(x.Dose + " " + d.Text)
		}
		for _, n := range r.Note {
			x.Note = strings.TrimSpace(x.Note + " " + n.Text)
		}
		x.Subject, x.Named = r.subjectOf(bundled)
		out.Taken = append(out.Taken, x)
	})
	return out, err
}

// Denial tells a pharmacy that a further prescription it asked for is refused, and why.
func Denial(origin, why string) ([]byte, error) {
	return json.Marshal(m{"resourceType": "MedicationRequest", "id": origin, "status": "stopped", "intent": "proposal", "statusReason": m{"text": why},
		"identifier": []m{{"value": origin}}, "subject": m{"display": "as asked"}, "medicationCodeableConcept": m{"text": "as asked"}})
}
