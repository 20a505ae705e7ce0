package fhir_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"
	"pgregory.net/rapid"

	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/exchange/fhir"
)

// toldRecord writes a record as the answers in testdata/records are written, which a person wrote from the files before there was a reader.
func toldRecord(r outside.Record) string {
	id := r.ID
	if r.Set != "" {
		id = r.Set + " version " + r.Version
	}
	who := r.House
	if r.Author != "" {
		who = r.Author + ", " + who
	}
	out := fmt.Sprintf("document | %s | %s | %s | %s | %s %s, %s, %s\n", r.Title, r.At, id, who, r.Patient.Given, r.Patient.Family, r.Patient.BirthDate, r.Patient.Sex)
	for _, i := range r.Items {
		code, none := "", ""
		if len(i.Codes) > 0 {
			code = i.Codes[0].Code
		}
		if i.None {
			none, code = "none", ""
		}
		out += strings.Join([]string{i.List, i.Title, code, i.Status, i.Span(), i.Detail, none, i.Doubt, i.Class, i.Reason, i.Note}, " | ") + "\n"
	}
	for _, f := range r.Files {
		out += fmt.Sprintf("file | %s, %d bytes\n", f.Type, len(f.Body))
	}
	for _, m := range r.Missed {
		out += "missed | " + m + "\n"
	}
	return out
}

func tidied(s string) string {
	var out []string
	for line := range strings.Lines(s) {
		if line = strings.TrimSpace(line); line != "" {
			var parts []string
			for p := range strings.SplitSeq(line, "|") {
				parts = append(parts, strings.Join(strings.Fields(p), " "))
			}
			out = append(out, strings.TrimRight(strings.Join(parts, " | "), " |"))
		}
	}
	return strings.Join(out, "\n")
}

func record(t *testing.T, name string) []byte {
	raw, err := os.ReadFile("testdata/records/" + name)
	require.NoError(t, err)
	return raw
}

func TestRecordsInFHIRAreReadAsAPersonReadsThem(t *testing.T) {
	wants, err := filepath.Glob("testdata/records/*.want")
	require.NoError(t, err)
	require.NotEmpty(t, wants)
	for _, w := range wants {
		t.Run(filepath.Base(w), func(t *testing.T) {
			want, err := os.ReadFile(w)
			require.NoError(t, err)
			got, err := fhir.ReadRecord(record(t, strings.TrimSuffix(filepath.Base(w), ".want")+".json"))
			require.NoError(t, err)
			require.Equal(t, tidied(string(want)), tidied(toldRecord(got)))
		})
	}
}

func TestARecordThatIsNoneIsRefusedWithTheReason(t *testing.T) {
	for name, why := range map[string]string{"two-people.json": "about 2 people", "half.json": "only half of it", "search.json": `"OperationOutcome" came`} {
		_, err := fhir.ReadRecord(record(t, name))
		require.ErrorIs(t, err, fhir.ErrUnreadable, name)
		require.ErrorContains(t, err, why, name)
	}
	for body, why := range map[string]string{
		`{"resourceType":"Bundle","type":"searchset"}`:                                                         `it is a "searchset"`,
		`{"resourceType":"Bundle","type":"document","entry":[]}`:                                               "names no patient",
		`{"resourceType":"Bundle","type":"document","entry":[{"resource":{"resourceType":"Patient"}}]}`:        "without its Composition",
		`{"resourceType":"Bundle","type":"collection","entry":[` + strings.Repeat(`{},`, 200_001) + `{}]}`:     "too many parts",
		`{"resourceType":"Bundle","type":"collection","entry":` + strings.Repeat("[", 20_000) + `]}`:           "no JSON",
		`{"resourceType":"Bundle","type":"collection","entry":[{"resource":{"resourceType":"Condition"}}]}   `: "names no patient",
	} {
		_, err := fhir.ReadRecord([]byte(body))
		require.ErrorContains(t, err, why)
	}
}

