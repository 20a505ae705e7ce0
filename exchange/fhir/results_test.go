package fhir_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/core/result"
	. "deftledger/exchange/fhir"
)

// Every value goes out as it came: digits, comparator, status and range; what is no number, or is not there, says so.
func TestValuesGoOutAsTheyCame(t *testing.T) {
	rows := []struct {
		value            result.Value
		status           string
		quantity, string string // the JSON of each
		absent           bool
	}{
		{result.Value{Name: "K", LOINC: "2823-3", Text: "4.10", Unit: "mmol/L", Range: "3.5-5.1", Status: "F"}, "final", `{"unit":"mmol/L","value":4.10}`, "", false},
		{result.Value{Name: "TSH", Text: "<0.01", Unit: "mIU/L", Flag: "LL", Status: "C"}, "corrected", `{"comparator":"<","unit":"mIU/L","value":0.01}`, "", false},
		{result.Value{Name: "Titre", Text: "1:160", Status: "P"}, "preliminary", "", `"1:160"`, false},
		{result.Value{Name: "Odd", Text: "007", Status: "F"}, "final", "", `"007"`, false},
		{result.Value{Name: "Odd", Text: ".5", Status: "F"}, "final", "", `".5"`, false},
		{result.Value{Name: "Gone", Text: "3", Status: "W"}, "entered-in-error", `{"value":3}`, "", false},
		{result.Value{Name: "None", Status: "X"}, "cancelled", "", "", true},
		{result.Value{Name: "Strange", Text: "3", Status: "Q"}, "unknown", `{"value":3}`, "", false},
	}
	var values []result.Value
	for _, r := range rows {
		values = append(values, r.value)
	}
	raw, err := Results{At: time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC), Reports: []ResultReport{
		{ID: "r1", Status: "C", Title: "Panel", Collected: "2026-05-04T08:00-04:00", Reported: "2026-05-04", Performer: "L", Values: values, Patient: ClaimPatient{Record: "1", Family: "A", Gender: "female"}},
		{ID: "r2", Status: "", Title: "Other", Collected: "2026-05", Reported: "2026-05-04T09:00:00Z", Patient: ClaimPatient{Record: "1", Family: "A", Gender: "female"}}}}.Build()
	require.NoError(t, err)
	var b struct {
		Entry []struct{ Resource map[string]json.RawMessage }
	}
	require.NoError(t, json.Unmarshal(raw, &b))
	require.Len(t, b.Entry, 1+len(rows)+2, "the patient once")
	for i, want := range rows {
		o := b.Entry[1+i].Resource
		require.Equal(t, `"`+want.status+`"`, string(o["status"]), want.value.Name)
		if want.quantity == "" {
			require.Empty(t, o["valueQuantity"], want.value.Name)
		} else {
			require.JSONEq(t, want.quantity, string(o["valueQuantity"]))
		}
		require.Equal(t, want.string, string(o["valueString"]), want.value.Name)
		require.Equal(t, want.absent, len(o["dataAbsentReason"]) > 0, want.value.Name)
		require.Equal(t, `"2026-05-04T08:00:00-04:00"`, string(o["effectiveDateTime"]))
	}
	require.Contains(t, string(raw), `"value": 4.10`, "the digits it came with")
	first, second := b.Entry[len(rows)+1].Resource, b.Entry[len(rows)+2].Resource
	require.Equal(t, []string{`"corrected"`, ""}, []string{string(first["status"]), string(first["issued"])}, "a day is no instant")
	require.Equal(t, []string{`"unknown"`, `"2026-05"`, `"2026-05-04T09:00:00Z"`}, []string{string(second["status"]), string(second["effectiveDateTime"]), string(second["issued"])})
}
