package standin

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"
)

// Script is what a pharmacy keeps of a prescription, once for each number.
type Script struct {
	Number, Pharmacy, Medicine, Directions, Unit string
	Quantity                                     float64
	Refills                                      int
	Status, Reason, HandedOver                   string // of its MedicationDispense; "" while nothing is said
	Cancelled                                    bool
	Times                                        int
	At                                           time.Time
	version                                      int
	patient                                      json.RawMessage
}

// Wanted is a further prescription that a pharmacy asks for.
type Wanted struct {
	ID, Medicine, Directions, Quantity, Unit, Pharmacy, Account, Number, Note string
	Record, Family, Given, BirthDate, Gender                                  string
}

// Scripts returns the prescriptions that were taken, by our number.
func (e *Elsewhere) Scripts() map[string]Script {
	e.mu.Lock()
	defer e.mu.Unlock()
	out := map[string]Script{}
	for k, v := range maps.All(e.scripts) {
		out[k] = *v
	}
	return out
}

// Denials returns why requests were refused, by their identifier.
func (e *Elsewhere) Denials() map[string]string {
	e.mu.Lock()
	defer e.mu.Unlock()
	return maps.Clone(e.denials)
}

// Fill changes what a pharmacy says of a prescription.
func (e *Elsewhere) Fill(number string, f func(*Script)) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if s := e.scripts[number]; s != nil {
		f(s)
		s.version++
	}
}

// script takes a prescription: the same number is one, and a cancelled one stays so. It
// refuses what a pharmacy would: no quantity, nobody's, a pharmacy that is not there.
func (e *Elsewhere) script(w http.ResponseWriter, r *http.Request) {
	var x struct {
		ResourceType, Status      string
		Identifier                []struct{ System, Value string }
		Contained                 []json.RawMessage
		MedicationCodeableConcept struct{ Text string }
		DosageInstruction         []struct{ Text string }
		BasedOn                   []struct{ Reference string }
		StatusReason              struct{ Text string }
		DispenseRequest           struct {
			NumberOfRepeatsAllowed int
			Quantity               struct {
				Value float64
				Unit  string
			}
			Performer struct{ Identifier struct{ Value string } }
		}
	}
	if err := json.NewDecoder(io.LimitReader(r.Body, 1<<20)).Decode(&x); err != nil || x.ResourceType != "MedicationRequest" || len(x.Identifier) == 0 {
		refuse(w, http.StatusBadRequest, "that is no MedicationRequest")
		return
	}
	s := Script{Number: x.Identifier[0].Value, Pharmacy: x.DispenseRequest.Performer.Identifier.Value, Medicine: x.MedicationCodeableConcept.Text,
		Quantity: x.DispenseRequest.Quantity.Value, Unit: x.DispenseRequest.Quantity.Unit, Refills: x.DispenseRequest.NumberOfRepeatsAllowed, At: time.Now()}
	if len(x.DosageInstruction) > 0 {
		s.Directions = x.DosageInstruction[0].Text
	}
	for _, c := range x.Contained {
		var head struct{ ResourceType string }
		if json.Unmarshal(c, &head) == nil && head.ResourceType == "Patient" {
			s.patient = c
		}
	}
	e.mu.Lock()
	defer e.mu.Unlock()
	answered := func(id string) {
		e.Wants = slices.DeleteFunc(e.Wants, func(x Wanted) bool { return x.ID == id })
	}
	if x.Status == "stopped" { // a request that is refused
		e.denials[s.Number] = x.StatusReason.Text
		answered(s.Number)
		w.WriteHeader(http.StatusCreated)
		return
	}
	for _, b := range x.BasedOn {
		answered(strings.TrimPrefix(b.Reference, "MedicationRequest/"))
	}
	had := e.scripts[s.Number]
	switch {
	case x.Status == "cancelled" && had == nil:
		refuse(w, http.StatusUnprocessableEntity, "no prescription "+s.Number+" is here")
		return
	case x.Status == "cancelled":
		if had.Status == "completed" {
			refuse(w, http.StatusUnprocessableEntity, "it has been handed out already")
			return
		}
		had.Cancelled = true
	case s.Quantity <= 0 || s.Directions == "" || s.Medicine == "" || s.patient == nil:
		refuse(w, http.StatusUnprocessableEntity, "a prescription needs the patient, the medicine, directions and a quantity")
		return
	case !slices.Contains(e.Pharmacies, s.Pharmacy):
		refuse(w, http.StatusUnprocessableEntity, "no pharmacy "+s.Pharmacy+" is known here")
		return
	case had == nil:
		e.scripts[s.Number] = &s
		had = &s
	}
	had.Times++
	w.WriteHeader(http.StatusCreated)
}

