package fhir_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/core/referral"
	. "deftledger/exchange/fhir"
)

// What strangers' systems answer, read as written down before the reader was.
func TestWhatOtherPracticesAnswer(t *testing.T) {
	of := chart.Patient{Record: "SK-20077", Name: chart.Name{Family: "Brekken", Given: "Halvard"}, BirthDate: "1955-01-22", Sex: "M"}
	want, err := os.ReadFile("testdata/tasks/want.tsv")
	require.NoError(t, err)
	for line := range strings.Lines(string(want)) {
		if strings.HasPrefix(line, "#") {
			continue
		}
		f := strings.Split(strings.TrimRight(line, "\n"), "\t")
		require.Len(t, f, 6, line)
		body, err := os.ReadFile(filepath.Join("testdata/tasks", f[0]))
		require.NoError(t, err)
		out, err := Tasks(body)
		switch f[2] {
		case "unreadable":
			assert.ErrorIs(t, err, ErrUnreadable, f[0])
			continue
		case "left":
			require.NoError(t, err)
			assert.Empty(t, out.Taken, f[0])
			assert.Contains(t, strings.Join(out.Left, " "), f[4], f[0])
			continue
		}
		require.NoError(t, err, f[0])
		require.Len(t, out.Taken, 1, f[0])
		a := out.Taken[0]
		assert.Equal(t, f[1], a.Number, f[0])
		assert.Equal(t, f[5] == "yes", len(a.Report) > 0, f[0])
		differs := outside.NotOf(of, a.Subject, "SKERROW")
		if f[2] == "other" {
			says := "does not say whose it is"
			if a.Named {
				says = "names somebody who differs in " + strings.Join(differs, ", ")
			}
			assert.Contains(t, says, f[4], f[0])
			continue
		}
		assert.Empty(t, differs, f[0])
		assert.Equal(t, referral.Event(f[2]), a.Says, f[0])
		assert.Equal(t, f[3], a.Happened, f[0])
		assert.Equal(t, f[4], strings.TrimSpace(a.Words), f[0])
	}
}

func TestAReferralIsABundleThatHangsTogether(t *testing.T) {
	body, err := Referral{Number: "RF10001", Sent: "2026-11-02T10:00:00-05:00", Question: `Is "stage 3a" right? <b>&`, Priority: "urgent", Expected: "2026-11-16", Facility: "SKERROW",
		From: Party{Name: "Skerrow"}, To: Party{Name: "Kidney clinic", Account: "tak"}, Signer: "Maren Ostrander",
		Patient:   Whose{Record: "SK-20077", Family: "Brekken", Given: "Halvard", BirthDate: "1955-01-22", Gender: "male"},
		Diagnoses: []CodedText{{"N18.31", "Chronic kidney disease, stage 3a"}}, Letter: []byte("%PDF-1.4"), Parts: []Attached{{"Medicines", "Lisinopril 20 mg"}}}.Build()
	require.NoError(t, err)
	var b struct {
		Type  string
		Entry []struct {
			FullURL  string
			Resource map[string]any
		}
	}
	require.NoError(t, json.Unmarshal(body, &b))
	there := map[string]map[string]any{}
	for _, e := range b.Entry {
		there[e.Resource["resourceType"].(string)+"/"+e.Resource["id"].(string)] = e.Resource
	}
	// Every reference within leads to something within.
	var walk func(v any)
	walk = func(v any) {
		switch x := v.(type) {
		case map[string]any:
			if r, ok := x["reference"].(string); ok {
				assert.Contains(t, there, r)
			}
			for _, y := range x {
				walk(y)
			}
		case []any:
			for _, y := range x {
				walk(y)
			}
		}
	}
	for _, r := range there {
		walk(r)
	}
	require.Contains(t, there, "Task/task")
	assert.Equal(t, "requested", there["Task/task"]["status"])
	assert.Equal(t, "active", there["ServiceRequest/request"]["status"])
	assert.Equal(t, "urgent", there["ServiceRequest/request"]["priority"])
	assert.Equal(t, `Is "stage 3a" right? <b>&`, there["ServiceRequest/request"]["note"].([]any)[0].(map[string]any)["text"])
	assert.Len(t, there["ServiceRequest/request"]["supportingInfo"], 2)
	cancelled, err := Referral{Number: "RF10001", Cancel: "Moved away"}.Build()
	require.NoError(t, err)
	assert.Contains(t, string(cancelled), `"status":"revoked"`)
	assert.Contains(t, string(cancelled), `"status":"cancelled"`)
}

func FuzzTasks(f *testing.F) {
	files, _ := filepath.Glob("testdata/tasks/*.json")
	for _, x := range files {
		body, err := os.ReadFile(x)
		require.NoError(f, err)
		f.Add(body)
	}
	f.Fuzz(func(t *testing.T, body []byte) {
		out, err := Tasks(body)
		if err != nil {
			require.ErrorIs(t, err, ErrUnreadable)
			return
		}
		for _, a := range out.Taken {
			require.NotEmpty(t, a.Says, "what was said is never nothing at all")
			require.Equal(t, a.Says == referral.Reports, len(a.Report) > 0)
		}
	})
}
