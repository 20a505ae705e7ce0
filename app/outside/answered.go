package outside

import (
	"encoding/json"
	"slices"
	"strings"

	"deftledger/core/chart"
	"deftledger/core/screen"
	"deftledger/exchange/fhir"
	"deftledger/store"
)

// screenList is the list of an entry that is a questionnaire with a score.
const screenList = "screen"

// Answered are the answers to a questionnaire with a score, as the patient gave them before the visit.
type Answered struct {
	Form     string            `json:"form"`
	Answers  map[string]string `json:"answers"`
	Authored string            `json:"authored"`
	Alarm    bool              `json:"alarm"`    // an answer speaks of self-harm, or cannot be read where it might
	Problems []string          `json:"problems"` // why it is no score
}

// ReadAnswered reads what an entry holds; ok is false for one that is no questionnaire with a score.
func ReadAnswered(e store.IncomingEntry) (x Answered, ok bool) {
	return x, e.List == screenList && json.Unmarshal([]byte(e.Link), &x) == nil
}

// screenOf is a response to a questionnaire with a score as an entry; ok is false for any other.
func (a *Acts) screenOf(r fhir.Response, p chart.Patient) (e store.IncomingEntry, ok bool) {
	i := slices.IndexFunc(a.Config.Screens, func(f screen.Form) bool { return f.IsFor(r.Questionnaire) })
	if i < 0 {
		return e, false
	}
	f := a.Config.Screens[i]
	var given []screen.Given
	for _, x := range r.Answers {
		given = append(given, screen.Given{Link: x.Link, Code: x.Code, Text: x.Text, Number: x.Number})
	}
	x := Answered{Form: f.ID, Authored: r.Authored}
	x.Answers, x.Problems, x.Alarm = f.Read(given, p.Sex)
	if r.Doubt != "" {
		x.Problems = append(x.Problems, r.Doubt)
	}
	says := "no score: " + strings.Join(x.Problems, "; ")
	if len(x.Problems) == 0 {
		s, err := f.Score(x.Answers, p.Sex)
		if err != nil {
			x.Problems, says = []string{err.Error()}, "no score: "+err.Error()
		} else {
			says = strings.TrimSuffix(strings.TrimPrefix(f.Says(s), f.Title+": "), ".")
		}
	}
	body, err := json.Marshal(x)
	if err != nil {
		return e, false
	}
	day := ""
	if len(r.Authored) >= 10 {
		day = a.DayOf(r.Authored)
	}
	return store.IncomingEntry{Source: "patient", Reference: r.ID, List: screenList, Title: f.Title, Detail: says, Since: day, Link: string(body)}, true
}
