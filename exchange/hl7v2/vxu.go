package hl7v2

import (
	"fmt"
	"regexp"
	"strings"
	"time"

	"deftledger/core/chart"
)

// Vaccination is a vaccine as an immunization registry is told of it: VXU^V04 (HL7 Version 2.5.1 Implementation Guide for
// Immunization Messaging, release 1.5, CDC and AIRA, 2014, profile Z22).
type Vaccination struct {
	Control          string
	At               time.Time
	Sender, Receiver string
	Patient          chart.Patient
	Registration     chart.Registration
	Day              string // today in the practice, YYYY-MM-DD
	ID               string // ours, by which the registry finds it again
	Name             string
	Given            chart.Given
	GivenAt          time.Time // zero where only On is known
	On               string    // had elsewhere: as precisely as known
	GivenBy          chart.Name
	ByID             string
	Source           string // who says so, of one had elsewhere
	Struck           bool   // it was entered in error: the registry takes it out
}

var routeCodes = map[string]string{"intramuscular": "IM^Intramuscular^HL70162", "subcutaneous": "SC^Subcutaneous^HL70162", "oral": "PO^Oral^HL70162", "intranasal": "NS^Nasal^HL70162"}

var siteCodes = map[string]string{"left deltoid": "LD^Left Deltoid^HL70163", "right deltoid": "RD^Right Deltoid^HL70163", "left thigh": "LT^Left Thigh^HL70163", "right thigh": "RT^Right Thigh^HL70163",
	"left upper arm": "LA^Left Arm^HL70163", "right upper arm": "RA^Right Arm^HL70163"}

var milliliters = regexp.MustCompile(`^(\d+(?:\.\d+)?) ?mL$`)

// Build writes the message. What is not known stays empty; an amount that is none is 999, as the guide has it.
func (v Vaccination) Build() []byte {
	var b strings.Builder
	seg := func(fields ...string) { b.WriteString(strings.TrimRight(strings.Join(fields, "|"), "|") + "\r") }
	seg("MSH", `^~\&`, "DEFTLEDGER", Escape(v.Sender), "", Escape(v.Receiver), stamp(v.At), "", "VXU^V04^VXU_V04", v.Control, "P", "2.5.1", "", "", "ER", "AL", "", "UNICODE UTF-8", "", "", "Z22^CDCPHINVS")
	pid(seg, v.Patient, v.Registration, v.Sender)
	kin(seg, v.Patient, v.Registration, v.Day)
	here := v.On == "" && !v.GivenAt.IsZero()
	day := strings.ReplaceAll(v.On, "-", "")
	if here {
		day = stamp(v.GivenAt)
	}
	by := ""
	if here && v.GivenBy.Family != "" {
		by = Escape(v.ByID) + "^" + Escape(v.GivenBy.Family) + "^" + Escape(v.GivenBy.Given) + "^^^^^^" + Escape(v.Sender) + "^L^^^EI"
	}
	seg("ORC", "RE", "", Escape(v.ID)+"^"+Escape(v.Sender), "", "", "", "", "", "", by)
	origin, amount, unit, place, status := "00^New immunization record^NIP001", "999", "", "^^^"+Escape(v.Sender), "CP"
	if !here {
		origin, place, by = "01^Historical information - source unspecified^NIP001", "", ""
	}
	if m := milliliters.FindStringSubmatch(strings.TrimSpace(v.Given.Dose)); here && m != nil {
		amount, unit = m[1], "mL^milliliter^UCUM"
	}
	maker := ""
	if v.Given.Maker != "" {
		maker = "^" + Escape(v.Given.Maker) // no code of the manufacturer is kept, and none is guessed
	}
	action := "A"
	if v.Struck {
		action = "D"
	}
	seg("RXA", "0", "1", day, day, Escape(v.Given.CVX)+"^"+Escape(v.Name)+"^CVX", amount, unit, "", origin, by, place, "", "", "", Escape(v.Given.Lot), strings.ReplaceAll(v.Given.Expires, "-", ""), maker, "", "", status, action)
	if !here || v.Struck {
		return []byte(b.String())
	}
	if route := routeCodes[v.Given.Route]; route != "" {
		seg("RXR", route, siteCodes[v.Given.Site])
	}
	on := v.GivenAt.Format("20060102")
	seg("OBX", "1", "CE", "64994-7^Vaccine funding program eligibility category^LN", "1", "V00^VFC eligibility not determined/unknown^HL70064", "", "", "", "", "", "F", "", "", on, "", "", "VXC40^Eligibility captured at the immunization level^CDCPHINVS")
	if v.Given.Sheet != "" {
		seg("OBX", "2", "CE", "30956-7^Vaccine type^LN", "2", Escape(v.Given.CVX)+"^"+Escape(v.Name)+"^CVX", "", "", "", "", "", "F")
		seg("OBX", "3", "DT", "29768-9^Date vaccine information statement published^LN", "2", strings.ReplaceAll(v.Given.Sheet, "-", ""), "", "", "", "", "", "F")
		seg("OBX", "4", "DT", "29769-7^Date vaccine information statement presented^LN", "2", on, "", "", "", "", "", "F")
	}
	return []byte(b.String())
}

// pid writes the patient.
func pid(seg func(...string), p chart.Patient, r chart.Registration, sender string) {
	var stated []string
	for _, x := range r.Race {
		if x != "does not want to say" && x != "Hispanic or Latino" {
			stated = append(stated, element(x, races[x], "HL70005"))
		}
	}
	ethnic := map[string]string{"Hispanic or Latino": "H^Hispanic or Latino^HL70189", "not Hispanic or Latino": "N^not Hispanic or Latino^HL70189"}[r.Ethnicity]
	phones := []string{}
	for _, t := range r.Telephones {
		phones = append(phones, telephone(t.Number, t.Use))
	}
	if len(phones) == 0 && p.Phone != "" {
		phones = append(phones, telephone(p.Phone, ""))
	}
	names := joined("^", Escape(p.Name.Family), Escape(p.Name.Given), Escape(p.Name.Middle), Escape(r.Suffix))
	seg("PID", "1", "", Escape(p.Record)+"^^^"+Escape(sender)+"^MR", "", names+strings.Repeat("^", max(0, 6-strings.Count(names, "^")))+"L", "",
		strings.ReplaceAll(p.BirthDate, "-", ""), p.Sex, "", strings.Join(stated, "~"), place(r.Address), "", strings.Join(phones, "~"), "",
		element(r.Language, "", ""), "", "", "", "", "", "", ethnic)
}

// kin writes who is to be called in an emergency, and the guardian of somebody who is not of age.
func kin(seg func(...string), p chart.Patient, r chart.Registration, day string) {
	minor := false
	if years, _, known := chart.AgeOn(p.BirthDate, day); known {
		minor = years < 18
	}
	n := 0
	for _, c := range r.Contacts {
		if c.Guardian && minor || c.Emergency {
			n++
			role, says := "EMC", "Emergency contact"
			if c.Guardian {
				role, says = "GRD", "Guardian"
			}
			seg("NK1", fmt.Sprint(n), "^"+Escape(c.Name), role+"^"+says+"^HL70063", "", telephone(c.Phone, ""))
		}
	}
}
