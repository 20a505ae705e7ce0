package standin

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"
)

// Elsewhere simulates the other parties of a visit on one address: a pharmacy
// network, a patient portal and practices that take referrals, with FHIR R4 searches and messages, a cuff and scale that
// measures in pounds, inches and degrees Fahrenheit, and a fax line.
type Elsewhere struct {
	People   []Person
	Reading  Reading
	Accounts []string // records of the patients with a portal account
	Down     bool     // nobody answers

	Pharmacies []string      // that take prescriptions electronically, by their account
	Wants      []Wanted      // further prescriptions that they ask for
	Questions  []Question    // what patients write through the portal
	Receivers  []string      // practices that take referrals electronically, by their account
	Pace       time.Duration // how fast they go on with one; 0 for only when told to

	mu        sync.Mutex
	referrals map[string]*Sent
	scripts   map[string]*Script
	denials   map[string]string
	faxes     map[string]Fax
	messages  map[string]Message
	pages     map[string]string    // the number that was paged
	taken     map[string]time.Time // when each message came
	results   map[string]string    // released, by report
	ReadAfter time.Duration        // how long a message lies until it is read; 0 for never
	server
}

// Person is somebody the pharmacy network or the portal knows.
type Person struct {
	Family, Given, BirthDate, Gender, Record string
	Dispensed                                []Dispensing
	Responses                                []json.RawMessage // QuestionnaireResponse resources
}

// Dispensing is a medicine handed out.
type Dispensing struct{ ID, Medicine, Dose, Day, By string }

// Reading is what the device measured last; the zero time means now.
type Reading struct {
	Systolic, Diastolic, Pulse, Saturation int
	Pounds, Inches, Fahrenheit             float64
	At                                     time.Time
}

// Question is what somebody wrote through the portal.
type Question struct{ ID, Family, Given, BirthDate, Gender, From, Text string }

func (e *Elsewhere) questions(w http.ResponseWriter, r *http.Request) {
	e.mu.Lock()
	defer e.mu.Unlock()
	var out []any
	if ids := r.PostFormValue("_id"); ids != "" { // what became of messages that were taken
		for id := range strings.SplitSeq(ids, ",") {
			if _, there := e.messages[id]; there {
				c := map[string]any{"resourceType": "Communication", "id": id, "status": "completed"}
				if e.ReadAfter > 0 && time.Since(e.taken[id]) >= e.ReadAfter {
					c["received"] = e.taken[id].Add(e.ReadAfter).Format(time.RFC3339)
				}
				out = append(out, c)
			}
		}
		bundle(w, out)
		return
	}
	for _, q := range e.Questions {
		out = append(out, map[string]any{"resourceType": "Communication", "id": q.ID, "status": "completed", "sent": time.Now().Format(time.RFC3339), "sender": map[string]any{"display": q.From},
			"subject": map[string]any{"reference": "#p"}, "payload": []any{map[string]any{"contentString": q.Text}},
			"contained": []any{map[string]any{"resourceType": "Patient", "id": "p", "birthDate": q.BirthDate, "gender": q.Gender, "name": []any{map[string]any{"family": q.Family, "given": []string{q.Given}}}}}})
	}
	bundle(w, out)
}

// Fax is a fax that was taken, once for each identifier.
type Fax struct {
	Number string
	PDF    []byte
	Times  int
}

// Message is a message that the portal took, once for each identifier.
type Message struct {
	Record, Text string
	Attached     string // title of the document that came with it
	Times        int
}

// Open listens on an address.
func (e *Elsewhere) Open(addr string) error {
	e.faxes, e.messages = map[string]Fax{}, map[string]Message{}
	e.referrals, e.scripts, e.denials = map[string]*Sent{}, map[string]*Script{}, map[string]string{}
	mux := http.NewServeMux()
	mux.HandleFunc("POST /fhir/MedicationDispense/_search", e.dispenses)
	mux.HandleFunc("POST /fhir/QuestionnaireResponse/_search", e.responses)
	mux.HandleFunc("POST /fhir/Observation/_search", e.observations)
	mux.HandleFunc("PUT /fhir/Communication/{id}", e.communication)
	mux.HandleFunc("POST /fhir/Communication/_search", e.questions)
	mux.HandleFunc("PUT /fhir/DiagnosticReport/{id}", e.released)
	mux.HandleFunc("PUT /fax/{id}", e.fax)
	mux.HandleFunc("PUT /page/{id}", e.page)
	mux.HandleFunc("PUT /fhir/MedicationRequest/{id}", e.script)
	mux.HandleFunc("POST /fhir/MedicationRequest/_search", e.wants)
	mux.HandleFunc("PUT /fhir/Bundle/{id}", e.referral)
	mux.HandleFunc("POST /fhir/Task/_search", e.tasks)
	return e.open(addr, e.down, mux)
}

func (e *Elsewhere) down() bool {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.Down
}