// fills answers what became of prescriptions.
func (e *Elsewhere) fills(w http.ResponseWriter, r *http.Request) {
	e.mu.Lock()
	defer e.mu.Unlock()
	var out []any
	for _, id := range strings.Split(r.FormValue("prescription.identifier"), ",") {
		_, number, _ := strings.Cut(id, "|")
		s := e.scripts[number]
		if s == nil || s.Cancelled && s.Status == "" {
			continue
		}
		if e.Pace > 0 && s.version == 0 && !s.Cancelled {
			switch n := time.Since(s.At) / e.Pace; {
			case n >= 3:
				s.Status, s.HandedOver = "completed", time.Now().Format(time.RFC3339)
				s.version++
			case n >= 1:
				s.Status = "in-progress"
			}
		}
		if s.Status == "" {
			continue
		}
		var whose map[string]any
		_ = json.Unmarshal(s.patient, &whose)
		whose["id"] = "p"
		d := map[string]any{"resourceType": "MedicationDispense", "id": "fill-" + number, "status": s.Status, "subject": map[string]any{"reference": "#p"}, "contained": []any{whose},
			"medicationCodeableConcept": map[string]any{"text": s.Medicine}, "quantity": map[string]any{"value": s.Quantity, "unit": s.Unit},
			"authorizingPrescription": []any{map[string]any{"identifier": map[string]any{"system": "https://deftledger.example/number", "value": number}}}}
		if s.Reason != "" {
			d["statusReasonCodeableConcept"] = map[string]any{"text": s.Reason}
		}
		if s.HandedOver != "" {
			d["whenHandedOver"] = s.HandedOver
		}
		out = append(out, d)
	}
	bundle(w, out)
}

// wants answers which further prescriptions pharmacies ask for.
func (e *Elsewhere) wants(w http.ResponseWriter, _ *http.Request) {
	e.mu.Lock()
	defer e.mu.Unlock()
	var out []any
	for _, x := range e.Wants {
		var quantity any
		_ = json.Unmarshal([]byte(x.Quantity), &quantity)
		r := map[string]any{"resourceType": "MedicationRequest", "id": x.ID, "status": "draft", "intent": "proposal", "subject": map[string]any{"reference": "#p"},
			"contained": []any{map[string]any{"resourceType": "Patient", "id": "p", "birthDate": x.BirthDate, "gender": x.Gender,
				"name": []any{map[string]any{"family": x.Family, "given": []string{x.Given}}}}},
			"medicationCodeableConcept": map[string]any{"text": x.Medicine}, "dosageInstruction": []any{map[string]any{"text": x.Directions}},
			"dispenseRequest": map[string]any{"quantity": map[string]any{"value": quantity, "unit": x.Unit}},
			"requester":       map[string]any{"display": x.Pharmacy, "identifier": map[string]any{"value": x.Account}}, "authoredOn": time.Now().Format(time.DateOnly)}
		if x.Number != "" {
			r["priorPrescription"] = map[string]any{"identifier": map[string]any{"system": "https://deftledger.example/number", "value": x.Number}}
		}
		if x.Note != "" {
			r["note"] = []any{map[string]any{"text": x.Note}}
		}
		out = append(out, r)
	}
	bundle(w, out)
}

// Directed is how a prescription reads at the pharmacy.
func (s Script) Directed() string {
	return fmt.Sprintf("%s: %s, %v %s, %d refills", s.Medicine, s.Directions, s.Quantity, s.Unit, s.Refills)
}
