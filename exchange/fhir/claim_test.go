package fhir_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/exchange/fhir"
)

var claim = fhir.Claim{ID: "n1", Created: "2026-11-23T15:00:00-05:00", Service: "2026-11-23", Practice: "Skerrow Island Family Practice",
	Clinician: "Maren Oduya",
	Patient:   fhir.ClaimPatient{Record: "SK-1", Family: "=Marsh", Given: "Ottoline", BirthDate: "1968-03-14", Gender: "female"},
	Diagnoses: []fhir.CodedText{{Code: "I12.9", Text: "Hypertensive kidney disease"}, {Code: "N18.31", Text: "Stage 3a"}},
	Lines: []fhir.ClaimLine{
		{System: fhir.Licensed, Code: "99214", Text: "Office visit", Modifiers: []string{"25"}, Units: 1, Diagnoses: []int{1, 2}},
		{System: fhir.HCPCS, Code: "G0008", Text: "Administration, influenza", Units: 1, Diagnoses: []int{2}},
	}}

// The elements that FHIR R4 demands of a Claim (hl7.org/fhir/R4/claim.html) are there,
// and every reference and sequence leads somewhere.
func TestAClaimHasWhatTheStandardDemands(t *testing.T) {
	body, err := claim.Build()
	require.NoError(t, err)
	var c struct {
		ResourceType, Status, Use, Created string
		Type, Priority                     struct {
			Coding []struct{ System, Code string }
		}
		Patient, Provider struct{ Reference string }
		Contained         []struct{ ID, ResourceType string }
		Insurance         []struct {
			Sequence int
			Focal    bool
			Coverage struct{ Reference string }
		}
		Diagnosis []struct {
			Sequence                 int
			DiagnosisCodeableConcept struct {
				Coding []struct{ System, Code string }
			}
		}
		Item []struct {
			Sequence         int
			ProductOrService struct {
				Coding []struct{ System, Code string }
			}
			Modifier          []struct{ Coding []struct{ Code string } }
			DiagnosisSequence []int
			Quantity          struct{ Value int }
			ServicedDate      string
		}
	}
	require.NoError(t, json.Unmarshal(body, &c))
	require.Equal(t, []string{"Claim", "active", "claim", "2026-11-23T15:00:00-05:00"}, []string{c.ResourceType, c.Status, c.Use, c.Created})
	require.Equal(t, "professional", c.Type.Coding[0].Code)
	require.Equal(t, "normal", c.Priority.Coding[0].Code)
	inside := map[string]bool{}
	for _, x := range c.Contained {
		inside["#"+x.ID] = true
	}
	for _, ref := range []string{c.Patient.Reference, c.Provider.Reference, c.Insurance[0].Coverage.Reference} {
		require.True(t, inside[ref], ref)
	}
	require.Equal(t, "I12.9", c.Diagnosis[0].DiagnosisCodeableConcept.Coding[0].Code)
	require.Equal(t, "http://hl7.org/fhir/sid/icd-10-cm", c.Diagnosis[0].DiagnosisCodeableConcept.Coding[0].System)
	require.Len(t, c.Item, 2)
	require.Equal(t, []int{1, 2}, c.Item[0].DiagnosisSequence)
	require.Equal(t, "25", c.Item[0].Modifier[0].Coding[0].Code)
	require.Equal(t, "http://www.ama-assn.org/go/cpt", c.Item[0].ProductOrService.Coding[0].System)
	for i, x := range c.Item {
		require.Equal(t, i+1, x.Sequence)
		require.Equal(t, "2026-11-23", x.ServicedDate)
		for _, d := range x.DiagnosisSequence {
			require.Equal(t, d, c.Diagnosis[d-1].Sequence)
		}
	}
}

func TestAClaimAsATable(t *testing.T) {
	rows := claim.Rows()
	require.Len(t, rows, 3)
	require.Equal(t, []string{"n1", "2026-11-23", "SK-1", "=Marsh", "Ottoline", "1968-03-14", "Maren Oduya", "1", "99214", "Office visit",
		"25", "1", "I12.9", "N18.31", "", ""}, rows[1])
	for _, r := range rows {
		require.Len(t, r, len(rows[0]))
	}
}