// What is about somebody else, or about nobody that is named, is never read as this patient's.
func TestWhatIsOfSomebodyElseIsLeftOutAndSaid(t *testing.T) {
	for subject, why := range map[string]string{
		`{"reference":"Patient/2"}`:                           "is about somebody else",
		`{"reference":"Patient/3"}`:                           "names a patient who is not in it",
		`{"reference":"http://other.example/fhir/Patient/3"}`: "names a patient who is not in it",
		`{"display":"Ottoline Marsh"}`:                        "does not say whose it is",
		`null`:                                                "does not say whose it is",
	} {
		raw := `{"resourceType":"Bundle","type":"document","entry":[
			{"resource":{"resourceType":"Composition","status":"final","subject":{"reference":"Patient/1"},"section":[{"title":"Problems","entry":[{"reference":"Condition/c"}]}]}},
			{"resource":{"resourceType":"Patient","id":"1","name":[{"family":"A"}]}},{"resource":{"resourceType":"Patient","id":"2","name":[{"family":"B"}]}},
			{"resource":{"resourceType":"Condition","id":"c","clinicalStatus":{"coding":[{"code":"active"}]},"code":{"text":"Asthma"},"subject":` + subject + `}}]}`
		got, err := fhir.ReadRecord([]byte(raw))
		require.NoError(t, err)
		require.Empty(t, got.Items, subject)
		require.Len(t, got.Missed, 1)
		require.Contains(t, got.Missed[0], why)
		require.Equal(t, "A", got.Patient.Family)
	}
}

// What only says that nobody knows what it is names nothing, and is not certain.
func TestAnEntryOfUnknownKindIsNotNamed(t *testing.T) {
	for _, code := range []string{`{"coding":[{"system":"http://terminology.hl7.org/CodeSystem/data-absent-reason","code":"unknown","display":"Unknown"}]}`,
		`{"coding":[{"system":"http://terminology.hl7.org/CodeSystem/v3-NullFlavor","code":"UNK"}],"text":"Unknown"}`, `{}`} {
		got, err := fhir.ReadRecord([]byte(`{"resourceType":"Bundle","type":"collection","entry":[{"resource":{"resourceType":"Patient","id":"1"}},
			{"resource":{"resourceType":"Condition","id":"c","clinicalStatus":{"coding":[{"code":"active"}]},"subject":{"reference":"Patient/1"},"code":` + code + `}}]}`))
		require.NoError(t, err)
		require.Len(t, got.Items, 1)
		require.Equal(t, []string{"not named", "the record does not say what it is"}, []string{got.Items[0].Title, got.Items[0].Doubt}, code)
	}
}

func TestANarrativeIsLaidOutAndDoesNothing(t *testing.T) {
	got, err := fhir.ReadRecord(record(t, "northsound-document.json"))
	require.NoError(t, err)
	require.Equal(t, `<div><p data-said="course">Admitted with <b>gout flare</b> and acute kidney injury.</p><p>Naproxen was stopped.</p>more</div>`, got.Sections[0].HTML)
	require.Equal(t, "al1", got.Items[0].Narrative)
	require.Contains(t, got.Sections[1].HTML, `<tr data-said="al1"><td>Penicillin G</td>`)
	require.Equal(t, 2, got.Sections[1].Coded)
	got, err = fhir.ReadRecord(record(t, "r5-ish.json"))
	require.NoError(t, err)
	require.Equal(t, "<div>words \u00a0 here</div>", got.Sections[1].HTML)
}