// Set changes what it does while it runs.
func (e *Elsewhere) Set(f func(*Elsewhere)) {
	e.mu.Lock()
	defer e.mu.Unlock()
	f(e)
}

// Faxes returns what was taken, by identifier.
func (e *Elsewhere) Faxes() map[string]Fax {
	e.mu.Lock()
	defer e.mu.Unlock()
	return maps.Clone(e.faxes)
}

// Pages returns to which numbers the pager was sent, by identifier.
func (e *Elsewhere) Pages() map[string]string {
	e.mu.Lock()
	defer e.mu.Unlock()
	return maps.Clone(e.pages)
}

func (e *Elsewhere) page(w http.ResponseWriter, r *http.Request) {
	e.mu.Lock()
	defer e.mu.Unlock()
	to := r.Header.Get("Page-To")
	if to == "" {
		refuse(w, http.StatusBadRequest, "no number to page")
		return
	}
	if e.pages == nil {
		e.pages = map[string]string{}
	}
	e.pages[r.PathValue("id")] = to // the same identifier is one page
	w.WriteHeader(http.StatusCreated)
}

// Messages returns what the portal took, by identifier.
func (e *Elsewhere) Messages() map[string]Message {
	e.mu.Lock()
	defer e.mu.Unlock()
	return maps.Clone(e.messages)
}

func (e *Elsewhere) communication(w http.ResponseWriter, r *http.Request) {
	var c struct {
		ResourceType, ID, Status string
		Subject                  struct{ Identifier struct{ Value string } }
		Payload                  []struct {
			ContentString     string
			ContentAttachment struct {
				ContentType, Title string
				Data               []byte
			}
		}
	}
	if err := json.NewDecoder(io.LimitReader(r.Body, 20<<20)).Decode(&c); err != nil || c.ResourceType != "Communication" ||
		c.ID != r.PathValue("id") || c.Status != "completed" {
		refuse(w, http.StatusBadRequest, "that is no Communication of this identifier")
		return
	}
	m := Message{Record: c.Subject.Identifier.Value}
	for _, p := range c.Payload {
		m.Text += p.ContentString
		if p.ContentAttachment.Title != "" {
			if !bytes.HasPrefix(p.ContentAttachment.Data, []byte("%PDF-")) {
				refuse(w, http.StatusUnprocessableEntity, "the attachment is no PDF")
				return
			}
			m.Attached = p.ContentAttachment.Title
		}
	}
	e.mu.Lock()
	defer e.mu.Unlock()
	if !slices.Contains(e.Accounts, m.Record) {
		refuse(w, http.StatusUnprocessableEntity, "no account with this record number")
		return
	}
	m.Times = e.messages[c.ID].Times + 1
	if e.taken == nil {
		e.taken = map[string]time.Time{}
	}
	if m.Times == 1 {
		e.taken[c.ID] = time.Now()
	}
	e.messages[c.ID] = m // the same identifier is one message
	w.WriteHeader(http.StatusCreated)
}

// released takes a result that is released to a patient's account: what they see of a report is what came of it last.
func (e *Elsewhere) released(w http.ResponseWriter, r *http.Request) {
	var d struct {
		ResourceType, ID, Status string
		Subject                  struct{ Identifier struct{ Value string } }
	}
	if err := json.NewDecoder(io.LimitReader(r.Body, 20<<20)).Decode(&d); err != nil || d.ResourceType != "DiagnosticReport" || d.ID == "" {
		refuse(w, http.StatusBadRequest, "that is no DiagnosticReport")
		return
	}
	e.mu.Lock()
	defer e.mu.Unlock()
	if !slices.Contains(e.Accounts, d.Subject.Identifier.Value) {
		refuse(w, http.StatusUnprocessableEntity, "no account with this record number")
		return
	}
	if e.results == nil {
		e.results = map[string]string{}
	}
	e.results[d.ID] = d.Status
	w.WriteHeader(http.StatusCreated)
}

// Released tells the status of each report that patients see.
func (e *Elsewhere) Released() map[string]string {
	e.mu.Lock()
	defer e.mu.Unlock()
	return maps.Clone(e.results)
}

func bundle(w http.ResponseWriter, resources []any) {
	entries := []any{}
	for _, r := range resources {
		entries = append(entries, map[string]any{"resource": r})
	}
	w.Header().Set("Content-Type", "application/fhir+json")
	_ = json.NewEncoder(w).Encode(map[string]any{"resourceType": "Bundle", "type": "searchset", "total": len(entries), "entry": entries})
}

func (e *Elsewhere) find(match func(Person) bool) (Person, bool) {
	for _, p := range e.People {
		if match(p) {
			return p, true
		}
	}
	return Person{}, false
}

