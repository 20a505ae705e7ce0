package standin

import (
	"encoding/base64"
	"encoding/json"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync"
)

// Exchange simulates a record exchange of other houses, over FHIR R4: it looks people up (Patient/$match), lists documents of them
// (DocumentReference), hands each out (Binary), takes documents of ours (Bundle) and what is sent back (Communication).
type Exchange struct {
	People []Known
	Down   bool // nobody answers

	mu    sync.Mutex
	taken map[string][]byte // documents of ours, by identifier
	back  map[string]string // reasons for which documents were sent back, by document
	asked int               // how often it was asked for documents
	server
}

// Known is somebody whom the exchange knows, with the documents of other houses.
type Known struct {
	ID, Family, Given, BirthDate, Gender, Street, City, Zip, Phone string
	Documents                                                      []Shared
}

// Shared is a document of another house.
type Shared struct {
	ID, House, Title, At, From, To string
	Type                           string // of its bytes
	Body                           []byte
}

// Open listens on an address.
func (e *Exchange) Open(addr string) error {
	e.taken, e.back = map[string][]byte{}, map[string]string{}
	mux := http.NewServeMux()
	mux.HandleFunc("POST /fhir/Patient/$match", e.match)
	mux.HandleFunc("POST /fhir/DocumentReference/_search", e.documents)
	mux.HandleFunc("GET /fhir/Binary/{id}", e.binary)
	mux.HandleFunc("PUT /fhir/Bundle/{id}", e.take)
	mux.HandleFunc("PUT /fhir/Communication/{id}", e.sentBack)
	return e.open(addr, e.down, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		e.mu.Lock()
		defer e.mu.Unlock()
		mux.ServeHTTP(w, r)
	}))
}

func (e *Exchange) down() bool {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.Down
}

// Set changes what it does while it runs.
func (e *Exchange) Set(f func(*Exchange)) {
	e.mu.Lock()
	defer e.mu.Unlock()
	f(e)
}

// Taken are the documents of ours that it took, by identifier.
func (e *Exchange) Taken() map[string][]byte {
	e.mu.Lock()
	defer e.mu.Unlock()
	return maps.Clone(e.taken)
}

// Back is why documents were sent back, by document.
func (e *Exchange) Back() map[string]string {
	e.mu.Lock()
	defer e.mu.Unlock()
	return maps.Clone(e.back)
}

// Asked is how often it was asked for documents.
func (e *Exchange) Asked() int {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.asked
}

// match finds everybody who has the birth date or a word of the family name; who of them is meant is for the asker to say.
func (e *Exchange) match(w http.ResponseWriter, r *http.Request) {
	var in struct {
		ResourceType string
		Parameter    []struct {
			Name     string
			Resource struct {
				ResourceType, BirthDate string
				Name                    []struct{ Family string }
			}
		}
	}
	if err := json.NewDecoder(io.LimitReader(r.Body, 1<<20)).Decode(&in); err != nil || in.ResourceType != "Parameters" {
		refuse(w, http.StatusBadRequest, "Parameters were expected")
		return
	}
	words := func(s string) []string {
		return strings.FieldsFunc(strings.ToLower(s), func(r rune) bool { return r == ' ' || r == '-' })
	}
	entries := []any{}
	for _, p := range in.Parameter {
		if p.Name != "resource" || p.Resource.ResourceType != "Patient" {
			continue
		}
		for _, k := range e.People {
			grade := ""
			if k.BirthDate == p.Resource.BirthDate && k.BirthDate != "" {
				grade = "possible"
			}
			for _, n := range p.Resource.Name {
				if slices.ContainsFunc(words(n.Family), func(w string) bool { return slices.Contains(words(k.Family), w) }) {
					if grade == "possible" {
						grade = "probable"
					} else {
						grade = "possible"
					}
				}
			}
			if grade == "" {
				continue
			}
			x := map[string]any{"resourceType": "Patient", "id": k.ID, "name": []any{map[string]any{"use": "official", "family": k.Family, "given": strings.Fields(k.Given)}}, "gender": k.Gender}
			if k.BirthDate != "" {
				x["birthDate"] = k.BirthDate
			}
			if k.Street+k.City+k.Zip != "" {
				x["address"] = []any{map[string]any{"line": []string{k.Street}, "city": k.City, "postalCode": k.Zip}}
			}
			if k.Phone != "" {
				x["telecom"] = []any{map[string]any{"system": "phone", "value": k.Phone}}
			}
			entries = append(entries, map[string]any{"resource": x, "search": map[string]any{"mode": "match", "score": map[string]any{"probable": 0.8, "possible": 0.4}[grade],
				"extension": []any{map[string]any{"url": "http://hl7.org/fhir/StructureDefinition/match-grade", "valueCode": grade}}}})
		}
	}
	w.Header().Set("Content-Type", "application/fhir+json")
	_ = json.NewEncoder(w).Encode(map[string]any{"resourceType": "Bundle", "type": "searchset", "total": len(entries), "entry": entries})
}