// What is written as FHIR is read again as it was: every list, whatever words are in it, values with their digits, files byte for byte.
func TestWhatIsWrittenAsFHIRIsReadAgain(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		words := rapid.OneOf(rapid.SampledFrom([]string{"Naproxen", "Ünïcode Łódź", "a <b>bold</b> & \"quoted\" 'word'", "漢字", "50% of 1/2 > 0.5 mg"}), rapid.StringMatching(`[A-Za-z][A-Za-z ]{0,18}[a-z]`))
		say := func(label string) string { return strings.Join(strings.Fields(words.Draw(t, label)), " ") }
		day := rapid.SampledFrom([]string{"", "2019", "2020-02", "2024-02-29", "2026-10-11T06:10:00-04:00"})
		r := outside.Record{ID: "R1", Title: "Summary of care", At: "2026-11-20T10:00:00-05:00", Author: say("author"), House: say("house"),
			Patient: outside.Identity{Given: say("given"), Family: say("family"), BirthDate: "1968-03-14", Sex: "F", Phone: "555-0100", Records: []outside.RecordNumber{{Number: "SK-1", Assigner: "Skerrow"}}}}
		for n := range rapid.IntRange(0, 10).Draw(t, "n") {
			i := outside.Item{List: rapid.SampledFrom(outside.RecordLists).Draw(t, "list"), Title: say("title"), Ref: fmt.Sprint("ref ", n), Since: day.Draw(t, "since"), Author: r.Author, At: r.At}
			end := func(active, ended string) {
				if i.Status = active; rapid.Bool().Draw(t, "ended") {
					i.Status, i.Until = ended, "2026-11-01"
				}
			}
			switch i.List {
			case outside.Problems:
				end(outside.Active, outside.Ended)
				i.Codes = []outside.Code{{Code: "N18.32", System: outside.ICD10, Title: i.Title}}
			case outside.Allergies:
				if rapid.IntRange(0, 5).Draw(t, "none") == 0 {
					i = outside.Item{List: i.List, Ref: i.Ref, None: true, Title: i.Title, Author: r.Author, At: r.At}
					break
				}
				i.Status, i.Severity = outside.Active, rapid.SampledFrom([]string{"", "mild", "severe"}).Draw(t, "severity")
				i.Detail = "Rash & itch"
				switch i.Certainty = rapid.SampledFrom(chart.Certainties).Draw(t, "certainty"); i.Certainty {
				case "likely", "doubtful":
					i.Status, i.Doubt = outside.NotCertain, "it is unconfirmed there"
				case "refuted":
					i.Status, i.Doubt = outside.Denied, "the record says that it is not there"
				}
				if i.Severity != "" {
					i.Detail += ", " + i.Severity
				}
			case outside.Medicines:
				end(outside.Active, outside.Ended)
				i.Detail, i.Reason = say("sig"), rapid.SampledFrom([]string{"", "gout, & kidneys"}).Draw(t, "reason")
				if rapid.Bool().Draw(t, "coded") {
					i.Codes = []outside.Code{{Code: "197319", System: outside.RxNorm, Title: "allopurinol 100 MG"}, {Code: "77", System: "2.999.1"}}
				}
			case outside.Immunizations:
				i.Status, i.Codes = outside.Given, []outside.Code{{Code: "150", System: outside.CVX, Title: i.Title}}
				i.Detail = rapid.SampledFrom([]string{"", "lot FX<7>"}).Draw(t, "lot")
			case outside.Results, outside.Vitals:
				i.Codes = []outside.Code{{Code: "2823-3", System: outside.LOINC, Title: i.Title}}
				i.Value = rapid.SampledFrom([]string{"4.40", "-0.5", "<5", ">=90", "0.10", "negative", "Escherichia coli & others"}).Draw(t, "value")
				if strings.ContainsAny(i.Value, "0123456789") {
					i.Unit = rapid.SampledFrom([]string{"mmol/L", "mL/min/{1.73_m2}", "10*9/L"}).Draw(t, "unit")
				}
				if i.List == outside.Vitals && rapid.Bool().Draw(t, "pressure") {
					i.Value, i.Unit, i.Codes[0].Code = "148/86", "mm[Hg]", "85354-9"
				}
				i.Range, i.Flag = rapid.SampledFrom([]string{"", "3.5-5.1", "60 or more"}).Draw(t, "range"), rapid.SampledFrom([]string{"", "H", "N"}).Draw(t, "flag")
				i.Detail = outside.Measured(i)
			case outside.Procedures:
				i.Status, i.Codes = outside.Done, []outside.Code{{Code: "73761001", System: outside.SNOMED, Title: i.Title}}
			case outside.Encounters:
				i.Detail, i.Class = say("with"), rapid.SampledFrom([]string{"AMB", "IMP"}).Draw(t, "class")
			case outside.Devices:
				end(outside.Active, outside.Ended)
			case outside.Social:
				i.Detail, i.Class = say("detail"), rapid.SampledFrom([]string{"", "obstetric", "communication"}).Draw(t, "class")
			case outside.Family:
				i.Since, i.Detail = "", say("who")
			case outside.Plan:
				i.Status, i.Doubt = outside.NotCertain, "planned there"
			case outside.Team:
				i.Since, i.Detail = "", say("role")
			}
			if i.List != outside.Encounters && i.List != outside.Team { // FHIR has no remark there
				i.Note = rapid.SampledFrom([]string{"", "", "", "told by <her> sister & twice"}).Draw(t, "note")
			}
			r.Items = append(r.Items, i)
		}
		if body := rapid.SliceOf(rapid.Byte()).Draw(t, "file"); len(body) > 0 {
			r.Files = append(r.Files, outside.RecordFile{Type: "application/pdf", Title: say("file of"), Body: body})
		}
		raw, err := fhir.WriteRecord(r)
		require.NoError(t, err)
		got, err := fhir.ReadRecord(raw)
		require.NoError(t, err)
		require.Equal(t, r.Patient, got.Patient)
		require.Equal(t, []string{r.ID, r.Title, r.At, r.Author, r.House}, []string{got.ID, got.Title, got.At, got.Author, got.House})
		require.Equal(t, r.Files, got.Files)
		for _, list := range outside.RecordLists {
			of := func(items []outside.Item) (out []outside.Item) {
				for _, i := range items {
					if i.List == list {
						if list == outside.Team || i.None {
							i.Ref = "" // a member of a team is known by the name
						}
						out = append(out, i)
					}
				}
				return out
			}
			require.Equal(t, of(r.Items), of(got.Items), list)
		}
	})
}