func (e *Elsewhere) dispenses(w http.ResponseWriter, r *http.Request) {
	if r.FormValue("prescription.identifier") != "" {
		e.fills(w, r)
		return
	}
	e.mu.Lock()
	defer e.mu.Unlock()
	var out []any
	p, _ := e.find(func(p Person) bool {
		return strings.EqualFold(p.Family, r.FormValue("patient.family")) && strings.EqualFold(p.Given, r.FormValue("patient.given")) &&
			p.BirthDate == r.FormValue("patient.birthdate")
	})
	for _, d := range p.Dispensed {
		out = append(out, map[string]any{
			"resourceType": "MedicationDispense", "id": d.ID, "status": "completed",
			"medicationCodeableConcept": map[string]any{"text": d.Medicine},
			"subject":                   map[string]any{"reference": "#patient", "display": p.Given + " " + p.Family},
			"contained": []any{map[string]any{"resourceType": "Patient", "id": "patient", "birthDate": p.BirthDate, "gender": p.Gender,
				"name": []any{map[string]any{"use": "official", "family": p.Family, "given": []string{p.Given}}}}},
			"performer":      []any{map[string]any{"actor": map[string]any{"display": d.By}}},
			"whenHandedOver": d.Day, "dosageInstruction": []any{map[string]any{"text": d.Dose}},
		})
	}
	bundle(w, out)
}

func (e *Elsewhere) responses(w http.ResponseWriter, r *http.Request) {
	e.mu.Lock()
	defer e.mu.Unlock()
	var out []any
	p, _ := e.find(func(p Person) bool { return p.Record != "" && p.Record == r.FormValue("subject.identifier") })
	for _, x := range p.Responses {
		var response map[string]any
		if json.Unmarshal(x, &response) == nil {
			response["subject"] = map[string]any{"identifier": map[string]any{"value": p.Record}}
			out = append(out, response)
		}
	}
	bundle(w, out)
}

func (e *Elsewhere) observations(w http.ResponseWriter, _ *http.Request) {
	e.mu.Lock()
	defer e.mu.Unlock()
	at := e.Reading.At
	if at.IsZero() {
		at = time.Now()
	}
	code := func(loinc, display string) map[string]any {
		return map[string]any{"coding": []any{map[string]any{"system": "http://loinc.org", "code": loinc, "display": display}}}
	}
	value := func(v any, ucum string) map[string]any {
		return map[string]any{"value": v, "unit": ucum, "system": "http://unitsofmeasure.org", "code": ucum}
	}
	observation := func(loinc, display string) map[string]any {
		return map[string]any{"resourceType": "Observation", "status": "final",
			"category": []any{map[string]any{"coding": []any{map[string]any{"system": "http://terminology.hl7.org/CodeSystem/observation-category",
				"code": "vital-signs"}}}}, "code": code(loinc, display), "effectiveDateTime": at.Format(time.RFC3339)}
	}
	var out []any
	add := func(loinc, display string, v any, ucum string) {
		o := observation(loinc, display)
		o["valueQuantity"] = value(v, ucum)
		out = append(out, o)
	}
	x := e.Reading
	if x.Systolic > 0 {
		o := observation("85354-9", "Blood pressure panel")
		o["component"] = []any{
			map[string]any{"code": code("8480-6", "Systolic blood pressure"), "valueQuantity": value(x.Systolic, "mm[Hg]")},
			map[string]any{"code": code("8462-4", "Diastolic blood pressure"), "valueQuantity": value(x.Diastolic, "mm[Hg]")},
		}
		out = append(out, o)
	}
	if x.Pulse > 0 {
		add("8867-4", "Heart rate", x.Pulse, "/min")
	}
	if x.Saturation > 0 {
		add("59408-5", "Oxygen saturation", x.Saturation, "%")
	}
	if x.Fahrenheit > 0 {
		add("8310-5", "Body temperature", json.Number(fmt.Sprintf("%.1f", x.Fahrenheit)), "[degF]")
	}
	if x.Pounds > 0 {
		add("29463-7", "Body weight", json.Number(fmt.Sprintf("%.1f", x.Pounds)), "[lb_av]")
	}
	if x.Inches > 0 {
		add("8302-2", "Body height", json.Number(fmt.Sprintf("%.1f", x.Inches)), "[in_i]")
	}
	bundle(w, out)
}

func (e *Elsewhere) fax(w http.ResponseWriter, r *http.Request) {
	body, err := io.ReadAll(io.LimitReader(r.Body, 20<<20))
	if err != nil || !strings.HasPrefix(string(body), "%PDF-") {
		http.Error(w, "that is no PDF", http.StatusUnprocessableEntity)
		return
	}
	number := r.Header.Get("Fax-Number")
	if strings.HasSuffix(number, "0000") {
		http.Error(w, "no fax machine answers at that number", http.StatusNotFound)
		return
	}
	e.mu.Lock()
	defer e.mu.Unlock()
	f := e.faxes[r.PathValue("id")]
	e.faxes[r.PathValue("id")] = Fax{number, body, f.Times + 1} // the same identifier is one fax
	w.WriteHeader(http.StatusAccepted)
}
