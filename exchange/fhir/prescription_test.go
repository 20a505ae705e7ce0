package fhir_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/core/prescription"
	. "deftledger/exchange/fhir"
)

var brekken = chart.Patient{Record: "SK-20077", Name: chart.Name{Family: "Brekken", Given: "Halvard"}, BirthDate: "1955-01-22", Sex: "M"}

func wanted(t *testing.T, file string, width int) (out [][]string) {
	body, err := os.ReadFile(filepath.Join("testdata/pharmacy", file))
	require.NoError(t, err)
	for line := range strings.Lines(string(body)) {
		if !strings.HasPrefix(line, "#") {
			f := strings.Split(strings.TrimRight(line, "\n"), "\t")
			for len(f) < width {
				f = append(f, "")
			}
			out = append(out, f)
		}
	}
	return out
}

func TestWhatPharmaciesAnswer(t *testing.T) {
	for _, f := range wanted(t, "fills.tsv", 7) {
		body, err := os.ReadFile(filepath.Join("testdata/pharmacy", f[0]))
		require.NoError(t, err)
		out, err := Fills(body)
		require.NoError(t, err)
		if f[2] == "left" {
			assert.Empty(t, out.Taken, f[0])
			assert.NotEmpty(t, out.Left, f[0])
			continue
		}
		require.Len(t, out.Taken, 1, f[0])
		x := out.Taken[0]
		assert.Equal(t, f[1], x.Number, f[0])
		assert.Equal(t, f[5], x.Medicine, f[0])
		assert.Equal(t, f[6], x.Quantity, f[0])
		if f[2] == "other" {
			assert.True(t, !x.Named || len(outside.NotOf(brekken, x.Subject, "SKERROW")) > 0, f[0])
			continue
		}
		assert.Empty(t, outside.NotOf(brekken, x.Subject, "SKERROW"), f[0])
		assert.Equal(t, prescription.Event(f[2]), x.Says, f[0])
		assert.Equal(t, f[3], x.Happened, f[0])
		assert.Equal(t, f[4], x.Words, f[0])
	}
}

func TestWhatPharmaciesAsk(t *testing.T) {
	for _, f := range wanted(t, "repeats.tsv", 8) {
		body, err := os.ReadFile(filepath.Join("testdata/pharmacy", f[0]))
		require.NoError(t, err)
		out, err := Repeats(body)
		require.NoError(t, err)
		n, err := strconv.Atoi(f[1])
		require.NoError(t, err)
		require.Len(t, out.Taken, n, f[0])
		if n == 0 {
			continue
		}
		x := out.Taken[0]
		assert.Equal(t, f[2:6], []string{x.Number, x.Medicine, x.Dose, x.Quantity}, f[0])
		assert.Equal(t, f[6] == "yes", x.Named, f[0])
		assert.Equal(t, f[7], x.Note, f[0])
		assert.Equal(t, "Harbor Street Pharmacy", x.Pharmacy)
	}
}

func TestAPrescriptionAsItGoesOut(t *testing.T) {
	d := prescription.Drug{Medicine: "lisinopril", Strength: "20 mg", Form: "tablet", Dose: "1 tablet daily", Quantity: "90", Unit: "tablet", Days: 90, Refills: 3, Indication: `pressure & "more"`, Note: "Snap caps."}
	d.Dosage, _ = chart.ReadDosage(d.Dose)
	body, err := Prescription{Number: "RX10001", Sent: "2026-11-02T10:00:00-05:00", Facility: "SKERROW", From: Party{Name: "Skerrow"}, To: Party{Name: "Harbor", Account: "harbor"}, Signer: "Maren Oduya",
		Patient: Whose{Record: "SK-20077", Family: "Brekken", Given: "Halvard", BirthDate: "1955-01-22", Gender: "male"}, Drug: d, Replaces: "RX10000"}.Build()
	require.NoError(t, err)
	var r map[string]any
	require.NoError(t, json.Unmarshal(body, &r))
	require.Equal(t, "active", r["status"])
	require.Equal(t, "order", r["intent"])
	require.Equal(t, "Take 1 tablet once a day", r["dosageInstruction"].([]any)[0].(map[string]any)["text"])
	require.Equal(t, "lisinopril 20 mg tablet", r["medicationCodeableConcept"].(map[string]any)["text"])
	dispense := r["dispenseRequest"].(map[string]any)
	require.EqualValues(t, 3, dispense["numberOfRepeatsAllowed"])
	require.EqualValues(t, 90, dispense["quantity"].(map[string]any)["value"])
	require.Equal(t, true, r["substitution"].(map[string]any)["allowedBoolean"])
	require.Contains(t, string(body), "RX10000")
	cancelled, err := Prescription{Number: "RX10001", Drug: d, Cancel: "Wrong strength", Schedule: "IV"}.Build()
	require.NoError(t, err)
	require.Contains(t, string(cancelled), `"status":"cancelled"`)
	require.Contains(t, string(cancelled), "not certified for controlled substances")
}

func FuzzPharmacy(f *testing.F) {
	files, _ := filepath.Glob("testdata/pharmacy/*.json")
	for _, x := range files {
		body, err := os.ReadFile(x)
		require.NoError(f, err)
		f.Add(body)
	}
	f.Fuzz(func(t *testing.T, body []byte) {
		if out, err := Fills(body); err == nil {
			for _, x := range out.Taken {
				require.NotEmpty(t, x.Says)
				require.NotEmpty(t, x.Number)
			}
		}
		if out, err := Repeats(body); err == nil {
			for _, x := range out.Taken {
				require.NotEmpty(t, x.Medicine)
			}
		}
	})
}