// Whatever comes, reading it ends, and what is laid out of it holds nothing that acts.
func FuzzReadRecord(f *testing.F) {
	for _, name := range []string{"northsound-document.json", "gannet-collection.json", "r5-ish.json", "two-people.json", "half.json"} {
		raw, err := os.ReadFile("testdata/records/" + name)
		require.NoError(f, err)
		f.Add(raw)
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		got, err := fhir.ReadRecord(raw)
		if err != nil {
			require.ErrorIs(t, err, fhir.ErrUnreadable)
		}
		for _, s := range got.Sections {
			nodes, err := html.ParseFragment(strings.NewReader(s.HTML), nil)
			require.NoError(t, err)
			for _, n := range nodes {
				for d := range n.Descendants() {
					require.NotContains(t, []string{"script", "style", "iframe", "img", "a", "object", "svg", "math", "form", "link"}, d.Data)
					for _, a := range d.Attr {
						require.Contains(t, []string{"data-said", "colspan", "rowspan"}, a.Key)
					}
				}
			}
		}
		for _, i := range got.Items {
			require.NotEmpty(t, i.Title)
			require.NotEmpty(t, i.Ref)
		}
	})
}

// A prescription is by who prescribed it, not by who wrote that down; a medicine that somebody told of, by who wrote it down.
func TestWhoPrescribedIt(t *testing.T) {
	entry := func(kind, more string) string {
		return `{"resource":{"resourceType":"` + kind + `","status":"active","medicationCodeableConcept":{"text":"Losartan 50 MG Oral Tablet"},"subject":{"reference":"Patient/1"},` + more + `}}`
	}
	r, err := fhir.ReadRecord([]byte(`{"resourceType":"Bundle","type":"collection","entry":[{"resource":{"resourceType":"Patient","id":"1","name":[{"family":"Strand"}]}},` +
		entry("MedicationRequest", `"intent":"order","requester":{"display":"Elin Sorrel, MD"},"recorder":{"display":"Piet Ansa"}`) + `,` +
		entry("MedicationRequest", `"intent":"order","recorder":{"display":"Piet Ansa"}`) + `,` +
		entry("MedicationStatement", `"informationSource":{"display":"his wife"}`) + `]}`))
	require.NoError(t, err)
	var by []string
	for _, i := range r.Items {
		by = append(by, i.Author)
	}
	require.Equal(t, []string{"Elin Sorrel, MD", "Piet Ansa", ""}, by)
}
