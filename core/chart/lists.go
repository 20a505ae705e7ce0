package chart

import "strings"

// ListKind is one of the lists that a chart holds and the intake goes through.
type ListKind struct {
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	None   string   `json:"none" doc:"How the statement reads that there is none"`
	Title  string   `json:"title" doc:"What an entry names"`
	Detail string   `json:"detail" doc:"What is said about it"`
	Choose []string `json:"choose" doc:"Titles to choose from; empty for free words"`
}

// Identifiers of the lists.
const (
	PastList          = "past"
	SurgicalList      = "surgical"
	HospitalList      = "hospital"
	ImplantList       = "implants"
	MedicineList      = "medicines"
	AllergyList       = "allergies"
	SocialList        = "social"
	FamilyList        = "family"
	ObstetricList     = "obstetric"
	CommunicationList = "communication"
)

// HistoryLists are the histories, in the order they are gone through.
var HistoryLists = []ListKind{
	{ID: PastList, Name: "Past medical", None: "No past illness of note", Title: "Condition", Detail: "Remark", Choose: []string{}},
	{ID: SurgicalList, Name: "Surgical", None: "No operation", Title: "Operation", Detail: "Where, remark", Choose: []string{}},
	{ID: HospitalList, Name: "Hospital stays", None: "No hospital stay", Title: "Reason", Detail: "Where", Choose: []string{}},
	{ID: ImplantList, Name: "Implants and devices", None: "No implant or device", Title: "Implant or device", Detail: "Maker, model, side",
		Choose: []string{}},
	{ID: FamilyList, Name: "Family", None: "No family illness of note", Title: "Condition", Detail: "Who", Choose: []string{}},
	{ID: SocialList, Name: "Social", Title: "Topic", Detail: "Statement", Choose: []string{"Tobacco", "Alcohol", "Drugs", "Work", "Housing"}},
	{ID: ObstetricList, Name: "Obstetric", None: "Never pregnant", Title: "Pregnancy", Detail: "Outcome", Choose: []string{}},
	{
		ID: CommunicationList, Name: "Language and who may speak", Title: "Topic", Detail: "Statement",
		Choose: []string{"Language", "Interpreter", "May speak for the patient", Private},
	},
}

// Medicines and allergies are lists of their own kind.
var (
	MedicinesKind = ListKind{ID: MedicineList, Name: "Medicines", None: "Takes no medicine", Title: "Medicine", Detail: "Dose and how often",
		Choose: []string{}}
	AllergiesKind = ListKind{ID: AllergyList, Name: "Allergies", None: "No known drug allergies", Title: "Substance", Detail: "Reaction",
		Choose: []string{}}
)

// Private is the topic of what stays between patient and clinician: it is never
// offered for the note.
const Private = "Between patient and clinician"

// ListName is how a list is called; "" for no list of ours.
func ListName(id string) string {
	for _, l := range append([]ListKind{MedicinesKind, AllergiesKind}, HistoryLists...) {
		if l.ID == id {
			return l.Name
		}
	}
	return ""
}

// SaysNone says whether what was typed as an entry is the statement that there is none:
// "NKDA", "none", "no known allergies".
func SaysNone(title string) bool {
	switch strings.ToLower(strings.Trim(Tidy(title), ".! ")) {
	case "nka", "nkda", "nkfa", "none", "none known", "no", "nil", "n/a", "na", "no allergies", "no known allergies", "no known drug allergies",
		"no drug allergies", "no medicines", "no medications", "no meds", "denies", "denies allergies", "negative", "unknown", "not known":
		return true
	}
	return false
}