func (e *Exchange) documents(w http.ResponseWriter, r *http.Request) {
	e.asked++
	who := strings.TrimPrefix(r.FormValue("patient"), "Patient/")
	i := slices.IndexFunc(e.People, func(k Known) bool { return k.ID == who })
	if i < 0 {
		refuse(w, http.StatusNotFound, "nobody here has this identifier")
		return
	}
	var out []any
	for _, d := range e.People[i].Documents {
		x := map[string]any{"resourceType": "DocumentReference", "id": d.ID, "status": "current", "type": map[string]any{"text": d.Title}, "date": d.At, "custodian": map[string]any{"display": d.House},
			"subject": map[string]any{"reference": "Patient/" + who}, "content": []any{map[string]any{"attachment": map[string]any{"contentType": d.Type, "url": "Binary/" + d.ID, "title": d.Title}}}}
		if d.From != "" {
			p := map[string]any{"start": d.From}
			if d.To != "" {
				p["end"] = d.To
			}
			x["context"] = map[string]any{"period": p}
		}
		out = append(out, x)
	}
	bundle(w, out)
}

func (e *Exchange) binary(w http.ResponseWriter, r *http.Request) {
	for _, k := range e.People {
		for _, d := range k.Documents {
			if d.ID == r.PathValue("id") {
				w.Header().Set("Content-Type", "application/fhir+json")
				_ = json.NewEncoder(w).Encode(map[string]any{"resourceType": "Binary", "id": d.ID, "contentType": d.Type, "data": base64.StdEncoding.EncodeToString(d.Body)})
				return
			}
		}
	}
	refuse(w, http.StatusNotFound, "there is no such document")
}

func (e *Exchange) take(w http.ResponseWriter, r *http.Request) {
	raw, err := io.ReadAll(io.LimitReader(r.Body, 40<<20))
	var b struct{ ResourceType, Type string }
	if err != nil || json.Unmarshal(raw, &b) != nil || b.ResourceType != "Bundle" || b.Type != "document" {
		refuse(w, http.StatusUnprocessableEntity, "a document was expected")
		return
	}
	e.taken[r.PathValue("id")] = raw // the same identifier is one document
	w.WriteHeader(http.StatusCreated)
}

func (e *Exchange) sentBack(w http.ResponseWriter, r *http.Request) {
	var c struct {
		ResourceType string
		About        []struct{ Reference string }
		Payload      []struct{ ContentString string }
	}
	if err := json.NewDecoder(io.LimitReader(r.Body, 1<<20)).Decode(&c); err != nil || c.ResourceType != "Communication" || len(c.About) == 0 || len(c.Payload) == 0 {
		refuse(w, http.StatusUnprocessableEntity, "a Communication about a document was expected")
		return
	}
	e.back[strings.TrimPrefix(c.About[0].Reference, "DocumentReference/")] = c.Payload[0].ContentString
	w.WriteHeader(http.StatusCreated)
}
